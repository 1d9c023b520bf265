//! Walls that are moved, with what is joined to them: an end that stood on a moved end goes along, one
//! that stood on a moved wall stays on it and keeps its own direction, openings stay where they were.

use std::collections::{BTreeMap, BTreeSet};

use serde::Deserialize;
use serde_json::json;

use crate::geometry::{Vec2, apart};
use crate::site::{Edit, Kind, Opening, PointId, Ref, Refusal, Site, Spot, Wall, WallId};
use crate::units::Metres;

/// What lies so near to a place or a wall stands on it.
const TOUCH: f64 = 0.005;

/// An end of a wall.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum End {
    /// Where it begins.
    A,
    /// Where it ends.
    B,
}

/// The ends that walls come to have; only of those that change.
pub type Moved = BTreeMap<WallId, [Spot; 2]>;

/// Where the end of a wall is.
fn place_of(wall: &Wall, end: End) -> Spot {
    match end {
        End::A => wall.a,
        End::B => wall.b,
    }
}

/// The walls that a dragged end takes along, itself among them: none of them can hold it back.
pub fn held_by_end(site: &Site, wall: &Wall, end: End) -> BTreeSet<WallId> {
    let stood = place_of(wall, end);
    let held = others(site, wall).filter(|w| is_near(w.a, stood) || is_near(w.b, stood));
    held.chain([wall]).map(|w| w.id.clone()).collect()
}

/// What becomes of the walls when one end of one is dragged.
pub fn end_dragged(site: &Site, wall: &Wall, end: End, to: Spot) -> Moved {
    let to = to.map(millimetre);
    let ends = match end {
        End::A => [to, wall.b],
        End::B => [wall.a, to],
    };
    with_joined(site, Moved::from([(wall.id.clone(), ends)]))
}

/// What becomes of the walls when some are moved. A single wall that is joined at an end moves across
/// itself only, so that what it meets stays straight.
pub fn walls_moved(site: &Site, chosen: &BTreeSet<WallId>, by: Vec2) -> Moved {
    let by = match chosen.iter().next().and_then(|id| site.walls.get(id)) {
        Some(only) if chosen.len() == 1 && is_joined(site, only) => across(only, by),
        _ => by,
    };
    let walls = chosen.iter().filter_map(|id| site.walls.get(id));
    let ends = |w: &Wall| [w.a, w.b].map(|end| by.from(end).map(millimetre));
    with_joined(site, walls.map(|w| (w.id.clone(), ends(w))).collect())
}

/// The edits of moved walls and points.
///
/// # Errors
/// Something that was to move is not there.
pub(super) fn edits(
    site: &Site,
    moved: &Moved,
    points: &BTreeSet<PointId>,
    by: Vec2,
) -> Result<Vec<Edit>, Refusal> {
    let mut edits = Vec::new();
    for (id, [a, b]) in moved {
        let wall = found(site, id)?;
        edits.extend(is_other(*a, wall.a).then(|| Edit::set(Kind::Wall, id, "a", json!(a))));
        edits.extend(is_other(*b, wall.b).then(|| Edit::set(Kind::Wall, id, "b", json!(b))));
        let openings = openings_of(wall, *a, *b);
        if openings != wall.openings {
            edits.push(Edit::set(Kind::Wall, id, "openings", json!(openings)));
        }
    }
    for id in points {
        let missing = || Refusal::Missing(Ref::new(Kind::Point, id.as_str()));
        let at = by.from(site.points.get(id).ok_or_else(missing)?.at).map(millimetre);
        edits.push(Edit::set(Kind::Point, id, "at", json!(at)));
    }
    Ok(edits)
}

pub(super) fn found<'a>(site: &'a Site, id: &WallId) -> Result<&'a Wall, Refusal> {
    let missing = || Refusal::Missing(Ref::new(Kind::Wall, id.as_str()));
    site.walls.get(id).ok_or_else(missing)
}

fn others<'a>(site: &'a Site, wall: &'a Wall) -> impl Iterator<Item = &'a Wall> {
    site.walls.iter().filter(|w| w.floor == wall.floor && w.id != wall.id)
}

