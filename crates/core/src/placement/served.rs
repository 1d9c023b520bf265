//! Who is reached when some repeaters are there: hops by breadth, two routes by an exact search, and the
//! largest sets of repeaters that still leave a device out.

use super::problem::{Demand, Part, Problem};

/// Farther than any route.
const FAR: usize = usize::MAX / 4;

/// A problem with its hub at one site.
#[derive(Debug)]
pub(super) struct Yard<'a> {
    pub(super) problem: &'a Problem,
    /// Where routes begin: the chosen site, and hubs that stand anyway.
    pub(super) hubs: Vec<usize>,
    is_hub: Vec<bool>,
}

/// Distances that shrink as nodes open.
#[derive(Clone, Debug)]
struct Hops {
    /// For each node the fewest hops over open nodes; also for those that are closed.
    to: Vec<usize>,
    queue: Vec<usize>,
}

impl Hops {
    fn new(nodes: usize) -> Self {
        Self { to: vec![FAR; nodes], queue: Vec::with_capacity(nodes) }
    }

    /// A node's hops sink to this, and with it those of all that hear it over open nodes.
    fn sink(&mut self, yard: &Yard<'_>, node: usize, hops: usize, leads: impl Fn(usize) -> bool) {
        if hops < self.to[node] {
            self.to[node] = hops;
        }
        self.queue.push(node);
        let mut at = 0;
        while at < self.queue.len() {
            let from = self.queue[at];
            at += 1;
            let next = self.to[from] + 1;
            for &near in &yard.problem.near[from] {
                if next < self.to[near] {
                    self.to[near] = next;
                    if leads(near) {
                        self.queue.push(near);
                    }
                }
            }
        }
        self.queue.clear();
    }
}

/// What may not be used when a device is asked about.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Without {
    /// The nodes that live on this.
    pub(super) feed: Option<usize>,
    /// The direct links from hubs.
    pub(super) straight: bool,
}

impl<'a> Yard<'a> {
    pub(super) fn new(problem: &'a Problem, site: usize) -> Self {
        let mut is_hub: Vec<bool> = problem.parts.iter().map(|p| matches!(p, Part::Hub)).collect();
        is_hub[site] = true;
        let hubs = (0..is_hub.len()).filter(|n| is_hub[*n]).collect();
        Self { problem, hubs, is_hub }
    }

    /// What forwards with nothing bought.
    pub(super) fn standing(&self) -> Vec<bool> {
        let stands = |(n, p): (usize, &Part)| self.is_hub[n] || matches!(p, Part::Existing);
        self.problem.parts.iter().enumerate().map(stands).collect()
    }

    /// What forwards with these candidates bought.
    pub(super) fn open(&self, bought: &[usize]) -> Vec<bool> {
        let mut open = self.standing();
        for candidate in bought {
            open[*candidate] = true;
        }
        open
    }

    /// Fewest hops from a hub to each node over open nodes.
    pub(super) fn hops(&self, open: &[bool]) -> Vec<usize> {
        self.down_from(open, Without::default()).to
    }

    fn down_from(&self, open: &[bool], without: Without) -> Hops {
        let mut hops = Hops::new(open.len());
        let leads = |n: usize| open[n] && !self.is_without(n, without);
        for hub in &self.hubs {
            hops.sink(self, *hub, 0, leads);
        }
        hops
    }

    /// The hubs keep their feed: a route may begin at any.
    fn is_without(&self, node: usize, without: Without) -> bool {
        !self.is_hub[node] && without.feed == Some(self.problem.feeds[node])
    }

    /// How many direct links from hubs a demand has; each is a route.
    fn straight(&self, demand: &Demand) -> usize {
        let near = &self.problem.near[demand.node];
        self.hubs.iter().filter(|h| near.binary_search(h).is_ok()).count()
    }

    /// Which demands are met when these nodes are open.
    pub(super) fn met(&self, open: &[bool]) -> Vec<bool> {
        let hops = self.down_from(open, Without::default());
        let met = |demand: &Demand| {
            is_within(demand, open, &hops)
                && (!demand.two_routes || self.routes(demand, open).len() == 2)
        };
        self.problem.demands.iter().map(met).collect()
    }

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

