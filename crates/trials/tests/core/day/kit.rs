//! A kit on the mains: its gateway is ready before anything joins, its master is woken first, one act lets all in.

use std::sync::Arc;

use dot_reach_core::analysis::{Analysis, Options, analyse};
use dot_reach_core::gate::gate;
use dot_reach_core::install::schedule::schedule;
use dot_reach_core::install::walk::{Stretch, WalkAct, Walks, stretches};
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{Record, Step};
use serde_json::json;

use crate::common::{bare, placed, with};
use crate::day::machine::{circuit, kit, lamp, set, sound};

fn house() -> Analysis {
    let wall = json!({"kind": "bare-wall", "box": "none"});
    let site = with(
        bare(System::Kit),
        &[
            circuit("7", &json!({})),
            kit(),
            sound("gateway", "kit-gateway", [1.0, 1.0], "7"),
            sound("a", "kit-switch", [4.0, 1.0], "7"),
            lamp("la", "a"),
            sound("b", "kit-switch", [7.0, 1.0], "7"),
            lamp("lb", "b"),
            placed("master", "kit-master", [5.0, 3.0], &wall),
        ],
    );
    analyse(&Arc::new(site), &Options::default())
}

fn day(analysis: &Analysis) -> Vec<Stretch> {
    let record = Record::default();
    let plan = schedule(analysis, &record);
    let gate = gate(&record, &analysis.site);
    let walks = Walks::of(analysis, &plan, &gate);
    stretches(&plan).iter().filter_map(|(key, _)| walks.stretch(key)).collect()
}

#[test]
fn the_gateway_is_ready_and_the_master_awake_before_one_act_lets_all_in() {
    let analysis = house();
    let all = day(&analysis);
    assert_eq!(all.len(), 1, "one time without power, and nothing after it");
    let moves = &all[0].moves;
    let at = |id: &str, step: Step| {
        let is = |act: &WalkAct| matches!(act, WalkAct::Step { device, step: s } if device.as_str() == id && *s == step);
        moves.iter().position(|m| is(&m.act))
    };
    let open = moves.iter().position(|m| matches!(m.act, WalkAct::Open { .. })).unwrap();
    let close = moves.iter().position(|m| matches!(m.act, WalkAct::Close { .. })).unwrap();
    for step in [Step::Powered, Step::Phone, Step::Firmware, Step::Clock] {
        assert!(at("gateway", step).unwrap() < open, "{step:?}");
    }
    assert!(at("master", Step::Placed).unwrap() < open);
    for id in ["a", "b", "master"] {
        let joined = at(id, Step::Joined).unwrap();
        assert!(open < joined && joined < close, "{id}");
        // The act, what it lets in and its end are one card.
        assert_eq!(moves[joined].card, moves[open].card, "{id}");
        assert!(at(id, Step::Tested).unwrap() > close, "{id}");
    }
    assert_eq!(moves[close].card, moves[open].card);
    // Each step of each device stands once.
    for n in 0..moves.len() {
        let twice = moves[..n].iter().any(|m| m.act == moves[n].act);
        assert!(!twice, "{:?}", moves[n].act);
    }
}

#[test]
fn what_opens_the_network_is_awake_before_it_does() {
    let analysis = house();
    let (site, record) = (&analysis.site, Record::default());
    let gate = gate(&record, site);
    let needs = |site: &dot_reach_core::site::Site| {
        let expected = ["a".parse().unwrap()];
        dot_reach_core::gate::deeds::open(site, &"n".parse().unwrap(), &expected)
            .needs
            .iter()
            .map(|n| n.says.clone())
            .collect::<Vec<_>>()
    };
    assert!(needs(site)[0].contains("master, which opens the network"));
    assert!(!gate.holds(&"master".parse().unwrap(), Step::Placed));
    // One that has opened it for years is.
    let there = [set("device", "master", "already_there", &json!("yes"))];
    assert!(needs(&with((**site).clone(), &there)).is_empty());
}

#[test]
fn a_mesh_still_opens_for_its_own_and_tries_each_before_the_next() {
    let shelf = json!({"kind": "shelf", "box": "none"});
    let edits = [
        circuit("7", &json!({})),
        kit(),
        placed("hub", "hub", [1.0, 1.0], &shelf),
        sound("a", "switch-neutral", [4.0, 1.0], "7"),
        lamp("la", "a"),
        sound("b", "switch-neutral", [7.0, 1.0], "7"),
        lamp("lb", "b"),
    ];
    let site = with(bare(System::Zigbee), &edits);
    let all = day(&analyse(&Arc::new(site), &Options::default()));
    let moves: Vec<_> = all.iter().flat_map(|s| &s.moves).collect();
    let open = moves.iter().find(|m| matches!(m.act, WalkAct::Open { .. })).unwrap();
    let joins = moves.iter().filter(|m| matches!(m.act, WalkAct::Step { step: Step::Joined, .. }));
    assert!(joins.clone().count() == 2 && joins.clone().all(|m| m.card != open.card));
}
