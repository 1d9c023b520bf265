//! A unit is dead, and another of its kind takes its place: what was done on the dead one is done again on that.

use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::gate::{Stand, gate};
use dot_reach_core::install::record::ghosts;
use dot_reach_core::install::schedule::schedule;
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{Folder, Step};
use serde_json::{Value, json};

use super::machine::{
    AT, energise, house, isolated, opened, planned, refused, set, stand, stepped, take, wired,
};
use crate::common::wish;

fn dead(device: &str) -> Value {
    json!({"do": "gave-out", "device": device, "why": "its relay sticks", "at": AT})
}

/// Two switches that are in; the hub tells that it reaches `b` over `a`.
fn lived_in() -> Folder {
    let off = isolated(&house(System::ZWave, &["a", "b"]), "x", "breaker", &["7"]);
    let off = wired(&wired(&off, "a"), "b");
    let mut on = opened(&wish(&off, &energise("x")).unwrap(), &["a", "b"]);
    for (device, node) in [("a", 12), ("b", 13)] {
        on = stepped(&on, device, "powered");
        let join = json!({"do": "join", "device": device, "id": format!("j-{device}"), "joined": "in-place",
            "method": "classic", "node": node, "security": "s2", "by": "Kit", "at": AT});
        on = wish(&on, &join).unwrap_or_else(|why| panic!("{device}: {why}"));
        for step in ["identified", "settings", "tested", "closed"] {
            on = stepped(&on, device, step);
        }
    }
    let set = json!({"do": "put", "kind": "wiring-record", "value": {"id": "w-a", "device": "a",
        "settings": {"After power comes back": "off"}}});
    let via = json!({"do": "put", "kind": "node-report", "value": {"id": "r1", "network": "n", "node": 13,
        "device": "b", "via": ["a"], "at": AT}});
    wish(&wish(&on, &set).unwrap(), &via).unwrap()
}

#[test]
fn another_unit_begins_anew_leaves_the_list_as_failed_and_takes_over_how_it_was_set() {
    let swapped = wish(&lived_in(), &dead("a")).unwrap();
    let a = "a".parse().unwrap();
    let spot = WorkedDevice::of(&swapped.site, &a).unwrap();
    assert_eq!(spot.device.replaces, format!("the dead {}, node 12", spot.device.name));
    assert!(spot.takes(Step::Excluded) && spot.device.replaces_dead);
    for step in spot.steps() {
        assert_eq!(stand(&swapped, "a", step), Stand::Open, "{step:?}");
    }
    assert!(swapped.record.joined(&a).is_none(), "the new one is in no list yet");
    assert_eq!(swapped.record.codes_of(&a).count(), 0, "the code of the dead one lets nobody in");
    let kept = swapped.record.wiring_records.named("w-a").unwrap();
    assert_eq!(kept.settings["After power comes back"], "off");
    // It is opened as any box, and never before the dead entry is out of the list, unless for a reason.
    let off = isolated(&swapped, "y", "breaker", &["7"]);
    let why = refused(&off, &{
        let mut act = take("a", "dead");
        act.as_object_mut().unwrap().remove("why");
        act
    });
    assert!(why.contains("Old device out"), "{why}");
    let out = stepped(&off, "a", "excluded");
    assert_eq!(stand(&stepped(&out, "a", "dead"), "a", Step::Dead), Stand::Done);
}

#[test]
fn who_hung_on_it_is_tested_again_and_nobody_else() {
    let before = lived_in();
    assert_eq!(stand(&before, "b", Step::Tested), Stand::Done);
    let swapped = wish(&before, &dead("a")).unwrap();
    assert_eq!(stand(&swapped, "b", Step::Tested), Stand::Open);
    assert_eq!(stand(&swapped, "b", Step::Joined), Stand::Done, "it is in as it was");
    // Nothing hangs on b.
    let other = wish(&before, &dead("b")).unwrap();
    assert_eq!(stand(&other, "a", Step::Tested), Stand::Done);
    let told = other.record.gave_out(&"b".parse().unwrap()).unwrap();
    assert_eq!((told.node, told.hung.len()), (Some(13), 0));
}

#[test]
fn a_unit_whose_box_stands_open_is_not_swapped_by_a_tap() {
    let open = stepped(&isolated(&lived_in(), "y", "breaker", &["7"]), "a", "dead");
    let why = refused(&open, &dead("a"));
    assert!(why.contains("open"), "{why}");
    assert!(gate(&open.record, &open.site).is_open(&"a".parse().unwrap()));
    let nameless =
        refused(&lived_in(), &json!({"do": "gave-out", "device": "a", "why": " ", "at": AT}));
    assert!(nameless.contains("why"), "{nameless}");
    // What is on nobody's plan gives nothing out.
    let gone = planned(&lived_in(), &[json!({"do": "remove", "kind": "device", "id": "a"})]);
    refused(&gone, &dead("a"));
}

#[test]
fn a_unit_that_gives_out_before_its_plate_is_on_leaves_a_box_that_stays_on_the_day() {
    let off = wired(&isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]), "a");
    let on = wish(&off, &energise("x")).unwrap();
    let a = "a".parse().unwrap();
    assert!(on.record.is_in_hand(&a));
    let swapped = wish(&on, &dead("a")).unwrap();
    assert!(swapped.record.is_in_hand(&a), "it stands without its plate");
    // Nobody knows by now whether anything fits in it: the box is still on a visit.
    let unknown = planned(&swapped, &[set("point", "a", "depth_mm", &json!(null))]);
    let analysis = analyse(&Arc::new(unknown.site.clone()), &Options::default());
    let plan = schedule(&analysis, &unknown.record);
    assert!(plan.outages().any(|o| o.devices().any(|d| *d == a)), "{:?}", plan.left_out);
    // Safe again it is in no hand.
    let back = stepped(&isolated(&swapped, "y", "breaker", &["7"]), "a", "excluded");
    let back = stepped(&stepped(&back, "a", "dead"), "a", "put-back");
    let back = wish(&back, &energise("y")).unwrap();
    assert!(!back.record.is_in_hand(&a));
}

#[test]
fn a_hub_is_not_swapped_by_a_tap_and_a_dead_entry_is_told_of_whatever_is_undone() {
    let lived = lived_in();
    let why = refused(&lived, &dead("hub"));
    assert!(why.contains("all that it let in"), "{why}");
    let swapped = wish(&lived, &dead("a")).unwrap();
    // The plan is as before: what the record says of the unit stays.
    let undone = Folder { site: lived.site.clone(), record: swapped.record.clone() };
    let off = isolated(&undone, "y", "breaker", &["7"]);
    let opened = stepped(&off, "a", "dead");
    let told = ghosts(&gate(&opened.record, &opened.site));
    assert_eq!(told.len(), 1, "{told:?}");
    assert!(told[0].1.contains("dead") && told[0].1.contains("node 12"), "{told:?}");
}
