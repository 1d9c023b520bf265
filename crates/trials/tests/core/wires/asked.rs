//! What is asked, or left to the electrician, before anything is joined.

use dot_reach_core::radio::system::System;
use dot_reach_core::wires::{ControlWiring, wiring};
use serde_json::{Value, json};

use crate::common::{bare, with};
use crate::wires::houses::{core, device, point, stair, told, travellers};

#[test]
fn where_the_far_box_lacks_what_the_method_needs_there_is_no_plan_and_it_says_why() {
    let wiring = json!({"layout": "boxes", "line": "foot", "load": "foot"});
    // Line and load in one box: to a unit at the top line, load and neutral would have to go, by three conductors of which
    // none is a neutral.
    let found = stair(
        &json!({}),
        &json!({"neutral": "absent"}),
        &wiring,
        &[device("u", "switch-neutral", "top"), device("r", "remote-plate", "foot")],
    );
    assert!(found.boxes.is_empty());
    assert!(found.open[0].contains("too few conductors"), "{:?}", found.open);
    // In the line box it goes.
    let found = stair(
        &json!({}),
        &json!({"neutral": "absent"}),
        &wiring,
        &[device("u", "switch-neutral", "foot"), device("r", "remote-plate", "top")],
    );
    assert_eq!(found.open, [""; 0], "all are capped alike: nothing has to be told apart");
    // At the top all that led there is capped, each by itself.
    let top = found.boxes.iter().find(|b| b.point.as_str() == "top").unwrap();
    assert!(top.conductors.iter().all(|c| c.capped && c.terminals.is_empty()), "{top:?}");
}

#[test]
fn what_is_not_known_asks_the_question_that_settles_most() {
    let devices = [device("u", "switch-neutral", "top"), device("c", "companion-wired", "foot")];
    let nothing = json!({"layout": "unknown"});
    let found = stair(&json!({}), &json!({}), &nothing, &devices);
    assert!(found.boxes.is_empty() && found.layouts.len() > 3);
    assert_eq!(found.open.len(), 1);
    assert!(found.open[0].ends_with('?') || found.open[0].contains('?'), "{:?}", found.open);
    // Each answer leaves fewer.
    let fewer = stair(&json!({}), &json!({"neutral": "absent"}), &nothing, &devices);
    assert!(fewer.layouts.len() < found.layouts.len());
}

#[test]
fn signs_that_contradict_hold_a_plan_back() {
    let edits = [
        point("p", "switch", &json!({"signs": {"terminals": 3}})),
        device("u", "switch-neutral", "p"),
    ];
    let found = wiring(&with(bare(System::Zigbee), &edits));
    assert!(found[0].boxes.is_empty() && found[0].open[0].contains("find the other place"));
    let edits = [
        point("p", "switch", &json!({"signs": {"terminals": 2}, "neutral": "tested"})),
        device("u", "switch-neutral", "p"),
    ];
    let found = wiring(&with(bare(System::Zigbee), &edits));
    assert_eq!(found[0].open, [""; 0]);
}

#[test]
fn a_box_of_two_circuits_is_asked_about_before_a_neutral_is_joined() {
    let house = |of: &str| {
        let cores = json!([
            core("l", "line", &json!({"circuit": of})),
            core("n", "neutral", &json!({"circuit": of})),
            core("s", "switched", &json!({})),
            core("m", "neutral", &json!({"from": "lamp", "circuit": of})),
            core("fl", "line", &json!({"circuit": if of.is_empty() { "" } else { "8" }})),
            core("fn", "neutral", &json!({"circuit": if of.is_empty() { "" } else { "8" }})),
        ]);
        let edits = [
            point("p", "switch", &json!({"neutral": "tested", "conductors": cores})),
            point("q", "switch", &json!({"in_box_of": "p", "circuit": "8"})),
            device("u", "switch-neutral", "p"),
        ];
        wiring(&with(bare(System::Zigbee), &edits)).remove(0)
    };
    let unsaid = house("");
    assert!(unsaid.boxes.is_empty() && unsaid.open[0].contains("circuits 5 and 8"), "{unsaid:?}");
    let said = house("5");
    assert_eq!(said.open, [""; 0], "{said:?}");
    assert_eq!(told(&said, "p", "n").joins, ["m"]);
    let foreign = told(&said, "p", "fn");
    assert!(foreign.joins.is_empty() && foreign.terminals.is_empty(), "{foreign:?}");
}

/// One traveller becomes line and the other the signal: taken for each other, line stands where a signal is waited for.
#[test]
fn travellers_that_nobody_can_tell_apart_are_found_before_they_are_joined() {
    assert_eq!(travellers(["black", "grey"], ["grey", "black"]).open, [""; 0]);
    let unclear = [
        (["", ""], ["", ""]),
        (["black", "grey"], ["", ""]),
        (["black", "black"], ["black", "black"]),
        (["black", "grey"], ["brown", "grey"]),
        (["black", "grey"], ["black", "black"]),
    ];
    for (foot, top) in unclear {
        let open = travellers(foot, top).open;
        assert!(
            matches!(open.as_slice(), [one] if one.contains("find which is which") && one.contains("proved dead")),
            "{foot:?} {top:?}: {open:?}"
        );
    }
}

