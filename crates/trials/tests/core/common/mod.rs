//! Small houses for the tests, and strategies that make random ones.
#![allow(dead_code, reason = "each test file uses its own part")]
#![expect(clippy::expect_used, reason = "a test that cannot build its house has failed")]

pub(crate) mod any_edit;
pub(crate) mod traced;

use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use dot_reach_core::analysis::{Analysis, Options, analyse};
use dot_reach_core::building::structure::{Doors, Structure};
use dot_reach_core::confidence::Confidence;
use dot_reach_core::moment::Moment;
use dot_reach_core::network::Outcome;
use dot_reach_core::radio::region::Region;
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{Folder, Record, Sender};
use dot_reach_core::site::{Edit, Job, Refusal, Site, apply};
use dot_reach_core::wish::PageRequest;
pub(crate) use dot_reach_trials::acts::placed;
use proptest::prelude::*;
use serde_json::{Value, json};

/// An edit written as the job file writes it.
pub(crate) fn edit(value: Value) -> Edit {
    serde_json::from_value(value).expect("the test writes a proper edit")
}

/// Somebody who sends something, each time by another id.
pub(crate) fn caller(name: &str) -> Sender {
    static SENT: AtomicUsize = AtomicUsize::new(0);
    let stem = format!("e{}", SENT.fetch_add(1, Ordering::Relaxed));
    let taken = Moment::read("2026-03-14T10:00:00Z").expect("a time");
    Sender { name: name.to_owned(), taken, stem }
}

/// The edit that a wish of the plan comes to.
pub(crate) fn edited(wish: PageRequest, site: &Site) -> Result<Edit, Refusal> {
    let prepared = wish.prepare(site, &Record::default(), &caller("Kit"))?;
    Ok(prepared.edit.expect("of the plan"))
}

/// The edit that an edit or a gesture comes to.
pub(crate) fn wished(site: &Site, value: Value) -> Edit {
    let wish: PageRequest = serde_json::from_value(value).expect("the test writes a proper wish");
    let prepared = wish.prepare(site, &Record::default(), &caller("Kit"));
    prepared.expect("the test's gesture can be done").edit.expect("of the plan")
}

/// A job after something that is wished of it, or why not.
pub(crate) fn wish(folder: &Folder, value: &Value) -> Result<Folder, String> {
    let wish: PageRequest = serde_json::from_value(value.clone()).map_err(|e| e.to_string())?;
    let prepared = wish.prepare(&folder.site, &folder.record, &caller("Kit"));
    let mut after = folder.clone();
    after.keep(&prepared.map_err(|e| e.to_string())?).map_err(|e| e.to_string())?;
    Ok(after)
}

/// A job after all of these, which must be taken.
#[expect(clippy::panic, reason = "a test whose wish is refused has failed")]
pub(crate) fn after(site: Site, wishes: &[Value]) -> Folder {
    wishes.iter().fold(Folder::planned(site), |folder, value| {
        wish(&folder, value).unwrap_or_else(|why| panic!("{value}: {why}"))
    })
}

/// Applies edits and gestures that must be accepted.
pub(crate) fn with(mut site: Site, edits: &[Value]) -> Site {
    for value in edits {
        let edit = wished(&site, value.clone());
        let change = apply(&mut site, &edit);
        assert!(change.is_ok(), "{value}: {change:?}");
    }
    site
}

/// A job with one storey and one network of a system.
pub(crate) fn bare(system: System) -> Site {
    let site = Site::new(Job::new("Test", Region::Eu, Confidence::new(0.95).expect("0.95")));
    with(
        site,
        &[
            json!({"do": "put", "kind": "floor", "value": {"id": "g", "name": "Ground", "elevation_m": 0.0, "height_m": 2.5}}),
            json!({"do": "put", "kind": "network", "value": {"id": "n", "name": "Net", "system": system}}),
        ],
    )
}

pub(crate) fn wall(id: &str, a: [f64; 2], b: [f64; 2], construction: &str) -> Value {
    json!({"do": "put", "kind": "wall", "value": {"id": id, "floor": "g", "a": a, "b": b, "construction": construction}})
}

/// A wall far from everything: the storey is drawn, and what stands in the open stands there.
pub(crate) fn drawn() -> Value {
    wall("drawn", [60.0, 60.0], [60.5, 60.0], "stud-wall")
}

/// A point with a device of the same id at it.
pub(crate) fn device(id: &str, kind: &str, at: [f64; 2]) -> Value {
    placed(id, kind, at, &json!({}))
}

