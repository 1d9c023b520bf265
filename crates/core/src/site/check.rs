//! What a value must satisfy before it may stand in a site.

use super::{
    Control, Device, Emitter, Floor, Job, Network, Point, Reading, Refusal, Scan, Site, Slab,
    Underlay, Wall,
};
use crate::catalogue;
use crate::materials::construction::Construction;
use crate::radio::profile::{Class, planning_profile};
use crate::radio::system::System;
use crate::units::{Db, Dbm, Metres};

/// The farthest from the sheet's origin that anything may be drawn, in metres.
const SHEET_REACH: f64 = 2000.0;
/// How far beyond the drawn plan a point may be placed, in metres.
const BEYOND_PLAN: f64 = 30.0;
/// The shortest wall, in metres.
const SHORTEST_WALL: f64 = 0.05;
/// The longest name or free text.
const LONGEST_NAME: usize = 120;
const LONGEST_NOTE: usize = 4000;

type Verdict = Result<(), Refusal>;

fn refuse(field: &'static str, reason: impl Into<String>) -> Verdict {
    Err(Refusal::Invalid { field, reason: reason.into() })
}

fn name(text: &str) -> Verdict {
    match text.trim().chars().count() {
        0 => refuse("name", "give it a name"),
        n if n > LONGEST_NAME => {
            refuse("name", format!("is {n} characters long; {LONGEST_NAME} is the most"))
        }
        _ => Ok(()),
    }
}

fn note(text: &str) -> Verdict {
    match text.chars().count() {
        n if n > LONGEST_NOTE => {
            refuse("note", format!("is {n} characters long; {LONGEST_NOTE} is the most"))
        }
        _ => Ok(()),
    }
}

fn spot([x, y]: [f64; 2]) -> Verdict {
    let held = |v: f64| v.is_finite() && v.abs() <= SHEET_REACH;
    if held(x) && held(y) {
        return Ok(());
    }
    refuse("at", format!("must lie within {SHEET_REACH} m of the sheet's origin"))
}

fn between(field: &'static str, value: Metres, low: f64, high: f64) -> Verdict {
    if (low..=high).contains(&value.get()) {
        return Ok(());
    }
    refuse(field, format!("is {value:.2}; give {low} to {high} m"))
}

fn busy(share: f64) -> Verdict {
    if (0.0..=1.0).contains(&share) {
        return Ok(());
    }
    refuse("busy", format!("is {share}; give the share of time from 0 to 1"))
}

impl Site {
    pub(super) fn check_job(job: &Job) -> Verdict {
        name(&job.name)?;
        note(&job.note)?;
        note(&job.client)?;
        note(&job.address)
    }

    pub(super) fn check_floor(floor: &Floor) -> Verdict {
        name(&floor.name)?;
        between("elevation_m", floor.elevation_m, -50.0, 500.0)?;
        between("height_m", floor.height_m, 1.0, 20.0)?;
        floor.underlay.as_ref().map_or(Ok(()), Self::check_underlay)
    }

    fn check_underlay(underlay: &Underlay) -> Verdict {
        spot(underlay.origin)?;
        let scale = underlay.metres_per_px;
        if !(1e-5..=10.0).contains(&scale) {
            return refuse("metres_per_px", "the scale must lie between 0.01 mm and 10 m a pixel");
        }
        let is_hash = underlay.image.len() == 64
            && underlay.image.bytes().all(|b| matches!(b, b'0'..=b'9' | b'a'..=b'f'));
        if is_hash { Ok(()) } else { refuse("image", "is not the SHA-256 of an image") }
    }

    pub(super) fn check_wall(&self, wall: &Wall) -> Verdict {
        self.check_floor_exists(&wall.floor)?;
        spot(wall.a)?;
        spot(wall.b)?;
        let length = wall.length();
        if length.get() < SHORTEST_WALL {
            let least = SHORTEST_WALL * 100.0;
            return refuse(
                "length",
                format!("a wall must be at least {least} cm long; this one is {length:.2}"),
            );
        }
        self.check_construction_exists(&wall.construction)?;
        if let Some(height) = wall.height_m {
            between("height_m", height, 0.05, 20.0)?;
        }
        for opening in &wall.openings {
            between("width_m", opening.width_m, 0.05, length.get())?;
            between("start_m", opening.start_m, 0.0, length.get() - opening.width_m.get() + 1e-9)?;
            between("sill_m", opening.sill_m, 0.0, 20.0)?;
            between("height_m", opening.height_m, 0.05, 20.0)?;
            if !opening.construction.is_empty() {
                self.check_construction_exists(&opening.construction)?;
            }
        }
        for (i, one) in wall.openings.iter().enumerate() {
            for other in &wall.openings[i + 1..] {
                if one.id == other.id {
                    return refuse("openings", format!("the id {} stands twice", one.id));
                }
                let apart = one.start_m + one.width_m <= other.start_m + Metres::new(1e-9)
                    || other.start_m + other.width_m <= one.start_m + Metres::new(1e-9)
                    || one.sill_m + one.height_m <= other.sill_m
                    || other.sill_m + other.height_m <= one.sill_m;
                if !apart {
                    return refuse("openings", "two openings overlap; move one along the wall");
                }
            }
        }
        Ok(())
    }

