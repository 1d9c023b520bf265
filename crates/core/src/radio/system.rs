//! Radio systems and their rules, one row each.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::channels::{Channels, IEEE_802_15_4, WIFI};
use super::modulation::Modulation;
use crate::units::Dbm;

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
    /// Z-Wave Long Range, sub-GHz by region: a star without repeaters.
    ZWaveLr,
    /// Thread on IEEE 802.15.4, usually under Matter.
    Thread,
    /// Bluetooth mesh: a managed flood.
    Bluetooth,
    /// Wi-Fi switches on access points.
    Wifi,
    /// A wired-and-wireless kit on one gateway, by the rules of Zigbee.
    Kit,
}

impl System {
    /// Every system, in the order of the rows.
    pub const ALL: [Self; 8] = [
        Self::Zigbee,
        Self::ZWave,
        Self::Star,
        Self::ZWaveLr,
        Self::Thread,
        Self::Bluetooth,
        Self::Wifi,
        Self::Kit,
    ];
}

/// How a system chooses among the links it has.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum RouteChoice {
    /// Least sum of link cost `min(7, max(1, round(1/p⁴)))`, p the delivery probability.
    LeastLinkCost,
    /// Fewest repeaters, then the best weakest margin.
    FewestRepeaters,
    /// The hub alone, no repeaters: the best of several hubs.
    DirectOnly,
    /// Least sum of link cost by steps of margin: over 20 dB 1, over 10 dB 2, over 2 dB 4.
    MarginSteps,
    /// The nearest of hub and repeaters that has margin.
    Nearest,
    /// Every relay repeats: any path will do, the shortest is shown.
    Flood,
}

/// The rules of one system. A limit that implementations vary is a default.
#[derive(Clone, Copy, Debug)]
#[expect(clippy::struct_excessive_bools, reason = "each is a plain yes or no of a system")]
pub struct SystemRules {
    /// The system.
    pub system: System,
    /// Its name.
    pub name: &'static str,
    /// The most radio hops (links) between hub and device; repeaters are one fewer.
    pub most_hops: usize,
    /// The most devices that one hub serves, itself not counted.
    pub most_devices: usize,
    /// Whether remotes count as devices of the hub.
    pub remotes_count: bool,
    /// The most dedicated repeaters, where the system limits them.
    pub most_repeaters: Option<usize>,
    /// The most routers in the network, hub included, where the system limits them.
    pub most_routers: Option<usize>,
    /// The most end devices that the hub takes as a parent.
    pub children_of_hub: Option<usize>,
    /// The most end devices that a router takes as a parent.
    pub children_of_router: Option<usize>,
    /// The most that a route may cost, where the system limits it.
    pub most_cost: Option<u32>,
    /// How it picks a route.
    pub choice: RouteChoice,
    /// How bits are put on the carrier.
    pub modulation: Modulation,
    /// How often a frame is sent at most on one hop: the MAC's tries.
    pub tries: i32,
    /// How often a message is sent at most: the application's tries, each with all those of the MAC.
    pub app_tries: i32,
    /// Time one frame takes on one hop with its acknowledgement, in milliseconds.
    pub hop_ms: f64,
    /// Whether its devices are included with one of several classes of security.
    pub has_security_classes: bool,
    /// Whether its devices carry a code by which they are let in.
    pub has_codes: bool,
    /// Whether a network is opened for joining, and closed again.
    pub opens: bool,
    /// The channels of which a network works on one, where there is a choice.
    pub channels: Option<Channels>,
    /// A level below which the link is not used, whatever the receiver could hear.
    pub usable: Option<Dbm>,
    /// A level below which it is not called good, whatever the wanted confidence asks.
    pub good: Option<Dbm>,
    /// What keeps it going, in a few words.
    pub upkeep: &'static str,
    /// Where the row comes from.
    pub source: &'static str,
}

/// What a row says where a system does not say otherwise.
const PLAIN: SystemRules = SystemRules {
    system: System::Zigbee,
    name: "",
    most_hops: 1,
    most_devices: 0,
    remotes_count: true,
    most_repeaters: None,
    most_routers: None,
    children_of_hub: None,
    children_of_router: None,
    most_cost: None,
    choice: RouteChoice::DirectOnly,
    modulation: Modulation::Oqpsk,
    tries: 3,
    app_tries: 1,
    hop_ms: 0.0,
    has_security_classes: false,
    has_codes: true,
    opens: true,
    channels: None,
    usable: None,
    good: None,
    upkeep: "",
    source: "",
};

