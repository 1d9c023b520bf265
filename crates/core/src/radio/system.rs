//! Radio systems and their rules, one row each.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::modulation::Modulation;

/// A radio system.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "lowercase")]
pub enum System {
    /// Zigbee on IEEE 802.15.4, 2.4 GHz.
    Zigbee,
    /// Classic Z-Wave, sub-GHz by region.
    ZWave,
    /// A proprietary sub-GHz star with range extenders.
    Star,
}

/// How a system chooses among the links it has.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum RouteChoice {
    /// Least sum of link cost `min(7, max(1, round(1/p⁴)))`, p the delivery probability.
    LeastLinkCost,
    /// Fewest repeaters, then the best weakest margin.
    FewestRepeaters,
}

/// The rules of one system. A limit that implementations vary is a default.
#[derive(Clone, Copy, Debug)]
pub struct Rule {
    /// The system.
    pub system: System,
    /// Its name.
    pub name: &'static str,
    /// The most radio hops (links) between hub and device; repeaters are one fewer.
    pub most_hops: usize,
    /// The most devices that one hub serves.
    pub most_devices: usize,
    /// Whether remotes count as devices of the hub.
    pub remotes_count: bool,
    /// The most dedicated repeaters, where the system limits them.
    pub most_repeaters: Option<usize>,
    /// How it picks a route.
    pub choice: RouteChoice,
    /// How bits are put on the carrier.
    pub modulation: Modulation,
    /// How often a frame is sent at most on one hop.
    pub tries: i32,
    /// Time one frame takes on one hop with its acknowledgement, in milliseconds.
    pub hop_ms: f64,
    /// Where the row comes from.
    pub source: &'static str,
}

#[rustfmt::skip]
/// One row a system, in the order of the enum.
pub const RULES: [Rule; 3] = [
    Rule { system: System::Zigbee, name: "Zigbee", most_hops: 5, most_devices: 200, remotes_count: true, most_repeaters: None, choice: RouteChoice::LeastLinkCost, modulation: Modulation::Oqpsk, tries: 4, hop_ms: 15.0,
           source: "Zigbee PRO specification, link cost § 3.6.3.1; five hops is this project's design limit" },
    Rule { system: System::ZWave,  name: "Z-Wave", most_hops: 5, most_devices: 232, remotes_count: true, most_repeaters: None, choice: RouteChoice::FewestRepeaters, modulation: Modulation::Fsk, tries: 3, hop_ms: 30.0,
           source: "Rec. ITU-T G.9959; Z-Wave network layer: four repeaters, 232 nodes" },
    Rule { system: System::Star,   name: "Sub-GHz star", most_hops: 2, most_devices: 75, remotes_count: true, most_repeaters: Some(1), choice: RouteChoice::FewestRepeaters, modulation: Modulation::Fsk, tries: 3, hop_ms: 40.0,
           source: "planning value; the maker's sheet overrules it" },
];

impl System {
    /// The rules of this system.
    pub fn rule(self) -> &'static Rule {
        &RULES[self as usize]
    }
    /// Its name.
    pub fn name(self) -> &'static str {
        self.rule().name
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_are_in_the_order_of_the_enum_and_cite_a_source() {
        for (i, row) in RULES.iter().enumerate() {
            assert_eq!(row.system as usize, i, "{}", row.name);
            assert!(!row.source.is_empty() && row.most_hops >= 1);
        }
    }
}
