//! The job as a value: the building, what was surveyed, the devices, the readings.
//!
//! Lengths on the sheet are metres to the right of and down from its origin, as on a drawing;
//! heights are metres above the datum of the job. [`edit`] holds the one way to change a [`Site`].

pub mod check;
pub mod edit;
pub mod ids;
pub mod table;

use std::collections::BTreeSet;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub use edit::{Change, Edit, Refusal, apply};
pub use ids::{
    ControlId, DeviceId, EmitterId, FloorId, NetworkId, OpeningId, PointId, ReadingId, ScanId,
    SlabId, WallId,
};
pub use table::{Keyed, Table};

use crate::confidence::Confidence;
use crate::materials::construction::{CONSTRUCTIONS, Construction};
use crate::prove::Calibration;
use crate::radio::coexistence::Carrier;
use crate::radio::mounting::Mounting;
use crate::radio::profile::DataSheet;
use crate::radio::region::Region;
use crate::radio::system::{Limits, Rule, System};
use crate::units::{Db, Dbm, Metres};

/// A place on a storey's sheet: metres right and down.
pub type Spot = [f64; 2];

/// One job.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Site {
    /// What the job is called, for whom, where, and how sure it must be.
    pub job: Job,
    /// Storeys, of one or several buildings.
    #[serde(default)]
    pub floors: Table<Floor>,
    /// Walls, by storey.
    #[serde(default)]
    pub walls: Table<Wall>,
    /// Floor slabs and roofs.
    #[serde(default)]
    pub slabs: Table<Slab>,
    /// Surveyed places.
    #[serde(default)]
    pub points: Table<Point>,
    /// Radio networks.
    #[serde(default)]
    pub networks: Table<Network>,
    /// Devices, each at a point.
    #[serde(default)]
    pub devices: Table<Device>,
    /// Constructions of this job, beside or in place of the shipped ones.
    #[serde(default)]
    pub constructions: Table<Construction>,
    /// Readings taken on site.
    #[serde(default)]
    pub readings: Table<Reading>,
    /// Wi-Fi access points and foreign 802.15.4 networks with a place on the plan.
    #[serde(default)]
    pub emitters: Table<Emitter>,
    /// What a scan at the hub heard.
    #[serde(default)]
    pub scans: Table<Scan>,
    /// Who controls what.
    #[serde(default)]
    pub controls: Table<Control>,
    /// What the readings taught, once accepted.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub calibration: Option<Calibration>,
}

/// What the whole job rests on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Job {
    /// The name of the job.
    pub name: String,
    /// For whom.
    #[serde(default)]
    pub client: String,
    /// Where.
    #[serde(default)]
    pub address: String,
    /// Sets frequencies and transmit limits.
    pub region: Region,
    /// How sure a single link must be.
    pub confidence: Confidence,
    /// What to keep in mind, in free words.
    #[serde(default)]
    pub note: String,
}

/// A storey. Detached buildings are storeys of their own on the same sheet.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Floor {
    /// Its id.
    pub id: FloorId,
    /// Its name.
    pub name: String,
    /// Finished floor above the datum.
    pub elevation_m: Metres,
    /// Floor to ceiling.
    pub height_m: Metres,
    /// A picture of the plan under the drawing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub underlay: Option<Underlay>,
}

/// A plan image under the drawing.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Underlay {
    /// The SHA-256 of the image file, in hexadecimal.
    pub image: String,
    /// Its width in pixels.
    pub width_px: u32,
    /// Its height in pixels.
    pub height_px: u32,
    /// Where its top left corner lies on the sheet.
    pub origin: Spot,
    /// The side of one pixel.
    pub metres_per_px: f64,
    /// Whether a person has set the scale, or it is still the first guess.
    #[serde(default)]
    pub scaled: bool,
}

impl Underlay {
    /// A picture just put under the sheet, as wide as a usual house until a person sets the scale.
    pub fn first_guess(image: String, width_px: u32, height_px: u32) -> Self {
        const USUAL_HOUSE_M: f64 = 15.0;
        let metres_per_px = USUAL_HOUSE_M / f64::from(width_px.max(1));
        Self { image, width_px, height_px, origin: [0.0, 0.0], metres_per_px, scaled: false }
    }
}

