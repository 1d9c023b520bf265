//! What each device is to the platforms of the house, by what it works.

use crate::catalogue::{DeviceKind, Duty, LoadKind};
use crate::site::{Device, Site, ThingClass};

/// What a device is to a platform: as was said, else by what hangs on it; nothing for what is not seen there.
pub fn class(site: &Site, device: &Device, kind: &DeviceKind) -> Option<ThingClass> {
    if device.class.is_some() {
        return device.class;
    }
    if !kind.has_radio {
        return None;
    }
    match kind.duty {
        Duty::Hub | Duty::Repeater if !kind.fit.switches() => return None,
        Duty::Sensor => return Some(ThingClass::Sensor),
        Duty::Remote => return Some(ThingClass::Button),
        Duty::Hub | Duty::Repeater | Duty::Actuator => {}
    }
    if kind.fit.gives_light {
        return Some(ThingClass::Light);
    }
    if kind.class.is_some() {
        return kind.class;
    }
    let group = site.group_of(&device.point).into_iter().flat_map(|g| &g.places);
    let places = group.chain(std::iter::once(&device.point));
    let mut loads = places.flat_map(|p| site.loads_of(p)).map(|l| l.kind);
    let of = |load: LoadKind| match load {
        LoadKind::Fan => ThingClass::Fan,
        LoadKind::Outlet => ThingClass::Outlet,
        load if load.is_lamp() => ThingClass::Light,
        _ => ThingClass::Switch,
    };
    let first = loads.next().map(of);
    // What works things of several classes is a switch to all of them.
    let is_mixed = loads.map(of).any(|class| Some(class) != first);
    Some(match first {
        Some(class) if !is_mixed => class,
        None if kind.fit.is_dimmer() => ThingClass::Light,
        None if !kind.is_wired_in() => ThingClass::Outlet,
        Some(_) | None => ThingClass::Switch,
    })
}
