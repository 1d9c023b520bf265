//! A hub's list laid on the plan: for what an entry is taken, where it most likely stands, and the edit that lays it there.

use std::collections::BTreeMap;

use crate::catalogue::{DeviceKind, Duty, Supply};
use crate::geometry::contains;
use crate::site::{
    AlreadyThere, Device, Edit, HubEntry, Kind, Point, PointId, Provenance, Room, Site, Spot,
};
use crate::units::Metres;

/// Words of lists, and which devices they mean; the first that is in a text counts.
type Meaning = (&'static [&'static str], fn(&DeviceKind) -> bool);
const MEANINGS: [Meaning; 12] = [
    (&["coordinator", "hub", "gateway", "bridge", "border router"], |k| k.duty == Duty::Hub),
    (&["remote", "button", "wireless switch"], |k| k.duty == Duty::Remote),
    (&["sensor", "motion", "contact", "leak", "temperature"], |k| k.is_sensor()),
    (&["repeater", "extender"], |k| k.duty == Duty::Repeater),
    (&["plug", "socket", "outlet"], |k| k.supply == Supply::Plug && k.fit.switches()),
    (&["thermostat", "radiator"], |k| k.name.to_lowercase().contains("thermostat")),
    (&["shade", "blind", "curtain"], |k| k.name.to_lowercase().contains("shade")),
    (&["fan"], |k| k.name.to_lowercase().contains("fan")),
    (&["bulb", "lamp", "light strip", "downlight", "luminaire"], |k| k.fit.gives_light),
    (&["relay", "module"], |k| k.name.to_lowercase().contains("module")),
    (&["dimmer", "dim"], |k| k.fit.is_dimmer() && k.is_wired_in()),
    // A “light” can be a lamp or the switch of one: nobody is told which.
    (&["switch"], |k| k.fit.switches() && k.is_wired_in() && !k.fit.is_dimmer()),
];

/// The row of the library that an entry most likely is: by the words of its model, else of its name, among what speaks its
/// system; one that forwards, or does not, as the hub says.
pub fn guess<'a>(site: &'a Site, entry: &HubEntry) -> Option<&'a DeviceKind> {
    let system = site.networks.get(&entry.network)?.system;
    let meant = |text: &str| {
        let text = text.to_lowercase();
        let words: Vec<&str> = text.split(|c: char| !c.is_alphanumeric()).collect();
        let is_in = |word: &&str| {
            if word.contains(' ') { text.contains(*word) } else { words.contains(word) }
        };
        MEANINGS.iter().find(|(all, _)| all.iter().any(is_in))
    };
    let (_, is_one) = meant(&entry.model).or_else(|| meant(&entry.name))?;
    let speaks = |k: &&DeviceKind| k.systems.contains(&system) && k.has_radio && is_one(k);
    let as_said = |k: &&DeviceKind| entry.forwards.is_none_or(|is| is == k.forwards);
    site.all_kinds().filter(speaks).find(as_said).or_else(|| site.all_kinds().find(speaks))
}

/// The row that an entry is taken for: as somebody said, else as it is guessed.
pub fn taken_for<'a>(site: &'a Site, entry: &HubEntry) -> Option<&'a DeviceKind> {
    site.kind(&entry.taken_for).or_else(|| guess(site, entry))
}

/// How many words of three letters or more two texts have in common.
pub fn common(one: &str, other: &str) -> usize {
    let words = |text: &str| -> Vec<String> {
        let all = text.split(|c: char| !c.is_alphanumeric()).filter(|w| w.chars().count() > 2);
        all.map(str::to_lowercase).collect()
    };
    let other = words(other);
    words(one).iter().filter(|word| other.contains(word)).count()
}

/// How well a place goes with an entry.
fn goes_with(site: &Site, entry: &HubEntry, kind: Option<&DeviceKind>, point: &Point) -> usize {
    let room = site.room_name(point);
    let said = format!("{} {}", entry.name, entry.room);
    let is_kind = kind.is_some_and(|k| k.usual_place().0 == point.kind);
    2 * common(&said, &format!("{} {room}", point.name)) + usize::from(is_kind)
}

/// The places where nothing stands yet and that may be meant, those first that go best with an entry by its name, room and kind.
pub fn places<'a>(site: &'a Site, entry: &HubEntry) -> Vec<&'a Point> {
    let kind = taken_for(site, entry);
    let free = site.points.iter().filter(|p| site.devices_at(&p.id).is_empty());
    let mut all: Vec<(usize, &Point)> =
        free.map(|p| (goes_with(site, entry, kind, p), p)).filter(|(goes, _)| *goes > 0).collect();
    all.sort_by(|a, b| b.0.cmp(&a.0).then_with(|| a.1.id.cmp(&b.1.id)));
    all.into_iter().map(|(_, point)| point).collect()
}

