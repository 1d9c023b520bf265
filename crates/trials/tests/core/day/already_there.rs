//! What is in the house already: it counts where it is, and is neither bought, joined nor carded.

use std::sync::Arc;

use dot_reach_core::analysis::{Analysis, Options, analyse};
use dot_reach_core::bill::bill;
use dot_reach_core::fit::findings;
use dot_reach_core::gate::checks::checks;
use dot_reach_core::gate::gate;
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::install::schedule::schedule;
use dot_reach_core::install::walk::{Stretch, WalkAct, Walks, stretches};
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{Record, Step};
use dot_reach_core::site::Site;
use dot_reach_core::wires::wiring;
use serde_json::{Value, json};

use crate::common::{bare, placed, with};
use crate::day::machine::{circuit, kit, lamp, set, sound};

/// A hub, a plug that forwards, and one box with its lamp; of these are there already as told.
fn house(there: &[&str], more: &[Value]) -> Site {
    let shelf = json!({"kind": "shelf", "box": "none"});
    let socket = json!({"kind": "socket", "box": "none"});
    let mut edits = vec![
        circuit("7", &json!({})),
        kit(),
        placed("hub", "hub", [1.0, 1.0], &shelf),
        placed("plug", "plug-socket", [4.0, 1.0], &socket),
        sound("a", "switch-neutral", [7.0, 1.0], "7"),
        lamp("la", "a"),
    ];
    edits.extend(more.iter().cloned());
    edits.extend(there.iter().map(|id| set("device", id, "already_there", &json!("yes"))));
    with(bare(System::Zigbee), &edits)
}

fn analysed(site: Site) -> Analysis {
    analyse(&Arc::new(site), &Options::default())
}

/// Every stretch of the day of a house in which nothing was done yet.
fn day(analysis: &Analysis) -> Vec<Stretch> {
    let record = Record::default();
    let plan = schedule(analysis, &record);
    let gate = gate(&record, &analysis.site);
    let walks = Walks::of(analysis, &plan, &gate);
    stretches(&plan).iter().filter_map(|(key, _)| walks.stretch(key)).collect()
}

fn cards(analysis: &Analysis) -> usize {
    day(analysis).iter().map(|s| s.cards().1).sum()
}

#[test]
fn what_is_there_changes_bill_day_and_joins_and_not_reach() {
    let (new, lived_in) = (analysed(house(&[], &[])), analysed(house(&["hub", "plug"], &[])));
    // Reach is that of the same radios at the same places.
    for (one, other) in new.networks.iter().zip(&lived_in.networks) {
        assert_eq!(one.outcomes, other.outcomes);
    }
    let bought = |a: &Analysis| -> Vec<String> {
        bill(&a.site, 1).lines.into_iter().map(|l| l.what).collect()
    };
    assert!(bought(&new).iter().any(|w| w == "Hub"));
    let left: Vec<String> = bought(&lived_in);
    assert!(!left.iter().any(|w| w == "Hub" || w == "Plug-in socket"), "{left:?}");
    assert!(left.iter().any(|w| w == "Switch, needs neutral"));
    assert!(bill(&lived_in.site, 1).total < bill(&new.site, 1).total);
    // One network is opened, for the one that is new.
    let acts = |a: &Analysis| -> Vec<WalkAct> {
        day(a).into_iter().flat_map(|s| s.moves).map(|m| m.act).collect()
    };
    let expected: Vec<_> = acts(&lived_in)
        .into_iter()
        .filter_map(|act| match act {
            WalkAct::Open { expected, .. } => Some(expected),
            _ => None,
        })
        .collect();
    assert_eq!(expected, [["a".parse().unwrap()]]);
    let touched = |id: &str| {
        acts(&lived_in)
            .iter()
            .any(|act| matches!(act, WalkAct::Step { device, .. } if device.as_str() == id))
    };
    assert!(touched("a") && !touched("hub") && !touched("plug"));
    assert!(cards(&lived_in) < cards(&new));
    let takes = |a: &Analysis| {
        let plan = schedule(a, &Record::default());
        plan.visits.iter().flat_map(|v| v.take.clone()).map(|(what, _)| what).collect::<Vec<_>>()
    };
    assert!(
        takes(&new).contains(&"Hub".to_owned()) && !takes(&lived_in).contains(&"Hub".to_owned())
    );
}

