//! Two ways round: routes that share no device, by maximum flow, and routes that share no breaker,
//! by a search over the sets of breakers that ways hang on.

use std::collections::VecDeque;

use super::route::Graph;

/// Which routes are asked about: from which hubs, past what is down, within which limits.
#[derive(Clone, Copy, Debug)]
pub struct Within<'a> {
    /// The hubs.
    pub hubs: &'a [usize],
    /// What takes no part.
    pub down: &'a [bool],
    /// The most hops of a route.
    pub most_hops: usize,
    /// Which nodes have a seat for the one at the end; empty where seats do not count.
    pub seats: &'a [bool],
}

impl Within<'_> {
    fn is_down(&self, node: usize) -> bool {
        self.down.get(node).copied().unwrap_or(false)
    }

    /// Whether a node may be the last before the end.
    pub fn has_seat(&self, node: usize) -> bool {
        self.seats.get(node).copied().unwrap_or(true)
    }
}

/// Up to two routes from a hub to `to` within all limits that share no device between; each as places
/// from the hub.
///
/// Maximum flow with unit capacity through each device, stopped at two; where it takes a way beyond a
/// limit, which is no part of a flow, the search of [`routes_apart`].
pub fn disjoint_routes(graph: &Graph, to: usize, within: Within<'_>) -> Vec<Vec<usize>> {
    if within.is_down(to) || within.hubs.contains(&to) {
        return Vec::new();
    }
    let mut flow = Flow::new(graph, to, within);
    let count = (0..2).take_while(|_| flow.augment()).count();
    let ways: Vec<_> = (0..count).map(|_| flow.take_route()).collect();
    let fits =
        |w: &Vec<usize>| w.len() - 1 <= within.most_hops && graph.cost(w) <= graph.most_cost();
    if ways.iter().all(fits) {
        return ways;
    }
    let each: Vec<usize> = (0..graph.len()).collect();
    if let Some(two) = routes_apart(graph, to, within, &each) {
        return two.into();
    }
    let Within { hubs, down, most_hops, .. } = within;
    let takes = |from: usize, node: usize| node != to || within.has_seat(from);
    graph.routes_by(hubs, most_hops, down, takes).swap_remove(to).into_iter().collect()
}

/// Two routes from a hub to `to` within all limits, with no feed in common between hub and `to`; each
/// as places from the hub, the shorter first. `feed` says for each node what it lives on: nodes of
/// one breaker have the same number, and those that must not share one have their own, so that two
/// such routes share no device either.
///
/// Of the ways to a node only those are kept whose set of feeds holds no other way's that is as
/// short and as cheap: taking that instead never makes two routes meet. The search is exact up to
/// [`MOST_WAYS`] kept ways, beyond which it answers as if there were none, the cautious answer.
pub fn routes_apart(
    graph: &Graph,
    to: usize,
    within: Within<'_>,
    feed: &[usize],
) -> Option<[Vec<usize>; 2]> {
    let hubs = within.hubs;
    if within.is_down(to) || hubs.contains(&to) {
        return None;
    }
    let start = hubs.iter().filter(|h| !within.is_down(**h));
    let mut ways: Vec<Way> =
        start.map(|h| Way { node: *h, came: None, cost: 0, feeds: Vec::new() }).collect();
    let mut kept: Vec<Vec<usize>> = vec![Vec::new(); graph.len()];
    let mut arrived: Vec<usize> = Vec::new();
    let mut layer = 0..ways.len();
    for _ in 0..within.most_hops {
        let next = ways.len();
        for way in layer {
            let node = ways[way].node;
            if !graph.carries(node) {
                continue;
            }
            for &(w, link) in graph.neighbours(node) {
                let cost = ways[way].cost.saturating_add(link.sum);
                if cost > graph.most_cost() {
                    continue;
                }
                if w == to {
                    if !within.has_seat(node) {
                        continue;
                    }
                    let apart = |a: &&usize| share_nothing(&ways[**a].feeds, &ways[way].feeds);
                    if let Some(first) = arrived.iter().find(apart) {
                        return Some([*first, way].map(|w| route(&ways, w, to)));
                    }
                    arrived.push(way);
                } else if graph.carries(w) && !within.is_down(w) && !hubs.contains(&w) {
                    let mut feeds = ways[way].feeds.clone();
                    if let Err(at) = feeds.binary_search(&feed[w]) {
                        feeds.insert(at, feed[w]);
                    }
                    let beats = |k: &usize| ways[*k].cost <= cost && holds(&feeds, &ways[*k].feeds);
                    if kept[w].iter().any(beats) {
                        continue;
                    }
                    kept[w].push(ways.len());
                    ways.push(Way { node: w, came: Some(way), cost, feeds });
                }
            }
            if ways.len() > MOST_WAYS {
                return None;
            }
        }
        layer = next..ways.len();
        if layer.is_empty() {
            break;
        }
    }
    None
}

