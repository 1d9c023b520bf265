//! The generic device catalogue.

pub mod battery;
pub mod by_hand;
pub mod countries;
pub mod fitting;
pub mod rates;

use std::collections::BTreeMap;
use std::sync::LazyLock;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use self::battery::Draw;
use self::by_hand::{ByHand, SensorField};
pub use self::fitting::{Ability, Far, Fitting, FittingWay, LoadKind, Powered};
use crate::radio::mounting::BoxKind;
use crate::radio::profile::{Class, DataSheet};
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
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
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
    /// Nothing: a cover.
    None,
}

/// What a device does in the work of a house.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
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
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Button {
    /// On the device itself.
    Own,
    /// A plain switch on the wall, wired to the device.
    Wired,
}

/// What a device is to a platform: by that a voice finds it, and “all lights off” takes it along or not.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "lowercase")]
#[expect(missing_docs, reason = "each is what it is called")]
pub enum ThingClass {
    Light,
    Switch,
    Fan,
    Outlet,
    Shade,
    Thermostat,
    Lock,
    Sensor,
    Button,
}

impl ThingClass {
    /// Each with its word.
    pub const ALL: [(Self, &'static str); 9] = [
        (Self::Light, "light"),
        (Self::Switch, "switch"),
        (Self::Fan, "fan"),
        (Self::Outlet, "outlet"),
        (Self::Shade, "shade"),
        (Self::Thermostat, "thermostat"),
        (Self::Lock, "lock"),
        (Self::Sensor, "sensor"),
        (Self::Button, "button"),
    ];

    /// Its word.
    pub fn name(self) -> &'static str {
        Self::ALL.iter().find(|(class, _)| *class == self).map_or("", |(_, name)| name)
    }
}

/// How a hub is joined to the router.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum BackhaulBy {
    /// By a cable alone.
    Cable,
    /// By Wi-Fi alone.
    Wifi,
    /// By either.
    Either,
}

impl BackhaulBy {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 3] = [
        (Self::Cable, "by cable alone"),
        (Self::Wifi, "by Wi-Fi alone"),
        (Self::Either, "by cable or Wi-Fi"),
    ];
}

/// How a device is joined, by what can be seen.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct JoinMethod {
    /// What to press, and how often or how long.
    pub gesture: String,
    /// What its light does when it is ready, and when it is done.
    pub light: String,
    /// What its light does when it was not taken.
    pub fails: String,
    /// For how long the gesture is held, in seconds, where it is one that is held. It differs within a
    /// family: the light says when to let go.
    pub hold_s: Option<f64>,
    /// For how long it waits, in seconds; nothing while nobody knows.
    pub timeout_s: Option<f64>,
    /// Whether the same gesture takes it out again when it is in.
    pub deletes_too: bool,
    /// Where its code is.
    pub code: String,
    /// Whether it has none at all: none is asked for.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub without_code: bool,
    /// What its light shows when it has power for the first time and is in no network yet.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub first_light: String,
    /// What is pressed, and where, to tie it to what it works directly.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub ties: String,
    /// How it opens and closes its network by hand; nothing where that is not its part.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub opens: Option<OpensNetwork>,
}

/// How a device opens and closes its network by hand.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct OpensNetwork {
    /// What is pressed on it to open.
    pub gesture: String,
    /// What its light does while the network is open.
    pub light: String,
    /// What is pressed on it to close.
    pub closes: String,
    /// What its light does when it is closed.
    pub closed: String,
}

/// How a device is wired in, by its maker's sheet.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Wiring {
    /// How much insulation is taken off, in millimetres.
    pub strip_mm: Option<f64>,
    /// Its terminals.
    pub terminals: Vec<String>,
    /// The diagrams of its sheet, by their names there.
    pub diagrams: Vec<String>,
    /// Settings that nobody reaches once it is closed.
    pub hidden: Vec<String>,
    /// Whether its contact closes only while somebody presses it: a push-button.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub momentary: bool,
}