#[test]
fn a_switch_beside_a_hub_that_runs_takes_eight_cards_and_every_step_of_safety() {
    let lived_in = analysed(house(&["hub", "plug"], &[]));
    let all = day(&lived_in);
    assert_eq!(all.iter().map(|s| s.cards().1).sum::<usize>(), 8);
    let moves: Vec<&WalkAct> = all.iter().flat_map(|s| &s.moves).map(|m| &m.act).collect();
    let has = |step: Step| {
        moves.iter().any(|act| matches!(act, WalkAct::Step { step: s, .. } if *s == step))
    };
    for step in [Step::Dead, Step::Noted, Step::Wired, Step::Checked, Step::DryFitted, Step::Tested]
    {
        assert!(has(step), "{step:?}");
    }
    assert!(moves.iter().any(|a| matches!(a, WalkAct::ProveTester { .. })));
    // What life hangs on is ticked by itself.
    let site = &lived_in.site;
    let spot = WorkedDevice::of(site, &"a".parse().unwrap()).unwrap();
    assert!(checks(&spot, Step::Dead).iter().all(|c| c.alone));
    assert!(checks(&spot, Step::Named).iter().all(|c| !c.alone));
}

#[test]
fn a_device_that_stays_in_a_box_is_proved_dead_with_it_and_counts_for_its_room() {
    let beside = json!({"in_box_of": "a", "circuit": "7", "gang": 2, "box": "none"});
    // Where boxes are reckoned by their volume: each yoke takes two conductors' room.
    let more = [
        placed("old", "switch-neutral", [7.0, 1.0], &beside),
        set("job", "job", "region", &json!("us")),
        set("point", "a", "volume_cm3", &json!(230)),
    ];
    let site = house(&["hub", "plug", "old"], &more);
    let spot = WorkedDevice::of(&site, &"a".parse().unwrap()).unwrap();
    let dead = checks(&spot, Step::Dead);
    assert!(dead.iter().any(|c| c.text == "Dead at old, which stays in the box" && c.alone));
    let old = WorkedDevice::of(&site, &"old".parse().unwrap()).unwrap();
    assert!(old.steps().is_empty() && !old.opens_box());
    // It is in the joints of the box, and has no plan of its own.
    assert!(wiring(&site).iter().all(|c| !c.places.contains(&"old".parse().unwrap())));
    // Its room is taken, whoever put it there.
    let found = |site: &Site| {
        let spot = WorkedDevice::of(site, &"a".parse().unwrap()).unwrap();
        findings(site, spot.kind, spot.point, Some(spot.device))
    };
    let new = house(&["hub", "plug"], &more);
    assert_eq!(found(&site), found(&new));
    assert_ne!(found(&site), found(&house(&["hub", "plug"], &more[1..])));
}

#[test]
fn a_unit_that_is_there_is_opened_where_something_new_of_its_control_is_wired_to_it() {
    let far = |kind: &str| {
        [
            sound("far", kind, [9.0, 1.0], "7"),
            json!({"do": "put", "kind": "group", "value": {"id": "g1", "name": "Pair", "places": ["a", "far"],
                "wiring": {"layout": "unknown"}}}),
        ]
    };
    let steps = |site: &Site| WorkedDevice::of(site, &"a".parse().unwrap()).unwrap().steps();
    let site = house(&["hub", "plug", "a"], &far("companion-wired"));
    assert!(steps(&site).contains(&Step::Dead) && !steps(&site).contains(&Step::Joined));
    let nothing_new = house(&["hub", "plug", "a", "far"], &far("companion-wired"));
    assert!(steps(&nothing_new).is_empty());
    // Nor has a companion that stays a card, which has no radio to tell it apart by.
    let companion = WorkedDevice::of(&nothing_new, &"far".parse().unwrap()).unwrap();
    assert_eq!(companion.steps(), []);
    assert!(day(&analysed(nothing_new.clone())).is_empty());
    // The hours and connectors of its box are in the bill; it is not bought.
    let of = |site: &Site, what: &str| {
        let lines = bill(site, 1).lines;
        lines.iter().filter(|l| l.what.contains(what)).map(|l| l.count).sum::<f64>()
    };
    let all_new = house(&["hub", "plug"], &far("companion-wired"));
    for what in ["Connector", "Electrician"] {
        assert!((of(&site, what) - of(&all_new, what)).abs() < 1e-9, "{what}");
        assert!(of(&nothing_new, what).abs() < 1e-9, "{what}");
    }
    assert!(of(&site, "Switch, needs neutral").abs() < 1e-9);
}

