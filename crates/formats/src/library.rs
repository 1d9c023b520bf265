//! A library of devices as JSON and as a table: rows that were read stand in the job, or the firm's own
//! library, beside the shipped ones.

use dot_reach_core::catalogue::DeviceKind;
use dot_reach_core::site::{Edit, Site, apply};
use serde_json::{Map, Value, json};

use crate::{ImportFinding, Imported, table};

/// The largest file in bytes.
pub const MOST_BYTES: usize = 8 * 1024 * 1024;
/// The most rows.
const MOST_ROWS: usize = 2000;

/// The library of a job as JSON: the shipped rows and its own.
pub fn json(site: &Site) -> Value {
    let rows: Vec<DeviceKind> = site.all_kinds().map(DeviceKind::spelled_out).collect();
    json!({ "format": "dot-reach-library", "version": 1, "devices": rows })
}

/// The library as a table: a column a field, parts of a field parted by dots, lists by blanks.
///
/// # Errors
/// Never for rows that the core accepted.
pub fn csv(site: &Site) -> Result<String, csv::Error> {
    let rows: Vec<Map<String, Value>> =
        site.all_kinds().map(|kind| flat(&kind.spelled_out())).collect();
    let mut headings: Vec<String> = Vec::new();
    for row in &rows {
        for key in row.keys() {
            if !headings.contains(key) {
                headings.push(key.clone());
            }
        }
    }
    // What names a row stands first.
    headings.sort_by_key(|h| (h != "id", h != "name", h.clone()));
    let cells = |row: &Map<String, Value>| -> Vec<String> {
        headings.iter().map(|h| row.get(h).map(|v| cell(h, v)).unwrap_or_default()).collect()
    };
    let first = headings.clone();
    table::write(std::iter::once(first).chain(rows.iter().map(cells)))
}

fn flat(kind: &DeviceKind) -> Map<String, Value> {
    let mut into = Map::new();
    spread("", &serde_json::to_value(kind).unwrap_or_default(), &mut into);
    into
}

fn spread(before: &str, value: &Value, into: &mut Map<String, Value>) {
    match value {
        Value::Object(fields) => {
            for (name, value) in fields {
                let name =
                    if before.is_empty() { name.clone() } else { format!("{before}.{name}") };
                spread(&name, value, into);
            }
        }
        Value::Null => {}
        other => {
            into.insert(before.to_owned(), other.clone());
        }
    }
}

/// Lists of phrases: a blank does not part them.
const PHRASES: [&str; 3] = ["wiring.terminals", "wiring.diagrams", "wiring.hidden"];

fn cell(heading: &str, value: &Value) -> String {
    match value {
        Value::String(text) => text.clone(),
        Value::Array(items) => {
            let parted = if PHRASES.contains(&heading) { "; " } else { " " };
            items.iter().map(|item| cell(heading, item)).collect::<Vec<_>>().join(parted)
        }
        other => other.to_string(),
    }
}

/// Reads a library: each good row becomes an edit, each bad one a finding.
pub fn read(site: &Site, text: &str) -> Imported<Vec<Edit>> {
    let text = text.strip_prefix('\u{feff}').unwrap_or(text);
    let rows = if text.trim_start().starts_with('{') { from_json(text) } else { from_csv(text) };
    let (mut edits, mut findings) = (Vec::new(), Vec::new());
    let mut trial = site.clone();
    for (place, row) in rows {
        let kind = row
            .and_then(|row| serde_json::from_value::<DeviceKind>(row).map_err(|e| e.to_string()));
        let taken = kind.and_then(|mut kind| {
            let old = trial.kind(&kind.id).map(DeviceKind::spelled_out);
            if old.as_ref() == Some(&kind) {
                return Ok(None);
            }
            kind.version = kind.version.max(old.map_or(0, |old| old.version) + 1);
            let edit = Edit::put(kind);
            apply(&mut trial, &edit).map_err(|e| e.to_string())?;
            Ok(Some(edit))
        });
        match taken {
            Ok(edit) => edits.extend(edit),
            Err(reason) => findings.push(ImportFinding { place, reason }),
        }
    }
    Imported { value: edits, findings }
}

