//! A scan as CSV: `time,channel or name,dBm`, a heading or none.
//!
//! A channel is a number from 1 to 13 (Wi-Fi) or 14 to 26 (802.15.4); `z11` to `z26` names an 802.15.4
//! channel outright, `wifi 6/40` a Wi-Fi channel with its width. A name is that of a source on the
//! plan: its level is then what the scan heard.

use dot_reach_core::radio::coexistence::{Emission, SCANNED_BUSY};
use dot_reach_core::site::{Edit, Scan, Site, apply};
use dot_reach_core::units::{Dbm, Megahertz};

use crate::budget::begin;
use crate::told::time;
use crate::{ImportFinding, Imported, table};

const MOST_LINES: usize = 5000;

/// Reads a scan; each good line becomes an edit, each bad one a finding with its line number.
pub fn read(site: &Site, text: &str) -> Imported<Vec<Edit>> {
    let mut rows = table::rows(text);
    let (mut edits, mut findings) = (Vec::new(), Vec::new());
    let mut trial = site.clone();
    let mut next = 1;
    for row in rows.records().take(MOST_LINES) {
        let Ok(row) = row else {
            let reason = "is not text in UTF-8; save the table as CSV, UTF-8".to_owned();
            findings.push(ImportFinding { place: "the file".to_owned(), reason });
            break;
        };
        let line = row.position().map_or(0, csv::Position::line);
        let is_heading = line == 1 && row.get(2).is_some_and(|c| level(c).is_err());
        if is_heading || row.iter().all(str::is_empty) {
            continue;
        }
        let edit = scan(&trial, &row, &mut next)
            .map(Edit::put)
            .and_then(|edit| apply(&mut trial, &edit).map(|_| edit).map_err(|e| e.to_string()));
        match edit {
            Ok(edit) => edits.push(edit),
            Err(reason) => findings.push(ImportFinding { place: format!("line {line}"), reason }),
        }
    }
    let beyond = rows.records().count();
    if beyond > 0 {
        let reason =
            format!("{beyond} more lines were not read: at most {MOST_LINES} are taken at a time");
        findings.push(ImportFinding { place: "the file".to_owned(), reason });
    }
    if edits.is_empty() && findings.is_empty() {
        let reason = "holds no line of time, channel and dBm".to_owned();
        findings.push(ImportFinding { place: "the file".to_owned(), reason });
    }
    Imported { value: edits, findings }
}

fn level(cell: &str) -> Result<Dbm, String> {
    let text = cell.replace('−', "-");
    let text = text.trim_end_matches("dBm").trim();
    let value = text.parse::<f64>().map_err(|_| format!("“{}” is no level in dBm", begin(cell)))?;
    Dbm::try_from(value).map_err(|_| format!("“{}” is no level in dBm", begin(cell)))
}

fn scan(site: &Site, row: &csv::StringRecord, next: &mut usize) -> Result<Scan, String> {
    let cell = |i: usize, what: &str| {
        let filled = row.get(i).filter(|c| !c.is_empty());
        filled.ok_or_else(|| format!("{what} is missing; a line reads time,channel,dBm"))
    };
    let at = time(cell(0, "the time")?, &site.job.clock())?;
    let carrier = carrier(site, cell(1, "the channel")?)?;
    let level_dbm = level(cell(2, "the level")?)?;
    let id = loop {
        let id = format!("scan-{:03}", *next);
        *next += 1;
        if site.scans.named(&id).is_none() {
            break id.parse().map_err(|e| format!("{e}"))?;
        }
    };
    Ok(Scan { id, carrier, level_dbm, busy: SCANNED_BUSY, at })
}

fn carrier(site: &Site, text: &str) -> Result<Emission, String> {
    if let Some(known) = site.emitters.iter().find(|e| e.name.eq_ignore_ascii_case(text)) {
        return Ok(known.carrier);
    }
    let word = text.to_ascii_lowercase();
    let number = |s: &str| s.trim().parse::<u8>().ok();
    let wifi = |s: &str| {
        let (channel, width) = s.split_once('/').unwrap_or((s, "20"));
        Some(Emission::Wifi { channel: number(channel)?, width_mhz: number(width)? })
    };
    let found = if let Some(mhz) = word.strip_suffix("mhz") {
        let mhz = mhz.trim().parse::<f64>().ok().filter(|mhz| (0.0..1000.0).contains(mhz));
        mhz.map(|mhz| Emission::narrow(Megahertz::new(mhz)))
    } else if let Some(channel) = word.strip_prefix('z') {
        number(channel).map(|channel| Emission::Mesh { channel })
    } else if let Some(rest) = word.strip_prefix("wifi").or_else(|| word.strip_prefix("wi-fi")) {
        wifi(rest)
    } else {
        match number(&word) {
            Some(channel @ 14..) => Some(Emission::Mesh { channel }),
            Some(channel) => Some(Emission::Wifi { channel, width_mhz: 20 }),
            None => wifi(&word),
        }
    };
    found.ok_or_else(|| {
        format!(
            "“{}” is neither a channel nor a source on the plan; write 6, wifi 6/40, z15 or 868.3 MHz",
            begin(text)
        )
    })
}
