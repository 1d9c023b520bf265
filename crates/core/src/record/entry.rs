//! An entry of the record: who said what happened, when by their own clock and when by the server's.

use std::collections::BTreeSet;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::things::{
    Acceptance, CameBack, Fault, FoundLive, GaveOut, Isolated, IsolationId, JoinCode, Joining,
    Milestone, NameList, NodeReport, OfferSigned, OpenTime, OpenTimeId, RangeTest, Reading,
    RoomsAgreed, RuleTried, SignOff, Step, Stepped, WiringRecord,
};
use crate::moment::Moment;
use crate::site::kept::{Kept, id, note};
use crate::site::{DeviceId, NetworkId, PersonId, Refusal, RoomId, Wrong};

id!(/** An entry of the record. */ EntryId);

/// An entry. It is never changed and never taken out: what was wrong is corrected by another.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Entry {
    /// Its id, made by who sent it: the same id twice is the same entry.
    pub id: EntryId,
    /// When it happened, by the clock of whoever says so.
    pub said: Moment,
    /// When it came in, by the server's clock.
    pub taken: Moment,
    /// Who says so, by name.
    pub by: String,
    /// The person of the job that this then was; nothing for a name that was nobody's.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub person: Option<PersonId>,
    /// The entry that this one corrects.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub corrects: Option<EntryId>,
    /// What happened.
    pub what: What,
}

/// What happened. The list is closed: what is not in it cannot be put on record.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "did", rename_all = "kebab-case", rename_all_fields = "snake_case")]
pub enum What {
    /// Something was switched off and secured.
    Isolated(Isolated),
    /// The tester was shown to work on a known source.
    TesterShown {
        /// Under which isolation.
        isolation: IsolationId,
        /// Whether after the tests, rather than before.
        after: bool,
    },
    /// An isolation was handed over by name.
    HandedOver {
        /// Which.
        isolation: IsolationId,
        /// To whom.
        to: String,
    },
    /// It was switched on again.
    Energised {
        /// Which isolation ended by that.
        isolation: IsolationId,
        /// Why, where something that starts together with the rest is left out.
        #[serde(default, skip_serializing_if = "String::is_empty")]
        why: String,
    },
    /// A box was found live that was to be dead.
    FoundLive(FoundLive),
    /// Power was let in for finding lines: in every open box the conductors are parted and capped, nobody is near.
    FindingBegun {
        /// Under which isolation, which stays in force.
        isolation: IsolationId,
        /// What was looked at one by one.
        #[serde(default, skip_serializing_if = "BTreeSet::is_empty")]
        checks: BTreeSet<String>,
        /// Why, by somebody who is not on record as allowed to work on the mains.
        #[serde(default, skip_serializing_if = "String::is_empty")]
        why: String,
    },
    /// It was switched off again: every box that was open is proved dead anew.
    FindingOver {
        /// Under which isolation.
        isolation: IsolationId,
    },
    /// One thing that a step asks to look at was ticked, or the tick taken away.
    Ticked {
        /// The device.
        device: DeviceId,
        /// The step.
        step: Step,
        /// What was looked at, by its word.
        check: String,
        /// Whether it is ticked now.
        on: bool,
    },
    /// A step was taken.
    Stepped(Stepped),
    /// A step was taken back.
    TakenBack {
        /// The device.
        device: DeviceId,
        /// The step.
        step: Step,
    },
    /// Something changed after which range tests are done again.
    Unsettled {
        /// What changed, by its word.
        trigger: String,
        /// The network that it is about.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        network: Option<NetworkId>,
        /// The room that it is about.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        room: Option<RoomId>,
        /// The devices whose tests it made stale.
        devices: BTreeSet<DeviceId>,
    },
    /// A code was kept.
    CodeKept(JoinCode),
    /// A network was opened, or opened for more.
    NetworkOpened(OpenTime),
    /// It was closed again.
    NetworkClosed {
        /// The time for which it stood open.
        open: OpenTimeId,
        /// Why, where something that was expected is missing.
        #[serde(default, skip_serializing_if = "String::is_empty")]
        why: String,
    },
    /// Its routes were rebuilt.
    RoutesRebuilt {
        /// The time for which it stood open.
        open: OpenTimeId,
    },
    /// A device was joined.
    Joined(Joining),
    /// A follower was tied to its master.
    Tied(Joining),
    /// How a device was wired in.
    WiredIn(WiringRecord),
    /// A level was read.
    Read(Reading),
    /// A test in place: presses or pings.
    Pressed(RangeTest),
    /// What a hub told of a node.
    Reported(NodeReport),
    /// A fault was met.
    Met(Fault),
    /// Something came back after the router was changed.
    CameBack(CameBack),
    /// How a platform names what it holds was looked at.
    NamesFound(NameList),
    /// A rule was run by hand, or read back.
    RuleTried(RuleTried),
    /// The household agreed to the list of rooms.
    RoomsAgreed(RoomsAgreed),
    /// What counts as accepted was agreed.
    Agreed(Acceptance),
    /// Something was done at a device: readings of it taken before do not count any longer.
    Cured {
        /// The device.
        device: DeviceId,
        /// What was done.
        what: String,
    },
    /// A unit gave out, and another of its kind takes its place.
    GaveOut(GaveOut),
    /// How the plan then stood was kept.
    Stage(Milestone),
    /// Somebody signed the offer.
    OfferSigned(OfferSigned),
    /// Somebody signed that the house is accepted.
    Signed(SignOff),
    /// Somebody without an account followed a link that was given to them.
    LinkFollowed {
        /// For whom it was given.
        name: String,
        /// As what: client, electrician, integrator.
        role: String,
    },
    /// An entry does not count: it was wrong.
    Struck {
        /// Which.
        of: EntryId,
        /// Why.
        why: String,
    },
}

