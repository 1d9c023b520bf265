//! Joining as it goes: what was tried when it did not work, numbers that are one device's own, who carries what was
//! moved after it was joined, and which way each goes by whom that is known.

use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::prove::stages::{as_it_stands, now};
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{Folder, KnownBy, Stood};
use dot_reach_core::survey::hub_list::alike;
use serde_json::{Value, json};

use super::machine::{
    AT, energise, house, isolated, opened, planned, refused, set, stepped, take, ticked, wired,
};
use crate::common::wish;

fn join(device: &str, more: &Value) -> Value {
    let mut act = json!({"do": "join", "device": device, "id": format!("j-{device}"), "joined": "in-place",
        "method": "classic", "by": "Kit", "at": AT});
    for (key, value) in more.as_object().into_iter().flatten() {
        act[key] = value.clone();
    }
    act
}

/// Two switches that are wired and powered, with their network open.
fn ready() -> Folder {
    let off = isolated(&house(System::Zigbee, &["a", "b"]), "x", "breaker", &["7"]);
    let off = wired(&wired(&off, "a"), "b");
    let on = opened(&wish(&off, &energise("x")).unwrap(), &["a", "b"]);
    ["a", "b"].iter().fold(on, |folder, device| stepped(&folder, device, "powered"))
}

#[test]
fn rungs_that_were_tried_stay_with_the_joining() {
    let tried = json!({"tried": ["nearer", "restart"], "node": 4});
    let joined = wish(&ready(), &join("a", &tried)).unwrap();
    let of = joined.record.joined(&"a".parse().unwrap()).unwrap();
    let words: Vec<&str> = of.tried.iter().map(String::as_str).collect();
    assert_eq!(words, ["nearer", "restart"]);
}

#[test]
fn no_two_devices_of_a_network_have_one_number() {
    let joined = wish(&ready(), &join("a", &json!({"node": 4}))).unwrap();
    let why = refused(&joined, &join("b", &json!({"node": 4})));
    assert!(why.contains("node") && why.contains("two devices never share one"), "{why}");
    wish(&joined, &join("b", &json!({"node": 5}))).unwrap();
    wish(&joined, &join("b", &json!({}))).unwrap();
    // A joining that was taken back leaves its number to whose it is.
    let back = json!({"do": "take-back", "device": "a", "step": "joined", "by": "Kit", "at": AT});
    let back = wish(&joined, &back).unwrap();
    assert!(back.record.joined(&"a".parse().unwrap()).is_none());
    wish(&back, &join("b", &json!({"node": 4}))).unwrap();
    // Of what is there already the plan has the number.
    let there = planned(&ready(), &[set("device", "b", "number", &json!(9))]);
    refused(&there, &join("a", &json!({"node": 9})));
}

#[test]
fn a_hub_that_names_two_alike_is_told_of_and_one_that_does_not_is_not() {
    let entry = |id: &str, name: &str, number: u32| {
        json!({"do": "put", "kind": "hub-entry",
            "value": {"id": id, "network": "n", "name": name, "number": number}})
    };
    let list = |all: &[Value]| planned(&ready(), all).site;
    assert!(alike(&list(&[entry("h1", "Lamp", 3), entry("h2", "Lamp hall", 4)])).is_empty());
    let names = alike(&list(&[entry("h1", "Lamp", 3), entry("h2", " lamp", 4)]));
    assert!(names.len() == 1 && names[0].starts_with("2 of"), "{names:?}");
    assert!(names[0].contains("“Lamp”"), "its capital stays: {names:?}");
    let numbers = alike(&list(&[entry("h1", "Lamp", 3), entry("h2", "Fan", 3)]));
    assert!(numbers.len() == 1 && numbers[0].contains("Number 3"), "{numbers:?}");
}

/// How a device stands.
fn stands(folder: &Folder, id: &str) -> (Stood, Stood) {
    let analysis = analyse(&Arc::new(folder.site.clone()), &Options::default());
    let of = |all: Vec<Stood>| all.into_iter().find(|s| s.device.as_str() == id).unwrap();
    (of(now(&analysis)), of(as_it_stands(&analysis, &folder.record)))
}

#[test]
fn what_was_joined_elsewhere_tells_at_its_test_who_carries_it_there() {
    let elsewhere = join("a", &json!({"joined": "elsewhere", "parent": "hub", "node": 4}));
    let joined = stepped(&wish(&ready(), &elsewhere).unwrap(), "a", "identified");
    assert_eq!(stands(&joined, "a").1.known, KnownBy::Joining);
    let mut test = take("a", "tested");
    test["parent"] = json!("b");
    let tested = wish(&ticked(&joined, "a", "tested"), &test).unwrap();
    let (planned, is) = stands(&tested, "a");
    let via: Vec<&str> = is.via.iter().map(dot_reach_core::site::DeviceId::as_str).collect();
    assert_eq!((via.as_slice(), is.hops, is.known), (["b"].as_slice(), Some(2), KnownBy::Joining));
    assert_eq!(planned.known, KnownBy::Planned, "the plan is told as that");
    test["parent"] = json!("nobody");
    refused(&ticked(&joined, "a", "tested"), &test);
}

#[test]
fn as_it_stands_is_the_hubs_own_list_where_there_is_one() {
    let report = json!({"do": "put", "kind": "node-report", "value": {"id": "r1", "network": "n",
        "device": "a", "via": ["b"], "at": AT}});
    let told = wish(&ready(), &report).unwrap();
    let (planned, is) = stands(&told, "a");
    assert_eq!((is.known, is.hops, is.via.len()), (KnownBy::Hub, Some(2), 1));
    assert!(planned.via.is_empty(), "by the plan it goes straight");
    // Over two hops its margin is that of the weaker.
    assert!(is.margin_db.is_some() && is.band != "hub");
    assert_eq!(stands(&told, "b").1.known, KnownBy::Planned, "of b nobody told");
}
