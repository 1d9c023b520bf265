//! The verdicts on the devices of one network.

use std::cell::OnceCell;
use std::collections::{BTreeMap, BTreeSet};

use super::capacity;
use super::link::{Link, Links};
use super::obstacles::obstacles;
use super::outcome::{Band, Hop, Outcome, Reason};
use super::resilience::disjoint_routes;
use super::route::{Graph, THREAD_LEAST_MARGIN, link_cost};
use super::{Mesh, Node, Role, Why};
use crate::catalogue;
use crate::radio::modulation::Delivery;
use crate::radio::system::{RouteChoice, Rule};
use crate::units::Db;

/// What a system allows fewer of than there are: which of them forward, and which are told not to.
///
/// Repeaters of a star and routers of a Thread network beyond the limit do not forward. Those with
/// the best link to a hub stay (*planning rule*): they serve most.
pub(super) fn demote(nodes: &mut [Node], links: &Links, rule: &Rule, hubs: &[usize]) {
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
        (role.role, role.why) = (Role::Leaf, Why::BeyondLimit { most, what });
    }
}

/// Judges the devices of one network.
pub(super) struct Judge<'a> {
    network: &'a Mesh,
    /// Every link that works at all, as the system reckons it.
    pub(super) graph: Graph,
    /// Every link at target.
    pub(super) sure_graph: Graph,
    delivery: Delivery,
    /// The graph and its routes with no limit on hops or cost, once someone asks why not.
    unlimited: OnceCell<(Graph, Ways)>,
}

/// Routes to every node.
type Ways = Vec<Option<Vec<usize>>>;

impl<'a> Judge<'a> {
    pub(super) fn new(network: &'a Mesh) -> Self {
        let delivery = Delivery::new(network.rule.modulation, network.sure.sigma);
        let of = |wanted: &dyn Fn(&Link) -> bool| {
            Graph::new(&network.nodes, &network.links, &network.rule, &delivery, wanted)
        };
        let (graph, sure_graph) = (of(&|l| l.margin() >= Db::ZERO), of(&Link::is_sure));
        Self { network, graph, sure_graph, delivery, unlimited: OnceCell::new() }
    }

    pub(super) fn outcomes(&self) -> Vec<Outcome> {
        let network = self.network;
        if network.hubs.is_empty() {
            return network.nodes.iter().map(|n| unreached(n, Reason::NoHub)).collect();
        }
        let most = network.rule.most_hops;
        // A planned route uses links at target; thinner ones only where nothing else is.
        let sure = self.sure_graph.routes(&network.hubs, most, &network.down);
        let any = self.graph.routes(&network.hubs, most, &network.down);
        let ways: Ways = sure.into_iter().zip(any).map(|(s, a)| s.or(a)).collect();
        let (ways, refused) = self.within_capacity(ways);
        let mut outcomes: Vec<_> = ways
            .iter()
            .enumerate()
            .map(|(place, way)| match way {
                Some(way) if !network.hubs.contains(&place) => self.reached(way),
                Some(_) => Outcome {
                    band: Band::Solid,
                    success: 1.0,
                    ..unreached(&network.nodes[place], Reason::IsHub)
                },
                None => {
                    let reason = refused.get(&place).cloned();
                    let reason = reason.unwrap_or_else(|| self.why_not(place, &ways));
                    unreached(&network.nodes[place], reason)
                }
            })
            .collect();
        self.find_what_they_hang_on(&mut outcomes);
        outcomes
    }

    /// Takes from parents and hubs what is beyond their limits; end devices go to other parents
    /// where there is room.
    fn within_capacity(&self, mut ways: Ways) -> (Ways, BTreeMap<usize, Reason>) {
        let (network, rule) = (self.network, self.network.rule);
        let mut refused = BTreeMap::new();
        if rule.children_of_hub.is_some() || rule.children_of_router.is_some() {
            self.share_children(&mut ways, &mut refused);
        }
        for &hub in &network.hubs {
            let counted = |place: &usize| {
                *place != hub
                    && (rule.remotes_count || network.nodes[*place].role.role != Role::Carried)
            };
            let mut served: Vec<usize> = (0..ways.len())
                .filter(|p| ways[*p].as_ref().is_some_and(|w| w[0] == hub) && counted(p))
                .collect();
            if served.len() <= rule.most_devices {
                continue;
            }
            // Whoever carries others stays; of the rest the shortest routes.
            let key = |p: &usize| {
                (!network.nodes[*p].carries_others(), ways[*p].as_ref().map_or(0, Vec::len), *p)
            };
            served.sort_by_key(key);
            for &place in &served[rule.most_devices..] {
                ways[place] = None;
                let at = network.nodes[hub].name.clone();
                let most = rule.most_devices;
                refused.insert(place, Reason::Capacity { at, most, what: "devices" });
            }
        }
        (ways, refused)
    }

