//! The verdicts on the devices of one network.

use std::cell::OnceCell;
use std::collections::{BTreeMap, BTreeSet};

use super::link::{Link, Links};
use super::obstacles::obstacles;
use super::outcome::{Band, FallBack, Hop, Outcome, Reason};
use super::resilience::disjoint_routes;
use super::route::{Graph, THREAD_LEAST_MARGIN, Ways};
use super::ways::Routing;
use super::{Mesh, Node, Role, RoleReason};
use crate::radio::system::{RouteChoice, SystemRules};
use crate::site::{DeviceId, breaker_order};
use crate::units::Db;

/// What a system allows fewer of than there are: which of them forward, and which are told not to.
///
/// Repeaters of a star and routers of a Thread network beyond the limit do not forward. Those with
/// the best link to a hub stay (*planning rule*): they serve most.
pub(super) fn demote(nodes: &mut [Node], links: &Links, rule: &SystemRules, hubs: &[usize]) {
    let (most, what) = match (rule.most_repeaters, rule.most_routers) {
        (Some(most), _) => (most, "repeaters"),
        (_, Some(most)) => (most.saturating_sub(hubs.len()), "routers"),
        _ => return,
    };
    let to_hub = |place: usize| {
        let to_hubs = hubs.iter().filter_map(|h| links.between(place, *h));
        to_hubs.map(|l| l.margin().get()).fold(f64::NEG_INFINITY, f64::max)
    };
    let forwards = |n: &usize| nodes[*n].role.role == Role::Forwards;
    let mut forwarding: Vec<usize> = (0..nodes.len()).filter(forwards).collect();
    forwarding.sort_by(|a, b| to_hub(*b).total_cmp(&to_hub(*a)).then(a.cmp(b)));
    let beyond: Vec<usize> = forwarding.into_iter().skip(most).collect();
    for place in beyond {
        let role = &mut nodes[place].role;
        (role.role, role.why) = (Role::Leaf, RoleReason::BeyondLimit { most, what });
    }
}

/// Judges the devices of one network.
pub(super) struct Judge<'a> {
    network: &'a Mesh,
    /// How each is reached.
    pub(super) routing: Routing,
    /// The graph and its routes with no limit on hops or cost, once someone asks why not.
    unlimited: OnceCell<(Graph, Ways)>,
}

impl<'a> Judge<'a> {
    pub(super) fn new(network: &'a Mesh) -> Self {
        Self { network, routing: Routing::new(network), unlimited: OnceCell::new() }
    }

    pub(super) fn outcomes(&self) -> Vec<Outcome> {
        let network = self.network;
        let judged = |place: usize| {
            let node = &network.nodes[place];
            let outcome = if !network.is_allowed {
                let (system, region) = (network.rule.name, network.region);
                unreached(node, Reason::NoAllotment { system, region })
            } else if network.hubs.is_empty() {
                unreached(node, if network.is_hubless { Reason::NoRelay } else { Reason::NoHub })
            } else if network.hubs.contains(&place) {
                let what = if network.is_hubless { Reason::SeenFrom } else { Reason::IsHub };
                let hub = unreached(node, what);
                Outcome { band: Band::Solid, success: 1.0, ..hub }
            } else if let Some(way) = &self.routing.best[place] {
                self.reached(way)
            } else {
                let refused = self.routing.refused.get(&place).cloned();
                let (reason, best_link) = match refused {
                    Some(reason) => (reason, None),
                    None => self.why_not(place),
                };
                Outcome { best_link, ..unreached(node, reason) }
            };
            Outcome { parents: self.parents(place), ..outcome }
        };
        let mut outcomes: Vec<_> = (0..network.nodes.len()).map(judged).collect();
        self.find_what_they_hang_on(&mut outcomes);
        outcomes
    }

    /// How many radios that carry others a node hears at target.
    fn parents(&self, place: usize) -> usize {
        let nodes = &self.network.nodes;
        let carriers = (0..nodes.len())
            .filter(|&n| n != place && nodes[n].carries_others() && !self.is_down(n));
        carriers.filter(|n| self.link(place, *n).is_some_and(Link::is_sure)).count()
    }

    fn link(&self, a: usize, b: usize) -> Option<&Link> {
        self.network.links.between(a, b)
    }

    fn is_down(&self, node: usize) -> bool {
        self.network.down.get(node).copied().unwrap_or(false)
    }

