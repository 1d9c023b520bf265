//! What hangs on a cord: the plug in the hand in place of a breaker.

use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{Folder, Step};
use serde_json::json;

use crate::common::wish;
use crate::day::machine::{house, isolated, planned, refused, set, stepped, take, ticked};

fn lamp_on_a_cord(kind: &str) -> Folder {
    let point = json!({"do": "put", "kind": "point", "value": {"id": "t", "name": "Table lamp", "floor": "g",
        "at": [4.0, 2.0], "height_m": 0.8, "kind": kind, "feed": "cord"}});
    let relay = json!({"do": "put", "kind": "device", "value": {"id": "t", "name": "Table lamp", "point": "t",
        "kind": "relay-in-lamp", "network": "n"}});
    planned(&house(System::Zigbee, &["a"]), &[point, relay])
}

fn steps(site: &Folder) -> Vec<Step> {
    WorkedDevice::of(&site.site, &"t".parse().unwrap()).unwrap().steps()
}

#[test]
fn its_code_comes_before_the_bench_and_that_before_its_place() {
    let site = lamp_on_a_cord("shelf");
    let own = steps(&site);
    let in_box = |s: &Step| s.is_in_box();
    assert!(own.contains(&Step::Bench) && !own.iter().any(in_box), "{own:?}");
    let spot = WorkedDevice::of(&site.site, &"t".parse().unwrap()).unwrap();
    assert!(!spot.opens_box());
    // Without its code it can be closed for a reason alone; without the bench it has no place.
    let bench = take("t", "bench");
    assert!(refused(&ticked(&site, "t", "bench"), &bench).contains("Code kept"));
    assert!(
        refused(&ticked(&site, "t", "placed"), &take("t", "placed")).contains("Wired at the bench")
    );
    assert!(refused(&wish(&site, &take("t", "code")).unwrap(), &bench).contains("plug is out"));
    let done = ["code", "bench", "placed", "powered"]
        .iter()
        .fold(site, |site, step| stepped(&site, "t", step));
    assert!(done.record.isolations.iter().next().is_none(), "nobody switched anything off");
}

#[test]
fn a_box_in_the_wall_is_no_cord_whatever_is_said_of_its_feed() {
    let site = lamp_on_a_cord("switch");
    assert!(steps(&site).contains(&Step::Dead) && !steps(&site).contains(&Step::Bench));
    // Nor is a box that stands open: it is closed as it was opened.
    let off = isolated(&site, "x", "breaker", &["7"]);
    let open = stepped(&off, "a", "dead");
    let said = planned(
        &open,
        &[
            set("device", "a", "kind", &json!("relay-in-lamp")),
            set("point", "a", "feed", &json!("cord")),
            set("point", "a", "kind", &json!("shelf")),
        ],
    );
    let on = json!({"do": "energise", "isolation": "x", "by": "Kit", "at": "2026-03-14T10:00:00Z"});
    assert!(refused(&said, &on).contains("a is open"));
    let safe = wish(&ticked(&said, "a", "put-back"), &take("a", "put-back")).unwrap();
    assert!(wish(&safe, &on).is_ok());
}

#[test]
fn a_pendant_has_no_plug() {
    for kind in ["ceiling", "wall-fitting", "outdoor", "bare-wall"] {
        assert!(steps(&lamp_on_a_cord(kind)).contains(&Step::Dead), "{kind}");
    }
}

/// Planned as a lamp on a table while its box stands open, nothing at it counts as tried or closed.
#[test]
fn what_stands_open_has_no_power_whatever_is_planned_there() {
    let off = isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]);
    let edits = [
        set("device", "a", "kind", &json!("relay-in-lamp")),
        set("point", "a", "feed", &json!("cord")),
        set("point", "a", "kind", &json!("shelf")),
    ];
    let said = planned(&stepped(&off, "a", "dead"), &edits);
    let placed =
        ["code", "bench", "placed"].iter().fold(said, |site, step| stepped(&site, "a", step));
    for step in ["powered", "tested", "closed"] {
        let told = refused(&ticked(&placed, "a", step), &take("a", step));
        assert!(told.contains("not in its place"), "{step}: {told}");
    }
}
