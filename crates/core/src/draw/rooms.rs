//! Rooms found from the walls around a place, areas drawn by their corners, and whole rooms copied to
//! another storey.

use std::collections::{BTreeMap, BTreeSet};

use serde_json::json;

use super::naming::free;
use super::shift::{is_on_wall, millimetre};
use crate::geometry::{Vec2, apart, contains, is_on_edge};
use crate::site::{
    Device, Edit, FloorId, Kind, Load, Point, Ref, Refusal, Room, RoomId, RoomUse, Site, Slab,
    SlabPlace, Spot, Wall, Wrong,
};

/// Wall ends so near to each other, or to a wall, are joined there.
const JOINED: f64 = 0.08;
/// What a roof is built of until someone looks; *planning value*.
const USUAL_ROOF: &str = "slate-roof";

/// The corners of the smallest space that walls close around a place; nothing where they leave a gap.
pub fn face_around(walls: &[(Spot, Spot)], at: Spot) -> Option<Vec<Spot>> {
    let (nodes, edges) = graph(walls);
    let faces = faces(&nodes, &edges).into_iter();
    let around = faces.filter(|f| contains(f, at));
    around.min_by(|f, g| area(f).total_cmp(&area(g))).map(|f| without_straight_corners(&f))
}

/// Places where walls meet, and the stretches between them.
fn graph(walls: &[(Spot, Spot)]) -> (Vec<Spot>, BTreeSet<(usize, usize)>) {
    let mut nodes: Vec<Spot> = Vec::new();
    let mut node = |at: Spot| -> usize {
        nodes.iter().position(|n| apart(*n, at) <= JOINED).unwrap_or_else(|| {
            nodes.push(at);
            nodes.len() - 1
        })
    };
    let mut edges = BTreeSet::new();
    for (n, &(a, b)) in walls.iter().enumerate() {
        let along = Vec2::between(a, b);
        let length = along.length();
        let mut cuts = vec![(0.0, a), (1.0, b)];
        for (m, &(c, d)) in walls.iter().enumerate() {
            if m == n {
                continue;
            }
            let across = Vec2::between(c, d);
            let turn = along.cross(across);
            if turn.abs() > 1e-9 {
                let t = Vec2::between(a, c).cross(across) / turn;
                let u = Vec2::between(a, c).cross(along) / turn;
                let (slack, other) = (JOINED / length, JOINED / across.length());
                if (-slack..=1.0 + slack).contains(&t) && (-other..=1.0 + other).contains(&u) {
                    cuts.push((t, (along * t).from(a)));
                }
            }
            // Ends of walls that run along this one.
            for end in [c, d] {
                let t = Vec2::between(a, end).dot(along) / (length * length);
                if (0.0..=1.0).contains(&t) && apart((along * t).from(a), end) <= JOINED {
                    cuts.push((t, end));
                }
            }
        }
        cuts.sort_by(|p, q| p.0.total_cmp(&q.0));
        let on: Vec<usize> = cuts.into_iter().map(|(_, at)| node(at)).collect();
        for pair in on.windows(2).filter(|pair| pair[0] != pair[1]) {
            edges.insert((pair[0].min(pair[1]), pair[0].max(pair[1])));
        }
    }
    (nodes, edges)
}

/// Every space that stretches close around, walked with the wall always on the same hand.
fn faces(nodes: &[Spot], edges: &BTreeSet<(usize, usize)>) -> Vec<Vec<Spot>> {
    let mut around: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
    for &(a, b) in edges {
        around.entry(a).or_default().push(b);
        around.entry(b).or_default().push(a);
    }
    let bearing = |from: usize, to: usize| {
        let way = Vec2::between(nodes[from], nodes[to]);
        way.y.atan2(way.x)
    };
    for (at, others) in &mut around {
        others.sort_by(|p, q| bearing(*at, *p).total_cmp(&bearing(*at, *q)));
    }
    let mut walked: BTreeSet<(usize, usize)> = BTreeSet::new();
    let mut found = Vec::new();
    let ways = edges.iter().flat_map(|&(a, b)| [(a, b), (b, a)]);
    for start in ways {
        let (mut at, mut ring) = (start, Vec::new());
        while walked.insert(at) {
            ring.push(nodes[at.0]);
            let others = &around[&at.1];
            let Some(back) = others.iter().position(|o| *o == at.0) else { break };
            at = (at.1, others[(back + others.len() - 1) % others.len()]);
        }
        if ring.len() >= 3 && signed_area(&ring) > 1e-6 {
            found.push(ring);
        }
    }
    found
}

