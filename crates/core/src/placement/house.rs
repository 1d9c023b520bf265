//! From the survey to the problem: which places the hub could take, what could repeat, who must be reached,
//! and who would hear whom at target both ways.
//!
//! Nothing is guessed here. All that could be bought is put on a copy of the job beside what is there, and
//! each link of the problem is a link of that copy, reckoned as every other.

use std::collections::{BTreeMap, BTreeSet};

use crate::analysis::Analysis;
use crate::geometry::Place;
use crate::network::link::Node;
use crate::network::{Ground, Mesh, NetworkAnalysis, Role};
use crate::pulse::StillWanted;
use crate::site::neutrals::really;
use crate::site::{
    Device, DeviceId, Edit, FloorId, NetworkId, Point, PointId, Ruled, Site, Spot, apply,
};
use crate::units::Db;

use super::advice::{Apart, Ask};
use super::backhaul::{Backhaul, Backhauls};
use super::cable::Runs;
use super::candidates::{HubCandidate, against, candidates};
use super::offers::{How, Offer, offers, ruled_of_hub};
use super::problem::{Demand, NodeUse, Problem, Quota};
use super::{Moving, Radios};

/// A place where the hub could stand.
#[derive(Clone, Debug, PartialEq)]
pub struct HubSite {
    /// Its name in a list.
    pub name: String,
    /// The surveyed point; nothing where the move itself makes it.
    pub point: Option<PointId>,
    /// Its storey, and where on it.
    pub at: (FloorId, Spot),
    /// Whether the hub stands there now.
    pub as_it_is: bool,
    /// The router that it is beside.
    pub beside: Option<String>,
    /// What speaks against it; with anything, it is not among those to choose from.
    pub against: Vec<String>,
    /// What it costs to put the hub there.
    pub cost: f64,
    /// The edit that moves the hub there.
    pub edit: Edit,
}

/// A device that must be reached.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct AskedDevice {
    pub(super) device: DeviceId,
    pub(super) name: String,
    pub(super) network: NetworkId,
}

/// A job as a problem, with what its nodes are.
#[derive(Debug)]
pub(super) struct HouseProblem {
    pub(super) problem: Problem,
    /// The places for the hub, each with its node; none for those that are not to choose from.
    pub(super) sites: Vec<(HubSite, Option<usize>)>,
    /// What could be bought, each with its node.
    pub(super) offers: Vec<(Offer, usize)>,
    /// Who must be reached, as the demands of the problem stand.
    pub(super) asked: Vec<AskedDevice>,
    /// What every answer costs before anything is chosen: what is locked in.
    pub(super) locked: f64,
    /// The margin over target of the links between nodes where either could carry, also of those below.
    spare: BTreeMap<(usize, usize), f64>,
    /// The node of each existing forwarder that counts.
    pub(super) carriers: BTreeMap<DeviceId, usize>,
    /// Where the radio of a node is.
    pub(super) place_of: BTreeMap<usize, Place>,
    /// What each node is called.
    pub(super) name_of: Vec<String>,
}

/// The most offers that are put into one problem.
const MOST_OFFERS: usize = 400;

impl HouseProblem {
    /// The problem of some networks of a job whose hub is one; nothing where they have no hub or nobody
    /// wants to know any longer. `dearer` is what every link must have beyond its target.
    pub(super) fn new(
        analysis: &Analysis,
        ask: &Ask,
        dearer: Db,
        wanted: &StillWanted<'_>,
    ) -> Option<Self> {
        let site = &analysis.site;
        let main = analysis.networks.iter().find(|n| n.network == ask.network)?;
        let radios = if ask.alone { Radios::Alone } else { Radios::Together };
        let moving = Moving::of(analysis, main, radios)?;
        let runs = Runs::new(site);
        let backhauls = Backhauls::new(analysis, moving.backhaul(site), &runs);
        let (places, _) = candidates(analysis, main, &moving, &backhauls, &ask.spots);
        let mut house = Self {
            problem: Problem::default(),
            sites: Vec::new(),
            offers: Vec::new(),
            asked: Vec::new(),
            locked: 0.0,
            spare: BTreeMap::new(),
            carriers: BTreeMap::new(),
            place_of: BTreeMap::new(),
            name_of: Vec::new(),
        };
        house.add_sites(site, &moving, &backhauls, &places, ask);
        for network in &moving.networks {
            house.add_network(analysis, network, &moving, &places, ask, dearer, wanted)?;
        }
        Some(house)
    }

