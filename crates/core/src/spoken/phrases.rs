//! What answers to a phrase, as voice services usually take it: the words of the act away, what is left is the name of a
//! scene, of a device or of a room. *Planning assumption*: no maker's service is held against it.

use std::collections::BTreeSet;

use super::near::words;
use crate::fit;
use crate::site::{Device, DeviceId, FittingWay, RuleId, Site, Trigger};

/// What a phrase is taken to mean.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Meant {
    /// A phrase that a rule waits for, or a scene by its name.
    Rule(RuleId),
    /// Devices by their name.
    Devices(BTreeSet<DeviceId>),
    /// All lights of a room.
    Lights(BTreeSet<DeviceId>),
    /// All of a room that can be switched, whatever it is.
    Room(BTreeSet<DeviceId>),
    /// Several things of that name: it asks back, or takes one of them.
    Several(BTreeSet<DeviceId>),
    /// Nothing.
    Nothing,
}

/// What answers to a phrase.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PhraseAnswer {
    /// The phrase.
    pub phrase: String,
    /// What it is taken to mean.
    pub meant: Meant,
    /// What moves with it and gives no light: a fan of the same room.
    pub also: BTreeSet<DeviceId>,
    /// What is meant and no platform of this house that is spoken to reaches.
    pub not_reached: BTreeSet<DeviceId>,
}

/// Words of an act, and such as carry nothing.
const OF_ACTS: [&str; 34] = [
    "turn", "switch", "put", "set", "make", "dim", "brighten", "on", "off", "up", "down", "to",
    "the", "my", "all", "in", "of", "at", "please", "percent", "schalte", "schalt", "mach",
    "mache", "stelle", "an", "aus", "ein", "das", "die", "der", "den", "im", "bitte",
];
/// Words for the lights of a room.
const LIGHTS: [&str; 6] = ["light", "lights", "lamp", "lamps", "licht", "lichter"];

/// What is left of a phrase without the words of the act.
fn named(phrase: &str) -> Vec<String> {
    let is_act = |word: &String| {
        OF_ACTS.contains(&word.as_str()) || word.bytes().all(|b| b.is_ascii_digit())
    };
    let all = words(phrase);
    let left: Vec<String> = all.iter().filter(|word| !is_act(word)).cloned().collect();
    // A number is part of a name where it stands behind it, and a level where it stands behind “to”.
    let number = all.last().filter(|word| word.bytes().all(|b| b.is_ascii_digit()));
    let is_level = all.iter().rev().nth(1).is_some_and(|word| word == "to" || word == "auf");
    left.into_iter().chain(number.filter(|_| !is_level).cloned()).collect()
}

/// A name without such words, where anything is left of it then.
fn plain(name: &str) -> Vec<String> {
    let all = words(name);
    let left: Vec<String> =
        all.iter().filter(|word| !OF_ACTS.contains(&word.as_str())).cloned().collect();
    if left.is_empty() { all } else { left }
}

/// What can be switched by voice at all.
fn is_switched(site: &Site, device: &Device) -> bool {
    site.kind(&device.kind)
        .is_some_and(|k| k.duty == crate::catalogue::Duty::Actuator && k.sides().1)
}

/// Whether a device gives light, or works lamps.
fn is_light(site: &Site, device: &Device) -> bool {
    let lamp = site.kind(&device.kind).is_some_and(|k| k.fit.gives_light);
    lamp || site.loads_of(&device.point).any(|load| load.kind.is_lamp())
}

