//! The one way to change a site: an edit, applied with its inverse.

use super::edit::{Change, Edit, Refusal};
use super::{FloorId, Keyed, Opening, OpeningId, OpeningKind, Site, Spot, Table, Wall, cascade};
use crate::units::Metres;

const MOST_IN_BATCH: usize = 20_000;
const DEEPEST_BATCH: usize = 3;

/// Applies an edit; the site is changed only if the whole edit is accepted.
///
/// # Errors
/// The first reason why it cannot be applied.
pub fn apply(site: &mut Site, edit: &Edit) -> Result<Change, Refusal> {
    apply_at(site, edit, 0).map(|mut change| {
        change.touched.sort_unstable();
        change.touched.dedup();
        change
    })
}

fn put<T: Keyed + Clone>(
    table: &mut Table<T>,
    thing: &T,
    word: &str,
    put_back: impl FnOnce(T) -> Edit,
    take_out: impl FnOnce(T::Id) -> Edit,
) -> Change {
    let id = thing.id().clone();
    let touched = vec![format!("{word}:{id}")];
    let inverse = match table.put(thing.clone()) {
        Some(old) => put_back(old),
        None => take_out(id),
    };
    Change { inverse, touched }
}

pub(super) fn take<T: Keyed>(
    table: &mut Table<T>,
    id: &T::Id,
    word: &'static str,
) -> Result<T, Refusal> {
    table.remove(id).ok_or_else(|| Refusal::Missing { what: word, id: id.to_string() })
}

fn removal(word: &str, id: &impl std::fmt::Display, inverse: Edit) -> Change {
    Change { inverse, touched: vec![format!("{word}:{id}")] }
}