    /// The networks that are asked about.
    pub(super) fn networks(&self) -> Vec<NetworkId> {
        let mut all: Vec<NetworkId> = self.asked.iter().map(|a| a.network.clone()).collect();
        all.sort();
        all.dedup();
        all
    }

    /// What the link between two nodes has over target; nothing where neither could carry.
    pub(super) fn spare(&self, a: usize, b: usize) -> Option<f64> {
        self.spare.get(&(a.min(b), a.max(b))).copied()
    }

    fn node(&mut self, part: NodeUse, name: &str) -> usize {
        self.name_of.push(name.to_owned());
        self.problem.add(part)
    }

    fn add_sites(
        &mut self,
        site: &Site,
        moving: &Moving<'_>,
        backhauls: &Backhauls<'_>,
        places: &[HubCandidate],
        ask: &Ask,
    ) {
        let now = moving.point(site);
        let mut told: Vec<(HubSite, Option<Ruled>)> = Vec::new();
        for place in places {
            let backhaul = backhauls.at(&place.point, place.place);
            let as_it_is = now.is_some_and(|now| *now == place.point);
            let mut against = against(&place.point);
            against.extend(backhaul.against());
            let ruled = ruled_of_hub(site, &place.point);
            if ruled == Some(Ruled::Never) {
                against.push("ruled out".to_owned());
            }
            let hub = HubSite {
                name: place.name.clone(),
                point: site.points.get(&place.point.id).map(|p| p.id.clone()),
                at: (place.point.floor.clone(), place.point.at),
                as_it_is,
                beside: backhauls.beside(place.place).map(|u| u.name.clone()),
                against,
                cost: if as_it_is { 0.0 } else { moving_cost(site, &backhaul) },
                edit: place.edit.clone(),
            };
            told.push((hub, ruled));
        }
        let is_fixed = told.iter().any(|(_, ruled)| *ruled == Some(Ruled::Always));
        let is_free = |(hub, ruled): &(HubSite, Option<Ruled>)| {
            (if ask.hub_stays {
                hub.as_it_is
            } else {
                hub.against.is_empty() || *ruled == Some(Ruled::Always)
            }) && (!is_fixed || *ruled == Some(Ruled::Always))
        };
        // Where something speaks against every place, the least bad is still to be told.
        let any = told.iter().any(is_free);
        for entry in told {
            let chosen_from = if any { is_free(&entry) } else { entry.0.as_it_is };
            let (hub, _) = entry;
            let part = NodeUse::HubSite { cost: hub.cost };
            let node = chosen_from.then(|| self.node(part, &hub.name.clone()));
            self.sites.push((hub, node));
        }
    }