fn signed_area(ring: &[Spot]) -> f64 {
    let turns = ring.iter().zip(ring.iter().cycle().skip(1));
    turns.map(|(p, q)| p[0] * q[1] - q[0] * p[1]).sum::<f64>() / 2.0
}

/// The area within corners, in square metres.
pub fn area(ring: &[Spot]) -> f64 {
    signed_area(ring).abs()
}

fn without_straight_corners(ring: &[Spot]) -> Vec<Spot> {
    let count = ring.len();
    let is_corner = |n: &usize| {
        let (before, at, after) = (ring[(n + count - 1) % count], ring[*n], ring[(n + 1) % count]);
        let (come, go) = (Vec2::between(before, at), Vec2::between(at, after));
        come.cross(go).abs() > 1e-3 * come.length() * go.length()
    };
    (0..count).filter(is_corner).map(|n| ring[n].map(millimetre)).collect()
}

/// Names the room around a place: the one that is drawn there, or a new one within its walls.
pub(super) fn named(
    site: &Site,
    id: &RoomId,
    floor: &FloorId,
    at: Spot,
    name: &str,
) -> Result<Edit, Refusal> {
    let drawn = site.rooms.iter().filter(|r| r.floor == *floor && contains(&r.outline, at));
    if let Some(room) = drawn.min_by(|r, s| area(&r.outline).total_cmp(&area(&s.outline))) {
        return Ok(Edit::set(Kind::Room, &room.id, "name", name));
    }
    let walls: Vec<_> =
        site.walls.iter().filter(|w| w.floor == *floor).map(|w| (w.a, w.b)).collect();
    let outline = face_around(&walls, at);
    let outline = outline.ok_or_else(|| Refusal::wrong("at", Wrong::NoFace))?;
    let name = free(name, |name| site.rooms.iter().any(|r| r.name == name && r.floor == *floor));
    Ok(Edit::put(Room {
        id: id.clone(),
        name,
        floor: floor.clone(),
        outline,
        used_for: RoomUse::default(),
    }))
}

/// What is drawn by its corners.
#[derive(Clone, Copy, Debug, PartialEq, Eq, serde::Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Area {
    /// A part of a storey with a name: of an open plan, or outdoors.
    Room,
    /// An opening in the floor of a storey.
    Stairwell,
    /// What covers a part of a storey.
    Roof,
}

/// Something drawn by its corners.
pub(super) fn drawn(
    site: &Site,
    id: &str,
    floor: &FloorId,
    what: Area,
    corners: &[Spot],
    name: &str,
) -> Result<Edit, Refusal> {
    let wrong_id = |e| Refusal::wrong("id", Wrong::Id(e));
    let corners: Vec<Spot> = corners.iter().map(|c| c.map(millimetre)).collect();
    match what {
        Area::Room => {
            let stem = if name.trim().is_empty() { "Area" } else { name.trim() };
            Ok(Edit::put(Room {
                id: id.parse().map_err(wrong_id)?,
                name: free(stem, |n| site.rooms.iter().any(|r| r.name == n)),
                floor: floor.clone(),
                outline: corners,
                used_for: RoomUse::default(),
            }))
        }
        Area::Roof => Ok(Edit::put(Slab {
            id: id.parse().map_err(wrong_id)?,
            floor: floor.clone(),
            place: SlabPlace::Above,
            construction: USUAL_ROOF.to_owned(),
            outline: corners,
            voids: Vec::new(),
        })),
        Area::Stairwell => {
            let holds = |s: &&Slab| {
                s.floor == *floor
                    && s.place == SlabPlace::Below
                    && (s.outline.is_empty() || corners.iter().all(|c| contains(&s.outline, *c)))
            };
            let slab = site.slabs.iter().find(holds);
            let slab = slab.ok_or_else(|| Refusal::wrong("floor", Wrong::NoFloorSlab))?;
            let mut voids = slab.voids.clone();
            voids.push(corners);
            Ok(Edit::set(Kind::Slab, &slab.id, "voids", json!(voids)))
        }
    }
}

