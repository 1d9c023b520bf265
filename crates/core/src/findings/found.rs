//! What can be found, as values with their quantities; the words of each, its weight and its cure
//! stand here and nowhere else.

use std::fmt;

use super::{Mends, Weight};
use crate::fit::ways_out::WayOut;
use crate::fit::{FitFinding, Fits};
use crate::network::air::BESIDE_M;
use crate::speech::local;
use crate::survey::hard_spots::HardSpot;
use crate::units::{Db, Dbm};

/// What was found. Names are those of devices, networks and places.
#[derive(Clone, Debug, PartialEq)]
#[expect(missing_docs, reason = "each says in its words what it holds")]
pub enum Found {
    DoesNotFit {
        device: String,
        reason: FitFinding,
        ways: Vec<WayOut>,
    },
    Mislabelled {
        label: String,
        really: String,
        points: usize,
    },
    SharedNeutral {
        label: String,
        partners: Vec<String>,
    },
    NeutralNotLooked {
        label: String,
    },
    SeveralCircuits {
        at: String,
        labels: Vec<String>,
    },
    TagTwice {
        tag: String,
        points: Vec<String>,
    },
    NoHub {
        network: String,
    },
    HubInMetal {
        hub: String,
        cupboard: &'static str,
        lost: Db,
    },
    HubBesideSource {
        hub: String,
        source: String,
        carrier: String,
    },
    UsbNoise {
        hub: String,
    },
    OneBorderRouter {
        network: String,
    },
    OverLimit {
        network: String,
        count: usize,
        what: &'static str,
        system: &'static str,
        most: usize,
    },
    NearLimit {
        network: String,
        count: usize,
        what: &'static str,
        most: usize,
    },
    SinglePointOfFailure {
        device: String,
        carries: Vec<String>,
    },
    DeepChain {
        device: String,
        hops: usize,
    },
    FewRepeaters {
        network: String,
        beyond: usize,
        repeaters: usize,
        enough: usize,
    },
    MayGoDark {
        device: String,
    },
    Asymmetry {
        device: String,
        answers: bool,
        apart: Db,
    },
    BatteryBehindPoorHops {
        device: String,
        poor: usize,
    },
    OnlyParentMayGoDark {
        device: String,
    },
    MixedSecurity {
        network: String,
    },
    NoChannel {
        network: String,
    },
    SharedChannel {
        one: String,
        other: String,
        channel: u8,
    },
    /// A device whose row the library holds no longer.
    KindGone {
        device: String,
        kind: String,
    },
    /// A device that does not speak its network's system.
    KindOfAnotherSystem {
        device: String,
        kind: String,
        system: &'static str,
    },
    OverRegionLimit {
        device: String,
        eirp: Dbm,
        system: &'static str,
        region: &'static str,
        limit: Dbm,
        /// Where the limit is an average: that, and the duty with which it sends.
        average: Option<(Dbm, f64)>,
        source: &'static str,
    },
    /// A system that the region has no frequencies for.
    NoAllotment {
        network: String,
        system: &'static str,
        region: &'static str,
    },
    /// Routes over a device in a box that nobody has opened.
    CreditOnCondition {
        device: String,
        carries: usize,
    },
    ControlsNothing {
        device: String,
    },
    NoLoad {
        device: String,
    },
    /// A place that is hard for radio, of which nobody has said what stands around.
    HardSpot {
        place: String,
        spot: &'static HardSpot,
        most: Db,
    },
    /// A light that nothing works without a phone.
    NoNaturalControl {
        light: String,
        breaker: String,
    },
    OutsideThePlan {
        point: String,
        outside_m: f64,
        at_most_m: f64,
    },
    /// A place beyond the outer walls that nobody has called outdoors.
    BeyondTheWalls {
        point: String,
    },
    /// A wall, an opening or a floor of a construction that neither the job nor the library holds.
    ConstructionGone {
        construction: String,
        used_by: usize,
    },
}

