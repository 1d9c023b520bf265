//! What a page asks for: an edit, a gesture on the sheet, an act of the day or of proving.

use serde::{Deserialize, Deserializer};
use serde_json::Value;

use crate::draw::gesture::Gesture;
use crate::install::acts::{Act, is_by_act};
use crate::prove::acts::Proving;
use crate::site::{Edit, Refusal, Site, Wrong};

/// What a page asks for.
#[derive(Clone, Debug, PartialEq)]
#[expect(missing_docs, reason = "each is its type")]
#[expect(clippy::large_enum_variant, reason = "one is held at a time")]
pub enum Wish {
    Edit(Edit),
    Gesture(Gesture),
    Act(Act),
    Proving(Proving),
}

impl Wish {
    /// The edit that it comes to.
    ///
    /// # Errors
    /// Those of [`Gesture::edit`], [`Act::edit`] and [`Proving::edit`]; a mark or an isolation that is put as a plain edit.
    pub fn edit(self, site: &Site) -> Result<Edit, Refusal> {
        match self {
            Self::Edit(edit) if is_by_act(&edit) => Err(Refusal::wrong("do", Wrong::ByStep)),
            Self::Edit(edit) => Ok(edit),
            Self::Gesture(gesture) => gesture.edit(site),
            Self::Act(act) => act.edit(site),
            Self::Proving(act) => act.edit(site),
        }
    }
}

impl<'de> Deserialize<'de> for Wish {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        use serde::de::Error;
        let value = Value::deserialize(deserializer)?;
        let word = value.get("do").and_then(Value::as_str).unwrap_or_default();
        if Gesture::WORDS.contains(&word) {
            return serde_json::from_value(value).map(Self::Gesture).map_err(Error::custom);
        }
        if Act::WORDS.contains(&word) {
            return serde_json::from_value(value).map(Self::Act).map_err(Error::custom);
        }
        if Proving::WORDS.contains(&word) {
            return serde_json::from_value(value).map(Self::Proving).map_err(Error::custom);
        }
        Edit::read(value).map(Self::Edit).map_err(Error::custom)
    }
}
