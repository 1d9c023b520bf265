//! What each step rests on: the rows of the gate. As what they are asked of the record stands in
//! `deeds/mod.rs`.

use std::fmt;

use crate::record::Step;

/// What a step rests on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Rests {
    /// Another step of the same device, where it takes that step.
    On(Step),
    /// An isolation in force that makes the box dead.
    InForce,
    /// The box was proved dead under an isolation that is in force.
    SameIsolation,
    /// The tester was shown to work under that isolation.
    Tester,
    /// Whoever does it may work on the mains.
    MayMains,
    /// It fits, and what is open about it is settled.
    Settled,
    /// It has power where it stays: its circuit is on again, or it is plugged in.
    Live,
    /// As that, where it is joined in place; what is joined on a bench needs no circuit.
    LiveWhereJoined,
    /// The hub of its network is ready.
    Hub,
    /// Its network stands open, and it is expected.
    Open,
    /// Its masters are in.
    Masters,
}
use Rests::{
    Hub, InForce, Live, LiveWhereJoined, Masters, MayMains, On, Open, SameIsolation, Settled,
    Tester,
};

/// What speaks against a step: never, or until a reason is given.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum GateRule {
    Hard,
    UnlessSaid,
}
use GateRule::{Hard, UnlessSaid};

/// What each step rests on. Safety is hard; the gate before closing yields to a reason that stands in the
/// report.
pub(super) const RULES: [(Step, Rests, GateRule); 51] = [
    (Step::Phone, On(Step::Powered), UnlessSaid),
    (Step::Firmware, On(Step::Phone), UnlessSaid),
    (Step::Clock, On(Step::Phone), UnlessSaid),
    (Step::Dead, InForce, Hard),
    (Step::Dead, Settled, UnlessSaid),
    // Whoever disconnects first leaves a ghost in the list.
    (Step::Dead, On(Step::Excluded), UnlessSaid),
    (Step::Dead, Tester, Hard),
    (Step::Dead, MayMains, UnlessSaid),
    (Step::Noted, On(Step::Dead), Hard),
    (Step::Noted, SameIsolation, Hard),
    (Step::Noted, MayMains, UnlessSaid),
    (Step::Wired, On(Step::Dead), Hard),
    (Step::Wired, SameIsolation, Hard),
    (Step::Wired, MayMains, UnlessSaid),
    (Step::Wired, On(Step::Noted), Hard),
    (Step::Wired, On(Step::Code), UnlessSaid),
    (Step::Checked, SameIsolation, Hard),
    (Step::Checked, MayMains, UnlessSaid),
    (Step::Checked, On(Step::Wired), Hard),
    (Step::DryFitted, SameIsolation, Hard),
    (Step::DryFitted, MayMains, UnlessSaid),
    (Step::DryFitted, On(Step::Checked), Hard),
    (Step::PutBack, SameIsolation, Hard),
    (Step::PutBack, MayMains, UnlessSaid),
    // Its code is inside the lamp once that is closed.
    (Step::Bench, On(Step::Code), UnlessSaid),
    (Step::Bench, On(Step::Excluded), UnlessSaid),
    (Step::Placed, On(Step::Excluded), UnlessSaid),
    (Step::Placed, On(Step::Bench), Hard),
    (Step::Powered, Live, Hard),
    (Step::Joined, LiveWhereJoined, Hard),
    (Step::Joined, On(Step::Code), UnlessSaid),
    (Step::Joined, Hub, UnlessSaid),
    (Step::Joined, Open, UnlessSaid),
    (Step::Joined, On(Step::Excluded), UnlessSaid),
    (Step::Identified, On(Step::Joined), Hard),
    (Step::Settings, On(Step::Identified), UnlessSaid),
    (Step::Tied, Live, Hard),
    (Step::Tied, On(Step::Joined), Hard),
    (Step::Tied, Masters, UnlessSaid),
    (Step::Decoupled, On(Step::Joined), Hard),
    (Step::Tested, Live, Hard),
    (Step::Tested, On(Step::Joined), Hard),
    (Step::Tested, On(Step::Identified), UnlessSaid),
    (Step::Closed, Live, Hard),
    (Step::Closed, On(Step::Powered), UnlessSaid),
    (Step::Closed, On(Step::Code), UnlessSaid),
    (Step::Closed, On(Step::Joined), UnlessSaid),
    (Step::Closed, On(Step::Tied), UnlessSaid),
    (Step::Closed, On(Step::Tested), UnlessSaid),
    (Step::Named, On(Step::Joined), UnlessSaid),
    (Step::Shown, On(Step::Closed), UnlessSaid),
];