    fn room(&self, parent: usize) -> usize {
        let rule = self.network.rule;
        let is_hub = self.network.hubs.contains(&parent);
        let room = if is_hub { rule.children_of_hub } else { rule.children_of_router };
        room.unwrap_or(usize::MAX)
    }

    fn share_children(&self, ways: &mut Ways, refused: &mut BTreeMap<usize, Reason>) {
        let network = self.network;
        let is_child = |p: &usize| !network.nodes[*p].carries_others();
        let mut count: BTreeMap<usize, usize> = BTreeMap::new();
        let children: Vec<usize> =
            (0..ways.len()).filter(|p| is_child(p) && ways[*p].is_some()).collect();
        for &child in &children {
            if let Some(way) = &ways[child] {
                *count.entry(way[way.len() - 2]).or_default() += 1;
            }
        }
        if count.iter().all(|(parent, n)| *n <= self.room(*parent)) {
            return;
        }
        let parents: Vec<usize> = (0..ways.len())
            .filter(|p| network.nodes[*p].carries_others() && ways[*p].is_some())
            .collect();
        let wishes: Vec<Vec<(usize, u32)>> =
            children.iter().map(|c| self.wishes(*c, &parents, ways)).collect();
        let places: Vec<usize> =
            parents.iter().map(|p| self.room(*p).min(children.len())).collect();
        for (&child, given) in children.iter().zip(capacity::assign(&wishes, &places)) {
            let way = given.and_then(|p| ways[parents[p]].clone());
            if let Some(mut way) = way {
                way.push(child);
                ways[child] = Some(way);
                continue;
            }
            let full = ways[child].as_ref().map_or(network.hubs[0], |w| w[w.len() - 2]);
            let (at, most) = (network.nodes[full].name.clone(), self.room(full));
            refused.insert(child, Reason::Capacity { at, most, what: "children" });
            ways[child] = None;
        }
    }

