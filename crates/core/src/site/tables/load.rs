//! Loads: lamps, fans, motors and outlets that something switches.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::PointId;
use crate::catalogue::LoadKind;
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, name, note};
use crate::site::provenance::{Fact, facts};
use crate::site::{Kind, Provenance, Refusal, Wrong};

id!(/** A load. */ LoadId);

/// Whether lamp and dimmer are known to go together.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Tried {
    /// Nobody knows.
    #[default]
    Unknown,
    /// On the maker's list.
    Listed,
    /// Tried on a bench.
    Benched,
}

impl Tried {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 3] = [
        (Self::Unknown, "not known"),
        (Self::Listed, "on the maker's list"),
        (Self::Benched, "tried on a bench"),
    ];
}

/// A load.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Load {
    /// Its id.
    pub id: LoadId,
    /// Its name.
    pub name: String,
    /// The point that switches it.
    pub switched_at: PointId,
    /// What it is.
    pub kind: LoadKind,
    /// How many lamps, or machines; nothing while nobody knows.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub count: Option<u16>,
    /// On which channel of its unit it hangs, from one; nought while nobody said.
    #[serde(default, skip_serializing_if = "is_unsaid")]
    pub channel: u8,
    /// What each draws, in watts; nothing while nobody knows.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub watts: Option<f64>,
    /// Whether it can be dimmed; nothing while nobody knows.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub dimmable: Option<bool>,
    /// What each draws at the moment of switching on, in amperes.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub inrush_a: Option<f64>,
    /// For how many hours a day it is on.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hours_a_day: Option<f64>,
    /// Whether it is known to go with its dimmer.
    #[serde(default)]
    pub tried: Tried,
    /// Where a bypass capacitor for its circuit is hidden; empty where there is none.
    #[serde(default)]
    pub bypass: String,
    /// How each thing that is said of it is known, and by whom, by the name of the field.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub facts: BTreeMap<String, Fact>,
    /// Free words.
    #[serde(default)]
    pub note: String,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
fn is_unsaid(channel: &u8) -> bool {
    *channel == 0
}

impl Load {
    /// One of a kind, of which nothing more is known.
    pub fn new(id: LoadId, name: &str, switched_at: PointId, kind: LoadKind) -> Self {
        Self {
            id,
            name: name.to_owned(),
            switched_at,
            kind,
            count: Some(1),
            channel: 0,
            watts: None,
            dimmable: None,
            inrush_a: None,
            hours_a_day: None,
            tried: Tried::Unknown,
            bypass: String::new(),
            facts: BTreeMap::new(),
            note: String::new(),
        }
    }

    /// Whether somebody saw or measured what is said of a field.
    pub fn was_found(&self, field: &str) -> bool {
        let how = self.facts.get(field).map(|fact| fact.how);
        matches!(how, Some(Provenance::Measured | Provenance::Seen))
    }

    /// What all of it draws, in watts.
    pub fn total(&self) -> Option<f64> {
        Some(self.watts? * f64::from(self.count?))
    }
}

kept_by_id!(Load, LoadId);
impl Kept for Load {
    const MOST: Most = Most { count: 6000, why: "as many as points" };

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("switched_at", Kind::Point, &self.switched_at, Bond::GoesAlong));
    }

    fn check(&self) -> Result<(), Refusal> {
        name(&self.name)?;
        note("note", &self.note)?;
        facts(&self.facts)?;
        note("bypass", &self.bypass)?;
        if let Some(is) = self.count.filter(|is| !(1..=1000).contains(is)) {
            let is = usize::from(is);
            return Err(Refusal::wrong("count", Wrong::Count { is, least: 1, most: 1000 }));
        }
        if self.channel > 16 {
            let is = self.channel.into();
            return Err(Refusal::wrong("channel", Wrong::Count { is, least: 0, most: 16 }));
        }
        let rows = [
            ("watts", self.watts, 0.1, 20_000.0, "W"),
            ("inrush_a", self.inrush_a, 0.0, 1000.0, "A"),
            ("hours_a_day", self.hours_a_day, 0.0, 24.0, "h"),
        ];
        for (field, value, low, high, unit) in rows {
            if let Some(is) = value.filter(|v| !(low..=high).contains(v)) {
                return Err(Refusal::wrong(field, Wrong::Sheet { is, low, high, unit }));
            }
        }
        Ok(())
    }
}
