//! Isolations: what was switched off, how that was proven, and who may switch it on again.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::site::kept::{Kept, Most, Tie, id, kept_by_id, note, time};
use crate::site::{Refusal, Wrong};

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
    /// Nothing yet.
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

/// That somebody took over from another.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct HandedOver {
    /// To whom.
    pub to: String,
    /// When.
    pub at: String,
}

/// That it was switched on again.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Energised {
    /// By whom.
    pub by: String,
    /// When.
    pub at: String,
}

/// An isolation.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Isolation {
    /// Its id.
    pub id: IsolationId,
    /// What is switched off.
    pub means: Cut,
    /// The circuits that are dead by it, as labelled; none where the main switch makes all dead.
    #[serde(default)]
    pub circuits: Vec<String>,
    /// What was found to make them dead, where that is not what the labels say.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub verified: String,
    /// By whom.
    pub by: String,
    /// When.
    pub at: String,
    /// What keeps others from switching it on.
    #[serde(default)]
    pub secured: Secured,
    /// The tester that is used.
    pub tester: String,
    /// Who of the household was told, and until when the power is off.
    pub told: String,
    /// When the tester was shown to work on a known source, before.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub proven_before: Option<String>,
    /// When it was shown to work again, after the tests.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub proven_after: Option<String>,
    /// To whom it was handed over, one after the other.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub handed: Vec<HandedOver>,
    /// That it was switched on again; nothing while it is in force.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub energised: Option<Energised>,
    /// Free words.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub note: String,
}

impl Isolation {
    /// Whether it is in force.
    pub fn is_in_force(&self) -> bool {
        self.energised.is_none()
    }

    /// Who may switch it on: whoever switched it off, or the last that it was handed over to.
    pub fn holder(&self) -> &str {
        self.handed.last().map_or(self.by.as_str(), |h| h.to.as_str())
    }
}

kept_by_id!(Isolation, IsolationId);
impl Kept for Isolation {
    const MOST: Most = Most { count: 2000, why: "four a circuit" };

    const WHOLES: &'static [&'static str] = &["energised"];

    fn ties(&self, _: &mut dyn FnMut(Tie)) {}

    fn check(&self) -> Result<(), Refusal> {
        if self.means == Cut::SafetyOutlet {
            return Err(Refusal::wrong("means", Wrong::SafetyOutlet));
        }
        if self.circuits.is_empty() && !self.means.is_main() {
            return Err(Refusal::wrong("circuits", Wrong::NoCircuit));
        }
        for (field, text) in [("by", &self.by), ("tester", &self.tester), ("told", &self.told)] {
            if text.trim().is_empty() {
                return Err(Refusal::wrong(field, Wrong::NotSaid));
            }
            note(field, text)?;
        }
        note("verified", &self.verified)?;
        note("note", &self.note)?;
        let is = self.circuits.len() + self.handed.len();
        if is > 500 {
            return Err(Refusal::wrong("circuits", Wrong::Count { is, least: 1, most: 500 }));
        }
        self.circuits.iter().try_for_each(|label| note("circuits", label))?;
        let times = [Some(&self.at), self.proven_before.as_ref(), self.proven_after.as_ref()];
        times.into_iter().flatten().try_for_each(|at| time("at", at))?;
        for handed in &self.handed {
            if handed.to.trim().is_empty() {
                return Err(Refusal::wrong("to", Wrong::NotSaid));
            }
            note("to", &handed.to)?;
            time("at", &handed.at)?;
        }
        let Some(on) = &self.energised else { return Ok(()) };
        note("by", &on.by)?;
        time("at", &on.at)
    }
}
