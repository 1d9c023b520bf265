//! Two ways round: routes that share no device, by maximum flow.

use std::collections::VecDeque;

use super::route::Graph;

/// Up to two routes from a hub to `to` that share no device between; each as places from the hub.
///
/// Maximum flow with unit capacity through each device, stopped at two. Hop limits are not part of
/// a flow: callers check the routes that they get.
pub fn disjoint_routes(graph: &Graph, hubs: &[usize], to: usize, down: &[bool]) -> Vec<Vec<usize>> {
    let mut flow = Flow::new(graph, hubs, to, down);
    let count = (0..2).take_while(|_| flow.augment()).count();
    (0..count).map(|_| flow.take_route()).collect()
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
    fn new(graph: &Graph, hubs: &[usize], to: usize, down: &[bool]) -> Self {
        let count = graph.len();
        let source = 2 * count;
        let (arcs_of, sink) = (vec![Vec::new(); source + 1], 2 * to);
        let mut this = Self { arcs_of, head: Vec::new(), room: Vec::new(), source, sink };
        let is_down = |v: usize| down.get(v).copied().unwrap_or(false);
        for v in (0..count).filter(|v| graph.carries(*v) && !is_down(*v) && *v != to) {
            if hubs.contains(&v) {
                this.arc(source, 2 * v + 1, 2);
            } else {
                this.arc(2 * v, 2 * v + 1, 1);
            }
            for &(w, _) in graph.neighbours(v) {
                let leads_on = w == to || graph.carries(w) && !hubs.contains(&w);
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
