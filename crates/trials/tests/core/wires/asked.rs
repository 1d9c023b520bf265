//! From the survey to the plan of a box: what is told, what is asked before anything is joined, what never meets.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use crate::common::{bare, with};
use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::install::schedule::schedule;
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{Record, Step};
use dot_reach_core::site::{Function, Site};
use dot_reach_core::wires::{ConductorPlan, ControlWiring, wiring};
use serde_json::{Value, json};

fn point(id: &str, kind: &str, more: &Value) -> Value {
    let mut value = json!({"id": id, "name": id, "floor": "g", "at": [6.0, 0.0], "height_m": 1.0, "kind": kind,
        "box": "plastic", "circuit": "5"});
    value.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
    json!({"do": "put", "kind": "point", "value": value})
}

fn device(id: &str, kind: &str, at: &str) -> Value {
    json!({"do": "put", "kind": "device", "value": {"id": id, "name": id, "point": at, "kind": kind, "network": "n"}})
}

fn core(id: &str, found: &str, more: &Value) -> Value {
    let mut value = json!({"id": id, "size": "1.5 mm²", "found": found});
    value.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
    value
}

fn group(wiring: &Value) -> Value {
    json!({"do": "put", "kind": "group", "value": {"id": "k", "name": "Stair", "places": ["foot", "top"], "wiring": wiring}})
}

fn stair(foot: &Value, top: &Value, wiring: &Value, devices: &[Value]) -> ControlWiring {
    let mut edits = vec![point("foot", "switch", foot), point("top", "switch", top), group(wiring)];
    edits.extend(devices.iter().cloned());
    let site: Site = with(bare(System::Zigbee), &edits);
    let all = dot_reach_core::wires::wiring(&site);
    assert_eq!(all.len(), 1);
    all.into_iter().next().unwrap()
}

fn told<'a>(found: &'a ControlWiring, at: &str, id: &str) -> &'a ConductorPlan {
    let of = found.boxes.iter().find(|b| b.point.as_str() == at).unwrap();
    of.conductors.iter().find(|c| c.id == id).unwrap()
}

