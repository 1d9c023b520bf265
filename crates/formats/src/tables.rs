//! Tables that hubs tell: readings and reports of nodes as open JSON, reports of nodes as CSV, and what a
//! collector answers. docs/COLLECTOR.md and docs/API.md say how they read.
//!
//! JSON: `{"readings": [{"from", "to", "rssi_dbm", "margin_db", "lqi", "time", "source", "firmware",
//! "test_radios_dbm"}], "nodes": [{"network", "node", "device", "via": [ids from the hub], "last_working",
//! "answers", "firmware", "settings": {name: value}, "time", "source"}]}`. CSV of nodes: the same columns under a heading, `via` with
//! blanks between.

use std::collections::BTreeMap;

use dot_reach_core::catalogue::Duty;
use dot_reach_core::record::Record;
use dot_reach_core::site::{DeviceId, NetworkId, Site};
use serde::Deserialize;
use serde_json::{Value, json};

use crate::told::{Came, NodeRow, ReadingRow, Taking, ToldReadings};
use crate::{Imported, table};

/// The most rows of one kind that are read at a time.
pub const MOST_ROWS: usize = 20_000;

/// Whether a text is JSON, or a table of nodes: then [`read`] reads it, and not
/// [`crate::readings_csv::read`].
pub fn is_meant(text: &str) -> bool {
    let text = text.trim_start_matches('\u{feff}').trim_start();
    let first = text.lines().next().unwrap_or_default().to_ascii_lowercase();
    text.starts_with('{') || first.contains("via") && first.contains("device")
}

/// Reads JSON or a CSV of nodes; each good row goes on record, each bad one is a finding.
pub fn read(site: &Site, record: &Record, text: &str, came: Came<'_>) -> Imported<ToldReadings> {
    let mut into = Taking::new(site, record, came);
    let text = text.trim_start_matches('\u{feff}');
    if text.trim_start().starts_with('{') {
        json_rows(&mut into, text);
    } else {
        csv_rows(&mut into, text);
    }
    into.done()
}

fn json_rows(into: &mut Taking<'_>, text: &str) {
    let value: Value = match serde_json::from_str(text) {
        Ok(value) => value,
        Err(error) => return into.found("the file".to_owned(), format!("is no JSON: {error}")),
    };
    let known = ["readings", "nodes"];
    for key in value.as_object().into_iter().flat_map(|o| o.keys()) {
        if !known.contains(&key.as_str()) {
            into.found(key.clone(), "is not read; readings and nodes are".to_owned());
        }
    }
    let rows = |key: &str| value[key].as_array().cloned().unwrap_or_default();
    for (key, count) in known.map(|k| (k, rows(k).len())) {
        if count > MOST_ROWS {
            let more = count - MOST_ROWS;
            into.found(
                key.to_owned(),
                format!("{more} more rows were not read: at most {MOST_ROWS} are taken at a time"),
            );
        }
    }
    for (i, row) in rows("readings").into_iter().take(MOST_ROWS).enumerate() {
        let place = format!("readings {}", i + 1);
        match serde_json::from_value(row) {
            Ok(row) => into.take_reading(place, &row),
            Err(error) => into.found(place, error.to_string()),
        }
    }
    for (i, row) in rows("nodes").into_iter().take(MOST_ROWS).enumerate() {
        let place = format!("nodes {}", i + 1);
        match serde_json::from_value(row) {
            Ok(row) => into.take_node(place, &row),
            Err(error) => into.found(place, error.to_string()),
        }
    }
}

fn csv_rows(into: &mut Taking<'_>, text: &str) {
    let mut rows = table::rows(text);
    let mut heading: Option<BTreeMap<String, usize>> = None;
    let mut taken = 0;
    for row in rows.records() {
        let Ok(row) = row else {
            return into.found("the file", "is not text in UTF-8");
        };
        let line = row.position().map_or(0, csv::Position::line);
        if row.iter().all(str::is_empty) {
            continue;
        }
        let Some(heading) = &heading else {
            let names = row.iter().enumerate();
            heading = Some(names.map(|(i, n)| (n.to_ascii_lowercase(), i)).collect());
            continue;
        };
        taken += 1;
        if taken > MOST_ROWS {
            return into.found(
                format!("line {line}"),
                format!(
                    "it and what follows was not read: at most {MOST_ROWS} rows are taken at a time"
                ),
            );
        }
        let cell =
            |name: &str| heading.get(name).and_then(|i| row.get(*i)).filter(|c| !c.is_empty());
        let text = |name: &str| cell(name).map(str::to_owned);
        let flag = |name: &str| cell(name).map(|c| matches!(c, "1" | "true" | "yes"));
        let via = heading.contains_key("via").then(|| {
            cell("via")
                .unwrap_or_default()
                .split([' ', '>'])
                .filter(|v| !v.is_empty())
                .map(str::to_owned)
                .collect()
        });
        let row = NodeRow {
            network: text("network").unwrap_or_default(),
            node: cell("node").and_then(|n| n.parse().ok()),
            device: text("device"),
            via,
            last_working: flag("last_working").unwrap_or(false),
            answers: flag("answers"),
            firmware: text("firmware").unwrap_or_default(),
            settings: BTreeMap::new(),
            time: text("time"),
            source: text("source"),
        };
        into.take_node(format!("line {line}"), &row);
    }
}

