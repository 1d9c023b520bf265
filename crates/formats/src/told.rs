//! What hubs, meters and people tell of a house, row by row: readings and reports of nodes, whatever format they
//! came in. What is on record already is told as that, and ids are made of what the caller drew.

use std::collections::{BTreeMap, BTreeSet};

use dot_reach_core::moment::{HouseClock, Moment};
use dot_reach_core::record::{NodeReport, Reading, Record, What};
use dot_reach_core::site::kept::Kept;
use dot_reach_core::site::{Device, DeviceId, NetworkId, Site};
use dot_reach_core::units::{Db, Dbm};
use serde::Deserialize;
use serde_json::Value;

use crate::budget::begin;
use crate::{ImportFinding, Imported};

/// How a table came in.
#[derive(Clone, Copy, Debug)]
pub struct Came<'a> {
    /// Who or what took it.
    pub source: &'a str,
    /// When what does not say when.
    pub now: &'a Moment,
    /// By which its readings and reports are called: drawn anew for each table.
    pub stem: &'a str,
}

/// What was read.
#[derive(Clone, Debug, PartialEq)]
pub struct ToldReadings {
    /// Each reading and report that is new.
    pub new: Vec<What>,
    /// How many are on record already.
    pub again: usize,
}

/// A reading as a row tells it.
#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields, default)]
pub(crate) struct ReadingRow {
    pub(crate) from: String,
    pub(crate) to: String,
    pub(crate) rssi_dbm: Option<f64>,
    pub(crate) margin_db: Option<f64>,
    pub(crate) lqi: Option<u8>,
    pub(crate) time: Option<String>,
    pub(crate) source: Option<String>,
    pub(crate) firmware: String,
    pub(crate) test_radios_dbm: Option<f64>,
}

/// A node as a row tells of it.
#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields, default)]
pub(crate) struct NodeRow {
    pub(crate) network: String,
    pub(crate) node: Option<u32>,
    pub(crate) device: Option<String>,
    pub(crate) via: Option<Vec<String>>,
    pub(crate) last_working: bool,
    pub(crate) answers: Option<bool>,
    pub(crate) firmware: String,
    pub(crate) settings: BTreeMap<String, String>,
    pub(crate) time: Option<String>,
    pub(crate) source: Option<String>,
}

/// The devices of a job by what people write of them.
#[derive(Debug)]
pub(crate) struct Devices<'a> {
    site: &'a Site,
    by_name: BTreeMap<String, Vec<&'a Device>>,
}

/// A name without what people leave out or put in: letters of one case, no blanks beside commas.
fn plain(name: &str) -> String {
    name.to_lowercase().split(',').map(str::trim).collect::<Vec<_>>().join(",")
}

impl<'a> Devices<'a> {
    pub(crate) fn of(site: &'a Site) -> Self {
        let mut by_name: BTreeMap<String, Vec<&Device>> = BTreeMap::new();
        for device in &site.devices {
            // By its name, by the tag of its place, or by both as lists have it.
            let tag = site.point_of(device).map(|p| p.tag.as_str()).filter(|tag| !tag.is_empty());
            let with_tag = tag.map(|tag| format!("{tag} {}", device.name));
            let names = [Some(device.name.as_str()), tag, with_tag.as_deref()];
            let mut names: Vec<String> = names.into_iter().flatten().map(plain).collect();
            names.sort_unstable();
            names.dedup();
            for name in names {
                by_name.entry(name).or_default().push(device);
            }
        }
        Self { site, by_name }
    }

    /// The device with this id, or the one with this name or tag; of several, the one in the
    /// network of `peer`.
    pub(crate) fn named(&self, text: &str, peer: Option<&Device>) -> Result<&'a Device, String> {
        if let Some(device) =
            text.parse::<DeviceId>().ok().and_then(|id| self.site.devices.get(&id))
        {
            return Ok(device);
        }
        let near = |d: &&&Device| peer.is_none_or(|p| p.network == d.network);
        match self.by_name.get(&plain(text)).map_or(&[][..], Vec::as_slice) {
            [] => Err(format!("no device is called “{}”", begin(text))),
            [one] => Ok(one),
            several => several.iter().find(near).copied().ok_or_else(|| {
                format!(
                    "{} devices are called “{}”; write the tag and the name",
                    several.len(),
                    begin(text)
                )
            }),
        }
    }
}

