//! Which way each radio is reached: the way that its network takes first, strictly by its own rule,
//! and the way that carries it best, to which it falls back. All limits bind at once: hops, cost,
//! seats under parents, devices of a hub.

use std::collections::BTreeMap;

use super::capacity;
use super::link::Link;
use super::outcome::{Band, Reason};
use super::resilience::Within;
use super::route::{Graph, Ways};
use super::{Mesh, Role};
use crate::radio::system::RouteChoice;
use crate::units::Db;

/// The links of a network by how good they are, each at its cost by the system's own choice.
#[derive(Clone, Debug)]
pub struct Graphs {
    /// Every link that works at all.
    pub any: Graph,
    /// Every link at target.
    pub sure: Graph,
    /// Every link that is solid.
    pub solid: Graph,
}

impl Graphs {
    fn new(mesh: &Mesh) -> Self {
        let once = |l: &Link| mesh.arrivals.once(&mesh.nodes, l);
        let of = |least: Band| {
            let good = |l: &Link| Band::of(l.margin(), l.target) >= least;
            Graph::new(&mesh.nodes, &mesh.links, &mesh.rule, once, good)
        };
        Self { any: of(Band::Thin), sure: of(Band::Sound), solid: of(Band::Solid) }
    }

    /// The best links first.
    fn best_first(&self) -> [&Graph; 3] {
        [&self.solid, &self.sure, &self.any]
    }
}

/// How every radio of a network is reached.
#[derive(Clone, Debug)]
pub struct Routing {
    /// Its links by how good they are.
    pub graphs: Graphs,
    /// The way that the network takes first, by its own rule.
    pub(super) first: Ways,
    /// The way that the verdict rests on.
    pub(super) best: Ways,
    /// Who is not taken, as all that could take it are full.
    pub(super) refused: BTreeMap<usize, Reason>,
    /// What is taken of the seats of each node.
    taken: Vec<usize>,
}

impl Routing {
    /// The ways of a mesh.
    pub(super) fn new(mesh: &Mesh) -> Self {
        let mut graphs = Graphs::new(mesh);
        let mut down = mesh.down.clone();
        let mut refused = BTreeMap::new();
        loop {
            let mut routing = Self::of(mesh, graphs, &down);
            routing.fill_hubs(mesh, &down);
            // Nothing is built on a radio that is not taken itself.
            let carries = |n: &&usize| mesh.nodes[**n].carries_others();
            let beyond: Vec<usize> = routing.refused.keys().filter(carries).copied().collect();
            for n in &beyond {
                down[*n] = true;
            }
            if beyond.is_empty() {
                routing.refused.extend(refused);
                routing.seat_children(mesh, &down);
                return routing;
            }
            refused.append(&mut routing.refused);
            graphs = routing.graphs;
        }
    }

    fn of(mesh: &Mesh, graphs: Graphs, down: &[bool]) -> Self {
        let (first, best) = ways(mesh, &graphs, &mesh.hubs, down);
        let taken = vec![0; mesh.nodes.len()];
        Self { graphs, first, best, refused: BTreeMap::new(), taken }
    }

    fn refuse(&mut self, place: usize, reason: Reason) {
        (self.first[place], self.best[place]) = (None, None);
        self.refused.insert(place, reason);
    }

