//! A thing on a battery over a box: what lies behind it is looked at, through whatever door its place became such a one.

use std::collections::VecDeque;

use dot_reach_core::gate::gate;
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{Folder, Step, What};
use dot_reach_core::site::Site;
use dot_reach_trials::doors::Door;
use proptest::prelude::*;
use proptest::strategy::ValueTree;
use proptest::test_runner::TestRunner;
use serde_json::{Value, json};

use super::doors::House;
use super::machine::{house, planned, refused, set, stepped, take};

/// A house with a remote on a bare wall, of whose box nobody said anything; a metal box is elsewhere.
fn with_remote() -> Folder {
    let point = json!({"do": "put", "kind": "point", "value": {"id": "r", "name": "Remote", "floor": "g",
        "at": [2.0, 2.0], "height_m": 1.1, "kind": "bare-wall"}});
    let elsewhere = json!({"do": "put", "kind": "point", "value": {"id": "s", "name": "Elsewhere", "floor": "g",
        "at": [3.0, 2.0], "height_m": 1.1, "kind": "bare-wall", "box": "metal"}});
    let device = json!({"do": "put", "kind": "device", "value": {"id": "r", "point": "r", "name": "Remote",
        "kind": "remote-battery", "network": "n"}});
    planned(&house(System::Zigbee, &["a"]), &[point, elsewhere, device])
}

/// Whether a box can lie behind the remote, said anew from the job as it is written down.
fn may_hide_a_box(site: &Site) -> bool {
    let whole = serde_json::to_value(site).unwrap();
    let of = |table: &str, id: &Value| {
        let rows = whole[table].as_array().unwrap();
        rows.iter().find(|row| row["id"] == *id).cloned().unwrap_or_default()
    };
    let device = of("devices", &json!("r"));
    let point = of("points", &device["point"]);
    let word = |of: &Value, otherwise: &str| of.as_str().unwrap_or(otherwise).to_owned();
    let back_box = word(&point["box"], "unknown");
    // A switch that stays in its gang has its own conductors: what is beside it is stuck to the wall.
    let stays = point["stays"]
        .as_array()
        .is_some_and(|all| all.iter().any(|s| s["what"] == "switch" && s["gang"] == point["gang"]));
    let stands = point["kind"] == "shelf" && back_box == "unknown";
    device["kind"] == "remote-battery"
        && back_box != "none"
        && !stands
        && !stays
        && (word(&device["fixed"], "unsaid") != "nothing" || point["kind"] == "switch")
}

fn act() -> impl Strategy<Value = Value> {
    let one = |words: &'static [&'static str]| prop::sample::select(words);
    let steps = &["placed", "closed", "code", "dead", "put-back"];
    prop_oneof![
        4 => one(steps).prop_map(|step| take("r", step)),
        2 => one(steps).prop_map(|step| json!({"do": "take-back", "device": "r", "step": step})),
        4 => one(&["none", "plastic", "metal", "unknown"])
            .prop_map(|word| set("point", "r", "box", &json!(word))),
        2 => one(&["bare-wall", "shelf", "switch", "outdoor"])
            .prop_map(|word| set("point", "r", "kind", &json!(word))),
        2 => one(&["unsaid", "screws", "nothing"])
            .prop_map(|word| set("device", "r", "fixed", &json!(word))),
        1 => one(&["remote-battery", "repeater-plug"])
            .prop_map(|word| set("device", "r", "kind", &json!(word))),
        2 => one(&["r", "s"]).prop_map(|place| set("device", "r", "point", &json!(place))),
        2 => any::<bool>().prop_map(|stays| {
            let gang = json!([{"id": "old", "what": "switch", "gang": 1, "depth_mm": 20.0}]);
            let stays = if stays { gang } else { json!([]) };
            json!({"do": "batch", "edits": [set("point", "r", "gangs", &json!(1)),
                set("point", "r", "gang", &json!(1)), set("point", "r", "stays", &stays)]})
        }),
        1 => one(&["device", "point"])
            .prop_map(|kind| json!({"do": "remove", "kind": kind, "id": "r"})),
    ]
}