    #[expect(clippy::too_many_arguments, reason = "one network of one question")]
    fn add_network(
        &mut self,
        analysis: &Analysis,
        network: &NetworkAnalysis,
        moving: &Moving<'_>,
        places: &[HubCandidate],
        ask: &Ask,
        dearer: Db,
        wanted: &StillWanted<'_>,
    ) -> Option<()> {
        let site = &analysis.site;
        let hub = moving.hubs.iter().find(|h| h.network == network.network)?;
        let mut offered = offers(site, network);
        offered.truncate(MOST_OFFERS);
        let (trial, of_sites, of_offers) = trial(site, hub, places, &self.sites, &offered)?;
        let row = trial.networks.get(&network.network)?.clone();
        let medium = network.medium.clone();
        let is_off = |n: &Node| {
            analysis.options.down.contains(&n.device)
                || analysis.options.breakers_off.contains(&n.circuit)
        };
        let before = Some(&network.mesh);
        let (learned, sure) = (network.learned.clone(), network.sure);
        let ground = Ground { medium, learned, sure };
        let mesh = Mesh::new(&trial, &row, ground, is_off, before, wanted);
        if !wanted() {
            return None;
        }
        let mut node_of: Vec<Option<usize>> = vec![None; mesh.nodes.len()];
        let mut carries: Vec<bool> = vec![false; mesh.nodes.len()];
        for (id, at) in of_sites {
            if let (Some(n), Some(node)) = (mesh.place_of(&id), self.sites[at].1) {
                (node_of[n], carries[n]) = (Some(node), true);
            }
        }
        let mut instead: BTreeMap<DeviceId, usize> = BTreeMap::new();
        let mut bought = Vec::new();
        for (id, offer) in of_offers.into_iter().zip(offered) {
            let Some(n) = mesh.place_of(&id) else { continue };
            let part = if offer.is_locked {
                self.locked += offer.cost;
                NodeUse::Existing
            } else {
                NodeUse::Candidate { cost: offer.cost }
            };
            let node = self.node(part, &offer.words());
            if let How::Instead(device) = &offer.how {
                instead.entry(device.clone()).or_insert(node);
            }
            if !offer.is_locked {
                bought.push(node);
            }
            (node_of[n], carries[n]) = (Some(node), true);
            self.offers.push((offer, node));
        }
        let now: BTreeSet<&DeviceId> = moving.hubs.iter().map(|h| &h.id).collect();
        for place in 0..network.nodes.len() {
            let radio = &network.nodes[place];
            let Some(n) = mesh.place_of(&radio.device) else { continue };
            if now.contains(&radio.device) || network.down[place] {
                continue;
            }
            let forwards = radio.carries_others();
            let part = match radio.role.role {
                Role::Hub => NodeUse::Hub,
                _ if forwards => NodeUse::Existing,
                _ => NodeUse::Device,
            };
            let node = self.node(part, &radio.name);
            node_of[n] = Some(node);
            carries[n] = part != NodeUse::Device;
            if part == NodeUse::Hub {
                continue;
            }
            if part == NodeUse::Existing {
                self.carriers.insert(radio.device.clone(), node);
            }
            let critical = site.devices.get(&radio.device).is_some_and(|d| d.critical);
            self.problem.demands.push(Demand {
                node,
                most_hops: network.rule.most_hops,
                two_routes: critical && ask.apart != Apart::Nothing,
                instead: instead.get(&radio.device).copied(),
            });
            self.asked.push(AskedDevice {
                device: radio.device.clone(),
                name: radio.name.clone(),
                network: network.network.clone(),
            });
        }
        for (radio, node) in mesh.nodes.iter().zip(&node_of) {
            self.place_of.extend(node.map(|node| (node, radio.place)));
        }
        self.link(&mesh, &node_of, &carries, dearer);
        if ask.apart == Apart::Breakers {
            self.feed_by_breakers(&mesh, &node_of, hub, site);
        }
        self.limit(network, &bought);
        Some(())
    }

    /// Who would hear whom at target in both directions, and by how much all others miss it.
    fn link(&mut self, mesh: &Mesh, node_of: &[Option<usize>], carries: &[bool], dearer: Db) {
        let usable: Vec<usize> = (0..node_of.len()).filter(|n| node_of[*n].is_some()).collect();
        for (i, &a) in usable.iter().enumerate() {
            for &b in &usable[..i] {
                let (Some(one), Some(other)) = (node_of[a], node_of[b]) else { continue };
                let sites =
                    [one, other].map(|n| matches!(self.problem.parts[n], NodeUse::HubSite { .. }));
                if sites == [true, true] || !(carries[a] || carries[b]) {
                    continue;
                }
                let link = mesh.link(a, b);
                let spare = (link.margin() - link.target - dearer).get();
                self.spare.insert((one.min(other), one.max(other)), spare);
                if link.is_sure() && spare >= 0.0 {
                    self.problem.link(one, other);
                }
            }
        }
    }

    /// Two routes are then apart when no breaker feeds both; that of the hub is left out, as without it
    /// there is nothing to reach anything from.
    fn feed_by_breakers(
        &mut self,
        mesh: &Mesh,
        node_of: &[Option<usize>],
        hub: &Device,
        site: &Site,
    ) {
        let of_hub =
            site.point_of(hub).map(|p| really(site, &p.circuit).to_owned()).unwrap_or_default();
        let breakers: Vec<&str> = mesh.breakers().into_iter().filter(|b| *b != of_hub).collect();
        // Beyond all nodes that any problem here may have.
        let first = usize::MAX / 2;
        for (n, node) in node_of.iter().enumerate() {
            let breaker = breakers.binary_search(&mesh.nodes[n].circuit.as_str());
            if let (Some(node), Ok(breaker)) = (node, breaker) {
                self.problem.feeds[*node] = first + breaker;
            }
        }
    }

