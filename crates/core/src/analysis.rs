//! `analyse`: the one computation that every screen, report and command shows.

use std::collections::BTreeSet;
use std::sync::Arc;

use crate::confidence::quantile;
use crate::findings::{Finding, findings};
use crate::geometry::structure::{Doors, Structure};
use crate::network::judge::{Judge, demote, lost_without};
use crate::network::link::Sure;
use crate::network::outcome::{Outcome, Reason};
use crate::network::resilience::{disjoint_routes, routes_apart};
use crate::network::route::Graph;
use crate::network::{Link, Links, Node, Role};
use crate::propagation::{Medium, Model};
use crate::radio::air::Air;
use crate::radio::system::{Rule, System};
use crate::site::{DeviceId, NetworkId, Site};
use crate::units::Db;

/// Deviation of the model before any reading was taken; *planning value*.
pub const PLANNING_SIGMA: Db = Db::new(6.0);

/// What an analysis assumes beside the site.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Options {
    /// How doors stand.
    pub doors: Doors,
    /// Devices that are off in this what-if.
    pub down: BTreeSet<DeviceId>,
    /// Breakers that are off: all that they feed is off.
    pub breakers_off: BTreeSet<String>,
    /// The propagation model, before calibration.
    pub model: Model,
}

/// Everything computed for a site.
#[derive(Clone, Debug)]
pub struct Analysis {
    /// What it was computed for.
    pub site: Arc<Site>,
    /// What it assumes.
    pub options: Options,
    /// The building.
    pub structure: Arc<Structure>,
    /// Deviation of the model.
    pub sigma: Db,
    /// The margin that the wanted confidence needs.
    pub target: Db,
    /// One entry a network.
    pub networks: Vec<NetworkAnalysis>,
    /// Everything worth looking at.
    pub findings: Vec<Finding>,
}

/// One network, analysed.
#[derive(Clone, Debug)]
pub struct NetworkAnalysis {
    /// The network.
    pub network: NetworkId,
    /// Its name.
    pub name: String,
    /// Its system.
    pub system: System,
    /// The building priced at its frequency.
    pub medium: Medium,
    /// The channel that was chosen for it.
    pub channel: Option<u8>,
    /// The rules that bind, the user's own limits included.
    pub rule: Rule,
    /// The places of its hubs in `nodes`.
    pub hubs: Vec<usize>,
    /// Which nodes are off in this what-if.
    pub down: Vec<bool>,
    /// Every link that works at all, as the system reckons it.
    pub graph: Graph,
    /// Every link at target.
    pub sure_graph: Graph,
    /// What each source on the air lends each node, in the order of `nodes`.
    pub air: Air,
    /// Its radios in the order of their ids.
    pub nodes: Vec<Node>,
    /// Their links.
    pub links: Links,
    /// How sure its links must be.
    pub sure: Sure,
    /// A verdict on each, in the order of `nodes`.
    pub outcomes: Vec<Outcome>,
}

/// Analyses a site from nothing.
pub fn analyse(site: &Arc<Site>, options: &Options) -> Analysis {
    analyse_after(None, site, options)
}