/// What no layout can settle: a sentence says what it is, and there is no plan.
#[test]
fn what_the_plan_cannot_know_is_left_to_the_electrician() {
    let pair = json!({"layout": "boxes", "line": "foot", "load": "top"});
    let seen = json!({"neutral": "tested"});
    let open = |devices: &[Value]| {
        let found = stair(&seen, &seen, &pair, devices);
        assert!(found.boxes.is_empty(), "{found:?}");
        found.open.join(" ")
    };
    // Remotes at both places, and no lamp has a radio of its own: nothing would switch it.
    let remotes = [device("r", "remote-plate", "foot"), device("s", "remote-plate", "top")];
    assert!(open(&remotes).contains("Nothing would switch the load"));
    let alone = [device("r", "remote-plate", "foot"), device("c", "companion-wired", "top")];
    assert!(open(&alone).contains("none is there that switches the load"));
    let two = [device("u", "switch-neutral", "top"), device("v", "switch-neutral", "foot")];
    assert!(open(&two).contains("would both switch the load"));
    let heap = [device("u", "switch-neutral", "top"), device("c", "companion-wired", "top")];
    assert!(open(&heap).contains("are planned at one place"));
    let half = [device("u", "switch-neutral", "top")];
    assert!(open(&half).contains("What becomes of the switch at foot"));
}

#[test]
fn a_module_waits_until_somebody_has_seen_its_switch() {
    let house = |seen: &Value| {
        let edits = [point("p", "switch", seen), device("u", "relay-module", "p")];
        wiring(&with(bare(System::Zigbee), &edits)).remove(0)
    };
    let is_asked = |found: &ControlWiring| found.open.iter().any(|o| o.contains("Nobody has seen"));
    let unseen = house(&json!({}));
    assert!(unseen.boxes.is_empty() && is_asked(&unseen), "{unseen:?}");
    for seen in [json!({"signs": {"terminals": 2}}), json!({"neutral": "tested"})] {
        assert!(!is_asked(&house(&seen)), "{seen}");
    }
    assert!(!house(&json!({"neutral": "tested"})).boxes.is_empty());
}

/// The states double with every place: a control of very many is left to an electrician, and at once.
#[test]
fn a_control_of_very_many_places_is_not_tried() {
    let ids: Vec<String> = (0..20).map(|n| format!("p{n}")).collect();
    let mut edits: Vec<Value> = ids.iter().map(|id| point(id, "switch", &json!({}))).collect();
    edits.push(
        json!({"do": "put", "kind": "group", "value": {"id": "k", "name": "Hall", "places": ids}}),
    );
    edits.push(device("u", "switch-neutral", "p0"));
    let found = wiring(&with(bare(System::Zigbee), &edits)).remove(0);
    assert!(
        found.boxes.is_empty() && found.open[0].contains("More than 8 places"),
        "{:?}",
        found.open
    );
}

/// In a box of two controls that nobody listed, a conductor of the one could be taken for one of the other.
#[test]
fn a_box_that_several_share_is_listed_before_anything_is_joined() {
    let edits = [
        point("p", "switch", &json!({"neutral": "tested", "gangs": 2, "gang": 1})),
        point("q", "switch", &json!({"in_box_of": "p", "gang": 2})),
        device("u", "switch-neutral", "p"),
        device("v", "switch-neutral", "q"),
    ];
    let both = wiring(&with(bare(System::Zigbee), &edits));
    assert_eq!(both.len(), 2);
    for found in &both {
        assert!(
            found.boxes.is_empty() && found.works.is_empty() && !found.open.is_empty(),
            "{found:?}"
        );
    }
}

/// A switched neutral of an old house is live when the lamp is dark: nothing is joined before it is ruled out.
#[test]
fn a_layout_that_is_dangerous_is_named_until_something_rules_it_out() {
    let pair = json!({"layout": "boxes", "line": "foot", "load": "top"});
    let devices = [device("u", "switch-neutral", "foot"), device("r", "remote-plate", "top")];
    let seen = json!({"neutral": "tested"});
    let open = stair(&seen, &seen, &pair, &devices).open;
    assert!(
        open.iter().any(|o| o.starts_with("Not ruled out: ") && o.contains("switched")),
        "{open:?}"
    );
    // Travellers between the boxes are none of that layout.
    let cores = json!([
        core("t1", "traveller", &json!({"from": "top", "colour": "black"})),
        core("t2", "traveller", &json!({"from": "top", "colour": "grey"})),
    ]);
    let told = json!({"neutral": "tested", "conductors": cores});
    let open = stair(&told, &seen, &pair, &devices).open;
    assert!(!open.iter().any(|o| o.starts_with("Not ruled out: ")), "{open:?}");
}
