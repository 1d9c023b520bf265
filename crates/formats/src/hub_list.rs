//! A hub's list of what is in its network, as people get it: a table with headings or without, JSON, or names line by
//! line. Each good row becomes an entry that waits to be laid on the plan.

use std::collections::{BTreeMap, BTreeSet};

use dot_reach_core::site::kept::Kept;
use dot_reach_core::site::{Device, DeviceId, Edit, HubEntry, HubEntryId, NetworkId, Site};
use serde_json::Value;

use crate::budget::begin;
use crate::{ImportFinding, Imported, table};

/// The most rows that are read.
const MOST_ROWS: usize = 2_500;

/// A column, and how headings call it.
const COLUMNS: [(&str, &[&str]); 5] = [
    ("name", &["name", "device", "label", "called"]),
    ("number", &["number", "node", "node id", "id", "address"]),
    ("model", &["model", "type", "kind", "product", "description"]),
    ("room", &["room", "area", "zone", "place"]),
    ("role", &["role", "power", "power source", "forwards"]),
];

/// A row as it was read.
#[derive(Default)]
pub(crate) struct ListRow {
    pub(crate) name: String,
    number: String,
    model: String,
    pub(crate) room: String,
    role: String,
}

impl ListRow {
    fn set(&mut self, column: &str, text: &str) {
        let cell = match column {
            "name" => &mut self.name,
            "number" => &mut self.number,
            "model" => &mut self.model,
            "room" => &mut self.room,
            _ => &mut self.role,
        };
        table::as_meant(text.trim()).clone_into(cell);
    }

    /// Whether it forwards, by what the list says of its role or supply.
    fn forwards(&self) -> Option<bool> {
        let role = self.role.to_lowercase();
        let words: Vec<&str> =
            role.split(|c: char| !c.is_alphanumeric()).filter(|word| !word.is_empty()).collect();
        let says = |known: &[&str]| words.iter().any(|word| known.contains(word));
        // What the list does not know, or says both ways, is not known here either; what is on the mains may forward or not.
        let no =
            says(&["end", "enddevice", "leaf", "sleepy", "sleeping", "battery", "no", "false"]);
        let yes = says(&["router", "repeater", "repeats", "forwards", "yes", "true"]);
        (no != yes).then_some(yes)
    }
}

/// Which column a cell behind the name is, where the list has no headings.
pub(crate) type Bare = fn(&ListRow, &str) -> &'static str;

/// Which column a heading names.
fn column(heading: &str) -> Option<&'static str> {
    let plain = heading.trim().to_lowercase().replace(['_', '-'], " ");
    COLUMNS.iter().find(|(_, words)| words.contains(&plain.as_str())).map(|(column, _)| *column)
}

/// The rows of a table, each with its line.
fn rows_of_table(text: &str, bare: Bare) -> Vec<(String, ListRow)> {
    let mut reader = table::rows(text);
    let mut records = reader.records().filter_map(Result::ok).enumerate().peekable();
    let headings: Vec<Option<&str>> =
        records.peek().map(|(_, first)| first.iter().map(column).collect()).unwrap_or_default();
    let has_heading = headings.contains(&Some("name"));
    if has_heading {
        records.next();
    }
    let row = |(n, cells): (usize, csv::StringRecord)| {
        let mut row = ListRow::default();
        for (at, cell) in cells.iter().enumerate() {
            let of = if has_heading {
                headings.get(at).copied().flatten()
            } else if at == 0 {
                Some("name")
            } else {
                Some(bare(&row, cell))
            };
            if let Some(of) = of {
                row.set(of, cell);
            }
        }
        (format!("line {}", n + 1), row)
    };
    records.map(row).collect()
}

/// The rows of a JSON list, or of the first list in a JSON object.
fn rows_of_json(value: &Value) -> Vec<(String, ListRow)> {
    let list = value.as_array().or_else(|| value.as_object()?.values().find_map(Value::as_array));
    let text = |value: &Value| match value {
        Value::String(text) => text.clone(),
        Value::Number(number) => number.to_string(),
        Value::Bool(is) => is.to_string(),
        _ => String::new(),
    };
    let row = |(n, item): (usize, &Value)| {
        let mut row = ListRow::default();
        match item {
            Value::Object(fields) => {
                for (key, value) in fields {
                    if let Some(of) = column(key) {
                        row.set(of, &text(value));
                    }
                }
            }
            other => row.set("name", &text(other)),
        }
        (format!("entry {}", n + 1), row)
    };
    list.map(|list| list.iter().enumerate().map(row).collect()).unwrap_or_default()
}