    /// Takes from hubs what is beyond their number of devices; other hubs take it where they have
    /// room. Whoever carries others stays; of the rest those with the shortest routes.
    fn fill_hubs(&mut self, mesh: &Mesh, down: &[bool]) {
        let rule = &mesh.rule;
        let counts = |n: usize| {
            !mesh.hubs.contains(&n)
                && (rule.remotes_count || mesh.nodes[n].role.role != Role::Carried)
        };
        let mut served: BTreeMap<usize, Vec<usize>> =
            mesh.hubs.iter().filter(|h| !down[**h]).map(|h| (*h, Vec::new())).collect();
        for place in (0..self.best.len()).filter(|n| counts(*n)) {
            if let Some(way) = &self.best[place] {
                served.entry(way[0]).or_default().push(place);
            }
        }
        let mut beyond = Vec::new();
        for (hub, of_hub) in &mut served {
            of_hub.sort_by_key(|n| {
                let hops = self.best[*n].as_ref().map_or(0, Vec::len);
                (!mesh.nodes[*n].carries_others(), hops, *n)
            });
            let kept = rule.most_devices.min(of_hub.len());
            beyond.extend(of_hub.split_off(kept).into_iter().map(|n| (n, *hub)));
        }
        let mut of_one: BTreeMap<usize, (Ways, Ways)> = BTreeMap::new();
        for (place, full) in beyond {
            let rooms: Vec<usize> =
                served.iter().filter(|(_, n)| n.len() < rule.most_devices).map(|s| *s.0).collect();
            let elsewhere = rooms.into_iter().find_map(|hub| {
                let from = || ways(mesh, &self.graphs, &[hub], down);
                let (first, best) = of_one.entry(hub).or_insert_with(from);
                Some((hub, first[place].clone()?, best[place].clone()?))
            });
            if let Some((hub, first, best)) = elsewhere {
                served.entry(hub).or_default().push(place);
                (self.first[place], self.best[place]) = (Some(first), Some(best));
                continue;
            }
            let (at, most) = (mesh.nodes[full].name.clone(), rule.most_devices);
            let refused = Reason::Capacity { at, most, what: "devices", routers_help: false };
            self.refuse(place, refused);
        }
    }

    /// Seats end devices under parents: as many as can be, each under the best that it can have.
    fn seat_children(&mut self, mesh: &Mesh, down: &[bool]) {
        let children: Vec<usize> = (0..self.best.len())
            .filter(|n| !mesh.nodes[*n].carries_others() && self.best[*n].is_some())
            .collect();
        self.taken = self.seats_taken(&children);
        if (0..self.taken.len()).all(|n| self.taken[n] <= room(mesh, n)) {
            return;
        }
        let wishes = Wishes::new(&self.graphs, mesh, down);
        let parents = &wishes.parents;
        let of_all: Vec<Vec<(usize, u32)>> = children
            .iter()
            .map(|c| {
                let of = |(n, p): (usize, &usize)| Some((n, wishes.of(*c, *p)?.1));
                parents.iter().enumerate().filter_map(of).collect()
            })
            .collect();
        let rooms: Vec<usize> =
            parents.iter().map(|p| room(mesh, *p).min(children.len())).collect();
        let assigned = capacity::assign(&of_all, &rooms);
        let way_of = |(child, given): (&usize, &Option<usize>)| {
            let parent = parents[(*given)?];
            let (level, _) = wishes.of(*child, parent)?;
            let mut way = wishes.levels[level].1[parent].clone()?;
            way.push(*child);
            Some(way)
        };
        let found: Vec<_> = children.iter().zip(&assigned).map(way_of).collect();
        for (&child, way) in children.iter().zip(found) {
            if way.is_some() {
                (self.first[child], self.best[child]) = (way.clone(), way);
                continue;
            }
            let wanted = self.best[child].as_ref().map_or(mesh.hubs[0], |w| w[w.len() - 2]);
            let (at, most) = (mesh.nodes[wanted].name.clone(), room(mesh, wanted));
            let routers_help = mesh.rule.children_of_router.is_some();
            self.refuse(child, Reason::Capacity { at, most, what: "children", routers_help });
        }
        self.taken = self.seats_taken(&children);
    }

    /// How many children each node has by the ways found.
    fn seats_taken(&self, children: &[usize]) -> Vec<usize> {
        let mut taken = vec![0; self.best.len()];
        for child in children {
            if let Some(way) = &self.best[*child] {
                taken[way[way.len() - 2]] += 1;
            }
        }
        taken
    }