    /// What the system allows of what could be bought.
    fn limit(&mut self, network: &NetworkAnalysis, bought: &[usize]) {
        let rule = &network.rule;
        let forwarding = network.nodes.iter().filter(|n| n.role.role == Role::Forwards).count();
        let locked =
            self.offers.iter().filter(|(o, _)| o.is_locked && o.network == network.network).count();
        let there = forwarding + locked;
        let repeaters = rule.most_repeaters.map(|most| most.saturating_sub(there));
        let hubs = network.hubs.len();
        let routers = rule.most_routers.map(|most| most.saturating_sub(there + hubs));
        for most in [repeaters, routers].into_iter().flatten() {
            self.problem.limits.push(Quota { of: bought.to_vec(), most });
        }
        // A plug or a module is one more device of the hub; a version in place of another is not.
        let devices = network.nodes.len().saturating_sub(hubs);
        let room = rule.most_devices.saturating_mul(hubs.max(1)).saturating_sub(devices);
        let is_more = |n: &&usize| {
            let offer = self.offers.iter().find(|(_, node)| node == *n);
            offer.is_some_and(|(o, _)| !matches!(o.how, How::Instead(_)))
        };
        let more: Vec<usize> = bought.iter().filter(is_more).copied().collect();
        if rule.most_devices > 0 && more.len() > room {
            self.problem.limits.push(Quota { of: more, most: room });
        }
        // At one place one thing is bought.
        let mut at: BTreeMap<_, Vec<usize>> = BTreeMap::new();
        for (offer, node) in &self.offers {
            if bought.contains(node) {
                at.entry(&offer.point).or_default().push(*node);
            }
        }
        let several = at.into_values().filter(|of| of.len() > 1);
        self.problem.limits.extend(several.map(|of| Quota { of, most: 1 }));
    }
}

/// What it costs to put the hub elsewhere: the time to set it up there, and a cable where Wi-Fi is too weak.
fn moving_cost(site: &Site, backhaul: &Backhaul) -> f64 {
    let setting = site.rate("minutes-plug") * site.rate("labour-hour") / 60.0;
    let cable = backhaul.cable.as_ref().filter(|_| backhaul.is_cabled());
    let laid = cable.map_or(0.0, |(length, _)| length.get() * site.rate("cable-metre"));
    ((setting + laid) * 100.0).round() / 100.0
}

/// The copy, the hubs on it with the places that they stand for, and the offers on it.
type Trial = (Site, Vec<(DeviceId, usize)>, Vec<DeviceId>);

/// A copy of the job on which all that could be bought stands beside what is there: with the ids of the
/// hubs at each place, and of the offers.
fn trial(
    site: &Site,
    hub: &Device,
    places: &[HubCandidate],
    sites: &[(HubSite, Option<usize>)],
    offers: &[Offer],
) -> Option<Trial> {
    let mut trial = site.clone();
    let mut of_sites = Vec::new();
    let put = |trial: &mut Site, edit: Edit| apply(trial, &edit).ok().map(|_| ());
    for (at, place) in places.iter().enumerate() {
        if sites[at].1.is_none() {
            continue;
        }
        // The place as it would be, under an id of its own: the hub's point may be changed by the move.
        let point = Point { id: format!("advice-place-{at}").parse().ok()?, ..place.point.clone() };
        let id: DeviceId = format!("advice-hub-{at}").parse().ok()?;
        let device = Device { id: id.clone(), point: point.id.clone(), ..hub.clone() };
        if put(&mut trial, Edit::put(point))
            .and_then(|()| put(&mut trial, Edit::put(device)))
            .is_some()
        {
            of_sites.push((id, at));
        }
    }
    let mut of_offers = Vec::new();
    for (n, offer) in offers.iter().enumerate() {
        let id: DeviceId = format!("advice-offer-{n}").parse().ok()?;
        let device = Device::new(
            id.clone(),
            "offer",
            offer.point.clone(),
            &offer.kind,
            offer.network.clone(),
        );
        put(&mut trial, Edit::put(device))?;
        of_offers.push(id);
    }
    Some((trial, of_sites, of_offers))
}
