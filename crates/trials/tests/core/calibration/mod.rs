//! What readings teach.

mod agreed;
mod readings;
mod regression;

use std::sync::Arc;

use dot_reach_core::analysis::{Analysis, Options, analyse};
use dot_reach_core::prove::acts::Proving;
use dot_reach_core::prove::{Proof, prove};
use dot_reach_core::radio::system::System;
use dot_reach_core::record::Folder;
use dot_reach_core::site::{Change, Site};
use serde_json::{Value, json};

use crate::common::{after, bare, caller, device, drawn, with};

pub(crate) const SPOTS: usize = 24;

pub(crate) fn analysed(site: Site) -> Analysis {
    analyse(&Arc::new(site), &Options::default())
}

/// What readings teach of a plan.
pub(crate) fn taught(site: &Site, told: &[Value]) -> Proof {
    proved(&after(site.clone(), told)).1
}

pub(crate) fn proved(folder: &Folder) -> (Analysis, Proof) {
    let analysis = analysed(folder.site.clone());
    let proof = prove(&analysis, &folder.record);
    (analysis, proof)
}

#[expect(clippy::unwrap_used, reason = "a test whose act is refused has failed")]
pub(crate) fn kept(folder: &Folder, act: Proving) -> (Folder, Option<Change>) {
    let prepared = act.prepare(&folder.site, &folder.record, &caller("Kit"), None).unwrap();
    let mut after = folder.clone();
    let change = after.keep(&prepared).unwrap();
    (after, change)
}

/// A hub in the open with switches from one to thirty metres away.
pub(crate) fn field() -> Site {
    let mut edits = vec![drawn(), device("h", "hub", [0.0, 0.0])];
    for n in 0..SPOTS {
        #[expect(clippy::cast_precision_loss, reason = "a small count")]
        let metres = 30f64.powf(n as f64 / (SPOTS - 1) as f64);
        edits.push(device(&format!("s{n:02}"), "switch-neutral", [metres, 0.3]));
    }
    with(bare(System::Zigbee), &edits)
}

pub(crate) fn reading(id: &str, from: &str, to: &str, rssi: f64, at: &str) -> Value {
    json!({"do": "put", "kind": "reading", "value": {"id": id, "from": from, "to": to,
        "rssi_dbm": rssi, "at": at}})
}

pub(crate) const AT: &str = "2026-03-14T10:05:00Z";

/// Readings at the hub of what the plan says, with an error for each.
pub(crate) fn readings(site: &Site, errors: &[f64]) -> Vec<Value> {
    let ids = (0..SPOTS).map(|n| format!("s{n:02}"));
    let first: Vec<Value> =
        ids.enumerate().map(|(n, id)| reading(&format!("r{n:02}"), &id, "h", -60.0, AT)).collect();
    let planned = taught(site, &first);
    let of = |(n, error): (usize, &f64)| {
        let c = &planned.comparisons[n];
        reading(&format!("r{n:02}"), c.from.as_str(), "h", c.predicted.get() + error, AT)
    };
    errors.iter().enumerate().map(of).collect()
}
