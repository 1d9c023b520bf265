//! The networks, their devices and controls, what was read, and what else is on the air.

use std::collections::BTreeSet;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{ControlId, DeviceId, EmitterId, FloorId, NetworkId, PointId, ReadingId, ScanId, Spot};
use crate::radio::coexistence::Carrier;
use crate::radio::profile::DataSheet;
use crate::radio::system::{Limits, Rule, System};
use crate::units::{Dbm, Metres};

/// A radio network: a hub and what talks to it by one system.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Network {
    /// Its id.
    pub id: NetworkId,
    /// Its name.
    pub name: String,
    /// The radio system whose rules it follows.
    pub system: System,
    /// Its channel, where the system has channels and one is chosen.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub channel: Option<u8>,
    /// Limits in place of the system's defaults.
    #[serde(default, skip_serializing_if = "Limits::is_empty")]
    pub limits: Limits,
}

impl Network {
    /// A network by its system's defaults.
    pub fn new(id: NetworkId, name: &str, system: System) -> Self {
        let (name, channel, limits) = (name.to_owned(), None, Limits::default());
        Self { id, name, system, channel, limits }
    }

    /// The rules that bind here.
    pub fn rule(&self) -> Rule {
        self.limits.applied_to(self.system.rule())
    }
}

/// The class of security that a Z-Wave device was included with.
#[derive(
    Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "lowercase")]
pub enum Security {
    /// Nobody said.
    #[default]
    Unsaid,
    /// None.
    None,
    /// The old class.
    S0,
    /// The newer class.
    S2,
}

impl Security {
    /// Each with its word.
    pub const ALL: [(Self, &'static str); 4] =
        [(Self::Unsaid, "not said"), (Self::None, "none"), (Self::S0, "S0"), (Self::S2, "S2")];

    #[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
    pub(super) fn is_unsaid(&self) -> bool {
        *self == Self::Unsaid
    }
}

/// A source of interference with a place on the plan.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Emitter {
    /// Its id.
    pub id: EmitterId,
    /// Its name.
    pub name: String,
    /// Its storey.
    pub floor: FloorId,
    /// Where on the sheet.
    pub at: Spot,
    /// Height above the floor.
    pub height_m: Metres,
    /// What it sends.
    pub carrier: Carrier,
    /// Radiated power.
    pub tx_dbm: Dbm,
    /// The share of time that it sends, 0 to 1.
    pub busy: f64,
    /// Whether it is the house's own router or access point, to which a hub is cabled or joined.
    #[serde(default)]
    pub of_the_house: bool,
}

impl Emitter {
    /// A source as it is first put on a storey; *planning values* that a person then corrects.
    pub fn first_guess(id: EmitterId, floor: FloorId, carrier: Carrier) -> Self {
        let (name, tx_dbm, busy) = match carrier {
            Carrier::Wifi { .. } => ("Access point", 19.0, 0.25),
            Carrier::Mesh { .. } => ("Foreign mesh", 8.0, 0.05),
        };
        Self {
            id,
            name: name.to_owned(),
            floor,
            at: [1.0, 1.0],
            height_m: Metres::new(1.5),
            carrier,
            tx_dbm: Dbm::new(tx_dbm),
            busy,
            of_the_house: false,
        }
    }
}

/// How a press reaches its load.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Path {
    /// The controller is bound to the load itself.
    Direct,
    /// By a rule in the hub.
    #[default]
    Hub,
}

/// A controller and a load that it controls.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Control {
    /// Its id.
    pub id: ControlId,
    /// The switch, remote or sensor.
    pub controller: DeviceId,
    /// What it controls.
    pub load: DeviceId,
    /// How a press gets there.
    #[serde(default)]
    pub path: Path,
}

/// One line of a scan: what was heard at the hub.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Scan {
    /// Its id.
    pub id: ScanId,
    /// What was heard.
    pub carrier: Carrier,
    /// How strong.
    pub level_dbm: Dbm,
    /// The share of time that it sends, 0 to 1.
    pub busy: f64,
    /// When.
    pub at: String,
}

/// A step of the work on a device, in the order in which it is done.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum Step {
    /// The join code is photographed or typed before a cover hides it.
    Code,
    /// Wired in, with the circuit dead.
    Wired,
    /// Joined to its network where it will live.
    Joined,
    /// Tested with the door shut and the plate on.
    Tested,
}

/// A device at a point.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Device {
    /// Its id.
    pub id: DeviceId,
    /// Its name: place and load.
    pub name: String,
    /// Where it is.
    pub point: PointId,
    /// The id of its row in the catalogue.
    pub kind: String,
    /// The network it belongs to.
    pub network: NetworkId,
    /// Whether someone can cut its supply: a lamp at the wall, a plug that is pulled.
    #[serde(default)]
    pub can_be_cut: bool,
    /// The security class it was included with, where its system has classes.
    #[serde(default, skip_serializing_if = "Security::is_unsaid")]
    pub security: Security,
    /// What its data sheet says in place of the planning profile.
    #[serde(default, skip_serializing_if = "DataSheet::is_empty")]
    pub sheet: DataSheet,
    /// Steps done.
    #[serde(default, skip_serializing_if = "BTreeSet::is_empty")]
    pub done: BTreeSet<Step>,
}

/// A reading of one link in one direction.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Reading {
    /// Its id.
    pub id: ReadingId,
    /// The device that sent.
    pub from: DeviceId,
    /// The device that heard.
    pub to: DeviceId,
    /// The level heard.
    pub rssi_dbm: Dbm,
    /// When, as `2026-03-14T10:05:00Z`.
    pub at: String,
    /// With what, or by whom.
    #[serde(default)]
    pub source: String,
}
