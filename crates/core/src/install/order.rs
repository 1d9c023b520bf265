//! The order in which devices are joined.

use crate::analysis::Analysis;
use crate::catalogue::{DeviceKind, Duty, Supply};
use crate::network::Role;
use crate::site::{DeviceId, NetworkId};

/// The stages of joining, in their order.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum JoinStage {
    /// The hub first.
    Hub,
    /// Mains devices that forward, outward from the hub.
    Repeaters,
    /// Other mains devices.
    OtherMains,
    /// Battery devices, where they will live.
    Battery,
    /// Remotes and their bindings.
    Remotes,
}

impl JoinStage {
    /// The heading of the stage.
    pub fn name(self) -> &'static str {
        match self {
            Self::Hub => "Hub",
            Self::Repeaters => "Repeaters, outward from the hub",
            Self::OtherMains => "Other mains devices",
            Self::Battery => "Battery devices, where they will live",
            Self::Remotes => "Remotes and what they control",
        }
    }
}

/// One line of the run sheet.
#[derive(Clone, Debug, PartialEq)]
pub struct Task {
    /// The device.
    pub device: DeviceId,
    /// Its network.
    pub network: NetworkId,
    /// When it is joined.
    pub stage: JoinStage,
    /// Its hops from the hub, for the order within a stage.
    pub hops: usize,
    /// What this device waits for: the relay next to it on its route, by name.
    pub by_way_of: Option<DeviceId>,
}

/// Shown at the head of every run sheet that opens a box on the mains.
pub const MAINS_CAUTIONS: [&str; 5] = [
    "Isolate the circuit and lock it off. Prove dead with a tester known to work, at the device and for every conductor in the box: another circuit may share it.",
    "A shared neutral can be live with its own breaker off. Breaker labels can be wrong.",
    "Do not work on fixed wiring unless you are licensed where local law asks for it. Local code and the maker's sheet overrule this sheet.",
    "Tug-test every joint. No bare copper outside a connector. Cap each unused conductor by itself. Keep the earth connected.",
    "No plate goes on before the device is powered, its code kept, joined and tested.",
];

fn stage(kind: &DeviceKind, role: Role) -> JoinStage {
    match (kind.duty, kind.supply, role) {
        (Duty::Hub, ..) => JoinStage::Hub,
        (Duty::Remote, ..) => JoinStage::Remotes,
        (_, Supply::Battery, _) => JoinStage::Battery,
        (_, _, Role::Forwards) => JoinStage::Repeaters,
        _ => JoinStage::OtherMains,
    }
}

/// The run sheet: hub, repeaters outward, other mains, battery, remotes; nothing that is in the house already.
pub fn run_sheet(analysis: &Analysis) -> Vec<Task> {
    let site = &analysis.site;
    let mut tasks = Vec::new();
    for network in &analysis.networks {
        for (place, node) in network.nodes.iter().enumerate() {
            // It joins by the way that the network takes first.
            let first = network.first_route(place);
            let Some(device) = site.devices.get(&node.device) else { continue };
            let Some(kind) = site.kind(&device.kind).filter(|_| !device.is_there()) else {
                continue;
            };
            tasks.push(Task {
                device: device.id.clone(),
                network: network.network.clone(),
                stage: stage(kind, node.role.role),
                hops: first.len(),
                by_way_of: first.last().map(|hop| hop.from.clone()),
            });
        }
    }
    tasks.sort_by(|a, b| {
        (a.stage, &a.network, a.hops, &a.device).cmp(&(b.stage, &b.network, b.hops, &b.device))
    });
    tasks
}