#[expect(clippy::too_many_lines, reason = "a flat table of edits, a few lines each")]
fn apply_at(site: &mut Site, edit: &Edit, depth: usize) -> Result<Change, Refusal> {
    match edit {
        Edit::SetJob { job } => {
            Site::check_job(job)?;
            let old = std::mem::replace(&mut site.job, job.clone());
            Ok(removal("job", &"job", Edit::SetJob { job: old }))
        }
        Edit::PutFloor { floor } => {
            Site::check_floor(floor)?;
            Ok(put(
                &mut site.floors,
                floor,
                "floor",
                |floor| Edit::PutFloor { floor },
                |id| Edit::RemoveFloor { id },
            ))
        }
        Edit::RemoveFloor { id } => cascade::remove_floor(site, id, depth),
        Edit::PutWall { wall } => {
            site.check_wall(wall)?;
            Ok(put(
                &mut site.walls,
                wall,
                "wall",
                |wall| Edit::PutWall { wall },
                |id| Edit::RemoveWall { id },
            ))
        }
        Edit::RemoveWall { id } => {
            let wall = take(&mut site.walls, id, "wall")?;
            Ok(removal("wall", id, Edit::PutWall { wall }))
        }
        Edit::DropOpening { wall, id, kind, at } => {
            let Some(old) = site.walls.get(wall) else {
                return Err(Refusal::Missing { what: "wall", id: wall.to_string() });
            };
            let (old, mut changed) = (old.clone(), old.clone());
            changed.openings.push(usual_opening(&old, id.clone(), *kind, *at));
            site.check_wall(&changed)?;
            site.walls.put(changed);
            Ok(removal("wall", wall, Edit::PutWall { wall: old }))
        }
        Edit::PutSlab { slab } => {
            site.check_slab(slab)?;
            Ok(put(
                &mut site.slabs,
                slab,
                "slab",
                |slab| Edit::PutSlab { slab },
                |id| Edit::RemoveSlab { id },
            ))
        }
        Edit::RemoveSlab { id } => {
            let slab = take(&mut site.slabs, id, "slab")?;
            Ok(removal("slab", id, Edit::PutSlab { slab }))
        }
        Edit::PutPoint { point } => {
            site.check_point(point)?;
            Ok(put(
                &mut site.points,
                point,
                "point",
                |point| Edit::PutPoint { point },
                |id| Edit::RemovePoint { id },
            ))
        }
        Edit::RemovePoint { id } => cascade::remove_point(site, id, depth),
        Edit::MovePoint { id, floor, at, height_m } => {
            let Some(old) = site.points.get(id) else {
                return Err(Refusal::Missing { what: "point", id: id.to_string() });
            };
            let mut point = old.clone();
            let inverse = Edit::MovePoint {
                id: id.clone(),
                floor: point.floor.clone(),
                at: point.at,
                height_m: point.height_m,
            };
            (point.floor, point.at, point.height_m) = (floor.clone(), *at, *height_m);
            site.check_point(&point)?;
            site.points.put(point);
            Ok(removal("point", id, inverse))
        }
        Edit::PutNetwork { network } => {
            site.check_network(network)?;
            Ok(put(
                &mut site.networks,
                network,
                "network",
                |network| Edit::PutNetwork { network },
                |id| Edit::RemoveNetwork { id },
            ))
        }
        Edit::RemoveNetwork { id } => {
            in_use("network", id, "devices", site.devices.iter().filter(|d| d.network == *id))?;
            let network = take(&mut site.networks, id, "network")?;
            Ok(removal("network", id, Edit::PutNetwork { network }))
        }
        Edit::PutDevice { device } => {
            site.check_device(device)?;
            Ok(put(
                &mut site.devices,
                device,
                "device",
                |device| Edit::PutDevice { device },
                |id| Edit::RemoveDevice { id },
            ))
        }
        Edit::RemoveDevice { id } => cascade::remove_device(site, id, depth),
        Edit::PutConstruction { construction } => {
            Site::check_construction(construction)?;
            Ok(put(
                &mut site.constructions,
                construction,
                "construction",
                |construction| Edit::PutConstruction { construction },
                |id| Edit::RemoveConstruction { id },
            ))
        }
        Edit::RemoveConstruction { id } => {
            let used = |c: &str| c == id;
            let walls = site.walls.iter().filter(|w| {
                used(&w.construction) || w.openings.iter().any(|o| used(&o.construction))
            });
            in_use("construction", id, "walls", walls)?;
            in_use(
                "construction",
                id,
                "slabs",
                site.slabs.iter().filter(|s| used(&s.construction)),
            )?;
            let construction = take(&mut site.constructions, id, "construction")?;
            Ok(removal("construction", id, Edit::PutConstruction { construction }))
        }
        Edit::PutReading { reading } => {
            site.check_reading(reading)?;
            Ok(put(
                &mut site.readings,
                reading,
                "reading",
                |reading| Edit::PutReading { reading },
                |id| Edit::RemoveReading { id },
            ))
        }
        Edit::RemoveReading { id } => {
            let reading = take(&mut site.readings, id, "reading")?;
            Ok(removal("reading", id, Edit::PutReading { reading }))
        }
        Edit::PutEmitter { emitter } => {
            site.check_emitter(emitter)?;
            Ok(put(
                &mut site.emitters,
                emitter,
                "emitter",
                |emitter| Edit::PutEmitter { emitter },
                |id| Edit::RemoveEmitter { id },
            ))
        }
        Edit::RemoveEmitter { id } => {
            let emitter = take(&mut site.emitters, id, "emitter")?;
            Ok(removal("emitter", id, Edit::PutEmitter { emitter }))
        }
        Edit::PutControl { control } => {
            site.check_control(control)?;
            Ok(put(
                &mut site.controls,
                control,
                "control",
                |control| Edit::PutControl { control },
                |id| Edit::RemoveControl { id },
            ))
        }
        Edit::RemoveControl { id } => {
            let control = take(&mut site.controls, id, "control")?;
            Ok(removal("control", id, Edit::PutControl { control }))
        }
        Edit::PutScan { scan } => {
            Site::check_scan(scan)?;
            Ok(put(
                &mut site.scans,
                scan,
                "scan",
                |scan| Edit::PutScan { scan },
                |id| Edit::RemoveScan { id },
            ))
        }
        Edit::RemoveScan { id } => {
            let scan = take(&mut site.scans, id, "scan")?;
            Ok(removal("scan", id, Edit::PutScan { scan }))
        }
        Edit::SetCalibration { calibration } => {
            if let Some(c) = calibration {
                c.check()?;
            }
            let old = std::mem::replace(&mut site.calibration, calibration.clone());
            Ok(removal("job", &"calibration", Edit::SetCalibration { calibration: old }))
        }
        Edit::ScaleUnderlay { floor, a, b, length_m } => {
            scale_underlay(site, floor, *a, *b, *length_m)
        }
        Edit::Tick { device, step, done } => {
            let Some(old) = site.devices.get(device) else {
                return Err(Refusal::Missing { what: "device", id: device.to_string() });
            };
            let mut changed = old.clone();
            let was = changed.done.contains(step);
            if *done {
                changed.done.insert(*step)
            } else {
                changed.done.remove(step)
            };
            site.devices.put(changed);
            let inverse = Edit::Tick { device: device.clone(), step: *step, done: was };
            Ok(removal("device", device, inverse))
        }
        Edit::Batch { edits } => {
            if edits.len() > MOST_IN_BATCH || depth >= DEEPEST_BATCH {
                return Err(Refusal::TooLarge { most: MOST_IN_BATCH });
            }
            batch(site, edits, depth)
        }
    }
}