/// Analyses a site, taking from an earlier analysis what has not changed. The answer is the same
/// as that of [`analyse`]; a test holds it so.
pub fn analyse_after(earlier: Option<&Analysis>, site: &Arc<Site>, options: &Options) -> Analysis {
    let earlier = earlier.filter(|e| same_building(e, site, options));
    let structure = earlier.map_or_else(
        || Arc::new(Structure::new(site, options.doors)),
        |e| Arc::clone(&e.structure),
    );
    let sigma = site.calibration.as_ref().map_or(PLANNING_SIGMA, |c| c.sigma_db);
    let target = site.job.confidence.target_margin(sigma);
    let sure = Sure { sigma, z: quantile(site.job.confidence.get()) };
    let model = options.model.calibrated(site.calibration.as_ref());
    let mut networks: Vec<NetworkAnalysis> = Vec::new();
    for network in &site.networks {
        let frequency = site.job.region.frequency(network.system, None);
        let before = earlier.and_then(|e| {
            e.networks.iter().find(|n| n.network == network.id && n.medium.frequency() == frequency)
        });
        // Networks at one frequency share prices, and with them the legs between jambs.
        let priced = before.or_else(|| networks.iter().find(|n| n.medium.frequency() == frequency));
        let medium = priced.map_or_else(
            || Medium::new(&structure, frequency, model),
            |priced| priced.medium.with(model),
        );
        let members = site.devices.iter().filter(|d| d.network == network.id);
        let mut nodes: Vec<_> = members.filter_map(|d| Node::new(site, d, network)).collect();
        let air = Air::new(site, network, &nodes, &medium);
        air.raise_needs(&mut nodes, network.channel);
        let links = Links::new(&nodes, &medium, sure, |a, b| before?.known_loss(a, b));
        let is_hub = |n: &usize| nodes[*n].role.role == Role::Hub;
        let hubs = (0..nodes.len()).filter(is_hub).collect();
        let is_off = |n: &Node| {
            options.down.contains(&n.device) || options.breakers_off.contains(&n.circuit)
        };
        let down = nodes.iter().map(is_off).collect();
        let mut analysis = NetworkAnalysis {
            network: network.id.clone(),
            name: network.name.clone(),
            system: network.system,
            medium,
            channel: network.channel,
            rule: network.rule(),
            hubs,
            down,
            graph: Graph::from_costs(Vec::new(), &[]),
            sure_graph: Graph::from_costs(Vec::new(), &[]),
            air,
            sure,
            nodes,
            links,
            outcomes: Vec::new(),
        };
        demote(&mut analysis);
        let judge = Judge::new(&analysis);
        (analysis.graph, analysis.sure_graph) =
            (judge.graph(|l| l.margin() >= Db::ZERO), judge.graph(Link::is_sure));
        analysis.outcomes = Judge::new(&analysis).outcomes();
        networks.push(analysis);
    }
    name_strangers(&mut networks);
    let findings = findings(site, &networks);
    let (site, options) = (Arc::clone(site), options.clone());
    Analysis { site, options, structure, sigma, target, networks, findings }
}

/// Names, for each device that is too far from its own, a forwarding radio of another network
/// nearby: it never helps, and people expect it to.
fn name_strangers(networks: &mut [NetworkAnalysis]) {
    const NEAR_M: f64 = 8.0;
    let carriers: Vec<_> = networks
        .iter()
        .enumerate()
        .flat_map(|(n, network)| {
            let nodes = network.nodes.iter().filter(|node| node.carries_others());
            nodes.map(move |node| (n, node.place, node.name.clone(), network.name.clone()))
        })
        .collect();
    for (n, network) in networks.iter_mut().enumerate() {
        for (node, outcome) in network.nodes.iter().zip(&mut network.outcomes) {
            let Reason::TooFar { stranger, .. } = &mut outcome.reason else { continue };
            let others = carriers.iter().filter(|(other, ..)| *other != n);
            let nearest = others
                .map(|c| (c.1.distance(node.place), c))
                .filter(|(d, _)| *d < NEAR_M)
                .min_by(|a, b| a.0.total_cmp(&b.0));
            *stranger = nearest.map(|(_, (_, _, name, of))| (name.clone(), of.clone()));
        }
    }
}

fn same_building(earlier: &Analysis, site: &Site, options: &Options) -> bool {
    let old = &earlier.site;
    old.walls == site.walls
        && old.floors == site.floors
        && old.slabs == site.slabs
        && old.constructions == site.constructions
        && old.calibration == site.calibration
        && earlier.options.doors == options.doors
        && earlier.options.model == options.model
}

impl Analysis {
    /// The network and place of a device.
    pub fn find(&self, device: &DeviceId) -> Option<(&NetworkAnalysis, usize)> {
        self.networks.iter().find_map(|n| Some((n, n.place_of(device)?)))
    }

    /// The model in force.
    pub fn model(&self) -> Model {
        self.options.model.calibrated(self.site.calibration.as_ref())
    }

    /// Devices that are lost when `device` dies, by name and id.
    pub fn lost_without(&self, device: &DeviceId) -> Vec<&Outcome> {
        self.networks.iter().flat_map(|n| lost_without(n, device)).collect()
    }

    /// The breakers that feed devices, in the order of their names.
    pub fn breakers(&self) -> BTreeSet<&str> {
        self.networks.iter().flat_map(NetworkAnalysis::breakers).collect()
    }

    /// Devices of every network that a breaker takes down: those that it feeds, and those that are
    /// lost because what carries them, or their hub, is fed by it.
    pub fn lost_with_breaker(&self, breaker: &str) -> Vec<&Outcome> {
        self.networks.iter().flat_map(|n| n.lost_with_breaker(breaker)).collect()
    }
}