/// A straight wall, drawn along its centre line.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Wall {
    /// Its id.
    pub id: WallId,
    /// The storey it stands on.
    pub floor: FloorId,
    /// One end of the centre line.
    pub a: Spot,
    /// The other end.
    pub b: Spot,
    /// The id of its construction.
    pub construction: String,
    /// Its height when it does not reach the ceiling.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub height_m: Option<Metres>,
    /// How its construction is known.
    #[serde(default, skip_serializing_if = "Provenance::is_default")]
    pub known: Provenance,
    /// Doors, windows and plain openings.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub openings: Vec<Opening>,
}

/// What an opening is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum OpeningKind {
    /// A door leaf that can stand open.
    Door,
    /// Glazing.
    Window,
    /// Nothing fills it.
    Open,
}

/// A door, a window or a plain opening in a wall.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Opening {
    /// Its id, unique in its wall.
    pub id: OpeningId,
    /// What it is.
    pub kind: OpeningKind,
    /// Its near edge, measured along the wall from `a`.
    pub start_m: Metres,
    /// Its width.
    pub width_m: Metres,
    /// Its lower edge above the floor.
    #[serde(default)]
    pub sill_m: Metres,
    /// Its own height.
    pub height_m: Metres,
    /// The id of what fills it; nothing when it is plain open.
    #[serde(default)]
    pub construction: String,
    /// A door that stands open in ordinary life.
    #[serde(default)]
    pub stands_open: bool,
}

/// Where a slab lies in its storey.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum SlabPlace {
    /// Under the storey, at its elevation.
    #[default]
    Below,
    /// Over the storey: a ceiling or a roof.
    Above,
}

/// A horizontal floor, ceiling or roof.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Slab {
    /// Its id.
    pub id: SlabId,
    /// The storey it belongs to.
    pub floor: FloorId,
    /// Under or over that storey.
    #[serde(default)]
    pub place: SlabPlace,
    /// The id of its construction.
    pub construction: String,
    /// Its outline as a polygon; when empty it follows the outer walls of its storey (their
    /// convex hull).
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub outline: Vec<Spot>,
    /// Stairwells and other holes.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub voids: Vec<Vec<Spot>>,
}

/// What is at a surveyed place.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum PointKind {
    /// A place for a wall switch.
    Switch,
    /// A socket outlet.
    Socket,
    /// A ceiling fitting.
    Ceiling,
    /// A wall fitting.
    WallFitting,
    /// A shelf, cupboard or table: for a hub or a battery device.
    Shelf,
    /// Bare wall or frame: for a remote or a sensor.
    BareWall,
    /// A place outdoors.
    Outdoor,
}

/// The back box.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum BoxKind {
    /// No box.
    #[default]
    None,
    /// Plastic.
    Plastic,
    /// Metal.
    Metal,
}

/// What is known of the neutral in a box. Settled per box, never per house.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Neutral {
    /// The box has not been opened.
    #[default]
    Unknown,
    /// Seen in the box.
    Seen,
    /// Looked for and not seen; it may be bundled at the back.
    NotSeen,
    /// Tested: there is none.
    Absent,
}

/// A surveyed place where a device is or could be.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Point {
    /// Its id.
    pub id: PointId,
    /// The name of the place.
    pub name: String,
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
    /// Inside depth of the box in millimetres.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub depth_mm: Option<f64>,
    /// What is known of the neutral.
    #[serde(default)]
    pub neutral: Neutral,
    /// The breaker that feeds it, as printed on the panel.
    #[serde(default)]
    pub circuit: String,
    /// What else stands between the radio and the room.
    #[serde(default)]
    pub mounting: Mounting,
    /// How its box and mounting are known.
    #[serde(default, skip_serializing_if = "Provenance::is_default")]
    pub known: Provenance,
    /// Free words.
    #[serde(default)]
    pub note: String,
}

impl Point {
    /// A point of which nothing more is known than where it is and what is there.
    pub fn bare(id: PointId, floor: FloorId, at: Spot, height_m: Metres, kind: PointKind) -> Self {
        Self {
            id,
            name: String::new(),
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
            note: String::new(),
        }
    }
}

/// A radio network: a hub and what talks to it by one system.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Network {
    /// Its id.
    pub id: NetworkId,
    /// Its name.
    pub name: String,
    /// The radio system whose rules it follows.
    pub system: System,
    /// Its channel, where the system has channels and one is chosen.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub channel: Option<u8>,
    /// Limits in place of the system's defaults.
    #[serde(default, skip_serializing_if = "Limits::is_empty")]
    pub limits: Limits,
}

