//! Where a drawn wall end comes to lie: on ends and walls that are there, square to its start, or as
//! far and in the direction that was typed.

use std::collections::BTreeSet;

use super::shift::{millimetre, nearest_on};
use crate::geometry::{Vec2, apart};
use crate::site::{FloorId, Site, Spot, Wall, WallId};
use crate::units::Metres;

/// How near a drawn place must be to what it snaps to.
pub const REACH: Metres = Metres::new(0.25);

/// A start so near to a wall is on it, in metres.
const AT_WALL: f64 = 0.01;
/// So far a hand may be off a right angle where only a length is typed.
const SQUARE_WITHIN_DEG: f64 = 20.0;

/// What a place was snapped to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SnappedTo {
    /// The end of a wall.
    WallEnd,
    /// A place along a wall.
    Wall,
    /// Level or plumb with the start.
    Square,
    /// The drawing grid of 5 cm.
    Grid,
}

impl SnappedTo {
    /// What it is, in words.
    pub fn name(self) -> &'static str {
        match self {
            Self::WallEnd => "wall end",
            Self::Wall => "wall",
            Self::Square => "square",
            Self::Grid => "",
        }
    }
}

/// What a hand points at on a storey, and what was typed.
#[derive(Clone, Debug)]
pub struct Aim {
    /// The storey.
    pub floor: FloorId,
    /// Where the hand is.
    pub at: Spot,
    /// The other end of the wall being drawn, if it has one yet.
    pub start: Option<Spot>,
    /// The typed length of the wall; without a start, how far along the wall under the hand it begins,
    /// from the nearer corner.
    pub length: Option<Metres>,
    /// The typed direction in degrees: 0 to the right, 90 up the sheet.
    pub angle: Option<f64>,
    /// The typed sides of a rectangle, across and down, towards the hand.
    pub sides: Option<(Metres, Metres)>,
    /// How near counts as near: a hand on a small screen needs more.
    pub reach: Metres,
    /// Walls that move with the hand and cannot be snapped to.
    pub but: BTreeSet<WallId>,
}

/// Where it comes to lie.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Snapped {
    /// The place.
    pub at: Spot,
    /// What it was snapped to; a typed place is where it was typed to be.
    pub to: SnappedTo,
    /// How far it is from the nearer corner of the wall that it lies on, and which corner that is.
    pub from_corner: Option<(Metres, CornerSide)>,
}

/// Which of the two ends of a wall a corner is, on the sheet.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum CornerSide {
    /// Of a wall that runs across.
    Left,
    /// The other end of it.
    Right,
    /// Of a wall that runs up and down.
    Upper,
    /// The other end of it.
    Lower,
}

impl CornerSide {
    /// What it is called.
    pub fn name(self) -> &'static str {
        match self {
            Self::Left => "left",
            Self::Right => "right",
            Self::Upper => "upper",
            Self::Lower => "lower",
        }
    }

    /// Which corner it is, seen from the other one.
    fn of(corner: Spot, far: Spot) -> Self {
        let way = Vec2::between(far, corner);
        match (way.x.abs() >= way.y.abs(), way.x < 0.0, way.y < 0.0) {
            (true, true, _) => Self::Left,
            (true, false, _) => Self::Right,
            (false, _, true) => Self::Upper,
            (false, _, false) => Self::Lower,
        }
    }
}

/// The nearer end of a wall, and the other one.
fn corners(wall: &Wall, at: Spot) -> (Spot, Spot) {
    if apart(wall.a, at) <= apart(wall.b, at) { (wall.a, wall.b) } else { (wall.b, wall.a) }
}

impl Aim {
    /// A hand alone, with nothing typed.
    pub fn new(floor: FloorId, at: Spot, start: Option<Spot>) -> Self {
        let (length, angle, sides, but) = (None, None, None, BTreeSet::new());
        Self { floor, at, start, length, angle, sides, reach: REACH, but }
    }

    /// Where the place comes to lie.
    pub fn snapped(&self, site: &Site) -> Snapped {
        if let Some((start, (across, down))) = self.start.zip(self.sides) {
            let toward = |hand: f64, from: f64| if hand < from { -1.0 } else { 1.0 };
            let x = start[0] + across.get() * toward(self.at[0], start[0]);
            let y = start[1] + down.get() * toward(self.at[1], start[1]);
            return Snapped { at: [x, y].map(millimetre), to: SnappedTo::Grid, from_corner: None };
        }
        let (mut at, mut to) = self.by_hand(site);
        match (self.start, self.length, self.angle) {
            (Some(start), length, Some(degrees)) => {
                let length = length.map_or(apart(start, at), Metres::get);
                let (sin, cos) = degrees.to_radians().sin_cos();
                at = (Vec2 { x: cos, y: -sin } * length).from(start).map(millimetre);
                to = SnappedTo::Grid;
            }
            (Some(start), Some(length), None) => {
                at = at_length(start, self.squared_from(site, start).unwrap_or(at), length);
                to = SnappedTo::Grid;
            }
            (None, Some(along), _) => {
                if let Some(spot) = self.so_far_along(site, along) {
                    at = spot;
                    to = SnappedTo::Wall;
                }
            }
            (None, None, _) | (Some(_), None, None) => {}
        }
        let from_corner = (to == SnappedTo::Wall).then(|| self.under(site, at)).flatten();
        let from_corner = from_corner.map(|wall| {
            let (corner, far) = corners(wall, at);
            (Metres::new(apart(corner, at)), CornerSide::of(corner, far))
        });
        Snapped { at, to, from_corner }
    }