impl NetworkAnalysis {
    /// The place of a device among the nodes.
    pub fn place_of(&self, device: &DeviceId) -> Option<usize> {
        self.nodes.binary_search_by(|n| n.device.cmp(device)).ok()
    }

    /// The link between two nodes, also where neither carries others.
    pub fn link(&self, a: usize, b: usize) -> Link {
        let (a, b) = (a.min(b), a.max(b));
        self.links.between(a, b).copied().unwrap_or_else(|| {
            let (one, other) = (self.nodes[a].place, self.nodes[b].place);
            let walls = self.medium.structure.doubt_between(one, other);
            Link::new(&self.nodes, a, b, self.medium.loss(one, other), walls, self.sure)
        })
    }

    /// The breakers that feed its devices, in the order of their names.
    pub fn breakers(&self) -> BTreeSet<&str> {
        self.nodes.iter().map(|n| n.circuit.as_str()).filter(|c| !c.is_empty()).collect()
    }

    fn lost_with_breaker(&self, breaker: &str) -> Vec<&Outcome> {
        let fed = |n: &Node| n.circuit == breaker;
        let down: Vec<bool> =
            self.nodes.iter().zip(&self.down).map(|(n, down)| *down || fed(n)).collect();
        let left = self.graph.reached(&self.hubs, self.rule.most_hops, &down);
        let was_up = |p: &usize| self.hubs.contains(p) || !self.outcomes[*p].hops.is_empty();
        let is_lost = |p: &usize| fed(&self.nodes[*p]) || was_up(p) && !left[*p];
        (0..self.nodes.len()).filter(is_lost).map(|p| &self.outcomes[p]).collect()
    }

    /// The radio that carries others, is reached itself, and hears this one best.
    pub fn best_carrier(&self, place: usize) -> Option<usize> {
        let on_air = |n: &usize| self.hubs.contains(n) || !self.outcomes[*n].hops.is_empty();
        (0..self.nodes.len())
            .filter(|n| *n != place && self.nodes[*n].carries_others() && on_air(n))
            .filter_map(|n| Some((n, self.links.between(place, n)?.margin())))
            .max_by(|a, b| a.1.total_cmp(&b.1))
            .map(|(n, _)| n)
    }

    /// Up to two routes from a hub to a node that share no device, within the hop limit, over every
    /// link that works; each as places from the hub.
    pub fn disjoint_routes(&self, place: usize) -> Vec<Vec<usize>> {
        disjoint_routes(&self.graph, &self.hubs, place, &self.down, self.rule.most_hops)
    }

    /// The best route that shares no device with the one in use; nothing where there is none.
    pub fn second_route(&self, place: usize) -> Option<Vec<usize>> {
        let mut down = self.down.clone();
        for hop in self.outcomes[place].hops.iter().skip(1) {
            down[self.place_of(&hop.from)?] = true;
        }
        let way = self.graph.routes(&self.hubs, self.rule.most_hops, &down)[place].clone()?;
        let same = way.len() == 2 && self.outcomes[place].hops.len() == 1;
        (!same || self.hubs.len() > 1).then_some(way)
    }

    /// Two routes from a hub to a node that share neither a device nor a breaker between, within the
    /// hop limit. The node's own breaker and that of the hub are left out: without either there is
    /// nothing to reach or nothing to reach it from. A device whose breaker was not surveyed counts
    /// as on one of its own.
    pub fn routes_by_breakers(&self, place: usize) -> Option<[Vec<usize>; 2]> {
        let hub_breaker =
            |circuit: &str| self.hubs.iter().all(|h| self.nodes[*h].circuit == circuit);
        let shared = |c: &&str| *c != self.nodes[place].circuit && !hub_breaker(c);
        let breakers: Vec<&str> = self.breakers().into_iter().filter(shared).collect();
        let own = |n: usize| breakers.len() + n;
        let feed = |(n, node): (usize, &Node)| {
            breakers.binary_search(&node.circuit.as_str()).unwrap_or(own(n))
        };
        let feeds: Vec<usize> = self.nodes.iter().enumerate().map(feed).collect();
        routes_apart(&self.graph, &self.hubs, place, &self.down, self.rule.most_hops, &feeds)
    }

    fn known_loss(&self, a: &Node, b: &Node) -> Option<Db> {
        let (i, j) = (self.place_of(&a.device)?, self.place_of(&b.device)?);
        let unmoved = self.nodes[i].place == a.place && self.nodes[j].place == b.place;
        if unmoved { Some(self.links.between(i, j)?.path_loss) } else { None }
    }
}
