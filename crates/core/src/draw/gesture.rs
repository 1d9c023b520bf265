//! What a hand does on the sheet or in the survey that means more than it says: each gesture gives the edit that it
//! stands for, so that the journal holds edits alone.

use std::collections::BTreeSet;

use serde::Deserialize;
use serde_json::json;

use super::orders::{self, Pressed};
use super::rooms::{self, Area};
use super::shift::{self, End, found, is_on_wall};
use super::tags::Tags;
use super::{naming, openings, rows, storeys, tags, wiring};
use crate::catalogue::{self, LoadKind};
use crate::geometry::{Vec2, apart};
use crate::moment::Moment;
use crate::radio::system::System;
use crate::site::{
    CircuitId, Device, DeviceId, Edit, FloorId, GroupId, Kind, LoadId, Network, NetworkId,
    OpeningId, OpeningKind, Point, PointId, Provenance, Ref, Refusal, RoomId, RuleId, Site, SlabId,
    Spot, Target, TypedLength, Underlay, Wall, WallId, Wrong,
};
use crate::units::Metres;

/// A gesture on the sheet or in the survey.
#[derive(Clone, Debug, PartialEq, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case", rename_all_fields = "snake_case")]
#[serde(deny_unknown_fields)]
#[expect(missing_docs, reason = "each variant says what its fields are for")]
pub enum Gesture {
    /// Drops doors, windows or plain openings of usual size onto a wall: one as near to `at` as it
    /// fits, or `count` with equal gaps along the wall.
    DropOpening {
        wall: WallId,
        id: OpeningId,
        kind: OpeningKind,
        at: Spot,
        #[serde(default = "one")]
        count: u8,
    },
    /// Draws the four walls of a rectangle between two corners; a side that stands already on a wall
    /// is left out. Ids are `id` and a number.
    DrawRectangle { id: String, floor: FloorId, from: Spot, to: Spot, construction: String },
    /// Moves walls and points; what is joined to the walls goes along.
    Move {
        #[serde(default)]
        walls: BTreeSet<WallId>,
        #[serde(default)]
        points: BTreeSet<PointId>,
        by: Spot,
    },
    /// Drags an end of a wall; ends that stand there go along.
    DragEnd { wall: WallId, end: End, to: Spot },
    /// Sets the scale of a plan image: what lies between `a` and `b` on the sheet is in truth
    /// `length_m` long. `a` stays where it is.
    ScaleUnderlay { floor: FloorId, a: Spot, b: Spot, length_m: TypedLength },
    /// Adds a storey on top of what is there, or beneath it, with a floor `slab` between; `copy` names
    /// a storey whose walls it takes over.
    AddStorey {
        id: FloorId,
        slab: SlabId,
        #[serde(default)]
        beneath: bool,
        #[serde(default)]
        copy: Option<FloorId>,
    },
    /// Puts a device of a kind where it usually stands: at a point that is there, or at a new one on
    /// the sheet. A network that is not there is made for `system`.
    PlaceDevice {
        device: DeviceId,
        kind: String,
        network: NetworkId,
        #[serde(default)]
        system: Option<System>,
        point: PointId,
        #[serde(default)]
        floor: Option<FloorId>,
        #[serde(default)]
        at: Option<[TypedLength; 2]>,
    },
    /// Draws a wall between two typed places.
    TypeWall {
        id: WallId,
        floor: FloorId,
        a: [TypedLength; 2],
        b: [TypedLength; 2],
        construction: String,
    },
    /// Adds a network of a system.
    AddNetwork { id: NetworkId, system: System },
    /// Adds what a point switches: lamps, where nothing else is said.
    AddLoad {
        id: LoadId,
        point: PointId,
        #[serde(default = "lamps")]
        kind: LoadKind,
    },
    /// Adds a conductor to a box; the id is unique in it.
    AddConductor { id: String, point: PointId },
    /// Says that something in a box stays there; the id is unique in it.
    AddStays { id: String, point: PointId },
    /// Puts the breaker that a point names on record; where it is already, nothing changes.
    AddCircuit { id: CircuitId, point: PointId },
    /// Says that the breaker of a circuit made it dead, as its label has it.
    ProveCircuit { circuit: CircuitId, by: String, at: Moment },
    /// Makes a group of a point, for others that work the same to join.
    AddGroup { id: GroupId, point: PointId },
    /// Adds a point to a group.
    JoinGroup { group: GroupId, point: PointId },
    /// Takes what the record of the tests says of each conductor of a box as what it was found to be.
    TakeFindings { point: PointId },
    /// Names the room around a place, within the walls that close around it.
    NameRoom { id: RoomId, floor: FloorId, at: Spot, name: String },
    /// Draws an area, a stairwell or a roof by its corners.
    DrawArea {
        id: String,
        floor: FloorId,
        what: Area,
        corners: Vec<Spot>,
        #[serde(default)]
        name: String,
    },
    /// Copies a room to another storey, with its walls, points, loads and devices. Ids are `id` and a
    /// number.
    CopyRoom { id: String, room: RoomId, to: FloorId },
    /// Gives a tag to each point that has none.
    TagPoints {},
    /// Adds a place to the point sheet, alike to another in kind and box.
    AddPoint {
        id: PointId,
        floor: FloorId,
        name: String,
        #[serde(default)]
        like: Option<PointId>,
    },
    /// Types into a column of the point sheet, for one place or several.
    Fill { points: Vec<PointId>, column: String, text: String },
    /// Types an order into a cell of the grid of keys: what a press does with something; empty takes it away.
    TypeOrder { id: RuleId, at: Pressed, what: Target, text: String },
    /// Takes a point out of its group; the last one takes the group along.
    LeaveGroup { group: GroupId, point: PointId },
}

