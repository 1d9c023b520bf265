//! Readings as people paste them: from, to, level, time; parted by commas, semicolons or tabs, with a
//! heading or none, names or ids of devices, a decimal comma or point, the day first or by ISO 8601.
//!
//! A heading may name more columns, in any order: `from`, `to`, `rssi_dbm`, `margin_db`, `lqi`, `time`,
//! `source`, `firmware`, `test_radios_dbm`.

use std::collections::BTreeSet;

use dot_reach_core::site::{Device, DeviceId, Edit, Reading, Site, apply};
use dot_reach_core::units::{Db, Dbm};

use crate::{ImportFinding, Imported, table};

/// The largest file in bytes.
pub const MOST_BYTES: usize = 4 * 1024 * 1024;
/// The most lines that are read.
pub const MOST_LINES: usize = 20_000;

/// What was read.
#[derive(Clone, Debug, PartialEq)]
pub struct Readings {
    /// One edit for each reading that is new.
    pub edits: Vec<Edit>,
    /// How many are there already: the same two devices, level and time.
    pub again: usize,
}

/// Reads readings; each good line becomes an edit, each bad one a finding with its line number.
/// `source` says who or what took them, `now` when those were taken that do not say.
pub fn read(site: &Site, text: &str, source: &str, now: &str) -> Imported<Readings> {
    let mut rows = table::rows(text);
    let (mut edits, mut findings) = (Vec::new(), Vec::new());
    let mut trial = site.clone();
    let mut known: BTreeSet<_> = site.readings.iter().map(of_one).collect();
    let (mut next, mut again) = (1, 0);
    let (mut is_first, mut heading) = (true, None);
    for row in rows.records().take(MOST_LINES) {
        let Ok(row) = row else {
            findings.push(ImportFinding {
                place: "the file".to_owned(),
                reason: "is not text in UTF-8; save the table as CSV, UTF-8".to_owned(),
            });
            break;
        };
        let line = row.position().map_or(0, csv::Position::line);
        if row.iter().all(str::is_empty) {
            continue;
        }
        if is_first && is_heading(&row) {
            is_first = false;
            heading = Heading::of(&row);
            continue;
        }
        is_first = false;
        let read = match &heading {
            // With more cells than columns a name holds commas.
            Some(heading) if row.len() <= heading.columns => {
                heading.reading(&trial, &row, source, now, &mut next)
            }
            _ => reading(&trial, &row, source, now, &mut next),
        };
        let edit = read.and_then(|reading| {
            if !known.insert(of_one(&reading)) {
                return Ok(None);
            }
            let edit = Edit::put(reading);
            match apply(&mut trial, &edit) {
                Ok(_) => Ok(Some(edit)),
                Err(refusal) => Err(refusal.to_string()),
            }
        });
        match edit {
            Ok(Some(edit)) => edits.push(edit),
            Ok(None) => again += 1,
            Err(reason) => findings.push(ImportFinding { place: format!("line {line}"), reason }),
        }
    }
    let beyond = rows.records().count();
    if beyond > 0 {
        let reason =
            format!("{beyond} more lines were not read: at most {MOST_LINES} are taken at a time");
        findings.push(ImportFinding { place: "the file".to_owned(), reason });
    }
    Imported { value: Readings { edits, again }, findings }
}

/// What two readings have alike that are one: devices, time, level, margin and LQI.
pub(crate) type OfOne = (DeviceId, DeviceId, String, [Option<u64>; 3]);

/// What makes a reading the one it is.
pub(crate) fn of_one(reading: &Reading) -> OfOne {
    let level = reading.rssi_dbm.map(|l| l.get().to_bits());
    let heard = [level, reading.margin_db.map(|m| m.get().to_bits()), reading.lqi.map(u64::from)];
    (reading.from.clone(), reading.to.clone(), reading.at.clone(), heard)
}

fn is_heading(row: &csv::StringRecord) -> bool {
    let named = |word: &str| row.iter().any(|cell| cell.eq_ignore_ascii_case(word));
    row.get(2).is_some_and(|cell| cell.parse::<f64>().is_err())
        && (row.get(0).is_some_and(|cell| cell.to_ascii_lowercase().contains("from"))
            || named("from") && named("to"))
}

/// Which column is which, where a heading says.
struct Heading {
    from: usize,
    to: usize,
    others: [Option<usize>; 7],
    columns: usize,
}

