//! Rulings: what people said to a piece of advice, and why. They bind the adviser from then on and stand in
//! the handover.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{NetworkId, PointId, RoomId};
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, note};
use crate::site::{Kind, Refusal, Wrong};

id!(/** A ruling. */ RulingId);

/// What was ruled.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Ruled {
    /// Not that.
    Never,
    /// That, whatever else.
    Always,
}

/// What a ruling is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum RuledOn {
    /// Something that repeats.
    Repeater,
    /// The hub.
    Hub,
}

/// A ruling. What is left blank is ruled of all: without a point of every place, without a room of the
/// whole house.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Ruling {
    /// Its id.
    pub id: RulingId,
    /// Whether it is to be or not.
    pub ruled: Ruled,
    /// What.
    pub on: RuledOn,
    /// At this point.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub point: Option<PointId>,
    /// Anywhere in this room.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub room: Option<RoomId>,
    /// Of this row of the catalogue.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub device_kind: String,
    /// For this network.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub network: Option<NetworkId>,
    /// Why.
    #[serde(default)]
    pub why: String,
}

impl Ruling {
    /// One that says only what is ruled, of everything.
    pub fn new(id: RulingId, ruled: Ruled, on: RuledOn) -> Self {
        let (device_kind, why) = (String::new(), String::new());
        Self { id, ruled, on, point: None, room: None, device_kind, network: None, why }
    }
}

kept_by_id!(Ruling, RulingId);
impl Kept for Ruling {
    const MOST: Most = Most { count: 2000, why: "one ruling a place and system" };

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        if let Some(point) = &self.point {
            visit(Tie::new("point", Kind::Point, point, Bond::GoesAlong));
        }
        if let Some(room) = &self.room {
            visit(Tie::new("room", Kind::Room, room, Bond::GoesAlong));
        }
        if let Some(network) = &self.network {
            visit(Tie::new("network", Kind::Network, network, Bond::GoesAlong));
        }
    }

    fn check(&self) -> Result<(), Refusal> {
        let says_where =
            self.point.is_some() || self.room.is_some() || !self.device_kind.is_empty();
        if !says_where || self.ruled == Ruled::Always && self.point.is_none() {
            return Err(Refusal::wrong("point", Wrong::RulingOfNothing));
        }
        note("device_kind", &self.device_kind)?;
        note("why", &self.why)
    }
}