impl Found {
    /// The rule that found it, in a word or two; stable.
    pub fn rule(&self) -> &'static str {
        self.row().0
    }

    /// How much it matters.
    pub fn weight(&self) -> Weight {
        self.row().1
    }

    /// What its cure changes.
    pub fn mends(&self) -> Mends {
        self.row().2
    }

    #[rustfmt::skip]
    fn row(&self) -> (&'static str, Weight, Mends) {
        use Mends::{Channel, Network, Point, Route};
        use Weight::{Doubt, Note, Stops};
        match self {
            Self::DoesNotFit { reason, .. } => ("fit", fit_weight(reason.fits()), Point),
            Self::Mislabelled { .. }           => ("breaker mislabelled",       Doubt, Point),
            Self::SharedNeutral { .. }         => ("shared neutral",            Doubt, Point),
            Self::NeutralNotLooked { .. }      => ("neutral not looked at",     Note,  Point),
            Self::SeveralCircuits { .. }       => ("several circuits",          Doubt, Point),
            Self::TagTwice { .. }              => ("tag twice",                 Note,  Point),
            Self::NoHub { .. }                 => ("no hub",                    Stops, Point),
            Self::HubInMetal { .. }            => ("hub in metal",              Doubt, Point),
            Self::HubBesideSource { .. }       => ("hub beside a source",       Doubt, Point),
            Self::UsbNoise { .. }              => ("USB noise",                 Note,  Point),
            Self::OneBorderRouter { .. }       => ("one border router",         Note,  Point),
            Self::OverLimit { .. }             => ("over a limit",              Stops, Network),
            Self::NearLimit { .. }             => ("near a limit",              Note,  Network),
            Self::SinglePointOfFailure { .. }  => ("single point of failure",   Doubt, Route),
            Self::DeepChain { .. }             => ("deep chain",                Note,  Route),
            Self::FewRepeaters { .. }          => ("few repeaters",             Note,  Route),
            Self::MayGoDark { .. }             => ("may go dark",               Note,  Point),
            Self::Asymmetry { .. }             => ("asymmetry",                 Note,  Route),
            Self::BatteryBehindPoorHops { .. } => ("battery behind poor hops",  Doubt, Route),
            Self::OnlyParentMayGoDark { .. }   => ("only parent may go dark",   Doubt, Route),
            Self::MixedSecurity { .. }         => ("mixed security",            Doubt, Point),
            Self::NoChannel { .. }             => ("no channel",                Note,  Channel),
            Self::SharedChannel { .. }         => ("shared channel",            Doubt, Channel),
            Self::KindGone { .. }              => ("kind gone",                 Stops, Point),
            Self::KindOfAnotherSystem { .. }   => ("kind of another system",    Stops, Point),
            Self::OverRegionLimit { .. }       => ("over the region's limit",   Stops, Point),
            Self::NoAllotment { .. }           => ("no allotment",              Stops, Network),
            Self::CreditOnCondition { .. }     => ("credit on condition",       Doubt, Point),
            Self::ControlsNothing { .. }       => ("controls nothing",          Stops, Mends::Control),
            Self::NoLoad { .. }                => ("no load",                   Stops, Mends::Control),
            Self::HardSpot { spot, .. } if spot.widens => ("hard spot",          Doubt, Point),
            Self::HardSpot { .. }              => ("hard spot",                 Note,  Point),
            Self::NoNaturalControl { .. }      => ("no natural control",        Doubt, Mends::Control),
            Self::OutsideThePlan { .. }        => ("outside the plan",          Doubt, Point),
            Self::BeyondTheWalls { .. }        => ("beyond the walls",          Doubt, Point),
            Self::ConstructionGone { .. }      => ("construction gone",         Stops, Point),
        }
    }

    /// What to do.
    pub fn cure(&self) -> String {
        let plain = match self {
            Self::DoesNotFit { ways, .. } => {
                let ways: Vec<_> = ways.iter().map(|way| local(way.says)).collect();
                return format!("Ways out: {}.", ways.join("; "));
            }
            Self::HardSpot { spot, .. } => {
                return format!("Find out {}, and say it at the place.", local(spot.ask));
            }
            Self::NoNaturalControl { .. } => {
                "Keep a switch on the wall, put a remote there, or say where a wired switch was seen."
            }
            Self::NoHub { .. } => "Place one where it can really stand.",
            Self::NoAllotment { .. } => "Use its mesh, or another system.",
            Self::CreditOnCondition { .. } => {
                "Open the box, with its circuit proved dead, before the plan is settled."
            }
            Self::HubInMetal { .. } => "Move it into the open.",
            Self::HubBesideSource { .. } => "Move one of them a metre or two away.",
            Self::UsbNoise { .. } => "Put it on an extension lead of a metre or more.",
            Self::OneBorderRouter { .. } => {
                "A second one keeps the mesh on the house network when the first is off."
            }
            Self::OverLimit { .. } => {
                "Use a second hub, or set the limit that your hub's sheet states."
            }
            Self::NearLimit { .. } => "Plan a second hub before the next devices come.",
            Self::SinglePointOfFailure { .. } => {
                "Give them a second way round: one more repeater near them."
            }
            Self::DeepChain { .. } => "Move the hub, or add a repeater on the way.",
            Self::FewRepeaters { .. } => "Add mains devices that forward between hub and far end.",
            Self::MayGoDark { .. } => {
                "Agree that it stays on and say so in Survey, or repeat elsewhere."
            }
            Self::Asymmetry { .. } => "Plan by the worse direction; it is the one shown.",
            Self::BatteryBehindPoorHops { .. } => "Put a repeater between.",
            Self::OnlyParentMayGoDark { .. } => "Keep that one on for good, or add a repeater.",
            Self::MixedSecurity { .. } => {
                "Include them again with one class, or let what they say go by the hub."
            }
            Self::Mislabelled { .. } => {
                "Isolate by the one that was proven, prove dead all the same, and correct the label."
            }
            Self::SharedNeutral { .. } => {
                "That neutral can be live with this breaker off: isolate all that share it, or the main."
            }
            Self::NeutralNotLooked { .. } => {
                "Look at the panel whether it has a neutral of its own, and say so; until then the main goes off for \
                 every box."
            }
            Self::SeveralCircuits { .. } => {
                "Isolate every one of them, or the main, and prove every conductor dead."
            }
            Self::TagTwice { .. } => "Give one of them another tag: labels must tell them apart.",
            Self::NoChannel { .. } => "Choose one in the channel adviser.",
            Self::SharedChannel { .. } => "Give one of them another channel.",
            Self::KindGone { .. } => {
                "Choose another device there; until then it is left out of the plan."
            }
            Self::KindOfAnotherSystem { .. } => {
                "Choose a device that comes for it, or move it to another network; until then it \
                 is left out of the plan."
            }
            Self::OverRegionLimit { .. } => {
                "Set the power that its sheet states for this region, or correct the region."
            }
            Self::ControlsNothing { .. } => "Choose a switch, remote or sensor in its place.",
            Self::NoLoad { .. } => "Choose another load, or take the control out.",
            Self::OutsideThePlan { .. } => "Draw the building there, or move it back.",
            Self::BeyondTheWalls { .. } => "Say that it is outdoors, or move it inside.",
            Self::ConstructionGone { .. } => {
                "Choose what they are made of; until then they cost nothing."
            }
        };
        plain.to_owned()
    }
}

