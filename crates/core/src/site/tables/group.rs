//! Control groups: several places that work the same loads.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::PointId;
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, name, note};
use crate::site::provenance::{Fact, facts};
use crate::site::{Kind, Provenance, Refusal, Wrong};

id!(/** A control group. */ GroupId);

/// Where line comes in and where the load leaves, among the places of a group.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "layout", rename_all = "kebab-case", deny_unknown_fields)]
pub enum Layout {
    /// Not found out yet.
    #[default]
    Unknown,
    /// Both in boxes of the group: the same, or two.
    Boxes {
        /// The point of the box where line comes in.
        line: PointId,
        /// The point of the box where the load leaves.
        load: PointId,
    },
    /// The feed comes in at the fitting: only switched line and travellers go to the boxes.
    AtFitting,
}

/// Several places that work the same loads: those that are switched at any of them.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Group {
    /// Its id.
    pub id: GroupId,
    /// Its name.
    pub name: String,
    /// Its places, in the order of the cable where it is known.
    pub places: Vec<PointId>,
    /// Where line and load are.
    #[serde(default)]
    pub wiring: Layout,
    /// How that is known.
    #[serde(default, skip_serializing_if = "Provenance::is_default")]
    pub known: Provenance,
    /// How each thing that is said of it is known, and by whom, by the name of the field.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub facts: BTreeMap<String, Fact>,
    /// Free words.
    #[serde(default)]
    pub note: String,
}

impl Group {
    /// One of which only the places are known.
    pub fn new(id: GroupId, name: &str, places: Vec<PointId>) -> Self {
        let (wiring, known) = (Layout::Unknown, Provenance::default());
        let facts = BTreeMap::new();
        Self { id, name: name.to_owned(), places, wiring, known, facts, note: String::new() }
    }
}

kept_by_id!(Group, GroupId);
impl Kept for Group {
    const MOST: Most = Most { count: 3000, why: "one for every two points" };

    const WHOLES: &'static [&'static str] = &["wiring"];

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        let wired = match &self.wiring {
            Layout::Boxes { line, load } => vec![line, load],
            Layout::Unknown | Layout::AtFitting => Vec::new(),
        };
        for point in self.places.iter().chain(wired) {
            visit(Tie::new("places", Kind::Point, point, Bond::GoesAlong));
        }
    }

    fn check(&self) -> Result<(), Refusal> {
        name(&self.name)?;
        note("note", &self.note)?;
        facts(&self.facts)?;
        let is = self.places.len();
        if !(1..=20).contains(&is) {
            return Err(Refusal::wrong("places", Wrong::Count { is, least: 1, most: 20 }));
        }
        let twice = self.places.iter().enumerate().find(|(n, p)| self.places[..*n].contains(p));
        if let Some((_, id)) = twice {
            return Err(Refusal::wrong("places", Wrong::Twice { id: id.to_string() }));
        }
        if let Layout::Boxes { line, load } = &self.wiring {
            for end in [line, load] {
                if !self.places.contains(end) {
                    return Err(Refusal::wrong("wiring", Wrong::NotOfGroup));
                }
            }
        }
        Ok(())
    }
}
