//! What works each light without a phone: a button on its unit, a switch that was seen on the wall, a companion, a
//! remote. Children, guests and visitors use nothing else.

use crate::catalogue::{Button, DeviceKind, Duty, Far};
use crate::site::neutrals::really;
use crate::site::{Device, Load, Point, PointKind, Signs, Site, StaysKind, breaker_order};

/// What works a light without a phone.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Natural {
    /// The button on the unit itself, with the name of its place.
    Button(String),
    /// A switch that was seen on the wall, wired to the unit.
    WallSwitch(String),
    /// A companion or a plain switch at another place of the group, by wire.
    Companion(String),
    /// A remote, or the key of another unit, by its name.
    Remote(String),
}

/// A light, and what works it.
#[derive(Clone, Debug, PartialEq)]
pub struct Light<'a> {
    /// What it is called.
    pub name: String,
    /// Where it is switched, or stands.
    pub point: &'a Point,
    /// The breaker that really feeds that place; empty while nobody said.
    pub breaker: String,
    /// What works it; empty where nothing does that anybody has seen.
    pub by: Vec<Natural>,
}

/// Every light that a device of the job works, by breaker and name.
pub fn lights(site: &Site) -> Vec<Light<'_>> {
    let lamps = site.loads.iter().filter(|l| l.kind.is_lamp());
    let mut all: Vec<_> = lamps.filter_map(|load| of_load(site, load)).collect();
    let gives = |d: &&Device| site.kind(&d.kind).is_some_and(|k| k.fit.gives_light);
    let own = site.devices.iter().filter(gives).filter_map(|device| {
        let point = site.point_of(device)?;
        Some(light(site, device.name.clone(), point, controlled(site, device).collect()))
    });
    all.extend(own);
    all.sort_by(|a, b| {
        breaker_order(&a.breaker).cmp(&breaker_order(&b.breaker)).then(a.name.cmp(&b.name))
    });
    all
}

fn light<'a>(site: &'a Site, name: String, point: &'a Point, mut by: Vec<Natural>) -> Light<'a> {
    by.sort();
    by.dedup();
    Light { name, point, breaker: really(site, &point.circuit).to_owned(), by }
}

/// A lamp that a unit switches; nothing where none of the job does, and the old switch goes on as it was.
fn of_load<'a>(site: &'a Site, load: &Load) -> Option<Light<'a>> {
    let point = site.points.get(&load.switched_at)?;
    let places = match site.group_of(&point.id) {
        Some(group) => group.places.clone(),
        None => vec![point.id.clone()],
    };
    let there: Vec<&Device> = places.iter().flat_map(|p| site.devices_at(p)).collect();
    let switches = |d: &&&Device| site.kind(&d.kind).is_some_and(DeviceKind::may_switch);
    if !there.iter().any(|d| switches(&d)) {
        return None;
    }
    let at_wall = places.iter().filter_map(|p| site.points.get(p)).filter(|p| has_switch(site, p));
    let mut by: Vec<Natural> = Vec::new();
    for device in &there {
        let (Some(kind), Some(at)) = (site.kind(&device.kind), site.point_of(device)) else {
            continue;
        };
        by.extend(match (kind.fit.far, kind.button) {
            (Far::No, Some(Button::Own)) => Some(Natural::Button(at.title())),
            (Far::No, _) => None,
            (Far::Remote, _) => Some(Natural::Remote(device.name.clone())),
            _ => Some(Natural::Companion(at.title())),
        });
        by.extend(controlled(site, device));
    }
    let wired = |d: &&Device| site.kind(&d.kind).is_some_and(|k| k.button == Some(Button::Wired));
    if there.iter().any(wired) {
        by.extend(at_wall.map(|p| Natural::WallSwitch(p.title())));
    }
    Some(light(site, load.name.clone(), point, by))
}

/// The controllers that work a device and are no phone.
fn controlled<'a>(site: &'a Site, device: &'a Device) -> impl Iterator<Item = Natural> + 'a {
    let of = site.controls().filter(|c| *c.load == device.id && c.can_switch_on());
    of.filter_map(|c| {
        let controller = site.devices.get(c.controller)?;
        let kind = site.kind(&controller.kind)?;
        let has_key = kind.duty == Duty::Remote || kind.button.is_some() || !kind.has_radio;
        has_key.then(|| Natural::Remote(controller.name.clone()))
    })
}

/// Whether a switch was seen at a place: nobody takes one for granted.
pub fn has_switch(site: &Site, point: &Point) -> bool {
    let lead = site.box_of(point);
    let stays = |p: &Point| p.stays.iter().any(|s| s.what == StaysKind::Switch);
    let was_seen = point.signs != Signs::default() || lead.is_opened();
    stays(point) || stays(lead) || point.kind == PointKind::Switch && was_seen
}
