//! How long a cable is that runs along walls, and from storey to storey through shafts or where walls
//! stand on walls: the shortest way over all of them.

use std::cmp::Reverse;
use std::collections::{BTreeMap, BinaryHeap};

use crate::geometry::{Place, apart};
use crate::site::{Floor, FloorId, Site, SlabPlace, Spot, Wall};
use crate::units::Metres;

/// Walls nearer than this to each other are joined, and a wall stands on the one below.
const JOINED_M: f64 = 0.3;
/// With more walls on a storey the runs are not searched: they meet too often.
const MOST_WALLS: usize = 400;
/// A cable may leave a wall for the one above it at every step of this length.
const STEP_M: f64 = 1.0;

/// The walls of a house as ways for a cable.
#[derive(Debug)]
pub struct Runs {
    walls: Vec<Run>,
    /// For each node its neighbours with the length between.
    ways: Vec<Vec<(usize, f64)>>,
}

/// A wall, and the nodes on it in the order of their distance from its beginning.
#[derive(Debug)]
struct Run {
    floor: FloorId,
    a: Spot,
    b: Spot,
    nodes: Vec<(f64, usize)>,
    /// Whether it hangs together with most of the walls of its storey: a plinth or a machine in the
    /// middle of a room leads a cable nowhere.
    is_main: bool,
}

/// Where a place joins the walls: which, how far along, how far away.
#[derive(Clone, Copy, Debug)]
struct Foot {
    wall: usize,
    along: f64,
    away: f64,
}

impl Run {
    fn length(&self) -> f64 {
        apart(self.a, self.b)
    }

    fn at(&self, along: f64) -> Spot {
        let t = if self.length() > 0.0 { along / self.length() } else { 0.0 };
        [self.a[0] + (self.b[0] - self.a[0]) * t, self.a[1] + (self.b[1] - self.a[1]) * t]
    }

    /// How far along the wall its nearest place to `p` lies, and how far that is.
    fn foot(&self, p: Spot) -> (f64, f64) {
        let length = self.length();
        if length <= 0.0 {
            return (0.0, apart(self.a, p));
        }
        let [dx, dy] = [(self.b[0] - self.a[0]) / length, (self.b[1] - self.a[1]) / length];
        let along = ((p[0] - self.a[0]) * dx + (p[1] - self.a[1]) * dy).clamp(0.0, length);
        (along, apart(self.at(along), p))
    }

    /// Where it meets another wall: how far along it, where they cross or end at each other.
    fn meets(&self, other: &Self) -> Vec<f64> {
        let [ux, uy] = [self.b[0] - self.a[0], self.b[1] - self.a[1]];
        let [vx, vy] = [other.b[0] - other.a[0], other.b[1] - other.a[1]];
        let cross = ux * vy - uy * vx;
        let mut at = Vec::new();
        if cross.abs() > 1e-9 {
            let [wx, wy] = [other.a[0] - self.a[0], other.a[1] - self.a[1]];
            let (s, t) = ((wx * vy - wy * vx) / cross, (wx * uy - wy * ux) / cross);
            if (0.0..=1.0).contains(&s) && (0.0..=1.0).contains(&t) {
                at.push(s * self.length());
            }
        }
        for end in [other.a, other.b] {
            let (along, away) = self.foot(end);
            if away <= JOINED_M {
                at.push(along);
            }
        }
        at
    }
}

impl Runs {
    /// The ways of a site.
    pub fn new(site: &Site) -> Self {
        let mut by_floor: BTreeMap<&FloorId, Vec<&Wall>> = BTreeMap::new();
        for wall in &site.walls {
            by_floor.entry(&wall.floor).or_default().push(wall);
        }
        by_floor.retain(|_, walls| walls.len() <= MOST_WALLS);
        let run = |w: &&Wall| Run {
            floor: w.floor.clone(),
            a: w.a,
            b: w.b,
            nodes: Vec::new(),
            is_main: true,
        };
        let walls: Vec<Run> = by_floor.values().flatten().map(run).collect();
        let mut this = Self { walls, ways: Vec::new() };
        this.find_main();
        this.place_nodes(site);
        this.join();
        this.climb(site);
        this
    }

