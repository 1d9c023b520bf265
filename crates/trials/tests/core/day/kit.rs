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
use crate::day::machine::{circuit, isolated, kit, lamp, planned, set, sound, stepped};

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

/// What the day of this house asks before power comes on again, of the kit alone.
fn awaited(folder: &dot_reach_core::record::Folder) -> Vec<String> {
    let gate = gate(&folder.record, &folder.site);
    let on = dot_reach_core::gate::deeds::energise(&gate, "main", None, &[]);
    let of_kit = on.needs.into_iter().filter(|n| n.says.contains("of the same kit"));
    of_kit.map(|n| n.says.split(' ').next().unwrap_or_default().to_owned()).collect()
}

#[test]
fn a_part_that_is_on_no_day_is_not_waited_for_and_one_in_hand_is_by_every_door() {
    let analysis = house();
    let folder = dot_reach_core::record::Folder::planned((*analysis.site).clone());
    let all = ["a", "b", "gateway"];
    assert_eq!(awaited(&folder), all);
    // It does not fit, waits for one on trial, or is in the house already: the others start without it.
    let shallow = || set("point", "b", "depth_mm", &json!(20.0));
    let doors = [
        (shallow(), vec!["a", "gateway"]),
        (set("device", "a", "trial", &json!({})), vec!["a", "gateway"]),
        (set("device", "b", "already_there", &json!("yes")), vec!["a", "gateway"]),
        (json!({"do": "remove", "kind": "device", "id": "b"}), vec!["a", "gateway"]),
    ];
    for (door, left) in doors {
        assert_eq!(awaited(&planned(&folder, std::slice::from_ref(&door))), left, "{door}");
    }
    // Once its box was opened it is in hand, whatever the plan says of it since; closed or put back it is not asked again.
    let off = isolated(&folder, "x", "main", &["7"]);
    let open = stepped(&off, "b", "dead");
    let unfit = planned(&open, &[shallow()]);
    assert_eq!(awaited(&unfit), all);
    let back = stepped(&unfit, "b", "put-back");
    assert!(awaited(&back).contains(&"a".to_owned()));
}
