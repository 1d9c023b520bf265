//! One network, analysed: what there is, and what follows from it.

use std::collections::BTreeSet;
use std::ops::Deref;
use std::sync::Arc;

use super::air::{Air, Arrivals, Tuned};
use super::judge::{Judge, demote};
use super::link::{Link, Links, Node, Pricing, Sure};
use super::outcome::{Hop, Outcome};
use super::resilience::{disjoint_routes, routes_apart};
use super::role::Role;
use super::route::Graph;
use super::ways::Routing;
use crate::learned::Learned;
use crate::propagation::Medium;
use crate::pulse::StillWanted;
use crate::radio::system::{RouteChoice, System, SystemRules};
use crate::site::breaker_order;
use crate::site::{DeviceId, Network, NetworkId, Site};
use crate::units::Db;

/// What there is of a network: its radios, their links, what is on the air.
#[derive(Clone, Debug)]
pub struct Mesh {
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
    pub rule: SystemRules,
    /// The places of its hubs in `nodes`.
    pub hubs: Vec<usize>,
    /// The region, by its name.
    pub region: &'static str,
    /// Whether its region has frequencies for its system.
    pub is_allowed: bool,
    /// Whether it works without a hub: `hubs` then names the relay that the others are judged from.
    pub is_hubless: bool,
    /// Which nodes are off in this what-if.
    pub down: Vec<bool>,
    /// What each source on the air lends each node, in the order of `nodes`.
    pub air: Air,
    /// How frames arrive at each node.
    pub arrivals: Arrivals,
    /// Its radios in the order of their ids.
    pub nodes: Vec<Node>,
    /// Their links.
    pub links: Links,
    /// What readings taught, where they did.
    pub learned: Option<Arc<Learned>>,
    /// How sure its links must be.
    pub sure: Sure,
}

/// What the links of a network stand on.
#[derive(Clone, Debug)]
pub struct Ground {
    /// The building priced at its frequency.
    pub medium: Medium,
    /// What readings taught, where they did.
    pub learned: Option<Arc<Learned>>,
    /// How sure its links must be.
    pub sure: Sure,
}

/// One network, analysed.
#[derive(Clone, Debug)]
pub struct NetworkAnalysis {
    /// What there is.
    pub mesh: Mesh,
    /// How each radio is reached.
    pub routing: Routing,
    /// A verdict on each, in the order of `nodes`.
    pub outcomes: Vec<Outcome>,
}

/// What follows is read beside what there is.
impl Deref for NetworkAnalysis {
    type Target = Mesh;
    fn deref(&self) -> &Mesh {
        &self.mesh
    }
}

impl Mesh {
    /// About how much memory it takes.
    pub fn bytes(&self) -> usize {
        self.links.bytes() + self.nodes.len() * 500
    }

    /// The radios of a network in a building priced at its frequency. Losses of radios that stand
    /// where they stood are taken from `before`, which must be of the same building and model.
    pub fn new(
        site: &Site,
        network: &Network,
        Ground { medium, learned, sure }: Ground,
        is_off: impl Fn(&Node) -> bool,
        before: Option<&Self>,
        wanted: &StillWanted<'_>,
    ) -> Self {
        let least =
            network.rule().good.zip(network.rule().usable).map_or(sure.least, |(g, u)| g - u);
        let sure = Sure { least, ..sure };
        let members = site.devices.iter().filter(|d| d.network == network.id);
        let taught = learned.as_deref();
        let mut nodes: Vec<_> =
            members.filter_map(|d| Node::new(site, d, network, taught)).collect();
        let air = Air::new(site, network, &nodes, &medium);
        let on = Tuned::of(network.system, network.channel, medium.frequency());
        let arrivals = Arrivals::new(&air, &mut nodes, &network.rule(), on, sure.sigma);
        let pricing = Pricing { network: &network.id, medium: &medium, learned: taught, sure };
        let links = Links::new(&nodes, &pricing, |a, b| before?.known_loss(a, b), wanted);
        let is_hub = |n: &usize| nodes[*n].role.role == Role::Hub;
        let hubs: Vec<usize> = (0..nodes.len()).filter(is_hub).collect();
        let rule = network.rule();
        demote(&mut nodes, &links, &rule, &hubs);
        let down: Vec<bool> = nodes.iter().map(is_off).collect();
        let is_hubless = hubs.is_empty() && rule.choice == RouteChoice::Flood;
        let hubs = if is_hubless {
            middle_relay(&nodes, &links, &rule, &down).into_iter().collect()
        } else {
            hubs
        };
        let is_allowed = site.job.region.allows(network.system);
        let (name, system, channel) = (network.name.clone(), network.system, network.channel);
        let network = network.id.clone();
        Self {
            network,
            name,
            system,
            medium,
            channel,
            rule,
            hubs,
            region: site.job.region.rule().name,
            is_allowed,
            is_hubless,
            down,
            air,
            arrivals,
            nodes,
            links,
            learned,
            sure,
        }
    }