/// What two readings have alike that are one: devices, time, level, margin and LQI.
type OfOne = (DeviceId, DeviceId, Moment, [Option<u64>; 3]);

fn of_one(reading: &Reading) -> OfOne {
    let level = reading.rssi_dbm.map(|l| l.get().to_bits());
    let heard = [level, reading.margin_db.map(|m| m.get().to_bits()), reading.lqi.map(u64::from)];
    (reading.from.clone(), reading.to.clone(), reading.at.clone(), heard)
}

/// What two reports have alike that are one: all but their ids.
fn of_report(report: &NodeReport) -> String {
    let mut value = serde_json::to_value(report).unwrap_or_default();
    value["id"] = Value::Null;
    value.to_string()
}

/// A table being taken in.
pub(crate) struct Taking<'a> {
    pub(crate) devices: Devices<'a>,
    clock: HouseClock,
    site: &'a Site,
    record: &'a Record,
    known: BTreeSet<OfOne>,
    reports: BTreeSet<String>,
    came: Came<'a>,
    next: usize,
    out: ToldReadings,
    findings: Vec<ImportFinding>,
}

impl<'a> Taking<'a> {
    pub(crate) fn new(site: &'a Site, record: &'a Record, came: Came<'a>) -> Self {
        Self {
            devices: Devices::of(site),
            clock: site.job.clock(),
            site,
            record,
            known: record.readings.iter().map(of_one).collect(),
            reports: record.node_reports.iter().map(of_report).collect(),
            came,
            next: 1,
            out: ToldReadings { new: Vec::new(), again: 0 },
            findings: Vec::new(),
        }
    }

    pub(crate) fn done(mut self) -> Imported<ToldReadings> {
        if self.out.new.is_empty() && self.out.again == 0 && self.findings.is_empty() {
            self.found("the file", "holds no line that tells of a reading or a node");
        }
        Imported { value: self.out, findings: self.findings }
    }

    pub(crate) fn found(&mut self, place: impl Into<String>, reason: impl Into<String>) {
        self.findings.push(ImportFinding { place: place.into(), reason: reason.into() });
    }

    fn when(&self, text: Option<&String>) -> Result<Moment, String> {
        text.map_or_else(|| Ok(self.came.now.clone()), |t| time(t, &self.clock))
    }

    /// An id that is free: what the caller drew, and a number.
    fn id<T: std::str::FromStr<Err = impl std::fmt::Display>>(
        &mut self,
        is_there: impl Fn(&Record, &str) -> bool,
    ) -> Result<T, String> {
        loop {
            let id = format!("{}-{}", self.came.stem, self.next);
            self.next += 1;
            if !is_there(self.record, &id) {
                return id.parse().map_err(|e: T::Err| e.to_string());
            }
        }
    }

    fn reading(&mut self, row: &ReadingRow) -> Result<Option<Reading>, String> {
        let end = |text: &str, what: &str, peer: Option<&Device>| match text {
            "" => Err(format!("{what} is missing")),
            text => self.devices.named(text, peer),
        };
        let from = end(&row.from, "from", None)?;
        let to = end(&row.to, "to", Some(from))?;
        let dbm = |v: f64| Dbm::try_from(v).map_err(|_| format!("{v} dBm is no level"));
        let reading = Reading {
            id: self.id(|r, id| r.readings.named(id).is_some())?,
            from: from.id.clone(),
            to: to.id.clone(),
            rssi_dbm: row.rssi_dbm.map(dbm).transpose()?,
            margin_db: row.margin_db.map(Db::new),
            lqi: row.lqi,
            test_radios_dbm: row.test_radios_dbm.map(dbm).transpose()?,
            firmware: row.firmware.clone(),
            superseded: String::new(),
            at: self.when(row.time.as_ref())?,
            source: row.source.clone().unwrap_or_else(|| self.came.source.to_owned()),
        };
        reading.check().map_err(|e| e.to_string())?;
        Ok(self.known.insert(of_one(&reading)).then_some(reading))
    }