/// What is missing before a step.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Missing {
    /// What.
    pub what: Lacks,
    /// Whether it may be done all the same, for a reason that stands in the report.
    pub yields: bool,
}

/// What a step lacks.
#[derive(Clone, Debug, PartialEq, Eq)]
#[expect(missing_docs, reason = "each says in its words what it holds")]
pub enum Lacks {
    Step(Step),
    Isolation,
    ProvedUnderThis,
    NotSettled { why: String },
    NoPower,
    NotThere,
    HubNotReady { hub: String },
    NoHub,
    NetworkShut,
    NotExpected,
    Master { name: String },
    NoMaster,
    NotTaken,
    TesterNotShown,
    NotKnown,
    NotEntitled,
    NotTicked { text: String },
    BoxOpen { name: String },
    NotWired { name: String },
    FoundLive,
    Finding,
    NotFinding,
    NothingOpen,
    NotNoted { name: String },
    EnergisedSince,
    NotOff,
    NotHeld,
    NotIn { name: String },
    StillOpen,
    NotThereYet { step: Step },
    RestsOnIt { step: Step, name: String },
    PowerIsOn,
    OpenerAsleep { name: String },
}

impl fmt::Display for Lacks {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Step(step) => write!(f, "“{}” is not done", step.name()),
            Self::Isolation => f.write_str("no isolation in force makes this box dead"),
            Self::ProvedUnderThis => {
                f.write_str("the box was not proved dead under the isolation that is in force")
            }
            Self::NotSettled { why } => write!(f, "it is not settled that it fits: {why}"),
            Self::NoPower => f.write_str("its circuit is not on again"),
            Self::NotThere => f.write_str("it is not in its place yet"),
            Self::HubNotReady { hub } => write!(f, "{hub} is not ready"),
            Self::NoHub => f.write_str("its network has no hub"),
            Self::NetworkShut => f.write_str("its network is not open for joining"),
            Self::NotExpected => f.write_str("it is not on the list of what is expected"),
            Self::Master { name } => write!(f, "its master, {name}, is not in"),
            Self::NoMaster => f.write_str("it has no master in its group"),
            Self::TesterNotShown => {
                f.write_str("the tester was not shown to work on a known source")
            }
            Self::NotKnown => f.write_str(
                "nobody of this name is among the people of the job: add them in the brief, and \
                 whether they may work on the mains",
            ),
            Self::NotEntitled => f.write_str(
                "whoever does this is not on record as a person who may work on the mains",
            ),
            Self::NotTicked { text } => write!(f, "“{text}” is not ticked"),
            Self::BoxOpen { name } => write!(f, "{name} is open: dry-fit it, or put it back"),
            Self::FoundLive => f.write_str(
                "it was found live under this isolation: switch off further, and prove it dead under that",
            ),
            Self::Finding => f.write_str("power is on for finding lines: switch it off again first"),
            Self::NotFinding => f.write_str("power is not on for finding lines"),
            Self::NothingOpen => {
                f.write_str("no box is open under it: there is nothing to find lines in")
            }
            Self::NotNoted { name } => {
                write!(f, "what is in the box of {name} is not photographed and noted")
            }
            Self::EnergisedSince => f.write_str(
                "power was on in this box for finding lines: show the tester, and prove it dead again",
            ),
            Self::NotWired { name } => write!(
                f,
                "{name} is of the same kit, neither fitted nor put back: all start together"
            ),
            Self::NotOff => f.write_str("nothing is switched off, or it is on again"),
            Self::NotHeld => f.write_str(
                "only who switched it off may switch it on, or who took it over by name",
            ),
            Self::NotThereYet { step } => write!(f, "“{}” is not on record", step.name()),
            Self::RestsOnIt { step, name } if name.is_empty() => {
                write!(f, "“{}” rests on it: take that back first", step.name())
            }
            Self::RestsOnIt { step, name } => {
                write!(f, "“{}” of {name} rests on it: take that back first", step.name())
            }
            Self::PowerIsOn => f.write_str(
                "power is on again: switch the circuit off and prove the box dead to open it anew",
            ),
            Self::NotIn { name } => write!(f, "{name} is expected and not in"),
            Self::OpenerAsleep { name } => {
                write!(f, "{name}, which opens the network, is not awake in its place")
            }
            Self::StillOpen => f.write_str("the network is not closed"),
            Self::NotTaken => f.write_str("this kind of device takes no such step"),
        }
    }
}
