//! The search for routes, by the system's own choice among its links.

use crate::radio::system::{RouteChoice, SystemRules};
use crate::units::Db;

use super::link::{Link, Links, Node};

/// The graph that a search runs on.
#[derive(Clone, Debug)]
pub struct Graph {
    carries: Vec<bool>,
    /// For each node, whom it hears well enough and what the link costs.
    neighbours: Vec<Vec<(usize, Cost)>>,
    most_cost: u32,
}

/// Routes to every node, as places from the hub; nothing for a node that none reaches.
pub type Ways = Vec<Option<Vec<usize>>>;

/// What a route costs: less is better. Repeaters or link cost first, then the weakest margin.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Cost {
    /// Hops, or the sum of link costs.
    pub sum: u32,
    /// The weakest margin on the way.
    pub weakest: Db,
}

impl Cost {
    fn better_than(&self, other: &Self) -> bool {
        (self.sum, -self.weakest.get()) < (other.sum, -other.weakest.get())
    }
}

/// `min(7, max(1, round(1/p⁴)))`. Source: Zigbee PRO specification, § 3.6.3.1.
pub fn zigbee_link_cost(p: f64) -> u32 {
    #[expect(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "held between 1 and 7"
    )]
    let cost = (1.0 / p.powi(4)).round().clamp(1.0, 7.0) as u32;
    cost
}

/// A link of Thread with no more margin than this is not used.
pub const THREAD_LEAST_MARGIN: Db = Db::new(2.0);

/// Link cost by margin: over 20 dB 1, over 10 dB 2, over 2 dB 4, else none. Source: Thread 1.3
/// specification, § 5.9.2.
pub fn thread_link_cost(margin: Db) -> Option<u32> {
    match margin.get() {
        m if m > 20.0 => Some(1),
        m if m > 10.0 => Some(2),
        m if m > THREAD_LEAST_MARGIN.get() => Some(4),
        _ => None,
    }
}

/// What a link costs by a system's choice; nothing when the system would not use it. `once` is the
/// chance that a frame sent once arrives, asked where it decides.
pub fn link_cost(rule: &SystemRules, margin: Db, once: impl FnOnce() -> f64) -> Option<u32> {
    match rule.choice {
        RouteChoice::FewestRepeaters | RouteChoice::DirectOnly | RouteChoice::Flood => Some(1),
        RouteChoice::LeastLinkCost => Some(zigbee_link_cost(once())),
        RouteChoice::MarginSteps => thread_link_cost(margin),
        // The weakest margin alone decides.
        RouteChoice::Nearest => Some(0),
    }
}

impl Graph {
    /// The links that `wanted` takes, with their cost by the system's own choice.
    pub fn new(
        nodes: &[Node],
        links: &Links,
        rule: &SystemRules,
        once: impl Fn(&Link) -> f64,
        wanted: impl Fn(&Link) -> bool,
    ) -> Self {
        let mut neighbours = vec![Vec::new(); nodes.len()];
        for link in links.all.iter().filter(|l| wanted(l)) {
            let weakest = link.margin();
            let Some(sum) = link_cost(rule, weakest, || once(link)) else { continue };
            neighbours[link.a].push((link.b, Cost { sum, weakest }));
            neighbours[link.b].push((link.a, Cost { sum, weakest }));
        }
        for row in &mut neighbours {
            row.sort_by_key(|(to, _)| *to);
        }
        let carries = nodes.iter().map(Node::carries_others).collect();
        Self { carries, neighbours, most_cost: rule.most_cost.unwrap_or(u32::MAX) }
    }

    /// A graph from bare costs, for tests and for callers with their own links.
    pub fn from_costs(carries: Vec<bool>, costs: &[(usize, usize, Cost)]) -> Self {
        let mut neighbours = vec![Vec::new(); carries.len()];
        for &(a, b, cost) in costs {
            neighbours[a].push((b, cost));
            neighbours[b].push((a, cost));
        }
        for row in &mut neighbours {
            row.sort_by_key(|(to, _)| *to);
        }
        Self { carries, neighbours, most_cost: u32::MAX }
    }

