//! What was found at each surveyed place.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{FloorId, PointId, Spot};
use crate::radio::mounting::Mounting;
use crate::units::{Db, Metres};

/// What is at a surveyed place.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum PointKind {
    /// A place for a wall switch.
    Switch,
    /// A socket outlet.
    Socket,
    /// A ceiling fitting.
    Ceiling,
    /// A wall fitting.
    WallFitting,
    /// A shelf, cupboard or table: for a hub or a battery device.
    Shelf,
    /// Bare wall or frame: for a remote or a sensor.
    BareWall,
    /// A place outdoors.
    Outdoor,
}

/// The back box.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum BoxKind {
    /// No box.
    #[default]
    None,
    /// Plastic.
    Plastic,
    /// Metal.
    Metal,
}

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

impl Point {
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

/// How something about the house is known; what is guessed widens the uncertainty.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Provenance {
    /// Nobody said.
    #[default]
    Default,
    /// Measured.
    Measured,
    /// Seen.
    Seen,
    /// Told by someone.
    Told,
    /// Guessed.
    Guessed,
}

impl Provenance {
    /// Each with its word.
    pub const ALL: [(Self, &'static str); 5] = [
        (Self::Default, "not said"),
        (Self::Measured, "measured"),
        (Self::Seen, "seen"),
        (Self::Told, "told"),
        (Self::Guessed, "guessed"),
    ];

    #[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
    pub(super) fn is_default(&self) -> bool {
        *self == Self::Default
    }

    /// What it adds to a link's deviation; *planning values*.
    pub fn doubt(self) -> Db {
        match self {
            Self::Guessed => Db::new(4.0),
            Self::Told => Db::new(2.0),
            Self::Default | Self::Measured | Self::Seen => Db::ZERO,
        }
    }
}