/// One row a system, in the order of the enum.
pub const RULES: [SystemRules; 8] = [
    SystemRules {
        system: System::Zigbee,
        name: "Zigbee",
        most_hops: 5,
        most_devices: 200,
        children_of_hub: Some(32),
        children_of_router: Some(20),
        choice: RouteChoice::LeastLinkCost,
        tries: 4,
        app_tries: 4,
        hop_ms: 15.0,
        channels: Some(IEEE_802_15_4),
        upkeep: "its routes mend themselves; what is taken out is deleted first",
        source: "Zigbee PRO specification, link cost § 3.6.3.1, three retries of the MAC and three of \
            the application support layer; five hops and the numbers of children are this project's defaults",
        ..PLAIN
    },
    SystemRules {
        system: System::ZWave,
        has_security_classes: true,
        name: "Z-Wave",
        most_hops: 5,
        most_devices: 231,
        choice: RouteChoice::FewestRepeaters,
        modulation: Modulation::Fsk,
        hop_ms: 30.0,
        upkeep: "exclude before anything is removed, rebuild the routes after the last one is added",
        source: "Rec. ITU-T G.9959: node ids 1 to 232, the controller's among them; Z-Wave network layer: four repeaters",
        ..PLAIN
    },
    SystemRules {
        system: System::Star,
        has_codes: false,
        name: "Sub-GHz star",
        most_hops: 2,
        most_devices: 75,
        most_repeaters: Some(1),
        choice: RouteChoice::Nearest,
        modulation: Modulation::Fsk,
        hop_ms: 40.0,
        upkeep: "nothing to rebuild; repeaters have to stay powered",
        source: "planning value; the maker's sheet overrules it",
        ..PLAIN
    },
    SystemRules {
        system: System::ZWaveLr,
        opens: false,
        has_security_classes: true,
        name: "Z-Wave Long Range",
        most_devices: 4000,
        most_repeaters: Some(0),
        hop_ms: 30.0,
        upkeep: "nothing to rebuild; exclude before anything is removed",
        source: "Z-Wave Long Range PHY and MAC specification: star, 4,000 nodes, O-QPSK",
        ..PLAIN
    },
    SystemRules {
        system: System::Thread,
        opens: false,
        name: "Thread",
        most_hops: 16,
        most_devices: 511,
        most_routers: Some(32),
        children_of_hub: Some(64),
        children_of_router: Some(64),
        most_cost: Some(15),
        choice: RouteChoice::MarginSteps,
        tries: 4,
        app_tries: 5,
        hop_ms: 12.0,
        channels: Some(IEEE_802_15_4),
        upkeep: "routers choose themselves; its border router has to stay on",
        source: "Thread 1.3 specification: 32 routers, 511 children a \
            router (default here 64), route cost below 16, § 5.9; four retransmissions of a message, \
            RFC 7252 § 4.8",
        ..PLAIN
    },
    SystemRules {
        system: System::Bluetooth,
        opens: false,
        name: "Bluetooth mesh",
        most_hops: 7,
        most_devices: 500,
        choice: RouteChoice::Flood,
        app_tries: 2,
        modulation: Modulation::Gfsk,
        hop_ms: 25.0,
        upkeep: "no hub to keep; each change is told by a phone beside the device",
        source: "Bluetooth Mesh Protocol 1.1: managed flooding, TTL default \
            7, three copies a hop and a message sent again once (planning values)",
        ..PLAIN
    },
    SystemRules {
        system: System::Wifi,
        opens: false,
        name: "Wi-Fi",
        most_devices: 32,
        most_repeaters: Some(0),
        children_of_hub: Some(32),
        tries: 7,
        app_tries: 3,
        hop_ms: 5.0,
        modulation: Modulation::Wifi,
        usable: Some(Dbm::new(-75.0)),
        good: Some(Dbm::new(-67.0)),
        upkeep: "a new router, name or key of the Wi-Fi takes every device off",
        source: "IEEE 802.11; 32 clients an access point, −75 dBm usable and −67 dBm good: planning values",
        channels: Some(WIFI),
        ..PLAIN
    },
    SystemRules {
        system: System::Kit,
        has_codes: false,
        name: "Wired and wireless kit",
        most_hops: 5,
        most_devices: 100,
        children_of_hub: Some(32),
        children_of_router: Some(20),
        choice: RouteChoice::LeastLinkCost,
        tries: 4,
        hop_ms: 15.0,
        channels: Some(IEEE_802_15_4),
        app_tries: 4,
        upkeep: "one gateway keeps it; it is opened and closed by its own remote",
        source: "Zigbee PRO specification; 100 devices a gateway: planning value",
        ..PLAIN
    },
];