    /// The same graph with this limit on what a route may cost.
    #[must_use]
    pub fn costing_at_most(&self, most_cost: u32) -> Self {
        Self { most_cost, ..self.clone() }
    }

    /// What a route costs, by its places from the hub.
    pub fn cost(&self, way: &[usize]) -> u32 {
        let link = |pair: &[usize]| self.between(pair[0], pair[1]).map_or(0, |cost| cost.sum);
        way.windows(2).map(link).sum()
    }

    /// How many nodes there are.
    pub fn len(&self) -> usize {
        self.carries.len()
    }

    /// Whether there is no node.
    pub fn is_empty(&self) -> bool {
        self.carries.is_empty()
    }

    /// Whether a node carries others.
    pub fn carries(&self, node: usize) -> bool {
        self.carries[node]
    }

    /// Whom a node hears, and what each link costs.
    pub fn neighbours(&self, node: usize) -> &[(usize, Cost)] {
        &self.neighbours[node]
    }

    /// What the link between two nodes costs, where there is one.
    pub fn between(&self, a: usize, b: usize) -> Option<Cost> {
        let row = &self.neighbours[a];
        row.binary_search_by_key(&b, |(to, _)| *to).ok().map(|at| row[at].1)
    }

    /// The most that a route may cost.
    pub fn most_cost(&self) -> u32 {
        self.most_cost
    }

    /// The best route from any of `hubs` to every node within the hop limit, as places from the
    /// hub to the node; nothing for a node that none reaches. `down` nodes take no part.
    ///
    /// Layer `h` holds the best way of exactly `h` hops, so that a hop limit binds in the search
    /// itself and not on its result. A best way repeats no node: costs never fall along a way, and
    /// of two ways of equal cost the one with fewer hops is kept.
    pub fn routes(&self, hubs: &[usize], most_hops: usize, down: &[bool]) -> Ways {
        self.routes_by(hubs, most_hops, down, |_, _| true)
    }

    /// The same over the links alone that `takes`, asked from the hub outward.
    pub fn routes_by(
        &self,
        hubs: &[usize],
        most_hops: usize,
        down: &[bool],
        takes: impl Fn(usize, usize) -> bool,
    ) -> Ways {
        let count = self.carries.len();
        let is_down = |node: usize| down.get(node).copied().unwrap_or(false);
        let mut layer: Vec<Option<Cost>> = vec![None; count];
        for &hub in hubs {
            if !is_down(hub) {
                layer[hub] = Some(Cost { sum: 0, weakest: Db::new(f64::INFINITY) });
            }
        }
        let mut best: Vec<Option<(Cost, usize)>> = vec![None; count];
        let mut parents: Vec<Vec<usize>> = Vec::new();
        for hops in 1..=most_hops {
            let mut next: Vec<Option<Cost>> = vec![None; count];
            let mut parent = vec![usize::MAX; count];
            let mut any = false;
            for (from, cost) in layer.iter().enumerate() {
                let Some(so_far) = cost else { continue };
                if !self.carries[from] {
                    continue;
                }
                for &(to, link) in &self.neighbours[from] {
                    if is_down(to) || hubs.contains(&to) || !takes(from, to) {
                        continue;
                    }
                    let cost = Cost {
                        sum: so_far.sum + link.sum,
                        weakest: so_far.weakest.min(link.weakest),
                    };
                    // What was reached better with fewer hops leads nowhere better from here.
                    if cost.sum > self.most_cost
                        || best[to].is_some_and(|(known, _)| !cost.better_than(&known))
                    {
                        continue;
                    }
                    if next[to].is_none_or(|known| cost.better_than(&known)) {
                        (next[to], parent[to], any) = (Some(cost), from, true);
                    }
                }
            }
            for (to, cost) in next.iter().enumerate() {
                if let Some(cost) = cost {
                    best[to] = Some((*cost, hops));
                }
            }
            parents.push(parent);
            layer = next;
            if !any {
                break;
            }
        }
        (0..count)
            .map(|node| {
                if hubs.contains(&node) {
                    return Some(vec![node]);
                }
                let (_, hops) = best[node]?;
                let mut way = vec![node];
                for parent in parents[..hops].iter().rev() {
                    way.push(parent[way[way.len() - 1]]);
                }
                way.reverse();
                Some(way)
            })
            .collect()
    }