impl Network {
    /// A network by its system's defaults.
    pub fn new(id: NetworkId, name: &str, system: System) -> Self {
        let (name, channel, limits) = (name.to_owned(), None, Limits::default());
        Self { id, name, system, channel, limits }
    }

    /// The rules that bind here.
    pub fn rule(&self) -> Rule {
        self.limits.applied_to(self.system.rule())
    }
}

/// How something about the house is known; what is guessed widens the uncertainty.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Provenance {
    /// Nobody said.
    #[default]
    Default,
    /// Measured.
    Measured,
    /// Seen.
    Seen,
    /// Told by someone.
    Told,
    /// Guessed.
    Guessed,
}

impl Provenance {
    /// Each with its word.
    pub const ALL: [(Self, &'static str); 5] = [
        (Self::Default, "not said"),
        (Self::Measured, "measured"),
        (Self::Seen, "seen"),
        (Self::Told, "told"),
        (Self::Guessed, "guessed"),
    ];

    #[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
    fn is_default(&self) -> bool {
        *self == Self::Default
    }

    /// What it adds to a link's deviation; *planning values*.
    pub fn doubt(self) -> Db {
        match self {
            Self::Guessed => Db::new(4.0),
            Self::Told => Db::new(2.0),
            Self::Default | Self::Measured | Self::Seen => Db::ZERO,
        }
    }
}

/// The class of security that a Z-Wave device was included with.
#[derive(
    Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "lowercase")]
pub enum Security {
    /// Nobody said.
    #[default]
    Unsaid,
    /// None.
    None,
    /// The old class.
    S0,
    /// The newer class.
    S2,
}

impl Security {
    /// Each with its word.
    pub const ALL: [(Self, &'static str); 4] =
        [(Self::Unsaid, "not said"), (Self::None, "none"), (Self::S0, "S0"), (Self::S2, "S2")];

    #[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
    fn is_unsaid(&self) -> bool {
        *self == Self::Unsaid
    }
}

/// A source of interference with a place on the plan.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Emitter {
    /// Its id.
    pub id: EmitterId,
    /// Its name.
    pub name: String,
    /// Its storey.
    pub floor: FloorId,
    /// Where on the sheet.
    pub at: Spot,
    /// Height above the floor.
    pub height_m: Metres,
    /// What it sends.
    pub carrier: Carrier,
    /// Radiated power.
    pub tx_dbm: Dbm,
    /// The share of time that it sends, 0 to 1.
    pub busy: f64,
    /// Whether it is the house's own router or access point, to which a hub is cabled or joined.
    #[serde(default)]
    pub of_the_house: bool,
}

impl Emitter {
    /// A source as it is first put on a storey; *planning values* that a person then corrects.
    pub fn first_guess(id: EmitterId, floor: FloorId, carrier: Carrier) -> Self {
        let (name, tx_dbm, busy) = match carrier {
            Carrier::Wifi { .. } => ("Access point", 19.0, 0.25),
            Carrier::Mesh { .. } => ("Foreign mesh", 8.0, 0.05),
        };
        Self {
            id,
            name: name.to_owned(),
            floor,
            at: [1.0, 1.0],
            height_m: Metres::new(1.5),
            carrier,
            tx_dbm: Dbm::new(tx_dbm),
            busy,
            of_the_house: false,
        }
    }
}

/// How a press reaches its load.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Path {
    /// The controller is bound to the load itself.
    Direct,
    /// By a rule in the hub.
    #[default]
    Hub,
}

/// A controller and a load that it controls.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Control {
    /// Its id.
    pub id: ControlId,
    /// The switch, remote or sensor.
    pub controller: DeviceId,
    /// What it controls.
    pub load: DeviceId,
    /// How a press gets there.
    #[serde(default)]
    pub path: Path,
}

/// One line of a scan: what was heard at the hub.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Scan {
    /// Its id.
    pub id: ScanId,
    /// What was heard.
    pub carrier: Carrier,
    /// How strong.
    pub level_dbm: Dbm,
    /// The share of time that it sends, 0 to 1.
    pub busy: f64,
    /// When.
    pub at: String,
}

/// A step of the work on a device, in the order in which it is done.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum Step {
    /// The join code is photographed or typed before a cover hides it.
    Code,
    /// Wired in, with the circuit dead.
    Wired,
    /// Joined to its network where it will live.
    Joined,
    /// Tested with the door shut and the plate on.
    Tested,
}

