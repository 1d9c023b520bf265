//! Ten floors of 200 devices each, for measuring: no demo job, but a house for scale.

use dot_reach_core::site::{Edit, Job, Site, apply};
use serde_json::{Value, json};

use super::tern_row;

const FLOORS: u32 = 10;
const DEVICES: u32 = 200;

/// The walls of the guesthouse's first floor ten times over, a Zigbee network with its hub on each:
/// every second device a switch that forwards, the others battery sensors.
pub fn tower() -> Site {
    let plan = tern_row();
    let mut site = Site::new(Job::new("Tower", plan.job.region, plan.job.confidence));
    for f in 0..FLOORS {
        put(&mut site, storey(f));
        for wall in plan.walls.iter().filter(|w| w.floor.as_str() == "f1") {
            let mut wall = json!(wall);
            wall["id"] = json!(format!("t{f}-{}", wall["id"].as_str().unwrap_or_default()));
            wall["floor"] = json!(format!("t{f}"));
            put(&mut site, json!({"do": "put", "kind": "wall", "value": wall}));
        }
        for d in 0..DEVICES {
            put(&mut site, device(f, d));
        }
    }
    site
}

fn put(site: &mut Site, value: Value) {
    #[expect(clippy::expect_used, reason = "the edits are written above; a test makes the tower")]
    let edit: Edit = serde_json::from_value(value).expect("an edit");
    #[expect(clippy::expect_used, reason = "the edits are written above; a test makes the tower")]
    apply(site, &edit).expect("an edit that stands");
}

fn storey(f: u32) -> Value {
    let (floor, net) = (format!("t{f}"), format!("n{f}"));
    json!({"do": "batch", "edits": [
        {"do": "put", "kind": "floor", "value": {"id": floor, "name": floor, "elevation_m": f64::from(f) * 2.9, "height_m": 2.6}},
        {"do": "put", "kind": "network", "value": {"id": net, "name": format!("Net {f}"), "system": "zigbee"}},
        {"do": "put", "kind": "slab", "value": {"id": format!("s{f}"), "floor": floor, "construction": "slab-reinforced-200"}},
    ]})
}

fn device(f: u32, d: u32) -> Value {
    let kind = match d {
        0 => "hub",
        d if d % 2 == 0 => "switch-neutral",
        _ => "sensor-battery",
    };
    let (point, id) = (format!("p{f}-{d}"), format!("d{f}-{d}"));
    let at = [f64::from(d % 25) * 1.25 + 0.7, f64::from(d / 25) * 1.45 + 0.6];
    json!({"do": "batch", "edits": [
        {"do": "put", "kind": "point", "value": {"id": point, "name": point, "floor": format!("t{f}"), "at": at, "height_m": 1.2, "kind": "switch", "neutral": "seen"}},
        {"do": "put", "kind": "device", "value": {"id": id, "name": id, "point": point, "kind": kind, "network": format!("n{f}")}},
    ]})
}
