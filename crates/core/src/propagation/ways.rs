//! The ways of a signal one by one, with their terms: what the staircase shows.

use super::bounce::Mirror;
use super::doorway::Station;
use super::{Excess, Medium, NONE, knife_edge_loss};
use crate::building::structure::Surface;
use crate::geometry::Place;
use crate::units::Db;

/// Why a signal loses strength on its way.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LossCause {
    /// Distance in the open.
    Distance,
    /// The bare slab of a surface.
    Slab(Surface),
    /// What a real construction holds beyond its bare slab.
    Clutter(Surface),
    /// A bounce.
    Bounce(Mirror),
    /// A bend around the jamb of an opening: wall and opening by place.
    Bend(usize, usize),
    /// Several floors together: `k^((k+2)/(k+1) − 0.46)` instead of `k` (COST 231).
    FloorFactor,
    /// What comes around instead of through: a gain.
    Leak,
    /// What the other ways add: a gain.
    OtherWays,
    /// What calibration found.
    Calibration,
}

/// One term of a path loss.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Term {
    /// Why.
    pub cause: LossCause,
    /// How much; negative is a gain.
    pub loss: Db,
    /// Where along the path, as a share of its length.
    pub t: f64,
}

/// How a way runs.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WayKind {
    /// In a straight line, and what leaks around it.
    Straight,
    /// With one bounce.
    Bounce(Mirror),
    /// Around one jamb or two: wall and opening by place.
    Bends((usize, usize), Option<(usize, usize)>),
}

/// One way of a signal.
#[derive(Clone, Debug, PartialEq)]
pub struct SignalWay {
    /// How it runs.
    pub kind: WayKind,
    /// Its loss.
    pub loss: Db,
    /// Its length in metres.
    pub length: f64,
    /// Its corners, ends included.
    pub corners: Vec<Place>,
    /// Its terms in order along it; they sum to its loss.
    pub terms: Vec<Term>,
}

impl Medium {
    /// Every way between two stations that adds something, the strongest first; without
    /// calibration.
    pub fn ways(&self, a: &Station, b: &Station) -> Vec<SignalWay> {
        let (from, to) = (a.place, b.place);
        let straight = self.straight_power(from, to);
        let mut ways = vec![self.straight_way(from, to)];
        if self.model.reflections {
            self.visit_bounced(from, to, straight.limit, &mut |bounced| {
                let b = bounced.bounce;
                let wall = match b.mirror {
                    Mirror::Surface(Surface::Wall(w) | Surface::Opening(w, _)) => w,
                    _ => usize::MAX,
                };
                let loss = self.reflection(b.construction, b.cos);
                let corner = Corner { wall, cause: LossCause::Bounce(b.mirror), loss, fill: None };
                ways.push(self.way(WayKind::Bounce(b.mirror), &[from, b.at, to], &[corner]));
            });
        }
        self.visit_bent(a, b, &straight, &mut |bent| {
            let bends: Vec<usize> = bent.bends.into_iter().flatten().collect();
            let mut places = vec![from];
            places.extend(bends.iter().map(|j| self.jambs[*j].at));
            places.push(to);
            let corners: Vec<_> = bends
                .iter()
                .zip(places.windows(3))
                .map(|(&j, around)| self.bend_corner(j, around))
                .collect();
            let opening = |j: &usize| (self.jambs[*j].wall, self.jambs[*j].hole);
            let kind = WayKind::Bends(opening(&bends[0]), bends.get(1).map(opening));
            ways.push(self.way(kind, &places, &corners));
        });
        ways.sort_by(|x, y| x.loss.total_cmp(&y.loss));
        ways
    }

    /// The strongest way as terms, with what the others add and what calibration found: they sum to
    /// [`Medium::loss`].
    pub fn explain(&self, from: Place, to: Place) -> (SignalWay, Vec<SignalWay>) {
        self.explain_between(&self.station(from), &self.station(to))
    }

    /// [`Medium::explain`] for two stations that are at hand.
    pub fn explain_between(&self, a: &Station, b: &Station) -> (SignalWay, Vec<SignalWay>) {
        let mut ways = self.ways(a, b);
        let total = crate::units::power_sum(ways.iter().map(|w| w.loss));
        let others = ways.split_off(1);
        let mut main = ways.swap_remove(0);
        let mut push = |cause, loss: Db| {
            if loss != Db::ZERO {
                main.terms.push(Term { cause, loss, t: 1.0 });
            }
        };
        push(LossCause::OtherWays, total - main.loss);
        push(LossCause::Calibration, self.model.offset);
        main.loss = total + self.model.offset;
        (main, others)
    }