/// A device at a point.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Device {
    /// Its id.
    pub id: DeviceId,
    /// Its name: place and load.
    pub name: String,
    /// Where it is.
    pub point: PointId,
    /// The id of its row in the catalogue.
    pub kind: String,
    /// The network it belongs to.
    pub network: NetworkId,
    /// Whether someone can cut its supply: a lamp at the wall, a plug that is pulled.
    #[serde(default)]
    pub can_be_cut: bool,
    /// The security class it was included with, where its system has classes.
    #[serde(default, skip_serializing_if = "Security::is_unsaid")]
    pub security: Security,
    /// What its data sheet says in place of the planning profile.
    #[serde(default, skip_serializing_if = "DataSheet::is_empty")]
    pub sheet: DataSheet,
    /// Steps done.
    #[serde(default, skip_serializing_if = "BTreeSet::is_empty")]
    pub done: BTreeSet<Step>,
}

/// A reading of one link in one direction.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Reading {
    /// Its id.
    pub id: ReadingId,
    /// The device that sent.
    pub from: DeviceId,
    /// The device that heard.
    pub to: DeviceId,
    /// The level heard.
    pub rssi_dbm: Dbm,
    /// When, as `2026-03-14T10:05:00Z`.
    pub at: String,
    /// With what, or by whom.
    #[serde(default)]
    pub source: String,
}

macro_rules! keyed {
    ($($thing:ident $id:ident;)*) => {$(
        impl Keyed for $thing {
            type Id = $id;
            fn id(&self) -> &$id { &self.id }
        }
    )*};
}
keyed! {
    Floor FloorId; Wall WallId; Slab SlabId; Point PointId; Network NetworkId;
    Device DeviceId; Reading ReadingId; Construction String; Emitter EmitterId; Scan ScanId; Control ControlId;
}

impl Site {
    /// An empty job.
    pub fn new(name: &str, region: Region, confidence: Confidence) -> Self {
        Self {
            job: Job {
                name: name.to_owned(),
                client: String::new(),
                address: String::new(),
                region,
                confidence,
                note: String::new(),
            },
            floors: Table::default(),
            walls: Table::default(),
            slabs: Table::default(),
            points: Table::default(),
            networks: Table::default(),
            devices: Table::default(),
            constructions: Table::default(),
            readings: Table::default(),
            emitters: Table::default(),
            scans: Table::default(),
            controls: Table::default(),
            calibration: None,
        }
    }

    /// The construction of this id: the job's own before the shipped one.
    pub fn construction(&self, id: &str) -> Option<&Construction> {
        self.constructions.named(id).or_else(|| CONSTRUCTIONS.iter().find(|c| c.id == id))
    }

    /// Storeys from the lowest up.
    pub fn floors_upward(&self) -> Vec<&Floor> {
        let mut floors: Vec<_> = self.floors.iter().collect();
        floors.sort_by(|a, b| a.elevation_m.total_cmp(&b.elevation_m));
        floors
    }

    /// The place of a device.
    pub fn point_of(&self, device: &Device) -> Option<&Point> {
        self.points.get(&device.point)
    }

    /// The devices at a point.
    pub fn devices_at(&self, point: &PointId) -> Vec<&Device> {
        self.devices.iter().filter(|d| d.point == *point).collect()
    }

    /// The smallest rectangle around all walls and plan images, as `[left, top, right, bottom]`.
    pub fn extent(&self) -> Option<[f64; 4]> {
        let walls = self.walls.iter().flat_map(|w| [w.a, w.b]);
        let images = self.floors.iter().filter_map(|f| f.underlay.as_ref()).flat_map(|u| {
            let [x, y] = u.origin;
            let across = f64::from(u.width_px) * u.metres_per_px;
            let down = f64::from(u.height_px) * u.metres_per_px;
            [[x, y], [x + across, y + down]]
        });
        walls.chain(images).fold(None, |extent: Option<[f64; 4]>, [x, y]| {
            let [l, t, r, b] = extent.unwrap_or([x, y, x, y]);
            Some([l.min(x), t.min(y), r.max(x), b.max(y)])
        })
    }
}

impl Wall {
    /// The length of the centre line.
    pub fn length(&self) -> Metres {
        Metres::new((self.b[0] - self.a[0]).hypot(self.b[1] - self.a[1]))
    }
}
