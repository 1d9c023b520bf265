//! Surveyed places: what was found at each.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::FloorId;
use crate::catalogue::{DeviceKind, PointKind};
use crate::radio::mounting::{BoxKind, Mounting};
use crate::site::kept::{Bond, Kept, Most, Tie, between, id, kept_by_id, name, note, spot};
use crate::site::provenance::{Fact, facts};
use crate::site::to_make::ToMake;
use crate::site::wiring::{Conductor, Earth, Stays, conductors, stays};
use crate::site::{Kind, Provenance, Refusal, Spot, Wrong};
use crate::units::Metres;

id!(/** A surveyed place: a box, a socket, a shelf. */ PointId);

/// The longest tag, in characters.
const MOST_TAG: usize = 8;
/// The most gangs of a box.
const MOST_GANGS: u8 = 8;

/// What is known of the neutral in a box. Settled per box, never per house.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Neutral {
    /// The box has not been opened.
    #[default]
    Unknown,
    /// Seen in the box, and tested against line.
    Tested,
    /// Seen in the box.
    Seen,
    /// Looked for and not seen; it may be bundled at the back.
    NotSeen,
    /// Tested: there is none.
    Absent,
}

impl Neutral {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 5] = [
        (Self::Unknown, "not opened yet"),
        (Self::Tested, "seen and tested"),
        (Self::Seen, "seen"),
        (Self::NotSeen, "not seen"),
        (Self::Absent, "absent, tested"),
    ];
}

/// What feeds a place.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Feed {
    /// Nobody said.
    #[default]
    Unsaid,
    /// Its breaker, and nothing between.
    Always,
    /// A switch that stands before it.
    BehindSwitch,
    /// A cord that anyone can pull.
    Cord,
}

impl Feed {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 4] = [
        (Self::Unsaid, "not said"),
        (Self::Always, "always on"),
        (Self::BehindSwitch, "behind a switch"),
        (Self::Cord, "on a cord"),
    ];
}

/// What can be seen of the switch that is there, without taking anything off but the plate.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Signs {
    /// Whether on and off are marked on it.
    pub marked: Option<bool>,
    /// How many terminals it has, earth left out; nought while nobody looked.
    pub terminals: u8,
    /// Whether one of its screws has another colour.
    pub odd_screw: Option<bool>,
    /// Whether another switch works the same load.
    pub another: Option<bool>,
}

/// A surveyed place where a device is or could be.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Point {
    /// Its id.
    pub id: PointId,
    /// The name of the place.
    pub name: String,
    /// A short mark that stands beside it on plans, sheets and labels; empty takes one from its room.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub tag: String,
    /// The room it is in.
    #[serde(default)]
    pub room: String,
    /// Its storey.
    pub floor: FloorId,
    /// Where on the sheet.
    pub at: Spot,
    /// Height above the floor.
    pub height_m: Metres,
    /// What is there.
    pub kind: PointKind,
    /// The back box.
    #[serde(default, rename = "box")]
    pub back_box: BoxKind,
    /// The point whose box this one shares; what is said of the box there holds here.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub in_box_of: Option<PointId>,
    /// Which gang of the box, from the left; nought while nobody said.
    #[serde(default, skip_serializing_if = "is_nought")]
    pub gang: u8,
    /// How many gangs the box has; nought while nobody said.
    #[serde(default, skip_serializing_if = "is_nought")]
    pub gangs: u8,
    /// What a surround adds to the depth, in millimetres.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub surround_mm: f64,
    /// Inside volume of the box, in cubic centimetres.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub volume_cm3: Option<f64>,
    /// Whether clamps inside the box hold its cables; nothing while nobody looked.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub clamps: Option<bool>,
    /// Whether it has a lid or cover against weather.
    #[serde(default, skip_serializing_if = "is_no")]
    pub weather_cover: bool,
    /// The protective earth.
    #[serde(default, skip_serializing_if = "is_unknown")]
    pub earth: Earth,
    /// The conductors in the box.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub conductors: Vec<Conductor>,
    /// What was in the box and stays there.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub stays: Vec<Stays>,
    /// Inside depth of the box in millimetres.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub depth_mm: Option<f64>,
    /// What is known of the neutral.
    #[serde(default)]
    pub neutral: Neutral,
    /// The breaker that feeds it, as printed on the panel.
    #[serde(default)]
    pub circuit: String,
    /// What has to be made before there is a box at all; nothing where it is there.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub to_make: Option<ToMake>,
    /// The place on whose joints it hangs: it is dark while that box is open.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fed_through: Option<PointId>,
    /// What else stands between the radio and the room.
    #[serde(default)]
    pub mounting: Mounting,
    /// How its box and mounting are known.
    #[serde(default, skip_serializing_if = "Provenance::is_default")]
    pub known: Provenance,
    /// How each thing that is said of it is known, and by whom, by the name of the field.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub facts: BTreeMap<String, Fact>,
    /// What feeds it.
    #[serde(default, skip_serializing_if = "is_unsaid")]
    pub feed: Feed,
    /// What can be seen of the switch that is there.
    #[serde(default, skip_serializing_if = "is_unseen")]
    pub signs: Signs,
    /// The finish that is wanted here; empty leaves it open.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub finish: String,
    /// The plate that is wanted on its box.
    #[serde(default, skip_serializing_if = "PlateWish::is_plain")]
    pub plate: PlateWish,
    /// Free words.
    #[serde(default)]
    pub note: String,
}