    fn node(&mut self, row: &NodeRow) -> Result<Option<NodeReport>, String> {
        let site = self.site;
        let named = |text: &str| self.devices.named(text, None).map(|d| d.id.clone());
        let of = row.device.as_deref().filter(|d| !d.is_empty()).map(named).transpose()?;
        let via =
            row.via.as_ref().map(|via| via.iter().map(|v| named(v)).collect::<Result<_, _>>());
        let by_device = || of.as_ref().and_then(|d| site.devices.get(d)).map(|d| d.network.clone());
        let network =
            site.networks.iter().find(|n| n.id.as_str() == row.network || n.name == row.network);
        let network: Option<NetworkId> = network.map(|n| n.id.clone()).or_else(by_device);
        let network = network.ok_or_else(|| match row.network.as_str() {
            "" => "says neither a network nor a device".to_owned(),
            other => format!("no network is called “{}”", begin(other)),
        })?;
        let report = NodeReport {
            network,
            node: row.node,
            via: via.transpose()?,
            device: of,
            last_working: row.last_working,
            answers: row.answers,
            firmware: row.firmware.clone(),
            settings: row.settings.clone(),
            at: self.when(row.time.as_ref())?,
            source: row.source.clone().unwrap_or_else(|| self.came.source.to_owned()),
            id: self.id(|r, id| r.node_reports.named(id).is_some())?,
        };
        report.check().map_err(|e| e.to_string())?;
        Ok(self.reports.insert(of_report(&report)).then_some(report))
    }

    pub(crate) fn take_reading(&mut self, place: impl Into<String>, row: &ReadingRow) {
        let read = self.reading(row).map(|r| r.map(What::Read));
        self.take(place, read);
    }

    pub(crate) fn take_node(&mut self, place: impl Into<String>, row: &NodeRow) {
        let read = self.node(row).map(|r| r.map(What::Reported));
        self.take(place, read);
    }

    fn take(&mut self, place: impl Into<String>, read: Result<Option<What>, String>) {
        match read {
            Ok(Some(what)) => self.out.new.push(what),
            Ok(None) => self.out.again += 1,
            Err(reason) => self.found(place, reason),
        }
    }
}

/// A time as `2026-03-14T10:05:00Z`; `2026-03-14 10:05`, `14.3.2026 10:05`, `14/03/2026` and bare dates
/// are meant by the clock of the house, the day before the month.
///
/// # Errors
/// A sentence for the person who typed it.
pub fn time(text: &str, clock: &HouseClock) -> Result<Moment, String> {
    let text = text.trim();
    let read = Moment::read_by(clock, text).ok().or_else(|| day_first(text, clock));
    read.ok_or_else(|| {
        format!("“{}” is no time; write 2026-03-14 10:05 or 14.3.2026 10:05", begin(text))
    })
}

/// A day before its month, parted by points, strokes or dashes, with a time of day or without.
fn day_first(text: &str, house: &HouseClock) -> Option<Moment> {
    let (date, clock) = text.split_once(' ').unwrap_or((text, "0:00"));
    let parts: Vec<&str> = date.split(['.', '/', '-']).collect();
    let &[day, month, year] = parts.as_slice() else { return None };
    if year.len() != 4 {
        return None;
    }
    let date =
        jiff::civil::Date::new(year.parse().ok()?, month.parse().ok()?, day.parse().ok()?).ok()?;
    let mut clock = clock.trim().split(':').map(|p| p.parse::<i8>().ok());
    let (hour, minute) = (clock.next()??, clock.next()??);
    let second = clock.next().unwrap_or(Some(0))?;
    let civil = date.to_datetime(jiff::civil::Time::new(hour, minute, second, 0).ok()?);
    Moment::read_by(house, &civil.to_string()).ok()
}