/// Writes all readings and reports of a record; [`read`] reads them back.
pub fn write(record: &Record) -> Value {
    let readings: Vec<_> = record
        .readings
        .iter()
        .map(|r| {
            json!({ "from": r.from, "to": r.to, "rssi_dbm": r.rssi_dbm, "margin_db": r.margin_db,
                "lqi": r.lqi, "time": r.at, "source": r.source, "firmware": r.firmware,
                "test_radios_dbm": r.test_radios_dbm })
        })
        .collect();
    let nodes: Vec<_> = record
        .node_reports
        .iter()
        .map(|r| {
            json!({ "network": r.network, "node": r.node, "device": r.device, "via": r.via,
                "last_working": r.last_working, "answers": r.answers, "firmware": r.firmware,
                "settings": r.settings,
                "time": r.at, "source": r.source })
        })
        .collect();
    json!({ "readings": readings, "nodes": nodes })
}

/// What a collector told of one network.
#[derive(Debug, Deserialize, Default)]
#[serde(default)]
pub struct OfHub {
    /// Who hears whom.
    pub neighbours: Vec<HubNeighbour>,
    /// Over whom each node goes.
    pub routes: Vec<HubRoute>,
    /// Who is in the list.
    pub nodes: Vec<HubNode>,
}

/// A row of a neighbour table: `node` hears `neighbour`.
#[derive(Debug, Deserialize)]
pub struct HubNeighbour {
    /// Who hears.
    pub node: u32,
    /// Whom.
    pub neighbour: u32,
    /// At which level.
    #[serde(default)]
    pub rssi_dbm: Option<f64>,
    /// How good that is.
    #[serde(default)]
    pub lqi: Option<u32>,
}

/// A row of a route table.
#[derive(Debug, Deserialize)]
pub struct HubRoute {
    /// To whom.
    pub node: u32,
    /// Over whom, from the hub on.
    #[serde(default)]
    pub via: Vec<u32>,
}

/// An entry of a hub's list.
#[derive(Debug, Deserialize)]
pub struct HubNode {
    /// Its number.
    pub node: u32,
    /// Whether it answers.
    #[serde(default)]
    pub ready: Option<bool>,
    /// How it is set, by the names of settings.
    #[serde(default)]
    pub settings: BTreeMap<String, String>,
}

/// The devices of a network by the number that it has for them: as the plan has it, as they were joined; nought is the hub.
pub fn numbers(site: &Site, record: &Record, network: &NetworkId) -> BTreeMap<u32, DeviceId> {
    let own = site.devices.iter().filter(|d| d.network == *network);
    let mut by_number: BTreeMap<u32, DeviceId> =
        own.filter_map(|d| Some((record.number(d)?, d.id.clone()))).collect();
    let hub = site
        .devices
        .iter()
        .find(|d| d.network == *network && site.kind(&d.kind).is_some_and(|k| k.duty == Duty::Hub));
    by_number.extend(hub.map(|h| (0, h.id.clone())));
    by_number
}

/// What a collector told; numbers become devices by the records of joining, nought is the hub.
pub fn of_hub(
    site: &Site,
    record: &Record,
    network: &NetworkId,
    told: &OfHub,
    came: Came<'_>,
) -> Imported<ToldReadings> {
    let by_number = numbers(site, record, network);
    let mut into = Taking::new(site, record, came);
    let routes: BTreeMap<u32, &HubRoute> = told.routes.iter().map(|r| (r.node, r)).collect();
    for row in told.neighbours.iter().take(MOST_ROWS) {
        let (Some(to), Some(from)) = (by_number.get(&row.node), by_number.get(&row.neighbour))
        else {
            continue;
        };
        let lqi = row.lqi.and_then(|l| u8::try_from(l).ok());
        let (from, to) = (from.to_string(), to.to_string());
        let reading = ReadingRow { from, to, rssi_dbm: row.rssi_dbm, lqi, ..ReadingRow::default() };
        into.take_reading(format!("node {}", row.node), &reading);
    }
    for node in told.nodes.iter().take(MOST_ROWS) {
        let route = routes.get(&node.node);
        let via = route.map(|r| {
            r.via
                .iter()
                .filter(|n| **n != 0)
                .filter_map(|n| by_number.get(n))
                .map(ToString::to_string)
                .collect()
        });
        let row = NodeRow {
            network: network.to_string(),
            node: Some(node.node),
            device: by_number.get(&node.node).map(ToString::to_string),
            via,
            answers: node.ready,
            settings: node.settings.clone(),
            ..NodeRow::default()
        };
        into.take_node(format!("node {}", node.node), &row);
    }
    into.done()
}