/// Limits that a user sets in place of a system's defaults.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Limits {
    /// The most hops between hub and device.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub most_hops: Option<usize>,
    /// The most devices a hub.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub most_devices: Option<usize>,
    /// The most repeaters.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub most_repeaters: Option<usize>,
    /// The most routers.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub most_routers: Option<usize>,
    /// The most end devices under the hub.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub children_of_hub: Option<usize>,
    /// The most end devices under a router.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub children_of_router: Option<usize>,
}

impl Limits {
    /// Each with its name in the job file.
    pub fn each(&self) -> [(&'static str, Option<usize>); 6] {
        [
            ("most_hops", self.most_hops),
            ("most_devices", self.most_devices),
            ("most_repeaters", self.most_repeaters),
            ("most_routers", self.most_routers),
            ("children_of_hub", self.children_of_hub),
            ("children_of_router", self.children_of_router),
        ]
    }

    /// Whether none is set.
    pub fn is_empty(&self) -> bool {
        *self == Self::default()
    }

    /// A system's rules with these limits in place of its defaults.
    pub fn applied_to(&self, rule: &SystemRules) -> SystemRules {
        SystemRules {
            most_hops: self.most_hops.unwrap_or(rule.most_hops),
            most_devices: self.most_devices.unwrap_or(rule.most_devices),
            most_repeaters: self.most_repeaters.or(rule.most_repeaters),
            most_routers: self.most_routers.or(rule.most_routers),
            children_of_hub: self.children_of_hub.or(rule.children_of_hub),
            children_of_router: self.children_of_router.or(rule.children_of_router),
            ..*rule
        }
    }
}

impl SystemRules {
    /// How often a frame is sent at most before a message is given up.
    pub fn all_tries(&self) -> i32 {
        self.tries * self.app_tries
    }

    /// Whether a network works on one of the channels of IEEE 802.15.4.
    pub fn is_802_15_4(&self) -> bool {
        self.channels == Some(IEEE_802_15_4)
    }
}

impl System {
    /// The rules of this system.
    pub fn rule(self) -> &'static SystemRules {
        &RULES[self as usize]
    }
    /// Its name.
    pub fn name(self) -> &'static str {
        self.rule().name
    }
    /// The channels of which a network works on one, where there is a choice.
    pub fn channels(self) -> Option<Channels> {
        self.rule().channels
    }
    /// Whether it is Z-Wave, by mesh or by long range.
    pub fn is_zwave(self) -> bool {
        matches!(self, Self::ZWave | Self::ZWaveLr)
    }

    /// Whether it works at 2.4 GHz.
    pub fn is_2400(self) -> bool {
        !matches!(self, Self::ZWave | Self::Star | Self::ZWaveLr)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_are_in_the_order_of_the_enum_and_cite_a_source() {
        for (i, row) in RULES.iter().enumerate() {
            assert_eq!(row.system as usize, i, "{}", row.name);
            assert_eq!(System::ALL[i], row.system);
            assert!(!row.source.is_empty() && row.most_hops >= 1);
        }
    }

    #[test]
    fn a_limit_that_a_user_sets_replaces_the_default_and_no_other() {
        let limits = Limits { most_hops: Some(3), ..Limits::default() };
        let rule = limits.applied_to(System::Zigbee.rule());
        assert_eq!((rule.most_hops, rule.most_devices), (3, 200));
    }
}
