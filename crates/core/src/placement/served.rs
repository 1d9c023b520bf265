//! Who is reached when some repeaters are there, and the largest sets of repeaters that still leave a device
//! out.

use super::problem::{Demand, NodeUse, Problem};

/// Farther than any route.
pub(super) const FAR: usize = usize::MAX / 4;

/// A problem with its hub at one site.
#[derive(Debug)]
pub(super) struct Yard<'a> {
    pub(super) problem: &'a Problem,
    /// Where routes begin: the chosen site, and hubs that stand anyway.
    pub(super) hubs: Vec<usize>,
    pub(super) is_hub: Vec<bool>,
}

/// Distances that shrink as nodes open.
#[derive(Clone, Debug)]
pub(super) struct Hops {
    /// For each node the fewest hops over open nodes; also for those that are closed.
    pub(super) to: Vec<usize>,
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
        let mut is_hub: Vec<bool> =
            problem.parts.iter().map(|p| matches!(p, NodeUse::Hub)).collect();
        is_hub[site] = true;
        let hubs = (0..is_hub.len()).filter(|n| is_hub[*n]).collect();
        Self { problem, hubs, is_hub }
    }

    /// What forwards with nothing bought.
    pub(super) fn standing(&self) -> Vec<bool> {
        let stands = |(n, p): (usize, &NodeUse)| self.is_hub[n] || matches!(p, NodeUse::Existing);
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
    pub(super) fn straight(&self, demand: &Demand) -> usize {
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

    /// Hops from each node to a device over open nodes.
    pub(super) fn to_end(&self, demand: &Demand, open: &[bool], without: Without) -> Hops {
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
        let forwards = |(n, p): (usize, &NodeUse)| {
            self.is_hub[n] || matches!(p, NodeUse::Existing | NodeUse::Candidate { .. })
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

    /// What a demand asks of candidates besides one route.
    pub(super) fn needs(&self, demand: &Demand) -> RouteNeeds {
        if !demand.two_routes {
            return RouteNeeds { routes: 1, without: Without::default() };
        }
        match self.straight(demand) {
            0 => RouteNeeds { routes: 2, without: Without::default() },
            1 => RouteNeeds { routes: 1, without: Without { feed: None, straight: true } },
            _ => RouteNeeds { routes: 0, without: Without::default() },
        }
    }
}

/// How many routes a demand needs, beside which links.
#[derive(Clone, Copy, Debug)]
pub(super) struct RouteNeeds {
    pub(super) routes: usize,
    pub(super) without: Without,
}

fn is_within(demand: &Demand, open: &[bool], hops: &Hops) -> bool {
    hops.to[demand.node] <= demand.most_hops
        || demand.instead.is_some_and(|i| open[i] && hops.to[i] <= demand.most_hops)
}