impl What {
    /// Whether it says that somebody worked on the mains: what local law leaves to who is licensed. That a box was found
    /// live, anybody may say.
    pub fn is_mains_work(&self) -> bool {
        match self {
            Self::Isolated(_)
            | Self::TesterShown { .. }
            | Self::Energised { .. }
            | Self::FindingBegun { .. }
            | Self::FindingOver { .. } => true,
            // What takes such work back says of the wires what it says.
            Self::Stepped(Stepped { step, .. }) | Self::TakenBack { step, .. } => matches!(
                step,
                Step::Dead | Step::Wired | Step::Checked | Step::DryFitted | Step::PutBack
            ),
            _ => false,
        }
    }

    /// The devices that it is about, of what happens on a day at the house; nothing for what is measured, agreed, signed or
    /// struck besides.
    pub fn of_the_day(&self) -> Option<Vec<&DeviceId>> {
        match self {
            Self::Isolated(_)
            | Self::TesterShown { .. }
            | Self::HandedOver { .. }
            | Self::Energised { .. }
            | Self::FindingBegun { .. }
            | Self::FindingOver { .. }
            | Self::Unsettled { .. }
            | Self::NetworkOpened(_)
            | Self::NetworkClosed { .. }
            | Self::RoutesRebuilt { .. } => Some(Vec::new()),
            Self::FoundLive(found) => Some(vec![&found.device]),
            Self::Ticked { device, .. } | Self::TakenBack { device, .. } => Some(vec![device]),
            Self::Stepped(step) => Some(vec![&step.device]),
            Self::CodeKept(code) => Some(vec![&code.device]),
            Self::Joined(joining) | Self::Tied(joining) => Some(vec![&joining.device]),
            Self::WiredIn(wiring) => Some(vec![&wiring.device]),
            Self::Pressed(test) => Some(vec![&test.device]),
            Self::Reported(node) => Some(node.device.iter().collect()),
            Self::Met(fault) => Some(fault.device.iter().collect()),
            Self::GaveOut(unit) => Some(vec![&unit.device]),
            Self::Read(_)
            | Self::CameBack(_)
            | Self::NamesFound(_)
            | Self::RuleTried(_)
            | Self::RoomsAgreed(_)
            | Self::Agreed(_)
            | Self::Cured { .. }
            | Self::Stage(_)
            | Self::OfferSigned(_)
            | Self::Signed(_)
            | Self::LinkFollowed { .. }
            | Self::Struck { .. } => None,
        }
    }
}

