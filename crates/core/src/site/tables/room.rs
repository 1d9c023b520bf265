//! Rooms: what people call the parts of a storey.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::FloorId;
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, name, ring};
use crate::site::{Kind, Refusal, Spot, Wrong};

id!(/** A room. */ RoomId);

/// What a room is used for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
#[expect(missing_docs, reason = "each is what it is called")]
pub enum RoomUse {
    #[default]
    Unsaid,
    Living,
    Kitchen,
    Bedroom,
    Bath,
    Hall,
    Stairs,
    Office,
    Utility,
    Loft,
    Garage,
    Outdoors,
}

/// A room of a storey.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Room {
    /// Its id.
    pub id: RoomId,
    /// Its name.
    pub name: String,
    /// Its storey.
    pub floor: FloorId,
    /// Its corners on the sheet, in order.
    pub outline: Vec<Spot>,
    /// What it is used for.
    #[serde(default, rename = "use")]
    pub used_for: RoomUse,
}

kept_by_id!(Room, RoomId);
impl Kept for Room {
    const MOST: Most = Most { count: 5000, why: "a house of 38 rooms, 130 times" };

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("floor", Kind::Floor, &self.floor, Bond::GoesAlong));
    }

    fn check(&self) -> Result<(), Refusal> {
        name(&self.name)?;
        if self.outline.is_empty() {
            return Err(Refusal::wrong("outline", Wrong::Corners { is: 0 }));
        }
        ring("outline", &self.outline)
    }
}
