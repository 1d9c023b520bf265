//! Path gains of a survey as CSV: `from,to,mhz,path_gain_db`, and what is to be predicted: `from,to,mhz`.
//! An end is a device's id or a quoted `x,y,z` in metres, z above the lowest floor; the same end is the
//! same radio.

use std::collections::BTreeMap;

use dot_reach_core::geometry::Place;
use dot_reach_core::prove::gains::{AskedLink, GainSurvey};
use dot_reach_core::site::Site;
use dot_reach_core::units::Megahertz;

use crate::table;

/// The largest file in bytes.
pub const MOST_BYTES: usize = 16 * 1024 * 1024;

/// A survey with the line of each reading, and what could not be read.
#[derive(Debug, Default)]
pub struct Read {
    /// The survey.
    pub survey: GainSurvey,
    /// The line of each reading.
    pub lines: Vec<u64>,
    /// Both ends of each link that is asked for, as they are written there.
    pub asked_as: Vec<[String; 2]>,
    /// Lines of the readings that could not be read, each with the reason.
    pub findings: Vec<(u64, String)>,
}

/// Reads both files. A line of readings that cannot be read is a finding; one of those asked for is an
/// error, since predictions stand in the order asked.
///
/// # Errors
/// A sentence that names the line.
pub fn read(site: &Site, readings: &str, asked: &str) -> Result<Read, String> {
    let mut out = Read::default();
    let mut ends = BTreeMap::new();
    for (line, cells) in rows(readings)? {
        let read =
            cells.get(3).filter(|c| !c.is_empty()).ok_or("path_gain_db is missing".to_owned());
        let read = read.and_then(|c| number(c, "path gain"));
        let read = read.and_then(|gain| {
            if gain.abs() > 300.0 {
                return Err(format!("a path gain of {gain} dB is none; −300 to 300 are read"));
            }
            Ok((link(site, &cells, &mut ends, &mut out.survey)?, gain))
        });
        match read {
            Ok(read) => {
                out.survey.read.push(read);
                out.lines.push(line);
            }
            Err(reason) => out.findings.push((line, reason)),
        }
    }
    for (line, cells) in rows(asked)? {
        let link = link(site, &cells, &mut ends, &mut out.survey);
        out.survey.asked.push(link.map_err(|reason| format!("line {line}: {reason}"))?);
        out.asked_as.push([0, 1].map(|i| cells.get(i).cloned().unwrap_or_default()));
    }
    Ok(out)
}

/// The lines of a table that are not its heading and not empty, with their numbers.
fn rows(text: &str) -> Result<Vec<(u64, Vec<String>)>, String> {
    let mut all = Vec::new();
    for row in table::rows(text).records() {
        let row = row.map_err(|e| e.to_string())?;
        let line = row.position().map_or(0, csv::Position::line);
        let cells: Vec<String> = row.iter().map(str::to_owned).collect();
        let is_heading = all.is_empty() && cells.first().is_some_and(|c| c == "from");
        if !is_heading && cells.iter().any(|c| !c.is_empty()) {
            all.push((line, cells));
        }
    }
    Ok(all)
}

fn number(text: &str, what: &str) -> Result<f64, String> {
    let value = text.replace('−', "-").parse::<f64>().ok().filter(|v| v.is_finite());
    value.ok_or_else(|| format!("“{text}” is no {what}"))
}

fn link(
    site: &Site,
    cells: &[String],
    ends: &mut BTreeMap<String, usize>,
    survey: &mut GainSurvey,
) -> Result<AskedLink, String> {
    let cell = |i: usize| cells.get(i).map_or("", String::as_str);
    let mhz = number(cell(2), "frequency in MHz")?;
    if !(400.0..=6000.0).contains(&mhz) {
        return Err(format!("{mhz} MHz lies outside 400 to 6000"));
    }
    let mut end = |text: &str| -> Result<usize, String> {
        let (key, place) = place(site, text)?;
        Ok(*ends.entry(key.clone()).or_insert_with(|| {
            survey.ends.push((text.to_owned(), place));
            survey.ends.len() - 1
        }))
    };
    let (from, to) = (end(cell(0))?, end(cell(1))?);
    if from == to {
        return Err("both ends are one".to_owned());
    }
    Ok(AskedLink { from, to, mhz: Megahertz::new(mhz) })
}

/// A device of the job by its id, or a place as x,y,z with z above the lowest floor: how it is called, and
/// where it is.
///
/// # Errors
/// A sentence, where it is neither.
pub fn place(site: &Site, text: &str) -> Result<(String, Place), String> {
    if let Some(device) = site.devices.named(text) {
        let point = site.point_of(device).ok_or_else(|| format!("{text} has no point"))?;
        let floor = site
            .floors
            .get(&point.floor)
            .ok_or_else(|| format!("the storey of {text} is missing"))?;
        let z = (floor.elevation_m + point.height_m).get();
        return Ok((text.to_owned(), Place::new(point.at[0], point.at[1], z)));
    }
    let numbers: Vec<f64> = text.split(',').filter_map(|n| n.trim().parse().ok()).collect();
    let [x, y, z] = numbers[..] else {
        return Err(format!("“{text}” is neither a device of the job nor x,y,z in metres"));
    };
    if ![x, y, z].iter().all(|v| v.is_finite() && v.abs() <= 10_000.0) {
        return Err(format!("“{text}” lies outside the sheet"));
    }
    let lowest = site.floors_upward().first().map_or(0.0, |f| f.elevation_m.get());
    Ok((format!("{x},{y},{z}"), Place::new(x, y, z + lowest)))
}
