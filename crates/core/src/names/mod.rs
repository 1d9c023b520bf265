//! What each thing is called in each platform and in which room it stands there: the list to copy from, and what was found
//! to stand there held against it.

mod rooms;

use std::collections::{BTreeMap, BTreeSet};

use crate::fit;
use crate::gate::Gate;
use crate::gate::checks::{is_default_room, name_tick};
use crate::gate::work::WorkedDevice;
use crate::record::{NameList, NamedThere, Record, Step};
use crate::site::{ComesIn, Device, DeviceId, Site, ThingClass};
use crate::survey::classes;
use crate::survey::hub_list::common;

pub use rooms::{RoomLine, RoomList, agree_rooms, rooms};

/// How a name stands in a list.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum StandsAs {
    /// Nobody has looked.
    NotLooked,
    /// As it is to be.
    AsAgreed,
    /// Its name is right; of its room the plan or the list says nothing.
    NameOnly,
    /// Its name is right, in no room or in one that the platform makes by itself.
    DefaultRoom(String),
    /// Its name is right, in another room.
    OtherRoom(String),
    /// It most likely is what stands there under another name.
    Called(NamedThere),
    /// Its name stands there so many times.
    Times(usize),
    /// Nothing there is called that.
    Missing,
}

/// A line of the list to copy from.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NameLine {
    /// The device.
    pub device: DeviceId,
    /// What it is to be called.
    pub name: String,
    /// The room it is to stand in; empty where the plan gives it none.
    pub room: String,
    /// What it is to be there: a light, a switch.
    pub class: Option<ThingClass>,
    /// How many controls it comes as there.
    pub controls: usize,
    /// Its number in its network, as it was joined.
    pub number: Option<u32>,
    /// Whether another of the list is to be called the same.
    pub is_twice: bool,
    /// How it stands there, by the list that was found last.
    pub stands: StandsAs,
    /// The word under which it is ticked where it is named; nothing in a list that is ticked on no card.
    pub tick: Option<String>,
    /// Whether it is ticked.
    pub is_ticked: bool,
}

/// What stands in a list and is nothing of the plan.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Stray {
    /// The entry.
    pub entry: NamedThere,
    /// What of the plan it is a second entry of, by its name.
    pub second_of: Option<String>,
    /// Whether that comes as so many controls that this is one of them.
    pub is_control: bool,
}

/// The names of a platform, or of the list of a hub where a house has no platforms.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NamesIn {
    /// The id of the platform or the network.
    pub of: String,
    /// What it is called.
    pub title: String,
    /// What is to stand in it.
    pub lines: Vec<NameLine>,
    /// What else was found in it.
    pub strays: Vec<Stray>,
    /// The entry of the record that tells what was found last.
    pub found: Option<usize>,
}

impl NamesIn {
    /// Lines of which something is to be put right, by what was found.
    pub fn wrong(&self) -> usize {
        self.lines.iter().filter(|l| l.is_wrong()).count()
    }
}

impl NameLine {
    /// Whether something of it is to be put right there, by what was found.
    pub fn is_wrong(&self) -> bool {
        let is_well = [StandsAs::NotLooked, StandsAs::AsAgreed, StandsAs::NameOnly];
        !is_well.contains(&self.stands)
    }
}

/// The lists of a house: each platform's, or each hub's where the brief names no platform.
pub fn names(gate: &Gate<'_>, record: &Record) -> Vec<NamesIn> {
    let site = gate.site();
    let list = |of: &str, title: &str, within: &dyn Fn(&Device) -> bool, is_ticked: bool| {
        let all = site.devices.iter().filter(|d| is_seen(site, d) && within(d));
        held(gate, record, (of, title), all, is_ticked)
    };
    let platforms = site.platforms.iter().map(|platform| {
        let within = |device: &Device| {
            let said = site
                .shares
                .iter()
                .find(|s| s.device == device.id && s.platform == platform.id)
                .map(|s| s.comes);
            let kind = site.kind(&device.kind);
            let reached =
                kind.and_then(|k| fit::is_reached(site, k, Some(&device.network), platform.way));
            match said {
                Some(comes) => comes != ComesIn::KeptOut,
                None => reached != Some(false),
            }
        };
        list(platform.id.as_str(), &platform.name, &within, true)
    });
    let of_hubs = site.networks.iter().filter(|_| site.platforms.is_empty()).map(|network| {
        let within = |device: &Device| device.network == network.id;
        list(network.id.as_str(), &network.name, &within, false)
    });
    platforms.chain(of_hubs).filter(|list| !list.lines.is_empty()).collect()
}

/// Whether a platform sees a device at all: hubs and what only forwards have no name there.
fn is_seen(site: &Site, device: &Device) -> bool {
    site.kind(&device.kind).is_some_and(|kind| classes::class(site, device, kind).is_some())
}

/// How many controls a device comes as in a platform: one for each of its outputs, and where there are several one for all
/// of them. *Planning assumption*: platforms differ, and what was found there counts.
fn controls(site: &Site, device: &Device) -> usize {
    let outputs = site.kind(&device.kind).map_or(1, |kind| usize::from(kind.fit.channels.max(1)));
    if outputs > 1 { outputs + 1 } else { 1 }
}

/// A name as lists are compared: of one case, blanks made one.
fn plain(name: &str) -> String {
    name.split_whitespace().collect::<Vec<_>>().join(" ").to_lowercase()
}