    /// With a typed length the hand only says which way: level, plumb, along or square to a wall at the start, where it
    /// points within twenty degrees of that.
    fn squared_from(&self, site: &Site, start: Spot) -> Option<Spot> {
        let way = Vec2::between(start, self.at);
        let level = Vec2 { x: 1.0, y: 0.0 };
        let there =
            self.walls(site).filter(|w| apart(nearest_on(w.a, w.b, start), start) <= AT_WALL);
        let along = there.map(|w| Vec2::between(w.a, w.b)).filter(|v| v.length() > 0.0);
        let axes = std::iter::once(level).chain(along.map(|v| v * (1.0 / v.length())));
        let both = axes.flat_map(|v| [v, Vec2 { x: -v.y, y: v.x }]);
        let best = both.max_by(|v, w| way.dot(*v).abs().total_cmp(&way.dot(*w).abs()))?;
        let reach = way.dot(best);
        let is_near = reach.abs() >= way.length() * SQUARE_WITHIN_DEG.to_radians().cos();
        (way.length() > 0.0 && is_near).then(|| (best * reach).from(start))
    }

    fn walls<'a>(&'a self, site: &'a Site) -> impl Iterator<Item = &'a Wall> {
        site.walls.iter().filter(|w| w.floor == self.floor && !self.but.contains(&w.id))
    }

    fn by_hand(&self, site: &Site) -> (Spot, SnappedTo) {
        let (start, at) = (self.start, self.at);
        let near = |p: &Spot| apart(*p, at) <= self.reach.get();
        let nearest = |p: &Spot, q: &Spot| apart(*p, at).total_cmp(&apart(*q, at));
        let ends = self.walls(site).flat_map(|w| [w.a, w.b]);
        if let Some(end) = ends.filter(near).min_by(nearest) {
            return (end, SnappedTo::WallEnd);
        }
        let squared = start.and_then(|[x, y]| {
            let (across, down) = ((at[0] - x).abs(), (at[1] - y).abs());
            // Within six degrees of level or plumb.
            if down < across * 0.105 {
                Some([at[0], y])
            } else if across < down * 0.105 {
                Some([x, at[1]])
            } else {
                None
            }
        });
        let aim = squared.unwrap_or(at);
        let feet = self.walls(site).map(|w| nearest_on(w.a, w.b, aim));
        if let Some(on) = feet.filter(near).min_by(nearest) {
            return (on.map(millimetre), SnappedTo::Wall);
        }
        let grid = |v: f64| (v / 0.05).round() * 0.05;
        match (squared, start) {
            (Some([x, y]), Some(from)) if y.total_cmp(&from[1]).is_eq() => {
                ([millimetre(grid(x)), y], SnappedTo::Square)
            }
            (Some([x, y]), _) => ([x, millimetre(grid(y))], SnappedTo::Square),
            (None, _) => (at.map(grid).map(millimetre), SnappedTo::Grid),
        }
    }

    /// The wall under a place.
    fn under<'a>(&'a self, site: &'a Site, at: Spot) -> Option<&'a Wall> {
        let off = |w: &Wall| apart(nearest_on(w.a, w.b, at), at);
        let near = self.walls(site).filter(|w| off(w) <= self.reach.get());
        near.min_by(|v, w| off(v).total_cmp(&off(w)))
    }

    /// So far along the wall under the hand, from the corner that is nearer to it.
    fn so_far_along(&self, site: &Site, along: Metres) -> Option<Spot> {
        let wall = self.under(site, self.at)?;
        let (corner, far) = corners(wall, self.at);
        Some(at_length(corner, far, along.min(wall.length())))
    }
}

/// The end of a wall of the given length from `start` towards `aim`.
pub fn at_length(start: Spot, aim: Spot, length: Metres) -> Spot {
    let drawn = apart(start, aim);
    if drawn < 1e-9 {
        return [millimetre(start[0] + length.get()), start[1]];
    }
    let k = length.get() / drawn;
    (Vec2::between(start, aim) * k).from(start).map(millimetre)
}

/// The direction from one place to another in degrees: 0 to the right, 90 up the sheet.
pub fn direction(from: Spot, to: Spot) -> f64 {
    let way = Vec2::between(from, to);
    // Never −0 and never −180: a way has one name.
    let degrees = (-way.y).atan2(way.x).to_degrees().round() + 0.0;
    if degrees <= -180.0 { 180.0 } else { degrees }
}
