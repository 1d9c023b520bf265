//! From the survey to the plan of a box: what is told of each conductor, and what never meets.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::install::schedule::schedule;
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{Record, Step};
use dot_reach_core::site::{Function, Site};
use dot_reach_core::wires::{ControlWiring, NewLead, wiring};
use serde_json::{Value, json};

use crate::common::{bare, with};
use crate::wires::houses::{core, device, point, stair, told, two_gangs};

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
fn remotes_at_the_other_place_leave_the_line_joined_through() {
    let wiring = json!({"layout": "boxes", "line": "foot", "load": "top"});
    for (unit, remote) in [("foot", "top"), ("top", "foot")] {
        let found = stair(
            &json!({"neutral": "tested"}),
            &json!({"neutral": "tested"}),
            &wiring,
            &[device("u", "dimmer-neutral", unit), device("r", "remote-plate", remote)],
        );
        // A dimmer may stand in either end box. Nobody listed them: which traveller carries what is found and marked, and
        // that they are travellers at all.
        let asked = |all: &[String]| {
            all.len() == 2
                && all[0].contains("find which is which")
                && all[1].starts_with("Not ruled out")
        };
        assert!(asked(&found.open), "{:?}", found.open);
        let other = found.boxes.iter().find(|b| b.point.as_str() == remote).unwrap();
        let through: Vec<_> =
            other.conductors.iter().filter(|c| !c.capped && c.becomes != "neutral").collect();
        assert_eq!(through.len(), 2, "{through:?}");
        assert!(through.iter().all(|c| c.joins.len() == 1 && c.terminals.is_empty()));
    }
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

/// A lead is cut from what it takes on the part of: its size and, by the country, its colour.
#[test]
fn a_new_lead_has_size_colour_and_length() {
    let house = |country: &Value, edits: &[Value]| {
        let mut all = vec![
            json!({"do": "set", "kind": "job", "id": "job", "field": "wiring_country", "value": country}),
        ];
        all.extend(edits.iter().cloned());
        wiring(&with(bare(System::Zigbee), &all)).remove(0)
    };
    let cores = json!([
        core("l1", "line", &json!({"size": "2.5 mm²"})),
        core("l2", "line", &json!({"from": "on"})),
        core("n1", "neutral", &json!({})),
        core("n2", "neutral", &json!({"from": "on"})),
        core("e", "earth", &json!({"count": 2})),
    ]);
    let outlet = [
        point("p", "socket", &json!({"neutral": "tested", "conductors": cores})),
        device("u", "socket-flush", "p"),
    ];
    let cut = |found: &ControlWiring| -> Vec<String> {
        let mut all: Vec<String> = found.boxes[0].leads.iter().map(NewLead::cut).collect();
        all.sort();
        all
    };
    let told = cut(&house(&json!("gb"), &outlet));
    assert_eq!(
        told,
        [
            "earth, 1.5 mm², green and yellow, 15 cm",
            "line, 2.5 mm², brown, 15 cm",
            "neutral, 1.5 mm², blue, 15 cm"
        ]
    );
    // Where the country is not said, its colours are not either.
    assert!(
        cut(&house(&json!(""), &outlet)).iter().all(|l| l.contains("colour by the local code"))
    );
}

/// The cables of a plan run from end to end: a conductor that was listed at both is one, and what follows from the layout is
/// no survey.
#[test]
fn a_cable_runs_from_end_to_end_with_what_was_found_of_it() {
    let cores = json!([
        core("l", "line", &json!({"from": "panel", "colour": "brown"})),
        core("n", "neutral", &json!({"from": "panel"})),
        core("s", "switched", &json!({"from": "lamp"})),
        core("m", "neutral", &json!({"from": "lamp"})),
    ]);
    let seen = json!({"how": "seen", "by": "Ines", "at": "2026-03-01T08:00:00Z"});
    let listed = json!({"neutral": "tested", "conductors": cores, "facts": {"conductors": seen}});
    let of = |more: &Value| {
        let edits = [point("p", "switch", more), device("u", "switch-neutral", "p")];
        wiring(&with(bare(System::Zigbee), &edits)).remove(0)
    };
    let found = of(&listed);
    let ends: Vec<_> =
        found.cables.iter().map(|c| (c.from.name.as_str(), c.to.point.is_some())).collect();
    assert_eq!(ends, [("the panel", true), ("p", false)]);
    let line = &found.cables[0].cores[0];
    assert_eq!(
        (line.was, line.colour.as_str(), line.circuit.as_str()),
        (Function::Line, "brown", "5")
    );
    assert_eq!(line.ids, [None, Some("l".to_owned())]);
    assert_eq!(line.found, "listed by Ines, seen");
    assert_eq!(found.cables[1].cores[0].becomes, "load");
    // Nobody listed anything: the same cable, and nothing of it passes as found.
    let guessed = of(&json!({"neutral": "tested"}));
    assert!(
        guessed
            .cables
            .iter()
            .flat_map(|c| &c.cores)
            .all(|c| c.found.is_empty() && c.size.is_none())
    );
}

/// Where an old switch becomes a cover, its box is worked in like any other: dead, noted, joined through or capped, closed.
#[test]
fn a_cover_at_an_old_place_is_mains_work_and_leaves_the_line_joined_through() {
    let wiring = json!({"layout": "boxes", "line": "foot", "load": "top"});
    let seen = json!({"neutral": "tested"});
    let devices = [device("u", "switch-neutral", "foot"), device("c", "blank-cover", "top")];
    let found = stair(&seen, &seen, &wiring, &devices);
    let top = found.boxes.iter().find(|b| b.point.as_str() == "top").unwrap();
    let through = top.conductors.iter().filter(|c| !c.joins.is_empty() && c.becomes == "load");
    assert!(through.count() > 1, "the load goes on to the lamp: {top:?}");
    assert!(top.conductors.iter().all(|c| c.terminals.is_empty()));
    // It is on the outage, with every step of the mains and none of a radio.
    let edits = [
        point("foot", "switch", &seen),
        point("top", "switch", &json!({"at": [3.0, 0.0], "neutral": "tested"})),
        json!({"do": "put", "kind": "group", "value": {"id": "k", "name": "Stair", "places": ["foot", "top"],
            "wiring": wiring}}),
        device("u", "switch-neutral", "foot"),
        device("c", "blank-cover", "top"),
    ];
    let site = with(bare(System::Zigbee), &edits);
    let spot = WorkedDevice::of(&site, &"c".parse().unwrap()).unwrap();
    assert!(spot.opens_box());
    let steps = spot.steps();
    for step in [Step::Dead, Step::Noted, Step::Wired, Step::Checked, Step::DryFitted, Step::Closed]
    {
        assert!(steps.contains(&step), "{step:?}");
    }
    for step in [Step::Code, Step::Joined, Step::Tied, Step::Tested, Step::Placed] {
        assert!(!steps.contains(&step), "{step:?}");
    }
}

/// An earth that no device takes is not left loose: on the metal of its box, or capped by itself.
#[test]
fn an_earth_that_nothing_takes_is_capped_or_on_the_metal_of_its_box() {
    let of = |back_box: &str| {
        let cores = json!([
            core("l", "line", &json!({"from": "panel"})),
            core("s", "switched", &json!({"from": "lamp"})),
            core("e", "earth", &json!({"from": "panel"})),
        ]);
        let more = json!({"neutral": "absent", "box": back_box, "conductors": cores});
        let edits = [point("p", "switch", &more), device("u", "dimmer-two-wire", "p")];
        wiring(&with(bare(System::Zigbee), &edits)).remove(0)
    };
    let (plastic, metal) = (of("plastic"), of("metal"));
    let earth = |found: &ControlWiring| told(found, "p", "e").clone();
    assert!(earth(&plastic).capped && earth(&plastic).becomes == "capped");
    assert!(!earth(&metal).capped && earth(&metal).becomes == "earth, on the metal of the box");
}

/// Whatever takes the place of a switch leaves nothing of it behind: a remote that is carried, as one on a plate.
#[test]
fn a_remote_that_is_carried_takes_its_old_switch_away_like_one_on_a_plate() {
    let wiring = json!({"layout": "boxes", "line": "foot", "load": "top"});
    let seen = json!({"neutral": "tested"});
    let of = |remote: &str| {
        let devices = [device("u", "switch-neutral", "foot"), device("r", remote, "top")];
        stair(&seen, &seen, &wiring, &devices)
    };
    let (carried, plate) = (of("remote-battery"), of("remote-plate"));
    assert_eq!(carried.method, plate.method);
    assert_eq!(carried.boxes, plate.boxes);
    assert!(!carried.boxes.is_empty());
}
