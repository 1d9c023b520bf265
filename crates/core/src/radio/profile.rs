//! Transmit power, sensitivity and antenna gain by system and class of device.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::region::Region;
use super::system::System;
use crate::units::{Db, Dbm};

/// The class of a radio, as far as its link budget goes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Class {
    /// The hub, coordinator, controller, border router or access point.
    Hub,
    /// A device on the mains.
    Mains,
    /// A device on a battery.
    Battery,
}

/// What one radio brings to a link budget.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct RadioProfile {
    /// Transmit power at the antenna's foot.
    pub tx: Dbm,
    /// The level at which 1 % of the frames are lost.
    pub sensitivity: Dbm,
    /// Antenna gain over isotropic, in its usual place.
    pub antenna: Db,
}

impl RadioProfile {
    /// The strongest radiated power, over isotropic.
    pub fn eirp(&self) -> Dbm {
        self.tx + self.antenna
    }
}

/// What a data sheet says of one device in place of the planning profile.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct DataSheet {
    /// Transmit power.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub tx_dbm: Option<Dbm>,
    /// Sensitivity.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sensitivity_dbm: Option<Dbm>,
    /// Antenna gain.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub antenna_db: Option<Db>,
    /// The share of 100 ms that it sends in at most: where a limit is an average, a short frame may be
    /// louder.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub duty: Option<f64>,
    /// Loss around it beyond its box and mounting.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub extra_loss_db: Option<Db>,
}

impl DataSheet {
    /// The first value that no radio has, with its field, what it may be and the unit.
    pub fn wrong_value(&self) -> Option<(&'static str, f64, f64, f64, &'static str)> {
        let rows = [
            ("tx_dbm", self.tx_dbm.map(Dbm::get), -40.0, 36.0, "dBm"),
            ("sensitivity_dbm", self.sensitivity_dbm.map(Dbm::get), -140.0, -40.0, "dBm"),
            ("antenna_db", self.antenna_db.map(Db::get), -30.0, 20.0, "dBi"),
            ("extra_loss_db", self.extra_loss_db.map(Db::get), 0.0, 60.0, "dB"),
            ("duty", self.duty, 0.001, 1.0, "of the time"),
        ];
        rows.into_iter().find_map(|(field, value, low, high, unit)| {
            let is = value.filter(|v| !(low..=high).contains(v))?;
            Some((field, is, low, high, unit))
        })
    }

    /// Whether it says nothing.
    pub fn is_empty(&self) -> bool {
        *self == Self::default()
    }

    /// The planning profile with what the sheet says in its place.
    pub fn applied_to(&self, profile: RadioProfile) -> RadioProfile {
        RadioProfile {
            tx: self.tx_dbm.unwrap_or(profile.tx),
            sensitivity: self.sensitivity_dbm.unwrap_or(profile.sensitivity),
            antenna: self.antenna_db.unwrap_or(profile.antenna),
        }
    }
}

const fn radio(tx: f64, sensitivity: f64, antenna: f64) -> RadioProfile {
    RadioProfile { tx: Dbm::new(tx), sensitivity: Dbm::new(sensitivity), antenna: Db::new(antenna) }
}

/// The share of 100 ms that a remote's frame takes, *planning value*: some 10 ms.
pub const PLANNED_DUTY: f64 = 0.1;

/// The planning profile of a radio; a data sheet overrules it. All *planning values*, held to what
/// the region allows.
#[rustfmt::skip]
pub fn planning_profile(system: System, class: Class, region: Region) -> RadioProfile {
    let profile = match (system, class) {
        (System::Zigbee | System::Thread | System::Kit, Class::Hub)     => radio(10.0, -99.0, 1.0),
        (System::Zigbee | System::Thread | System::Kit, Class::Mains)   => radio(8.0, -97.0, 0.0),
        (System::Zigbee | System::Thread | System::Kit, Class::Battery) => radio(4.0, -95.0, -2.0),
        (System::ZWave, Class::Hub)        => radio(4.0, -99.0, 0.0),
        // Sub-GHz antennas that fit a wall box are short for their wavelength.
        (System::ZWave, Class::Mains)      => radio(0.0, -97.0, -2.0),
        (System::ZWave, Class::Battery)    => radio(0.0, -95.0, -4.0),
        (System::ZWaveLr, Class::Hub) if region == Region::Us => radio(20.0, -107.0, 0.0),
        (System::ZWaveLr, Class::Hub)      => radio(14.0, -107.0, 0.0),
        (System::ZWaveLr, Class::Mains)    => radio(14.0, -107.0, -2.0),
        (System::ZWaveLr, Class::Battery)  => radio(14.0, -107.0, -4.0),
        (System::Star, Class::Hub)         => radio(5.0, -107.0, -1.0),
        (System::Star, Class::Mains)       => radio(3.0, -105.0, -4.0),
        (System::Star, Class::Battery)     => radio(0.0, -103.0, -6.0),
        (System::Bluetooth, Class::Hub | Class::Mains) => radio(4.0, -94.0, 0.0),
        (System::Bluetooth, Class::Battery) => radio(0.0, -92.0, -2.0),
        (System::Wifi, Class::Hub)         => radio(17.0, -90.0, 2.0),
        (System::Wifi, Class::Mains)       => radio(15.0, -88.0, -1.0),
        (System::Wifi, Class::Battery)     => radio(12.0, -86.0, -2.0),
    };
    let limit = region.limit(system).peak(PLANNED_DUTY);
    let tx = profile.tx.min(limit - profile.antenna);
    RadioProfile { tx, ..profile }
}

/// Body loss of a device held in a hand; *planning value*.
pub fn hand_loss(system: System) -> Db {
    if system.is_2400() { Db::new(6.0) } else { Db::new(4.0) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::radio::region::REGIONS;

    #[test]
    fn no_planning_profile_exceeds_what_its_region_allows() {
        for region in REGIONS.iter().map(|r| r.region) {
            for system in System::ALL {
                for class in [Class::Hub, Class::Mains, Class::Battery] {
                    let eirp = planning_profile(system, class, region).eirp();
                    assert!(
                        eirp <= region.limit(system).peak(PLANNED_DUTY),
                        "{region:?} {system:?} {class:?}"
                    );
                }
            }
        }
    }
}