    /// The place of a device among the nodes.
    pub fn place_of(&self, device: &DeviceId) -> Option<usize> {
        self.nodes.binary_search_by(|n| n.device.cmp(device)).ok()
    }

    /// The link between two nodes, also where neither carries others.
    pub fn link(&self, a: usize, b: usize) -> Link {
        let (a, b) = (a.min(b), a.max(b));
        self.links.between(a, b).copied().unwrap_or_else(|| {
            let (one, other) = (self.nodes[a].place, self.nodes[b].place);
            let walls = self.medium.structure.doubt_between(one, other, self.learned.is_some());
            let (loss, sigma) = self.pricing().price(
                (&self.nodes[a], &self.medium.station(one)),
                (&self.nodes[b], &self.medium.station(other)),
            );
            Link::new(&self.nodes, a, b, loss, walls, Sure { sigma, ..self.sure })
        })
    }

    /// How long a node waits on average for others before a try, in milliseconds.
    pub fn wait_ms(&self, node: usize) -> f64 {
        self.air.wait_ms(node, Tuned::of(self.system, self.channel, self.medium.frequency()))
    }

    /// The breakers that feed its devices, as people look for them.
    pub fn breakers_in_order(&self) -> Vec<&str> {
        let mut breakers: Vec<&str> = self.breakers().into_iter().collect();
        breakers.sort_by_key(|b| breaker_order(b));
        breakers
    }

    /// The breakers that feed its devices, in the order of their names.
    pub fn breakers(&self) -> BTreeSet<&str> {
        self.nodes.iter().map(|n| n.circuit.as_str()).filter(|c| !c.is_empty()).collect()
    }

    /// What readings of the link between two nodes found beyond all else that was learned.
    pub fn read_here(&self, a: usize, b: usize) -> Db {
        let ends = (&self.nodes[a].device, &self.nodes[b].device);
        self.learned.as_ref().map_or(Db::ZERO, |l| l.link(&self.network, ends.0, ends.1))
    }

    fn pricing(&self) -> Pricing<'_> {
        let learned = self.learned.as_deref();
        Pricing { network: &self.network, medium: &self.medium, learned, sure: self.sure }
    }

    fn known_loss(&self, a: &Node, b: &Node) -> Option<(Db, Db)> {
        let (i, j) = (self.place_of(&a.device)?, self.place_of(&b.device)?);
        let unmoved = self.nodes[i].place == a.place && self.nodes[j].place == b.place;
        let known = |link: &Link| (link.path_loss, link.model);
        if unmoved { self.links.between(i, j).map(known) } else { None }
    }
}

/// In a mesh without a hub, the relay from which most of it is reached, over the fewest hops: a message
/// of any switch goes through it or nearer.
fn middle_relay(nodes: &[Node], links: &Links, rule: &SystemRules, down: &[bool]) -> Option<usize> {
    let graph = Graph::new(nodes, links, rule, |_| 1.0, |l| l.margin() >= Db::ZERO);
    let relays = (0..nodes.len()).filter(|n| nodes[*n].carries_others() && !down[*n]);
    let worth = |relay: usize| {
        let reach = graph.reach(&[relay], &[], rule.most_hops, down);
        let hops: usize = reach.iter().flatten().map(|(hops, _)| hops).sum();
        (reach.iter().flatten().count(), std::cmp::Reverse(hops), std::cmp::Reverse(relay))
    };
    relays.max_by_key(|n| worth(*n))
}

