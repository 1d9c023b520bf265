//! Paths that bend once or twice around the jambs of doors and windows.
//!
//! Every opening has two bending places, just inside each jamb at half height. A station (a radio,
//! a cell) knows the loss of the straight legs to all of them; two stations and the legs between
//! jambs, computed once a building, make every bent path without another ray.

use crate::geometry::Place;
use crate::geometry::structure::Structure;

/// How far inside the opening a path bends, in metres.
const INSIDE: f64 = 0.05;
/// Beyond this length a leg between two jambs carries nothing worth knowing, in metres;
/// *planning value*.
const LONGEST_LEG: f64 = 25.0;
/// A jamb counts as seen from a station when nothing heavier than this stands between, in decibels:
/// of paths with two bends only those are searched; *planning value*.
pub(super) const SEEN_THROUGH: f64 = 4.5;

/// A place at which a path may bend.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Jamb {
    /// The wall, by place.
    pub wall: usize,
    /// The opening in it, by place.
    pub hole: usize,
    /// Where.
    pub at: Place,
    /// What fills the opening, by place in the constructions; nothing when it stands open.
    pub construction: Option<usize>,
}

/// All bending places of a building, wall by wall.
pub fn jambs(structure: &Structure) -> Vec<Jamb> {
    let mut jambs = Vec::new();
    for (w, wall) in structure.walls.iter().enumerate() {
        for (h, hole) in wall.openings.iter().enumerate() {
            let inside = INSIDE.min((hole.s[1] - hole.s[0]) / 4.0);
            let z = f64::midpoint(hole.z[0], hole.z[1]);
            for s in [hole.s[0] + inside, hole.s[1] - inside] {
                let (wall_place, at) = (w, wall.at(s, z));
                jambs.push(Jamb { wall: wall_place, hole: h, at, construction: hole.construction });
            }
        }
    }
    jambs
}

/// A straight leg: its length and what it costs beyond distance, in metres and decibels.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Leg {
    /// Its length.
    pub length: f64,
    /// Loss beyond that of distance.
    pub excess: f64,
}

/// The legs between the jambs of one storey.
#[derive(Clone, Debug, Default)]
pub struct Legs {
    count: usize,
    legs: Vec<Option<Leg>>,
}

impl Legs {
    /// Computes each leg once with `excess` between two jambs.
    pub fn new(
        structure: &Structure,
        jambs: &[Jamb],
        excess: impl Fn(&Jamb, &Jamb) -> f64,
    ) -> Self {
        let count = jambs.len();
        let mut legs = vec![None; count * count];
        for (i, a) in jambs.iter().enumerate() {
            for (j, b) in jambs.iter().enumerate().skip(i + 1) {
                let apart = a.wall == b.wall
                    || structure.walls[a.wall].storey != structure.walls[b.wall].storey;
                let length = a.at.distance(b.at);
                if apart || length > LONGEST_LEG {
                    continue;
                }
                let leg = Some(Leg { length, excess: excess(a, b) });
                legs[i * count + j] = leg;
                legs[j * count + i] = leg;
            }
        }
        Self { count, legs }
    }

    /// The leg between two jambs, if there is one worth computing.
    pub fn between(&self, a: usize, b: usize) -> Option<Leg> {
        *self.legs.get(a * self.count + b)?
    }
}

/// A place with its legs to every jamb.
#[derive(Clone, Debug)]
pub struct Station {
    /// Where.
    pub place: Place,
    /// Its leg to each jamb, in their order.
    pub legs: Vec<Leg>,
    /// The jambs that it sees.
    pub seen: Vec<usize>,
    /// The openings whose jambs it has legs to at all: jambs `2n` and `2n + 1` for each `n`.
    pub near: Vec<usize>,
}