/// How many ways [`routes_apart`] keeps at most.
pub const MOST_WAYS: usize = 20_000;

/// A way from a hub to a node, what it costs, and the feeds of the nodes on it, in rising order.
struct Way {
    node: usize,
    came: Option<usize>,
    cost: u32,
    feeds: Vec<usize>,
}

fn share_nothing(a: &[usize], b: &[usize]) -> bool {
    !a.iter().any(|f| b.binary_search(f).is_ok())
}

fn holds(all: &[usize], part: &[usize]) -> bool {
    part.iter().all(|f| all.binary_search(f).is_ok())
}

fn route(ways: &[Way], last: usize, to: usize) -> Vec<usize> {
    let mut route = vec![to];
    let mut at = Some(last);
    while let Some(way) = at {
        route.push(ways[way].node);
        at = ways[way].came;
    }
    route.reverse();
    route
}

/// A residual network: each device is two nodes with an arc of capacity one between.
struct Flow {
    arcs_of: Vec<Vec<usize>>,
    head: Vec<usize>,
    room: Vec<u8>,
    source: usize,
    sink: usize,
}

impl Flow {
    fn new(graph: &Graph, to: usize, within: Within<'_>) -> Self {
        let hubs = within.hubs;
        let count = graph.len();
        let source = 2 * count;
        let (arcs_of, sink) = (vec![Vec::new(); source + 1], 2 * to);
        let mut this = Self { arcs_of, head: Vec::new(), room: Vec::new(), source, sink };
        let is_down = |v: usize| within.is_down(v);
        for v in (0..count).filter(|v| graph.carries(*v) && !is_down(*v) && *v != to) {
            if hubs.contains(&v) {
                this.arc(source, 2 * v + 1, 2);
            } else {
                this.arc(2 * v, 2 * v + 1, 1);
            }
            for &(w, _) in graph.neighbours(v) {
                let ends = w == to && within.has_seat(v);
                let leads_on = ends || w != to && graph.carries(w) && !hubs.contains(&w);
                if leads_on && !is_down(w) {
                    this.arc(2 * v + 1, 2 * w, 1);
                }
            }
        }
        this
    }

    fn arc(&mut self, from: usize, to: usize, room: u8) {
        for (from, to, room) in [(from, to, room), (to, from, 0)] {
            self.arcs_of[from].push(self.head.len());
            self.head.push(to);
            self.room.push(room);
        }
    }

    /// Sends one more unit along a shortest path, if there is one.
    fn augment(&mut self) -> bool {
        let mut came = vec![usize::MAX; self.arcs_of.len()];
        let mut queue = VecDeque::from([self.source]);
        while let Some(v) = queue.pop_front() {
            for &arc in &self.arcs_of[v] {
                let w = self.head[arc];
                if self.room[arc] == 0 || came[w] != usize::MAX || w == self.source {
                    continue;
                }
                came[w] = arc;
                queue.push_back(w);
            }
        }
        let mut at = self.sink;
        if came[at] == usize::MAX {
            return false;
        }
        while at != self.source {
            let arc = came[at];
            self.room[arc] -= 1;
            self.room[arc ^ 1] += 1;
            at = self.head[arc ^ 1];
        }
        true
    }

    /// One unit of the flow as a route, taken out of it.
    fn take_route(&mut self) -> Vec<usize> {
        let (mut at, mut route) = (self.source, Vec::new());
        while at != self.sink {
            // A forward arc carries flow when its return arc has room.
            let used = |arc: &&usize| (**arc).is_multiple_of(2) && self.room[**arc ^ 1] > 0;
            let Some(&arc) = self.arcs_of[at].iter().find(used) else { break };
            self.room[arc ^ 1] -= 1;
            at = self.head[arc];
            if at % 2 == 1 || at == self.sink {
                route.push(at / 2);
            }
        }
        route
    }
}
