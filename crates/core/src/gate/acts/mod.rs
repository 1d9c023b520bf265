//! What is tapped on the day: each act comes to entries of the record, or says what speaks against it.

use std::collections::BTreeSet;

use serde::Deserialize;
use serde_json::json;

mod power;
mod steps;

use self::power::{energised, finding, finding_over, found_live, handed_over};
pub(crate) use self::steps::code_held;
use self::steps::{code_kept, joined, lacks_nothing, reasoned, step_taken, ticked, tied};
use super::isolate::OffReason;
use super::range_test::Counted;
use super::{Gate, deeds, gate, isolate, retest};
use crate::moment::Moment;
use crate::record::{
    CodeTaken, Cut, EntryId, FoundLive, Isolated, IsolationId, JoinCode, JoinCodeId, JoinedAt,
    JoiningId, Method, NextCut, OpenTime, OpenTimeId, Prepared, Record, Secured, Sender, Step,
    Telling, What,
};
use crate::site::{DeviceId, Edit, Kind, NetworkId, Ref, Refusal, RoomId, Security, Site, Wrong};
use crate::units::Dbm;

/// An act of the day.
#[derive(Clone, Debug, PartialEq, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case", rename_all_fields = "snake_case")]
#[serde(deny_unknown_fields)]
#[expect(missing_docs, reason = "each variant says what its fields are for")]
pub enum Act {
    /// Switches circuits off: refused where the means is not enough for what is on them.
    Isolate {
        id: IsolationId,
        means: Cut,
        #[serde(default)]
        circuits: Vec<String>,
        /// What was found to make them dead, where labels say otherwise.
        #[serde(default)]
        verified: String,
        #[serde(default)]
        secured: Secured,
        #[serde(default)]
        tester: String,
        #[serde(default)]
        told: String,
        /// Why, by somebody who is not on record as allowed to work on the mains.
        #[serde(default)]
        why: String,
        by: String,
        at: Moment,
    },
    /// Shows that the tester works on a known source: before the tests, and after them.
    ProveTester {
        isolation: IsolationId,
        after: bool,
        #[serde(default)]
        by: Option<String>,
        at: Moment,
    },
    /// Hands an isolation over: whoever took it over switches it on.
    HandOver { isolation: IsolationId, by: String, to: String, at: Moment },
    /// Switches on again. Refused while a box is open, and to anyone who neither switched it off nor took
    /// it over.
    Energise {
        isolation: IsolationId,
        by: String,
        at: Moment,
        /// Why, where something that starts together with the rest is left out.
        #[serde(default)]
        why: String,
    },
    /// Lets power in for finding lines, with all that it asks to look at ticked: conductors parted and capped, nobody near.
    FindLines {
        isolation: IsolationId,
        #[serde(default)]
        checks: BTreeSet<String>,
        by: String,
        at: Moment,
        /// Why, by somebody who is not on record as allowed to work on the mains.
        #[serde(default)]
        why: String,
    },
    /// Switches off again after that.
    EndFinding { isolation: IsolationId, by: String, at: Moment },
    /// Says that a box is live that was to be dead: what is off does not make it so.
    FoundLive {
        device: DeviceId,
        found: String,
        #[serde(default)]
        next: NextCut,
        #[serde(default)]
        decides: String,
        by: String,
        at: Moment,
    },
    /// Ticks one thing that a step asks to look at, or takes the tick away.
    Check {
        device: DeviceId,
        step: Step,
        check: String,
        on: bool,
        #[serde(default)]
        by: Option<String>,
        #[serde(default)]
        at: Option<Moment>,
    },
    /// Takes a step. What speaks against it refuses it; where a rule yields, `why` overrules it.
    TakeStep {
        device: DeviceId,
        step: Step,
        by: String,
        at: Moment,
        #[serde(default)]
        why: String,
        #[serde(default)]
        note: String,
        /// What was looked at, beside what is ticked already.
        #[serde(default)]
        checks: BTreeSet<String>,
        /// Of the range test: how many answered, where not all did. Fewer than agreed are put on record without the step,
        /// unless `why` says why it stays so.
        #[serde(default)]
        arrived: Option<u32>,
        /// Of the range test: how long the slowest took, in milliseconds, timed by hand.
        #[serde(default)]
        delay_ms: Option<f64>,
        /// Of the range test: the quality of the link as the hub shows it.
        #[serde(default)]
        lqi: Option<u8>,
        /// Of the range test of what was joined elsewhere: over whom it goes where it stands now.
        #[serde(default)]
        parent: Option<DeviceId>,
    },
    /// Takes a step back. Refused where something rests on it.
    TakeBack {
        device: DeviceId,
        step: Step,
        #[serde(default)]
        by: Option<String>,
        #[serde(default)]
        at: Option<Moment>,
    },
    /// Keeps a code: read, photographed or typed, and held against its check digits.
    KeepCode {
        id: JoinCodeId,
        device: DeviceId,
        #[serde(default)]
        text: String,
        #[serde(default)]
        taken: CodeTaken,
        #[serde(default)]
        image: Option<String>,
        by: String,
        at: Moment,
    },
    /// Opens a network for what is expected.
    OpenNetwork {
        id: OpenTimeId,
        network: NetworkId,
        expected: BTreeSet<DeviceId>,
        by: String,
        at: Moment,
    },
    /// Closes it, and confirms that. With one missing that is expected, `why` says why it is closed all the same.
    CloseNetwork {
        id: OpenTimeId,
        by: String,
        at: Moment,
        #[serde(default)]
        why: String,
    },
    /// Records that routes were rebuilt after the last that was added.
    RebuildRoutes {
        id: OpenTimeId,
        #[serde(default)]
        by: Option<String>,
        at: Moment,
    },
    /// Joins a device. Elsewhere than in its place it is marked so, and wants its range test there.
    Join(Join),
    /// Ties a follower to its master.
    Tie { joining: JoiningId, device: DeviceId, master: DeviceId, by: String, at: Moment },
    /// Says that something has changed after which range tests are done again.
    Unsettle {
        trigger: String,
        #[serde(default)]
        network: Option<NetworkId>,
        #[serde(default)]
        room: Option<RoomId>,
        #[serde(default)]
        by: Option<String>,
        #[serde(default)]
        at: Option<Moment>,
    },
    /// Says that an entry of the record does not count: it was wrong.
    Strike {
        of: EntryId,
        why: String,
        #[serde(default)]
        by: Option<String>,
        #[serde(default)]
        at: Option<Moment>,
    },
}

