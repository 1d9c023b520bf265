//! Regions set frequencies.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::system::System;
use crate::units::Megahertz;

/// Where the house stands, as far as radio rules go.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "lowercase")]
#[expect(missing_docs, reason = "places name themselves; see Region::name")]
pub enum Region {
    Eu,
    Uk,
    Us,
    Anz,
    In,
    Jp,
    Kr,
    Il,
    Hk,
}

/// What a region fixes.
#[derive(Clone, Copy, Debug)]
pub struct RegionRule {
    /// The region.
    pub region: Region,
    /// Its name.
    pub name: &'static str,
    /// Centre of the classic Z-Wave channel at 100 kbit/s, or the nearest to it.
    pub zwave: Megahertz,
    /// Channel of the proprietary star profile sold there.
    pub star: Megahertz,
    /// Where the row comes from.
    pub source: &'static str,
}

const G9959: &str = "Rec. ITU-T G.9959, annex A; star: planning value";

#[rustfmt::skip]
/// One row a region, in the order of the enum.
pub const REGIONS: [RegionRule; 9] = [
    RegionRule { region: Region::Eu,  name: "European Union",            zwave: Megahertz::new(869.85), star: Megahertz::new(433.92), source: G9959 },
    RegionRule { region: Region::Uk,  name: "United Kingdom",            zwave: Megahertz::new(869.85), star: Megahertz::new(433.92), source: G9959 },
    RegionRule { region: Region::Us,  name: "United States and Canada",  zwave: Megahertz::new(916.0),  star: Megahertz::new(434.0),  source: G9959 },
    RegionRule { region: Region::Anz, name: "Australia and New Zealand", zwave: Megahertz::new(919.82), star: Megahertz::new(433.92), source: G9959 },
    RegionRule { region: Region::In,  name: "India",                     zwave: Megahertz::new(865.22), star: Megahertz::new(433.92), source: G9959 },
    RegionRule { region: Region::Jp,  name: "Japan",                     zwave: Megahertz::new(922.5),  star: Megahertz::new(426.0),  source: G9959 },
    RegionRule { region: Region::Kr,  name: "South Korea",               zwave: Megahertz::new(920.9),  star: Megahertz::new(433.92), source: G9959 },
    RegionRule { region: Region::Il,  name: "Israel",                    zwave: Megahertz::new(916.0),  star: Megahertz::new(433.92), source: G9959 },
    RegionRule { region: Region::Hk,  name: "Hong Kong",                 zwave: Megahertz::new(919.82), star: Megahertz::new(433.92), source: G9959 },
];

impl Region {
    /// The row of this region.
    pub fn rule(self) -> &'static RegionRule {
        &REGIONS[self as usize]
    }

    /// The frequency at which a system works here.
    pub fn frequency(self, system: System) -> Megahertz {
        match system {
            System::Zigbee => Megahertz::new(2440.0),
            System::ZWave => self.rule().zwave,
            System::Star => self.rule().star,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_are_in_the_order_of_the_enum() {
        for (i, row) in REGIONS.iter().enumerate() {
            assert_eq!(row.region as usize, i, "{}", row.name);
        }
    }
}
