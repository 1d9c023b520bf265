//! Readings as people paste them: from, to, level, time; parted by commas, semicolons or tabs, with a
//! heading or none, names or ids of devices, a decimal comma or point, the day first or by ISO 8601.
//!
//! A heading may name more columns, in any order: `from`, `to`, `rssi_dbm`, `margin_db`, `lqi`, `time`,
//! `source`, `firmware`, `test_radios_dbm`.

use dot_reach_core::record::{Reading, Record};
use dot_reach_core::site::{Device, Site};
use dot_reach_core::units::{Db, Dbm};

use crate::told::{Came, Devices, ReadingRow, Taking, ToldReadings};
use crate::{Imported, table};

/// The largest file in bytes.
pub const MOST_BYTES: usize = 4 * 1024 * 1024;
/// The most lines that are read.
pub const MOST_LINES: usize = 20_000;
/// The most cells of a line that are looked at: a name that holds commas is over by then.
const MOST_CELLS: usize = 64;

/// Reads readings; each good line becomes a reading, each bad one a finding with its line number.
pub fn read(site: &Site, record: &Record, text: &str, came: Came<'_>) -> Imported<ToldReadings> {
    let mut rows = table::rows(text);
    let mut into = Taking::new(site, record, came);
    let (mut is_first, mut heading) = (true, None);
    for row in rows.records().take(MOST_LINES) {
        let Ok(row) = row else {
            into.found("the file", "is not text in UTF-8; save the table as CSV, UTF-8");
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
            Some(heading) if row.len() <= heading.columns => heading.row(&row),
            _ => in_order(&into.devices, &row),
        };
        match read {
            Ok(row) => into.take_reading(format!("line {line}"), &row),
            Err(reason) => into.found(format!("line {line}"), reason),
        }
    }
    let beyond = rows.records().count();
    if beyond > 0 {
        let most = format!("at most {MOST_LINES} are taken at a time");
        into.found("the file", format!("{beyond} more lines were not read: {most}"));
    }
    into.done()
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

    fn row(&self, row: &csv::StringRecord) -> Result<ReadingRow, String> {
        let cell = |at: usize| row.get(at).unwrap_or_default();
        let [level, margin, lqi, when, by, firmware, radios] =
            self.others.map(|at| at.map(cell).filter(|c| !c.is_empty()));
        let number = |text: Option<&str>, what: &str| {
            let read = |text: &str| {
                let plain = text.replace('−', "-").replace(',', ".");
                let plain = plain.trim_end_matches("dBm").trim_end_matches("dB").trim();
                let value = plain.parse::<f64>().ok().filter(|v| v.is_finite());
                value.ok_or_else(|| format!("“{text}” is no {what}"))
            };
            text.map(read).transpose()
        };
        let lqi = lqi.map(|t| t.parse::<u8>().map_err(|_| format!("“{t}” is no LQI, 0 to 255")));
        Ok(ReadingRow {
            from: cell(self.from).to_owned(),
            to: cell(self.to).to_owned(),
            rssi_dbm: number(level, "level in dBm")?,
            margin_db: number(margin, "margin in dB")?,
            lqi: lqi.transpose()?,
            test_radios_dbm: number(radios, "power in dBm")?,
            firmware: firmware.unwrap_or_default().to_owned(),
            time: when.map(str::to_owned),
            source: by.map(str::to_owned),
        })
    }
}

/// A line without a heading: from, to, level, time.
fn in_order(devices: &Devices<'_>, row: &csv::StringRecord) -> Result<ReadingRow, String> {
    let cells: Vec<&str> = row.iter().take(MOST_CELLS).collect();
    let (from, rest) = leading_device(devices, &cells, "from", None)?;
    let (to, rest) = leading_device(devices, rest, "to", Some(from))?;
    let (level, rest) = leading_level(rest)?;
    Ok(ReadingRow {
        from: from.id.to_string(),
        to: to.id.to_string(),
        rssi_dbm: Some(level.get()),
        time: rest.first().filter(|c| !c.is_empty()).map(|c| (*c).to_owned()),
        ..ReadingRow::default()
    })
}

/// The device that a line begins with, and the rest of the line. A name may hold commas: of the cells
/// that together are one the most are taken.
fn leading_device<'a, 'b>(
    devices: &Devices<'a>,
    cells: &'b [&'b str],
    what: &str,
    peer: Option<&Device>,
) -> Result<(&'a Device, &'b [&'b str]), String> {
    let first = cells.first().filter(|c| !c.is_empty());
    let first =
        first.ok_or_else(|| format!("{what} is missing; a line reads from,to,rssi_dbm,time"))?;
    let joined = (2..=cells.len().min(MOST_COMMAS)).rev().find_map(|count| {
        Some((devices.named(&cells[..count].join(", "), peer).ok()?, &cells[count..]))
    });
    match joined {
        Some(found) => Ok(found),
        None => Ok((devices.named(first, peer)?, &cells[1..])),
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

/// Writes every reading of a record.
///
/// # Errors
/// Never: a string takes every row.
pub fn write(record: &Record) -> Result<String, csv::Error> {
    let heading = [
        "from",
        "to",
        "rssi_dbm",
        "margin_db",
        "lqi",
        "time",
        "source",
        "firmware",
        "test_radios_dbm",
    ];
    let row = |r: &Reading| {
        let number = |value: Option<f64>| value.map(|v| v.to_string()).unwrap_or_default();
        [
            r.from.to_string(),
            r.to.to_string(),
            number(r.rssi_dbm.map(Dbm::get)),
            number(r.margin_db.map(Db::get)),
            number(r.lqi.map(f64::from)),
            r.at.to_string(),
            r.source.clone(),
            r.firmware.clone(),
            number(r.test_radios_dbm.map(Dbm::get)),
        ]
    };
    let rows = record.readings.iter().map(row);
    table::write(std::iter::once(heading.map(str::to_owned)).chain(rows))
}
