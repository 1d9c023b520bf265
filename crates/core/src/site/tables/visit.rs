//! Visits that are agreed: when, who comes, and when they were really there.

use std::collections::BTreeSet;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::PersonId;
use crate::moment::Moment;
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, note};
use crate::site::{Kind, Refusal, Wrong};

id!(/** A visit. */ VisitId);

/// A visit that is agreed. What is done in it is worked out by [`crate::install::schedule`].
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Visit {
    /// Its id.
    pub id: VisitId,
    /// Which visit of the plan it is, by its key: `before`, `day-1`, `dry-1` and so on.
    pub of: String,
    /// When it begins, in the time of the house: `2026-03-14T08:30`.
    pub from: String,
    /// Who comes.
    #[serde(default, skip_serializing_if = "BTreeSet::is_empty")]
    pub people: BTreeSet<PersonId>,
    /// When it really began.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub began: Option<Moment>,
    /// When it was over.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub ended: Option<Moment>,
    /// Free words.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub note: String,
}

impl Visit {
    /// One that is agreed and no more.
    pub fn new(id: VisitId, of: &str, from: &str) -> Self {
        let (of, from, note) = (of.to_owned(), from.to_owned(), String::new());
        Self { id, of, from, people: BTreeSet::new(), began: None, ended: None, note }
    }
}

kept_by_id!(Visit, VisitId);
impl Kept for Visit {
    const MOST: Most = Most { count: 500, why: "a year of days" };

    const SETS: &'static [&'static str] = &["people"];

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        for person in &self.people {
            visit(Tie::new("people", Kind::Person, person, Bond::Blocks));
        }
    }

    fn check(&self) -> Result<(), Refusal> {
        note("of", &self.of)?;
        note("note", &self.note)?;
        if !is_moment(&self.from) {
            return Err(Refusal::wrong("from", Wrong::NoMoment));
        }
        Ok(())
    }
}

/// Whether a text is a day and a time of the house, such as `2026-03-14T08:30`.
fn is_moment(text: &str) -> bool {
    let shape = b"0000-00-00T00:00";
    let fits =
        |(is, like): (u8, &u8)| if *like == b'0' { is.is_ascii_digit() } else { is == *like };
    text.len() == shape.len()
        && text.bytes().zip(shape).all(fits)
        && (1..=12).contains(&text[5..7].parse().unwrap_or(0))
        && (1..=31).contains(&text[8..10].parse().unwrap_or(0))
        && text[11..13].parse().is_ok_and(|h: u8| h < 24)
        && text[14..16].parse().is_ok_and(|m: u8| m < 60)
}