pub(crate) fn spot() -> impl Strategy<Value = [f64; 2]> {
    [0.0..20.0f64, 0.0..12.0f64]
}

/// A wall of a test: its ends and its construction.
pub(crate) type Wall = ([f64; 2], [f64; 2], &'static str);

/// Walls of random place, length and construction.
pub(crate) fn walls(most: usize) -> impl Strategy<Value = Vec<Wall>> {
    let construction = prop_oneof![
        Just("stud-wall"),
        Just("brick-102"),
        Just("rubble-stone-600"),
        Just("concrete-150"),
    ];
    prop::collection::vec((spot(), spot(), construction), 0..most).prop_map(|w| {
        w.into_iter().filter(|(a, b, _)| (a[0] - b[0]).hypot(a[1] - b[1]) > 0.2).collect()
    })
}

/// A storey with these walls.
pub(crate) fn storey(walls: &[([f64; 2], [f64; 2], &str)]) -> Site {
    let edits: Vec<_> =
        walls.iter().enumerate().map(|(i, (a, b, c))| wall(&format!("w{i}"), *a, *b, c)).collect();
    with(bare(System::Zigbee), &edits)
}

/// A storey with these walls; every second one has a door and a hatch, every third is a low one.
pub(crate) fn pierced(walls: &[Wall]) -> Structure {
    let put = |(i, (a, b, construction)): (usize, &Wall)| -> Value {
        let length = (a[0] - b[0]).hypot(a[1] - b[1]);
        let mut wall = json!({"id": format!("w{i}"), "floor": "g", "a": a, "b": b, "construction": construction});
        if i % 2 == 0 && length > 2.2 {
            wall["openings"] = json!([
                {"id": "d", "kind": "door", "start_m": 0.5, "width_m": 0.8, "height_m": 2.0, "construction": "door-hollow"},
                {"id": "h", "kind": "open", "start_m": 1.5, "width_m": 0.5, "sill_m": 1.0, "height_m": 0.5, "construction": "door-hollow"},
            ]);
        }
        if i % 3 == 0 {
            wall["height_m"] = json!(1.25);
        }
        json!({"do": "put", "kind": "wall", "value": wall})
    };
    let edits: Vec<_> = walls.iter().enumerate().map(put).collect();
    Structure::new(&with(bare(System::Zigbee), &edits), Doors::AsDrawn)
}

/// Devices in a row `step` metres apart: the hub `a0` and then each of `kinds`. Level falls with
/// the fifth power of distance, so that a step has margin and two steps at once have none.
#[expect(clippy::cast_precision_loss, reason = "a handful of devices")]
pub(crate) fn chain(system: System, step: f64, kinds: &[&str]) -> Analysis {
    let mut edits = vec![drawn(), steep(), device("a0", "hub", [0.0, 0.0])];
    for (i, kind) in kinds.iter().enumerate() {
        let n = i + 1;
        edits.push(device(&format!("a{n}"), kind, [step * n as f64, 0.0]));
    }
    let site: Site = with(bare(system), &edits);
    analyse(&Arc::new(site), &Options::default())
}

pub(crate) fn steep() -> Value {
    json!({"do": "put", "kind": "calibration", "value": {"exponent": 5.0, "offset_db": 0.0,
        "sigma_db": 2.5, "rmse_before_db": 0.0, "rmse_after_db": 0.0, "readings": 0}})
}

/// Steps in metres: mains to mains 8 dB of margin, and −7 dB over two of them
/// (`tx + antennas + sensitivity − L1 − 50·log10 d`).
pub(crate) const ZIGBEE_STEP: f64 = 13.7;
pub(crate) const ZWAVE_STEP: f64 = 11.9;
/// Hub to plug-in dimmer 12.7 dB, dimmer to battery 2.7 dB, hub over two steps −2.4 dB.
pub(crate) const STAR_STEP: f64 = 22.0;

pub(crate) fn outcome(analysis: &Analysis, place: usize) -> &Outcome {
    &analysis.networks[0].outcomes[place]
}

/// A hub with so many devices of a kind around it, all within a metre or two.
pub(crate) fn cluster(system: System, kind: &str, count: usize) -> Analysis {
    let mut edits = vec![device("a0", "hub", [0.0, 0.0])];
    for n in 1..=count {
        #[expect(clippy::cast_precision_loss, reason = "a small count")]
        let turn = n as f64;
        let at = [2.0 + turn.cos(), 2.0 + turn.sin()];
        edits.push(device(&format!("d{n:03}"), kind, at));
    }
    analyse(&Arc::new(with(bare(system), &edits)), &Options::default())
}
