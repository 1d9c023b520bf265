//! Paths that bend once or twice around the jambs of doors and windows.
//!
//! Every opening has two bending places, just inside each jamb at half height. A station (a radio,
//! a cell) knows the loss of the straight legs to all of them; two stations and the legs between
//! jambs, computed once a building, make every bent path without another ray.

use crate::building::structure::Structure;
use crate::geometry::Place;

/// How far inside the opening a path bends, in metres.
const INSIDE: f64 = 0.05;
/// Beyond this length a leg between two jambs carries nothing worth knowing, in metres;
/// *planning value*.
const LONGEST_LEG: f64 = 25.0;
/// Floors away, a door is no way round, in metres.
pub(super) const SAME_STOREY_M: f64 = 3.5;
/// Farther than this from a jamb no path bends there, in metres; *planning value*.
pub(super) const FARTHEST_JAMB_M: f64 = 40.0;
/// Paths with two bends are searched behind this much, in decibels.
pub(super) const WORTH_TWO_BENDS: f64 = 8.0;
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

/// The legs between jambs, storey by storey: half of a square table each, as a leg is the same from
/// both its ends.
#[derive(Clone, Debug, Default)]
pub struct Legs {
    /// For each jamb its storey and its place among the jambs there.
    places: Vec<(usize, usize)>,
    storeys: Vec<Vec<Leg>>,
}

/// No leg worth computing.
const NO_LEG: Leg = Leg { length: f64::NAN, excess: f64::NAN };

impl Legs {
    /// Computes each leg once with `excess` between two jambs.
    pub fn new<'a>(
        structure: &Structure,
        jambs: &'a [Jamb],
        excess: impl Fn(&Jamb, &Jamb) -> f64,
    ) -> Self {
        let mut of_storey: Vec<Vec<&'a Jamb>> = vec![Vec::new(); structure.storeys()];
        let mut place = |jamb: &'a Jamb| {
            let storey = structure.walls[jamb.wall].storey;
            of_storey[storey].push(jamb);
            (storey, of_storey[storey].len() - 1)
        };
        let places = jambs.iter().map(&mut place).collect();
        let leg = |a: &Jamb, b: &Jamb| {
            let length = a.at.distance(b.at);
            if a.wall == b.wall || length > LONGEST_LEG {
                return NO_LEG;
            }
            Leg { length, excess: excess(a, b) }
        };
        let storeys = of_storey
            .iter()
            .map(|here| {
                let pairs = here.iter().enumerate();
                pairs.flat_map(|(j, b)| here[..j].iter().map(move |a| leg(a, b))).collect()
            })
            .collect();
        Self { places, storeys }
    }

    /// The leg between two jambs, if there is one worth computing.
    pub fn between(&self, a: usize, b: usize) -> Option<Leg> {
        let ((storey, i), (other, j)) = (*self.places.get(a)?, *self.places.get(b)?);
        if storey != other || i == j {
            return None;
        }
        let (low, high) = (i.min(j), i.max(j));
        let leg = *self.storeys[storey].get(high * (high - 1) / 2 + low)?;
        (!leg.length.is_nan()).then_some(leg)
    }

    /// How much memory they take.
    pub fn bytes(&self) -> usize {
        self.storeys.iter().map(|s| s.len() * size_of::<Leg>()).sum()
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