    fn reached(&self, way: &[usize]) -> Outcome {
        let rule = self.network.rule;
        let place = way[way.len() - 1];
        let mut outcome = self.along(way);
        if rule.choice == RouteChoice::Flood {
            // Any path will do: with two that share no device, both must fail.
            let within = Routing::within(self.network, &self.network.down, &[]);
            let ways = disjoint_routes(&self.routing.graphs.any, place, within);
            let fail = |w: &Vec<usize>| 1.0 - self.along(w).success;
            let all: f64 = ways.iter().map(fail).product();
            outcome.success = outcome.success.max(1.0 - all);
        }
        let Some(hop) = outcome.weakest().cloned() else { return outcome };
        outcome.band = band(&outcome.hops);
        if self.is_held_by_straight(way) || self.is_undrawn(way) {
            outcome.band = outcome.band.min(Band::Sound);
        }
        let first = self.routing.first[place].as_deref().filter(|first| *first != way);
        if let Some(first) = first {
            outcome.first = self.along(first).hops;
        }
        outcome.reason = match first {
            Some(first) => self.falls_back(&outcome, first),
            None if outcome.band == Band::Thin => self.thin(&hop),
            None => Reason::Reached { weakest: hop.margin(), target: hop.target },
        };
        outcome
    }

    /// Whether an end of a hop stands where nobody drew a wall and nothing was read: nothing is solid there.
    fn is_undrawn(&self, way: &[usize]) -> bool {
        let network = self.network;
        let structure = &network.medium.structure;
        network.learned.is_none()
            && way.iter().any(|p| structure.is_undrawn_at(network.nodes[*p].place))
    }

    /// Whether a star goes by a repeater because straight is not sure enough: it would be there with
    /// less confidence, and asking for more of that must not better a verdict.
    fn is_held_by_straight(&self, way: &[usize]) -> bool {
        let place = way[way.len() - 1];
        let works = |h: &usize| self.routing.graphs.any.between(*h, place).is_some();
        let hubs = self.network.hubs.iter().filter(|h| !self.is_down(**h));
        way.len() > 2
            && self.network.rule.choice == RouteChoice::Nearest
            && hubs.copied().any(|h| works(&h))
    }

    /// Through whom a route leads, in words.
    fn through(&self, hops: &[Hop]) -> String {
        let name = |hop: &Hop| {
            let place = self.network.place_of(&hop.from);
            place.map_or_else(String::new, |n| self.network.nodes[n].name.clone())
        };
        let between: Vec<String> = hops.iter().skip(1).map(name).collect();
        match hops.first() {
            Some(first) if between.is_empty() => format!("straight from {}", name(first)),
            _ => format!("by {}", between.join(" and ")),
        }
    }

    /// What is to be said where the verdict rests on another way than the network takes first.
    fn falls_back(&self, outcome: &Outcome, first: &[usize]) -> Reason {
        let along = self.along(first);
        let (by, way) = (self.through(&along.hops), self.through(&outcome.hops));
        let weak =
            |o: &Outcome| o.weakest().map_or((Db::ZERO, Db::ZERO), |h| (h.margin(), h.target));
        let ((has, wants), (weakest, target)) = (weak(&along), weak(outcome));
        let slower_ms = outcome.delay_ms - along.delay_ms;
        Reason::FallsBack(Box::new(FallBack { by, has, wants, way, weakest, target, slower_ms }))
    }

    /// Hops, success and delay along a way.
    fn along(&self, way: &[usize]) -> Outcome {
        let (nodes, rule) = (&self.network.nodes, self.network.rule);
        let mut outcome = unreached(&nodes[way[way.len() - 1]], Reason::IsHub);
        outcome.success = 1.0;
        outcome.hub = (!self.network.is_hubless).then(|| nodes[way[0]].device.clone());
        for pair in way.windows(2) {
            let Some(link) = self.link(pair[0], pair[1]) else { continue };
            outcome.hops.push(Hop {
                from: nodes[pair[0]].device.clone(),
                to: nodes[pair[1]].device.clone(),
                margin_out: link.margin_from(pair[0]),
                margin_back: link.margin_from(pair[1]),
                target: link.target,
                sigma: link.sigma,
            });
            let (success, tries) = self.network.arrivals.over(nodes, link);
            outcome.success *= success;
            outcome.own_tries = tries;
            outcome.tries += tries;
            outcome.delay_ms += (rule.hop_ms + self.network.wait_ms(pair[0])) * tries;
        }
        outcome
    }

    fn thin(&self, hop: &Hop) -> Reason {
        let ends = (self.network.place_of(&hop.from), self.network.place_of(&hop.to));
        let (weakest, target) = (hop.margin(), hop.target);
        let (Some(from), Some(to)) = ends else { return Reason::Reached { weakest, target } };
        let nodes = &self.network.nodes;
        Reason::Thin {
            weakest,
            target,
            hop: (nodes[from].name.clone(), nodes[to].name.clone()),
            costliest: self.obstacles(from, to).into_iter().next(),
        }
    }

