//! Everything about a job that is worth looking at: what, where, why, and the cure.

use crate::analysis::NetworkAnalysis;
use crate::catalogue::{self, Supply};
use crate::fit::{self, Fits};
use crate::network::{Node, Outcome, Role};
use crate::radio::air::BESIDE_M;
use crate::radio::mounting::Mounting;
use crate::radio::system::{RouteChoice, System};
use crate::site::{DeviceId, NetworkId, Point, PointId, Security, Site};
use crate::units::Db;

/// Something worth looking at, and what to do.
#[derive(Clone, Debug, PartialEq)]
pub struct Finding {
    /// How much it matters.
    pub weight: Weight,
    /// The rule that found it, in a word or two; stable.
    pub rule: &'static str,
    /// What was found, in a sentence or two.
    pub text: String,
    /// What to do.
    pub cure: String,
    /// Where that is done.
    pub screen: Screen,
    /// The network it is about, where it is about one.
    pub network: Option<NetworkId>,
    /// The device it is about, where it is about one.
    pub device: Option<DeviceId>,
    /// The point it is about, where it is about one.
    pub point: Option<PointId>,
}

/// How much a finding matters.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Weight {
    /// It will not work as planned.
    Stops,
    /// It may not work as planned.
    Doubt,
    /// Good to know.
    Note,
}

/// Where a cure is applied.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Screen {
    /// The brief: networks and their limits.
    Brief,
    /// The survey, at the point.
    Survey,
    /// Reach, with the device selected.
    Reach,
    /// The channel adviser.
    Air,
}

/// All findings, the weightiest first.
pub fn findings(site: &Site, networks: &[NetworkAnalysis]) -> Vec<Finding> {
    let mut list = List { site, findings: Vec::new() };
    list.fit();
    for network in networks {
        list.hubs(network);
        list.capacity(network);
        list.structure(network);
        list.devices(network);
        list.air(network);
        list.security(network);
    }
    list.channels(networks);
    list.findings.sort_by_key(|f| f.weight);
    list.findings
}

struct List<'a> {
    site: &'a Site,
    findings: Vec<Finding>,
}

/// Capacity this near to a limit is worth a word.
const NEAR_LIMIT: f64 = 0.9;
/// Deeper chains than this are slow and frail, *planning value*.
const DEEP: usize = 3;
/// More difference than this between the two directions is worth a word.
const ASYMMETRY: Db = Db::new(6.0);
/// Fewer repeaters than this beyond the hub's own reach make a frail mesh.
const FEW_REPEATERS: usize = 3;

