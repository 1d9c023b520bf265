//! Wires: the plans of boxes against an exhaustive twin, the electricity against a slow one, and the survey that tells
//! layouts apart.
#![expect(clippy::unwrap_used, reason = "a search that finds nothing has failed its test")]

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use crate::common::{bare, with};
use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::install::schedule::schedule;
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{Record, Step};
use dot_reach_core::site::{Function, Site};
use dot_reach_core::wires::carries::{Carries, Parts};
use dot_reach_core::wires::layout::{Cable, CableEnd, LAYOUTS};
use dot_reach_core::wires::net::{Pin, WireNet, WiredAt, WiredThing, WiringFault};
use dot_reach_core::wires::plan::{
    Beside, NoPlan, Scheme, UnitAt, chained, neutral_is_past, old, plan,
};
use dot_reach_core::wires::{ControlWiring, wiring};
use proptest::prelude::*;
use serde_json::{Value, json};

/// Every layout for one to three places.
fn layouts() -> Vec<(&'static str, usize, Vec<Cable>)> {
    let safe = LAYOUTS.iter().filter(|row| row.danger.is_empty());
    safe.flat_map(|row| {
        let of = (1..=3).filter(|n| row.is_of(*n));
        of.map(|n| (row.id.as_str(), n, row.cables(n)))
    })
    .collect()
}

/// Every scheme of a unit and what stands beside it, for so many places.
fn schemes(places: usize) -> Vec<Scheme> {
    let at = |n: usize| CableEnd::Place(n);
    let beside = [
        Beside::Nothing,
        Beside::Contact { momentary: true },
        Beside::Contact { momentary: false },
        Beside::Follower { neutral: true },
        Beside::Follower { neutral: false },
        Beside::Fed { neutral: true },
    ];
    let mut all = vec![Scheme {
        unit: None,
        beside: (0..places).map(|n| (at(n), Beside::Nothing)).collect(),
    }];
    for unit in (0..places).map(at).chain([CableEnd::Fitting]) {
        let others: Vec<CableEnd> = (0..places).map(at).filter(|n| *n != unit).collect();
        for neutral in [true, false] {
            for one in beside {
                // The same at each of the others, and remotes at all but one.
                let mixed = others
                    .iter()
                    .enumerate()
                    .map(|(n, at)| (*at, if n == 0 { one } else { Beside::Nothing }));
                let alike = others.iter().map(|at| (*at, one));
                let unit = Some(UnitAt { at: unit, neutral, sensing: false });
                for beside in [alike.collect::<Vec<_>>(), mixed.collect()] {
                    let scheme = Scheme { unit, beside };
                    if !all.contains(&scheme) {
                        all.push(scheme);
                    }
                }
            }
        }
    }
    all
}

/// A set of cable ends.
type Ends = u32;

fn bit(end: CableEnd) -> Ends {
    match end {
        CableEnd::Panel => 1,
        CableEnd::Fitting => 2,
        CableEnd::Place(n) => 4 << n,
        CableEnd::Onward(n) => 1024 << n,
    }
}

/// The ends that are reached from some by conductors with a part.
fn reached(cables: &[Cable], parts: &Parts, part: Carries, from: Ends) -> Ends {
    let mut all = from;
    loop {
        let before = all;
        for (cable, of) in cables.iter().zip(parts) {
            let ends = bit(cable.from) | bit(cable.to);
            if all & ends != 0 && of.contains(&Some(part)) {
                all |= ends;
            }
        }
        if all == before {
            return all;
        }
    }
}

/// Whether a hand-out of parts does what a scheme asks, by who is reached from where. Electricity of its own: it knows no
/// pins and no joints.
fn is_right(cables: &[Cable], parts: &Parts, scheme: &Scheme) -> bool {
    let panel = bit(CableEnd::Panel);
    let line = reached(cables, parts, Carries::Line, panel);
    let neutral = reached(cables, parts, Carries::Neutral, panel);
    let fitting = bit(CableEnd::Fitting);
    // Where the lamp has a neutral of its own, it is none of the control's.
    if !neutral_is_past(cables) && neutral & fitting == 0 {
        return false;
    }
    let has = |ends: Ends, at: CableEnd| ends & bit(at) != 0;
    let tells = |b: &Beside| matches!(b, Beside::Contact { .. } | Beside::Follower { .. });
    let is_fed = |at: CableEnd, wants: bool| {
        has(line, at)
            && (!wants
                || has(neutral, at)
                    && at != CableEnd::Panel
                    && at_panel_or_by_wire(cables, parts, at))
    };
    let works = match scheme.unit {
        None => line & fitting != 0,
        Some(unit) => {
            let load = reached(cables, parts, Carries::Load, bit(unit.at));
            let signal = reached(cables, parts, Carries::Signal, bit(unit.at));
            let told = scheme.beside.iter().all(|(at, b)| !tells(b) || has(signal, *at));
            load & fitting != 0 && told && is_fed(unit.at, unit.neutral)
        }
    };
    // A toggle beside another on one wire changes nothing while that is closed.
    let count = |of: &dyn Fn(&Beside) -> bool| scheme.beside.iter().filter(|(_, b)| of(b)).count();
    let toggles = count(&|b| *b == Beside::Contact { momentary: false });
    let told_once = toggles == 0 || toggles == 1 && count(&tells) == 1;
    works
        && told_once
        && scheme.beside.iter().all(|(at, beside)| match beside {
            Beside::Contact { .. } => is_fed(*at, false),
            Beside::Follower { neutral } | Beside::Fed { neutral } => is_fed(*at, *neutral),
            Beside::Stays | Beside::Nothing => true,
        })
}

