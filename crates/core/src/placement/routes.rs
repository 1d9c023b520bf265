//! The routes themselves: the shortest, the cheapest, and two that share nothing, by an exact search.

use super::problem::Demand;
use super::served::{FAR, Without, Yard};

impl Yard<'_> {
    /// Up to as many routes to a device as it needs, each from a hub to it, sharing nothing between.
    pub(super) fn routes(&self, demand: &Demand, open: &[bool]) -> Vec<Vec<usize>> {
        let shortest = self.route(demand, open, &|_| true, false);
        let Some(shortest) = shortest else { return Vec::new() };
        if !demand.two_routes {
            return vec![shortest];
        }
        let second = |first: &[usize]| {
            let feeds: Vec<usize> = between(demand, first).map(|n| self.problem.feeds[n]).collect();
            let is_straight = feeds.is_empty();
            let free = |n: usize| !feeds.contains(&self.problem.feeds[n]);
            let other = self.route(demand, open, &free, is_straight);
            other.or_else(|| self.straight_from_other(demand, first))
        };
        if let Some(other) = second(&shortest) {
            return vec![shortest, other];
        }
        if self.straight(demand) > 0 {
            return vec![shortest];
        }
        // One that every route needs settles it; else all first routes are tried.
        let needed = between(demand, &shortest).any(|n| {
            let feed = self.problem.feeds[n];
            self.route(demand, open, &|n| self.problem.feeds[n] != feed, false).is_none()
        });
        if !needed && let Some(pair) = self.any_pair(demand, open) {
            return pair.into();
        }
        vec![shortest]
    }

    /// With several hubs in hearing, a second direct link.
    fn straight_from_other(&self, demand: &Demand, first: &[usize]) -> Option<Vec<usize>> {
        let near = &self.problem.near[demand.node];
        let other = |h: &&usize| **h != first[0] && near.binary_search(h).is_ok();
        let hub = self.hubs.iter().find(other).filter(|_| first.len() == 2)?;
        Some(vec![*hub, demand.node])
    }

    /// The shortest route over open nodes that are `free`, within the hops; on wish not a direct link.
    fn route(
        &self,
        demand: &Demand,
        open: &[bool],
        free: &dyn Fn(usize) -> bool,
        not_straight: bool,
    ) -> Option<Vec<usize>> {
        let mut came = vec![usize::MAX; open.len()];
        let mut hops = vec![FAR; open.len()];
        let mut queue: Vec<usize> = Vec::with_capacity(open.len());
        for hub in &self.hubs {
            hops[*hub] = 0;
            queue.push(*hub);
        }
        let instead = demand.instead.filter(|i| !demand.two_routes && open[*i] && free(*i));
        // What would stand in the place of a device is no way to it.
        let own = demand.instead.filter(|_| demand.two_routes);
        let mut at = 0;
        while at < queue.len() {
            let from = queue[at];
            at += 1;
            if hops[from] == demand.most_hops {
                break;
            }
            for &near in &self.problem.near[from] {
                let is_end = near == demand.node;
                if hops[near] != FAR || is_end && not_straight && hops[from] == 0 {
                    continue;
                }
                if is_end || open[near] && !self.is_hub[near] && Some(near) != own && free(near) {
                    hops[near] = hops[from] + 1;
                    came[near] = from;
                    queue.push(near);
                    if is_end || Some(near) == instead {
                        return Some(back(demand, &came, near));
                    }
                }
            }
        }
        None
    }

    /// Two routes that share nothing, by trying ways from the hub by their hops; of the ways to a node
    /// those whose feeds hold all of another's are left out, as the other always does as well.
    fn any_pair(&self, demand: &Demand, open: &[bool]) -> Option<[Vec<usize>; 2]> {
        let to_end = self.to_end(demand, open, Without::default());
        let mut ways: Vec<Way> = Vec::new();
        for hub in &self.hubs {
            ways.push(Way { node: *hub, came: usize::MAX, feeds: Vec::new() });
        }
        let mut kept: Vec<Vec<usize>> = vec![Vec::new(); open.len()];
        let mut arrived: Vec<usize> = Vec::new();
        let mut layer = 0..ways.len();
        for hop in 1..=demand.most_hops {
            let next = ways.len();
            for way in layer {
                for &near in &self.problem.near[ways[way].node] {
                    if near == demand.node {
                        let apart = |a: &&usize| {
                            !ways[**a]
                                .feeds
                                .iter()
                                .any(|f| ways[way].feeds.binary_search(f).is_ok())
                        };
                        if let Some(first) = arrived.iter().find(apart) {
                            let route = |mut at: usize| {
                                let mut route = vec![demand.node];
                                while at != usize::MAX {
                                    route.push(ways[at].node);
                                    at = ways[at].came;
                                }
                                route.reverse();
                                route
                            };
                            return Some([route(*first), route(way)]);
                        }
                        arrived.push(way);
                    } else if open[near]
                        && !self.is_hub[near]
                        && Some(near) != demand.instead
                        && hop + to_end.to[near] <= demand.most_hops
                    {
                        let mut feeds = ways[way].feeds.clone();
                        let feed = self.problem.feeds[near];
                        match feeds.binary_search(&feed) {
                            Err(at) => feeds.insert(at, feed),
                            Ok(_) if is_on(&ways, way, near) => continue,
                            Ok(_) => {}
                        }
                        let holds = |k: &usize| {
                            ways[*k].feeds.iter().all(|f| feeds.binary_search(f).is_ok())
                        };
                        if kept[near].iter().any(holds) {
                            continue;
                        }
                        kept[near].push(ways.len());
                        ways.push(Way { node: near, came: way, feeds });
                    }
                }
            }
            layer = next..ways.len();
        }
        None
    }

    /// The candidates to buy for the routes that a demand lacks, at the least price where one route is
    /// lacking; where two are, one after the other.
    pub(super) fn cheapest(
        &self,
        demand: &Demand,
        open: &[bool],
        price: &dyn Fn(usize) -> Option<f64>,
    ) -> Option<Vec<usize>> {
        let first = self.cheapest_route(demand, open, price, &|_| true, false)?;
        let mut added: Vec<usize> = first.iter().copied().filter(|n| !open[*n]).collect();
        if demand.two_routes {
            let feeds: Vec<usize> = first.iter().map(|n| self.problem.feeds[*n]).collect();
            let free = |n: usize| !feeds.contains(&self.problem.feeds[n]);
            if let Some(second) = self.cheapest_route(demand, open, price, &free, first.is_empty())
            {
                added.extend(second.into_iter().filter(|n| !open[*n]));
            }
        }
        Some(added)
    }

    /// The nodes between of the cheapest route within the hops.
    fn cheapest_route(
        &self,
        demand: &Demand,
        open: &[bool],
        price: &dyn Fn(usize) -> Option<f64>,
        free: &dyn Fn(usize) -> bool,
        not_straight: bool,
    ) -> Option<Vec<usize>> {
        let nodes = open.len();
        let to_pay = |n: usize| {
            if open[n] { Some(0.0) } else { price(n) }
        };
        let leads = |n: usize| !self.is_hub[n] && free(n);
        let pay: Vec<Option<f64>> =
            (0..nodes).map(|n| if leads(n) { to_pay(n) } else { None }).collect();
        // By hops: the price of reaching each node, and whence.
        let mut layers: Vec<Vec<(f64, usize)>> = vec![vec![(f64::INFINITY, usize::MAX); nodes]];
        for hub in &self.hubs {
            layers[0][*hub].0 = 0.0;
        }
        let mut frontier: Vec<usize> = self.hubs.clone();
        let mut best: Option<(f64, usize, usize)> = None;
        for hop in 0..demand.most_hops {
            let mut next = layers[hop].clone();
            let mut reached = Vec::new();
            for &from in &frontier {
                let so_far = layers[hop][from].0;
                for &near in &self.problem.near[from] {
                    if near == demand.node {
                        if !(not_straight && hop == 0) && best.is_none_or(|(b, ..)| so_far < b) {
                            best = Some((so_far, hop, from));
                        }
                        continue;
                    }
                    let Some(pay) = pay[near] else { continue };
                    if so_far + pay < next[near].0 {
                        next[near] = (so_far + pay, from);
                        reached.push(near);
                    }
                }
            }
            reached.sort_unstable();
            reached.dedup();
            if let Some(i) = demand.instead.filter(|_| !demand.two_routes)
                && next[i].0 < best.map_or(f64::INFINITY, |b| b.0)
            {
                best = Some((next[i].0, hop + 1, i));
            }
            layers.push(next);
            frontier = reached;
        }
        let (_, mut hop, mut at) = best?;
        let mut route = Vec::new();
        while !self.is_hub[at] {
            route.push(at);
            // The layer in which it was reached so.
            while hop > 0 && layers[hop - 1][at] == layers[hop][at] {
                hop -= 1;
            }
            at = layers[hop][at].1;
            hop = hop.saturating_sub(1);
        }
        Some(route)
    }
}

/// The nodes of a route that are neither hub nor what it leads to.
fn between<'r>(demand: &Demand, route: &'r [usize]) -> impl Iterator<Item = usize> + 'r {
    let end = demand.node;
    route[1..].iter().copied().filter(move |n| *n != end)
}

fn back(demand: &Demand, came: &[usize], end: usize) -> Vec<usize> {
    let mut route = vec![end];
    if end != demand.node {
        route.insert(0, demand.node);
    }
    let mut at = end;
    while came[at] != usize::MAX {
        at = came[at];
        route.push(at);
    }
    route.reverse();
    route
}

/// A way from a hub to a node, and the feeds on it in rising order.
struct Way {
    node: usize,
    came: usize,
    feeds: Vec<usize>,
}

/// Whether a way leads over a node.
fn is_on(ways: &[Way], mut at: usize, node: usize) -> bool {
    while at != usize::MAX {
        if ways[at].node == node {
            return true;
        }
        at = ways[at].came;
    }
    false
}
