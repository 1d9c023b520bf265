//! How something about the house is known.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::kept::{note, time};
use super::{Refusal, Wrong};
use crate::units::Db;

/// How something about the house is known; what is guessed widens the uncertainty.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Provenance {
    /// Nobody said.
    #[default]
    Default,
    /// Measured.
    Measured,
    /// Seen.
    Seen,
    /// Told by someone.
    Told,
    /// Guessed.
    Guessed,
}

impl Provenance {
    /// Each with its word.
    pub const ALL: [(Self, &'static str); 5] = [
        (Self::Default, "not said"),
        (Self::Measured, "measured"),
        (Self::Seen, "seen"),
        (Self::Told, "told"),
        (Self::Guessed, "guessed"),
    ];

    #[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
    pub(crate) fn is_default(&self) -> bool {
        *self == Self::Default
    }

    /// What it adds to a link's deviation; *planning values*.
    pub fn doubt(self) -> Db {
        match self {
            Self::Guessed => Db::new(4.0),
            // What nobody vouched for is no better than what somebody said.
            Self::Told | Self::Default => Db::new(2.0),
            Self::Measured | Self::Seen => Db::ZERO,
        }
    }
}

/// How one thing that was recorded is known, by whom and since when.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Fact {
    /// How.
    pub how: Provenance,
    /// By whom.
    #[serde(default)]
    pub by: String,
    /// When.
    pub at: String,
}

/// The most facts of one thing: more than it has fields.
const MOST_FACTS: usize = 60;

pub(super) fn facts(all: &BTreeMap<String, Fact>) -> Result<(), Refusal> {
    let is = all.len();
    if is > MOST_FACTS {
        let (least, most) = (0, MOST_FACTS);
        return Err(Refusal::wrong("facts", Wrong::Count { is, least, most }));
    }
    all.iter().try_for_each(|(field, fact)| {
        note("facts", field)?;
        note("facts", &fact.by)?;
        time("facts", &fact.at)
    })
}