/// Whether a neutral is there by a conductor, and not only because the walk began there.
fn at_panel_or_by_wire(cables: &[Cable], parts: &Parts, at: CableEnd) -> bool {
    let here = cables.iter().zip(parts).filter(|(c, _)| c.from == at || c.to == at);
    here.flat_map(|(_, of)| of).any(|part| *part == Some(Carries::Neutral))
}

/// What a conductor may carry: a rule of colours, and what comes from the panel stays what it is.
fn may(cable: &Cable, was: Function, part: Carries) -> bool {
    let same = Carries::as_it_was(was) == Some(part);
    same || cable.from != CableEnd::Panel && part != Carries::Neutral
}

/// Every hand-out of the conductors from one on; whether the visit has seen enough.
fn go(
    at: usize,
    cores: &[(usize, usize)],
    cables: &[Cable],
    parts: &[Option<Carries>],
    handed: &mut Parts,
    visit: &mut dyn FnMut(&Parts) -> bool,
) -> bool {
    let Some((c, k)) = cores.get(at) else { return visit(handed) };
    for part in parts {
        if part.is_none_or(|p| may(&cables[*c], cables[*c].cores[*k], p)) {
            handed[*c][*k] = *part;
            if go(at + 1, cores, cables, parts, handed, visit) {
                return true;
            }
        }
    }
    handed[*c][*k] = None;
    false
}

/// Every hand-out that there is.
fn every(cables: &[Cable], visit: &mut dyn FnMut(&Parts) -> bool) {
    let cores: Vec<(usize, usize)> = cables
        .iter()
        .enumerate()
        .flat_map(|(c, of)| (0..of.cores.len()).map(move |k| (c, k)))
        .collect();
    let parts = [
        None,
        Some(Carries::Line),
        Some(Carries::Neutral),
        Some(Carries::Load),
        Some(Carries::Signal),
    ];
    let mut handed: Parts = cables.iter().map(|c| vec![None; c.cores.len()]).collect();
    go(0, &cores, cables, &parts, &mut handed, visit);
}

#[test]
fn a_plan_is_found_wherever_there_is_one_and_none_is_wrong() {
    let (mut found, mut none) = (0, 0);
    for (id, places, cables) in layouts() {
        // With more free conductors there are too many hand-outs to try; their shapes are tried with fewer places.
        let free: usize =
            cables.iter().filter(|c| c.from != CableEnd::Panel).map(|c| c.cores.len()).sum();
        if free > 7 {
            continue;
        }
        for scheme in schemes(places) {
            let planned = plan(&cables, &scheme);
            let mut exists = false;
            every(&cables, &mut |parts| {
                exists = is_right(&cables, parts, &scheme);
                exists
            });
            match planned {
                Ok(plan) => {
                    found += 1;
                    assert!(
                        is_right(&cables, &plan.parts, &scheme),
                        "{id} {places} {scheme:?}: {plan:?}"
                    );
                    assert!(!plan.works.is_empty());
                    // No conductor that was no neutral has become one, and what comes from the panel is what it was.
                    for (cable, of) in cables.iter().zip(&plan.parts) {
                        for (was, part) in cable.cores.iter().zip(of) {
                            assert!(
                                part.is_none_or(|p| may(cable, *was, p)),
                                "{id}: {was:?} {part:?}"
                            );
                        }
                    }
                }
                Err(why) => {
                    none += 1;
                    assert!(!exists, "{id} {places} {scheme:?}: {why:?}");
                }
            }
        }
    }
    assert!(found > 100 && none > 100, "{found} found, {none} not");
}

#[test]
fn every_layout_worked_as_it_was_wired() {
    for (id, places, cables) in layouts() {
        let net = old(&cables, places);
        let works = net.tried();
        assert!(works.is_ok(), "{id} with {places}: {works:?}");
        assert_eq!(works.unwrap().len(), 1 << places, "{id}");
    }
}

