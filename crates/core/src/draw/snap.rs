//! Where a drawn wall end comes to lie: on ends and walls that are there, or square to its start.

use crate::geometry::{Vec2, apart};
use crate::site::{FloorId, Site, Spot};
use crate::units::Metres;

/// How near a drawn place must be to what it snaps to.
pub const REACH: Metres = Metres::new(0.25);

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

/// Snaps `at` on a storey; `start` is the other end of the wall being drawn, if there is one.
/// `reach` is how near counts as near (a hand on a small screen needs more).
pub fn snap(
    site: &Site,
    floor: &FloorId,
    start: Option<Spot>,
    at: Spot,
    reach: Metres,
) -> (Spot, SnappedTo) {
    let walls = || site.walls.iter().filter(|w| w.floor == *floor);
    let near = |p: &Spot| apart(*p, at) <= reach.get();
    let nearest = |p: &Spot, q: &Spot| apart(*p, at).total_cmp(&apart(*q, at));
    if let Some(end) = walls().flat_map(|w| [w.a, w.b]).filter(near).min_by(nearest) {
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
    let foot = |a: Spot, b: Spot| {
        let along = Vec2::between(a, b);
        let t = Vec2::between(a, aim).dot(along) / along.dot(along);
        (along * t.clamp(0.0, 1.0)).from(a)
    };
    if let Some(on) = walls().map(|w| foot(w.a, w.b)).filter(near).min_by(nearest) {
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

/// The end of a wall of the given length from `start` towards `aim`.
pub fn at_length(start: Spot, aim: Spot, length: Metres) -> Spot {
    let drawn = apart(start, aim);
    if drawn < 1e-9 {
        return [millimetre(start[0] + length.get()), start[1]];
    }
    let k = length.get() / drawn;
    (Vec2::between(start, aim) * k).from(start).map(millimetre)
}

fn millimetre(v: f64) -> f64 {
    (v * 1000.0).round() / 1000.0
}