/// Line in the foot, load from the top: a unit at the top, a companion at the foot.
#[test]
fn a_stair_pair_with_a_companion_is_planned_box_by_box() {
    let foot = json!({"neutral": "tested", "conductors": [
        core("l", "line", &json!({"from": "panel", "old_terminal": "common"})),
        core("n1", "neutral", &json!({"from": "panel"})),
        core("a", "traveller", &json!({"from": "top", "colour": "black"})),
        core("b", "traveller", &json!({"from": "top", "colour": "grey"})),
        core("n2", "neutral", &json!({"from": "top"})),
    ]});
    let top = json!({"neutral": "tested", "conductors": [
        core("grey", "traveller", &json!({"from": "foot", "colour": "grey"})),
        core("black", "traveller", &json!({"from": "foot", "colour": "Black "})),
        core("n1", "neutral", &json!({"from": "foot"})),
        core("s", "switched", &json!({"from": "lamp"})),
        core("n2", "neutral", &json!({"from": "lamp"})),
    ]});
    let wiring = json!({"layout": "boxes", "line": "foot", "load": "top"});
    let found = stair(
        &foot,
        &top,
        &wiring,
        &[device("u", "switch-neutral", "top"), device("c", "companion-wired", "foot")],
    );
    assert_eq!(found.open, [""; 0]);
    assert_eq!(found.layouts.iter().map(|row| row.id.as_str()).collect::<Vec<_>>(), ["ends"]);
    // One traveller carries line up, the other the signal; each is marked and comes to its terminal.
    let (black, grey) = (told(&found, "top", "black"), told(&found, "top", "grey"));
    let by_part: BTreeMap<&str, &str> =
        [(black.becomes.as_str(), black.id.as_str()), (grey.becomes.as_str(), grey.id.as_str())]
            .into();
    assert_eq!(by_part.keys().copied().collect::<Vec<_>>(), ["line", "signal"]);
    // The boxes list them in another order: by their colours each is the same conductor at both ends.
    assert_eq!(told(&found, "foot", "a").becomes, black.becomes);
    assert_eq!(told(&found, "foot", "b").becomes, grey.becomes);
    let at_foot = |top: &str| if top == "black" { "a" } else { "b" };
    let line = told(&found, "top", by_part["line"]);
    assert_eq!(line.terminals, [(Some("u".parse().unwrap()), "line".to_owned())]);
    assert!(line.mark.contains("permanent line"));
    let signal = told(&found, "top", by_part["signal"]);
    assert_eq!(signal.terminals, [(Some("u".parse().unwrap()), "traveller".to_owned())]);
    assert_eq!(told(&found, "top", "s").terminals[0].1, "load");
    // At the foot line is joined on to the traveller that carries it, and comes to the companion by a lead.
    let l = told(&found, "foot", "l");
    assert_eq!(l.joins, [at_foot(by_part["line"])]);
    assert_eq!(l.terminals, [(Some("c".parse().unwrap()), "line".to_owned())]);
    assert_eq!(told(&found, "foot", "n1").joins, ["n2"]);
    // Off and on, pressed and not.
    assert_eq!(found.works.len(), 4);
    let foot = found.boxes.iter().find(|b| b.point.as_str() == "foot").unwrap();
    assert_eq!(foot.leads.len(), 1, "{:?}", foot.leads);
}

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
fn remotes_at_the_other_place_leave_the_line_joined_through() {
    let wiring = json!({"layout": "boxes", "line": "foot", "load": "top"});
    for (unit, remote) in [("foot", "top"), ("top", "foot")] {
        let found = stair(
            &json!({"neutral": "tested"}),
            &json!({"neutral": "tested"}),
            &wiring,
            &[device("u", "dimmer-neutral", unit), device("r", "remote-plate", remote)],
        );
        // A dimmer may stand in either end box. Nobody listed them: which traveller carries what is found and marked.
        assert!(
            matches!(found.open.as_slice(), [one] if one.contains("find which is which")),
            "{:?}",
            found.open
        );
        let other = found.boxes.iter().find(|b| b.point.as_str() == remote).unwrap();
        let through: Vec<_> =
            other.conductors.iter().filter(|c| !c.capped && c.becomes != "neutral").collect();
        assert_eq!(through.len(), 2, "{through:?}");
        assert!(through.iter().all(|c| c.joins.len() == 1 && c.terminals.is_empty()));
    }
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

/// Two circuits in one box: nothing of one is joined with anything of the other, and each has its own breaker.
#[test]
fn conductors_of_two_circuits_never_meet() {
    let cores = json!([
        core("l", "line", &json!({"from": "panel"})),
        core("n", "neutral", &json!({"from": "panel"})),
        core("s", "switched", &json!({"from": "lamp"})),
        core("m", "neutral", &json!({"from": "lamp"})),
        core("fl", "line", &json!({"from": "next room", "circuit": "8"})),
        core("fl2", "line", &json!({"from": "panel", "circuit": "8"})),
        core("fn", "neutral", &json!({"from": "next room", "circuit": "8"})),
        core("fn2", "neutral", &json!({"from": "panel", "circuit": "8"})),
    ]);
    let edits = [
        point("p", "switch", &json!({"neutral": "tested", "conductors": cores})),
        device("u", "switch-neutral", "p"),
    ];
    let found = wiring(&with(bare(System::Zigbee), &edits));
    assert_eq!(found[0].open, [""; 0]);
    let of = &found[0].boxes[0].conductors;
    let circuit = |id: &str| of.iter().find(|c| c.id == id).unwrap().circuit.clone();
    for c in of {
        assert!(c.joins.iter().all(|other| circuit(other) == c.circuit), "{c:?}");
        assert!(
            c.circuit == "5" || c.terminals.is_empty(),
            "a device is fed from its own circuit: {c:?}"
        );
    }
    assert_eq!(told(&found[0], "p", "fn").joins, ["fn2"]);
    assert_eq!(told(&found[0], "p", "n").joins, ["m"]);
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

/// A feed that goes on to the next box stays whole, and is dark while this one is open.
#[test]
fn what_is_fed_on_stays_fed() {
    let cores = json!([
        core("l1", "line", &json!({"from": "panel"})),
        core("n1", "neutral", &json!({"from": "panel"})),
        core("l2", "line", &json!({"from": "on to the next room"})),
        core("n2", "neutral", &json!({"from": "on to the next room"})),
        core("s", "switched", &json!({"from": "lamp"})),
        core("n3", "neutral", &json!({"from": "lamp"})),
    ]);
    let edits = [
        point("p", "switch", &json!({"neutral": "tested", "conductors": cores})),
        device("u", "switch-neutral", "p"),
    ];
    let found = wiring(&with(bare(System::Zigbee), &edits));
    assert_eq!(found[0].open, [""; 0]);
    let of = &found[0].boxes[0];
    assert_eq!(of.feeds_on, 1);
    assert_eq!(told(&found[0], "p", "l1").joins, ["l2"]);
    let all: BTreeSet<&str> = told(&found[0], "p", "n1").joins.iter().map(String::as_str).collect();
    assert_eq!(all, BTreeSet::from(["n2", "n3"]));
    // A lead from each joint to the unit.
    assert_eq!(of.leads.len(), 2);
}

/// What takes the place of a switch opens its box: it stands on a time without power, with the steps of the mains.
#[test]
fn a_remote_in_the_place_of_a_switch_is_work_on_the_mains() {
    let house = |kind: &str, back_box: &str| {
        let edits = [
            crate::common::device("h", "hub", [0.0, 0.0]),
            point("p", kind, &json!({"box": back_box})),
            device("r", "remote-plate", "p"),
        ];
        with(bare(System::Zigbee), &edits)
    };
    let outages = |site: Site| {
        let analysis = analyse(&Arc::new(site), &Options::default());
        let plan = schedule(&analysis, &Record::default());
        let boxes = plan.outages().flat_map(|o| o.boxes.iter().map(|b| b.point.to_string()));
        boxes.collect::<Vec<_>>()
    };
    assert_eq!(outages(house("switch", "plastic")), ["p"]);
    assert_eq!(outages(house("switch", "unknown")), ["p"], "nobody has said that there is none");
    assert_eq!(outages(house("switch", "none")), [""; 0]);
    assert_eq!(outages(house("bare-wall", "none")), [""; 0]);
    let site = house("switch", "plastic");
    let spot = WorkedDevice::of(&site, &"r".parse().unwrap()).unwrap();
    let steps =
        [Step::Dead, Step::Noted, Step::Wired, Step::Checked, Step::DryFitted, Step::Closed];
    assert!(steps.iter().all(|step| spot.takes(*step)));
    assert_eq!(spot.circuits(), ["5"]);
}

/// The foot and the top of a stair pair, each with two travellers to the other of these colours.
fn travellers(foot: [&str; 2], top: [&str; 2]) -> ControlWiring {
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

/// Two gangs of one box on one circuit, each with its lamp and its unit; of which gang the conductors of either lamp are.
fn two_gangs(switched: [u8; 2], neutral: [u8; 2]) -> Vec<ControlWiring> {
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

#[test]
fn each_gang_of_a_box_gets_its_own_switched_line() {
    for (switched, neutral, asks) in
        [([0, 0], [0, 0], "switched line and traveller"), ([2, 1], [0, 0], "each neutral")]
    {
        for found in two_gangs(switched, neutral) {
            assert!(found.boxes.is_empty(), "{found:?}");
            let asked = |o: &String| o.contains("which gang") && o.contains(asks);
            assert!(found.open.iter().any(asked), "{:?}", found.open);
        }
    }
    let found = two_gangs([2, 1], [2, 1]);
    for (control, at, own, others) in [(&found[0], "p", "s2", "s1"), (&found[1], "q", "s1", "s2")] {
        let (own, others) = (told(control, at, own), told(control, at, others));
        assert_eq!(own.terminals.len(), 1, "{control:?}");
        assert!(others.terminals.is_empty() && others.joins.is_empty(), "{others:?}");
        // Line comes to both units: a joint, and a lead to each.
        let of = control.boxes.iter().find(|b| b.point.as_str() == at).unwrap();
        let line: Vec<_> = of.leads.iter().filter(|l| l.carries == "line").collect();
        assert_eq!(line.len(), 1, "{of:?}");
        assert!(
            of.leads
                .iter()
                .any(|l| l.carries == "neutral" && l.from == "the joint of 3 conductors")
        );
        // The neutrals of one circuit stay one joint, of which none is broken for the other gang.
        assert_eq!(told(control, at, "n").joins.len(), 2, "{control:?}");
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

/// A follower is fed and tells by one terminal for line: it stands there once.
#[test]
fn a_follower_has_one_terminal_for_line() {
    let found = stair(
        &json!({"neutral": "tested"}),
        &json!({"neutral": "tested"}),
        &json!({"layout": "boxes", "line": "foot", "load": "top"}),
        &[device("u", "switch-slim", "top"), device("f", "follower-mesh", "foot")],
    );
    let foot = found.boxes.iter().find(|b| b.point.as_str() == "foot").unwrap();
    for c in &foot.conductors {
        let own = c.terminals.iter().enumerate();
        assert!(own.clone().all(|(n, t)| !c.terminals[..n].contains(t)), "{c:?}");
    }
    assert!(foot.conductors.iter().any(|c| c.was == Function::Line && c.terminals.len() == 1));
}

/// What hangs on a cord is no wiring of the house.
#[test]
fn a_relay_inside_a_lamp_on_a_cord_has_no_plan_of_a_box() {
    let edits = [point("p", "socket", &json!({"feed": "cord"})), device("u", "relay-in-lamp", "p")];
    assert!(wiring(&with(bare(System::Zigbee), &edits)).is_empty());
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