fn fit_weight(fits: Fits) -> Weight {
    match fits {
        Fits::No => Weight::Stops,
        Fits::ElectricianDecides => Weight::Doubt,
        Fits::NotKnown | Fits::IfSo | Fits::Yes => Weight::Note,
    }
}

impl fmt::Display for Found {
    #[expect(clippy::too_many_lines, reason = "one sentence a finding")]
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::DoesNotFit { device, reason, .. } => write!(f, "{device}: {reason}"),
            Self::Mislabelled { label, really, points } => write!(
                f,
                "Breaker {label} is labelled wrong: breaker {really} makes its {points} {} dead.",
                if *points == 1 { "place" } else { "places" }
            ),
            Self::SharedNeutral { label, partners } if partners.is_empty() => {
                write!(
                    f,
                    "Breaker {label} shares its neutral with another circuit, and nobody has said with which."
                )
            }
            Self::SharedNeutral { label, partners } => {
                write!(f, "Breaker {label} shares its neutral with {}.", partners.join(" and "))
            }
            Self::NeutralNotLooked { label } => {
                write!(f, "Nobody has looked whether breaker {label} shares its neutral.")
            }
            Self::SeveralCircuits { at, labels } => {
                write!(f, "In the box of {at} are several circuits: {}.", labels.join(", "))
            }
            Self::TagTwice { tag, points } => {
                write!(f, "The tag {tag} stands at {}.", points.join(" and "))
            }
            Self::NoHub { network } => write!(f, "{network} has no hub."),
            Self::HubInMetal { hub, cupboard, lost } => {
                write!(f, "{hub} stands in a {cupboard}: every link to it loses {lost}.")
            }
            Self::HubBesideSource { hub, source, carrier } => {
                write!(f, "{hub} stands within {BESIDE_M} m of {source} ({carrier}).")
            }
            Self::UsbNoise { hub } => write!(
                f,
                "{hub} is a stick in a USB port: USB 3 makes noise at 2.4 GHz right beside it."
            ),
            Self::OneBorderRouter { network } => {
                write!(f, "{network} has one border router only.")
            }
            Self::OverLimit { network, count, what, system, most } => {
                write!(f, "{network} has {count} {what}; {system} allows {most} here.")
            }
            Self::NearLimit { network, count, what, most } => {
                write!(f, "{network} has {count} of {most} {what}: little room is left to grow.")
            }
            Self::SinglePointOfFailure { device, carries } => {
                write!(f, "{device} alone carries {}.", carries.join(", "))
            }
            Self::DeepChain { device, hops } => {
                write!(f, "{device} is {hops} hops from the hub: slow, and frail at every one.")
            }
            Self::FewRepeaters { network, beyond, repeaters, enough } => write!(
                f,
                "{network}: {beyond} devices are beyond the hub's own reach, and {repeaters} \
                 repeaters carry them; fewer than {enough} make a frail mesh."
            ),
            Self::MayGoDark { device } => {
                write!(f, "{device} could forward, but someone can cut its supply.")
            }
            Self::Asymmetry { device, answers, apart } => {
                let way = if *answers { "answers" } else { "hears" };
                write!(f, "{device} {way} {apart} worse than the other way round.")
            }
            Self::BatteryBehindPoorHops { device, poor } => write!(
                f,
                "{device} runs on a battery behind {poor} poor hops: it will send often and die \
                 early."
            ),
            Self::OnlyParentMayGoDark { device } => {
                write!(f, "The only parent near {device} is one that may go dark.")
            }
            Self::MixedSecurity { network } => write!(
                f,
                "{network} mixes classes of security: devices of different classes do not talk \
                 directly."
            ),
            Self::NoChannel { network } => write!(
                f,
                "{network} has no channel chosen, so what else is on the air does not enter its \
                 margins."
            ),
            Self::SharedChannel { one, other, channel } => {
                write!(f, "{one} and {other} share channel {channel}.")
            }
            Self::KindGone { device, kind } => {
                write!(f, "{device}: the library has no device “{kind}”.")
            }
            Self::KindOfAnotherSystem { device, kind, system } => {
                write!(f, "{device}: “{kind}” does not come for {system}.")
            }
            Self::OverRegionLimit { device, eirp, system, region, limit, average, source } => {
                write!(f, "{device} would radiate {eirp}; {system} here ({region}) may radiate ")?;
                if let Some((average, duty)) = average {
                    let share = duty * 100.0;
                    write!(f, "{average} on average, so that sending {share:.0} % of the time ")?;
                }
                write!(f, "{limit} ({source}).")
            }
            Self::NoAllotment { network, system, region } => write!(
                f,
                "{network}: {system} has no frequencies here ({region}) and may not be used."
            ),
            Self::CreditOnCondition { device, carries } => write!(
                f,
                "{} over {device}, whose box nobody has opened yet.",
                match carries {
                    1 => "1 route leads".to_owned(),
                    n => format!("{n} routes lead"),
                }
            ),
            Self::ControlsNothing { device } => write!(f, "{device} controls nothing by its make."),
            Self::HardSpot { place, spot, most } if *most > Db::ZERO => write!(
                f,
                "{place} {}, and nobody has said what stands around it: up to {most} less than in the open.",
                spot.is
            ),
            Self::HardSpot { place, spot, .. } => write!(f, "{place} {}.", spot.is),
            Self::NoNaturalControl { light, breaker } if breaker.is_empty() => {
                write!(f, "{light} is worked by nothing but a phone, as far as anybody has said.")
            }
            Self::NoNaturalControl { light, breaker } => write!(
                f,
                "{light}, on breaker {breaker}, is worked by nothing but a phone, as far as anybody has said."
            ),
            Self::NoLoad { device } => write!(f, "{device} is no load by its make."),
            Self::OutsideThePlan { point, outside_m, at_most_m } => write!(
                f,
                "{point} lies {outside_m:.0} m outside the drawn plan, more than {at_most_m} m."
            ),
            Self::BeyondTheWalls { point } => {
                write!(f, "{point} stands beyond the outer walls and is not marked as outdoors.")
            }
            Self::ConstructionGone { construction, used_by } => write!(
                f,
                "No construction is called “{construction}”: {used_by} of the walls, openings and \
                 floors name it."
            ),
        }
    }
}
