//! What is live for every position of every switch, against walking along the wires; houses as they were wired, units that
//! go on with old switches, and wrong wirings called by their names.

use std::collections::{BTreeMap, BTreeSet};

use super::{layouts, schemes};
use dot_reach_core::site::Function;
use dot_reach_core::wires::carries::Carries;
use dot_reach_core::wires::layout::CableEnd;
use dot_reach_core::wires::net::{Pin, WireNet, WiredThing, WiringFault};
use dot_reach_core::wires::plan::{Beside, NoPlan, Scheme, UnitAt, chained, old, plan};
use proptest::prelude::*;

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
}
