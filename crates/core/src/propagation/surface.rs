//! The path loss to the thousands of cells of a surface: straight and bent ways computed from one
//! place, bounces by a gain that is fitted on sampled links.

use std::sync::PoisonError;

use super::diffraction::knife_edge_factor;
use super::doorway::{SAME_STOREY_M, SEEN_THROUGH, Station, WORTH_TWO_BENDS};
use super::{Excess, Medium, Straight, WORTH, knife_edge_loss, ratio};
use crate::building::fan::Fan;
use crate::geometry::{Place, Rect};
use crate::units::Db;

/// Of paths to the cells of a surface, bends are searched at jambs behind no more than this.
const NEAR_THROUGH: f64 = 30.0;
/// A way weaker than the straight one by this much is left out, in decibels: on a surface a quarter
/// of a decibel decides nothing.
const SURFACE_WORTH: f64 = 10.0;
/// A bend costs 6 dB at the least: where less than this stands in the way, a door adds little.
const WORTH_A_BEND: f64 = 2.0;
/// Bounces are taken to add no more than this: beyond it a few links of the pattern would speak for all.
const MOST_GAIN: f64 = 6.0;
/// What bounces add between two storeys or within one, by the straight way's excess loss: `a + b·excess`, in decibels.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Gain {
    /// Gain in the open.
    pub a: f64,
    /// More a decibel of excess loss.
    pub b: f64,
}

impl Gain {
    fn at(self, excess: f64) -> f64 {
        (self.a + self.b * excess).clamp(0.0, MOST_GAIN)
    }
}

/// A place from which many cells at one height are looked at, with the jambs that its paths may bend
/// at last.
#[derive(Clone, Debug)]
pub struct Lookout {
    fan: Fan,
    /// The walls around each jamb in use.
    fans: Vec<Fan>,
    one_bend: Vec<Look>,
    two_bends: Vec<Look>,
}

/// A way up to the jamb where it bends for the last time.
#[derive(Clone, Copy, Debug)]
struct Look {
    jamb: usize,
    /// Its place among the fans.
    fan: usize,
    /// Where the way comes from: the lookout itself or the jamb before, and its length up to there.
    from: Place,
    before: f64,
    /// Length up to the jamb.
    length: f64,
    /// What it has cost beyond distance when it leaves the jamb, without the last bend.
    excess: f64,
    /// By what factor amplitude has fallen then, at one metre of distance.
    amplitude: f64,
    /// The most that may stand between the jamb and the cell.
    most: f64,
}

impl Medium {
    /// A place from which many cells at the height `z` are looked at.
    pub fn lookout(&self, place: Place, z: f64) -> Lookout {
        let station = self.station(place);
        let is_level = |j: &usize| (z - self.jambs[*j].at.z).abs() <= SAME_STOREY_M;
        let (mut fans, mut fan_of) = (Vec::new(), vec![None; station.legs.len()]);
        let mut prepare = |mut look: Look| {
            let jamb = look.jamb;
            look.fan = *fan_of[jamb].get_or_insert_with(|| {
                fans.push(Fan::new(&self.structure, self.jambs[jamb].at, z));
                fans.len() - 1
            });
            look.amplitude = 10f64.powf((self.at_one_metre + look.excess) / 20.0);
            look
        };
        let level = || (0..station.legs.len()).filter(is_level);
        let one_bend = level().filter_map(|j| self.first_bend(&station, j)).map(&mut prepare);
        let one_bend = one_bend.collect();
        let two_bends = level().filter_map(|j| self.second_bend(&station, j)).map(&mut prepare);
        let two_bends = two_bends.collect();
        Lookout { fan: Fan::new(&self.structure, place, z), fans, one_bend, two_bends }
    }

    /// The way straight to jamb `j`, where it bends.
    fn first_bend(&self, station: &Station, j: usize) -> Option<Look> {
        let leg = station.legs[j];
        let excess = leg.excess + self.fills[j];
        (leg.excess <= NEAR_THROUGH).then_some(Look {
            jamb: j,
            fan: 0,
            from: station.place,
            before: 0.0,
            length: leg.length,
            excess,
            amplitude: 1.0,
            most: f64::INFINITY,
        })
    }

    /// The best way to jamb `j` that has bent once already.
    fn second_bend(&self, station: &Station, j: usize) -> Option<Look> {
        let jamb = &self.jambs[j];
        let by = |i: usize| {
            let (one, leg) = (station.legs[i], self.legs().between(i, j)?);
            if !self.is_between(self.jambs[i].wall, station.place, jamb.at) {
                return None;
            }
            let length = one.length + leg.length;
            let bend = knife_edge_loss(length - station.legs[j].length, self.frequency).get();
            let excess = one.excess + leg.excess + bend + self.fills[i] + self.fills[j];
            Some(Look {
                jamb: j,
                fan: 0,
                from: self.jambs[i].at,
                before: one.length,
                length,
                excess,
                amplitude: 1.0,
                most: SEEN_THROUGH,
            })
        };
        let cost = |look: &Look| look.excess + self.distance_loss(look.length);
        let looks = station.seen.iter().filter_map(|i| by(*i));
        looks.min_by(|a, b| cost(a).total_cmp(&cost(b))).filter(|look| look.excess <= NEAR_THROUGH)
    }

    /// The path loss to one of many places on a storey: straight and bent ways computed, bounces by
    /// the storey's fitted gain.
    pub fn surface_loss(&self, from: &Lookout, to: Place, gain: Gain) -> Db {
        let straight = self.straight_of(from.fan.from(), to, Some(&from.fan));
        let mut power = straight.power;
        if self.model.doorways && straight.excess > WORTH_A_BEND {
            self.visit_bent_to(from, to, &straight, &mut |loss| power += ratio(loss));
        }
        Db::new(-10.0 * power.log10() - gain.at(straight.excess)) + self.model.offset
    }

