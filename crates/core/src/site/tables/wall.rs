//! Straight walls with their doors, windows and plain openings.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::FloorId;
use crate::geometry::apart;
use crate::site::kept::{Bond, Kept, Most, Tie, between, id, kept_by_id, spot};
use crate::site::{Kind, Limit, Provenance, Refusal, Spot, Wrong};
use crate::units::Metres;

id!(/** A wall. */ WallId);
id!(/** An opening in a wall. */ OpeningId);

/// The shortest wall.
const SHORTEST: Metres = Metres::new(0.05);

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

impl Wall {
    /// The length of the centre line.
    pub fn length(&self) -> Metres {
        Metres::new(apart(self.a, self.b))
    }
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

kept_by_id!(Wall, WallId);
impl Kept for Wall {
    const MOST: Most =
        Most { count: 20_000, why: "100 storeys of 200 walls; a ray meets few of them" };

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("floor", Kind::Floor, &self.floor, Bond::GoesAlong));
        let filled = self.openings.iter().filter(|o| !o.construction.is_empty());
        for named in filled.map(|o| &o.construction).chain([&self.construction]) {
            visit(Tie::new("construction", Kind::Construction, named, Bond::Names));
        }
    }

    fn check(&self) -> Result<(), Refusal> {
        spot("a", self.a)?;
        spot("b", self.b)?;
        let is = self.length();
        if is < SHORTEST {
            return Err(Refusal::wrong("length", Wrong::ShortWall { is, least: SHORTEST }));
        }
        if let Some(height) = self.height_m {
            between("height_m", height, 0.05, 20.0)?;
        }
        Limit::OpeningsInAWall.holds(self.openings.len())?;
        for opening in &self.openings {
            between("width_m", opening.width_m, 0.05, is.get())?;
            between("start_m", opening.start_m, 0.0, is.get() - opening.width_m.get() + 1e-9)?;
            between("sill_m", opening.sill_m, 0.0, 20.0)?;
            between("height_m", opening.height_m, 0.05, 20.0)?;
        }
        for (i, one) in self.openings.iter().enumerate() {
            for other in &self.openings[i + 1..] {
                if one.id == other.id {
                    let id = one.id.to_string();
                    return Err(Refusal::wrong("openings", Wrong::Twice { id }));
                }
                if !one.is_clear_of(other) {
                    return Err(Refusal::wrong("openings", Wrong::Overlap));
                }
            }
        }
        Ok(())
    }
}

impl Opening {
    fn is_clear_of(&self, other: &Self) -> bool {
        const TOUCHING: Metres = Metres::new(1e-9);
        self.start_m + self.width_m <= other.start_m + TOUCHING
            || other.start_m + other.width_m <= self.start_m + TOUCHING
            || self.sill_m + self.height_m <= other.sill_m
            || other.sill_m + other.height_m <= self.sill_m
    }
}
