//! Houses of one control and what is said of their wires.

use dot_reach_core::radio::system::System;
use dot_reach_core::site::Site;
use dot_reach_core::wires::{ConductorPlan, ControlWiring, wiring};
use serde_json::{Value, json};

use crate::common::{bare, with};

pub(crate) fn point(id: &str, kind: &str, more: &Value) -> Value {
    let mut value = json!({"id": id, "name": id, "floor": "g", "at": [6.0, 0.0], "height_m": 1.0, "kind": kind,
        "box": "plastic", "circuit": "5"});
    value.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
    json!({"do": "put", "kind": "point", "value": value})
}

pub(crate) fn device(id: &str, kind: &str, at: &str) -> Value {
    json!({"do": "put", "kind": "device", "value": {"id": id, "name": id, "point": at, "kind": kind, "network": "n"}})
}

pub(crate) fn core(id: &str, found: &str, more: &Value) -> Value {
    let mut value = json!({"id": id, "size": "1.5 mm²", "found": found});
    value.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
    value
}

pub(crate) fn group(wiring: &Value) -> Value {
    json!({"do": "put", "kind": "group", "value": {"id": "k", "name": "Stair", "places": ["foot", "top"], "wiring": wiring}})
}

pub(crate) fn stair(foot: &Value, top: &Value, wiring: &Value, devices: &[Value]) -> ControlWiring {
    let mut edits = vec![point("foot", "switch", foot), point("top", "switch", top), group(wiring)];
    edits.extend(devices.iter().cloned());
    let site: Site = with(bare(System::Zigbee), &edits);
    let all = dot_reach_core::wires::wiring(&site);
    assert_eq!(all.len(), 1);
    all.into_iter().next().unwrap()
}

pub(crate) fn told<'a>(found: &'a ControlWiring, at: &str, id: &str) -> &'a ConductorPlan {
    let of = found.boxes.iter().find(|b| b.point.as_str() == at).unwrap();
    of.conductors.iter().find(|c| c.id == id).unwrap()
}

/// Two gangs of one box on one circuit, each with its lamp and its unit; of which gang the conductors of either lamp are.
pub(crate) fn two_gangs(switched: [u8; 2], neutral: [u8; 2]) -> Vec<ControlWiring> {
    let cores = json!([
        core("l", "line", &json!({"from": "panel"})),
        core("n", "neutral", &json!({"from": "panel"})),
        core("s1", "switched", &json!({"from": "lamp", "gang": switched[0]})),
        core("m1", "neutral", &json!({"from": "lamp", "gang": neutral[0]})),
        core("s2", "switched", &json!({"from": "lamp", "gang": switched[1]})),
        core("m2", "neutral", &json!({"from": "lamp", "gang": neutral[1]})),
    ]);
    let lead = json!({"neutral": "tested", "gangs": 2, "gang": 1, "conductors": cores});
    let edits = [
        point("p", "switch", &lead),
        point("q", "switch", &json!({"in_box_of": "p", "gang": 2})),
        device("u", "switch-neutral", "p"),
        device("v", "switch-neutral", "q"),
    ];
    wiring(&with(bare(System::Zigbee), &edits))
}

/// The foot and the top of a stair pair, each with two travellers to the other of these colours.
pub(crate) fn travellers(foot: [&str; 2], top: [&str; 2]) -> ControlWiring {
    let with_travellers = |to: &str, colours: [&str; 2], more: &[Value]| {
        let mut all: Vec<Value> = colours
            .iter()
            .enumerate()
            .map(|(n, colour)| {
                core(&format!("t{n}"), "traveller", &json!({"from": to, "colour": colour}))
            })
            .collect();
        all.extend(more.iter().cloned());
        json!({"neutral": "tested", "conductors": all})
    };
    let neutral = |id: &str, from: &str| core(id, "neutral", &json!({"from": from}));
    let line = core("l", "line", &json!({"from": "panel"}));
    let switched = core("s", "switched", &json!({"from": "lamp"}));
    stair(
        &with_travellers("top", foot, &[line, neutral("n1", "panel"), neutral("n2", "top")]),
        &with_travellers("foot", top, &[switched, neutral("n1", "foot"), neutral("n2", "lamp")]),
        &json!({"layout": "boxes", "line": "foot", "load": "top"}),
        &[device("u", "switch-neutral", "top"), device("c", "companion-wired", "foot")],
    )
}
