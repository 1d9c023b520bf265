//! What goes with a thing that is taken away, and comes back with it.

use std::fmt::Display;

use super::apply::{batch, flatten, take};
use super::edit::{Change, Edit, Refusal};
use super::{DeviceId, FloorId, Keyed, PointId, Site, Table};

/// A device goes with its readings and controls.
pub(super) fn remove_device(
    site: &mut Site,
    id: &DeviceId,
    depth: usize,
) -> Result<Change, Refusal> {
    let readings = site.readings.iter().filter(|r| r.from == *id || r.to == *id);
    let controls = site.controls.iter().filter(|c| c.controller == *id || c.load == *id);
    let edits: Vec<_> = readings
        .map(|r| Edit::RemoveReading { id: r.id.clone() })
        .chain(controls.map(|c| Edit::RemoveControl { id: c.id.clone() }))
        .collect();
    let put = |device| Edit::PutDevice { device };
    after(site, &edits, depth, ("device", "device", id), |s| &mut s.devices, put)
}

/// A point goes with its devices.
pub(super) fn remove_point(site: &mut Site, id: &PointId, depth: usize) -> Result<Change, Refusal> {
    let devices = site.devices_at(id);
    let edits: Vec<_> = devices.iter().map(|d| Edit::RemoveDevice { id: d.id.clone() }).collect();
    let put = |point| Edit::PutPoint { point };
    after(site, &edits, depth, ("point", "point", id), |s| &mut s.points, put)
}

/// A storey goes with all that stands on it.
pub(super) fn remove_floor(site: &mut Site, id: &FloorId, depth: usize) -> Result<Change, Refusal> {
    let points = site.points.iter().filter(|p| p.floor == *id);
    let walls = site.walls.iter().filter(|w| w.floor == *id);
    let slabs = site.slabs.iter().filter(|s| s.floor == *id);
    let emitters = site.emitters.iter().filter(|e| e.floor == *id);
    let edits: Vec<_> = points
        .map(|p| Edit::RemovePoint { id: p.id.clone() })
        .chain(walls.map(|w| Edit::RemoveWall { id: w.id.clone() }))
        .chain(slabs.map(|s| Edit::RemoveSlab { id: s.id.clone() }))
        .chain(emitters.map(|e| Edit::RemoveEmitter { id: e.id.clone() }))
        .collect();
    let put = |floor| Edit::PutFloor { floor };
    after(site, &edits, depth, ("storey", "floor", id), |s| &mut s.floors, put)
}

/// Takes a thing away after what goes with it. `what` is its word for people, `word` its word among
/// what was touched.
fn after<T: Keyed>(
    site: &mut Site,
    edits: &[Edit],
    depth: usize,
    (what, word, id): (&'static str, &str, &T::Id),
    table: impl Fn(&mut Site) -> &mut Table<T>,
    put: impl Fn(T) -> Edit,
) -> Result<Change, Refusal>
where
    T::Id: Display,
{
    let mut change = batch(site, edits, depth)?;
    let thing = take(table(site), id, what)?;
    change.touched.push(format!("{word}:{id}"));
    let mut put_back = vec![put(thing)];
    put_back.extend(flatten(change.inverse));
    Ok(Change { inverse: Edit::Batch { edits: put_back }, touched: change.touched })
}