    pub(super) fn check_slab(&self, slab: &Slab) -> Verdict {
        self.check_floor_exists(&slab.floor)?;
        self.check_construction_exists(&slab.construction)?;
        for ring in slab.voids.iter().chain([&slab.outline]) {
            if matches!(ring.len(), 1 | 2) || ring.len() > 500 {
                return refuse("outline", "a polygon has 3 to 500 corners");
            }
            ring.iter().try_for_each(|corner| spot(*corner))?;
        }
        Ok(())
    }

    pub(super) fn check_point(&self, point: &Point) -> Verdict {
        name(&point.name)?;
        note(&point.note)?;
        note(&point.room)?;
        note(&point.circuit)?;
        self.check_floor_exists(&point.floor)?;
        spot(point.at)?;
        between("height_m", point.height_m, -5.0, 20.0)?;
        if let Some(depth) = point.depth_mm
            && !(5.0..=500.0).contains(&depth)
        {
            return refuse("depth_mm", format!("a box {depth} mm deep; give 5 to 500 mm"));
        }
        let Some([left, top, right, bottom]) = self.extent() else { return Ok(()) };
        let [x, y] = point.at;
        let outside = (left - x).max(x - right).max(top - y).max(y - bottom);
        if outside > BEYOND_PLAN {
            return refuse(
                "at",
                format!(
                    "lies {outside:.0} m outside the drawn plan; draw the building there first, or \
                     place it within {BEYOND_PLAN} m"
                ),
            );
        }
        Ok(())
    }

    pub(super) fn check_network(&self, network: &Network) -> Verdict {
        name(&network.name)?;
        if let Some(channel) = network.channel {
            let (first, last) = match network.system {
                System::Wifi => (1, 13),
                s if s.rule().has_channels => (11, 26),
                s => return refuse("channel", format!("{} has no channels to choose", s.name())),
            };
            if !(first..=last).contains(&channel) {
                return refuse("channel", format!("is {channel}; give {first} to {last}"));
            }
        }
        let limits = &network.limits;
        for (field, value) in [
            ("most_hops", limits.most_hops),
            ("most_devices", limits.most_devices),
            ("most_routers", limits.most_routers),
            ("children_of_hub", limits.children_of_hub),
            ("children_of_router", limits.children_of_router),
        ] {
            if let Some(value) = value
                && !(1..=10_000).contains(&value)
            {
                return refuse(field, format!("is {value}; give 1 to 10000"));
            }
        }
        let Some(old) = self.networks.get(&network.id) else { return Ok(()) };
        let members = self.devices.iter().filter(|d| d.network == network.id).count();
        if old.system != network.system && members > 0 {
            return refuse(
                "system",
                format!("{members} devices belong to it; a network keeps its system"),
            );
        }
        Ok(())
    }

    pub(super) fn check_device(&self, device: &Device) -> Verdict {
        name(&device.name)?;
        if self.points.get(&device.point).is_none() {
            return refuse("point", format!("there is no point {}", device.point));
        }
        let Some(network) = self.networks.get(&device.network) else {
            return refuse("network", format!("there is no network {}", device.network));
        };
        let Some(kind) = catalogue::kind(&device.kind) else {
            return refuse("kind", format!("the catalogue has no device “{}”", device.kind));
        };
        if !kind.systems.contains(&network.system) {
            return refuse(
                "kind",
                format!("“{}” does not come for {}", kind.name, network.system.name()),
            );
        }
        self.check_sheet(device, network.system, kind.class())
    }

