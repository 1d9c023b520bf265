//! Everything about a job that is worth looking at: what, where, why, and the cure.

mod acts;
mod found;
mod mismatch;

use crate::catalogue::Supply;
use crate::fit;
use crate::network::air::BESIDE_M;
use crate::network::{NetworkAnalysis, Node, Outcome, Role, RoleReason};
use crate::radio::mounting::Mounting;
use crate::radio::system::{RouteChoice, System};
use crate::site::{DeviceId, NetworkId, Point, PointId, Security, Site};
use crate::survey::hard_spots::hard_spot;
use crate::survey::natural::lights;
use crate::units::Db;

pub use acts::{Acts, PlaceFindings, grouped};
pub use found::Found;
pub use mismatch::mismatches;

/// Something worth looking at.
#[derive(Clone, Debug, PartialEq)]
pub struct Finding {
    /// What was found; its words, weight and cure follow from it.
    pub found: Found,
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

/// What a cure changes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Mends {
    /// A network and its limits.
    Network,
    /// A point and what stands there.
    Point,
    /// The way that a device is reached.
    Route,
    /// The channel of a network.
    Channel,
    /// Who controls what.
    Control,
}

/// All findings, the weightiest first.
pub fn findings(site: &Site, networks: &[NetworkAnalysis]) -> Vec<Finding> {
    let mut list = List { site, findings: mismatches(site) };
    list.fit();
    list.natural_controls();
    for network in networks {
        list.hubs(network);
        list.capacity(network);
        list.structure(network);
        list.devices(network);
        list.air(network);
        list.security(network);
    }
    list.channels(networks);
    list.findings.sort_by_key(|f| f.found.weight());
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

    fn about(&mut self, network: &NetworkAnalysis, node: Option<&Node>, found: Found) {
        let point = node.and_then(|n| self.point(n)).map(|p| p.id.clone());
        let (network, device) = (Some(network.network.clone()), node.map(|n| n.device.clone()));
        self.findings.push(Finding { found, network, device, point });
    }

    fn fit(&mut self) {
        for device in &self.site.devices {
            let (Some(kind), Some(point)) =
                (self.site.kind(&device.kind), self.site.point_of(device))
            else {
                continue;
            };
            for reason in fit::findings(self.site, kind, point, Some(device)) {
                self.findings.push(Finding {
                    found: Found::DoesNotFit {
                        device: device.name.clone(),
                        ways: reason.ways_out(&self.site.job),
                        reason,
                    },
                    network: Some(device.network.clone()),
                    device: Some(device.id.clone()),
                    point: Some(point.id.clone()),
                });
            }
        }
    }

    fn natural_controls(&mut self) {
        for light in lights(self.site).into_iter().filter(|l| l.by.is_empty()) {
            self.findings.push(Finding {
                found: Found::NoNaturalControl { light: light.name, breaker: light.breaker },
                network: None,
                device: None,
                point: Some(light.point.id.clone()),
            });
        }
    }

    fn hubs(&mut self, network: &NetworkAnalysis) {
        let name = || network.name.clone();
        let region = self.site.job.region;
        if !network.is_allowed {
            let (system, region) = (network.system.name(), region.rule().name);
            let found = Found::NoAllotment { network: name(), system, region };
            self.about(network, None, found);
        }
        if network.hubs.is_empty() && !network.nodes.is_empty() {
            self.about(network, None, Found::NoHub { network: name() });
        }
        for &place in network.hubs.iter().filter(|h| network.is_hub(**h)) {
            self.hub(network, &network.nodes[place]);
        }
        if network.system == System::Thread && network.hubs.len() == 1 {
            self.about(network, None, Found::OneBorderRouter { network: name() });
        }
    }

    fn hub(&mut self, network: &NetworkAnalysis, node: &Node) {
        let hub = || node.name.clone();
        let mounting = self.point(node).map(|p| p.mounting).unwrap_or_default();
        if matches!(
            mounting,
            Mounting::MetalCabinet | Mounting::MeterCupboard | Mounting::VentedRack
        ) {
            let (cupboard, lost) = (mounting.row().name, node.around());
            self.about(network, Some(node), Found::HubInMetal { hub: hub(), cupboard, lost });
        }
        let beside = |p: crate::geometry::Place| p.distance(node.place) < BESIDE_M;
        let near = network.air.sources.iter().find(|s| s.place.is_some_and(beside));
        if let Some(source) = near {
            let (source, carrier) = (source.name.clone(), source.carrier.name());
            self.about(network, Some(node), Found::HubBesideSource { hub: hub(), source, carrier });
        }
        if self.site.kind(&node.kind).is_some_and(|k| k.usb) {
            self.about(network, Some(node), Found::UsbNoise { hub: hub() });
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
                && (n.role.role == Role::Forwards
                    || matches!(n.role.why, RoleReason::BeyondLimit { .. }))
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

    fn limit(&mut self, on: &NetworkAnalysis, count: usize, most: usize, what: &'static str) {
        let (network, system) = (on.name.clone(), on.rule.name);
        #[expect(clippy::cast_precision_loss, reason = "counts are small")]
        let near = count as f64 > NEAR_LIMIT * most as f64;
        if count > most {
            self.about(on, None, Found::OverLimit { network, count, what, system, most });
        } else if near && most > 1 {
            self.about(on, None, Found::NearLimit { network, count, what, most });
        }
    }

    fn structure(&mut self, network: &NetworkAnalysis) {
        let name = |d: &DeviceId| {
            network.place_of(d).map_or_else(|| d.to_string(), |p| network.nodes[p].name.clone())
        };
        let is_mesh =
            !matches!(network.rule.choice, RouteChoice::DirectOnly | RouteChoice::Nearest);
        for (node, outcome) in network.nodes.iter().zip(&network.outcomes) {
            let device = || node.name.clone();
            if node.role.why == RoleReason::IfItsBoxIs {
                let over = |o: &&Outcome| o.hops.iter().any(|h| h.from == node.device);
                let carries = network.outcomes.iter().filter(over).count();
                if carries > 0 {
                    let found = Found::CreditOnCondition { device: device(), carries };
                    self.about(network, Some(node), found);
                }
            }
            let hangs = |o: &&Outcome| network.hangs_on_carriers(o).any(|d| *d == outcome.device);
            let lost = network.outcomes.iter().filter(hangs);
            let carries: Vec<_> = lost.map(|o| name(&o.device)).collect();
            if !carries.is_empty() {
                let found = Found::SinglePointOfFailure { device: device(), carries };
                self.about(network, Some(node), found);
            }
            let hops = outcome.hops.len();
            if hops > DEEP {
                self.about(network, Some(node), Found::DeepChain { device: device(), hops });
            }
        }
        let beyond = network.outcomes.iter().filter(|o| o.hops.len() > 1).count();
        let repeaters = network.nodes.iter().filter(|n| n.role.role == Role::Forwards).count();
        if is_mesh && beyond > 0 && repeaters < FEW_REPEATERS {
            let (name, enough) = (network.name.clone(), FEW_REPEATERS);
            let found = Found::FewRepeaters { network: name, beyond, repeaters, enough };
            self.about(network, None, found);
        }
    }

    fn devices(&mut self, network: &NetworkAnalysis) {
        for (place, (node, outcome)) in network.nodes.iter().zip(&network.outcomes).enumerate() {
            let at = self.point(node).zip(self.site.kind(&node.kind));
            let spot = at.and_then(|(point, kind)| {
                Some((point.name.clone(), hard_spot(self.site, point, kind)?))
            });
            if let Some((place, spot)) = spot {
                let (_, most) = spot.range(network.medium.frequency());
                self.about(network, Some(node), Found::HardSpot { place, spot, most });
            }
            if node.role.may_go_dark {
                self.about(network, Some(node), Found::MayGoDark { device: node.name.clone() });
            }
            self.hops(network, place, node, outcome);
        }
    }

    fn hops(&mut self, network: &NetworkAnalysis, place: usize, node: &Node, outcome: &Outcome) {
        let Some(last) = outcome.hops.last() else { return };
        let device = || node.name.clone();
        let apart = last.margin_out - last.margin_back;
        if apart.get().abs() > ASYMMETRY.get() {
            let (answers, apart) = (apart > Db::ZERO, Db::new(apart.get().abs()));
            let found = Found::Asymmetry { device: device(), answers, apart };
            self.about(network, Some(node), found);
        }
        let sleeps = matches!(node.role.role, Role::Sleeps | Role::Carried);
        let poor = outcome.hops.iter().filter(|h| h.margin() < h.target).count();
        if sleeps && poor > 1 {
            let found = Found::BatteryBehindPoorHops { device: device(), poor };
            self.about(network, Some(node), found);
        }
        let on_battery = self.site.kind(&node.kind).is_some_and(|k| k.supply == Supply::Battery);
        let hears_dark = || {
            let dark = network.nodes.iter().enumerate().filter(|(_, o)| o.role.may_go_dark);
            dark.map(|(n, _)| network.link(place, n)).any(|l| l.is_sure())
        };
        if on_battery && outcome.parents == 0 && hears_dark() {
            self.about(network, Some(node), Found::OnlyParentMayGoDark { device: device() });
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
            self.about(network, None, Found::MixedSecurity { network: network.name.clone() });
        }
    }

    fn air(&mut self, network: &NetworkAnalysis) {
        if network.rule.is_802_15_4()
            && network.channel.is_none()
            && !network.air.sources.is_empty()
        {
            self.about(network, None, Found::NoChannel { network: network.name.clone() });
        }
    }

    fn channels(&mut self, networks: &[NetworkAnalysis]) {
        for (i, one) in networks.iter().enumerate() {
            let Some(channel) = one.channel.filter(|_| one.rule.is_802_15_4()) else { continue };
            let shares = |o: &&NetworkAnalysis| o.channel == Some(channel) && o.rule.is_802_15_4();
            for other in networks[i + 1..].iter().filter(shares) {
                let names = (one.name.clone(), other.name.clone());
                let found = Found::SharedChannel { one: names.0, other: names.1, channel };
                self.about(one, None, found);
            }
        }
    }
}