/// The rooms, those first whose name goes best with an entry.
pub fn rooms<'a>(site: &'a Site, entry: &HubEntry) -> Vec<&'a Room> {
    let said = format!("{} {}", entry.name, entry.room);
    let mut all: Vec<&Room> = site.rooms.iter().collect();
    all.sort_by_key(|room| (std::cmp::Reverse(common(&said, &room.name)), room.name.clone()));
    all
}

/// How far places that are laid into one room stand apart at first, in metres; *planning value*.
const APART_M: f64 = 0.6;

/// A spot of a room where nothing stands yet: its middle, or around that.
fn free_spot(site: &Site, room: &Room) -> Spot {
    #[expect(clippy::cast_precision_loss, reason = "a room has a few corners")]
    let corners = room.outline.len().max(1) as f64;
    let middle = [0, 1].map(|axis| room.outline.iter().map(|s| s[axis]).sum::<f64>() / corners);
    let taken = |at: Spot| {
        let here = site.points.iter().filter(|p| p.floor == room.floor);
        here.map(|p| (p.at[0] - at[0]).hypot(p.at[1] - at[1])).any(|far| far < APART_M / 2.0)
    };
    // Sunflower seeds: each further out, none upon another.
    let around = (0..200_u32).map(|n| {
        let (far, turn) = (APART_M * f64::from(n).sqrt(), 2.4 * f64::from(n));
        [middle[0] + far * turn.cos(), middle[1] + far * turn.sin()]
    });
    around.into_iter().find(|at| contains(&room.outline, *at) && !taken(*at)).unwrap_or(middle)
}

/// Where an entry is laid.
#[derive(Clone, Copy, Debug)]
pub enum LaidAt<'a> {
    /// At a place that is on the plan.
    Place(&'a PointId),
    /// Anywhere in a room: its place is made there, a guess until it is moved.
    Room(&'a Room),
}

/// The edit that lays an entry on the plan as a device that is there already; nothing while nobody knows what it is.
pub fn laid(site: &Site, entry: &HubEntry, at: LaidAt<'_>) -> Option<Edit> {
    let kind = taken_for(site, entry)?;
    let mut edits = Vec::new();
    let point = match at {
        LaidAt::Place(id) => id.clone(),
        LaidAt::Room(room) => {
            let id: PointId = format!("p-{}", entry.id).parse().ok()?;
            let (place, height, back_box) = kind.usual_place();
            let spot = free_spot(site, room);
            let new = Point {
                name: entry.name.clone(),
                room: room.name.clone(),
                back_box,
                known: Provenance::Guessed,
                ..Point::bare(id.clone(), room.floor.clone(), spot, Metres::new(height), place)
            };
            edits.push(Edit::put(new));
            id
        }
    };
    let id = format!("d-{}", entry.id).parse().ok()?;
    let device = Device {
        already_there: AlreadyThere::Yes,
        number: entry.number,
        forwards: entry.forwards,
        kind_guessed: entry.taken_for.is_empty(),
        can_be_cut: kind.easily_cut,
        ..Device::new(id, &entry.name, point, &kind.id, entry.network.clone())
    };
    edits.push(Edit::put(device));
    edits.push(Edit::remove(Kind::HubEntry, &entry.id));
    Some(Edit::batch(edits))
}

/// What a hub names alike: entries and devices of one network that share a name or a number, a sentence each.
pub fn alike(site: &Site) -> Vec<String> {
    let mut all = Vec::new();
    for network in &site.networks {
        let entries = site.hub_entries.iter().filter(|e| e.network == network.id);
        let entries = entries.map(|e| (e.name.as_str(), e.number));
        let devices = site.devices.iter().filter(|d| d.network == network.id && d.is_there());
        let listed: Vec<(&str, Option<u32>)> =
            entries.chain(devices.map(|d| (d.name.as_str(), d.number))).collect();
        let mut names: BTreeMap<String, Vec<&str>> = BTreeMap::new();
        let mut numbers: BTreeMap<u32, Vec<&str>> = BTreeMap::new();
        for (name, number) in &listed {
            names.entry(name.trim().to_lowercase()).or_default().push(name.trim());
            if let Some(number) = number {
                numbers.entry(*number).or_default().push(name);
            }
        }
        for of in names.into_values().filter(|of| of.len() > 1 && !of[0].is_empty()) {
            all.push(format!(
                "{} of {} are called “{}”: rename all but one at the hub, or nobody can tell which is meant.",
                of.len(),
                network.name,
                of[0]
            ));
        }
        for (number, of) in numbers.into_iter().filter(|(_, of)| of.len() > 1) {
            all.push(format!(
                "Number {number} of {} stands for {}: one of them is a dead entry, or was mistyped.",
                network.name,
                of.join(" and ")
            ));
        }
    }
    all
}
