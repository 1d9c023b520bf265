//! Names of what is new: they say where it is and what, and differ from all that is there.

use crate::catalogue::DeviceKind;
use crate::geometry::{Vec2, apart, contains};
use crate::radio::system::System;
use crate::site::{FloorId, Point, Site, Spot};

/// The room that a place is most likely in: the one drawn around it, or that of the nearest point of
/// the storey with no wall between; empty where neither is known.
pub fn room_at<'a>(site: &'a Site, floor: &FloorId, at: Spot) -> &'a str {
    let drawn = site.rooms.iter().find(|r| r.floor == *floor && contains(&r.outline, at));
    if let Some(room) = drawn {
        return &room.name;
    }
    let seen = |p: &&Point| {
        p.floor == *floor
            && !p.room.is_empty()
            && !site.walls.iter().any(|w| w.floor == *floor && parts(w.a, w.b, p.at, at))
    };
    let nearest = site.points.iter().filter(seen);
    nearest
        .min_by(|p, q| apart(p.at, at).total_cmp(&apart(q.at, at)))
        .map_or("", |p| p.room.as_str())
}

/// Whether the wall from `a` to `b` stands between two places.
pub(super) fn parts(a: Spot, b: Spot, one: Spot, other: Spot) -> bool {
    let sides = |a: Spot, b: Spot, p: Spot, q: Spot| {
        let along = Vec2::between(a, b);
        along.cross(Vec2::between(a, p)) * along.cross(Vec2::between(a, q)) < 0.0
    };
    sides(a, b, one, other) && sides(one, other, a, b)
}

/// The name of a new device: its room, or else its storey, and what it is.
pub fn of_device(site: &Site, kind: &DeviceKind, floor: &FloorId, at: Spot) -> String {
    let room = room_at(site, floor, at);
    let storey = || site.floors.get(floor).map_or("", |f| f.name.as_str());
    let place = if room.is_empty() { storey() } else { room };
    let stem = format!("{place} {}", kind.short().to_lowercase());
    let taken = |name: &str| {
        site.points.iter().any(|p| p.name == name) || site.devices.iter().any(|d| d.name == name)
    };
    free(stem.trim(), taken)
}

/// The name of a new network.
pub fn of_network(site: &Site, system: System) -> String {
    free(system.name(), |name| site.networks.iter().any(|n| n.name == name))
}

/// The stem itself, or with the first number, from 2 on, that makes it differ.
pub fn free(stem: &str, taken: impl Fn(&str) -> bool) -> String {
    let numbered = (2..).map(|n| format!("{stem} {n}"));
    std::iter::once(stem.to_owned()).chain(numbered).find(|name| !taken(name)).unwrap_or_default()
}
