//! Readings as CSV: `from,to,rssi_dbm,time`, a heading or none, names or ids of devices.

use dot_reach_core::site::{Device, DeviceId, Edit, Reading, Site, apply};
use dot_reach_core::units::Dbm;

use crate::{ImportFinding, Imported, table};

/// The largest file in bytes.
pub const MOST_BYTES: usize = 4 * 1024 * 1024;
/// The most lines that are read.
pub const MOST_LINES: usize = 20_000;

/// Reads readings; each good line becomes an edit, each bad one a finding with its line number.
/// `source` says who or what took them.
pub fn read(site: &Site, text: &str, source: &str) -> Imported<Vec<Edit>> {
    let mut rows = table::rows(text);
    let (mut edits, mut findings) = (Vec::new(), Vec::new());
    let mut trial = site.clone();
    let mut next = 1;
    for row in rows.records().take(MOST_LINES) {
        let Ok(row) = row else {
            findings.push(ImportFinding {
                place: "the file".to_owned(),
                reason: "is not text in UTF-8; save the table as CSV, UTF-8".to_owned(),
            });
            break;
        };
        let line = row.position().map_or(0, csv::Position::line);
        if row.iter().all(str::is_empty) || line == 1 && is_heading(&row) {
            continue;
        }
        let edit = reading(&trial, &row, source, &mut next).map(Edit::put).and_then(|edit| {
            match apply(&mut trial, &edit) {
                Ok(_) => Ok(edit),
                Err(refusal) => Err(refusal.to_string()),
            }
        });
        match edit {
            Ok(edit) => edits.push(edit),
            Err(reason) => findings.push(ImportFinding { place: format!("line {line}"), reason }),
        }
    }
    Imported { value: edits, findings }
}

fn is_heading(row: &csv::StringRecord) -> bool {
    row.get(2).is_some_and(|cell| cell.parse::<f64>().is_err())
        && row.get(0).is_some_and(|cell| cell.to_ascii_lowercase().contains("from"))
}

fn reading(
    site: &Site,
    row: &csv::StringRecord,
    source: &str,
    next: &mut usize,
) -> Result<Reading, String> {
    let cell = |i: usize, what: &str| {
        row.get(i)
            .filter(|c| !c.is_empty())
            .ok_or_else(|| format!("{what} is missing; a line reads from,to,rssi_dbm,time"))
    };
    let from = device(site, cell(0, "from")?, None)?;
    let to = device(site, cell(1, "to")?, Some(from))?;
    let level = cell(2, "the level")?.replace('−', "-");
    let level = level.trim_end_matches("dBm").trim();
    let rssi = level.parse::<f64>().map_err(|_| format!("“{level}” is no level in dBm"))?;
    let rssi_dbm = Dbm::try_from(rssi).map_err(|_| format!("“{level}” is no level in dBm"))?;
    let at = time(cell(3, "the time")?)?;
    Ok(Reading {
        id: free_id(site, next)?,
        from: from.id.clone(),
        to: to.id.clone(),
        rssi_dbm,
        at,
        source: source.to_owned(),
    })
}

fn free_id(site: &Site, next: &mut usize) -> Result<dot_reach_core::site::ReadingId, String> {
    loop {
        let id = format!("r{:03}", *next);
        *next += 1;
        if site.readings.named(&id).is_none() {
            return id.parse().map_err(|e| format!("{e}"));
        }
    }
}

/// The device with this id, or the one with this name; of several with the name, the one in the
/// network of `peer`.
fn device<'a>(site: &'a Site, text: &str, peer: Option<&Device>) -> Result<&'a Device, String> {
    if let Some(device) = text.parse::<DeviceId>().ok().and_then(|id| site.devices.get(&id)) {
        return Ok(device);
    }
    let named: Vec<_> =
        site.devices.iter().filter(|d| d.name.to_lowercase() == text.to_lowercase()).collect();
    let near = |d: &&&Device| peer.is_none_or(|p| p.network == d.network);
    match named.as_slice() {
        [] => Err(format!("no device is called “{text}”")),
        [one] => Ok(one),
        several => {
            several.iter().find(near).copied().ok_or_else(|| {
                format!("{} devices are called “{text}”; give the id", several.len())
            })
        }
    }
}

/// A time as `2026-03-14T10:05:00Z`; `2026-03-14 10:05` and a bare date are taken as UTC.
///
/// # Errors
/// A sentence for the person who typed it.
pub fn time(text: &str) -> Result<String, String> {
    use jiff::civil::{Date, DateTime};
    use jiff::tz::TimeZone;
    let spaced = text.replacen(' ', "T", 1);
    if let Ok(instant) = spaced.parse::<jiff::Timestamp>() {
        return Ok(instant.to_string());
    }
    let civil = spaced
        .parse::<DateTime>()
        .or_else(|_| spaced.parse::<Date>().map(|d| d.at(0, 0, 0, 0)))
        .map_err(|_| format!("“{text}” is no time; write 2026-03-14 10:05"))?;
    TimeZone::UTC.to_timestamp(civil).map(|t| t.to_string()).map_err(|e| e.to_string())
}

/// Writes every reading of a site.
///
/// # Errors
/// Never: a string takes every row.
pub fn write(site: &Site) -> Result<String, csv::Error> {
    let mut out = csv::Writer::from_writer(Vec::new());
    out.write_record(["from", "to", "rssi_dbm", "time", "source"])?;
    for r in &site.readings {
        let level = r.rssi_dbm.get().to_string();
        out.write_record([r.from.as_str(), r.to.as_str(), &level, &r.at, &r.source])?;
    }
    let bytes = out.into_inner().map_err(csv::IntoInnerError::into_error)?;
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}