#[test]
fn a_unit_that_senses_goes_where_line_comes_in_and_a_module_is_told_by_the_old_switches() {
    for (id, places, cables) in layouts().into_iter().filter(|(_, n, _)| *n > 1) {
        for at in 0..places {
            let unit = UnitAt { at: CableEnd::Place(at), neutral: true, sensing: true };
            let beside =
                (0..places).filter(|n| *n != at).map(|n| (CableEnd::Place(n), Beside::Stays));
            let found = plan(&cables, &Scheme { unit: Some(unit), beside: beside.collect() });
            let has_neutral = cables.iter().any(|c| {
                (c.from == CableEnd::Place(0) || c.to == CableEnd::Place(0))
                    && c.cores.contains(&Function::Neutral)
            });
            match found {
                Ok(plan) => {
                    assert!(at == 0 && has_neutral, "{id} {at}");
                    // Off, and one of two travellers: three states for each position of the others.
                    assert_eq!(plan.works.len(), 3 << (places - 1));
                    // Nothing becomes another thing but at the unit.
                    for n in 1..places {
                        for c in plan.at(CableEnd::Place(n)) {
                            assert_eq!(Carries::as_it_was(c.was), c.becomes, "{id}");
                        }
                    }
                }
                Err(why) if at > 0 => assert_eq!(why, NoPlan::NotAtLine),
                Err(why) => assert!(
                    !has_neutral && why == NoPlan::Faulty(WiringFault::Starved),
                    "{id}: {why:?}"
                ),
            }
        }
        // A module at the fitting is told by the chain, where line and neutral are there.
        let unit = UnitAt { at: CableEnd::Fitting, neutral: true, sensing: false };
        let found = chained(&cables, places, unit);
        assert_eq!(found.is_ok(), id.starts_with("loop"), "{id}: {:?}", found.err());
    }
}

/// What is joined, by walking: pairs of pins, again and again.
fn joined(net: &WireNet, from: Pin, closed: &[(Pin, Pin)]) -> BTreeSet<Pin> {
    let mut all = BTreeSet::from([from]);
    loop {
        let before = all.len();
        for (cable, cores) in net.cores.iter().enumerate() {
            for core in 0..*cores {
                let ends = [false, true].map(|far| Pin::End { cable, core, far });
                if ends.iter().any(|p| all.contains(p)) {
                    all.extend(ends);
                }
            }
        }
        for joint in &net.joints {
            if joint.iter().any(|p| all.contains(p)) {
                all.extend(joint.iter().copied());
            }
        }
        for (a, b) in closed {
            if all.contains(a) || all.contains(b) {
                all.extend([*a, *b]);
            }
        }
        if all.len() == before {
            return all;
        }
    }
}

/// Whether the lamp is live, by the slow way, with a unit on or off and contacts open or closed.
fn lamp_slowly(net: &WireNet, unit: usize, positions: &BTreeMap<usize, bool>) -> bool {
    let mut closed = Vec::new();
    for (thing, at) in net.things.iter().enumerate() {
        let pin = |terminal| Pin::Terminal { thing, terminal };
        let position = positions.get(&thing).copied().unwrap_or(false);
        match &at.thing {
            WiredThing::Unit { .. } if unit == 1 => closed.push((pin(0), pin(1))),
            WiredThing::Sensing if unit > 0 => closed.push((pin(0), pin(unit))),
            WiredThing::TwoWay => closed.push((pin(0), pin(if position { 1 } else { 2 }))),
            WiredThing::Intermediate if position => {
                closed.extend([(pin(0), pin(2)), (pin(1), pin(3))]);
            }
            WiredThing::Intermediate => closed.extend([(pin(0), pin(3)), (pin(1), pin(2))]),
            WiredThing::Contact { .. } if position => closed.push((pin(0), pin(1))),
            _ => {}
        }
    }
    joined(net, Pin::SourceLine, &closed).contains(&Pin::LampLoad)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 300, failure_persistence: None, ..ProptestConfig::default() })]

    /// A net that is drawn at random, right or wrong: what it is said to do is what walking along the wires finds, and where
    /// it is said to be right no line meets a neutral.
    #[test]
    fn what_is_live_is_what_walking_along_the_wires_finds(
        seed in prop::collection::vec((0..6usize, 0..6usize), 3..14),
        layout in 0..64usize,
        scheme in 0..4096usize,
    ) {
        let all = layouts();
        let (_, places, cables) = &all[layout % all.len()];
        let schemes = schemes(*places);
        let right = plan(cables, &schemes[scheme % schemes.len()]);
        let mut net = match right {
            Ok(plan) => plan.net,
            Err(_) => old(cables, *places),
        };
        // Some pins change their joint.
        for (from, to) in seed {
            let count = net.joints.len();
            if count < 2 {
                continue;
            }
            let (from, to) = (from % count, to % count);
            if from != to && net.joints[from].len() > 1 {
                let pin = net.joints[from].remove(0);
                net.joints[to].push(pin);
            }
        }
        if let Ok(states) = net.tried() {
            for state in states {
                let positions = state.positions.iter().copied().collect();
                prop_assert_eq!(state.lamp, lamp_slowly(&net, state.unit, &positions));
            }
            let line = joined(&net, Pin::SourceLine, &[]);
            prop_assert!(!line.contains(&Pin::SourceNeutral));
            prop_assert!(joined(&net, Pin::SourceNeutral, &[]).contains(&Pin::LampNeutral));
        }
    }
}