    /// Hops from each node to a device over open nodes.
    fn to_end(&self, demand: &Demand, open: &[bool], without: Without) -> Hops {
        let mut hops = Hops::new(open.len());
        let leads = |n: usize| open[n] && !self.is_hub[n] && !self.is_without(n, without);
        hops.to[demand.node] = 0;
        for &near in &self.problem.near[demand.node] {
            if self.is_hub[near] && without.straight {
                continue;
            }
            if leads(near) {
                hops.sink(self, near, 1, leads);
            } else if hops.to[near] > 1 {
                hops.to[near] = 1;
            }
        }
        if let Some(instead) = demand.instead {
            if leads(instead) {
                hops.sink(self, instead, 0, leads);
            } else {
                hops.to[instead] = 0;
            }
        }
        hops
    }

    /// The candidates of which at least one must be bought for a device to have a route, when all others
    /// of `order` may be: as few as there is no adding one more to the others. Those early in the order are
    /// left out of it where they can. None where no candidate is needed. `enough` breaks off when those in
    /// hand weigh so much that the answer would be of no use.
    pub(super) fn cut(
        &self,
        demand: &Demand,
        without: Without,
        order: &[usize],
        weight: &dyn Fn(usize) -> f64,
        enough: f64,
    ) -> Option<Vec<usize>> {
        let mut open = self.standing();
        let mut down = self.down_from(&open, without);
        let mut up = self.to_end(demand, &open, without);
        let most = demand.most_hops;
        let reached = self.hubs.iter().any(|h| up.to[*h] <= most);
        if reached {
            return None;
        }
        let (mut cut, mut weighs) = (Vec::new(), 0.0);
        for &candidate in order {
            if self.is_without(candidate, without) {
                continue;
            }
            if down.to[candidate] + up.to[candidate] <= most {
                weighs += weight(candidate);
                if weighs >= enough {
                    return None;
                }
                cut.push(candidate);
                continue;
            }
            open[candidate] = true;
            let leads = |n: usize| open[n] && !self.is_hub[n] && !self.is_without(n, without);
            if down.to[candidate] < FAR {
                let hops = down.to[candidate];
                down.sink(self, candidate, hops, leads);
            }
            if up.to[candidate] < FAR {
                let hops = up.to[candidate];
                up.sink(self, candidate, hops, leads);
            }
        }
        Some(cut)
    }

    /// The same for all that a demand needs, by trying.
    pub(super) fn cut_by_trying(
        &self,
        demand: &Demand,
        order: &[usize],
        start: &[usize],
    ) -> Vec<usize> {
        let mut open = self.open(start);
        let needs = if demand.two_routes { 2 } else { 1 };
        let mut cut = Vec::new();
        for &candidate in order {
            if open[candidate] {
                continue;
            }
            open[candidate] = true;
            if self.routes(demand, &open).len() >= needs {
                open[candidate] = false;
                cut.push(candidate);
            }
        }
        cut
    }

    /// Fewest hops from a hub to each node when all candidates are there.
    pub(super) fn depths(&self) -> Vec<usize> {
        self.down_from(&self.all_open(), Without::default()).to
    }

    fn all_open(&self) -> Vec<bool> {
        let forwards = |(n, p): (usize, &Part)| {
            self.is_hub[n] || matches!(p, Part::Existing | Part::Candidate { .. })
        };
        self.problem.parts.iter().enumerate().map(forwards).collect()
    }

    /// Which nodes could lie on a route to one of these demands.
    pub(super) fn useful(&self, demands: &[usize]) -> Vec<bool> {
        let open = self.all_open();
        let down = self.down_from(&open, Without::default());
        let mut useful = vec![false; open.len()];
        for demand in demands.iter().map(|d| &self.problem.demands[*d]) {
            let up = self.to_end(demand, &open, Without::default());
            for (node, useful) in useful.iter_mut().enumerate() {
                *useful |= down.to[node] + up.to[node] <= demand.most_hops;
            }
        }
        useful
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

    /// What a demand asks of candidates besides one route.
    pub(super) fn needs(&self, demand: &Demand) -> Needs {
        if !demand.two_routes {
            return Needs { routes: 1, without: Without::default() };
        }
        match self.straight(demand) {
            0 => Needs { routes: 2, without: Without::default() },
            1 => Needs { routes: 1, without: Without { feed: None, straight: true } },
            _ => Needs { routes: 0, without: Without::default() },
        }
    }
}

/// How many routes a demand needs, beside which links.
#[derive(Clone, Copy, Debug)]
pub(super) struct Needs {
    pub(super) routes: usize,
    pub(super) without: Without,
}

fn is_within(demand: &Demand, open: &[bool], hops: &Hops) -> bool {
    hops.to[demand.node] <= demand.most_hops
        || demand.instead.is_some_and(|i| open[i] && hops.to[i] <= demand.most_hops)
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