fn one() -> u8 {
    1
}

fn lamps() -> LoadKind {
    LoadKind::Led
}

impl Gesture {
    /// Their words.
    pub const WORDS: [&'static str; 25] = [
        "drop-opening",
        "draw-rectangle",
        "move",
        "drag-end",
        "scale-underlay",
        "add-storey",
        "place-device",
        "type-wall",
        "add-network",
        "add-load",
        "add-conductor",
        "add-stays",
        "add-circuit",
        "prove-circuit",
        "add-group",
        "join-group",
        "leave-group",
        "take-findings",
        "name-room",
        "draw-area",
        "copy-room",
        "tag-points",
        "type-order",
        "add-point",
        "fill",
    ];

    /// The edit that it stands for.
    ///
    /// # Errors
    /// What it is done on is not there, or it cannot be done so.
    pub fn edit(&self, site: &Site) -> Result<Edit, Refusal> {
        match self {
            Self::DropOpening { wall, id, kind, at, count } => {
                let openings = openings::dropped(found(site, wall)?, id, *kind, *at, *count)?;
                Ok(Edit::set(Kind::Wall, wall, "openings", json!(openings)))
            }
            Self::DrawRectangle { id, floor, from, to, construction } => {
                rectangle(site, id, floor, *from, *to, construction)
            }
            Self::Move { walls, points, by: [x, y] } => {
                for wall in walls {
                    found(site, wall)?;
                }
                let by = Vec2 { x: *x, y: *y };
                let moved = shift::walls_moved(site, walls, by);
                Ok(Edit::batch(shift::edits(site, &moved, points, by)?))
            }
            Self::DragEnd { wall, end, to } => {
                let moved = shift::end_dragged(site, found(site, wall)?, *end, *to);
                let none = BTreeSet::new();
                Ok(Edit::batch(shift::edits(site, &moved, &none, Vec2::default())?))
            }
            Self::ScaleUnderlay { floor, a, b, length_m } => {
                let missing = || Refusal::Missing(Ref::new(Kind::Floor, floor.as_str()));
                let underlay = site.floors.get(floor).and_then(|f| f.underlay.as_ref());
                let scaled =
                    scaled(underlay.ok_or_else(missing)?, *a, *b, length_m.metres("length_m")?)?;
                Ok(Edit::set(Kind::Floor, floor, "underlay", json!(scaled)))
            }
            Self::AddStorey { id, slab, beneath, copy } => {
                storeys::added(site, id, slab, *beneath, copy.as_ref())
            }
            Self::PlaceDevice { device, kind, network, system, point, floor, at } => {
                let at = at.as_ref().map(|at| TypedLength::spot(at, "at")).transpose()?;
                let whole = floor.as_ref().zip(at);
                let kind = site.kind(kind);
                let unknown = || Refusal::wrong("kind", Wrong::NoKind);
                let kind = kind.ok_or_else(unknown)?;
                let mut edits = Vec::new();
                if let Some(system) = system.filter(|_| site.networks.get(network).is_none()) {
                    edits.push(new_network(site, network, system));
                }
                edits.extend(placed(site, device, kind, network, point, whole)?);
                Ok(Edit::batch(edits))
            }
            Self::TypeWall { id, floor, a, b, construction } => {
                let (a, b) = (TypedLength::spot(a, "a")?, TypedLength::spot(b, "b")?);
                Ok(wall(id.clone(), floor, a, b, construction))
            }
            Self::AddNetwork { id, system } => Ok(new_network(site, id, *system)),
            Self::AddLoad { id, point, kind } => wiring::load_added(site, id, point, *kind),
            Self::AddConductor { id, point } => wiring::conductor_added(site, id, point),
            Self::AddStays { id, point } => wiring::stays_added(site, id, point),
            Self::AddCircuit { id, point } => wiring::circuit_added(site, id, point),
            Self::ProveCircuit { circuit, by, at } => wiring::circuit_proven(site, circuit, by, at),
            Self::AddGroup { id, point } => wiring::group_added(site, id, point),
            Self::JoinGroup { group, point } => wiring::group_joined(site, group, point),
            Self::TakeFindings { point } => wiring::findings_taken(site, point),
            Self::NameRoom { id, floor, at, name } => rooms::named(site, id, floor, *at, name),
            Self::DrawArea { id, floor, what, corners, name } => {
                rooms::drawn(site, id, floor, *what, corners, name)
            }
            Self::CopyRoom { id, room, to } => rooms::copied(site, room, to, id),
            Self::TagPoints {} => Ok(tags::given(site)),
            Self::AddPoint { id, floor, name, like } => {
                rows::added(site, id, floor, name, like.as_ref())
            }
            Self::Fill { points, column, text } => rows::filled(site, points, column, text),
            Self::TypeOrder { id, at, what, text } => orders::typed(site, at, what, text, id),
            Self::LeaveGroup { group, point } => wiring::group_left(site, group, point),
        }
    }
}

