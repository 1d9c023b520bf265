//! New storeys: named by their place in the house, empty or with walls of one that is there.

use super::naming::free;
use crate::geometry::Vec2;
use crate::radio::region::Region;
use crate::site::{
    Edit, Floor, FloorId, Kind, Opening, OpeningKind, Ref, Refusal, Room, Site, Slab, SlabId,
    SlabPlace, Spot, Wall, Wrong,
};
use crate::units::Metres;

/// Storeys of houses are so high until someone measures; *planning value*.
const USUAL_HEIGHT: Metres = Metres::new(2.5);
/// What a storey of a house stands on until someone looks; *planning value*.
const USUAL_SLAB: &str = "timber-floor";
/// Joists and boards between a ceiling and the next floor; *planning value*.
const JOISTS: Metres = Metres::new(0.3);

/// A storey on top of what is there, or beneath it, with a usual floor between.
pub(super) fn added(
    site: &Site,
    id: &FloorId,
    slab: &SlabId,
    beneath: bool,
    copy: Option<&FloorId>,
) -> Result<Edit, Refusal> {
    let upward = site.floors_upward();
    let lowest = upward.first();
    let (elevation, above_slab) = match lowest {
        None => (Metres::new(0.0), None),
        Some(lowest) if beneath => {
            let has_slab = |s: &Slab| s.floor == lowest.id && s.place == SlabPlace::Below;
            let slab = (!site.slabs.iter().any(has_slab)).then_some(&lowest.id);
            (lowest.elevation_m - USUAL_HEIGHT - JOISTS, slab)
        }
        Some(_) => (on_top(site), Some(id)),
    };
    let taken = |name: &str| site.floors.iter().any(|f| f.name == name);
    let mut edits = vec![Edit::put(Floor {
        id: id.clone(),
        name: free(&called(site, elevation), taken),
        elevation_m: elevation,
        height_m: USUAL_HEIGHT,
        underlay: None,
    })];
    edits.extend(above_slab.map(|floor| {
        Edit::put(Slab {
            id: slab.clone(),
            floor: floor.clone(),
            place: SlabPlace::Below,
            construction: USUAL_SLAB.to_owned(),
            outline: Vec::new(),
            voids: Vec::new(),
        })
    }));
    if let Some(copy) = copy {
        edits.extend(copied(site, copy, id)?);
    }
    Ok(Edit::batch(edits))
}

/// On the highest ceiling and what lies on it.
fn on_top(site: &Site) -> Metres {
    let tops = site.floors.iter().map(|f| f.elevation_m + f.height_m);
    tops.max_by(Metres::total_cmp).map_or(Metres::new(0.0), |top| top + JOISTS)
}

/// How people call a storey at this height, by how many lie between it and the ground.
fn called(site: &Site, elevation: Metres) -> String {
    const SAME_LEVEL: Metres = Metres::new(1.0);
    let upward = site.floors_upward();
    let level_with = |f: &&&Floor| f.elevation_m > Metres::new(0.0) - SAME_LEVEL;
    let ground = upward.iter().find(level_with).map_or(elevation, |f| f.elevation_m);
    if elevation < ground - SAME_LEVEL {
        return "Basement".to_owned();
    }
    let mut levels: Vec<Metres> = Vec::new();
    for floor in upward {
        let last = levels.last().copied().unwrap_or(ground);
        if floor.elevation_m > last + SAME_LEVEL && floor.elevation_m < elevation - SAME_LEVEL {
            levels.push(floor.elevation_m);
        }
    }
    let counts_from_one = matches!(site.job.region, Region::Us | Region::Jp | Region::Kr);
    let is_ground = elevation <= ground + SAME_LEVEL;
    let number = if is_ground { 0 } else { levels.len() + 1 } + usize::from(counts_from_one);
    match number {
        0 => "Ground floor".to_owned(),
        1 => "First floor".to_owned(),
        2 => "Second floor".to_owned(),
        3 => "Third floor".to_owned(),
        n => format!("Floor {n}"),
    }
}

/// The walls and rooms of a storey for another: windows stand over windows and doors within over doors; the
/// doors to the outside stay below.
fn copied(site: &Site, from: &FloorId, to: &FloorId) -> Result<Vec<Edit>, Refusal> {
    if site.floors.get(from).is_none() {
        return Err(Refusal::Missing(Ref::new(Kind::Floor, from.as_str())));
    }
    let walls: Vec<_> = site.walls.iter().filter(|w| w.floor == *from).collect();
    let copy = |(n, wall): (usize, &&Wall)| {
        let id = format!("{to}-w{}", n + 1).parse();
        let id = id.map_err(|e| Refusal::wrong("id", Wrong::Id(e)))?;
        let is_outer = is_outer(&walls, wall);
        let stays = |o: &&Opening| !is_outer || o.kind == OpeningKind::Window;
        let openings = wall.openings.iter().filter(stays).cloned().collect();
        Ok(Edit::put(Wall { id, floor: to.clone(), openings, ..(*wall).clone() }))
    };
    let rooms = site.rooms.iter().filter(|r| r.floor == *from).enumerate().map(|(n, room)| {
        let id = format!("{to}-r{}", n + 1).parse();
        let id = id.map_err(|e| Refusal::wrong("id", Wrong::Id(e)))?;
        let name = free(&room.name, |name| site.rooms.iter().any(|r| r.name == name));
        Ok(Edit::put(Room { id, name, floor: to.clone(), ..room.clone() }))
    });
    walls.iter().enumerate().map(copy).chain(rooms).collect()
}

/// Whether one side of a wall looks into the open: from its middle, straight out, nothing stands.
fn is_outer(walls: &[&Wall], wall: &Wall) -> bool {
    const FAR: f64 = 1000.0;
    let along = Vec2::between(wall.a, wall.b) * (1.0 / wall.length().get());
    let middle = (Vec2::between(wall.a, wall.b) * 0.5).from(wall.a);
    let meets = |side: f64| {
        let out = Vec2 { x: -along.y * side, y: along.x * side };
        let (near, far): (Spot, Spot) = ((out * 0.01).from(middle), (out * FAR).from(middle));
        walls.iter().filter(|w| w.id != wall.id).any(|w| super::naming::parts(w.a, w.b, near, far))
    };
    !meets(1.0) || !meets(-1.0)
}