impl NetworkAnalysis {
    /// What follows from a mesh: its routes and a verdict on each device.
    pub fn new(mesh: Mesh) -> Self {
        let judge = Judge::new(&mesh);
        let outcomes = judge.outcomes();
        let Judge { routing, .. } = judge;
        Self { mesh, routing, outcomes }
    }

    /// The devices that one hangs on, its hubs left out: without those there is no network at all.
    pub fn hangs_on_carriers<'a>(
        &'a self,
        outcome: &'a Outcome,
    ) -> impl Iterator<Item = &'a DeviceId> {
        let is_hub = |d: &DeviceId| self.place_of(d).is_some_and(|n| self.hubs.contains(&n));
        outcome.hangs_on.iter().filter(move |d| !is_hub(d))
    }

    /// Devices that are lost when `device` dies.
    pub fn lost_without(&self, device: &DeviceId) -> Vec<&Outcome> {
        self.outcomes.iter().filter(|o| o.hangs_on.contains(device)).collect()
    }

    /// Devices that a breaker takes down: those that it feeds, and those lost for want of what it
    /// feeds.
    pub fn lost_with_breaker(&self, breaker: &str) -> Vec<&Outcome> {
        let fed: Vec<usize> =
            (0..self.nodes.len()).filter(|n| self.nodes[*n].circuit == breaker).collect();
        let left = self.routing.left_without(&self.mesh, &fed);
        let was_up = |p: usize| self.hubs.contains(&p) || !self.outcomes[p].hops.is_empty();
        let is_lost = |p: &usize| fed.contains(p) || was_up(*p) && !left[*p];
        (0..self.nodes.len()).filter(is_lost).map(|p| &self.outcomes[p]).collect()
    }

    /// Whether a radio is a hub of its network: a node from which a network without one is seen is not.
    pub fn is_hub(&self, place: usize) -> bool {
        self.hubs.contains(&place) && !self.is_hubless
    }

    /// Whether a radio carries others and is there to do so: a hub that is not off, or what a route
    /// leads to.
    pub fn is_on_air(&self, place: usize) -> bool {
        let is_hub = self.hubs.contains(&place) && !self.down[place];
        is_hub || self.nodes[place].carries_others() && !self.outcomes[place].hops.is_empty()
    }

    /// Up to two routes from a hub to a node that share no device, within all limits, over every link
    /// that works; each as places from the hub.
    pub fn disjoint_routes(&self, place: usize) -> Vec<Vec<usize>> {
        let seats = self.routing.seats_for(&self.mesh, place);
        let within = Routing::within(&self.mesh, &self.down, &seats);
        disjoint_routes(&self.routing.graphs.any, place, within)
    }

    /// The route that the network takes first, strictly by its own rule; the one that the verdict
    /// rests on is [`Outcome::hops`].
    pub fn first_route(&self, place: usize) -> &[Hop] {
        let outcome = &self.outcomes[place];
        if outcome.first.is_empty() { &outcome.hops } else { &outcome.first }
    }

    /// The best route that shares no device, and no link straight from a hub, with the one that the
    /// verdict rests on: at target where there is one, else any. Nothing where there is none, or
    /// where the node is not reached.
    pub fn second_route(&self, place: usize) -> Option<Vec<usize>> {
        let hops = &self.outcomes[place].hops;
        let hub = self.place_of(&hops.first()?.from)?;
        let mut down = self.down.clone();
        for hop in hops.iter().skip(1) {
            down[self.place_of(&hop.from)?] = true;
        }
        let seats = self.routing.seats_for(&self.mesh, place);
        let within = Routing::within(&self.mesh, &down, &seats);
        let takes = |from: usize, to: usize| {
            to != place || within.has_seat(from) && !(hops.len() == 1 && from == hub)
        };
        let (graphs, most) = (&self.routing.graphs, self.rule.most_hops);
        [&graphs.sure, &graphs.any]
            .into_iter()
            .find_map(|g| g.routes_by(&self.hubs, most, &down, takes).swap_remove(place))
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
        let seats = self.routing.seats_for(&self.mesh, place);
        let within = Routing::within(&self.mesh, &self.down, &seats);
        routes_apart(&self.routing.graphs.any, place, within, &feeds)
    }
}
