//! What the builder was asked to bring to a switch position, as it was agreed.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{LoadId, PointId};
use crate::moment::Moment;
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, note};
use crate::site::{Kind, Refusal, Wrong};

id!(/** What was asked for at a place. */ AskedId);

/// What the builder was asked for at a switch position.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct AskedOfBuilder {
    /// Its id.
    pub id: AskedId,
    /// The place.
    pub point: PointId,
    /// The inside depth of its box, in millimetres; nothing where it was not asked for.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub depth_mm: Option<f64>,
    /// Whether a neutral was asked for.
    #[serde(default)]
    pub neutral: bool,
    /// Whether an earth was asked for.
    #[serde(default)]
    pub earth: bool,
    /// The loads that were to hang on its line, each with its name then: what was asked for stands, whatever becomes of it.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub loads: BTreeMap<LoadId, String>,
    /// When that was agreed; nothing where nobody wrote it down.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub agreed: Option<Moment>,
    /// What came of it where it was not delivered: put right, credited, left.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub outcome: String,
}

kept_by_id!(AskedOfBuilder, AskedId);
impl Kept for AskedOfBuilder {
    const MOST: Most = Most { count: 6000, why: "as many as points" };

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("point", Kind::Point, &self.point, Bond::GoesAlong));
    }

    fn check(&self) -> Result<(), Refusal> {
        note("outcome", &self.outcome)?;
        self.loads.values().try_for_each(|load| note("loads", load))?;
        match self.depth_mm {
            Some(is) if !(10.0..=200.0).contains(&is) => {
                let (low, high, unit) = (10.0, 200.0, "mm");
                Err(Refusal::wrong("depth_mm", Wrong::Sheet { is, low, high, unit }))
            }
            _ => Ok(()),
        }
    }
}