impl Heading {
    /// Nothing where it does not name what is needed: then columns go by their order.
    fn of(row: &csv::StringRecord) -> Option<Self> {
        let at = |word: &str| row.iter().position(|cell| cell.eq_ignore_ascii_case(word));
        let (level, margin, lqi) = (at("rssi_dbm"), at("margin_db"), at("lqi"));
        level.or(margin).or(lqi)?;
        let others =
            [level, margin, lqi, at("time"), at("source"), at("firmware"), at("test_radios_dbm")];
        Some(Self { from: at("from")?, to: at("to")?, others, columns: row.len() })
    }

    fn reading(
        &self,
        site: &Site,
        row: &csv::StringRecord,
        source: &str,
        now: &str,
        next: &mut usize,
    ) -> Result<Reading, String> {
        let cell = |at: usize| row.get(at).unwrap_or_default();
        let [level, margin, lqi, when, by, firmware, radios] =
            self.others.map(|at| at.map(cell).filter(|c| !c.is_empty()));
        let end = |at: usize, what: &str, peer: Option<&Device>| match cell(at) {
            "" => Err(format!("{what} is missing")),
            text => device(site, text, peer).cloned(),
        };
        let from = end(self.from, "from", None)?;
        let to = end(self.to, "to", Some(&from))?;
        let number = |text: &str, what: &str| {
            let plain = text.replace('−', "-").replace(',', ".");
            let plain = plain.trim_end_matches("dBm").trim_end_matches("dB").trim();
            let value = plain.parse::<f64>().ok().filter(|v| v.is_finite());
            value.ok_or_else(|| format!("“{text}” is no {what}"))
        };
        let db = |text: Option<&str>, what| text.map(|t| number(t, what)).transpose();
        let lqi = lqi.map(|t| t.parse::<u8>().map_err(|_| format!("“{t}” is no LQI, 0 to 255")));
        let dbm = |value: Option<f64>| {
            value.map(|v| Dbm::try_from(v).map_err(|_| format!("{v} dBm is no level"))).transpose()
        };
        Ok(Reading {
            id: free_id(site, next)?,
            from: from.id,
            to: to.id,
            rssi_dbm: dbm(db(level, "level in dBm")?)?,
            margin_db: db(margin, "margin in dB")?.map(Db::new),
            lqi: lqi.transpose()?,
            test_radios_dbm: dbm(db(radios, "power in dBm")?)?,
            firmware: firmware.unwrap_or_default().to_owned(),
            superseded: String::new(),
            at: when.map_or(Ok(now.to_owned()), time)?,
            source: by.unwrap_or(source).to_owned(),
        })
    }
}

fn reading(
    site: &Site,
    row: &csv::StringRecord,
    source: &str,
    now: &str,
    next: &mut usize,
) -> Result<Reading, String> {
    let cells: Vec<&str> = row.iter().collect();
    let (from, rest) = leading_device(site, &cells, "from", None)?;
    let (to, rest) = leading_device(site, rest, "to", Some(from))?;
    let (level, rest) = leading_level(rest)?;
    let at = match rest.first().filter(|c| !c.is_empty()) {
        Some(text) => time(text)?,
        None => now.to_owned(),
    };
    Ok(Reading {
        id: free_id(site, next)?,
        from: from.id.clone(),
        to: to.id.clone(),
        rssi_dbm: Some(level),
        margin_db: None,
        lqi: None,
        test_radios_dbm: None,
        firmware: String::new(),
        superseded: String::new(),
        at,
        source: source.to_owned(),
    })
}

