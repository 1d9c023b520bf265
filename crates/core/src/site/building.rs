//! The building as drawn: storeys, walls with their openings, slabs.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{FloorId, OpeningId, Provenance, SlabId, Spot, WallId};
use crate::units::Metres;

/// A storey. Detached buildings are storeys of their own on the same sheet.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Floor {
    /// Its id.
    pub id: FloorId,
    /// Its name.
    pub name: String,
    /// Finished floor above the datum.
    pub elevation_m: Metres,
    /// Floor to ceiling.
    pub height_m: Metres,
    /// A picture of the plan under the drawing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub underlay: Option<Underlay>,
}

/// A plan image under the drawing.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Underlay {
    /// The SHA-256 of the image file, in hexadecimal.
    pub image: String,
    /// Its width in pixels.
    pub width_px: u32,
    /// Its height in pixels.
    pub height_px: u32,
    /// Where its top left corner lies on the sheet.
    pub origin: Spot,
    /// The side of one pixel.
    pub metres_per_px: f64,
    /// Whether a person has set the scale, or it is still the first guess.
    #[serde(default)]
    pub scaled: bool,
}

impl Underlay {
    /// A picture just put under the sheet, as wide as a usual house until a person sets the scale.
    pub fn first_guess(image: String, width_px: u32, height_px: u32) -> Self {
        const USUAL_HOUSE_M: f64 = 15.0;
        let metres_per_px = USUAL_HOUSE_M / f64::from(width_px.max(1));
        Self { image, width_px, height_px, origin: [0.0, 0.0], metres_per_px, scaled: false }
    }
}

/// A straight wall, drawn along its centre line.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Wall {
    /// Its id.
    pub id: WallId,
    /// The storey it stands on.
    pub floor: FloorId,
    /// One end of the centre line.
    pub a: Spot,
    /// The other end.
    pub b: Spot,
    /// The id of its construction.
    pub construction: String,
    /// Its height when it does not reach the ceiling.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub height_m: Option<Metres>,
    /// How its construction is known.
    #[serde(default, skip_serializing_if = "Provenance::is_default")]
    pub known: Provenance,
    /// Doors, windows and plain openings.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub openings: Vec<Opening>,
}

/// What an opening is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum OpeningKind {
    /// A door leaf that can stand open.
    Door,
    /// Glazing.
    Window,
    /// Nothing fills it.
    Open,
}

/// A door, a window or a plain opening in a wall.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Opening {
    /// Its id, unique in its wall.
    pub id: OpeningId,
    /// What it is.
    pub kind: OpeningKind,
    /// Its near edge, measured along the wall from `a`.
    pub start_m: Metres,
    /// Its width.
    pub width_m: Metres,
    /// Its lower edge above the floor.
    #[serde(default)]
    pub sill_m: Metres,
    /// Its own height.
    pub height_m: Metres,
    /// The id of what fills it; nothing when it is plain open.
    #[serde(default)]
    pub construction: String,
    /// A door that stands open in ordinary life.
    #[serde(default)]
    pub stands_open: bool,
}

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

impl Wall {
    /// The length of the centre line.
    pub fn length(&self) -> Metres {
        Metres::new((self.b[0] - self.a[0]).hypot(self.b[1] - self.a[1]))
    }
}