/// The rows of a list, each with its place.
pub(crate) fn rows(text: &str, bare: Bare) -> Vec<(String, ListRow)> {
    let mut all = serde_json::from_str::<Value>(text)
        .map_or_else(|_| rows_of_table(text, bare), |value| rows_of_json(&value));
    all.truncate(MOST_ROWS);
    all
}

/// A number of a network, decimal or hexadecimal with its sign `0x`.
fn number(text: &str) -> Option<u32> {
    let text = text.trim();
    match text.strip_prefix("0x").or_else(|| text.strip_prefix("0X")) {
        Some(hex) => u32::from_str_radix(hex, 16).ok(),
        None => text.parse().ok(),
    }
}

/// Reads a hub's list; `numbers` are those that devices of the plan have there. What is on the plan already, and what is in the list twice, is a finding; an entry that was read
/// before and is not laid yet stays the one it is.
pub fn read(
    site: &Site,
    numbers: &BTreeMap<u32, DeviceId>,
    text: &str,
    network: &NetworkId,
    stem: &str,
) -> Imported<Vec<Edit>> {
    let mut findings = Vec::new();
    let mut edits = Vec::new();
    // Without headings: the name, then a number or what it is.
    let bare = |row: &ListRow, cell: &str| match () {
        () if row.number.is_empty() && number(cell).is_some() => "number",
        () if row.model.is_empty() => "model",
        () => "room",
    };
    let rows = rows(text, bare);
    if rows.is_empty() {
        let reason = "holds no entry: one line a device, its name first, or a heading with name, number, model, room";
        findings.push(ImportFinding { place: "the list".to_owned(), reason: reason.to_owned() });
    }
    let mut seen: BTreeSet<String> = BTreeSet::new();
    for (n, (place, row)) in rows.into_iter().enumerate() {
        match entry(site, numbers, &row, network, &format!("{stem}-{n:04}")) {
            Ok(None) => {}
            Ok(Some(entry)) if seen.insert(one_of(&entry)) => edits.push(Edit::put(entry)),
            Ok(Some(entry)) => findings.push(ImportFinding {
                place,
                reason: format!("“{}” stands in the list twice", begin(&entry.name)),
            }),
            Err(reason) => findings.push(ImportFinding { place, reason }),
        }
    }
    Imported { value: edits, findings }
}

/// By what an entry is told from others of its list: its number, or else its name.
fn one_of(entry: &HubEntry) -> String {
    entry.number.map_or_else(|| entry.name.to_lowercase(), |number| format!("number {number}"))
}

/// The entry of a row; nothing where the row is empty.
fn entry(
    site: &Site,
    numbers: &BTreeMap<u32, DeviceId>,
    row: &ListRow,
    network: &NetworkId,
    id: &str,
) -> Result<Option<HubEntry>, String> {
    let has_more = !(row.number.is_empty() && row.model.is_empty());
    if row.name.is_empty() && !has_more {
        return Ok(None);
    }
    let given = match row.number.as_str() {
        "" => None,
        text => number(text),
    };
    let name = if row.name.is_empty() {
        given.map_or_else(|| row.model.clone(), |n| format!("Number {n}"))
    } else {
        row.name.clone()
    };
    // Two of one name are two, where their numbers say so.
    let is_it = |of: &NetworkId, other: Option<u32>, called: &str| {
        *of == *network
            && match (given, other) {
                (Some(one), Some(other)) => one == other,
                _ => called.trim().eq_ignore_ascii_case(&name),
            }
    };
    let number_of = |d: &Device| {
        let on_record = numbers.iter().find(|(_, of)| **of == d.id).map(|(number, _)| *number);
        d.number.or(on_record)
    };
    if let Some(there) = site.devices.iter().find(|d| is_it(&d.network, number_of(d), &d.name)) {
        return Err(format!("“{}” is on the plan already, as {}", begin(&name), there.name));
    }
    let known = site.hub_entries.iter().find(|e| is_it(&e.network, e.number, &e.name));
    let id: HubEntryId = match known {
        Some(known) => known.id.clone(),
        None => id.parse().map_err(|_| "has no id that can be kept".to_owned())?,
    };
    let entry = HubEntry {
        id,
        network: network.clone(),
        number: given,
        model: row.model.clone(),
        taken_for: known.map(|k| k.taken_for.clone()).unwrap_or_default(),
        room: row.room.clone(),
        forwards: row.forwards(),
        name,
    };
    entry.check().map_err(|refused| refused.to_string())?;
    Ok(Some(entry).filter(|entry| known != Some(entry)))
}