    /// What one more end device under each node costs those that are there, as [`wish`] counts: nothing
    /// where a seat is free, else the cheapest chain of moves that frees one; none where none does.
    pub fn seat_prices(&self, mesh: &Mesh) -> Vec<Option<i64>> {
        let is_free = |n: usize| self.taken[n] < room(mesh, n);
        let mut prices: Vec<_> =
            (0..self.taken.len()).map(|n| (!has_seats(mesh) || is_free(n)).then_some(0)).collect();
        if prices.iter().all(Option::is_some) {
            return prices;
        }
        let wishes = Wishes::new(&self.graphs, mesh, &mesh.down);
        let seated: Vec<(usize, usize)> = (0..self.best.len())
            .filter(|n| !mesh.nodes[*n].carries_others())
            .filter_map(|n| Some((n, self.parent(n)?)))
            .filter(|(_, parent)| !is_free(*parent))
            .collect();
        // What moving each of those to each other parent costs: Bellman and Ford over parents.
        let moves: Vec<(usize, usize, i64)> = seated
            .iter()
            .filter_map(|(child, from)| Some((child, from, wishes.of(*child, *from)?.1)))
            .flat_map(|(child, from, now)| {
                let to = wishes.parents.iter().filter(move |p| **p != *from);
                let wishes = &wishes;
                to.filter_map(move |to| {
                    let there = wishes.of(*child, *to)?.1;
                    Some((*from, *to, i64::from(there) - i64::from(now)))
                })
            })
            .collect();
        let mut changed = true;
        while changed {
            changed = false;
            for (from, to, costs) in &moves {
                let Some(there) = prices[*to] else { continue };
                if prices[*from].is_none_or(|known| there + costs < known) {
                    prices[*from] = Some(there + costs);
                    changed = true;
                }
            }
        }
        prices
    }

    /// Which nodes have a seat for this one: its own parent, and whoever has one free.
    pub(super) fn seats_for(&self, mesh: &Mesh, child: usize) -> Vec<bool> {
        if !has_seats(mesh) || mesh.nodes[child].carries_others() {
            return Vec::new();
        }
        let own = self.parent(child);
        (0..self.taken.len()).map(|n| Some(n) == own || self.taken[n] < room(mesh, n)).collect()
    }

    fn parent(&self, child: usize) -> Option<usize> {
        self.best[child].as_ref().filter(|w| w.len() > 1).map(|w| w[w.len() - 2])
    }

    /// Which nodes are still reached when those of `dead` fail besides what is down. End devices
    /// keep their seats where they can; the others take those that are free, or that somebody can
    /// leave for another.
    pub(super) fn left_without(&self, mesh: &Mesh, dead: &[usize]) -> Vec<bool> {
        let mut down = mesh.down.clone();
        for n in dead {
            down[*n] = true;
        }
        let (graph, most) = (&self.graphs.any, mesh.rule.most_hops);
        let mut left = graph.reached(&mesh.hubs, most, &down);
        for refused in self.refused.keys() {
            left[*refused] = false;
        }
        if !has_seats(mesh) {
            return left;
        }
        let reach = graph.reach(&mesh.hubs, &[], most - 1, &down);
        let takes = |parent: usize, child: usize| {
            let (Some((_, cost)), Some(link)) = (reach[parent], graph.between(parent, child))
            else {
                return false;
            };
            cost.saturating_add(link.sum) <= graph.most_cost()
        };
        let rooms: Vec<usize> = (0..left.len())
            .map(|n| if mesh.nodes[n].carries_others() && left[n] { room(mesh, n) } else { 0 })
            .collect();
        let children: Vec<usize> =
            (0..left.len()).filter(|n| left[*n] && !mesh.nodes[*n].carries_others()).collect();
        let kept = children.iter().map(|c| self.parent(*c).filter(|p| takes(*p, *c))).collect();
        let seated = capacity::seat(kept, &rooms, |child, parent| takes(parent, children[child]));
        for (child, seat) in children.iter().zip(seated) {
            left[*child] = seat.is_some();
        }
        left
    }

    /// What asks for other routes to a node: within the limits of its network, past what is down.
    pub(super) fn within<'a>(mesh: &'a Mesh, down: &'a [bool], seats: &'a [bool]) -> Within<'a> {
        Within { hubs: &mesh.hubs, down, most_hops: mesh.rule.most_hops, seats }
    }
}