    /// Which nodes a route within all limits leads to when those of `down` take no part.
    pub fn reached(&self, hubs: &[usize], most_hops: usize, down: &[bool]) -> Vec<bool> {
        self.reached_also(hubs, &[], most_hops, down)
    }

    /// The same with one more hub that is no node: it hears the nodes of `heard`, each link at its
    /// cost.
    pub fn reached_also(
        &self,
        hubs: &[usize],
        heard: &[(usize, u32)],
        most_hops: usize,
        down: &[bool],
    ) -> Vec<bool> {
        self.reach(hubs, heard, most_hops, down).iter().map(Option::is_some).collect()
    }

    /// The hops of the shortest route to each node, and the least that one costs.
    pub fn reach(
        &self,
        hubs: &[usize],
        heard: &[(usize, u32)],
        most_hops: usize,
        down: &[bool],
    ) -> Vec<Option<(usize, u32)>> {
        let links = |from: usize| self.neighbours[from].iter().map(|(to, cost)| (*to, cost.sum));
        let reach = Reach { carries: &self.carries, most_hops, most_cost: self.most_cost };
        reach.from(hubs, heard, down, links)
    }
}

/// The question of reach alone, for trying many losses.
#[derive(Clone, Copy, Debug)]
pub struct Reach<'a> {
    /// Which nodes carry others.
    pub carries: &'a [bool],
    /// The most hops of a route.
    pub most_hops: usize,
    /// The most that a route may cost.
    pub most_cost: u32,
}

impl Reach<'_> {
    /// For each node the hops of the shortest route to it within all limits, and what one costs: the
    /// least where cost is limited. Nothing where there is none. Layer by layer: where cost is limited, a node is looked at again once it is reached at
    /// less cost with more hops, as only then it leads farther.
    pub fn from<L: Iterator<Item = (usize, u32)>>(
        &self,
        hubs: &[usize],
        heard: &[(usize, u32)],
        down: &[bool],
        links: impl Fn(usize) -> L,
    ) -> Vec<Option<(usize, u32)>> {
        let is_down = |n: usize| down.get(n).copied().unwrap_or(false);
        let mut found: Vec<Option<(usize, u32)>> = vec![None; self.carries.len()];
        let start = hubs.iter().filter(|h| !is_down(**h));
        // Nodes with what a route of this many hops to them costs.
        let mut layer: Vec<(usize, u32)> = start.map(|h| (*h, 0)).collect();
        for &(hub, _) in &layer {
            found[hub] = Some((0, 0));
        }
        for hop in 1..=self.most_hops {
            let mut next: Vec<(usize, u32)> = Vec::new();
            let mut visit = |to: usize, cost: u32| {
                let leads_on =
                    found[to].is_none_or(|(_, least)| self.most_cost < u32::MAX && cost < least);
                if is_down(to) || cost > self.most_cost || !leads_on {
                    return;
                }
                found[to] = Some((found[to].map_or(hop, |(hops, _)| hops), cost));
                next.push((to, cost));
            };
            if hop == 1 {
                for (to, cost) in heard {
                    visit(*to, *cost);
                }
            }
            for &(from, so_far) in layer.iter().filter(|(n, _)| self.carries[*n]) {
                links(from).for_each(|(to, cost)| visit(to, so_far.saturating_add(cost)));
            }
            if next.is_empty() {
                break;
            }
            layer = next;
        }
        found
    }
}
