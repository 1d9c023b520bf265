//! What each step rests on: the rows of the gate. How they are held against what was tapped stands in
//! [`super::state`].

use std::fmt;

use crate::site::{DeviceId, NetworkId, Step};

/// What a step rests on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Rests {
    /// Another step of the same device, where it takes that step.
    On(Step),
    /// An isolation in force that makes the box dead.
    InForce,
    /// The box was proved dead under the same isolation.
    SameIsolation,
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
use Rests::{Hub, InForce, Live, LiveWhereJoined, Masters, On, Open, SameIsolation, Settled};

/// What speaks against a step: never, or until a reason is given.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Rule {
    Hard,
    UnlessSaid,
}
use Rule::{Hard, UnlessSaid};

/// What each step rests on. Safety is hard; the gate before closing yields to a reason that stands in the
/// report.
pub(super) const RULES: [(Step, Rests, Rule); 47] = [
    (Step::Phone, On(Step::Powered), UnlessSaid),
    (Step::Firmware, On(Step::Phone), UnlessSaid),
    (Step::Clock, On(Step::Phone), UnlessSaid),
    (Step::Dead, InForce, Hard),
    (Step::Dead, Settled, UnlessSaid),
    // Whoever disconnects first leaves a ghost in the list.
    (Step::Dead, On(Step::Excluded), UnlessSaid),
    (Step::Noted, InForce, Hard),
    (Step::Noted, On(Step::Dead), Hard),
    (Step::Noted, SameIsolation, Hard),
    (Step::Wired, InForce, Hard),
    (Step::Wired, On(Step::Dead), Hard),
    (Step::Wired, SameIsolation, Hard),
    (Step::Wired, On(Step::Noted), Hard),
    (Step::Wired, On(Step::Code), UnlessSaid),
    (Step::Checked, InForce, Hard),
    (Step::Checked, SameIsolation, Hard),
    (Step::Checked, On(Step::Wired), Hard),
    (Step::DryFitted, InForce, Hard),
    (Step::DryFitted, SameIsolation, Hard),
    (Step::DryFitted, On(Step::Checked), Hard),
    (Step::PutBack, InForce, Hard),
    (Step::PutBack, SameIsolation, Hard),
    (Step::PutBack, On(Step::Dead), Hard),
    (Step::Placed, On(Step::Excluded), UnlessSaid),
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

/// Steps that are done again when the box has been opened anew.
pub(super) const ANEW: [Step; 5] =
    [Step::Powered, Step::Tied, Step::Decoupled, Step::Tested, Step::Closed];

/// Steps that are done with the box open.
pub(super) const OPEN_BOX: [Step; 6] =
    [Step::Dead, Step::Noted, Step::Wired, Step::Checked, Step::DryFitted, Step::PutBack];

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
    BoxSafe { name: String },
    NotIn { name: String },
    StillOpen,
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
            Self::BoxSafe { name } => write!(f, "{name} is not dry-fitted, nor put back"),
            Self::NotIn { name } => write!(f, "{name} is expected and not in"),
            Self::StillOpen => f.write_str("the network is not closed"),
            Self::NotTaken => f.write_str("this kind of device takes no such step"),
        }
    }
}

/// The key of something that is done on a page of the day, by which others wait for it.
#[derive(Debug)]
pub struct Key;

impl Key {
    /// That power is off.
    pub const ISOLATE: &'static str = "isolate";
    /// That it is on again.
    pub const ENERGISE: &'static str = "energise";

    /// A step of a device.
    pub fn step(device: &DeviceId, step: Step) -> String {
        format!("{device}.{}", step.word())
    }

    /// That a network stands open.
    pub fn open(network: &NetworkId) -> String {
        format!("open-{network}")
    }
}

/// Something that has to be done before a step.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Need {
    /// What is lacking while it is not.
    pub what: Lacks,
    /// The keys of which one is enough; with `!` before it, one that is not done. None where nothing on
    /// the day meets it.
    pub met_by: Vec<String>,
    /// Whether a reason overrules it.
    pub yields: bool,
}

/// Whether steps are done with the box open.
pub(super) fn is_open_box(step: Step) -> bool {
    OPEN_BOX.contains(&step)
}

/// Whether a step is done again when the box has been opened anew.
pub(super) fn is_done_anew(step: Step) -> bool {
    ANEW.contains(&step)
}
