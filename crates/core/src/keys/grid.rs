//! One controller: what a hand can do there, column by column, against all that it could work, row by row.

use std::collections::BTreeSet;

use crate::draw::orders::Pressed;
use crate::site::{Action, Device, DeviceId, Rule, RunsIn, Site, Target, Trigger, TurnsTo};

/// The grid of one controller.
#[derive(Clone, Debug, PartialEq)]
pub struct KeyGrid {
    /// What a hand can do there: key by key, from one press on.
    pub presses: Vec<Pressed>,
    /// What it could work: its own room first, then room by room, groups, scenes.
    pub rows: Vec<GridRow>,
}

/// Something that a controller could work.
#[derive(Clone, Debug, PartialEq)]
pub struct GridRow {
    /// What.
    pub what: Target,
    /// What it is called.
    pub name: String,
    /// Under what it stands: its room, *Groups*, *Scenes*.
    pub under: String,
    /// For each press of the grid what it does with it, where it does anything.
    pub cells: Vec<Option<GridCell>>,
}

/// What a press does with something.
#[derive(Clone, Debug, PartialEq)]
pub struct GridCell {
    /// The rule that says so.
    pub rule: Rule,
    /// What it does.
    pub action: Action,
}

impl GridCell {
    /// As it is typed: “on 40 % direct”.
    pub fn text(&self) -> String {
        let level = self.action.level.filter(|_| self.action.to == TurnsTo::On);
        let level = level.map(|level| format!(" {level} %")).unwrap_or_default();
        let way = if self.rule.runs == RunsIn::Direct { " direct" } else { "" };
        format!("{}{level}{way}", self.action.to.word())
    }
}

/// The grid of a controller; nothing where it can work nothing.
pub fn grid(site: &Site, controller: &DeviceId) -> Option<KeyGrid> {
    let device = site.devices.get(controller)?;
    site.kind(&device.kind).filter(|kind| kind.sides().0)?;
    let presses = presses(site, device);
    let cells = |what: &Target| {
        let cell = |press: &Pressed| {
            let rules = site.rules.iter().filter(|rule| press.sets_off(rule));
            rules.into_iter().find_map(|rule| {
                let action = rule.does.iter().find(|action| action.what == *what)?;
                Some(GridCell { rule: rule.clone(), action: action.clone() })
            })
        };
        presses.iter().map(cell).collect()
    };
    let row = |what: Target, name: &str, under: &str| GridRow {
        cells: cells(&what),
        what,
        name: name.to_owned(),
        under: under.to_owned(),
    };
    let room_of = |d: &Device| site.point_of(d).map(|p| site.room_name(p)).unwrap_or_default();
    let own = room_of(device);
    let is_load =
        |d: &&Device| d.id != *controller && site.kind(&d.kind).is_some_and(|k| k.sides().1);
    let mut loads: Vec<&Device> = site.devices.iter().filter(is_load).collect();
    loads.sort_by_key(|d| (room_of(d) != own, room_of(d), &d.name));
    let mut rows: Vec<GridRow> =
        loads.into_iter().map(|d| row(Target::Device(d.id.clone()), &d.name, room_of(d))).collect();
    let rooms = site.rooms.iter().filter(|room| room.name == own);
    rows.extend(
        rooms.map(|r| row(Target::Room(r.id.clone()), &format!("All of {}", r.name), "Rooms")),
    );
    rows.extend(site.groups.iter().map(|g| row(Target::Group(g.id.clone()), &g.name, "Groups")));
    // With its exceptions, where a rule has some.
    let all_but = site.rules.iter().filter(|rule| rule.controller() == Some(controller));
    let mut all_but: Vec<Target> = all_but
        .flat_map(|rule| rule.does.iter().map(|action| action.what.clone()))
        .filter(|what| matches!(what, Target::AllBut(_)))
        .collect();
    if all_but.is_empty() {
        all_but.push(Target::AllBut(BTreeSet::new()));
    }
    all_but.dedup();
    rows.extend(all_but.into_iter().map(|what| {
        let name = called(site, &what);
        row(what, &name, "House")
    }));
    let scenes = site.rules.iter().filter(|rule| rule.when == Trigger::Called);
    rows.extend(scenes.map(|s| row(Target::Scene(s.id.clone()), &s.name, "Scenes")));
    // What a rule does already and is of none of these: another room, all but some.
    let known: Vec<Target> = rows.iter().map(|row| row.what.clone()).collect();
    let rules = site.rules.iter().filter(|rule| presses.iter().any(|press| press.sets_off(rule)));
    let mut others: Vec<&Target> =
        rules.flat_map(|rule| rule.does.iter().map(|a| &a.what)).collect();
    others.retain(|what| !known.contains(what));
    others.dedup();
    rows.extend(others.into_iter().map(|what| row(what.clone(), &called(site, what), "Elsewhere")));
    Some(KeyGrid { presses, rows })
}

/// What is acted on, by its name.
fn called(site: &Site, what: &Target) -> String {
    match what {
        Target::Device(id) => site.devices.get(id).map_or("gone", |d| &d.name).to_owned(),
        Target::Room(id) => {
            format!("All of {}", site.rooms.get(id).map_or("a room that is gone", |r| &r.name))
        }
        Target::Group(id) => {
            site.groups.get(id).map_or("a group that is gone", |g| &g.name).to_owned()
        }
        Target::Scene(id) => {
            site.rules.get(id).map_or("a scene that is gone", |s| &s.name).to_owned()
        }
        Target::AllBut(but) if but.is_empty() => "Everything".to_owned(),
        Target::AllBut(but) => format!("Everything but {}", but.len()),
    }
}

/// What a hand can do there: by its row of the library, and whatever its rules speak of besides.
fn presses(site: &Site, device: &Device) -> Vec<Pressed> {
    let Some(kind) = site.kind(&device.kind) else { return Vec::new() };
    let of = |key: Option<u8>, gesture: &str| Pressed {
        controller: device.id.clone(),
        key,
        gesture: gesture.to_owned(),
    };
    let spoken = site.rules.iter().filter_map(|rule| match &rule.when {
        Trigger::Press { controller, key, gesture } if *controller == device.id => {
            Some((*key, gesture.trim()))
        }
        _ => None,
    });
    let spoken: Vec<(Option<u8>, &str)> = spoken.collect();
    let mut keys: BTreeSet<Option<u8>> = match kind.hand.keys.unwrap_or(1) {
        0 | 1 => [None].into(),
        n => (1..=n).map(Some).collect(),
    };
    keys.extend(spoken.iter().map(|(key, _)| *key));
    let gestures = kind.hand.gestures();
    let mut all = Vec::new();
    for key in keys {
        all.extend(gestures.iter().map(|gesture| of(key, gesture)));
        for (_, gesture) in spoken.iter().filter(|(of, _)| *of == key) {
            let is_known = all.iter().any(|p: &Pressed| {
                p.key == key && p.gesture.to_lowercase() == gesture.to_lowercase()
            });
            if !is_known {
                all.push(of(key, gesture));
            }
        }
    }
    all
}
