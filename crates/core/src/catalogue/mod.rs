//! The generic device catalogue.

pub mod battery;
pub mod fitting;

use std::collections::BTreeMap;
use std::sync::LazyLock;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use self::battery::Draw;
pub use self::fitting::{Far, Fitting, LoadKind, Powered};
use crate::radio::mounting::BoxKind;
use crate::radio::profile::Class;
use crate::radio::system::System;

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

/// What feeds a device.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Supply {
    /// The mains, in a box, with a neutral.
    MainsNeutral,
    /// The mains, in a box, through the load: no neutral needed.
    MainsTwoWire,
    /// A plug or a power adapter.
    Plug,
    /// A battery; the radio sleeps.
    Battery,
}

/// What a device does in the work of a house.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Duty {
    /// Starts and keeps the network.
    Hub,
    /// There to forward.
    Repeater,
    /// Switches or dims a load.
    Actuator,
    /// Reports.
    Sensor,
    /// Carried by hand or stuck to a wall; sends commands.
    Remote,
}

/// The button that works a load without any radio.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Button {
    /// On the device itself.
    Own,
    /// A plain switch on the wall, wired to the device.
    Wired,
}

/// One generic device.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(clippy::struct_excessive_bools, reason = "each is a plain yes or no of a data sheet")]
pub struct DeviceKind {
    /// Its id in the catalogue.
    pub id: String,
    /// Its name.
    pub name: String,
    /// What it does.
    pub duty: Duty,
    /// What feeds it.
    pub supply: Supply,
    /// Whether it forwards for others in its network.
    pub forwards: bool,
    /// The systems it comes for.
    pub systems: Vec<System>,
    /// Depth it takes in a box, in millimetres; nothing for what needs no box.
    #[serde(default)]
    pub depth_mm: Option<f64>,
    /// Whether anyone in the house can cut its supply without thinking.
    #[serde(default)]
    pub easily_cut: bool,
    /// Whether it has a radio; a wired companion has none.
    #[serde(default = "yes")]
    pub has_radio: bool,
    /// What it draws from its battery; nothing on the mains.
    #[serde(default)]
    pub draw: Option<Draw>,
    /// The button that works its load without any radio; nothing when there is none.
    #[serde(default)]
    pub button: Option<Button>,
    /// Whether it plugs into a USB port, whose noise it hears.
    #[serde(default)]
    pub usb: bool,
    /// What it asks of its box, its load and the other places of its group.
    #[serde(default)]
    pub fit: Fitting,
}

fn yes() -> bool {
    true
}

impl DeviceKind {
    /// Its class of radio.
    pub fn class(&self) -> Class {
        match (self.duty, self.supply) {
            (Duty::Hub, _) => Class::Hub,
            (_, Supply::Battery) => Class::Battery,
            _ => Class::Mains,
        }
    }
    /// Where such a device usually stands: the kind of place, metres above the floor, the box.
    /// A first guess for a new point; *planning values*.
    pub fn usual_place(&self) -> (PointKind, f64, BoxKind) {
        match (self.duty, self.supply) {
            (Duty::Hub, _) => (PointKind::Shelf, 1.2, BoxKind::None),
            (Duty::Remote, _) => (PointKind::BareWall, 1.2, BoxKind::None),
            (_, Supply::Battery) => (PointKind::BareWall, 1.8, BoxKind::None),
            (_, Supply::Plug) => (PointKind::Socket, 0.3, BoxKind::None),
            _ => (PointKind::Switch, 1.1, BoxKind::Plastic),
        }
    }
    /// What it is in a word or two, as people call it on a plan.
    pub fn short(&self) -> &str {
        let name = self.name.split(',').next().unwrap_or_default();
        name.split(" at ").next().unwrap_or_default()
    }
    /// Whether it can be a controller, and whether it can be a load.
    pub fn sides(&self) -> (bool, bool) {
        if !self.has_radio {
            // A wired companion works its master by a wire and switches nothing itself.
            return (true, false);
        }
        match self.duty {
            Duty::Remote | Duty::Sensor => (true, false),
            Duty::Actuator => (true, true),
            Duty::Repeater => (false, true),
            Duty::Hub => (false, false),
        }
    }
    /// Whether it is held in a hand when used.
    pub fn is_hand_held(&self) -> bool {
        self.duty == Duty::Remote
    }
    /// Whether a breaker feeds it.
    pub fn is_on_mains(&self) -> bool {
        self.supply != Supply::Battery
    }
    /// Whether it goes into a box on the mains wiring.
    pub fn is_wired_in(&self) -> bool {
        matches!(self.supply, Supply::MainsNeutral | Supply::MainsTwoWire)
    }
}

#[derive(Deserialize)]
struct Rows {
    device: Vec<DeviceKind>,
}

/// Where the rows come from.
pub const DEVICE_SOURCE: &str = "generic device; depth, duty and draw are planning values";

/// The rows. A broken file is a defect that the tests catch.
pub static KINDS: LazyLock<Vec<DeviceKind>> = LazyLock::new(|| {
    toml::from_str::<Rows>(include_str!("../../data/devices.toml"))
        .map(|rows| rows.device)
        .unwrap_or_default()
});

/// The device of this id.
pub fn kind(id: &str) -> Option<&'static DeviceKind> {
    static PLACES: LazyLock<BTreeMap<&'static str, &'static DeviceKind>> =
        LazyLock::new(|| KINDS.iter().map(|k| (k.id.as_str(), k)).collect());
    PLACES.get(id).copied()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_system_has_a_hub_and_every_row_a_system() {
        assert!(KINDS.len() >= 10);
        for system in System::ALL {
            assert!(KINDS.iter().any(|k| k.duty == Duty::Hub && k.systems.contains(&system)));
        }
        for row in KINDS.iter() {
            assert!(!row.systems.is_empty(), "{}", row.id);
            assert_eq!(KINDS.iter().filter(|k| k.id == row.id).count(), 1, "{}", row.id);
            assert!(!(row.forwards && row.supply == Supply::Battery), "{} sleeps", row.id);
        }
    }
}
