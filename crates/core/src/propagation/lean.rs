//! What a loss leans on: by how much it moves when a construction, or the exponent, is not as planned.
//!
//! The powers of several ways add, so each way counts by its share of the power; of the straight way only
//! what comes through counts, not what leaks around. For small changes this is the derivative; a test
//! holds it to differences.

use super::bounce::Mirror;
use super::doorway::Station;
use super::{Excess, Medium, NEAREST, NONE, floor_factor, ratio};
use crate::building::structure::Surface;
use crate::geometry::Place;
use crate::units::Db;

/// Less than this of a surface moves nothing that could be told, in shares of one.
const WORTH: f64 = 0.01;
/// A way with less than this share of the power is not looked at.
const WORTH_A_LOOK: f64 = 0.02;

/// A loss and what it leans on.
#[derive(Clone, Debug, PartialEq)]
pub struct Lean {
    /// The loss, as [`Medium::loss_between`] gives it.
    pub loss: Db,
    /// How much it grows when each decade of distance costs 1 dB more: an exponent higher by 0.1.
    pub decades: f64,
    /// How much it grows when a construction, by its place, costs 1 dB more: the times it is gone through.
    pub constructions: Vec<(usize, f64)>,
}

/// A way by its corners: the walls that it bends or bounces at, and what fills the openings there.
struct Cornered {
    power: f64,
    length: f64,
    places: Vec<Place>,
    walls: Vec<usize>,
    fills: Vec<usize>,
}

impl Medium {
    /// The loss between two stations by every way, and what it leans on.
    pub fn lean(&self, a: &Station, b: &Station) -> Lean {
        let (from, to) = (a.place, b.place);
        let straight = self.straight_power(from, to);
        let mut power = straight.power;
        let mut ways: Vec<Cornered> = Vec::new();
        let straight_way = (vec![from, to], Vec::new(), Vec::new());
        let mut push = |power: f64, length: f64, (places, walls, fills)| {
            ways.push(Cornered { power, length, places, walls, fills });
        };
        push(straight.power, straight.distance, straight_way);
        if self.model.reflections {
            self.visit_bounced(from, to, straight.limit, &mut |bounced| {
                power += ratio(bounced.loss);
                let wall = match bounced.bounce.mirror {
                    Mirror::Surface(Surface::Wall(w) | Surface::Opening(w, _)) => w,
                    _ => usize::MAX,
                };
                let bounce = bounced.bounce;
                let corners = (vec![from, bounce.at, to], vec![wall], Vec::new());
                push(ratio(bounced.loss), bounce.length, corners);
            });
        }
        self.visit_bent(a, b, &straight, &mut |bent| {
            power += ratio(bent.loss);
            let jambs: Vec<_> = bent.bends.into_iter().flatten().map(|j| &self.jambs[j]).collect();
            let mut places = vec![from];
            places.extend(jambs.iter().map(|j| j.at));
            places.push(to);
            let length = places.windows(2).map(|p| p[0].distance(p[1])).sum();
            let walls = jambs.iter().map(|j| j.wall).collect();
            let fills = jambs.iter().filter_map(|j| j.construction).collect();
            push(ratio(bent.loss), length, (places, walls, fills));
        });
        let mut through = vec![0.0; self.structure.constructions.len()];
        let mut decades = 0.0;
        for (w, way) in ways.iter().enumerate() {
            let share = way.power / power;
            decades += share * way.length.max(NEAREST.get()).log10();
            if share >= WORTH_A_LOOK {
                self.count_through(way, share, w == 0, &mut through);
            }
        }
        let loss = Db::new(-10.0 * power.log10()) + self.model.offset;
        let counted = through.into_iter().enumerate().filter(|(_, n)| *n >= WORTH);
        Lean { loss, decades, constructions: counted.collect() }
    }

    /// Adds the surfaces that a way goes through, by its share.
    fn count_through(&self, way: &Cornered, share: f64, leaks: bool, through: &mut [f64]) {
        for (i, leg) in way.places.windows(2).enumerate() {
            let wall = |corner: Option<&usize>| corner.copied().unwrap_or(NONE[0]);
            let without =
                [wall(i.checked_sub(1).and_then(|i| way.walls.get(i))), wall(way.walls.get(i))];
            let (mut excess, mut met) = (Excess::default(), Vec::new());
            self.visit_leg(leg[0], leg[1], without, &mut |surface, slab, clutter, _| {
                excess.add(surface, slab + clutter);
                met.extend(self.construction_of(surface).map(|c| (surface, c)));
            });
            // Of the straight way, what comes through beside what leaks around.
            let part = match self.model.leak {
                Some(leak) if leaks => {
                    let straight = ratio(excess.total());
                    straight / (straight + leak.loss_to_ratio())
                }
                _ => 1.0,
            };
            let k = f64::from(excess.floors);
            for (surface, construction) in met {
                let several = excess.floors > 1 && matches!(surface, Surface::Slab(_));
                through[construction] +=
                    share * part * if several { floor_factor(k) / k } else { 1.0 };
            }
        }
        way.fills.iter().for_each(|c| through[*c] += share);
    }

    /// What a surface is made of, by its place; nothing for a plain opening.
    pub fn construction_of(&self, surface: Surface) -> Option<usize> {
        match surface {
            Surface::Wall(wall) => Some(self.structure.walls[wall].construction),
            Surface::Opening(wall, hole) => self.structure.walls[wall].openings[hole].construction,
            Surface::Slab(slab) => Some(self.structure.slabs[slab].construction),
        }
    }
}