/// A room for another storey: its walls that do not stand there yet, its points with what hangs on them
/// and their devices.
pub(super) fn copied(
    site: &Site,
    room: &RoomId,
    to: &FloorId,
    stem: &str,
) -> Result<Edit, Refusal> {
    let missing = || Refusal::Missing(Ref::new(Kind::Room, room.as_str()));
    let room = site.rooms.get(room).ok_or_else(missing)?;
    if site.floors.get(to).is_none() {
        return Err(Refusal::Missing(Ref::new(Kind::Floor, to.as_str())));
    }
    let mut edits = Vec::new();
    let mut number = 0;
    let mut next = || {
        number += 1;
        format!("{stem}-{number}")
    };
    let wrong_id = |e| Refusal::wrong("id", Wrong::Id(e));
    let taken = |name: &str| {
        site.points.iter().any(|p| p.name == name) || site.devices.iter().any(|d| d.name == name)
    };
    edits.push(Edit::put(Room {
        id: next().parse().map_err(wrong_id)?,
        floor: to.clone(),
        name: free(&room.name, |n| site.rooms.iter().any(|r| r.name == n)),
        ..room.clone()
    }));
    let borders = |w: &&Wall| {
        w.floor == room.floor && [w.a, w.b].iter().all(|end| is_on_edge(&room.outline, *end))
    };
    let stands = |w: &Wall| {
        site.walls.iter().any(|o| o.floor == *to && is_on_wall(o, w.a) && is_on_wall(o, w.b))
    };
    for wall in site.walls.iter().filter(borders).filter(|w| !stands(w)) {
        let id = next().parse().map_err(wrong_id)?;
        edits.push(Edit::put(Wall { id, floor: to.clone(), ..wall.clone() }));
    }
    let tags = super::tags::Tags::of(site);
    let mut tags = tags;
    for point in site.points.iter().filter(|p| site.room_of(p) == Some(room)) {
        let id: crate::site::PointId = next().parse().map_err(wrong_id)?;
        let name = free(&point.name, taken);
        let tag = tags.next(site.room_name(point));
        let copy = Point {
            id: id.clone(),
            name: name.clone(),
            tag,
            floor: to.clone(),
            in_box_of: None,
            fed_through: None,
            conductors: Vec::new(),
            facts: BTreeMap::new(),
            // What is in a box is settled box by box, however alike the rooms are.
            neutral: crate::site::Neutral::Unknown,
            earth: crate::site::Earth::Unknown,
            circuit: String::new(),
            note: String::new(),
            ..point.clone()
        };
        edits.push(Edit::put(copy));
        for load in site.loads_of(&point.id) {
            let (id_load, switched_at) = (next().parse().map_err(wrong_id)?, id.clone());
            edits.push(Edit::put(Load {
                id: id_load,
                switched_at,
                bypass: String::new(),
                ..load.clone()
            }));
        }
        for device in site.devices_at(&point.id) {
            let id_device = next().parse().map_err(wrong_id)?;
            let (kind, network) = (&device.kind, device.network.clone());
            let copy = Device::new(id_device, &name, id.clone(), kind, network);
            edits.push(Edit::put(Device { can_be_cut: device.can_be_cut, ..copy }));
        }
    }
    Ok(Edit::batch(edits))
}
