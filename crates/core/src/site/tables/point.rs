//! Surveyed places: what was found at each.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::FloorId;
use crate::catalogue::PointKind;
use crate::radio::mounting::{BoxKind, Mounting};
use crate::site::kept::{Bond, Kept, Most, Tie, between, id, kept_by_id, name, note, spot};
use crate::site::{Kind, Provenance, Refusal, Spot, Wrong};
use crate::units::Metres;

id!(/** A surveyed place: a box, a socket, a shelf. */ PointId);

/// What is known of the neutral in a box. Settled per box, never per house.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Neutral {
    /// The box has not been opened.
    #[default]
    Unknown,
    /// Seen in the box.
    Seen,
    /// Looked for and not seen; it may be bundled at the back.
    NotSeen,
    /// Tested: there is none.
    Absent,
}

/// A surveyed place where a device is or could be.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Point {
    /// Its id.
    pub id: PointId,
    /// The name of the place.
    pub name: String,
    /// The room it is in.
    #[serde(default)]
    pub room: String,
    /// Its storey.
    pub floor: FloorId,
    /// Where on the sheet.
    pub at: Spot,
    /// Height above the floor.
    pub height_m: Metres,
    /// What is there.
    pub kind: PointKind,
    /// The back box.
    #[serde(default, rename = "box")]
    pub back_box: BoxKind,
    /// Inside depth of the box in millimetres.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub depth_mm: Option<f64>,
    /// What is known of the neutral.
    #[serde(default)]
    pub neutral: Neutral,
    /// The breaker that feeds it, as printed on the panel.
    #[serde(default)]
    pub circuit: String,
    /// What else stands between the radio and the room.
    #[serde(default)]
    pub mounting: Mounting,
    /// How its box and mounting are known.
    #[serde(default, skip_serializing_if = "Provenance::is_default")]
    pub known: Provenance,
    /// Free words.
    #[serde(default)]
    pub note: String,
}

/// The order in which people look for breakers: numbers by their value, then the rest of the label.
pub fn breaker_order(label: &str) -> (u64, &str) {
    let digits = label.bytes().take_while(u8::is_ascii_digit).count();
    (label[..digits].parse().unwrap_or(u64::MAX), &label[digits..])
}

impl Point {
    /// Whether somebody has looked into it: the neutral was looked for, or what is there was seen.
    pub fn is_opened(&self) -> bool {
        let was_seen = matches!(self.known, Provenance::Measured | Provenance::Seen);
        self.neutral != Neutral::Unknown || was_seen
    }

    /// A point of which nothing more is known than where it is and what is there.
    pub fn bare(id: PointId, floor: FloorId, at: Spot, height_m: Metres, kind: PointKind) -> Self {
        Self {
            id,
            name: String::new(),
            room: String::new(),
            floor,
            at,
            height_m,
            kind,
            back_box: BoxKind::default(),
            depth_mm: None,
            neutral: Neutral::default(),
            circuit: String::new(),
            mounting: Mounting::default(),
            known: Provenance::default(),
            note: String::new(),
        }
    }
}

kept_by_id!(Point, PointId);
impl Kept for Point {
    const MOST: Most = Most { count: 6000, why: "two a device" };

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("floor", Kind::Floor, &self.floor, Bond::GoesAlong));
    }

    fn check(&self) -> Result<(), Refusal> {
        name(&self.name)?;
        note("note", &self.note)?;
        note("room", &self.room)?;
        note("circuit", &self.circuit)?;
        spot("at", self.at)?;
        between("height_m", self.height_m, -5.0, 20.0)?;
        match self.depth_mm {
            Some(mm) if !(5.0..=500.0).contains(&mm) => {
                Err(Refusal::wrong("depth_mm", Wrong::Depth { mm }))
            }
            _ => Ok(()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn breakers_stand_as_numbers_do_and_names_behind_them() {
        let mut labels = vec!["10", "Oven", "2", "1", "2b", "2a", "attic"];
        labels.sort_by_key(|l| breaker_order(l));
        assert_eq!(labels, ["1", "2", "2a", "2b", "10", "Oven", "attic"]);
    }
}
