//! What must not go dark without a word: a freezer, a router, an alarm, medicine, somebody at home.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::site::kept::{Kept, Most, Tie, id, kept_by_id, note};
use crate::site::{Refusal, Wrong};

id!(/** Something that needs its power. */ NeedsPowerId);

/// What needs its power.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum PowerNeed {
    /// A freezer or a fridge.
    Freezer,
    /// The router, and what hangs on it.
    Router,
    /// An alarm.
    Alarm,
    /// Medicine, or a medical device.
    Medicine,
    /// Somebody who is at home meanwhile.
    Home,
    /// Something else.
    #[default]
    Other,
}

impl PowerNeed {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 6] = [
        (Self::Freezer, "freezer or fridge"),
        (Self::Router, "router"),
        (Self::Alarm, "alarm"),
        (Self::Medicine, "medicine or medical device"),
        (Self::Home, "somebody at home"),
        (Self::Other, "something else"),
    ];

    /// The rate that says as how many circuits it counts while it is dark.
    pub fn rate(self) -> &'static str {
        match self {
            Self::Freezer => "dark-freezer",
            Self::Router => "dark-router",
            Self::Alarm => "dark-alarm",
            Self::Medicine => "dark-medicine",
            Self::Home => "dark-home",
            Self::Other => "dark-other",
        }
    }
}

/// Something that needs its power.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NeedsPower {
    /// Its id.
    pub id: NeedsPowerId,
    /// What it is.
    #[serde(default)]
    pub what: PowerNeed,
    /// The label of the circuit that it hangs on; empty while nobody knows: then it counts whatever goes off.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub circuit: String,
    /// How long it bears to be dark, in minutes; nothing while nobody has said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bears_min: Option<f64>,
    /// Whose it is, and what is done for it.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub note: String,
}

kept_by_id!(NeedsPower, NeedsPowerId);
impl Kept for NeedsPower {
    const MOST: Most = Most { count: 200, why: "more than a household watches over" };

    fn ties(&self, _: &mut dyn FnMut(Tie)) {}

    fn check(&self) -> Result<(), Refusal> {
        note("circuit", &self.circuit)?;
        note("note", &self.note)?;
        match self.bears_min {
            Some(is) if !(0.0..=10_000.0).contains(&is) => {
                let (low, high, unit) = (0.0, 10_000.0, "minutes");
                Err(Refusal::wrong("bears_min", Wrong::Sheet { is, low, high, unit }))
            }
            _ => Ok(()),
        }
    }
}