    /// The data sheet must lie within reason and within what the region allows.
    fn check_sheet(&self, device: &Device, system: System, class: Class) -> Verdict {
        let sheet = &device.sheet;
        let within = |field, value: Option<f64>, low: f64, high: f64, unit: &str| match value {
            Some(v) if !(low..=high).contains(&v) => {
                refuse(field, format!("is {v}; give {low} to {high} {unit}"))
            }
            _ => Ok(()),
        };
        within("tx_dbm", sheet.tx_dbm.map(Dbm::get), -40.0, 36.0, "dBm")?;
        within("sensitivity_dbm", sheet.sensitivity_dbm.map(Dbm::get), -140.0, -40.0, "dBm")?;
        within("antenna_db", sheet.antenna_db.map(Db::get), -30.0, 20.0, "dBi")?;
        within("extra_loss_db", sheet.extra_loss_db.map(Db::get), 0.0, 60.0, "dB")?;
        let region = self.job.region;
        let limit = region.limit(system);
        let eirp = sheet.applied_to(planning_profile(system, class, region)).eirp();
        if eirp > limit.eirp {
            let (name, place) = (system.name(), region.rule().name);
            return refuse(
                "tx_dbm",
                format!(
                    "would radiate {eirp}; {name} in the {place} may radiate {} ({})",
                    limit.eirp, limit.source
                ),
            );
        }
        Ok(())
    }

    pub(super) fn check_emitter(&self, emitter: &Emitter) -> Verdict {
        name(&emitter.name)?;
        self.check_floor_exists(&emitter.floor)?;
        spot(emitter.at)?;
        between("height_m", emitter.height_m, -5.0, 20.0)?;
        if let Some(wrong) = emitter.carrier.wrong() {
            return refuse("channel", wrong);
        }
        if !(-40.0..=36.0).contains(&emitter.tx_dbm.get()) {
            return refuse("tx_dbm", format!("is {}; give −40 to 36 dBm", emitter.tx_dbm));
        }
        busy(emitter.busy)
    }

    pub(super) fn check_control(&self, control: &Control) -> Verdict {
        for (field, id) in [("controller", &control.controller), ("load", &control.load)] {
            let Some(device) = self.devices.get(id) else {
                return refuse(field, format!("there is no device {id}"));
            };
            let (controls, is_load) = crate::control::sides(&device.kind);
            let fits = if field == "controller" { controls } else { is_load };
            if !fits {
                let what = if field == "controller" { "controls nothing" } else { "is no load" };
                return refuse(field, format!("{} {what} by its make", device.name));
            }
        }
        if control.controller == control.load {
            return refuse("load", "a device does not control itself; choose another load");
        }
        Ok(())
    }

    pub(super) fn check_scan(scan: &Scan) -> Verdict {
        if let Some(wrong) = scan.carrier.wrong() {
            return refuse("channel", wrong);
        }
        if !(-140.0..=20.0).contains(&scan.level_dbm.get()) {
            return refuse("level_dbm", "a level heard lies between −140 and 20 dBm");
        }
        if scan.at.is_empty() || scan.at.len() > 40 {
            return refuse("at", "say when, such as 2026-03-14T10:05:00Z");
        }
        busy(scan.busy)
    }

    pub(super) fn check_reading(&self, reading: &Reading) -> Verdict {
        for (field, id) in [("from", &reading.from), ("to", &reading.to)] {
            if self.devices.get(id).is_none() {
                return refuse(field, format!("there is no device {id}"));
            }
        }
        if reading.from == reading.to {
            return refuse("to", "a link has two different ends");
        }
        if !(-140.0..=20.0).contains(&reading.rssi_dbm.get()) {
            return refuse("rssi_dbm", "a level heard lies between −140 and 20 dBm");
        }
        if reading.at.is_empty() || reading.at.len() > 40 {
            return refuse("at", "say when, such as 2026-03-14T10:05:00Z");
        }
        note(&reading.source)
    }

    pub(super) fn check_construction(construction: &Construction) -> Verdict {
        name(&construction.name)?;
        construction
            .check()
            .map_err(|e| Refusal::Invalid { field: "layers", reason: e.to_string() })
    }

    fn check_floor_exists(&self, floor: &super::FloorId) -> Verdict {
        match self.floors.get(floor) {
            Some(_) => Ok(()),
            None => refuse("floor", format!("there is no storey {floor}")),
        }
    }

    fn check_construction_exists(&self, id: &str) -> Verdict {
        match self.construction(id) {
            Some(_) => Ok(()),
            None => refuse("construction", format!("no construction is called “{id}”")),
        }
    }
}
