//! Outlets, and units of several channels.

use dot_reach_core::radio::system::System;
use dot_reach_core::wires::wiring;
use serde_json::{Value, json};

use crate::common::{bare, with};
use crate::wires::houses::{core, device, point, told};

/// Which switched line comes to which channel of a unit of two no layout says; the loads say it.
#[test]
fn a_unit_of_two_channels_asks_which_conductor_is_of_which() {
    let load = json!({"do": "put", "kind": "load", "value": {"id": "left", "name": "left", "switched_at": "p",
        "kind": "led", "count": 1, "watts": 10.0, "channel": 2}});
    let edits = [
        point("p", "switch", &json!({"neutral": "tested"})),
        device("u", "switch-double", "p"),
        load,
    ];
    let found = wiring(&with(bare(System::Zigbee), &edits)).remove(0);
    assert!(
        found.boxes.is_empty() && found.open[0].contains("leads to left is not listed"),
        "{found:?}"
    );
}

/// An outlet is its own load: line, neutral and earth come to it, and what is fed on stays fed.
#[test]
fn an_outlet_that_feeds_others_on_has_a_lead_from_each_joint() {
    let outlet = |cores: &Value| {
        let edits = [
            point("p", "socket", &json!({"neutral": "tested", "conductors": cores})),
            device("u", "socket-flush", "p"),
        ];
        wiring(&with(bare(System::Zigbee), &edits)).remove(0)
    };
    let found = outlet(&json!([
        core("l1", "line", &json!({})),
        core("n1", "neutral", &json!({})),
        core("l2", "line", &json!({"from": "on to the desk"})),
        core("n2", "neutral", &json!({"from": "on to the desk"})),
        core("e", "earth", &json!({"count": 2})),
    ]));
    assert_eq!(found.open, [""; 0]);
    let of = &found.boxes[0];
    assert_eq!((of.feeds_on, of.leads.len()), (1, 3), "{of:?}");
    assert!(of.leads.iter().all(|l| l.from == "the joint of 2 conductors"));
    assert_eq!(told(&found, "p", "l1").joins, ["l2"]);
    assert_eq!(told(&found, "p", "n2").terminals[0].1, "neutral");
    assert!(found.works.iter().any(|s| s.lamp) && found.works.iter().any(|s| !s.lamp));
    // Where nobody listed anything there are a line and a neutral; where all was told apart, what is missing is asked for.
    assert_eq!(outlet(&json!([])).boxes[0].conductors.len(), 2);
    let lacks = outlet(&json!([core("l1", "line", &json!({})), core("e", "earth", &json!({}))]));
    assert!(lacks.boxes.is_empty() && lacks.open[0].contains("No neutral was found"), "{lacks:?}");
    let half = outlet(&json!([core("s", "switched", &json!({})), core("l", "line", &json!({}))]));
    assert!(
        half.boxes.is_empty() && half.open.iter().any(|o| o.contains("which half")),
        "{half:?}"
    );
}

/// A relay of two channels behind an outdoor outlet: each load at the channel that was agreed, by where its line leads.
#[test]
fn each_switched_line_comes_to_the_channel_of_its_load() {
    let load = |id: &str, channel: u8| {
        json!({"do": "put", "kind": "load", "value": {"id": id, "name": id, "switched_at": "p",
        "kind": "led", "count": 1, "watts": 10.0, "channel": channel}})
    };
    let yard = |to: [&str; 2], channels: [u8; 2]| {
        let cores = json!([
            core("l", "line", &json!({})),
            core("n", "neutral", &json!({})),
            core("s1", "switched", &json!({"from": to[0]})),
            core("s2", "switched", &json!({"from": to[1]})),
        ]);
        let edits = [
            point("p", "outdoor", &json!({"neutral": "tested", "conductors": cores})),
            load("pump", channels[0]),
            load("lamps", channels[1]),
            device("u", "relay-double", "p"),
        ];
        wiring(&with(bare(System::Zigbee), &edits)).remove(0)
    };
    let found = yard(["lamps", "Pump"], [1, 2]);
    assert_eq!(found.open, [""; 0]);
    assert_eq!(told(&found, "p", "s1").terminals[0].1, "load 2");
    assert_eq!(told(&found, "p", "s2").terminals[0].1, "load 1");
    assert_eq!(told(&found, "p", "l").terminals[0].1, "line");
    for (to, channels, asks) in [
        (["", ""], [1, 2], "to which load it leads"),
        (["lamps", "pump"], [0, 2], "on which channel"),
        (["lamps", "lamps"], [1, 2], "pump is not listed"),
    ] {
        let found = yard(to, channels);
        let asked = found.open.iter().any(|o| o.to_lowercase().contains(asks));
        assert!(asked && found.boxes.is_empty(), "{to:?} {channels:?}: {found:?}");
    }
    // Two lines on one channel: a joint, and one lead.
    let both = yard(["lamps", "pump"], [1, 1]);
    assert_eq!(told(&both, "p", "s1").terminals, told(&both, "p", "s2").terminals);
    assert_eq!(told(&both, "p", "s1").joins, ["s2"]);
    assert!(both.boxes[0].leads.iter().any(|l| l.to == "load 1"), "{both:?}");
}
