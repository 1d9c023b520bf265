//! The job as a value: the building, what was surveyed, the devices, the readings.
//!
//! Lengths on the sheet are metres to the right of and down from its origin, as on a drawing;
//! heights are metres above the datum of the job. [`apply`] is the one way to change a [`Site`].

mod apply;
mod controls;
mod correction;
mod difference;
pub mod edit;
mod fields;
pub(crate) mod ids;
mod job;
pub mod kept;
mod limits;
mod merge;
pub mod neutrals;
mod provenance;
mod refusal;
pub mod table;
pub mod tables;
mod to_make;
mod typed;
mod wiring;

pub use apply::{admit, apply, gather, take_back};
pub use controls::{Control, ReachedByRule};
pub use correction::{Correction, LearnedLink, LearnedOf, LearnedRow};
pub use difference::difference;
pub use edit::{Change, Edit, Ref, Touch, beside};
pub(crate) use fields::set as set_field;
pub use fields::{field_in_words, in_words, value_at};
pub use ids::IdError;
pub use job::{Job, JobKind, Refused};
pub use limits::Limit;
pub use merge::{Both, Merge, Side, merge};
pub use provenance::{Fact, Provenance};
pub use refusal::{Refusal, Wrong};
pub use table::{Keyed, Table};
pub use tables::*;
pub use to_make::{MadeInto, ToMake};
pub use typed::{TypedLength, length_field, lengths_read};
pub use wiring::{Conductor, Earth, Function, Gauge, KeptAs, Probe, Stays, StaysKind};

pub use crate::catalogue::{LoadKind, PointKind};
pub use crate::radio::mounting::BoxKind;

use crate::catalogue;
use crate::catalogue::Duty;
pub use crate::geometry::Spot;
use crate::geometry::{Place, Rect, contains, hull, is_on_edge};
use crate::materials::construction::{CONSTRUCTIONS, Construction as Shipped};
use crate::radio::system::System;
use crate::units::Metres;

impl Site {
    /// A job with a network of each of the systems that a first hub most often speaks, so that it has
    /// one to belong to.
    ///
    /// # Errors
    /// The job's own fields cannot stand.
    pub fn first(job: Job) -> Result<Self, Refusal> {
        let usual = [("zigbee", System::Zigbee), ("zwave", System::ZWave), ("star", System::Star)];
        let networks = usual.into_iter().filter_map(|(id, system)| {
            let network = Network::new(id.parse().ok()?, system.name(), system);
            Some(Edit::put(network))
        });
        let mut site = Self::new(job.clone());
        apply(&mut site, &Edit::batch(networks.chain([Edit::put(job)]).collect()))?;
        Ok(site)
    }

    /// Puts a thing into a copy that is only looked at; nothing is checked.
    pub(crate) fn suppose(&mut self, thing: impl Into<Thing>) {
        self.put(thing.into());
    }

    /// The construction of this id: the job's own before the shipped one.
    pub fn construction(&self, id: &str) -> Option<&Shipped> {
        self.constructions.named(id).or_else(|| CONSTRUCTIONS.iter().find(|c| c.id == id))
    }

    /// The device of this id: the job's own row before the shipped one.
    pub fn kind(&self, id: &str) -> Option<&DeviceKind> {
        self.kinds.named(id).or_else(|| catalogue::kind(id))
    }

    /// Every device that could be chosen: the job's own rows, and the shipped ones beside them.
    pub fn all_kinds(&self) -> impl Iterator<Item = &DeviceKind> {
        let shipped = catalogue::KINDS.iter().filter(|k| self.kinds.named(&k.id).is_none());
        shipped.chain(self.kinds.iter())
    }

    /// What something costs or takes: the job's own rate before the shipped one; nought for none.
    pub fn rate(&self, id: &str) -> f64 {
        let shipped = || catalogue::rates::row(id).map_or(0.0, |row| row.value);
        self.rates.named(id).map_or_else(shipped, |rate| rate.value)
    }

    /// Storeys from the lowest up.
    pub fn floors_upward(&self) -> Vec<&Floor> {
        let mut floors: Vec<_> = self.floors.iter().collect();
        floors.sort_by(|a, b| a.elevation_m.total_cmp(&b.elevation_m));
        floors
    }

    /// A spot of a storey at a height above its floor as a place in the house; nothing when the storey
    /// is not there.
    pub fn place(&self, floor: &FloorId, at: Spot, height: Metres) -> Option<Place> {
        let z = self.floors.get(floor)?.elevation_m + height;
        Some(Place::new(at[0], at[1], z.get()))
    }

    /// The circuit that a point names by its label, where it is on record.
    pub fn circuit_of(&self, point: &Point) -> Option<&Circuit> {
        self.circuits.iter().find(|c| c.label.trim() == point.circuit.trim())
    }

    /// The control group that a point is a place of.
    pub fn group_of(&self, point: &PointId) -> Option<&Group> {
        self.groups.iter().find(|g| g.places.contains(point))
    }