impl Entry {
    /// Its own shape.
    ///
    /// # Errors
    /// The first field that cannot stand.
    pub(super) fn check(&self) -> Result<(), Refusal> {
        if self.by.trim().is_empty() {
            return Err(Refusal::wrong("by", Wrong::NotSaid));
        }
        note("by", &self.by)?;
        match &self.what {
            // An isolation is checked with who began it.
            What::Isolated(_)
            | What::TesterShown { .. }
            | What::FindingOver { .. }
            | What::NetworkClosed { .. }
            | What::RoutesRebuilt { .. }
            | What::TakenBack { .. } => Ok(()),
            What::HandedOver { to, .. } if to.trim().is_empty() => {
                Err(Refusal::wrong("to", Wrong::NotSaid))
            }
            What::HandedOver { to, .. } => note("to", to),
            What::FoundLive(found) => found.check(),
            What::FindingBegun { checks, why, .. } => {
                note("why", why)?;
                let is = checks.len();
                if is > 40 {
                    return Err(Refusal::wrong("checks", Wrong::Count { is, least: 0, most: 40 }));
                }
                checks.iter().try_for_each(|word| note("checks", word))
            }
            What::Ticked { check, .. } => note("check", check),
            What::Stepped(stepped) => stepped.check(),
            What::Unsettled { trigger, .. } => note("trigger", trigger),
            What::CodeKept(code) => code.check(),
            What::NetworkOpened(open) => open.check(),
            What::Joined(joining) | What::Tied(joining) => joining.check(),
            What::WiredIn(wiring) => wiring.check(),
            What::Read(reading) => reading.check(),
            What::Pressed(test) => test.check(),
            What::Reported(report) => report.check(),
            What::Met(fault) => fault.check(),
            What::CameBack(back) => back.check(),
            What::NamesFound(list) => list.check(),
            What::RuleTried(tried) => tried.check(),
            What::RoomsAgreed(of) => of.check(),
            What::Agreed(rule) => rule.check(),
            What::Cured { what, .. } => note("what", what),
            What::GaveOut(of) => of.check(),
            What::Stage(milestone) => milestone.check(),
            What::OfferSigned(offer) => offer.check(),
            What::Signed(sign) => sign.check(),
            What::LinkFollowed { name, role } => {
                note("name", name)?;
                note("role", role)
            }
            What::Struck { why, .. } if why.trim().is_empty() => {
                Err(Refusal::wrong("why", Wrong::NotSaid))
            }
            What::Energised { why, .. } | What::Struck { why, .. } => note("why", why),
        }
    }

    /// Whether two people's names are one: letters of one case, no blanks around.
    pub fn is_name(one: &str, other: &str) -> bool {
        let plain = |name: &str| name.trim().to_lowercase();
        !one.trim().is_empty() && plain(one) == plain(other)
    }
}

#[cfg(test)]
mod tests {
    use serde_json::json;

    use super::{Step, What};

    #[test]
    fn taking_a_step_back_asks_for_the_licence_that_the_step_asks_for() {
        let mut of_the_mains = 0;
        for step in Step::ALL {
            let said = |did: &str| {
                let what = json!({ "did": did, "device": "hall-switch", "step": step.word() });
                serde_json::from_value::<What>(what).unwrap()
            };
            let (stepped, back) = (said("stepped"), said("taken-back"));
            assert_eq!(stepped.is_mains_work(), back.is_mains_work(), "{step:?}");
            of_the_mains += u32::from(back.is_mains_work());
        }
        assert_eq!(of_the_mains, 5, "dead, wired, checked, fitted, put back");
    }
}