/// Whether another wall meets an end of this one, or ends on it.
fn is_joined(site: &Site, wall: &Wall) -> bool {
    others(site, wall).any(|w| {
        is_on_wall(w, wall.a)
            || is_on_wall(w, wall.b)
            || is_on_wall(wall, w.a)
            || is_on_wall(wall, w.b)
    })
}

/// Whether a place lies on a wall.
pub(super) fn is_on_wall(wall: &Wall, at: Spot) -> bool {
    is_near(nearest_on(wall.a, wall.b, at), at)
}

fn is_near(one: Spot, other: Spot) -> bool {
    apart(one, other) <= TOUCH
}

fn is_other(one: Spot, other: Spot) -> bool {
    apart(one, other) > 0.0
}

/// The part of a way that leads across a wall.
fn across(wall: &Wall, by: Vec2) -> Vec2 {
    let along = Vec2::between(wall.a, wall.b) * (1.0 / wall.length().get());
    by - along * by.dot(along)
}

fn with_joined(site: &Site, mut moved: Moved) -> Moved {
    let chosen: Vec<_> =
        moved.iter().filter_map(|(id, ends)| Some((site.walls.get(id)?, *ends))).collect();
    let floors: BTreeSet<_> = chosen.iter().map(|(w, _)| &w.floor).collect();
    let mut along = Moved::new();
    for wall in site.walls.iter().filter(|w| floors.contains(&w.floor)) {
        if moved.contains_key(&wall.id) {
            continue;
        }
        let goes = |end: Spot, other: Spot| {
            let of_floor = || chosen.iter().filter(|(w, _)| w.floor == wall.floor);
            let with_end = of_floor().find_map(|(w, [a, b])| {
                let with_a = is_near(w.a, end).then_some(*a);
                with_a.or_else(|| is_near(w.b, end).then_some(*b))
            });
            let on_wall = || {
                let under = of_floor().find(|(w, _)| is_on_wall(w, end));
                under.map(|(_, [a, b])| met(other, end, *a, *b))
            };
            with_end.or_else(on_wall).unwrap_or(end)
        };
        along.insert(wall.id.clone(), [goes(wall.a, wall.b), goes(wall.b, wall.a)]);
    }
    moved.extend(along);
    let is_moved = |w: &Wall, [a, b]: [Spot; 2]| is_other(a, w.a) || is_other(b, w.b);
    moved.retain(|id, ends| site.walls.get(id).is_some_and(|w| is_moved(w, *ends)));
    moved
}

/// Where the way from `from` through `end` meets the wall from `a` to `b`; where it does not, the place
/// of the wall nearest to `end`.
fn met(from: Spot, end: Spot, a: Spot, b: Spot) -> Spot {
    let (way, along) = (Vec2::between(from, end), Vec2::between(a, b));
    let turn = way.cross(along);
    let t = Vec2::between(from, a).cross(way) / turn;
    let is_skew = turn.abs() > 0.05 * way.length() * along.length();
    let spot = if is_skew && (0.0..=1.0).contains(&t) {
        (along * t).from(a)
    } else {
        nearest_on(a, b, end)
    };
    spot.map(millimetre)
}

pub(super) fn nearest_on(a: Spot, b: Spot, at: Spot) -> Spot {
    let along = Vec2::between(a, b);
    let t = Vec2::between(a, at).dot(along) / along.dot(along);
    (along * t.clamp(0.0, 1.0)).from(a)
}

/// Openings stay where they are on the sheet, as far as the changed wall reaches.
fn openings_of(wall: &Wall, a: Spot, b: Spot) -> Vec<Opening> {
    let length = Metres::new(apart(a, b));
    let is_grown_at_a = is_other(a, wall.a) && !is_other(b, wall.b);
    let grown = if is_grown_at_a { length - wall.length() } else { Metres::new(0.0) };
    let moved = |o: &Opening| {
        let last = f64::max((length - o.width_m).get(), 0.0);
        let start_m = Metres::new(millimetre((o.start_m + grown).get()).clamp(0.0, last));
        Opening { start_m, ..o.clone() }
    };
    wall.openings.iter().map(moved).collect()
}

pub(super) fn millimetre(v: f64) -> f64 {
    (v * 1000.0).round() / 1000.0
}
