//! Draws a house from short rows.

use std::collections::BTreeSet;

use dot_reach_core::catalogue;
use dot_reach_core::confidence::Confidence;
use dot_reach_core::draw::Gesture;
use dot_reach_core::geometry::contains;
use dot_reach_core::radio::mounting::Mounting;
use dot_reach_core::radio::region::Region;
use dot_reach_core::radio::system::System;
use dot_reach_core::site::{
    BoxKind, Device, Earth, Edit, Floor, Job, Load, Network, Neutral, Opening, OpeningKind, Point,
    PointKind, Provenance, Room, Site, Slab, SlabPlace, Spot, Thing, Wall, apply,
};
use dot_reach_core::units::Metres;
use serde_json::json;

/// A house being drawn. Rows that the core refuses are kept in `refused`, which a test holds empty.
#[derive(Debug)]
pub struct Builder {
    site: Site,
    walls: usize,
    refused: Vec<String>,
}

/// A surveyed place and what stands at it.
#[derive(Clone, Copy, Debug)]
pub struct Surveyed<'a> {
    /// The id; devices are called `id` with the id of their network in front.
    pub id: &'a str,
    /// Its name.
    pub name: &'a str,
    /// Its room.
    pub room: &'a str,
    /// Where on the sheet and how high.
    pub at: (f64, f64, f64),
    /// What is there.
    pub kind: PointKind,
    /// The back box and its depth in millimetres.
    pub back_box: (BoxKind, f64),
    /// The neutral.
    pub neutral: Neutral,
    /// The breaker.
    pub circuit: &'a str,
    /// Catalogue row and network of each device.
    pub devices: &'a [(&'a str, &'a str)],
}

impl Builder {
    /// An empty house.
    pub fn new(name: &str, region: Region, confidence: Confidence) -> Self {
        let site = Site::new(Job::new(name, region, confidence));
        Self { site, walls: 0, refused: Vec::new() }
    }

    fn edit(&mut self, edit: &Edit) {
        if let Err(refusal) = apply(&mut self.site, edit) {
            self.refused.push(format!("{refusal} in {edit:?}"));
        }
    }

    /// Changes the job's own fields.
    pub fn job(&mut self, client: &str, address: &str, note: &str) {
        let mut job = self.site.job.clone();
        (job.client, job.address, job.note) = (client.into(), address.into(), note.into());
        self.edit(&Edit::put(job));
    }

    /// A storey: id, name, elevation, height.
    pub fn floor(&mut self, id: &str, name: &str, elevation: f64, height: f64) {
        let Ok(id) = id.parse() else { return self.refused.push(id.to_owned()) };
        let (elevation_m, height_m) = (Metres::new(elevation), Metres::new(height));
        let floor = Floor { id, name: name.to_owned(), elevation_m, height_m, underlay: None };
        self.edit(&Edit::put(floor));
    }

    /// A slab under or over a storey, following its outer walls.
    pub fn slab(
        &mut self,
        floor: &str,
        place: SlabPlace,
        construction: &str,
        voids: Vec<Vec<Spot>>,
    ) {
        let word = if place == SlabPlace::Above { "over" } else { "under" };
        let (Ok(id), Ok(floor)) = (format!("s-{word}-{floor}").parse(), floor.parse()) else {
            return self.refused.push(floor.to_owned());
        };
        let construction = construction.to_owned();
        let slab = Slab { id, floor, place, construction, outline: Vec::new(), voids };
        self.edit(&Edit::put(slab));
    }

    /// A slab under a storey with an outline of its own.
    pub fn slab_under(&mut self, id: &str, floor: &str, construction: &str, outline: Vec<Spot>) {
        let (Ok(id), Ok(floor)) = (id.parse(), floor.parse()) else {
            return self.refused.push(id.to_owned());
        };
        let (construction, place) = (construction.to_owned(), SlabPlace::Below);
        let slab = Slab { id, floor, place, construction, outline, voids: Vec::new() };
        self.edit(&Edit::put(slab));
    }

    /// A wall with its openings `(kind, start, width, construction)`.
    pub fn wall(
        &mut self,
        floor: &str,
        a: Spot,
        b: Spot,
        construction: &str,
        openings: &[(OpeningKind, f64, f64, &str)],
    ) {
        self.walls += 1;
        let (Ok(id), Ok(floor)) = (format!("w{:03}", self.walls).parse(), floor.parse()) else {
            return self.refused.push(floor.to_owned());
        };
        let opening =
            |(i, &(kind, start, width, fill)): (usize, &(OpeningKind, f64, f64, &str))| {
                let (sill, height) =
                    if kind == OpeningKind::Window { (0.9, 1.2) } else { (0.0, 2.0) };
                Some(Opening {
                    id: format!("o{}", i + 1).parse().ok()?,
                    kind,
                    start_m: Metres::new(start),
                    width_m: Metres::new(width),
                    sill_m: Metres::new(sill),
                    height_m: Metres::new(height),
                    construction: fill.to_owned(),
                    stands_open: false,
                })
            };
        let openings = openings.iter().enumerate().filter_map(opening).collect();
        let construction = construction.to_owned();
        let wall = Wall {
            id,
            floor,
            a,
            b,
            construction,
            height_m: None,
            // The surveyor of a demo house has seen its walls.
            known: Provenance::Seen,
            openings,
        };
        self.edit(&Edit::put(wall));
    }

