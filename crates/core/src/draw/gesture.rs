//! What a hand does on the sheet that means more than it says: each gesture gives the edit that it
//! stands for, so that the journal holds edits alone.

use serde::{Deserialize, Deserializer};
use serde_json::{Value, json};

use crate::geometry::{Vec2, apart};
use crate::site::{
    Edit, Floor, FloorId, Kind, Opening, OpeningId, OpeningKind, Ref, Refusal, Site, Slab, SlabId,
    SlabPlace, Spot, Underlay, Wall, WallId, Wrong,
};
use crate::units::Metres;

/// A gesture on the sheet.
#[derive(Clone, Debug, PartialEq, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case", rename_all_fields = "snake_case")]
#[serde(deny_unknown_fields)]
#[expect(missing_docs, reason = "each variant says what its fields are for")]
pub enum Gesture {
    /// Drops a door, window or plain opening of usual size onto a wall, as near to `at` as it fits.
    DropOpening { wall: WallId, id: OpeningId, kind: OpeningKind, at: Spot },
    /// Sets the scale of a plan image: what lies between `a` and `b` on the sheet is in truth
    /// `length_m` long. `a` stays where it is.
    ScaleUnderlay { floor: FloorId, a: Spot, b: Spot, length_m: Metres },
    /// Adds a storey on top of what is there, on a floor of `slab` where it is not the first.
    AddStorey { id: FloorId, slab: SlabId },
}

/// Storeys of houses are so high until someone measures; *planning value*.
const USUAL_HEIGHT: Metres = Metres::new(2.5);
/// What a storey of a house stands on until someone looks; *planning value*.
const USUAL_SLAB: &str = "timber-floor";

impl Gesture {
    const WORDS: [&'static str; 3] = ["drop-opening", "scale-underlay", "add-storey"];

    /// The edit that it stands for.
    ///
    /// # Errors
    /// What it is done on is not there, or it cannot be done so.
    pub fn edit(&self, site: &Site) -> Result<Edit, Refusal> {
        match self {
            Self::DropOpening { wall, id, kind, at } => {
                let missing = || Refusal::Missing(Ref::new(Kind::Wall, wall.as_str()));
                let on = site.walls.get(wall).ok_or_else(missing)?;
                let mut openings = on.openings.clone();
                openings.push(usual_opening(on, id.clone(), *kind, *at));
                Ok(Edit::set(Kind::Wall, wall, "openings", json!(openings)))
            }
            Self::ScaleUnderlay { floor, a, b, length_m } => {
                let missing = || Refusal::Missing(Ref::new(Kind::Floor, floor.as_str()));
                let underlay = site.floors.get(floor).and_then(|f| f.underlay.as_ref());
                let scaled = scaled(underlay.ok_or_else(missing)?, *a, *b, *length_m)?;
                Ok(Edit::set(Kind::Floor, floor, "underlay", json!(scaled)))
            }
            Self::AddStorey { id, slab } => Ok(storey_on_top(site, id, slab)),
        }
    }
}

/// What a page asks for: an edit, or a gesture.
#[derive(Clone, Debug, PartialEq)]
#[expect(missing_docs, reason = "each is its type")]
pub enum Wish {
    Edit(Edit),
    Gesture(Gesture),
}

impl Wish {
    /// The edit that it comes to.
    ///
    /// # Errors
    /// Those of [`Gesture::edit`].
    pub fn edit(self, site: &Site) -> Result<Edit, Refusal> {
        match self {
            Self::Edit(edit) => Ok(edit),
            Self::Gesture(gesture) => gesture.edit(site),
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
        Edit::read(value).map(Self::Edit).map_err(Error::custom)
    }
}

/// An opening of usual size with its middle as near to `at` as the wall allows.
fn usual_opening(wall: &Wall, id: OpeningId, kind: OpeningKind, at: Spot) -> Opening {
    let (width, sill, height, construction) = match kind {
        OpeningKind::Door => (0.85, 0.0, 2.0, "door-wood"),
        OpeningKind::Window => (1.2, 0.9, 1.2, "window-double"),
        OpeningKind::Open => (0.9, 0.0, 2.0, ""),
    };
    let length = wall.length().get();
    let along = Vec2::between(wall.a, wall.b) * (1.0 / length);
    let middle = Vec2::between(wall.a, at).dot(along);
    let width = f64::min(width, length);
    let start = ((middle - width / 2.0) * 100.0).round() / 100.0;
    Opening {
        id,
        kind,
        start_m: Metres::new(start.clamp(0.0, length - width)),
        width_m: Metres::new(width),
        sill_m: Metres::new(sill),
        height_m: Metres::new(height),
        construction: construction.to_owned(),
        stands_open: false,
    }
}

fn scaled(old: &Underlay, a: Spot, b: Spot, length: Metres) -> Result<Underlay, Refusal> {
    let drawn = apart(a, b);
    if drawn.is_nan() || drawn < 0.01 {
        return Err(Refusal::wrong("length_m", Wrong::OnePlace));
    }
    if !(0.1..=500.0).contains(&length.get()) {
        return Err(Refusal::wrong("length_m", Wrong::TrueLength { is: length }));
    }
    let k = length.get() / drawn;
    Ok(Underlay {
        metres_per_px: old.metres_per_px * k,
        origin: (Vec2::between(a, old.origin) * k).from(a),
        scaled: true,
        ..old.clone()
    })
}

fn storey_on_top(site: &Site, id: &FloorId, slab: &SlabId) -> Edit {
    let is_first = site.floors.is_empty();
    let floor = Floor {
        id: id.clone(),
        name: if is_first { "Ground floor" } else { "New storey" }.to_owned(),
        elevation_m: site.next_elevation(),
        height_m: USUAL_HEIGHT,
        underlay: None,
    };
    let mut edits = vec![Edit::put(floor)];
    if !is_first {
        edits.push(Edit::put(Slab {
            id: slab.clone(),
            floor: id.clone(),
            place: SlabPlace::Below,
            construction: USUAL_SLAB.to_owned(),
            outline: Vec::new(),
            voids: Vec::new(),
        }));
    }
    Edit::batch(edits)
}