    /// The parents that a child could have, by place among `parents`, each with its cost: at target
    /// first, then what the system itself would reckon, then the stronger link.
    fn wishes(&self, child: usize, parents: &[usize], ways: &Ways) -> Vec<(usize, u32)> {
        let (network, rule) = (self.network, self.network.rule);
        let wish = |(n, &parent): (usize, &usize)| {
            let link = network.links.between(child, parent)?;
            let way = ways[parent].as_ref()?;
            let margin = link.margin();
            if margin < Db::ZERO || way.len() > rule.most_hops {
                return None;
            }
            let own = link_cost(&rule, &self.delivery, margin)?;
            let hops = u32::try_from(way.len()).unwrap_or(u32::MAX);
            #[expect(
                clippy::cast_possible_truncation,
                clippy::cast_sign_loss,
                reason = "held between 0 and 99"
            )]
            let weak = (99.0 - margin.get().clamp(0.0, 99.0)) as u32;
            let thin = u32::from(!link.is_sure());
            Some((n, thin * 1_000_000 + (own + hops) * 1000 + weak))
        };
        parents.iter().enumerate().filter_map(wish).collect()
    }

    fn link(&self, a: usize, b: usize) -> Option<&Link> {
        self.network.links.between(a, b)
    }

    fn is_down(&self, node: usize) -> bool {
        self.network.down.get(node).copied().unwrap_or(false)
    }

    fn reached(&self, way: &[usize]) -> Outcome {
        let (nodes, rule) = (&self.network.nodes, self.network.rule);
        let place = way[way.len() - 1];
        let mut outcome = self.along(way);
        if rule.choice == RouteChoice::Flood {
            // Any path will do: with two that share no device, both must fail.
            let Mesh { hubs, down, .. } = self.network;
            let ways = disjoint_routes(&self.graph, hubs, place, down, rule.most_hops);
            let fail = |w: &Vec<usize>| 1.0 - self.along(w).success;
            let all: f64 = ways.iter().map(fail).product();
            outcome.success = outcome.success.max(1.0 - all);
        }
        let carriers = (0..nodes.len())
            .filter(|&n| n != place && nodes[n].carries_others() && !self.is_down(n));
        let is_sure = |n: &usize| self.link(place, *n).is_some_and(Link::is_sure);
        outcome.parents = carriers.filter(is_sure).count();
        let Some(hop) = outcome.weakest().cloned() else { return outcome };
        outcome.band =
            outcome.hops.iter().map(|h| Band::of(h.margin(), h.target)).min().unwrap_or(Band::Out);
        outcome.reason = if outcome.band == Band::Thin {
            self.thin(&hop)
        } else {
            Reason::Reached { weakest: hop.margin(), target: hop.target }
        };
        outcome
    }

    /// Hops, success and delay along a way.
    fn along(&self, way: &[usize]) -> Outcome {
        let (nodes, rule) = (&self.network.nodes, self.network.rule);
        let mut outcome = unreached(&nodes[way[way.len() - 1]], Reason::IsHub);
        outcome.success = 1.0;
        outcome.hub = Some(nodes[way[0]].device.clone());
        for pair in way.windows(2) {
            let Some(link) = self.link(pair[0], pair[1]) else { continue };
            outcome.hops.push(Hop {
                from: nodes[pair[0]].device.clone(),
                to: nodes[pair[1]].device.clone(),
                margin_out: link.margin_from(pair[0]),
                margin_back: link.margin_from(pair[1]),
                target: link.target,
            });
            outcome.success *= self.delivery.success(link.margin(), rule.tries);
            let tries = self.delivery.expected_tries(link.margin(), rule.tries);
            outcome.tries += tries;
            outcome.delay_ms += rule.hop_ms * tries;
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
        let most = network.rule.most_hops;
        // Whoever hears a hub itself hangs on nothing else.
        let direct = |p: usize| {
            network.hubs.iter().any(|h| {
                !self.is_down(*h) && self.link(p, *h).is_some_and(|l| l.margin() >= Db::ZERO)
            })
        };
        let may_hang: Vec<usize> =
            (0..outcomes.len()).filter(|p| !outcomes[*p].hops.is_empty() && !direct(*p)).collect();
        let lost = |dead: &[usize]| {
            let mut down = network.down.clone();
            for &d in dead {
                down[d] = true;
            }
            let left = self.graph.reached(&network.hubs, most, &down);
            let is_lost = |p: &&usize| !left[**p] && !dead.contains(*p);
            may_hang.iter().filter(is_lost).copied().collect::<Vec<_>>()
        };
        let inner: BTreeSet<usize> = outcomes
            .iter()
            .flat_map(|o| o.hops.iter().skip(1))
            .filter_map(|h| network.place_of(&h.from))
            .collect();
        for &dead in &inner {
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
        for (circuit, dead) in circuits {
            // Without its hub a network is gone altogether: nothing hangs on the breaker more than
            // the rest.
            let kills_hub = dead.iter().any(|d| network.hubs.contains(d));
            let carries = dead.iter().any(|d| inner.contains(d));
            let cut = if carries && !kills_hub { lost(&dead) } else { Vec::new() };
            for place in cut {
                outcomes[place].hangs_on_breakers.push(circuit.to_owned());
            }
        }
    }

    fn why_not(&self, place: usize, ways: &Ways) -> Reason {
        let (network, rule) = (self.network, self.network.rule);
        let nodes = &network.nodes;
        if self.is_down(place) {
            return Reason::Down;
        }
        if network.hubs.iter().all(|h| self.is_down(*h)) {
            return Reason::NoHub;
        }
        let (at_any_cost, unlimited) = self.unlimited.get_or_init(|| {
            let graph = self.graph.at_any_cost();
            let ways = graph.routes(&network.hubs, nodes.len(), &network.down);
            (graph, ways)
        });
        if let Some(way) = &unlimited[place] {
            let (hops, cost, system) = (way.len() - 1, at_any_cost.cost(way), rule.name);
            if hops > rule.most_hops {
                return Reason::HopLimit { hops, allowed: rule.most_hops, system };
            }
            if let Some(allowed) = rule.most_cost.filter(|most| cost > *most) {
                return Reason::RouteCost { cost, allowed, system };
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
            let makes = catalogue::kind(&nodes[*n].kind).is_some_and(|k| k.forwards);
            !nodes[*n].carries_others() && makes && rule.choice != RouteChoice::DirectOnly
        };
        if let Some((through, link)) = best(&mut others().filter(unsure))
            && link.margin() >= Db::ZERO
        {
            return Reason::OnlyThroughUnsure {
                through: nodes[through].name.clone(),
                why: nodes[through].role.why,
            };
        }
        let Some((nearest, link)) = best(&mut others().filter(|n| nodes[*n].carries_others()))
        else {
            return Reason::NoHub;
        };
        let least = match rule.choice {
            RouteChoice::MarginSteps => THREAD_LEAST_MARGIN,
            _ => Db::ZERO,
        };
        Reason::TooFar {
            nearest: nodes[nearest].name.clone(),
            short: least - link.margin(),
            obstacles: self.obstacles(nearest, place),
            only_back: link.margin_from(nearest) >= least,
            stranger: None,
        }
    }

    /// What stands between two nodes, costliest first.
    fn obstacles(&self, a: usize, b: usize) -> Vec<(String, Db)> {
        let nodes = &self.network.nodes;
        obstacles(&self.network.medium, &nodes[a], &nodes[b])
    }
}

fn unreached(node: &Node, reason: Reason) -> Outcome {
    Outcome {
        device: node.device.clone(),
        band: Band::Out,
        hub: None,
        hops: Vec::new(),
        success: 0.0,
        tries: 0.0,
        delay_ms: 0.0,
        parents: 0,
        hangs_on: Vec::new(),
        hangs_on_breakers: Vec::new(),
        reason,
    }
}