    /// A network.
    pub fn network(&mut self, id: &str, name: &str, system: System) {
        let Ok(id) = id.parse() else { return self.refused.push(id.to_owned()) };
        self.edit(&Edit::put(Network::new(id, name, system)));
    }

    /// A place with its devices.
    pub fn place(&mut self, floor: &str, place: &Surveyed<'_>) {
        let (Ok(id), Ok(floor)) = (place.id.parse(), floor.parse()) else {
            return self.refused.push(place.id.to_owned());
        };
        let (x, y, z) = place.at;
        let (back_box, depth) = place.back_box;
        let point = Point {
            name: place.name.to_owned(),
            room: place.room.to_owned(),
            back_box,
            depth_mm: (depth > 0.0).then_some(depth),
            neutral: place.neutral,
            // Whoever measured a box has seen how many gangs it has.
            gangs: u8::from(depth > 0.0),
            circuit: place.circuit.to_owned(),
            weather_cover: place.kind == PointKind::Outdoor,
            earth: match (back_box, depth > 0.0) {
                (BoxKind::Metal, true) => Earth::EarthedBox,
                (BoxKind::Plastic, true) => Earth::Conductor,
                _ => Earth::Unknown,
            },
            ..Point::bare(id, floor, [x, y], Metres::new(z), place.kind)
        };
        let point_id = point.id.clone();
        self.edit(&Edit::put(point));
        for (kind, network) in place.devices {
            let (Ok(id), Ok(network_id)) =
                (format!("{network}-{}", place.id).parse(), network.parse())
            else {
                self.refused.push(place.id.to_owned());
                continue;
            };
            let row = catalogue::kind(kind);
            if row.is_some_and(|k| k.is_wired_in() && k.fit.switches()) {
                self.usual_load(place);
            }
            let point = point_id.clone();
            let device = Device::new(id, place.name, point, kind, network_id);
            let can_be_cut = row.is_some_and(|k| k.easily_cut);
            self.edit(&Edit::put(Device { can_be_cut, ..device }));
        }
    }

    /// What hangs on a place until the house says more: four lamps that go with their dimmer.
    fn usual_load(&mut self, place: &Surveyed<'_>) {
        let load = json!({
            "id": format!("{}-lamps", place.id), "name": format!("{} lamps", place.name),
            "switched_at": place.id, "kind": "led", "count": 4, "watts": 8.0, "dimmable": true,
            "inrush_a": 3.0, "tried": "listed",
        });
        match serde_json::from_value::<Load>(load) {
            Ok(load) => self.edit(&Edit::put(load)),
            Err(_) => self.refused.push(place.id.to_owned()),
        }
    }

    /// Puts a point behind something.
    pub fn mount(&mut self, point: &str, mounting: Mounting) {
        let Some(mut point) = self.site.points.named(point).cloned() else {
            return self.refused.push(point.to_owned());
        };
        point.mounting = mounting;
        self.edit(&Edit::put(point));
    }

    /// Puts a thing in as the job file writes it.
    pub fn put(&mut self, kind: &str, value: &serde_json::Value) {
        let edit = json!({ "do": "put", "kind": kind, "value": value });
        match Edit::read(edit) {
            Ok(edit) => self.edit(&edit),
            Err(wrong) => self.refused.push(wrong),
        }
    }

    /// Sets a field.
    pub fn set(&mut self, kind: &str, id: &str, field: &str, value: &serde_json::Value) {
        let edit = json!({ "do": "set", "kind": kind, "id": id, "field": field, "value": value });
        match Edit::read(edit) {
            Ok(edit) => self.edit(&edit),
            Err(wrong) => self.refused.push(wrong),
        }
    }

    /// Names the rooms around some places, each as the points in it say; one whose points do not agree,
    /// or that no walls close around, stays without.
    pub fn rooms(&mut self, floor: &str, places: &[Spot]) {
        for (n, at) in places.iter().enumerate() {
            let (Ok(id), Ok(floor)) = (format!("{floor}-{}", n + 1).parse(), floor.parse()) else {
                self.refused.push(floor.to_owned());
                continue;
            };
            let gesture = Gesture::NameRoom { id, floor, at: *at, name: "Room".to_owned() };
            let Ok(Edit::Put(Thing::Room(room))) = gesture.edit(&self.site) else { continue };
            let within = |p: &&Point| p.floor == room.floor && contains(&room.outline, p.at);
            let named: BTreeSet<&String> =
                self.site.points.iter().filter(within).map(|p| &p.room).collect();
            let names: Vec<_> = named.into_iter().cloned().collect();
            if let [name] = &names[..] {
                self.edit(&Edit::put(Room { name: name.clone(), ..room }));
            }
        }
    }

    /// The house so far.
    pub fn site(&self) -> &Site {
        &self.site
    }

    /// Any other edit.
    pub fn also(&mut self, edit: &Edit) {
        self.edit(edit);
    }

    /// The house, and what was refused on the way.
    pub fn finish(mut self) -> (Site, Vec<String>) {
        match (Gesture::TagPoints {}).edit(&self.site) {
            Ok(tags) => self.edit(&tags),
            Err(refusal) => self.refused.push(refusal.to_string()),
        }
        (self.site, self.refused)
    }
}