fn rectangle(
    site: &Site,
    id: &str,
    floor: &FloorId,
    [left, top]: Spot,
    [right, bottom]: Spot,
    construction: &str,
) -> Result<Edit, Refusal> {
    let corners = [[left, top], [right, top], [right, bottom], [left, bottom]];
    let is_drawn = |from: Spot, to: Spot| {
        let walls = site.walls.iter().filter(|w| w.floor == *floor);
        walls.into_iter().any(|w| is_on_wall(w, from) && is_on_wall(w, to))
    };
    let sides = (0..4).map(|n| (n + 1, corners[n], corners[(n + 1) % 4]));
    let new = sides.filter(|(_, a, b)| !is_drawn(*a, *b)).map(|(n, a, b)| {
        let id = format!("{id}-{n}").parse();
        let id = id.map_err(|e| Refusal::wrong("id", Wrong::Id(e)))?;
        Ok(wall(id, floor, a, b, construction))
    });
    Ok(Edit::batch(new.collect::<Result<_, Refusal>>()?))
}

fn wall(id: WallId, floor: &FloorId, a: Spot, b: Spot, construction: &str) -> Edit {
    let (floor, construction) = (floor.clone(), construction.to_owned());
    let (known, openings) = (Provenance::default(), Vec::new());
    Edit::put(Wall { id, floor, a, b, construction, height_m: None, known, openings })
}

fn new_network(site: &Site, id: &NetworkId, system: System) -> Edit {
    Edit::put(Network::new(id.clone(), &naming::of_network(site, system), system))
}

fn placed(
    site: &Site,
    device: &DeviceId,
    kind: &catalogue::DeviceKind,
    network: &NetworkId,
    point: &PointId,
    new: Option<(&FloorId, Spot)>,
) -> Result<Vec<Edit>, Refusal> {
    let missing = || Refusal::Missing(Ref::new(Kind::Point, point.as_str()));
    let there = site.points.get(point).map(|p| (&p.floor, p.at));
    let (floor, at) = new.or(there).ok_or_else(missing)?;
    let name = naming::of_device(site, kind, floor, at);
    let mut edits = Vec::new();
    if new.is_some() {
        let (place, height, back_box) = kind.usual_place();
        let at = at.map(|m| (m * 100.0).round() / 100.0);
        edits.push(Edit::put(Point {
            name: name.clone(),
            tag: Tags::of(site).next(naming::room_at(site, floor, at)),
            room: naming::room_at(site, floor, at).to_owned(),
            back_box,
            ..Point::bare(point.clone(), floor.clone(), at, Metres::new(height), place)
        }));
    }
    edits.push(Edit::put(Device {
        can_be_cut: kind.easily_cut,
        ..Device::new(device.clone(), &name, point.clone(), &kind.id, network.clone())
    }));
    Ok(edits)
}

fn scaled(old: &Underlay, a: Spot, b: Spot, length: Metres) -> Result<Underlay, Refusal> {
    let drawn = apart(a, b);
    if drawn.is_nan() || drawn < 0.01 {
        return Err(Refusal::wrong("length_m", Wrong::OnePlace));
    }
    if !(0.1..=500.0).contains(&length.get()) {
        return Err(Refusal::wrong("length_m", Wrong::TrueLength { is: length }));
    }
    let k = length.get() / drawn;
    Ok(Underlay {
        metres_per_px: old.metres_per_px * k,
        origin: (Vec2::between(a, old.origin) * k).from(a),
        scaled: true,
        ..old.clone()
    })
}