    /// What starts and keeps a network, each with its row.
    pub fn hubs_of<'a>(
        &'a self,
        network: &'a NetworkId,
    ) -> impl Iterator<Item = (&'a Device, &'a DeviceKind)> {
        let own = self.devices.iter().filter(move |d| d.network == *network);
        let rows = own.filter_map(|d| Some((d, self.kind(&d.kind)?)));
        rows.filter(|(_, kind)| kind.duty == Duty::Hub)
    }

    /// What is switched at a point.
    pub fn loads_of(&self, point: &PointId) -> impl Iterator<Item = &Load> {
        self.loads.iter().filter(move |l| l.switched_at == *point)
    }

    /// The same with the radios of one network, and of the others the hubs alone, which are on the air: for
    /// trying what concerns only it.
    #[must_use]
    pub fn narrowed(&self, network: &NetworkId) -> Self {
        let mut this = self.clone();
        let is_hub = |d: &Device| self.kind(&d.kind).is_some_and(|k| k.duty == Duty::Hub);
        let others = self.devices.iter().filter(|d| d.network != *network && !is_hub(d));
        for device in others {
            this.devices.remove(device.id.as_str());
        }
        this
    }

    /// Takes a device out of a copy that is only looked at.
    pub(crate) fn forget_device(&mut self, device: &DeviceId) {
        self.devices.remove(device.as_str());
    }

    /// The drawn room that a point stands in. On a wall between two, the one that it names.
    pub fn room_of(&self, point: &Point) -> Option<&Room> {
        let around = |r: &&Room| {
            r.floor == point.floor
                && (contains(&r.outline, point.at) || is_on_edge(&r.outline, point.at))
        };
        let named = self.rooms.iter().filter(around).find(|r| r.name == point.room);
        named.or_else(|| self.rooms.iter().find(around))
    }

    /// The room of a point: by where it stands, or as it was said.
    pub fn room_name<'a>(&'a self, point: &'a Point) -> &'a str {
        self.room_of(point).map_or(&point.room, |r| &r.name)
    }

    /// The point that says how the box of a point is: another one where the box is shared.
    pub fn box_of<'a>(&'a self, point: &'a Point) -> &'a Point {
        point.in_box_of.as_ref().and_then(|id| self.points.get(id)).unwrap_or(point)
    }

    /// The places that hang on the joints of the box of a point, whatever lies between: dark while it is open, and tried
    /// after it.
    pub fn hangs_on(&self, point: &Point) -> Vec<&Point> {
        let lead = &self.box_of(point).id;
        let mut found: Vec<&Point> = Vec::new();
        let mut behind: Vec<&PointId> = self
            .points
            .iter()
            .filter(|p| p.id == *lead || p.in_box_of.as_ref() == Some(lead))
            .map(|p| &p.id)
            .collect();
        let own = behind.clone();
        while let Some(id) = behind.pop() {
            for next in self.points.iter().filter(|p| p.fed_through.as_ref() == Some(id)) {
                if !own.contains(&&next.id) && !found.iter().any(|f| f.id == next.id) {
                    found.push(next);
                    behind.push(&next.id);
                }
            }
        }
        found
    }

    /// Pages of the maker's sheet that are kept with a place, by the hash of each.
    pub fn makers_sheet<'a>(&'a self, point: &'a PointId) -> impl Iterator<Item = &'a str> {
        let own = self.photos.iter().filter(move |p| p.point == *point);
        own.filter(|p| p.shows == Shows::MakersSheet).map(|p| p.image.as_str())
    }

    /// The point of a device.
    pub fn point_of(&self, device: &Device) -> Option<&Point> {
        self.points.get(&device.point)
    }

    /// The devices at a point.
    pub fn devices_at(&self, point: &PointId) -> Vec<&Device> {
        self.devices.iter().filter(|d| d.point == *point).collect()
    }

    /// Whether a place lies beyond the outer walls of its storey, that is outside what a string around all of them would
    /// enclose; never where no walls are drawn.
    pub fn is_beyond_walls(&self, floor: &FloorId, at: Spot) -> bool {
        let walls = self.walls.iter().filter(|w| w.floor == *floor);
        let around = hull(walls.flat_map(|w| [w.a, w.b]).collect());
        around.len() > 2 && !contains(&around, at) && !is_on_edge(&around, at)
    }

    /// The smallest rectangle around all walls and plan images.
    pub fn extent(&self) -> Option<Rect> {
        let walls = self.walls.iter().flat_map(|w| [w.a, w.b]);
        let images = self.floors.iter().filter_map(|f| f.underlay.as_ref()).flat_map(|u| {
            let [x, y] = u.origin;
            let across = f64::from(u.width_px) * u.metres_per_px;
            let down = f64::from(u.height_px) * u.metres_per_px;
            [[x, y], [x + across, y + down]]
        });
        Rect::around(walls.chain(images))
    }
}