/// One generic device.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[expect(clippy::struct_excessive_bools, reason = "each is a plain yes or no of a data sheet")]
pub struct DeviceKind {
    /// Its id in the catalogue.
    pub id: String,
    /// Its name.
    pub name: String,
    /// The article that it is one setting of, as it is bought; empty where that has this one alone.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub article: String,
    /// What that article is set to; empty where there is nothing to set.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub set_to: String,
    /// What it does.
    pub duty: Duty,
    /// What feeds it.
    pub supply: Supply,
    /// Whether it forwards for others in its network.
    pub forwards: bool,
    /// Whether it forwards only where a neutral is connected to it.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub only_with_neutral: bool,
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
    /// What a hand can do there.
    #[serde(default, skip_serializing_if = "ByHand::is_blank")]
    pub hand: ByHand,
    /// What it sees, where it is a sensor that sees; nothing while nobody wrote it down.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sees: Option<SensorField>,
    /// Whether it plugs into a USB port, whose noise it hears.
    #[serde(default)]
    pub usb: bool,
    /// What it is to platforms, where that does not follow from what hangs on it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub class: Option<ThingClass>,
    /// How it is joined to the router, where it is a hub; nothing while nobody wrote it down.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub backhaul: Option<BackhaulBy>,
    /// Which generation of its family it is, counted up; nothing while nobody said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub generation: Option<u8>,
    /// What it asks of its box, its load and the other places of its group.
    #[serde(default)]
    pub fit: Fitting,
    /// How it is joined.
    #[serde(default)]
    pub join: JoinMethod,
    /// How it is wired in.
    #[serde(default)]
    pub wiring: Wiring,
    /// What its data sheet says of the radio.
    #[serde(default)]
    pub radio: DataSheet,
    /// What its LQI means: rows of LQI and level in dBm, rising; empty while nobody knows.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub lqi_dbm: Vec<[f64; 2]>,
    /// How many sleeping devices it keeps as a parent; nothing while nobody knows.
    #[serde(default)]
    pub children: Option<u16>,
    /// Counts up with each change of a row in a firm's library.
    #[serde(default)]
    pub version: u32,
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
            _ if self.fit.outdoors => (PointKind::Outdoor, 2.0, BoxKind::None),
            (_, Supply::None) => (PointKind::Switch, 1.1, BoxKind::Plastic),
            (Duty::Remote, _) => (PointKind::BareWall, 1.2, BoxKind::None),
            (_, Supply::Battery) => (PointKind::BareWall, 1.8, BoxKind::None),
            (_, Supply::Plug) => (PointKind::Socket, 0.3, BoxKind::None),
            _ => (PointKind::Switch, 1.1, BoxKind::Plastic),
        }
    }
    /// What is bought: its article, or itself.
    pub fn bought_as(&self) -> &str {
        if self.article.is_empty() { &self.name } else { &self.article }
    }
    /// Whether another one is the same article, set otherwise.
    pub fn is_other_setting_of(&self, other: &Self) -> bool {
        !self.article.is_empty() && self.article == other.article && self.id != other.id
    }
    /// What it is in a word or two, as people call it on a plan.
    pub fn short(&self) -> &str {
        let name = self.name.split(',').next().unwrap_or_default();
        name.split(" at ").next().unwrap_or_default()
    }
    /// Whether it tells what it senses: it has no keys, and what it tells sets rules off.
    pub fn is_sensor(&self) -> bool {
        self.duty == Duty::Sensor
    }
    /// Whether it can be a controller, and whether it can be a load.
    pub fn sides(&self) -> (bool, bool) {
        if self.is_cover() {
            return (false, false);
        }
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
    /// The first value that no device has, with its field, what it may be and the unit.
    pub fn wrong_value(&self) -> Option<(&'static str, f64, f64, f64, &'static str)> {
        let fit = &self.fit;
        let [one, both] = fit.derated.map_or([None; 2], |left| left.map(Some));
        let values = [
            ("depth_mm", self.depth_mm, 1.0, 300.0, "mm"),
            ("fit.least_w", fit.least_w, 0.0, 1000.0, "W"),
            ("fit.inrush_a", fit.inrush_a, 0.0, 2000.0, "A"),
            ("fit.box_mm", fit.box_mm, 5.0, 500.0, "mm"),
            ("fit.price", fit.price, 0.0, 1_000_000.0, ""),
            ("fit.life_years", fit.life_years, 0.1, 100.0, "years"),
            ("fit.derated", one, 0.0, 1.0, "of its limit"),
            ("fit.derated", both, 0.0, 1.0, "of its limit"),
            ("fit.channels", Some(f64::from(fit.channels)), 0.0, 16.0, "channels"),
            ("fit.gangs", Some(f64::from(fit.gangs)), 0.0, 4.0, "gangs"),
            ("generation", self.generation.map(f64::from), 1.0, 30.0, ""),
            ("join.timeout_s", self.join.timeout_s, 0.0, 3600.0, "s"),
            ("wiring.strip_mm", self.wiring.strip_mm, 2.0, 40.0, "mm"),
            ("join.hold_s", self.join.hold_s, 0.0, 120.0, "s"),
            ("hand.keys", self.hand.keys.map(f64::from), 0.0, 16.0, "keys"),
            ("hand.presses", self.hand.presses.map(f64::from), 1.0, 5.0, "presses"),
            ("sees.reach_m", self.sees.and_then(|f| f.reach_m), 0.5, 60.0, "m"),
            ("sees.angle_deg", self.sees.and_then(|f| f.angle_deg), 5.0, 360.0, "°"),
            ("sees.pet_kg", self.sees.and_then(|f| f.pet_kg), 0.0, 100.0, "kg"),
        ];
        let limits = fit.limits.values().map(|w| ("fit.limits", Some(*w), 1.0, 50_000.0, "W"));
        let mut all = values.into_iter().chain(limits);
        all.find_map(|(field, value, low, high, unit)| {
            let is = value.filter(|v| !(low..=high).contains(v))?;
            Some((field, is, low, high, unit))
        })
        .or_else(|| self.radio.wrong_value())
    }
    /// Whether it switches a load by wire, or nobody has written down what it bears and it stands where such a unit does.
    pub fn may_switch(&self) -> bool {
        let is_open = !self.fit.is_shipped && self.is_wired_in() && self.fit.far == Far::No;
        self.fit.switches() || is_open
    }
    /// A copy of a shipped row for somebody's own library: what its blanks answer is written out.
    #[must_use]
    pub fn spelled_out(&self) -> Self {
        Self { fit: self.fit.spelled_out(), ..self.clone() }
    }
    /// Whether it is held in a hand when used.
    pub fn is_hand_held(&self) -> bool {
        self.duty == Duty::Remote && self.supply == Supply::Battery
    }
    /// Whether a breaker feeds it.
    pub fn is_on_mains(&self) -> bool {
        !matches!(self.supply, Supply::Battery | Supply::None)
    }
    /// Whether it is a blank cover: the switch that was there is gone, what it joined is joined through or capped.
    pub fn is_cover(&self) -> bool {
        self.supply == Supply::None
    }
    /// Whether it goes into a box on the mains wiring.
    pub fn is_wired_in(&self) -> bool {
        matches!(self.supply, Supply::MainsNeutral | Supply::MainsTwoWire)
    }
    /// Whether it works a load of its own wire from a box, rather than telling another device to, or sitting in the lamp.
    pub fn works_a_load(&self) -> bool {
        self.fit.switches() && self.is_wired_in() && !self.fit.in_lamp
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
    let rows = toml::from_str::<Rows>(include_str!("../../data/devices.toml"));
    let mut rows = rows.map(|rows| rows.device).unwrap_or_default();
    for row in &mut rows {
        row.fit.is_shipped = true;
    }
    rows
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