#[test]
fn what_is_there_and_is_to_be_tested_is_told_apart_and_tested() {
    let site = house(&["hub", "a"], &[]);
    let site = with(site, &[set("device", "plug", "already_there", &json!("tested"))]);
    let spot = WorkedDevice::of(&site, &"plug".parse().unwrap()).unwrap();
    assert_eq!(spot.steps(), [Step::Identified, Step::Tested]);
    // Nothing is off, nothing is joined: one stretch.
    assert_eq!(day(&analysed(site)).len(), 1);
}

#[test]
fn a_house_of_nineteen_devices_is_at_most_a_hundred_and_ten_cards() {
    let mut edits =
        vec![kit(), placed("hub", "hub", [1.0, 1.0], &json!({"kind": "shelf", "box": "none"}))];
    edits.extend(["7", "8", "9"].map(|label| circuit(label, &json!({}))));
    let x = |n: u32| 2.0 + f64::from(n);
    for n in 0..11_u32 {
        let (id, breaker) = (format!("w{n}"), ["7", "8", "9"][n as usize % 3]);
        edits.extend([
            sound(&id, "switch-neutral", [x(n), 2.0], breaker),
            lamp(&format!("l{n}"), &id),
        ]);
    }
    for n in 0..4_u32 {
        let socket = json!({"kind": "socket", "box": "none"});
        edits.push(placed(&format!("p{n}"), "plug-socket", [x(n), 4.0], &socket));
    }
    for n in 0..3_u32 {
        let wall = json!({"kind": "bare-wall", "box": "none"});
        edits.push(placed(&format!("s{n}"), "sensor-battery", [x(n), 6.0], &wall));
    }
    let site = with(bare(System::Zigbee), &edits);
    assert_eq!(site.devices.len(), 19);
    let (count, moves) = {
        let all = day(&analysed(site));
        (
            all.iter().map(|s| s.cards().1).sum::<usize>(),
            all.iter().map(|s| s.moves.len()).sum::<usize>(),
        )
    };
    assert!(count <= 110, "{count} cards of {moves} moves");
    assert!(moves > 2 * count, "{moves} moves on {count} cards");
}

/// What a list of names makes of a device is a guess: nobody hangs on it before somebody looked, or its hub says so.
#[test]
fn a_device_that_was_guessed_carries_nobody_until_it_is_confirmed() {
    use dot_reach_core::network::Role;
    use dot_reach_core::network::role::role;
    let of = |edits: &[Value]| {
        let site = with(house(&["hub", "plug"], &[]), edits);
        role(&site, site.devices.get(&"plug".parse().unwrap()).unwrap()).role
    };
    let stays_on = [
        set("device", "plug", "can_be_cut", &json!(true)),
        set("device", "plug", "stays_on", &json!(true)),
    ];
    let with_more = |more: &[Value]| of(&[&stays_on[..], more].concat());
    let guessed = set("device", "plug", "kind_guessed", &json!(true));
    assert_eq!(with_more(&[]), Role::Forwards);
    assert_eq!(with_more(std::slice::from_ref(&guessed)), Role::Leaf);
    let told = |is: bool| set("device", "plug", "forwards", &json!(is));
    assert_eq!(with_more(&[guessed, told(true)]), Role::Forwards);
    assert_eq!(with_more(&[told(false)]), Role::Leaf);
}
