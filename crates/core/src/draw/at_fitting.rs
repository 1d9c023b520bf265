//! A module up at the fitting, in place of a device in the box of the switch: the place there, tied to the switch as one
//! control, with what goes into it.

use serde_json::json;

use super::choose::planned;
use super::naming::free;
use super::tags::Tags;
use crate::catalogue::Button;
use crate::fit::Fits;
use crate::fit::candidates::candidates;
use crate::site::{Edit, Group, Kind, Point, PointId, PointKind, Provenance, Site, apply};
use crate::units::Metres;

/// How far beneath the ceiling a module lies; *planning value*.
const UNDER_CEILING: f64 = 0.1;
/// Where a fitting is drawn that nobody has seen yet: so far from its switch, to both sides; *planning value*.
const FROM_SWITCH: f64 = 0.8;

/// The edit that makes the place of the fitting that a switch works, where there is none, and plans the module that fits it
/// best there; what was to work the load from the switch's box goes. Nothing where the switch works nothing, or where a
/// module is planned at its fitting already.
pub fn module_at_fitting(site: &Site, switch: &Point) -> Option<Edit> {
    let load = site.loads_of(&switch.id).next()?;
    let group = site.group_of(&switch.id);
    let is_fitting = |p: &&Point| matches!(p.kind, PointKind::Ceiling | PointKind::WallFitting);
    let places = group.iter().flat_map(|g| &g.places).filter_map(|id| site.points.get(id));
    let there = places.into_iter().find(is_fitting);
    if there.is_some_and(|p| !site.devices_at(&p.id).is_empty()) || is_fitting(&switch) {
        return None;
    }
    let mut edits = Vec::new();
    let works =
        |kind: &str| site.kind(kind).is_some_and(crate::catalogue::DeviceKind::works_a_load);
    for device in site.devices_at(&switch.id) {
        if works(&device.kind) && !device.is_there() {
            edits.push(Edit::remove(Kind::Device, &device.id));
        }
    }
    let fitting = match there {
        Some(there) => there.clone(),
        None => new_fitting(site, switch, &load.name)?,
    };
    if there.is_none() {
        edits.push(Edit::put(fitting.clone()));
        edits.push(tied(site, group, switch, &fitting.id)?);
    }
    let mut with = site.clone();
    for edit in &edits {
        apply(&mut with, edit).ok()?;
    }
    let module = |c: &crate::fit::candidates::Candidate<'_>| {
        c.fits < Fits::No && c.kind.works_a_load() && c.kind.button == Some(Button::Wired)
    };
    let best = candidates(&with, with.points.get(&fitting.id)?, None).into_iter().find(module);
    edits.extend(best.and_then(|c| planned(&with, with.points.get(&fitting.id)?, c.kind)));
    Some(Edit::batch(edits))
}

/// The place of a fitting, as little known as it is: what is taken from its switch is guessed.
fn new_fitting(site: &Site, switch: &Point, load: &str) -> Option<Point> {
    let is_taken = |id: &str| site.points.named(id).is_some();
    let id: PointId =
        free(&format!("{}-fitting", switch.id), is_taken).replace(' ', "-").parse().ok()?;
    let height = site.floors.get(&switch.floor).map_or(2.4, |f| f.height_m.get()) - UNDER_CEILING;
    let at = switch.at.map(|m| m + FROM_SWITCH);
    let at = if site.is_beyond_walls(&switch.floor, at) { switch.at } else { at };
    let is_named = |name: &str| site.points.iter().any(|p| p.name == name);
    Some(Point {
        name: free(&format!("{load}, fitting"), is_named),
        room: switch.room.clone(),
        tag: Tags::of(site).next(&switch.room),
        circuit: switch.circuit.clone(),
        // Where it hangs and what feeds it is what its switch makes likely.
        known: Provenance::Guessed,
        ..Point::bare(id, switch.floor.clone(), at, Metres::new(height), PointKind::Ceiling)
    })
}

fn tied(site: &Site, group: Option<&Group>, switch: &Point, fitting: &PointId) -> Option<Edit> {
    if let Some(group) = group {
        let places: Vec<_> = group.places.iter().chain([fitting]).collect();
        return Some(Edit::set(Kind::Group, &group.id, "places", json!(places)));
    }
    let is_taken = |id: &str| site.groups.iter().any(|g| g.id.as_str() == id);
    let id = free(&format!("g-{}", switch.id), is_taken).replace(' ', "-").parse().ok()?;
    let name = free(&switch.name, |name| site.groups.iter().any(|g| g.name == name));
    Some(Edit::put(Group::new(id, &name, vec![switch.id.clone(), fitting.clone()])))
}
