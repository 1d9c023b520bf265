//! A load that hangs on the wrong line: with which place it is to go, and by what.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{LoadId, PointId};
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, note};
use crate::site::{Kind, Refusal, Wrong};

id!(/** A load that is to go with another place. */ RegroupId);

/// By what a load comes to go with another place.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum RegroupBy {
    /// Nobody has decided.
    #[default]
    Open,
    /// By command: it keeps its line, gets a radio of its own, and is told.
    Command,
    /// By wire: a new switched line is laid to it.
    Wire,
}

impl RegroupBy {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 3] =
        [(Self::Open, "not decided"), (Self::Command, "by command"), (Self::Wire, "by wire")];
}

/// A load that is to go with another place.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Regroup {
    /// Its id.
    pub id: RegroupId,
    /// The load.
    pub load: LoadId,
    /// The place that is to work it.
    pub with: PointId,
    /// By what.
    #[serde(default)]
    pub by: RegroupBy,
    /// How long the cable to it would be, laid, in metres; nothing while nobody measured.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub cable_m: Option<f64>,
    /// What would be opened on its way; empty where nothing is.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub opening: String,
}

kept_by_id!(Regroup, RegroupId);
impl Kept for Regroup {
    const MOST: Most = Most { count: 1000, why: "as many as anyone moves" };

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("load", Kind::Load, &self.load, Bond::GoesAlong));
        visit(Tie::new("with", Kind::Point, &self.with, Bond::GoesAlong));
    }

    fn check(&self) -> Result<(), Refusal> {
        note("opening", &self.opening)?;
        match self.cable_m {
            Some(is) if !(0.1..=200.0).contains(&is) => {
                let (low, high, unit) = (0.1, 200.0, "m");
                Err(Refusal::wrong("cable_m", Wrong::Sheet { is, low, high, unit }))
            }
            _ => Ok(()),
        }
    }
}