type Row = (String, Result<Value, String>);

fn from_json(text: &str) -> Vec<Row> {
    let whole = || "the file".to_owned();
    match serde_json::from_str::<Value>(text) {
        Err(e) => vec![(whole(), Err(format!("is no JSON: {e}")))],
        Ok(mut value) => match value.get_mut("devices").map(Value::take) {
            Some(Value::Array(rows)) => {
                let named = |(n, row): (usize, Value)| {
                    let id = row.get("id").and_then(Value::as_str).map(str::to_owned);
                    (id.unwrap_or_else(|| format!("device {}", n + 1)), Ok(row))
                };
                rows.into_iter().take(MOST_ROWS).enumerate().map(named).collect()
            }
            _ => vec![(whole(), Err("has no list “devices”".to_owned()))],
        },
    }
}

fn from_csv(text: &str) -> Vec<Row> {
    let mut rows = table::rows(text);
    let mut records = rows.records();
    let Some(Ok(headings)) = records.next() else {
        return vec![("line 1".to_owned(), Err("has no headings".to_owned()))];
    };
    let row = |record: Result<csv::StringRecord, csv::Error>| {
        let Ok(record) = record else {
            return ("the file".to_owned(), Err("is not text in UTF-8".to_owned()));
        };
        let line = record.position().map_or(0, csv::Position::line);
        let mut value = json!({});
        for (heading, text) in headings.iter().zip(record.iter()).filter(|(_, t)| !t.is_empty()) {
            place(&mut value, heading, read_cell(heading, text));
        }
        (format!("line {line}"), Ok(value))
    };
    let rows: Vec<Row> = records.take(MOST_ROWS + 1).map(row).collect();
    match rows.len() {
        0 => vec![("line 2".to_owned(), Err("is missing: a row of a device".to_owned()))],
        n if n > MOST_ROWS => {
            let over =
                Err(format!("and what follows were not read: {MOST_ROWS} rows are the most"));
            let mut rows = rows;
            rows.truncate(MOST_ROWS);
            rows.push((format!("line {}", MOST_ROWS + 2), over));
            rows
        }
        _ => rows,
    }
}

fn place(value: &mut Value, heading: &str, cell: Value) {
    let mut at = value;
    let steps: Vec<&str> = heading.split('.').collect();
    for step in &steps[..steps.len() - 1] {
        let Some(fields) = at.as_object_mut() else { return };
        at = fields.entry((*step).to_owned()).or_insert_with(|| json!({}));
    }
    if let (Some(fields), Some(last)) = (at.as_object_mut(), steps.last()) {
        fields.insert((*last).to_owned(), cell);
    }
}

/// What a cell says: lists by their heading, then yes and no, numbers, words.
fn read_cell(heading: &str, text: &str) -> Value {
    const LISTS: [&str; 5] =
        ["systems", "fit.accepts", "fit.platforms", "fit.finishes", "fit.derated"];
    const WORDS: [&str; 9] = [
        "id",
        "name",
        "fit.family",
        "join.gesture",
        "join.light",
        "join.fails",
        "join.code",
        "supply",
        "duty",
    ];
    let one = |text: &str| match text {
        "true" => Value::from(true),
        "false" => Value::from(false),
        other => other.replace(',', ".").parse::<f64>().map_or_else(
            |_| Value::from(other),
            |n| if n.fract().abs() <= 0.0 && n.abs() < 1e15 { whole(n) } else { Value::from(n) },
        ),
    };
    if PHRASES.contains(&heading) {
        return text.split(';').map(|phrase| Value::from(phrase.trim())).collect();
    }
    if LISTS.contains(&heading) {
        return text.split_whitespace().map(one).collect();
    }
    if WORDS.contains(&heading) { Value::from(text) } else { one(text) }
}

fn whole(n: f64) -> Value {
    #[expect(clippy::cast_possible_truncation, reason = "whole, and far below 2^63")]
    let n = n as i64;
    Value::from(n)
}