fn through() -> impl Strategy<Value = Door> {
    prop_oneof![
        12 => (act(), any::<bool>()).prop_map(|(act, first)| Door::Send(act, first)),
        2 => Just(Door::Undo),
        2 => (0..6usize).prop_map(Door::PutBack),
        2 => (0..12usize).prop_map(Door::Import),
        2 => (0..12usize).prop_map(Door::Variant),
        1 => (0..30usize).prop_map(Door::Again),
        3 => (act(), any::<bool>()).prop_map(|(act, first)| Door::Offline(act, first)),
        2 => any::<bool>().prop_map(Door::Online),
        2 => (0..20usize).prop_map(Door::OldPage),
    ]
}

/// Edits, undo, removal, files, variants, take-backs, a second phone, no line, an old page: who puts it up where a box may
/// lie behind it ticks what was looked at, and where it came to stand there since, that is told.
#[test]
fn no_door_puts_a_remote_over_conductors_that_nobody_looked_at() {
    let mut runner = TestRunner::deterministic();
    let walks = prop::collection::vec(through(), 10..50);
    let (mut asked, mut told, mut elsewhere, mut beside) = (0, 0, 0, 0);
    for _ in 0..400 {
        let doors = walks.new_tree(&mut runner).unwrap().current();
        let mut house = House::new(with_remote());
        // A phone that is back sends act by act, and each is asked of the plan as it is by then.
        let mut doors = VecDeque::from(doors);
        while let Some(door) = &doors.pop_front() {
            if let Door::Online(first) = door {
                let kept = std::mem::take(&mut house.phones[usize::from(*first)]).into_iter().rev();
                kept.for_each(|act| doors.push_front(Door::Send(act, *first)));
                continue;
            }
            let before = house.folder.clone();
            house.go(door);
            let folder = &house.folder;
            for entry in folder.record.entries_from(before.record.entries().count()) {
                let What::Stepped(of) = &entry.what else { continue };
                let is_put_up = of.step == Step::Placed && of.device.as_str() == "r";
                if is_put_up && may_hide_a_box(&folder.site) {
                    assert!(of.checks.contains("capped"), "{door:?}: {of:?}");
                    asked += 1;
                    let device = folder.site.devices.named("r");
                    elsewhere += u32::from(device.is_some_and(|d| d.point.as_str() == "s"));
                } else if is_put_up {
                    let point = folder.site.points.named("r");
                    beside += u32::from(point.is_some_and(|p| !p.stays.is_empty()));
                }
            }
            let gate = gate(&folder.record, &folder.site);
            let mark = gate.mark(&"r".parse().unwrap(), Step::Placed).filter(|m| m.done.is_some());
            let is_told = gate.asked_since().iter().any(|(_, step, _)| *step == Step::Placed);
            let owed = mark.is_some_and(|mark| !mark.checks.contains("capped"));
            assert_eq!(is_told, owed && may_hide_a_box(&folder.site), "{door:?}");
            told += usize::from(is_told);
        }
    }
    assert!(asked > 30 && told > 30, "asked {asked} times, told {told} times");
    assert!(elsewhere > 5 && beside > 5, "{elsewhere} elsewhere, {beside} beside a switch");
}

#[test]
fn where_nobody_said_whether_a_box_lies_behind_it_a_remote_is_not_put_up_without_a_look() {
    let folder = with_remote();
    let why = refused(&folder, &take("r", "placed"));
    assert!(why.contains("No box lies behind it; or in it each conductor is joined"), "{why}");
    // Said to be none, nothing is asked; found later, it is told and asks for it.
    let bare = planned(&folder, &[set("point", "r", "box", &json!("none"))]);
    let up = stepped(&bare, "r", "placed");
    let found = planned(&up, &[set("point", "r", "box", &json!("metal"))]);
    assert_eq!(gate(&up.record, &up.site).asked_since(), []);
    let told = gate(&found.record, &found.site).asked_since();
    assert!(told.len() == 1 && told[0].2.contains("with the circuit dead"), "{told:?}");
    let looked = stepped(&found, "r", "placed");
    assert_eq!(gate(&looked.record, &looked.site).asked_since(), []);
}