#[test]
fn a_wrong_wiring_is_called_by_its_name() {
    let (_, _, cables) =
        layouts().into_iter().find(|(id, n, _)| *id == "at-switch" && *n == 1).unwrap();
    let unit = UnitAt { at: CableEnd::Place(0), neutral: true, sensing: false };
    let good = plan(&cables, &Scheme { unit: Some(unit), beside: Vec::new() }).unwrap().net;
    let joint = |net: &WireNet, pin: Pin| net.joints.iter().position(|j| j.contains(&pin)).unwrap();
    let terminal = |terminal| Pin::Terminal { thing: 0, terminal };
    // Both to one connector.
    let mut wrong = good.clone();
    let neutral = joint(&wrong, terminal(2));
    let moved = wrong.joints.remove(neutral);
    let line = joint(&wrong, terminal(0));
    wrong.joints[line].extend(moved);
    assert_eq!(wrong.tried(), Err(WiringFault::Short));
    // The load on the line: it burns for good.
    let mut wrong = good.clone();
    let load = joint(&wrong, terminal(1));
    let moved = wrong.joints.remove(load);
    let line = joint(&wrong, terminal(0));
    wrong.joints[line].extend(moved);
    assert_eq!(wrong.tried(), Err(WiringFault::NeverOff));
    // A terminal without its conductor.
    for (terminal_number, fault) in
        [(0, WiringFault::Starved), (2, WiringFault::Starved), (1, WiringFault::Dark)]
    {
        let mut wrong = good.clone();
        let at = joint(&wrong, terminal(terminal_number));
        wrong.joints[at].retain(|p| *p != terminal(terminal_number));
        assert_eq!(wrong.tried(), Err(fault), "terminal {terminal_number}");
    }
    // What was fed on from the box is cut.
    let mut fed = good;
    fed.cores.push(2);
    let end = |core, far| Pin::End { cable: 2, core, far };
    fed.fed_on.push((end(0, true), end(1, true)));
    assert_eq!(fed.tried(), Err(WiringFault::CutOff));
    let _ = WiredAt { thing: WiredThing::TwoWay, at: CableEnd::Panel };
}

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
    let all = wiring_of(&site);
    assert_eq!(all.len(), 1);
    all.into_iter().next().unwrap()
}

fn wiring_of(site: &Site) -> Vec<ControlWiring> {
    wiring(site)
}

fn told<'a>(
    found: &'a ControlWiring,
    at: &str,
    id: &str,
) -> &'a dot_reach_core::wires::ConductorPlan {
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
        core("a", "traveller", &json!({"from": "foot"})),
        core("b", "traveller", &json!({"from": "foot"})),
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
    let (a, b) = (told(&found, "top", "a"), told(&found, "top", "b"));
    let by_part: BTreeMap<&str, &str> =
        [(a.becomes.as_str(), a.id.as_str()), (b.becomes.as_str(), b.id.as_str())].into();
    assert_eq!(by_part.keys().copied().collect::<Vec<_>>(), ["line", "signal"]);
    let line = told(&found, "top", by_part["line"]);
    assert_eq!(line.terminals, [(Some("u".parse().unwrap()), "line".to_owned())]);
    assert!(line.mark.contains("permanent line"));
    let signal = told(&found, "top", by_part["signal"]);
    assert_eq!(signal.terminals, [(Some("u".parse().unwrap()), "traveller".to_owned())]);
    assert_eq!(told(&found, "top", "s").terminals[0].1, "load");
    // At the foot line is joined on to the traveller that carries it, and comes to the companion by a lead.
    let l = told(&found, "foot", "l");
    assert_eq!(l.joins, [by_part["line"]]);
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
    assert_eq!(found.open, [""; 0]);
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
        assert_eq!(found.open, [""; 0], "a dimmer may stand in either end box");
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
    // Once that is said, nothing more is asked of the circuits.
    let said = house("5");
    assert!(!said.open.iter().any(|o| o.contains("circuits")), "{said:?}");
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
