//! Places that are hard for radio, and of which nobody has said what stands around: what is asked there, and by how much
//! it can be worse than in the open. What is asked is not guessed: nothing is taken off a link for it, but where it can
//! be much, the deviation of the link is widened until somebody looks.

use crate::catalogue::{DeviceKind, Duty};
use crate::radio::mounting::Mounting;
use crate::site::{Point, PointKind, RoomUse, Site};
use crate::units::{Db, Megahertz};

/// A kind of place that is hard for radio.
#[derive(Debug, PartialEq)]
pub struct HardSpot {
    /// What the place is, to stand after its name: “is outdoors”.
    pub is: &'static str,
    /// What to find out.
    pub ask: &'static str,
    /// What it can be in, each with its loss.
    pub could: &'static [Mounting],
    /// Whether links from there are less sure until it is said.
    pub widens: bool,
}

const LAMP_BODY: HardSpot = HardSpot {
    is: "is inside a lamp",
    ask: "what the body of the lamp is made of",
    could: &[Mounting::WoodenLampBase, Mounting::CeramicLampBase, Mounting::MetalLampBase],
    widens: true,
};
const OUTDOORS: HardSpot = HardSpot {
    is: "is outdoors",
    ask: "what it is in, plastic or metal, and under what lid",
    could: &[Mounting::PlasticWeatherBox, Mounting::BehindMechanismInMetal],
    widens: true,
};
const LID: HardSpot = HardSpot {
    is: "has a lid over it",
    ask: "what the lid is made of",
    could: &[Mounting::PlasticWeatherBox, Mounting::MetalPlate],
    widens: true,
};
const LOFT: HardSpot = HardSpot {
    is: "is in the loft",
    ask: "whether the insulation between is faced with foil",
    could: &[Mounting::AboveCeilingTile, Mounting::BehindFoil],
    widens: true,
};
const GARAGE: HardSpot = HardSpot {
    is: "is in the garage",
    ask: "what stands before it, and whether the metal door and every wall are on the plan",
    could: &[Mounting::Open, Mounting::BehindAppliance],
    widens: false,
};
const UTILITY: HardSpot = HardSpot {
    is: "is where machines stand",
    ask: "whether it is behind a machine, or in a cupboard",
    could: &[Mounting::Open, Mounting::BehindAppliance, Mounting::MeterCupboard],
    widens: false,
};
const SOCKET: HardSpot = HardSpot {
    is: "is a socket that furniture or an appliance may hide",
    ask: "what stands before the socket",
    could: &[Mounting::Open, Mounting::BehindAppliance],
    widens: false,
};
const SHELF: HardSpot = HardSpot {
    is: "is on a shelf",
    ask: "whether that is in the open, in a cupboard, or in a rack",
    could: &[Mounting::Open, Mounting::VentedRack, Mounting::MetalCabinet],
    widens: false,
};
const UNDRAWN: HardSpot = HardSpot {
    is: "stands in no room that is drawn",
    ask: "whether the walls of what it stands in are on the plan: an outbuilding, an annexe",
    could: &[Mounting::Open],
    widens: false,
};

/// Every kind of place that is hard for radio.
pub const HARD_SPOTS: [&HardSpot; 9] =
    [&LAMP_BODY, &OUTDOORS, &LID, &LOFT, &GARAGE, &UTILITY, &SOCKET, &SHELF, &UNDRAWN];

impl HardSpot {
    /// The least and the most that it can cost.
    pub fn range(&self, f: Megahertz) -> (Db, Db) {
        let loss = |m: &Mounting| m.row().loss(f);
        let all = || self.could.iter().map(loss);
        (
            all().min_by(Db::total_cmp).unwrap_or(Db::ZERO),
            all().max_by(Db::total_cmp).unwrap_or(Db::ZERO),
        )
    }

    /// What not knowing adds to the deviation of a link: half of the range, as of a value that lies within it.
    pub fn doubt(&self, f: Megahertz) -> Db {
        let (least, most) = self.range(f);
        if self.widens { (most - least) * 0.5 } else { Db::ZERO }
    }
}

/// What makes a place hard for the radio of a device; nothing where somebody has said what stands around.
pub fn hard_spot(site: &Site, point: &Point, kind: &DeviceKind) -> Option<&'static HardSpot> {
    if point.mounting != Mounting::Unsaid || !kind.has_radio || kind.is_hand_held() {
        return None;
    }
    let room = site.room_of(point);
    let used_for = room.map(|r| r.used_for);
    let has_rooms = || site.rooms.iter().any(|r| r.floor == point.floor);
    Some(match (point.kind, used_for) {
        _ if kind.fit.in_lamp => &LAMP_BODY,
        (PointKind::Outdoor, _) | (_, Some(RoomUse::Outdoors)) => &OUTDOORS,
        _ if point.weather_cover => &LID,
        (_, Some(RoomUse::Loft)) => &LOFT,
        (_, Some(RoomUse::Garage)) => &GARAGE,
        (_, Some(RoomUse::Utility)) => &UTILITY,
        (PointKind::Shelf, _) if kind.duty == Duty::Hub => &SHELF,
        (PointKind::Socket, Some(RoomUse::Kitchen | RoomUse::Living)) => &SOCKET,
        _ if room.is_none() && has_rooms() => &UNDRAWN,
        _ => return None,
    })
}
