//! The job as a value: the building, what was surveyed, the devices, the readings.
//!
//! Lengths on the sheet are metres to the right of and down from its origin, as on a drawing;
//! heights are metres above the datum of the job. [`apply`] is the one way to change a [`Site`].

mod apply;
mod building;
mod cascade;
pub mod check;
pub mod edit;
pub mod ids;
mod radios;
mod survey;
pub mod table;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub use apply::apply;
pub use building::{Floor, Opening, OpeningKind, Slab, SlabPlace, Underlay, Wall};
pub use edit::{Change, Edit, Refusal};
pub use ids::{
    ControlId, DeviceId, EmitterId, FloorId, NetworkId, OpeningId, PointId, ReadingId, ScanId,
    SlabId, WallId,
};
pub use radios::{Control, Device, Emitter, Network, Path, Reading, Scan, Security, Step};
pub use survey::{BoxKind, Neutral, Point, PointKind, Provenance};
pub use table::{Keyed, Table};

use crate::confidence::Confidence;
use crate::geometry::Place;
use crate::materials::construction::{CONSTRUCTIONS, Construction};
use crate::prove::Calibration;
use crate::radio::region::Region;
use crate::units::Metres;

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

    /// Where the next storey up begins: on the highest ceiling and some 30 cm of joists, *planning
    /// value*.
    pub fn next_elevation(&self) -> Metres {
        const JOISTS: Metres = Metres::new(0.3);
        let tops = self.floors.iter().map(|f| f.elevation_m + f.height_m);
        tops.max_by(Metres::total_cmp).map_or(Metres::new(0.0), |top| top + JOISTS)
    }

    /// A spot of a storey at a height above its floor as a place in the house; nothing when the storey
    /// is not there.
    pub fn place(&self, floor: &FloorId, at: Spot, height: Metres) -> Option<Place> {
        let z = self.floors.get(floor)?.elevation_m + height;
        Some(Place::new(at[0], at[1], z.get()))
    }

    /// The point of a device.
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