    /// On each storey, the walls that hang together over the greatest length.
    fn find_main(&mut self) {
        let mut group: Vec<usize> = (0..self.walls.len()).collect();
        let touch = |a: &Run, b: &Run| {
            a.floor == b.floor && !(a.meets(b).is_empty() && b.meets(a).is_empty())
        };
        for n in 0..self.walls.len() {
            for m in n + 1..self.walls.len() {
                if group[n] != group[m] && touch(&self.walls[n], &self.walls[m]) {
                    let (from, to) = (group[m], group[n]);
                    group.iter_mut().filter(|g| **g == from).for_each(|g| *g = to);
                }
            }
        }
        let mut lengths: BTreeMap<(FloorId, usize), f64> = BTreeMap::new();
        for (wall, group) in self.walls.iter().zip(&group) {
            *lengths.entry((wall.floor.clone(), *group)).or_default() += wall.length();
        }
        for (wall, group) in self.walls.iter_mut().zip(&group) {
            let own = lengths.get(&(wall.floor.clone(), *group)).copied().unwrap_or(0.0);
            let others = lengths.iter().filter(|((floor, _), _)| *floor == wall.floor);
            wall.is_main = others.map(|(_, length)| *length).fold(0.0, f64::max) <= own;
        }
    }

    /// Nodes where a wall begins, ends, meets another or is nearest to a shaft.
    fn place_nodes(&mut self, site: &Site) {
        let steps = |w: &Run| {
            let step = |k: u32| f64::from(k) * STEP_M;
            let inner = (0..500).map(step).take_while(|s| *s < w.length());
            inner.chain([w.length()]).collect()
        };
        let mut along: Vec<Vec<f64>> = self.walls.iter().map(steps).collect();
        for (n, wall) in self.walls.iter().enumerate() {
            for (m, other) in self.walls.iter().enumerate() {
                if n != m && wall.floor == other.floor {
                    along[n].extend(wall.meets(other));
                }
            }
        }
        for (floor, middle) in shafts(site) {
            for floor in [Some(floor), below(site, floor)].into_iter().flatten() {
                if let Some(foot) = self.foot(&floor.id, middle) {
                    along[foot.wall].push(foot.along);
                }
            }
        }
        for (wall, mut places) in along.into_iter().enumerate() {
            places.sort_by(f64::total_cmp);
            places.dedup_by(|a, b| (*a - *b).abs() < 1e-6);
            for place in places {
                self.walls[wall].nodes.push((place, self.ways.len()));
                self.ways.push(Vec::new());
            }
        }
    }

    /// Links nodes along each wall, and those of walls that meet.
    fn join(&mut self) {
        let mut links = Vec::new();
        for wall in &self.walls {
            links.extend(wall.nodes.windows(2).map(|w| (w[0].1, w[1].1, w[1].0 - w[0].0)));
        }
        for (n, wall) in self.walls.iter().enumerate() {
            for other in self.walls[n + 1..].iter().filter(|o| o.floor == wall.floor) {
                links.extend(near(wall, other));
            }
        }
        self.link(links);
    }

    /// Links storeys: where a wall stands on a wall, and through shafts.
    fn climb(&mut self, site: &Site) {
        let mut links = Vec::new();
        for upper in &site.floors {
            let Some(lower) = below(site, upper) else { continue };
            let rise = (upper.elevation_m - lower.elevation_m).get();
            let of = |id: &FloorId| {
                let id = id.clone();
                self.walls.iter().filter(move |w| w.floor == id)
            };
            for wall in of(&upper.id) {
                for other in of(&lower.id) {
                    links.extend(near(wall, other).map(|(a, b, away)| (a, b, away + rise)));
                }
            }
            for (floor, middle) in shafts(site).filter(|(f, _)| f.id == upper.id) {
                let ends = [floor, lower].map(|f| self.node_nearest(&f.id, middle));
                if let [Some((a, to_a)), Some((b, to_b))] = ends {
                    links.push((a, b, to_a + to_b + rise));
                }
            }
        }
        self.link(links);
    }

    fn link(&mut self, links: Vec<(usize, usize, f64)>) {
        for (a, b, length) in links {
            self.ways[a].push((b, length));
            self.ways[b].push((a, length));
        }
    }

    fn node_nearest(&self, floor: &FloorId, to: Spot) -> Option<(usize, f64)> {
        let walls = self.walls.iter().filter(|w| w.is_main && w.floor == *floor);
        let nodes = walls.flat_map(|w| w.nodes.iter().map(|(s, n)| (*n, apart(w.at(*s), to))));
        nodes.min_by(|a, b| a.1.total_cmp(&b.1))
    }