/// Applies all or none.
pub(super) fn batch(site: &mut Site, edits: &[Edit], depth: usize) -> Result<Change, Refusal> {
    let before = site.clone();
    let (mut inverses, mut touched) = (Vec::new(), Vec::new());
    for edit in edits {
        match apply_at(site, edit, depth + 1) {
            Ok(change) => {
                inverses.push(change.inverse);
                touched.extend(change.touched);
            }
            Err(refusal) => {
                *site = before;
                return Err(refusal);
            }
        }
    }
    inverses.reverse();
    // Cascades give batches; flat, an inverse never nests deeper than the edit it takes back.
    let edits = inverses.into_iter().flat_map(flatten).collect();
    Ok(Change { inverse: Edit::Batch { edits }, touched })
}

pub(super) fn flatten(edit: Edit) -> Vec<Edit> {
    match edit {
        Edit::Batch { edits } => edits,
        one => vec![one],
    }
}

fn in_use<'a, T: 'a>(
    what: &'static str,
    id: &impl std::fmt::Display,
    by: &'static str,
    users: impl Iterator<Item = &'a T>,
) -> Result<(), Refusal> {
    match users.count() {
        0 => Ok(()),
        count => Err(Refusal::InUse { what, id: id.to_string(), count, by }),
    }
}

/// An opening of usual size with its middle as near to `at` as the wall allows.
fn usual_opening(wall: &Wall, id: OpeningId, kind: OpeningKind, at: Spot) -> Opening {
    let (width, sill, height, construction) = match kind {
        OpeningKind::Door => (0.85, 0.0, 2.0, "door-wood"),
        OpeningKind::Window => (1.2, 0.9, 1.2, "window-double"),
        OpeningKind::Open => (0.9, 0.0, 2.0, ""),
    };
    let length = wall.length().get();
    let along = [wall.b[0] - wall.a[0], wall.b[1] - wall.a[1]].map(|v| v / length);
    let middle = (at[0] - wall.a[0]) * along[0] + (at[1] - wall.a[1]) * along[1];
    let width = f64::min(width, length);
    let start = ((middle - width / 2.0) * 100.0).round() / 100.0;
    Opening {
        id,
        kind,
        start_m: Metres::new(start.clamp(0.0, length - width)),
        width_m: Metres::new(width),
        sill_m: Metres::new(sill),
        height_m: Metres::new(height),
        construction: construction.to_owned(),
        stands_open: false,
    }
}

fn scale_underlay(
    site: &mut Site,
    id: &FloorId,
    a: Spot,
    b: Spot,
    length: Metres,
) -> Result<Change, Refusal> {
    let missing = || Refusal::Missing { what: "plan image on storey", id: id.to_string() };
    let old = site.floors.get(id).ok_or_else(missing)?.clone();
    let mut floor = old.clone();
    let underlay = floor.underlay.as_mut().ok_or_else(missing)?;
    let drawn = (b[0] - a[0]).hypot(b[1] - a[1]);
    if drawn.is_nan() || drawn < 0.01 {
        return Err(Refusal::Invalid {
            field: "length_m",
            reason: "click two places that are farther apart".to_owned(),
        });
    }
    if !(0.1..=500.0).contains(&length.get()) {
        return Err(Refusal::Invalid {
            field: "length_m",
            reason: format!("is {length:.2}; give the true length, 0.1 to 500 m"),
        });
    }
    let k = length.get() / drawn;
    underlay.metres_per_px *= k;
    underlay.origin =
        [a[0] + (underlay.origin[0] - a[0]) * k, a[1] + (underlay.origin[1] - a[1]) * k];
    underlay.scaled = true;
    Site::check_floor(&floor)?;
    site.floors.put(floor);
    Ok(removal("floor", id, Edit::PutFloor { floor: old }))
}
