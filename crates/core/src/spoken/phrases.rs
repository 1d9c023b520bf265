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

/// Everything of a house that has a name, written down once so that many phrases can be looked up in it.
#[derive(Debug)]
pub struct NameBook<'a> {
    site: &'a Site,
    /// What can be switched: the words of its name, and of its room.
    devices: Vec<(&'a Device, Vec<String>, Vec<String>)>,
    scenes: Vec<(&'a RuleId, Vec<String>)>,
    /// Phrases that rules wait for, whole.
    waited_for: Vec<(&'a RuleId, Vec<String>)>,
    /// Whether any platform of the house is spoken to.
    has_voice: bool,
}

impl<'a> NameBook<'a> {
    /// The names of a job.
    pub fn of(site: &'a Site) -> Self {
        let switched = site.switched_but(&BTreeSet::new()).into_iter();
        let devices = switched.map(|device| {
            let room = site.point_of(device).map(|point| plain(site.room_name(point)));
            (device, plain(&device.name), room.unwrap_or_default())
        });
        let (mut scenes, mut waited_for) = (Vec::new(), Vec::new());
        for rule in &site.rules {
            match &rule.when {
                Trigger::Says { phrase } => waited_for.push((&rule.id, words(phrase))),
                Trigger::Called => scenes.push((&rule.id, plain(&rule.name))),
                _ => {}
            }
        }
        let has_voice = site.platforms.iter().any(|p| p.way == FittingWay::Voice);
        Self { site, devices: devices.collect(), scenes, waited_for, has_voice }
    }

    /// Whether anything in this house is spoken to.
    pub fn has_voice(&self) -> bool {
        self.has_voice
    }

    /// What answers to a phrase in this house.
    pub fn answer(&self, phrase: &str) -> PhraseAnswer {
        let site = self.site;
        let meant = self.meant(phrase);
        let devices: BTreeSet<DeviceId> = match &meant {
            Meant::Devices(all) | Meant::Lights(all) | Meant::Room(all) | Meant::Several(all) => {
                all.clone()
            }
            Meant::Rule(id) => {
                let reached = site.rules.get(id).map(|rule| site.reached_by(rule));
                reached.into_iter().flatten().map(|r| r.device.clone()).collect()
            }
            Meant::Nothing => BTreeSet::new(),
        };
        let of = |is: &dyn Fn(&Device) -> bool| -> BTreeSet<DeviceId> {
            devices.iter().filter(|id| site.devices.get(id).is_some_and(is)).cloned().collect()
        };
        let also = match meant {
            Meant::Room(_) => of(&|device| !site.is_light(device)),
            _ => BTreeSet::new(),
        };
        let reaches = |device: &Device| {
            let reached = |k| fit::is_reached(site, k, Some(&device.network), FittingWay::Voice);
            site.kind(&device.kind).is_some_and(|k| reached(k) != Some(false))
        };
        let not_reached = of(&|device| !self.has_voice || !reaches(device));
        PhraseAnswer { phrase: phrase.to_owned(), meant, also, not_reached }
    }

    fn meant(&self, phrase: &str) -> Meant {
        let of = |all: &[(&RuleId, Vec<String>)], name: &[String]| {
            let found = all.iter().find(|(_, own)| own == name);
            found.map(|(id, _)| Meant::Rule((*id).clone()))
        };
        if let Some(rule) = of(&self.waited_for, &words(phrase)) {
            return rule;
        }
        let name = named(phrase);
        if name.is_empty() {
            return Meant::Nothing;
        }
        if let Some(scene) = of(&self.scenes, &name) {
            return scene;
        }
        let called = self.such(|_, own, _| own == name);
        if !called.is_empty() {
            return if called.len() == 1 { Meant::Devices(called) } else { Meant::Several(called) };
        }
        if let Some((last, room)) = name.split_last()
            && LIGHTS.contains(&last.as_str())
            && !room.is_empty()
        {
            let lights = self.such(|device, _, of| of == room && self.site.is_light(device));
            if !lights.is_empty() {
                return Meant::Lights(lights);
            }
        }
        let room = self.such(|_, _, of| of == name);
        if !room.is_empty() {
            return Meant::Room(room);
        }
        // Part of a name is taken where it is of one thing alone.
        let part = self.such(|_, own, _| name.iter().all(|word| own.contains(word)));
        match part.len() {
            0 => Meant::Nothing,
            1 => Meant::Devices(part),
            _ => Meant::Several(part),
        }
    }

    /// The devices of which this holds, by the words of their own name and of their room.
    fn such(&self, is: impl Fn(&Device, &[String], &[String]) -> bool) -> BTreeSet<DeviceId> {
        let found = self.devices.iter().filter(|(device, own, room)| is(device, own, room));
        found.map(|(device, ..)| device.id.clone()).collect()
    }

    /// The phrases of a household's guide: what rules wait for, each scene, each device and the lights of each room.
    pub fn guide(&self) -> Vec<String> {
        let site = self.site;
        let mut all = Vec::new();
        for rule in &site.rules {
            match &rule.when {
                Trigger::Says { phrase } => all.push(phrase.clone()),
                Trigger::Called if !rule.name.is_empty() => {
                    all.push(format!("Turn on {}", rule.name));
                }
                _ => {}
            }
        }
        all.extend(self.devices.iter().map(|(device, ..)| format!("Turn on {}", device.name)));
        let rooms: BTreeSet<&str> = site.rooms.iter().map(|r| r.name.as_str()).collect();
        all.extend(rooms.into_iter().map(|room| format!("Turn off the {room} lights")));
        all
    }
}
