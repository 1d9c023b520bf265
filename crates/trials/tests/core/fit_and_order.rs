//! Whether a device fits its box, what it becomes to its network by that, and the order of the work.

use std::sync::Arc;

use crate::common::{ZIGBEE_STEP, bare, chain, device, with};
use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::catalogue::kind;
use dot_reach_core::install::{JoinStage, run_sheet};
use dot_reach_core::network::Role;
use dot_reach_core::radio::system::System;
use dot_reach_core::site::DeviceId;
use dot_reach_standin::houses::{larkfield_mill, quay_court, tern_row};
use serde_json::json;

#[test]
fn what_does_not_fit_forwards_nothing_and_the_devices_behind_it_say_so() {
    let open = chain(System::Zigbee, ZIGBEE_STEP, &["switch-neutral", "sensor-battery"]);
    assert_eq!(open.networks[0].nodes[1].role.role, Role::Forwards);
    for (neutral, role) in
        [("unknown", Role::Forwards), ("not-seen", Role::Leaf), ("absent", Role::Leaf)]
    {
        let boxed = json!({"do": "put", "kind": "point", "value": {"id": "a1", "name": "a1", "floor": "g", "at": [ZIGBEE_STEP, 0.0], "height_m": 1.2, "kind": "switch", "neutral": neutral}});
        let analysis =
            analyse(&Arc::new(with((*open.site).clone(), &[boxed])), &Options::default());
        let network = &analysis.networks[0];
        assert_eq!(network.nodes[1].role.role, role, "{neutral}");
        let behind = &network.outcomes[2];
        assert_eq!(behind.hops.is_empty(), role == Role::Leaf, "{neutral}");
        if role == Role::Leaf {
            assert_eq!(
                behind.reason.to_string(),
                "Only a1 would carry it, and it does not fit its box as surveyed, so nothing is built on it."
            );
        }
    }
}

#[test]
fn roles_follow_from_make_and_supply() {
    for (id, system, role) in [
        ("switch-neutral", System::Zigbee, Role::Forwards),
        ("switch-two-wire", System::Zigbee, Role::Leaf),
        ("plug-socket", System::ZWave, Role::Forwards),
        ("lamp", System::Zigbee, Role::Leaf),
        ("sensor-battery", System::Thread, Role::Sleeps),
        ("remote-battery", System::Star, Role::Carried),
        ("switch-star", System::Star, Role::Leaf),
        ("plug-dimmer-star", System::Star, Role::Forwards),
        ("switch-neutral", System::ZWaveLr, Role::Leaf),
        ("switch-neutral", System::Wifi, Role::Leaf),
        ("companion-wired", System::Zigbee, Role::Leaf),
    ] {
        let hub = if system == System::Wifi { "access-point" } else { "hub" };
        let edits = [device("h", hub, [0.0, 0.0]), device("x", id, [2.0, 0.0])];
        let analysis = analyse(&Arc::new(with(bare(system), &edits)), &Options::default());
        let node = analysis.networks[0].nodes.iter().find(|n| n.device.as_str() == "x");
        match node {
            Some(node) => assert_eq!(node.role.role, role, "{id} in {}", system.name()),
            None => assert!(!kind(id).unwrap().has_radio, "{id} has a radio and is no node"),
        }
    }
}

#[test]
fn the_run_sheet_of_every_house_is_in_order_and_whole() {
    for site in [larkfield_mill(), quay_court(), tern_row()] {
        let analysis = analyse(&Arc::new(site), &Options::default());
        let sheet = run_sheet(&analysis);
        let radios: usize = analysis.networks.iter().map(|n| n.nodes.len()).sum();
        assert_eq!(sheet.len(), radios, "a line a radio");
        for network in &analysis.networks {
            let tasks: Vec<_> = sheet.iter().filter(|t| t.network == network.network).collect();
            assert!(tasks.is_sorted_by_key(|t| t.stage), "{}", network.name);
            let repeaters = tasks.iter().filter(|t| t.stage == JoinStage::Repeaters);
            assert!(repeaters.is_sorted_by_key(|t| t.hops), "{}: outward", network.name);
            for task in &tasks {
                // It is joined after the one that carries it.
                if let Some(before) = &task.by_way_of {
                    let at = |id: &DeviceId| tasks.iter().position(|t| t.device == *id);
                    assert!(at(before) < at(&task.device), "{} before {}", before, task.device);
                }
            }
        }
    }
}
