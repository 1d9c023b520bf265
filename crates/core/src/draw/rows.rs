//! Rows of the point sheet: a new place, and what is typed into a cell or filled down a column.

use super::naming::free;
use super::tags::Tags;
use crate::catalogue::PointKind;
use crate::geometry::Rect;
use crate::site::{
    BoxKind, Edit, FloorId, Kind, Point, PointId, Ref, Refusal, Site, Spot, Wrong, apply,
};
use crate::survey::sheet;
use crate::units::Metres;

/// A new place on a storey, alike in kind and box to the one before it; by where its room is, or beside
/// the house until it is dragged where it belongs.
///
/// # Errors
/// The storey is not there, or it has no name.
pub fn added(
    site: &Site,
    id: &PointId,
    floor: &FloorId,
    name: &str,
    like: Option<&PointId>,
) -> Result<Edit, Refusal> {
    if site.floors.get(floor).is_none() {
        return Err(Refusal::Missing(Ref::new(Kind::Floor, floor.as_str())));
    }
    let like = like.and_then(|id| site.points.get(id));
    let (kind, back_box, height) = like
        .map_or((PointKind::Switch, BoxKind::Plastic, Metres::new(1.1)), |p| {
            (p.kind, p.back_box, p.height_m)
        });
    let room = like.map_or(String::new(), |p| site.room_name(p).to_owned());
    let name = free(name.trim(), |n| site.points.iter().any(|p| p.name == n));
    if name.is_empty() {
        return Err(Refusal::wrong("name", Wrong::NoName));
    }
    let at = beside(site, floor, like);
    let tag = Tags::of(site).next(&room);
    let new = Point {
        name,
        tag,
        room,
        back_box,
        ..Point::bare(id.clone(), floor.clone(), at, height, kind)
    };
    Ok(Edit::put(new))
}

/// Where a place that nobody has pointed at yet stands: next to the one before it, or left of the house.
fn beside(site: &Site, floor: &FloorId, like: Option<&Point>) -> Spot {
    const STEP: f64 = 0.4;
    let is_taken = |at: Spot| {
        site.points
            .iter()
            .any(|p| p.floor == *floor && crate::geometry::apart(p.at, at) < STEP / 2.0)
    };
    let walls = site.walls.iter().filter(|w| w.floor == *floor).flat_map(|w| [w.a, w.b]);
    let house =
        Rect::around(walls).unwrap_or(Rect { left: 0.0, top: 0.0, right: 0.0, bottom: 0.0 });
    let first = like
        .filter(|p| p.floor == *floor)
        .map_or([house.left - 2.0 * STEP, house.top], |p| [p.at[0] + STEP, p.at[1]]);
    let steps = (0..200u32).map(|n| {
        let down = f64::from(n) * STEP;
        [first[0], first[1] + down].map(super::shift::millimetre)
    });
    steps.into_iter().find(|at| !is_taken(*at)).unwrap_or(first)
}

/// What is typed into a cell, or filled down a column for several places.
pub(super) fn filled(
    site: &Site,
    points: &[PointId],
    column: &str,
    text: &str,
) -> Result<Edit, Refusal> {
    let known = sheet::COLUMNS.iter().map(|c| c.word).collect::<Vec<_>>().join(", ");
    let unknown = || Refusal::wrong("column", Wrong::NoneOf { text: column.to_owned(), known });
    let column = sheet::column(column).ok_or_else(unknown)?;
    let (mut trial, mut edits) = (site.clone(), Vec::new());
    for id in points {
        let missing = || Refusal::Missing(Ref::new(Kind::Point, id.as_str()));
        let point = trial.points.get(id).cloned().ok_or_else(missing)?;
        for edit in sheet::typed(&trial, &point, column, text)? {
            // What one row makes, such as a group, the next finds.
            apply(&mut trial, &edit)?;
            edits.push(edit);
        }
    }
    Ok(Edit::batch(edits))
}