/// The device that a line begins with, and the rest of the line. A name may hold commas: of the cells
/// that together are one the most are taken.
fn leading_device<'a, 'b>(
    site: &'a Site,
    cells: &'b [&'b str],
    what: &str,
    peer: Option<&Device>,
) -> Result<(&'a Device, &'b [&'b str]), String> {
    let first = cells.first().filter(|c| !c.is_empty());
    let first =
        first.ok_or_else(|| format!("{what} is missing; a line reads from,to,rssi_dbm,time"))?;
    let joined = (2..=cells.len().min(MOST_COMMAS)).rev().find_map(|count| {
        Some((device(site, &cells[..count].join(", "), peer).ok()?, &cells[count..]))
    });
    match joined {
        Some(found) => Ok(found),
        None => Ok((device(site, first, peer)?, &cells[1..])),
    }
}

/// The most cells that one name may run over.
const MOST_COMMAS: usize = 6;

/// The level that a line goes on with, and the rest of it. Where cells are parted by commas, a decimal
/// comma makes two of one.
fn leading_level<'b>(cells: &'b [&'b str]) -> Result<(Dbm, &'b [&'b str]), String> {
    let first = cells.first().filter(|c| !c.is_empty());
    let first =
        first.ok_or("the level is missing; a line reads from,to,rssi_dbm,time".to_owned())?;
    let level = |text: &str| {
        let text = text.replace('−', "-").replace(',', ".");
        let number = text.trim_end_matches("dBm").trim().parse::<f64>().ok()?;
        Dbm::try_from(number).ok()
    };
    let is_part =
        |cell: &&&str| (1..=2).contains(&cell.len()) && cell.bytes().all(|b| b.is_ascii_digit());
    let whole =
        |text: &str| text.trim_start_matches(['-', '−']).bytes().all(|b| b.is_ascii_digit());
    if let Some(part) = cells.get(1).filter(is_part).filter(|_| whole(first))
        && let Some(found) = level(&format!("{first}.{part}"))
    {
        return Ok((found, &cells[2..]));
    }
    let found = level(first).ok_or_else(|| format!("“{first}” is no level in dBm"))?;
    Ok((found, &cells[1..]))
}

pub(crate) fn free_id(
    site: &Site,
    next: &mut usize,
) -> Result<dot_reach_core::site::ReadingId, String> {
    loop {
        let id = format!("r{:03}", *next);
        *next += 1;
        if site.readings.named(&id).is_none() {
            return id.parse().map_err(|e| format!("{e}"));
        }
    }
}

/// A name without what people leave out or put in: letters of one case, no blanks beside commas.
fn plain(name: &str) -> String {
    name.to_lowercase().split(',').map(str::trim).collect::<Vec<_>>().join(",")
}

/// The device with this id, or the one with this name; of several with the name, the one in the
/// network of `peer`.
pub(crate) fn device<'a>(
    site: &'a Site,
    text: &str,
    peer: Option<&Device>,
) -> Result<&'a Device, String> {
    if let Some(device) = text.parse::<DeviceId>().ok().and_then(|id| site.devices.get(&id)) {
        return Ok(device);
    }
    let named: Vec<_> = site.devices.iter().filter(|d| plain(&d.name) == plain(text)).collect();
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

/// A time as `2026-03-14T10:05:00Z`; `2026-03-14 10:05`, `14.3.2026 10:05`, `14/03/2026` and bare dates
/// are taken as UTC, the day before the month.
///
/// # Errors
/// A sentence for the person who typed it.
pub fn time(text: &str) -> Result<String, String> {
    use jiff::civil::{Date, DateTime};
    use jiff::tz::TimeZone;
    let text = text.trim();
    let spaced = text.replacen(' ', "T", 1);
    if let Ok(instant) = spaced.parse::<jiff::Timestamp>() {
        return Ok(instant.to_string());
    }
    let iso = || spaced.parse::<DateTime>().ok();
    let bare = || spaced.parse::<Date>().ok().map(|d| d.at(0, 0, 0, 0));
    let civil = iso().or_else(bare).or_else(|| day_first(text));
    let civil = civil
        .ok_or_else(|| format!("“{text}” is no time; write 2026-03-14 10:05 or 14.3.2026 10:05"))?;
    TimeZone::UTC.to_timestamp(civil).map(|t| t.to_string()).map_err(|e| e.to_string())
}

/// A day before its month, parted by points, strokes or dashes, with a time of day or without.
fn day_first(text: &str) -> Option<jiff::civil::DateTime> {
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
    Some(date.to_datetime(jiff::civil::Time::new(hour, minute, second, 0).ok()?))
}

/// Writes every reading of a site.
///
/// # Errors
/// Never: a string takes every row.
pub fn write(site: &Site) -> Result<String, csv::Error> {
    let mut out = csv::Writer::from_writer(Vec::new());
    out.write_record([
        "from",
        "to",
        "rssi_dbm",
        "margin_db",
        "lqi",
        "time",
        "source",
        "firmware",
        "test_radios_dbm",
    ])?;
    for r in &site.readings {
        let number = |value: Option<f64>| value.map(|v| v.to_string()).unwrap_or_default();
        out.write_record([
            r.from.as_str(),
            r.to.as_str(),
            &number(r.rssi_dbm.map(Dbm::get)),
            &number(r.margin_db.map(Db::get)),
            &number(r.lqi.map(f64::from)),
            &r.at,
            &r.source,
            &r.firmware,
            &number(r.test_radios_dbm.map(Dbm::get)),
        ])?;
    }
    let bytes = out.into_inner().map_err(csv::IntoInnerError::into_error)?;
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}
