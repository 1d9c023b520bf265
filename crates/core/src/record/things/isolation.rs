//! Isolations: what was switched off, how that was proven, which boxes stand open under it, and who may
//! switch it on again.

use std::collections::BTreeMap;
use std::ops::Deref;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::moment::Moment;
use crate::site::kept::{Kept, Most, Tie, id, note};
use crate::site::{DeviceId, Keyed, PointId, Refusal, Wrong};

id!(/** An isolation. */ IsolationId);

/// What is switched off.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum Cut {
    /// The breakers of the circuits.
    Breaker,
    /// The main switch.
    Main,
    /// The breakers and the main switch.
    Both,
    /// The test button of a safety outlet. It is offered so that it can be refused: it leaves line on one
    /// side, and anyone resets it.
    SafetyOutlet,
}

impl Cut {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 4] = [
        (Self::Breaker, "the breaker"),
        (Self::Main, "the main switch"),
        (Self::Both, "the breaker and the main switch"),
        (Self::SafetyOutlet, "the test button of a safety outlet"),
    ];

    /// Its words.
    pub fn name(self) -> &'static str {
        Self::ALL.iter().find(|(means, _)| *means == self).map_or("", |(_, name)| name)
    }

    /// Whether the whole house is off.
    pub fn is_main(self) -> bool {
        matches!(self, Self::Main | Self::Both)
    }
}

/// What keeps others from switching it on.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Secured {
    /// Nothing. It is offered so that it can be refused: the next one who finds it off switches it on.
    #[default]
    Nothing,
    /// A lock.
    Lock,
    /// A notice.
    Notice,
    /// Both.
    LockAndNotice,
}

impl Secured {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 4] = [
        (Self::Nothing, "nothing yet"),
        (Self::Lock, "a lock"),
        (Self::Notice, "a notice"),
        (Self::LockAndNotice, "lock and notice"),
    ];
}

/// A breaker as it was known when it was switched off.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Breaker {
    /// The label of the circuit, as printed.
    pub printed: String,
    /// The breaker that was proven to make it dead; nothing while nobody had.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub proven: Option<String>,
}

/// What was said when something was switched off.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Isolated {
    /// Its id.
    pub id: IsolationId,
    /// What is switched off.
    pub means: Cut,
    /// The circuits that are dead by it, as labelled; none where the main switch makes all dead.
    #[serde(default)]
    pub circuits: Vec<String>,
    /// Each of them as it was known then.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub breakers: Vec<Breaker>,
    /// The devices whose boxes it was to make dead, as planned then.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub covers: Vec<DeviceId>,
    /// What was found to make them dead, where that is not what the labels say.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub verified: String,
    /// What keeps others from switching it on.
    #[serde(default)]
    pub secured: Secured,
    /// The tester that is used.
    pub tester: String,
    /// Who of the household was told, and until when the power is off.
    pub told: String,
    /// Why it was done by somebody who is not on record as allowed to work on the mains.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub why: String,
}

/// A box as it was when it was proved dead: what the gate goes by, whatever the plan says since.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct OpenedBox {
    /// The point that says how the box is.
    pub point: PointId,
    /// What the device was called.
    pub name: String,
    /// The circuits of what is in the box and joined to it by wire, as labelled; an empty one is not known.
    #[serde(default)]
    pub circuits: Vec<String>,
}

/// What goes on where a box is live that was to be dead.
#[derive(
    Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum NextCut {
    /// The main switch goes off too.
    #[default]
    Main,
    /// Another breaker is tried.
    OtherBreaker,
    /// Nothing more is done there today.
    Stop,
}

impl NextCut {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 3] = [
        (Self::Main, "the main switch goes off too"),
        (Self::OtherBreaker, "another breaker goes off too"),
        (Self::Stop, "stop: nothing more is done there"),
    ];

    /// Its words.
    pub fn name(self) -> &'static str {
        Self::ALL.iter().find(|(next, _)| *next == self).map_or("", |(_, name)| name)
    }
}

/// That a box was found live although what should make it dead was off.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct FoundLive {
    /// Every isolation that was to make it dead.
    pub isolations: Vec<IsolationId>,
    /// The device that the box is for.
    pub device: DeviceId,
    /// What that was called.
    pub name: String,
    /// What was live, against what.
    pub found: String,
    /// What goes on.
    #[serde(default)]
    pub next: NextCut,
    /// Who decided that.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub decides: String,
}

impl FoundLive {
    /// Its own shape.
    ///
    /// # Errors
    /// The first field that cannot stand.
    pub fn check(&self) -> Result<(), Refusal> {
        let is = self.isolations.len();
        if !(1..=Isolation::MOST.count).contains(&is) {
            let most = Isolation::MOST.count;
            return Err(Refusal::wrong("isolations", Wrong::Count { is, least: 1, most }));
        }
        if self.found.trim().is_empty() {
            return Err(Refusal::wrong("found", Wrong::NotSaid));
        }
        note("found", &self.found)?;
        note("name", &self.name)?;
        note("decides", &self.decides)
    }
}

/// A box under an isolation.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct BoxUnder {
    /// The box.
    pub of: OpenedBox,
    /// Whether it was made safe to be energised since it was last worked in.
    pub is_safe: bool,
    /// Whether it was proved dead since power was last on in it.
    pub is_proved: bool,
}

