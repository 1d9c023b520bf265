//! Ways that bend once or twice around jambs between two stations, as a link takes them.

use super::doorway::{
    FARTHEST_JAMB_M, Jamb, Leg, Legs, SAME_STOREY_M, SEEN_THROUGH, Station, WORTH_TWO_BENDS,
};
use super::{Excess, Medium, Straight, knife_edge_loss};
use crate::geometry::Place;

/// A way with one bend or two, by jamb.
#[derive(Clone, Copy)]
pub(super) struct Bent {
    pub(super) bends: [Option<usize>; 2],
    pub(super) loss: f64,
}

impl Medium {
    pub(super) fn legs(&self) -> &Legs {
        self.legs.get_or_init(|| {
            Legs::new(&self.structure, &self.jambs, |a, b| {
                let mut excess = Excess::default();
                self.add_leg(a.at, b.at, [a.wall, b.wall], &mut excess);
                excess.total()
            })
        })
    }

    /// A place with its legs to all jambs, ready for many links.
    pub fn station(&self, place: Place) -> Station {
        if !self.model.doorways {
            return Station { place, legs: Vec::new(), seen: Vec::new(), near: Vec::new() };
        }
        let leg = |jamb: &Jamb| {
            let length = place.distance(jamb.at);
            // Floors away, a door is no way round.
            if (place.z - jamb.at.z).abs() > SAME_STOREY_M || length > FARTHEST_JAMB_M {
                return Leg { length, excess: f64::INFINITY };
            }
            let mut excess = Excess::default();
            self.add_leg(place, jamb.at, [jamb.wall, usize::MAX], &mut excess);
            Leg { length, excess: excess.total() }
        };
        let legs: Vec<_> = self.jambs.iter().map(leg).collect();
        let seen = (0..legs.len()).filter(|j| legs[*j].excess <= SEEN_THROUGH).collect();
        let has_leg =
            |pair: &usize| legs[2 * pair..2 * pair + 2].iter().any(|l| l.excess.is_finite());
        let near = (0..legs.len() / 2).filter(has_leg).collect();
        Station { place, legs, seen, near }
    }

    /// Paths with one or two bends between two stations.
    pub(super) fn visit_bent(
        &self,
        a: &Station,
        b: &Station,
        straight: &Straight,
        visit: &mut impl FnMut(Bent),
    ) {
        // A bend costs 6 dB at the least: where less stands in the way, no door helps.
        if !self.model.doorways || straight.excess <= 0.0 {
            return;
        }
        // Of the two jambs of an opening the better one carries.
        for &pair in &a.near {
            let best = [2 * pair, 2 * pair + 1]
                .into_iter()
                .filter_map(|j| {
                    Some(Bent { bends: [Some(j), None], loss: self.one_bend(a, b, j, straight)? })
                })
                .min_by(|x, y| x.loss.total_cmp(&y.loss));
            best.into_iter().for_each(&mut *visit);
        }
        if straight.excess < WORTH_TWO_BENDS {
            return;
        }
        let legs = self.legs();
        let mut best: Option<Bent> = None;
        for &i in &a.seen {
            for &j in &b.seen {
                let Some(leg) = legs.between(i, j) else { continue };
                let Some(loss) = self.two_bends(a, b, (i, j), leg, straight) else { continue };
                // All two-bend paths run close together: the best one stands for them.
                if best.as_ref().is_none_or(|known| loss < known.loss) {
                    best = Some(Bent { bends: [Some(i), Some(j)], loss });
                }
            }
        }
        best.into_iter().for_each(visit);
    }

    /// The loss with one bend at jamb `j`, when it lies on the way and is worth having.
    #[inline]
    fn one_bend(&self, a: &Station, b: &Station, j: usize, straight: &Straight) -> Option<f64> {
        let (one, other, jamb) = (a.legs[j], b.legs[j], &self.jambs[j]);
        let (excess, length) = (one.excess + other.excess, one.length + other.length);
        if self.at_one_metre + excess + 6.0 > straight.limit
            || straight.through.contains(&(jamb.wall, jamb.hole))
            || !self.is_between(jamb.wall, a.place, b.place)
        {
            return None;
        }
        let bend = knife_edge_loss(length - straight.distance, self.frequency).get();
        let loss = self.distance_loss(length) + excess + bend + self.fills[j];
        (loss <= straight.limit).then_some(loss)
    }

    fn two_bends(
        &self,
        a: &Station,
        b: &Station,
        (i, j): (usize, usize),
        leg: Leg,
        straight: &Straight,
    ) -> Option<f64> {
        let (one, other) = (a.legs[i], b.legs[j]);
        let excess = one.excess + leg.excess + other.excess;
        let length = one.length + leg.length + other.length;
        let (first, second) = (&self.jambs[i], &self.jambs[j]);
        if self.at_one_metre + excess + 12.0 > straight.limit
            || !self.is_between(first.wall, a.place, second.at)
            || !self.is_between(second.wall, first.at, b.place)
        {
            return None;
        }
        // Each edge as seen from its neighbours: Epstein and Peterson, Rec. ITU-R P.526-15, § 4.4.
        let bend = |longer: f64| knife_edge_loss(longer, self.frequency).get();
        let loss = self.distance_loss(length)
            + excess
            + bend(one.length + leg.length - a.legs[j].length)
            + bend(leg.length + other.length - b.legs[i].length)
            + self.fills[i]
            + self.fills[j];
        (loss <= straight.limit).then_some(loss)
    }

    /// Whether a wall's line runs between two places.
    #[inline]
    pub(super) fn is_between(&self, wall: usize, p: Place, q: Place) -> bool {
        let wall = &self.structure.walls[wall];
        let (dx, dy) = (wall.b[0] - wall.a[0], wall.b[1] - wall.a[1]);
        let side = |p: Place| (p.x - wall.a[0]) * dy - (p.y - wall.a[1]) * dx;
        side(p) * side(q) < 0.0
    }
}