    /// Layers of what a term is of whose material is not stated at this frequency.
    pub fn extrapolated(&self, cause: LossCause) -> &[&'static str] {
        let LossCause::Slab(surface) = cause else { return &[] };
        let construction = self.construction_of(surface);
        construction.and_then(|c| self.prices.get(c)).map_or(&[], |price| &price.extrapolated)
    }

    /// The straight way with its terms.
    pub fn straight_way(&self, from: Place, to: Place) -> SignalWay {
        let mut way = self.way(WayKind::Straight, &[from, to], &[]);
        let excess: f64 = way.terms.iter().skip(1).map(|t| t.loss.get()).sum();
        let leak = self.leaking(excess) - excess;
        if leak != 0.0 {
            way.terms.push(Term { cause: LossCause::Leak, loss: Db::new(leak), t: 1.0 });
            way.loss += Db::new(leak);
        }
        way
    }

    fn bend_corner(&self, j: usize, around: &[Place]) -> Corner {
        let jamb = &self.jambs[j];
        let [before, at, after] = [around[0], around[1], around[2]];
        let longer = before.distance(at) + at.distance(after) - before.distance(after);
        let cause = LossCause::Bend(jamb.wall, jamb.hole);
        let loss = knife_edge_loss(longer, self.frequency).get();
        let fill = jamb.construction.and_then(|c| self.prices.get(c)).map(|p| {
            let slab = p.slab(1.0).get();
            let clutter = p.beyond(self.model.clutter).max(-slab);
            (Surface::Opening(jamb.wall, jamb.hole), slab, clutter)
        });
        Corner { wall: jamb.wall, cause, loss, fill }
    }

    /// Prices the legs between `places`, with what each corner costs.
    fn way(&self, kind: WayKind, places: &[Place], corners: &[Corner]) -> SignalWay {
        let length: f64 = places.windows(2).map(|p| p[0].distance(p[1])).sum();
        let distance = Db::new(self.distance_loss(length));
        let mut terms = vec![Term { cause: LossCause::Distance, loss: distance, t: 0.0 }];
        let mut so_far = 0.0;
        let surface_terms = |surface, slab: f64, clutter: f64, t: f64, terms: &mut Vec<Term>| {
            terms.push(Term { cause: LossCause::Slab(surface), loss: Db::new(slab), t });
            if clutter.abs() > 0.0 {
                terms.push(Term { cause: LossCause::Clutter(surface), loss: Db::new(clutter), t });
            }
        };
        for (i, leg) in places.windows(2).enumerate() {
            let long = leg[0].distance(leg[1]);
            let (mut excess, mut last_floor) = (Excess::default(), 0.0f64);
            let without = match (i.checked_sub(1).and_then(|i| corners.get(i)), corners.get(i)) {
                (None, None) => NONE,
                (a, b) => [a.map_or(usize::MAX, |c| c.wall), b.map_or(usize::MAX, |c| c.wall)],
            };
            self.visit_leg(leg[0], leg[1], without, &mut |surface, slab, clutter, t| {
                let t = (so_far + t * long) / length.max(1e-9);
                excess.add(surface, slab + clutter);
                if matches!(surface, Surface::Slab(_)) {
                    last_floor = last_floor.max(t);
                }
                surface_terms(surface, slab, clutter, t, &mut terms);
            });
            so_far += long;
            if excess.floors > 1 {
                let loss = Db::new(excess.floor_correction());
                terms.push(Term { cause: LossCause::FloorFactor, loss, t: last_floor });
            }
            if let Some(corner) = corners.get(i) {
                let t = so_far / length.max(1e-9);
                terms.push(Term { cause: corner.cause, loss: Db::new(corner.loss), t });
                if let Some((surface, slab, clutter)) = corner.fill {
                    surface_terms(surface, slab, clutter, t, &mut terms);
                }
            }
        }
        terms[1..].sort_by(|a, b| a.t.total_cmp(&b.t));
        let loss = terms.iter().map(|t| t.loss).sum();
        SignalWay { kind, loss, length, corners: places.to_vec(), terms }
    }
}

/// A bounce or a bend on a way.
struct Corner {
    wall: usize,
    cause: LossCause,
    loss: f64,
    fill: Option<(Surface, f64, f64)>,
}