/// That a device was joined.
#[derive(Clone, Debug, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(missing_docs, reason = "each is a field of the record that it makes")]
pub struct Join {
    pub id: JoiningId,
    pub device: DeviceId,
    #[serde(default)]
    pub joined: JoinedAt,
    #[serde(default)]
    pub method: Method,
    #[serde(default)]
    pub security: Option<Security>,
    #[serde(default)]
    pub node: Option<u32>,
    #[serde(default)]
    pub parent: Option<DeviceId>,
    #[serde(default)]
    pub rssi_dbm: Option<Dbm>,
    /// What was done over when it did not join at first, by the words of the rungs.
    #[serde(default)]
    pub tried: BTreeSet<String>,
    pub by: String,
    pub at: Moment,
    #[serde(default)]
    pub why: String,
}

impl Act {
    /// Their words.
    pub const WORDS: [&'static str; 18] = [
        "isolate",
        "prove-tester",
        "hand-over",
        "energise",
        "find-lines",
        "end-finding",
        "found-live",
        "check",
        "take-step",
        "take-back",
        "keep-code",
        "open-network",
        "close-network",
        "rebuild-routes",
        "join",
        "tie",
        "unsettle",
        "strike",
    ];

    /// What it comes to.
    ///
    /// # Errors
    /// What speaks against it, all of it at once.
    pub fn prepare(
        &self,
        site: &Site,
        record: &Record,
        caller: &Sender,
    ) -> Result<Prepared, Refusal> {
        let gate = gate(record, site);
        let mut edit = None;
        let what = |what, by: &Option<String>, at: Option<&Moment>| {
            vec![Telling::new(what, by.as_deref(), at)]
        };
        let all = match self {
            Self::Isolate { by, at, why, .. } => {
                let of = self.isolated(site, record)?;
                let mut of = of.unwrap_or_else(|| unreachable!("this is one that isolates"));
                let deed = deeds::isolate("", site, &of, &[]);
                of.why = reasoned(gate.facts(), &deed, by, why)?;
                vec![Telling::new(What::Isolated(of), Some(by), Some(at))]
            }
            Self::ProveTester { isolation, after, by, at } => what(
                What::TesterShown { isolation: isolation.clone(), after: *after },
                by,
                Some(at),
            ),
            Self::HandOver { isolation, by, to, at } => {
                handed_over(&gate, isolation, by, to)?;
                let (isolation, to) = (isolation.clone(), to.clone());
                vec![Telling::new(What::HandedOver { isolation, to }, Some(by), Some(at))]
            }
            Self::Energise { isolation, by, at, why } => energised(&gate, isolation, by, at, why)?,
            Self::FindLines { isolation, checks, by, at, why } => {
                finding(&gate, isolation, checks, by, at, why)?
            }
            Self::EndFinding { isolation, by, at } => finding_over(&gate, isolation, by, at)?,
            Self::FoundLive { device, found, next, decides, by, at } => {
                let of = found_live(&gate, device, by)?;
                let (found, decides) = (found.trim().to_owned(), decides.trim().to_owned());
                let what = What::FoundLive(FoundLive { found, next: *next, decides, ..of });
                vec![Telling::new(what, Some(by), Some(at))]
            }
            Self::Check { device, step, check, on, by, at } => {
                what(ticked(site, device, *step, check, *on)?, by, at.as_ref())
            }
            Self::TakeStep {
                device,
                step,
                by,
                at,
                why,
                note,
                checks,
                arrived,
                delay_ms,
                lqi,
                parent,
            } => {
                let (arrived, delay_ms, lqi) = (*arrived, *delay_ms, *lqi);
                let counted = Counted { arrived, delay_ms, lqi, parent: parent.clone() };
                let all =
                    step_taken(&gate, (device, *step), (by, at), (why, note, checks), &counted)?;
                all.into_iter().map(|what| Telling::new(what, Some(by), Some(at))).collect()
            }
            Self::TakeBack { device, step, by, at } => {
                if record.done(device, *step).is_none() {
                    let id = format!("{device} {}", step.word());
                    return Err(Refusal::NotOnRecord { what: "step", id });
                }
                lacks_nothing(&gate, &deeds::take_back(&gate, device, *step), "step", "")?;
                let back = What::TakenBack { device: device.clone(), step: *step };
                what(back, by, at.as_ref())
            }
            Self::KeepCode { id, device, text, taken, image, by, at } => {
                let (text, image) = (text.trim().to_owned(), image.clone());
                let (id, device, taken) = (id.clone(), device.clone(), *taken);
                let (by, at) = (by.clone(), at.clone());
                code_kept(&gate, JoinCode { id, device, text, taken, image, by, at })?
            }
            Self::OpenNetwork { id, network, expected, by, at } => {
                let open = opened(&gate, id, network, expected, by, at)?;
                vec![Telling::new(What::NetworkOpened(open), Some(by), Some(at))]
            }
            Self::CloseNetwork { id, by, at, why } => {
                let closed = closed(&gate, id, by, why)?;
                vec![Telling::new(closed, Some(by), Some(at))]
            }
            Self::RebuildRoutes { id, by, at } => {
                what(What::RoutesRebuilt { open: id.clone() }, by, Some(at))
            }
            Self::Join(join) => {
                edit = join
                    .security
                    .map(|class| Edit::set(Kind::Device, &join.device, "security", json!(class)));
                joined(&gate, join)?
            }
            Self::Tie { joining, device, master, by, at } => {
                tied(&gate, joining, device, master, by, at)?
            }
            Self::Unsettle { trigger, network, room, by, at } => {
                let (network, room) = (network.as_ref(), room.as_ref());
                what(retest::unsettled(site, record, trigger, network, room)?, by, at.as_ref())
            }
            Self::Strike { of, why, by, at } => {
                what(What::Struck { of: of.clone(), why: why.clone() }, by, at.as_ref())
            }
        };
        Ok(Prepared { edit, entries: caller.entries(site, all) })
    }

