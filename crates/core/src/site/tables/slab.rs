//! Floors, ceilings and roofs.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::FloorId;
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, ring};
use crate::site::{Kind, Limit, Refusal, Spot};

id!(/** A floor slab or roof. */ SlabId);

/// Where a slab lies in its storey.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum SlabPlace {
    /// Under the storey, at its elevation.
    #[default]
    Below,
    /// Over the storey: a ceiling or a roof.
    Above,
}

/// A horizontal floor, ceiling or roof.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Slab {
    /// Its id.
    pub id: SlabId,
    /// The storey it belongs to.
    pub floor: FloorId,
    /// Under or over that storey.
    #[serde(default)]
    pub place: SlabPlace,
    /// The id of its construction.
    pub construction: String,
    /// Its outline as a polygon; when empty it follows the outer walls of its storey (their
    /// convex hull).
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub outline: Vec<Spot>,
    /// Stairwells and other holes.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub voids: Vec<Vec<Spot>>,
}

kept_by_id!(Slab, SlabId);
impl Kept for Slab {
    const MOST: Most = Most { count: 1000, why: "five a storey; every ray asks each" };

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("floor", Kind::Floor, &self.floor, Bond::GoesAlong));
        visit(Tie::new("construction", Kind::Construction, &self.construction, Bond::Names));
    }

    fn check(&self) -> Result<(), Refusal> {
        Limit::HolesInASlab.holds(self.voids.len())?;
        self.voids.iter().chain([&self.outline]).try_for_each(|corners| ring("outline", corners))
    }
}