/// A name without the count that platforms put behind a second entry: `Lamp 2`, `Lamp (2)`, `Lamp_2`.
fn without_count(name: &str) -> Option<String> {
    let text = plain(name);
    let bare = text.trim_end_matches(|c: char| c.is_ascii_digit() || "()_#- ".contains(c));
    (bare.len() < text.len() && !bare.is_empty()).then(|| bare.to_owned())
}

fn held<'a>(
    gate: &Gate<'_>,
    record: &Record,
    (of, title): (&str, &str),
    devices: impl Iterator<Item = &'a Device>,
    is_ticked: bool,
) -> NamesIn {
    let site = gate.site();
    let mut lines: Vec<NameLine> = devices
        .map(|device| {
            let room = site.point_of(device).map_or("", |p| site.room_name(p)).trim().to_owned();
            let spot = WorkedDevice::of(site, &device.id);
            let tick = spot.filter(|_| is_ticked).map(|spot| name_tick(&spot, of));
            NameLine {
                is_ticked: tick.as_ref().is_some_and(|word| {
                    let mark = gate.mark(&device.id, Step::Named);
                    mark.is_some_and(|mark| mark.checks.contains(word))
                }),
                class: site.kind(&device.kind).and_then(|kind| classes::class(site, device, kind)),
                controls: controls(site, device),
                number: record.number(device),
                device: device.id.clone(),
                name: device.name.trim().to_owned(),
                room,
                is_twice: false,
                stands: StandsAs::NotLooked,
                tick,
            }
        })
        .collect();
    lines.sort_by_key(|l| (plain(&l.room), plain(&l.name), l.device.clone()));
    let mut often: BTreeMap<String, usize> = BTreeMap::new();
    for line in &lines {
        *often.entry(plain(&line.name)).or_default() += 1;
    }
    for line in &mut lines {
        line.is_twice = often.get(&plain(&line.name)).is_some_and(|n| *n > 1);
    }
    let last =
        record.name_lists.numbered().filter(|(_, list)| list.of == of).max_by_key(|(n, _)| *n);
    let strays = last.map(|(_, list)| compare(&mut lines, list)).unwrap_or_default();
    NamesIn {
        of: of.to_owned(),
        title: title.to_owned(),
        lines,
        strays,
        found: last.map(|(n, _)| n),
    }
}

/// Holds what was found against the lines; what is left over.
fn compare(lines: &mut [NameLine], list: &NameList) -> Vec<Stray> {
    // A list without any room says nothing of rooms.
    let tells_rooms = list.rows.iter().any(|row| !row.room.trim().is_empty());
    let mut taken: BTreeSet<usize> = BTreeSet::new();
    let named = |name: &str| -> Vec<usize> {
        let all = list.rows.iter().enumerate();
        all.filter(|(_, row)| plain(&row.name) == plain(name)).map(|(n, _)| n).collect()
    };
    for line in lines.iter_mut() {
        let found = named(&line.name);
        taken.extend(&found);
        line.stands = match found.as_slice() {
            [] => StandsAs::Missing,
            [one] => in_room(line, &list.rows[*one], tells_rooms),
            all => StandsAs::Times(all.len()),
        };
    }
    for line in lines.iter_mut().filter(|l| l.stands == StandsAs::Missing) {
        let free = list.rows.iter().enumerate().filter(|(n, _)| !taken.contains(n));
        let rated = free.map(|(n, row)| (likeness(line, row), n)).filter(|(like, _)| *like > 1);
        // Of two that are as like, the first stands for it.
        if let Some((_, n)) = rated.max_by_key(|(like, n)| (*like, std::cmp::Reverse(*n))) {
            taken.insert(n);
            line.stands = StandsAs::Called(list.rows[n].clone());
        }
    }
    let left = list.rows.iter().enumerate().filter(|(n, _)| !taken.contains(n));
    let mut further: BTreeMap<&DeviceId, usize> = BTreeMap::new();
    left.map(|(_, entry)| {
        let bare = without_count(&entry.name);
        let of = lines.iter().find(|l| bare.as_deref() == Some(plain(&l.name).as_str()));
        let is_control = of.is_some_and(|l| {
            let n = further.entry(&l.device).or_insert(1);
            *n += 1;
            *n <= l.controls
        });
        Stray { entry: entry.clone(), second_of: of.map(|l| l.name.clone()), is_control }
    })
    .collect()
}

fn in_room(line: &NameLine, row: &NamedThere, tells_rooms: bool) -> StandsAs {
    let room = plain(&row.room);
    match () {
        () if !tells_rooms || line.room.is_empty() => StandsAs::NameOnly,
        () if room == plain(&line.room) => StandsAs::AsAgreed,
        () if is_default_room(&row.room) => StandsAs::DefaultRoom(row.room.trim().to_owned()),
        () => StandsAs::OtherRoom(row.room.trim().to_owned()),
    }
}

/// How like an entry is to what a line wants: words in common, the room of both one word more. A second entry of another
/// is none of it.
fn likeness(line: &NameLine, row: &NamedThere) -> usize {
    let words = common(&line.name, &row.name);
    let room = !line.room.is_empty() && plain(&line.room) == plain(&row.room);
    if words == 0 { 0 } else { words + usize::from(room) }
}