/// That power was on for finding lines, with conductors parted and capped and nobody near.
#[derive(Clone, Debug, PartialEq)]
pub struct LineFinding {
    /// By whom.
    pub by: String,
    /// When.
    pub at: Moment,
    /// When it went off again, and by whom; nothing while it is on.
    pub over: Option<Handed>,
}

/// That somebody took over from another.
#[derive(Clone, Debug, PartialEq)]
pub struct Handed {
    /// To whom.
    pub to: String,
    /// When.
    pub at: Moment,
}

/// That it was switched on again.
#[derive(Clone, Debug, PartialEq)]
pub struct SwitchedOn {
    /// By whom.
    pub by: String,
    /// When.
    pub at: Moment,
    /// Why, where something that starts together with the rest is left out.
    pub why: String,
}

/// An isolation as all that was said of it makes it.
#[derive(Clone, Debug, PartialEq)]
pub struct Isolation {
    /// What was said when it began.
    pub of: Isolated,
    /// By whom.
    pub by: String,
    /// When.
    pub at: Moment,
    /// When the tester was shown to work on a known source, before.
    pub proven_before: Option<Moment>,
    /// When it was shown to work again, after the tests.
    pub proven_after: Option<Moment>,
    /// To whom it was handed over, one after the other.
    pub handed: Vec<Handed>,
    /// That it was switched on again; nothing while it is in force.
    pub energised: Option<SwitchedOn>,
    /// The boxes that were proved dead under it, by their devices.
    pub boxes: BTreeMap<DeviceId, BoxUnder>,
    /// The times when power was on for finding lines.
    pub findings: Vec<LineFinding>,
    /// What was found live under it, by the devices: of their boxes it makes none dead.
    pub live: BTreeMap<DeviceId, FoundLive>,
}

impl Isolation {
    /// One that begins.
    pub fn begun(of: Isolated, by: &str, at: Moment) -> Self {
        let (proven_before, proven_after, energised) = (None, None, None);
        let (by, handed, findings) = (by.to_owned(), Vec::new(), Vec::new());
        let (boxes, live) = (BTreeMap::new(), BTreeMap::new());
        Self { of, by, at, proven_before, proven_after, handed, energised, boxes, findings, live }
    }

    /// Whether it is in force.
    pub fn is_in_force(&self) -> bool {
        self.energised.is_none()
    }

    /// Whether power is on under it for finding lines.
    pub fn is_finding(&self) -> bool {
        self.is_in_force() && self.findings.last().is_some_and(|f| f.over.is_none())
    }

    /// Whether by it the whole house is off, as far as anybody found.
    pub fn is_of_whole_house(&self) -> bool {
        self.is_in_force() && !self.is_finding() && self.means.is_main() && self.live.is_empty()
    }

    /// Who may switch it on: whoever switched it off, or the last that it was handed over to.
    pub fn holder(&self) -> &str {
        self.handed.last().map_or(self.by.as_str(), |h| h.to.as_str())
    }

    /// Boxes that were worked in under it and are not safe to be energised.
    pub fn open_boxes(&self) -> impl Iterator<Item = (&DeviceId, &OpenedBox)> {
        let open = self.boxes.iter().filter(|(_, b)| !b.is_safe);
        open.map(|(device, b)| (device, &b.of))
    }

    /// Whether switching it on again could make something of these circuits live. A circuit that is not known
    /// could be any.
    pub fn touches(&self, circuits: &[String]) -> bool {
        let is_off = |label: &String| self.circuits.iter().any(|c| c.trim() == label.trim());
        self.means.is_main()
            || circuits.is_empty()
            || circuits.iter().any(|c| c.trim().is_empty() || is_off(c))
    }
}

impl Deref for Isolation {
    type Target = Isolated;
    fn deref(&self) -> &Isolated {
        &self.of
    }
}

impl Keyed for Isolation {
    type Id = IsolationId;
    fn id(&self) -> &IsolationId {
        &self.of.id
    }
}

impl Kept for Isolation {
    const MOST: Most = Most { count: 2000, why: "four a circuit" };

    fn ties(&self, _: &mut dyn FnMut(Tie)) {}

    fn check(&self) -> Result<(), Refusal> {
        if self.means == Cut::SafetyOutlet {
            return Err(Refusal::wrong("means", Wrong::SafetyOutlet));
        }
        if self.secured == Secured::Nothing {
            return Err(Refusal::wrong("secured", Wrong::NotSecured));
        }
        if self.circuits.is_empty() && !self.means.is_main() {
            return Err(Refusal::wrong("circuits", Wrong::NoCircuit));
        }
        for (field, text) in
            [("by", &self.by), ("tester", &self.of.tester), ("told", &self.of.told)]
        {
            if text.trim().is_empty() {
                return Err(Refusal::wrong(field, Wrong::NotSaid));
            }
            note(field, text)?;
        }
        note("verified", &self.verified)?;
        note("why", &self.why)?;
        let is = self.circuits.len().max(self.breakers.len());
        if is > 500 || self.covers.len() > 5000 {
            return Err(Refusal::wrong("circuits", Wrong::Count { is, least: 1, most: 500 }));
        }
        self.circuits.iter().try_for_each(|label| note("circuits", label))
    }
}