impl List<'_> {
    fn point(&self, node: &Node) -> Option<&Point> {
        self.site.devices.get(&node.device).and_then(|d| self.site.point_of(d))
    }

    fn about(
        &mut self,
        weight: Weight,
        rule: &'static str,
        network: &NetworkAnalysis,
        node: Option<&Node>,
        (text, cure, screen): (String, &str, Screen),
    ) {
        let point = node.and_then(|n| self.point(n)).map(|p| p.id.clone());
        self.findings.push(Finding {
            weight,
            rule,
            text,
            cure: cure.to_owned(),
            screen,
            network: Some(network.network.clone()),
            device: node.map(|n| n.device.clone()),
            point,
        });
    }

    fn fit(&mut self) {
        for device in &self.site.devices {
            let (Some(kind), Some(point)) =
                (catalogue::kind(&device.kind), self.site.point_of(device))
            else {
                continue;
            };
            for finding in fit::findings(kind, point) {
                let weight = match finding.fits {
                    Fits::No => Weight::Stops,
                    Fits::ElectricianDecides => Weight::Doubt,
                    Fits::IfSo | Fits::Yes => Weight::Note,
                };
                self.findings.push(Finding {
                    weight,
                    rule: "fit",
                    text: format!("{}: {}", device.name, finding.reason),
                    cure: format!("Ways out: {}.", finding.ways_out.join("; ")),
                    screen: Screen::Survey,
                    network: Some(device.network.clone()),
                    device: Some(device.id.clone()),
                    point: Some(point.id.clone()),
                });
            }
        }
    }

    fn hubs(&mut self, network: &NetworkAnalysis) {
        if network.hubs.is_empty() && !network.nodes.is_empty() {
            let text = format!("{} has no hub.", network.name);
            let cure = "Place one where it can really stand.";
            self.about(Weight::Stops, "no hub", network, None, (text, cure, Screen::Survey));
        }
        for &place in &network.hubs {
            let hub = &network.nodes[place];
            let mounting = self.point(hub).map(|p| p.mounting).unwrap_or_default();
            if matches!(
                mounting,
                Mounting::MetalCabinet | Mounting::MeterCupboard | Mounting::VentedRack
            ) {
                let (what, lost) = (mounting.row().name, hub.around());
                let text =
                    format!("{} stands in a {what}: every link to it loses {lost}.", hub.name);
                let told = (text, "Move it into the open.", Screen::Survey);
                self.about(Weight::Doubt, "hub in metal", network, Some(hub), told);
            }
            let near = network
                .air
                .sources
                .iter()
                .find(|s| s.place.is_some_and(|p| p.distance(hub.place) < BESIDE_M));
            if let Some(source) = near {
                let text = format!(
                    "{} stands within {BESIDE_M} m of {} ({}).",
                    hub.name,
                    source.name,
                    source.carrier.name()
                );
                let told = (text, "Move one of them a metre or two away.", Screen::Survey);
                self.about(Weight::Doubt, "hub beside a source", network, Some(hub), told);
            }
            if catalogue::kind(&hub.kind).is_some_and(|k| k.usb) {
                let text = format!(
                    "{} is a stick in a USB port: USB 3 makes noise at 2.4 GHz right beside it.",
                    hub.name
                );
                let cure = "Put it on an extension lead of a metre or more.";
                let told = (text, cure, Screen::Survey);
                self.about(Weight::Note, "USB noise", network, Some(hub), told);
            }
        }
        if network.system == System::Thread && network.hubs.len() == 1 {
            let text = format!("{} has one border router only.", network.name);
            let cure = "A second one keeps the mesh on the house network when the first is off.";
            self.about(
                Weight::Note,
                "one border router",
                network,
                None,
                (text, cure, Screen::Survey),
            );
        }
    }

    fn capacity(&mut self, network: &NetworkAnalysis) {
        let (rule, hubs) = (network.rule, network.hubs.len());
        let counts = |n: &&Node| {
            n.role.role != Role::Hub && (rule.remotes_count || n.role.role != Role::Carried)
        };
        let members = network.nodes.iter().filter(counts).count();
        self.limit(network, members, rule.most_devices * hubs.max(1), "devices, remotes counted");
        let makes = |n: &&Node| {
            n.role.role != Role::Hub
                && (n.role.role == Role::Forwards || n.role.why.starts_with("the limit of"))
        };
        let forwarding = network.nodes.iter().filter(makes).count();
        if let Some(most) = rule.most_repeaters
            && rule.choice != RouteChoice::DirectOnly
        {
            self.limit(network, forwarding, most, "repeaters");
        }
        if let Some(most) = rule.most_routers {
            self.limit(network, forwarding + hubs, most, "routers");
        }
    }

    fn limit(&mut self, network: &NetworkAnalysis, count: usize, most: usize, what: &str) {
        let (name, system) = (&network.name, network.rule.name);
        #[expect(clippy::cast_precision_loss, reason = "counts are small")]
        let near = count as f64 > NEAR_LIMIT * most as f64;
        if count > most {
            let text = format!("{name} has {count} {what}; {system} allows {most} here.");
            let cure = "Use a second hub, or set the limit that your hub's sheet states.";
            self.about(Weight::Stops, "over a limit", network, None, (text, cure, Screen::Brief));
        } else if near && most > 1 {
            let text = format!("{name} has {count} of {most} {what}: little room is left to grow.");
            let cure = "Plan a second hub before the next devices come.";
            self.about(Weight::Note, "near a limit", network, None, (text, cure, Screen::Brief));
        }
    }

    fn structure(&mut self, network: &NetworkAnalysis) {
        let name = |d: &DeviceId| {
            network.place_of(d).map_or_else(|| d.to_string(), |p| network.nodes[p].name.clone())
        };
        let is_mesh =
            !matches!(network.rule.choice, RouteChoice::DirectOnly | RouteChoice::Nearest);
        for (node, outcome) in network.nodes.iter().zip(&network.outcomes) {
            let lost = network.outcomes.iter().filter(|o| o.hangs_on.contains(&outcome.device));
            let lost: Vec<_> = lost.map(|o| name(&o.device)).collect();
            if !lost.is_empty() {
                let text = format!("{} alone carries {}.", node.name, lost.join(", "));
                let cure = "Give them a second way round: one more repeater near them.";
                let told = (text, cure, Screen::Reach);
                self.about(Weight::Doubt, "single point of failure", network, Some(node), told);
            }
            if outcome.hops.len() > DEEP {
                let text = format!(
                    "{} is {} hops from the hub: slow, and frail at every one.",
                    node.name,
                    outcome.hops.len()
                );
                let told = (text, "Move the hub, or add a repeater on the way.", Screen::Reach);
                self.about(Weight::Note, "deep chain", network, Some(node), told);
            }
        }
        let beyond = network.outcomes.iter().filter(|o| o.hops.len() > 1).count();
        let repeaters = network.nodes.iter().filter(|n| n.role.role == Role::Forwards).count();
        if is_mesh && beyond > 0 && repeaters < FEW_REPEATERS {
            let text = format!(
                "{}: {beyond} devices are beyond the hub's own reach, and {repeaters} repeaters \
                 carry them; fewer than {FEW_REPEATERS} make a frail mesh.",
                network.name
            );
            let cure = "Add mains devices that forward between hub and far end.";
            self.about(Weight::Note, "few repeaters", network, None, (text, cure, Screen::Reach));
        }
    }

    fn devices(&mut self, network: &NetworkAnalysis) {
        for (place, (node, outcome)) in network.nodes.iter().zip(&network.outcomes).enumerate() {
            if node.role.may_go_dark {
                let text = format!("{} could forward, but someone can cut its supply.", node.name);
                let cure = "Agree that it stays on and say so in Survey, or repeat elsewhere.";
                let told = (text, cure, Screen::Survey);
                self.about(Weight::Note, "may go dark", network, Some(node), told);
            }
            self.hops(network, place, node, outcome);
        }
    }

    fn hops(&mut self, network: &NetworkAnalysis, place: usize, node: &Node, outcome: &Outcome) {
        let Some(last) = outcome.hops.last() else { return };
        let apart = last.margin_out - last.margin_back;
        if apart.get().abs() > ASYMMETRY.get() {
            let way = if apart > Db::ZERO { "answers" } else { "hears" };
            let text = format!(
                "{} {way} {} worse than the other way round.",
                node.name,
                Db::new(apart.get().abs())
            );
            let told = (text, "Plan by the worse direction; it is the one shown.", Screen::Reach);
            self.about(Weight::Note, "asymmetry", network, Some(node), told);
        }
        let sleeps = matches!(node.role.role, Role::Sleeps | Role::Carried);
        let poor = outcome.hops.iter().filter(|h| h.margin() < h.target).count();
        if sleeps && poor > 1 {
            let text = format!(
                "{} runs on a battery behind {poor} poor hops: it will send often and die early.",
                node.name
            );
            let told = (text, "Put a repeater between.", Screen::Reach);
            self.about(Weight::Doubt, "battery behind poor hops", network, Some(node), told);
        }
        let on_battery = catalogue::kind(&node.kind).is_some_and(|k| k.supply == Supply::Battery);
        let hears_dark = || {
            let dark = network.nodes.iter().enumerate().filter(|(_, o)| o.role.may_go_dark);
            dark.map(|(n, _)| network.link(place, n)).any(|l| l.is_sure())
        };
        if on_battery && outcome.parents == 0 && hears_dark() {
            let text = format!("The only parent near {} is one that may go dark.", node.name);
            let told = (text, "Keep that one on for good, or add a repeater.", Screen::Reach);
            self.about(Weight::Doubt, "only parent may go dark", network, Some(node), told);
        }
    }

    fn security(&mut self, network: &NetworkAnalysis) {
        let classes: std::collections::BTreeSet<Security> = network
            .nodes
            .iter()
            .filter_map(|n| self.site.devices.get(&n.device))
            .map(|d| d.security)
            .filter(|s| *s != Security::Unsaid)
            .collect();
        if classes.len() > 1 {
            let text = format!(
                "{} mixes classes of security: devices of different classes do not talk directly.",
                network.name
            );
            let cure = "Include them again with one class, or let what they say go by the hub.";
            self.about(
                Weight::Doubt,
                "mixed security",
                network,
                None,
                (text, cure, Screen::Survey),
            );
        }
    }

    fn air(&mut self, network: &NetworkAnalysis) {
        if network.rule.has_channels && network.channel.is_none() && !network.air.sources.is_empty()
        {
            let text = format!(
                "{} has no channel chosen, so what else is on the air does not enter its margins.",
                network.name
            );
            let told = (text, "Choose one in the channel adviser.", Screen::Air);
            self.about(Weight::Note, "no channel", network, None, told);
        }
    }

    fn channels(&mut self, networks: &[NetworkAnalysis]) {
        for (i, one) in networks.iter().enumerate() {
            let shares = |other: &&NetworkAnalysis| {
                one.channel.is_some() && one.channel == other.channel && other.rule.has_channels
            };
            if !one.rule.has_channels {
                continue;
            }
            for other in networks[i + 1..].iter().filter(shares) {
                let text = format!(
                    "{} and {} share channel {}.",
                    one.name,
                    other.name,
                    one.channel.unwrap_or_default()
                );
                let told = (text, "Give one of them another channel.", Screen::Air);
                self.about(Weight::Doubt, "shared channel", one, None, told);
            }
        }
    }
}