    /// What is isolated by it, with what that covers as it is known now; nothing for another act.
    ///
    /// # Errors
    /// The means is not enough for what is on the circuits, or another breaker is known to be theirs.
    pub fn isolated(&self, site: &Site, record: &Record) -> Result<Option<Isolated>, Refusal> {
        let Self::Isolate { id, means, circuits, verified, secured, tester, told, .. } = self
        else {
            return Ok(None);
        };
        let circuits: Vec<String> = circuits.iter().map(|c| c.trim().to_owned()).collect();
        let mut of = Isolated {
            id: id.clone(),
            means: *means,
            breakers: isolate::breakers(site, &circuits),
            circuits,
            covers: Vec::new(),
            verified: verified.trim().to_owned(),
            secured: *secured,
            tester: tester.clone(),
            told: told.clone(),
            why: String::new(),
        };
        if !means.is_main() {
            if record.isolations.get(id).is_none() {
                let choice = isolate::choice(site, &of.circuits, None);
                // What nobody has looked at asks the plan for the main; whoever stands at the panel has looked.
                let is_known = |w: &&OffReason| {
                    w.asks_for_main() && !matches!(w, OffReason::NeutralNotLooked { .. })
                };
                if let Some(why) = choice.whys.iter().find(is_known) {
                    let why =
                        format!("the breaker is not enough: {why}. Switch off the main switch");
                    return Err(Refusal::wrong("means", Wrong::Isolation(why)));
                }
            }
            let lacks = |why: &&OffReason| match why {
                OffReason::SharesWith { partner, .. } => !of.circuits.contains(partner),
                _ => false,
            };
            let choice = isolate::choice(site, &of.circuits, None);
            if let Some(why) = choice.whys.iter().find(lacks) {
                let why = format!("the breaker is not enough: {why}. Switch them off together");
                return Err(Refusal::wrong("circuits", Wrong::Isolation(why)));
            }
            let mistaken = isolate::mistaken(site, &of.circuits).filter(|_| of.verified.is_empty());
            if let Some((label, really)) = mistaken {
                let why = format!(
                    "circuit {label} was proven to be breaker {really}: switch that off, and say so as what \
                     was found to make it dead"
                );
                return Err(Refusal::wrong("verified", Wrong::Isolation(why)));
            }
        }
        let all = super::work::circuits_of_all(site);
        let dead = all.iter().filter(|(_, circuits)| isolate::makes_dead(site, &of, circuits));
        of.covers = dead.map(|(spot, _)| spot.device.id.clone()).collect();
        Ok(Some(of))
    }
}

