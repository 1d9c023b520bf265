//! The order in which devices are joined, with what to mind.

use crate::analysis::Analysis;
use crate::catalogue::{DeviceKind, Duty, Supply};
use crate::network::Role;
use crate::site::{Device, DeviceId, NetworkId, Point, Step};

/// The stages of joining, in their order.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Stage {
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

impl Stage {
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
    pub stage: Stage,
    /// Its hops from the hub, for the order within a stage.
    pub hops: usize,
    /// The steps that this device needs, in order.
    pub steps: Vec<Step>,
    /// What to mind, where it applies.
    pub cautions: Vec<&'static str>,
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

const OUTDOOR: &str =
    "Outdoors: weather-rated enclosure and residual-current protection; work in the dry.";
const HIGH: &str = "Above reach: a ladder on firm ground, held by a second person.";
const CODE: &str = "Photograph or type the join code before the cover hides it.";
const IN_PLACE: &str = "Join it where it will live, so that it picks its parent there.";
const METAL: &str = "Metal box: close it before the test, it costs signal.";
const CUT: &str = "Someone can cut its supply: agree with the household that it stays on.";

fn stage(kind: &DeviceKind, role: Role) -> Stage {
    match (kind.duty, kind.supply, role) {
        (Duty::Hub, ..) => Stage::Hub,
        (Duty::Remote, ..) => Stage::Remotes,
        (_, Supply::Battery, _) => Stage::Battery,
        (_, _, Role::Forwards) => Stage::Repeaters,
        _ => Stage::OtherMains,
    }
}

fn cautions(kind: &DeviceKind, device: &Device, point: &Point) -> Vec<&'static str> {
    use crate::site::{BoxKind, PointKind};
    let rows = [
        (kind.is_wired_in(), CODE),
        (kind.supply == Supply::Battery, IN_PLACE),
        (point.back_box == BoxKind::Metal, METAL),
        (point.kind == PointKind::Outdoor, OUTDOOR),
        (point.height_m.get() > 2.1, HIGH),
        (device.can_be_cut || kind.easily_cut, CUT),
    ];
    rows.into_iter().filter(|(applies, _)| *applies).map(|(_, text)| text).collect()
}

/// The run sheet: hub, repeaters outward, other mains, battery, remotes.
pub fn run_sheet(analysis: &Analysis) -> Vec<Task> {
    let site = &analysis.site;
    let mut tasks = Vec::new();
    for network in &analysis.networks {
        for (place, node) in network.nodes.iter().enumerate() {
            // It joins by the way that the network takes first.
            let first = network.first_route(place);
            let Some(device) = site.devices.get(&node.device) else { continue };
            let (Some(kind), Some(point)) = (site.kind(&device.kind), site.point_of(device)) else {
                continue;
            };
            let mut steps = vec![Step::Code, Step::Joined, Step::Tested];
            if kind.is_wired_in() {
                steps.insert(1, Step::Wired);
            }
            tasks.push(Task {
                device: device.id.clone(),
                network: network.network.clone(),
                stage: stage(kind, node.role.role),
                hops: first.len(),
                steps,
                cautions: cautions(kind, device, point),
                by_way_of: first.last().map(|hop| hop.from.clone()),
            });
        }
    }
    tasks.sort_by(|a, b| {
        (a.stage, &a.network, a.hops, &a.device).cmp(&(b.stage, &b.network, b.hops, &b.device))
    });
    tasks
}