    fn foot(&self, floor: &FloorId, p: Spot) -> Option<Foot> {
        let takes = |w: &Run| w.is_main && w.floor == *floor;
        let on_floor = self.walls.iter().enumerate().filter(|(_, w)| takes(w));
        let foot = |(wall, run): (usize, &Run)| {
            let (along, away) = run.foot(p);
            Foot { wall, along, away }
        };
        on_floor.map(foot).min_by(|a, b| a.away.total_cmp(&b.away))
    }

    /// The nodes beside a foot, and how far each is.
    fn beside(&self, foot: Foot) -> impl Iterator<Item = (usize, f64)> {
        let nodes = self.walls[foot.wall].nodes.iter();
        nodes.map(move |(along, node)| (*node, (along - foot.along).abs() + foot.away))
    }

    /// Whether a storey has walls to run along.
    pub fn has_walls(&self, floor: &FloorId) -> bool {
        self.walls.iter().any(|w| w.floor == *floor)
    }

    /// The ways from a place on a storey to everywhere; nothing where no walls are drawn.
    pub fn from(&self, floor: &FloorId, place: Place) -> Option<Reached<'_>> {
        let foot = self.foot(floor, [place.x, place.y])?;
        let mut least = vec![f64::INFINITY; self.ways.len()];
        let mut next: BinaryHeap<(Reverse<Length>, usize)> = BinaryHeap::new();
        for (node, length) in self.beside(foot) {
            next.push((Reverse(Length(length)), node));
        }
        while let Some((Reverse(Length(length)), node)) = next.pop() {
            if length >= least[node] {
                continue;
            }
            least[node] = length;
            for (to, more) in &self.ways[node] {
                next.push((Reverse(Length(length + more)), *to));
            }
        }
        Some(Reached { runs: self, least, foot })
    }
}

/// How long a cable from one place is to everywhere.
#[derive(Debug)]
pub struct Reached<'a> {
    runs: &'a Runs,
    least: Vec<f64>,
    foot: Foot,
}

impl Reached<'_> {
    /// The length of the cable to a place on a storey; nothing where the walls do not lead there.
    pub fn to(&self, floor: &FloorId, place: Place) -> Option<Metres> {
        let foot = self.runs.foot(floor, [place.x, place.y])?;
        let over_nodes = self.runs.beside(foot).map(|(node, away)| self.least[node] + away);
        let on_one_wall = (foot.wall == self.foot.wall)
            .then(|| (foot.along - self.foot.along).abs() + foot.away + self.foot.away);
        let least = over_nodes.chain(on_one_wall).fold(f64::INFINITY, f64::min);
        least.is_finite().then(|| Metres::new(least))
    }
}

/// A length that can be ordered.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Length(f64);

impl Eq for Length {}

impl PartialOrd for Length {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Length {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.0.total_cmp(&other.0)
    }
}

/// Nodes of two walls that lie at each other, with the distance between.
fn near<'a>(wall: &'a Run, other: &'a Run) -> impl Iterator<Item = (usize, usize, f64)> + 'a {
    wall.nodes.iter().flat_map(move |(s, a)| {
        other.nodes.iter().filter_map(move |(t, b)| {
            let away = apart(wall.at(*s), other.at(*t));
            (away <= JOINED_M).then_some((*a, *b, away))
        })
    })
}

/// The storey right under another: the highest whose ceiling is about there.
fn below<'a>(site: &'a Site, upper: &Floor) -> Option<&'a Floor> {
    let gap = |f: &&Floor| (upper.elevation_m - f.elevation_m - f.height_m).get();
    site.floors
        .iter()
        .filter(|f| f.elevation_m < upper.elevation_m && gap(f).abs() < 1.0)
        .min_by(|a, b| gap(a).abs().total_cmp(&gap(b).abs()))
}

/// The middles of holes in floors, each with the storey above it.
fn shafts(site: &Site) -> impl Iterator<Item = (&Floor, Spot)> {
    site.slabs.iter().filter(|s| s.place == SlabPlace::Below).flat_map(|slab| {
        let floor = site.floors.get(&slab.floor);
        slab.voids.iter().filter(|hole| !hole.is_empty()).filter_map(move |hole| {
            #[expect(clippy::cast_precision_loss, reason = "a few corners")]
            let count = hole.len() as f64;
            let mean = |axis: usize| hole.iter().map(|p| p[axis]).sum::<f64>() / count;
            Some((floor?, [mean(0), mean(1)]))
        })
    })
}
