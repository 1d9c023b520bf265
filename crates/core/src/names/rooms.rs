//! The one list of rooms that every platform is to have: what stands in each, which two are taken for each other, and
//! whether the household agreed to it as it is.

use std::collections::{BTreeMap, BTreeSet};

use super::is_seen;
use crate::moment::Moment;
use crate::record::{Record, RoomsAgreed, RoomsAgreedId, Telling, What};
use crate::site::{Refusal, Site, Wrong};
use crate::spoken::{alike, languages};

/// A room of the list.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RoomLine {
    /// What it is called.
    pub name: String,
    /// How many things stand in it that platforms see.
    pub things: usize,
    /// The first of the others that it is taken for.
    pub like: Option<String>,
    /// Whether it is none of those that were agreed last.
    pub is_new: bool,
}

/// The rooms of a house.
#[derive(Clone, Debug, PartialEq)]
pub struct RoomList<'a> {
    /// By name.
    pub rooms: Vec<RoomLine>,
    /// Things that stand in no room, by name.
    pub without: Vec<String>,
    /// What was agreed last.
    pub agreed: Option<&'a RoomsAgreed>,
    /// Rooms that were agreed and are none any longer.
    pub gone: Vec<String>,
}

impl RoomList<'_> {
    /// Whether the household agreed to the rooms as they are.
    pub fn is_agreed(&self) -> bool {
        self.agreed.is_some() && self.gone.is_empty() && self.rooms.iter().all(|r| !r.is_new)
    }
}

/// The rooms of a house, as the record has it.
pub fn rooms<'a>(site: &Site, record: &'a Record) -> RoomList<'a> {
    let mut things: BTreeMap<&str, usize> =
        site.rooms.iter().map(|room| (room.name.trim(), 0)).collect();
    let mut without = Vec::new();
    for device in site.devices.iter().filter(|d| is_seen(site, d)) {
        match site.point_of(device).map_or("", |point| site.room_name(point)).trim() {
            "" => without.push(device.name.clone()),
            room => *things.entry(room).or_default() += 1,
        }
    }
    things.remove("");
    let agreed = record.rooms_agreed.numbered().max_by_key(|(told, _)| *told).map(|(_, of)| of);
    let was = |name: &str| agreed.is_some_and(|of| of.rooms.iter().any(|room| room == name));
    let languages = languages(site);
    let like = |name: &str| {
        let mut others = things.keys().filter(|other| **other != name);
        others.find(|other| alike(name, other, &languages).is_some()).map(|o| (*o).to_owned())
    };
    let rooms: Vec<RoomLine> = things
        .iter()
        .map(|(name, things)| RoomLine {
            name: (*name).to_owned(),
            things: *things,
            like: like(name),
            is_new: !was(name),
        })
        .collect();
    let is: BTreeSet<&str> = things.keys().copied().collect();
    let gone =
        agreed.into_iter().flat_map(|of| &of.rooms).filter(|room| !is.contains(room.as_str()));
    RoomList { gone: gone.cloned().collect(), rooms, without, agreed }
}

/// What comes on record when somebody of the household agrees to the rooms as they are.
///
/// # Errors
/// Nobody is named, or there is no room.
pub fn agree_rooms(
    site: &Site,
    record: &Record,
    (id, name): (RoomsAgreedId, String),
    (note, at): (String, Moment),
) -> Result<Telling, Refusal> {
    if name.trim().is_empty() {
        return Err(Refusal::wrong("name", Wrong::NoName));
    }
    let rooms: Vec<String> = rooms(site, record).rooms.into_iter().map(|r| r.name).collect();
    let name = name.trim().to_owned();
    let agreed = RoomsAgreed { id, name, rooms, at: at.clone(), note };
    Ok(Telling::new(What::RoomsAgreed(agreed), None, Some(&at)))
}