/// The plate that is wanted on a box, beside its gangs and its finish.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct PlateWish {
    /// Its style: square or rounded edge, flat, raised; empty leaves it open.
    pub style: String,
    /// Whether no screw may be seen; nothing while nobody asked.
    pub screwless: Option<bool>,
    /// Where it comes near to something, and what is trimmed for it; empty where there is room.
    pub clearance: String,
}

impl PlateWish {
    fn is_plain(&self) -> bool {
        *self == Self::default()
    }
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
fn is_unsaid(feed: &Feed) -> bool {
    *feed == Feed::Unsaid
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
fn is_unseen(signs: &Signs) -> bool {
    *signs == Signs::default()
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
fn is_nought(value: &u8) -> bool {
    *value == 0
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
fn is_zero(value: &f64) -> bool {
    value.abs() <= 0.0
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
fn is_no(value: &bool) -> bool {
    !value
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
fn is_unknown(value: &Earth) -> bool {
    *value == Earth::Unknown
}

/// The order in which people look for breakers: numbers by their value, then the rest of the label.
pub fn breaker_order(label: &str) -> (u64, &str) {
    let digits = label.bytes().take_while(u8::is_ascii_digit).count();
    (label[..digits].parse().unwrap_or(u64::MAX), &label[digits..])
}

impl Point {
    /// Whether somebody has looked into it: the neutral was looked for, or what is there was seen.
    pub fn is_opened(&self) -> bool {
        let was_seen = matches!(self.how("box"), Provenance::Measured | Provenance::Seen);
        self.neutral != Neutral::Unknown || was_seen
    }

    /// Whether a device of this kind goes there into the body of a lamp on a cord, which the plug in the hand makes dead. A
    /// pendant hangs on a cord too, and that has no plug.
    pub fn has_on_cord(&self, kind: &DeviceKind) -> bool {
        let stands = matches!(self.kind, PointKind::Shelf | PointKind::Socket);
        kind.fit.in_lamp && self.feed == Feed::Cord && stands
    }

    /// Whether a device of this kind goes there into the wiring of the house.
    pub fn has_wired_in(&self, kind: &DeviceKind) -> bool {
        kind.is_wired_in() && !self.has_on_cord(kind)
    }

    /// What stands beside it where there is little room: its tag, or its name while it has none.
    pub fn label(&self) -> &str {
        if self.tag.is_empty() { &self.name } else { &self.tag }
    }

    /// Its tag and its name, as it stands in a list.
    pub fn title(&self) -> String {
        if self.tag.is_empty() { self.name.clone() } else { format!("{} {}", self.tag, self.name) }
    }

    /// How something said of it is known: as it was recorded with the field, or of the whole place.
    pub fn how(&self, field: &str) -> Provenance {
        self.facts.get(field).map_or(self.known, |fact| fact.how)
    }

    /// A point of which nothing more is known than where it is and what is there.
    pub fn bare(id: PointId, floor: FloorId, at: Spot, height_m: Metres, kind: PointKind) -> Self {
        Self {
            id,
            name: String::new(),
            tag: String::new(),
            in_box_of: None,
            fed_through: None,
            to_make: None,
            gang: 0,
            gangs: 0,
            surround_mm: 0.0,
            volume_cm3: None,
            clamps: None,
            weather_cover: false,
            earth: Earth::Unknown,
            conductors: Vec::new(),
            stays: Vec::new(),
            room: String::new(),
            floor,
            at,
            height_m,
            kind,
            back_box: BoxKind::default(),
            depth_mm: None,
            neutral: Neutral::default(),
            circuit: String::new(),
            mounting: Mounting::default(),
            known: Provenance::default(),
            facts: BTreeMap::new(),
            feed: Feed::default(),
            signs: Signs::default(),
            finish: String::new(),
            plate: PlateWish::default(),
            note: String::new(),
        }
    }
}

kept_by_id!(Point, PointId);
impl Kept for Point {
    const MOST: Most = Most { count: 6000, why: "two a device" };

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("floor", Kind::Floor, &self.floor, Bond::GoesAlong));
        if let Some(other) = &self.in_box_of {
            visit(Tie::new("in_box_of", Kind::Point, other, Bond::Blocks));
        }
        if let Some(other) = self.to_make.as_ref().and_then(|new| new.cable_from.as_ref()) {
            visit(Tie::new("to_make.cable_from", Kind::Point, other, Bond::Blocks));
        }
        if let Some(other) = &self.fed_through {
            visit(Tie::new("fed_through", Kind::Point, other, Bond::Blocks));
        }
    }

    fn check(&self) -> Result<(), Refusal> {
        name(&self.name)?;
        note("note", &self.note)?;
        note("room", &self.room)?;
        note("circuit", &self.circuit)?;
        note("finish", &self.finish)?;
        note("plate", &self.plate.style)?;
        note("plate", &self.plate.clearance)?;
        facts(&self.facts)?;
        if self.signs.terminals > 8 {
            let is = self.signs.terminals.into();
            return Err(Refusal::wrong("signs.terminals", Wrong::Count { is, least: 0, most: 8 }));
        }
        if self.tag.chars().count() > MOST_TAG {
            let is = self.tag.chars().count();
            return Err(Refusal::wrong("tag", Wrong::LongText { is, most: MOST_TAG }));
        }
        if self.in_box_of.as_ref() == Some(&self.id) {
            return Err(Refusal::wrong("in_box_of", Wrong::BoxOfBox));
        }
        if self.fed_through.as_ref() == Some(&self.id) {
            return Err(Refusal::wrong("fed_through", Wrong::FedByItself));
        }
        if let Some(new) = &self.to_make {
            new.check()?;
            if new.cable_from.as_ref() == Some(&self.id) {
                return Err(Refusal::wrong("to_make.cable_from", Wrong::FedByItself));
            }
        }
        if self.gangs > MOST_GANGS {
            let (is, most) = (self.gangs.into(), MOST_GANGS.into());
            return Err(Refusal::wrong("gangs", Wrong::Count { is, least: 0, most }));
        }
        let of_own = self.in_box_of.is_none() && self.gangs > 0;
        if self.gang > MOST_GANGS || (of_own && self.gang > self.gangs) {
            let (is, gangs) = (self.gang, self.gangs);
            return Err(Refusal::wrong("gang", Wrong::Gang { is, gangs }));
        }
        if let Some(over) = self.stays.iter().find(|s| self.gangs > 0 && s.gang > self.gangs) {
            return Err(Refusal::wrong("stays", Wrong::Gang { is: over.gang, gangs: self.gangs }));
        }
        let rows = [
            ("surround_mm", Some(self.surround_mm), 0.0, 200.0, "mm"),
            ("volume_cm3", self.volume_cm3, 20.0, 20_000.0, "cm³"),
        ];
        for (field, value, low, high, unit) in rows {
            if let Some(is) = value.filter(|v| !(low..=high).contains(v)) {
                return Err(Refusal::wrong(field, Wrong::Sheet { is, low, high, unit }));
            }
        }
        conductors(&self.conductors)?;
        stays(&self.stays)?;
        spot("at", self.at)?;
        between("height_m", self.height_m, -5.0, 20.0)?;
        match self.depth_mm {
            Some(mm) if !(5.0..=500.0).contains(&mm) => {
                Err(Refusal::wrong("depth_mm", Wrong::Depth { mm }))
            }
            _ => Ok(()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn breakers_stand_as_numbers_do_and_names_behind_them() {
        let mut labels = vec!["10", "Oven", "2", "1", "2b", "2a", "attic"];
        labels.sort_by_key(|l| breaker_order(l));
        assert_eq!(labels, ["1", "2", "2a", "2b", "10", "Oven", "attic"]);
    }
}
