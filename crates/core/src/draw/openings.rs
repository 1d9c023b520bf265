//! Doors, windows and plain openings of usual size, dropped on a wall.

use crate::geometry::Vec2;
use crate::site::{Opening, OpeningId, OpeningKind, Refusal, Spot, Wall, Wrong};
use crate::units::Metres;

/// So many at a time at most: a long wall of a street front.
const MOST: u8 = 20;

/// A wall's openings with new ones of usual size: one with its middle as near to `at` as the wall
/// allows, or `count` of them with equal gaps along the free stretch around `at`.
pub(super) fn dropped(
    wall: &Wall,
    id: &OpeningId,
    kind: OpeningKind,
    at: Spot,
    count: u8,
) -> Result<Vec<Opening>, Refusal> {
    if !(1..=MOST).contains(&count) {
        let (is, least, most) = (count.into(), 1, MOST.into());
        return Err(Refusal::wrong("count", Wrong::Count { is, least, most }));
    }
    let length = wall.length().get();
    let along = Vec2::between(wall.a, wall.b) * (1.0 / length);
    let pressed = Vec2::between(wall.a, at).dot(along).clamp(0.0, length);
    let (from, to) = if count == 1 { (0.0, length) } else { free_around(wall, pressed) };
    let mut openings = wall.openings.clone();
    for n in 0..count {
        let (id, middle) = if count == 1 {
            (id.clone(), pressed)
        } else {
            let id = format!("{id}-{}", n + 1).parse();
            let id = id.map_err(|e| Refusal::wrong("id", Wrong::Id(e)))?;
            (id, from + (to - from) * (f64::from(n) + 0.5) / f64::from(count))
        };
        let widest = Metres::new((to - from) / f64::from(count));
        openings.push(usual(id, kind, Metres::new(middle), wall.length(), widest));
    }
    Ok(openings)
}

/// From where to where a wall has no opening around a place along it.
fn free_around(wall: &Wall, at: f64) -> (f64, f64) {
    let ends = |o: &Opening| (o.start_m.get(), (o.start_m + o.width_m).get());
    let before = wall.openings.iter().map(|o| ends(o).1).filter(|end| *end <= at);
    let behind = wall.openings.iter().map(|o| ends(o).0).filter(|start| *start >= at);
    (before.fold(0.0, f64::max), behind.fold(wall.length().get(), f64::min))
}

/// *Planning values* of the sizes.
fn usual(
    id: OpeningId,
    kind: OpeningKind,
    middle: Metres,
    length: Metres,
    widest: Metres,
) -> Opening {
    let (width, sill, height, construction) = match kind {
        OpeningKind::Door => (0.85, 0.0, 2.0, "door-wood"),
        OpeningKind::Window => (1.2, 0.9, 1.2, "window-double"),
        OpeningKind::Open => (0.9, 0.0, 2.0, ""),
    };
    let width = f64::min(width, widest.get());
    let start = ((middle.get() - width / 2.0) * 100.0).round() / 100.0;
    Opening {
        id,
        kind,
        start_m: Metres::new(start.clamp(0.0, length.get() - width)),
        width_m: Metres::new(width),
        sill_m: Metres::new(sill),
        height_m: Metres::new(height),
        construction: construction.to_owned(),
        stands_open: false,
    }
}
