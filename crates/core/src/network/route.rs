//! The search for routes, by the system's own choice among its links.

use crate::radio::modulation::Delivery;
use crate::radio::system::{RouteChoice, Rule};
use crate::units::Db;

use super::link::{Links, Node};

/// The graph that a search runs on.
#[derive(Clone, Debug)]
pub struct Graph {
    carries: Vec<bool>,
    /// For each node, whom it hears well enough and what the link costs.
    neighbours: Vec<Vec<(usize, Cost)>>,
}

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

impl Graph {
    /// The links of at least `least_margin` in their worse direction, with their cost by the
    /// system's own choice.
    pub fn new(
        nodes: &[Node],
        links: &Links,
        rule: &Rule,
        delivery: &Delivery,
        least_margin: Db,
    ) -> Self {
        let mut neighbours = vec![Vec::new(); nodes.len()];
        for link in links.all.iter().filter(|l| l.margin() >= least_margin) {
            let weakest = link.margin();
            let sum = match rule.choice {
                RouteChoice::FewestRepeaters => 1,
                RouteChoice::LeastLinkCost => zigbee_link_cost(delivery.success(weakest, 1)),
            };
            neighbours[link.a].push((link.b, Cost { sum, weakest }));
            neighbours[link.b].push((link.a, Cost { sum, weakest }));
        }
        for row in &mut neighbours {
            row.sort_by_key(|(to, _)| *to);
        }
        Self { carries: nodes.iter().map(Node::carries_others).collect(), neighbours }
    }

    /// A graph from bare costs, for tests and for callers with their own links.
    pub fn from_costs(carries: Vec<bool>, costs: &[(usize, usize, Cost)]) -> Self {
        let mut neighbours = vec![Vec::new(); carries.len()];
        for &(a, b, cost) in costs {
            neighbours[a].push((b, cost));
            neighbours[b].push((a, cost));
        }
        Self { carries, neighbours }
    }

    /// The best route from `hub` to every node within the hop limit, as places from the hub to
    /// the node; nothing for a node that none reaches. `down` nodes take no part.
    ///
    /// Layer `h` holds the best way of exactly `h` hops, so that a hop limit binds in the search
    /// itself and not on its result. Costs grow with every hop, so a best way repeats no node.
    pub fn routes(&self, hub: usize, most_hops: usize, down: &[bool]) -> Vec<Option<Vec<usize>>> {
        let count = self.carries.len();
        let is_down = |node: usize| down.get(node).copied().unwrap_or(false);
        let mut layer: Vec<Option<Cost>> = vec![None; count];
        if !is_down(hub) {
            layer[hub] = Some(Cost { sum: 0, weakest: Db::new(f64::INFINITY) });
        }
        let mut best: Vec<Option<(Cost, usize)>> = vec![None; count];
        let mut parents: Vec<Vec<usize>> = Vec::new();
        for hops in 1..=most_hops {
            let mut next: Vec<Option<Cost>> = vec![None; count];
            let mut parent = vec![usize::MAX; count];
            for (from, cost) in layer.iter().enumerate() {
                let Some(so_far) = cost else { continue };
                if !self.carries[from] {
                    continue;
                }
                for &(to, link) in &self.neighbours[from] {
                    if to == hub || is_down(to) {
                        continue;
                    }
                    let cost = Cost {
                        sum: so_far.sum + link.sum,
                        weakest: so_far.weakest.min(link.weakest),
                    };
                    if next[to].is_none_or(|known| cost.better_than(&known)) {
                        (next[to], parent[to]) = (Some(cost), from);
                    }
                }
            }
            for (to, cost) in next.iter().enumerate() {
                if let Some(cost) = cost
                    && best[to].is_none_or(|(known, _)| cost.better_than(&known))
                {
                    best[to] = Some((*cost, hops));
                }
            }
            parents.push(parent);
            layer = next;
        }
        (0..count)
            .map(|node| {
                if node == hub {
                    return Some(vec![hub]);
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
}