/// Which parents end devices could have, and how much each would be wished for.
struct Wishes<'a> {
    /// The ways to parents over the best links first.
    levels: [(&'a Graph, Ways); 3],
    parents: Vec<usize>,
}

impl<'a> Wishes<'a> {
    fn new(graphs: &'a Graphs, mesh: &Mesh, down: &[bool]) -> Self {
        // A parent's own way leaves the child one hop.
        let most = mesh.rule.most_hops - 1;
        let levels = graphs.best_first().map(|g| (g, g.routes(&mesh.hubs, most, down)));
        let carries = |n: &usize| mesh.nodes[*n].carries_others() && !down[*n];
        Self { levels, parents: (0..mesh.nodes.len()).filter(carries).collect() }
    }

    /// The level at which a child can have a parent, and its wish for it; the less the better.
    fn of(&self, child: usize, parent: usize) -> Option<(usize, u32)> {
        self.levels.iter().enumerate().find_map(|(level, (graph, ways))| {
            let (way, link) = (ways[parent].as_ref()?, graph.between(child, parent)?);
            let cost = graph.cost(way) + link.sum;
            let wish = wish(level, cost, way.len(), link.weakest);
            (cost <= graph.most_cost()).then_some((level, wish))
        })
    }
}

/// How much a parent is wished for, the less the better: by the level of the links, nought the best,
/// then by the cost of the whole way, the length of the parent's, and the margin of the last hop.
pub fn wish(level: usize, cost: u32, hops: usize, last: Db) -> u32 {
    let rank = u32::try_from(level).unwrap_or(u32::MAX);
    let hops = u32::try_from(hops).unwrap_or(u32::MAX).min(99);
    rank * 100_000_000 + (cost * 100 + hops) * 1000 + tenths(99.0 - last.get())
}

/// Whether parents take only so many.
fn has_seats(mesh: &Mesh) -> bool {
    mesh.rule.children_of_hub.is_some() || mesh.rule.children_of_router.is_some()
}

/// How many children a node takes.
fn room(mesh: &Mesh, parent: usize) -> usize {
    let is_hub = mesh.hubs.contains(&parent);
    let room = if is_hub { mesh.rule.children_of_hub } else { mesh.rule.children_of_router };
    room.unwrap_or(usize::MAX)
}

fn tenths(value: f64) -> u32 {
    #[expect(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "held between 0 and 990"
    )]
    let tenths = (value * 10.0).clamp(0.0, 990.0) as u32;
    tenths
}

/// The ways from some hubs, as if everybody took everybody: what the network takes first, and what
/// carries best.
fn ways(mesh: &Mesh, graphs: &Graphs, hubs: &[usize], down: &[bool]) -> (Ways, Ways) {
    let most = mesh.rule.most_hops;
    let of = |graph: &Graph, most| graph.routes(hubs, most, down);
    let first = of(&graphs.any, most);
    match mesh.rule.choice {
        RouteChoice::DirectOnly => (first.clone(), first),
        RouteChoice::Nearest => {
            // Straight to the hub where that is at target, else the better of hub and repeaters.
            let straight = of(&graphs.sure, 1).into_iter().zip(first);
            let first: Ways = straight.map(|(straight, any)| straight.or(any)).collect();
            (first.clone(), first)
        }
        _ => {
            let levels = [&graphs.solid, &graphs.sure].map(|g| (g, of(g, most)));
            let best = |(place, first): (usize, &Option<Vec<usize>>)| {
                let first = first.as_ref()?;
                let holds = |g: &Graph| first.windows(2).all(|w| g.between(w[0], w[1]).is_some());
                let found = levels.iter().find_map(|(graph, ways)| {
                    if holds(graph) { Some(first) } else { ways[place].as_ref() }
                });
                Some(found.unwrap_or(first).clone())
            };
            let best = first.iter().enumerate().map(best).collect();
            (first, best)
        }
    }
}