/// What answers to a phrase in this house.
pub fn answer(site: &Site, phrase: &str) -> PhraseAnswer {
    let meant = meant(site, phrase);
    let devices = match &meant {
        Meant::Devices(all) | Meant::Lights(all) | Meant::Room(all) | Meant::Several(all) => {
            all.clone()
        }
        Meant::Rule(id) => {
            let rule = site.rules.get(id);
            rule.map(|rule| site.reached_by(rule).into_iter().map(|r| r.device.clone()).collect())
                .unwrap_or_default()
        }
        Meant::Nothing => BTreeSet::new(),
    };
    let of = |is: &dyn Fn(&Device) -> bool| -> BTreeSet<DeviceId> {
        devices.iter().filter(|id| site.devices.get(id).is_some_and(is)).cloned().collect()
    };
    let also = match meant {
        Meant::Room(_) => of(&|d| !is_light(site, d)),
        _ => BTreeSet::new(),
    };
    let spoken_to: Vec<_> = site.platforms.iter().filter(|p| p.way == FittingWay::Voice).collect();
    let reaches = |device: &Device| {
        let kind = site.kind(&device.kind);
        kind.is_some_and(|k| {
            fit::is_reached(site, k, Some(&device.network), FittingWay::Voice) != Some(false)
        })
    };
    let not_reached = of(&|device| spoken_to.is_empty() || !reaches(device));
    PhraseAnswer { phrase: phrase.to_owned(), meant, also, not_reached }
}

fn meant(site: &Site, phrase: &str) -> Meant {
    let whole = words(phrase);
    let says = |r: &&crate::site::Rule| matches!(&r.when, Trigger::Says { phrase } if words(phrase) == whole);
    if let Some(rule) = site.rules.iter().find(says) {
        return Meant::Rule(rule.id.clone());
    }
    let name = named(phrase);
    if name.is_empty() {
        return Meant::Nothing;
    }
    let is_scene = |r: &&crate::site::Rule| r.when == Trigger::Called && plain(&r.name) == name;
    if let Some(rule) = site.rules.iter().find(is_scene) {
        return Meant::Rule(rule.id.clone());
    }
    let switched = || site.devices.iter().filter(|d| is_switched(site, d));
    let called: BTreeSet<DeviceId> =
        switched().filter(|d| plain(&d.name) == name).map(|d| d.id.clone()).collect();
    if !called.is_empty() {
        return if called.len() == 1 { Meant::Devices(called) } else { Meant::Several(called) };
    }
    let of_room = |room: &[String], lights: bool| -> BTreeSet<DeviceId> {
        let is_in = |d: &&Device| {
            let point = site.point_of(d);
            point.is_some_and(|p| plain(site.room_name(p)) == room)
                && (!lights || is_light(site, d))
        };
        switched().filter(is_in).map(|d| d.id.clone()).collect()
    };
    if let Some((last, room)) = name.split_last()
        && LIGHTS.contains(&last.as_str())
        && !room.is_empty()
    {
        let lights = of_room(room, true);
        if !lights.is_empty() {
            return Meant::Lights(lights);
        }
    }
    let room = of_room(&name, false);
    if !room.is_empty() {
        return Meant::Room(room);
    }
    // Part of a name is taken where it is of one thing alone.
    let part: BTreeSet<DeviceId> = switched()
        .filter(|d| {
            let own = words(&d.name);
            name.iter().all(|word| own.contains(word))
        })
        .map(|d| d.id.clone())
        .collect();
    match part.len() {
        0 => Meant::Nothing,
        1 => Meant::Devices(part),
        _ => Meant::Several(part),
    }
}

/// The phrases of a household's guide: what rules wait for, each scene, each device and the lights of each room.
pub fn guide(site: &Site) -> Vec<String> {
    let mut all = Vec::new();
    for rule in &site.rules {
        match &rule.when {
            Trigger::Says { phrase } => all.push(phrase.clone()),
            Trigger::Called if !rule.name.is_empty() => all.push(format!("Turn on {}", rule.name)),
            _ => {}
        }
    }
    let switched = site.devices.iter().filter(|d| is_switched(site, d));
    all.extend(switched.map(|d| format!("Turn on {}", d.name)));
    let rooms: BTreeSet<&str> = site.rooms.iter().map(|r| r.name.as_str()).collect();
    all.extend(rooms.into_iter().map(|room| format!("Turn off the {room} lights")));
    all
}