/// A network is closed with what is expected in it, or with the reason why not.
fn closed(gate: &Gate<'_>, id: &OpenTimeId, by: &str, why: &str) -> Result<What, Refusal> {
    let open = id.clone();
    // What was never opened, or is closed already, the record itself refuses.
    let stands = gate.record().open_times.get(id).filter(|time| time.closed.is_none());
    let Some(time) = stands else { return Ok(What::NetworkClosed { open, why: String::new() }) };
    let expected: Vec<DeviceId> = time.expected.iter().cloned().collect();
    let deed = deeds::close(gate.site(), &time.network, &expected);
    let why = reasoned(gate.facts(), &deed, by, why)?;
    Ok(What::NetworkClosed { open, why })
}

fn opened(
    gate: &Gate<'_>,
    id: &OpenTimeId,
    network: &NetworkId,
    expected: &BTreeSet<DeviceId>,
    by: &str,
    at: &Moment,
) -> Result<OpenTime, Refusal> {
    let site = gate.site();
    if site.networks.get(network).is_none() {
        return Err(Refusal::Missing(Ref::new(Kind::Network, network.as_str())));
    }
    if expected.is_empty() {
        return Err(Refusal::wrong("expected", Wrong::NothingExpected));
    }
    let stranger = |id: &&DeviceId| site.devices.get(id).is_none_or(|d| d.network != *network);
    if let Some(other) = expected.iter().find(stranger) {
        let other = Ref::new(Kind::Device, other.as_str());
        return Err(Refusal::wrong("expected", Wrong::NoSuch(other)));
    }
    if let Some(open) = gate.open_time(network) {
        // One that stands open is opened wider.
        let expected = open.expected.union(expected).cloned().collect();
        return Ok(OpenTime { expected, ..open.clone() });
    }
    if gate.record().open_times.get(id).is_some() {
        return Err(Refusal::wrong("id", Wrong::Twice { id: id.to_string() }));
    }
    Ok(OpenTime {
        id: id.clone(),
        network: network.clone(),
        at: at.clone(),
        by: by.to_owned(),
        expected: expected.clone(),
        closed: None,
        closed_by: String::new(),
        closed_without: String::new(),
        rebuilt: None,
    })
}