    /// For each device, the devices and breakers whose loss cuts it off.
    fn find_what_they_hang_on(&self, outcomes: &mut [Outcome]) {
        let network = self.network;
        let reached: Vec<usize> =
            (0..outcomes.len()).filter(|p| !outcomes[*p].hops.is_empty()).collect();
        let lost = |dead: &[usize]| {
            let left = self.routing.left_without(network, dead);
            let is_lost = |p: &&usize| !left[**p] && !dead.contains(*p);
            reached.iter().filter(is_lost).copied().collect::<Vec<_>>()
        };
        // What no route runs through cuts nobody off.
        let carries: BTreeSet<usize> = outcomes
            .iter()
            .flat_map(|o| &o.hops)
            .filter_map(|hop| network.place_of(&hop.from))
            .collect();
        for &dead in &carries {
            for place in lost(&[dead]) {
                outcomes[place].hangs_on.push(network.nodes[dead].device.clone());
            }
        }
        let mut circuits: BTreeMap<&str, Vec<usize>> = BTreeMap::new();
        for (place, node) in network.nodes.iter().enumerate() {
            if !node.circuit.is_empty() {
                circuits.entry(&node.circuit).or_default().push(place);
            }
        }
        let mut circuits: Vec<_> = circuits.into_iter().collect();
        circuits.sort_by_key(|(circuit, _)| breaker_order(circuit));
        for (circuit, fed) in circuits {
            if fed.iter().any(|n| carries.contains(n)) {
                for place in lost(&fed) {
                    outcomes[place].hangs_on_breakers.push(circuit.to_owned());
                }
            }
        }
    }

    /// Why a node is not reached, and the radio of the link that this speaks of.
    fn why_not(&self, place: usize) -> (Reason, Option<DeviceId>) {
        let (network, rule) = (self.network, self.network.rule);
        let ways = &self.routing.best;
        let nodes = &network.nodes;
        if self.is_down(place) {
            return (Reason::Down, None);
        }
        if network.hubs.iter().all(|h| self.is_down(*h)) {
            return (Reason::NoHub, None);
        }
        let (at_any_cost, unlimited) = self.unlimited.get_or_init(|| {
            let graph = self.routing.graphs.any.costing_at_most(u32::MAX);
            let ways = graph.routes(&network.hubs, nodes.len(), &network.down);
            (graph, ways)
        });
        let last = |way: &[usize]| Some(nodes[way[way.len() - 2]].device.clone());
        if let Some(way) = &unlimited[place] {
            let (hops, cost, system) = (way.len() - 1, at_any_cost.cost(way), rule.name);
            if hops > rule.most_hops {
                return (Reason::HopLimit { hops, allowed: rule.most_hops, system }, last(way));
            }
            if let Some(allowed) = rule.most_cost.filter(|most| cost > *most) {
                return (Reason::RouteCost { cost, allowed, system }, last(way));
            }
        }
        let others = || (0..nodes.len()).filter(|&n| n != place && ways[n].is_some());
        let best = |candidates: &mut dyn Iterator<Item = usize>| {
            candidates
                .map(|n| (n, network.link(place, n)))
                .max_by(|a, b| a.1.margin().total_cmp(&b.1.margin()))
        };
        // Mains devices that forward by their make, yet earn no credit here.
        let unsure = |n: &usize| {
            !nodes[*n].carries_others()
                && nodes[*n].makes_forward
                && rule.choice != RouteChoice::DirectOnly
        };
        if let Some((through, link)) = best(&mut others().filter(unsure))
            && link.margin() >= Db::ZERO
        {
            let name = nodes[through].name.clone();
            let reason = Reason::OnlyThroughUnsure { through: name, why: nodes[through].role.why };
            return (reason, Some(nodes[through].device.clone()));
        }
        let Some((nearest, link)) = best(&mut others().filter(|n| nodes[*n].carries_others()))
        else {
            return (Reason::NoHub, None);
        };
        let least = match rule.choice {
            RouteChoice::MarginSteps => THREAD_LEAST_MARGIN,
            _ => Db::ZERO,
        };
        let reason = Reason::TooFar {
            nearest: nodes[nearest].name.clone(),
            margin: link.margin(),
            least,
            obstacles: self.obstacles(nearest, place),
            only_back: link.margin_from(nearest) >= least,
            stranger: None,
        };
        (reason, Some(nodes[nearest].device.clone()))
    }

    /// What stands between two nodes, costliest first.
    fn obstacles(&self, a: usize, b: usize) -> Vec<(String, Db)> {
        let nodes = &self.network.nodes;
        obstacles(&self.network.medium, &nodes[a], &nodes[b])
    }
}

/// The band of a route: that of its weakest hop.
fn band(hops: &[Hop]) -> Band {
    hops.iter().map(|h| Band::of(h.margin(), h.target)).min().unwrap_or(Band::Out)
}

fn unreached(node: &Node, reason: Reason) -> Outcome {
    Outcome {
        device: node.device.clone(),
        band: Band::Out,
        hub: None,
        hops: Vec::new(),
        success: 0.0,
        tries: 0.0,
        own_tries: 0.0,
        delay_ms: 0.0,
        first: Vec::new(),
        parents: 0,
        hangs_on: Vec::new(),
        hangs_on_breakers: Vec::new(),
        best_link: None,
        reason,
    }
}