    /// Ways with one bend or two to a place that is no station: the better jamb of each opening,
    /// and of all ways with two bends the best, as they run close together.
    fn visit_bent_to(
        &self,
        from: &Lookout,
        to: Place,
        straight: &Straight,
        visit: &mut impl FnMut(f64),
    ) {
        let limit = straight.limit - WORTH + SURFACE_WORTH;
        let weakest = 10f64.powf(limit / 20.0);
        let mut last = (usize::MAX, usize::MAX);
        let mut best = f64::INFINITY;
        for look in &from.one_bend {
            let jamb = &self.jambs[look.jamb];
            // The jambs of one opening follow each other.
            if (jamb.wall, jamb.hole) != last {
                if best.is_finite() {
                    visit(best);
                }
                (last, best) = ((jamb.wall, jamb.hole), f64::INFINITY);
            }
            let bound = (limit.min(best), weakest);
            let loss = self.last_bend(from, look, to, straight.distance, bound);
            if let Some(loss) = loss.filter(|_| !straight.through.contains(&last)) {
                best = loss;
            }
        }
        if best.is_finite() {
            visit(best);
        }
        if straight.excess < WORTH_TWO_BENDS {
            return;
        }
        let mut best = f64::INFINITY;
        for look in &from.two_bends {
            let direct = to.distance(look.from);
            let bound = (limit.min(best), weakest);
            best = self.last_bend(from, look, to, direct, bound).unwrap_or(best);
        }
        if best.is_finite() {
            visit(best);
        }
    }

    /// The loss of a way on to a cell when it stays below `limit`; `direct` is the cell's distance
    /// from where the way came to the jamb. The last leg is computed only where distance, the way
    /// so far and the bend leave something worth having; `weakest` is the limit as a factor, to tell
    /// that without a logarithm for the many that fail it.
    #[inline]
    fn last_bend(
        &self,
        lookout: &Lookout,
        look: &Look,
        to: Place,
        direct: f64,
        (limit, weakest): (f64, f64),
    ) -> Option<f64> {
        let jamb = &self.jambs[look.jamb];
        if !self.is_between(jamb.wall, look.from, to) {
            return None;
        }
        let length = look.length + to.distance(jamb.at);
        let longer = length - look.before - direct;
        let spread =
            if self.is_square_law { length } else { length.powf(self.model.exponent / 2.0) };
        if look.amplitude * spread * knife_edge_factor(longer, self.frequency) > weakest {
            return None;
        }
        let bend = knife_edge_loss(longer, self.frequency).get();
        let so_far = self.distance_loss(length) + look.excess + bend;
        if so_far > limit {
            return None;
        }
        let mut excess = Excess::default();
        let mut add = |surface, slab: f64, clutter: f64, _: f64| {
            excess.add(surface, slab + clutter);
        };
        let without = [jamb.wall, usize::MAX];
        let fan = &lookout.fans[look.fan];
        fan.visit_crossings(&self.structure, to, &mut self.pricing(without, &mut add));
        let excess = excess.total();
        let loss = so_far + excess;
        (loss <= limit && excess <= look.most).then_some(loss)
    }

    /// What bounces add on the way from a place to those at the height `z`, fitted on links sampled
    /// from the storey of the one to that of the others.
    pub fn bounce_gain(&self, from: Place, z: f64) -> Gain {
        let storeys = self.structure.storey_at(from.z).zip(self.structure.storey_at(z));
        let Some((from, to)) = storeys.filter(|_| self.model.reflections) else {
            return Gain::default();
        };
        // Alike both ways: the smaller first.
        let pair = (from.min(to), from.max(to));
        // Nothing that is half done can be left behind by one who holds it.
        let mut gains = self.gains.lock().unwrap_or_else(PoisonError::into_inner);
        *gains.entry(pair).or_insert_with(|| self.fit_gain(pair))
    }

    /// Least squares of the gain against the straight way's excess, over a fixed pattern of links.
    fn fit_gain(&self, (from, to): (usize, usize)) -> Gain {
        const LINKS: u32 = 60;
        let extents = [from, to].map(|s| self.structure.storey_extent(s));
        let [Some(one), Some(other)] = extents else { return Gain::default() };
        // The R₄ sequence (Roberts): its points fill the storey evenly and are always the same.
        let step = [0.856_674_9, 0.733_891_9, 0.628_706_8, 0.538_597_2];
        let (mut n, mut x, mut y, mut xx, mut xy) = (0.0, 0.0, 0.0, 0.0, 0.0);
        for k in 1..=LINKS {
            let at = |i: usize| (0.5 + step[i] * f64::from(k)).fract();
            let spot = |(extent, floor): &(Rect, f64), i: usize| {
                let across = extent.left + extent.width() * at(i);
                Place::new(across, extent.top + extent.height() * at(i + 1), floor + 1.2)
            };
            let (p, q) = (spot(&one, 0), spot(&other, 2));
            let straight = self.straight_power(p, q);
            let mut power = straight.power;
            self.visit_bounced(p, q, straight.limit, &mut |way| power += ratio(way.loss));
            let gain = (10.0 * (power / straight.power).log10()).min(MOST_GAIN);
            let excess = straight.excess;
            (n, x, y) = (n + 1.0, x + excess, y + gain);
            (xx, xy) = (xx + excess * excess, xy + excess * gain);
        }
        let spread = n * xx - x * x;
        let b = if spread > 1e-9 { ((n * xy - x * y) / spread).clamp(0.0, 0.5) } else { 0.0 };
        Gain { a: ((y - b * x) / n).max(0.0), b }
    }
}
