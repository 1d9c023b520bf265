//! The link budget: its terms add up, each mounting costs what its row says, and no profile radiates
//! more than its region allows.

use std::sync::Arc;

use crate::common::{bare, device, with};
use dot_reach_core::analysis::{Analysis, Options, analyse};
use dot_reach_core::findings::Finding;
use dot_reach_core::network::Link;
use dot_reach_core::radio::mounting::MOUNTINGS;
use dot_reach_core::radio::profile::{Class, PLANNED_DUTY, planning_profile};
use dot_reach_core::radio::region::{REGIONS, Region};
use dot_reach_core::radio::system::System;
use dot_reach_core::site::Site;
use dot_reach_core::staircase::{StepOf, staircase};
use dot_reach_core::units::Db;
use dot_reach_standin::houses::{larkfield_mill, quay_court};
use serde_json::{Value, json};

fn analysed(site: Site) -> Analysis {
    analyse(&Arc::new(site), &Options::default())
}

fn close(a: f64, b: f64) -> bool {
    (a - b).abs() < 1e-5
}

#[test]
fn every_staircase_leads_from_what_is_sent_to_what_arrives() {
    let mut hops = 0;
    for site in [larkfield_mill(), quay_court()] {
        let analysis = analysed(site);
        for network in &analysis.networks {
            for link in &network.links.all {
                for (from, to) in [(link.a, link.b), (link.b, link.a)] {
                    let (one, other) = (&network.nodes[from], &network.nodes[to]);
                    let stairs = staircase(&network.medium, one, other, link.target);
                    let lost: Db = stairs.steps.iter().map(|s| s.loss).sum();
                    assert!(close((stairs.tx - lost).get(), stairs.received.get()));
                    assert!(
                        close(stairs.margin().get(), link.margin_from(from).get()),
                        "{} {:e}",
                        one.name,
                        (stairs.margin() - link.margin_from(from)).get()
                    );
                    assert!(close((stairs.wants - stairs.needs).get(), link.target.get()));
                    assert!(stairs.steps.iter().all(|s| s.loss.get().is_finite()));
                    hops += 1;
                }
            }
        }
    }
    assert!(hops > 800, "{hops}");
}

#[test]
fn the_two_directions_differ_by_their_radios_alone() {
    let analysis = analysed(larkfield_mill());
    for network in &analysis.networks {
        for link in &network.links.all {
            let (a, b) = (&network.nodes[link.a], &network.nodes[link.b]);
            let apart = link.margin_from(link.a) - link.margin_from(link.b);
            // Power and sensitivity differ; antennas, surroundings and the way count for both alike.
            let radios = (a.radio.tx - b.radio.tx) + (a.needs - b.needs);
            assert!(close(apart.get(), radios.get()));
            assert_eq!(link.margin(), link.margin_from(link.a).min(link.margin_from(link.b)));
        }
    }
}

/// The one link of a hub and a switch, with more fields of the switch's point and device.
fn link(system: System, point: &Value, sheet: &Value) -> (Analysis, Link) {
    let mut place = json!({"id": "d", "name": "d", "floor": "g", "at": [4.0, 0.0], "height_m": 1.2, "kind": "switch", "neutral": "seen"});
    for (key, value) in point.as_object().into_iter().flatten() {
        place[key] = value.clone();
    }
    let edits = [
        device("h", "hub", [0.0, 0.0]),
        json!({"do": "put", "kind": "point", "value": place}),
        json!({"do": "put", "kind": "device", "value": {"id": "d", "name": "d", "point": "d", "kind": "switch-neutral", "network": "n", "sheet": sheet}}),
    ];
    let analysis = analysed(with(bare(system), &edits));
    let link = analysis.networks[0].links.all[0];
    (analysis, link)
}

#[test]
fn each_mounting_costs_what_its_row_says_in_both_directions() {
    for (system, sub_ghz) in [(System::Zigbee, false), (System::ZWave, true)] {
        let (_, open) = link(system, &json!({}), &json!({}));
        for row in &MOUNTINGS {
            let (analysis, behind) = link(system, &json!({"mounting": row.mounting}), &json!({}));
            let costs = if sub_ghz { row.sub_ghz } else { row.mhz_2400 };
            for from in [0, 1] {
                let lost = open.margin_from(from) - behind.margin_from(from);
                assert!(close(lost.get(), costs.get()), "{}: {lost}", row.name);
            }
            // And the staircase names it.
            let network = &analysis.networks[0];
            let (d, h) = (&network.nodes[0], &network.nodes[1]);
            let stairs = staircase(&network.medium, d, h, behind.target);
            let named = stairs.steps.iter().find(|s| s.of == StepOf::AroundSender);
            assert_eq!(named.map(|s| s.name.as_str()), (costs > Db::ZERO).then_some(row.name));
        }
    }
}

#[test]
fn a_metal_box_and_other_loss_add_up() {
    let (_, open) = link(System::Zigbee, &json!({}), &json!({}));
    let (_, metal) = link(System::Zigbee, &json!({"box": "metal"}), &json!({}));
    let (_, both) =
        link(System::Zigbee, &json!({"box": "metal", "mounting": "metal-plate"}), &json!({}));
    let (_, more) = link(System::Zigbee, &json!({"box": "metal"}), &json!({"extra_loss_db": 3.5}));
    let lost = |link: Link| (open.margin() - link.margin()).get();
    assert!(close(lost(metal), 6.0), "metal back box at 2.4 GHz");
    assert!(close(lost(both), 6.0 + 8.0), "with a metal plate");
    assert!(close(lost(more), 6.0 + 3.5));
}

#[test]
fn a_data_sheet_replaces_the_planning_profile_term_by_term() {
    let (_, planned) = link(System::Zigbee, &json!({}), &json!({}));
    let profile = planning_profile(System::Zigbee, Class::Mains, Region::Eu);
    let moved = |sheet: Value| {
        let (_, link) = link(System::Zigbee, &json!({}), &sheet);
        // From the device outward, and back to it.
        let of = |from| (link.margin_from(from) - planned.margin_from(from)).get();
        (of(0), of(1))
    };
    let tx = profile.tx.get() - 3.0;
    let (out, back) = moved(json!({"tx_dbm": tx}));
    assert!(close(out, -3.0) && close(back, 0.0), "{out} {back}");
    let sensitivity = profile.sensitivity.get() - 5.0;
    let (out, back) = moved(json!({"sensitivity_dbm": sensitivity}));
    assert!(close(out, 0.0) && close(back, 5.0), "{out} {back}");
    let antenna = profile.antenna.get() - 4.0;
    let (out, back) = moved(json!({"antenna_db": antenna}));
    assert!(close(out, -4.0) && close(back, -4.0), "{out} {back}");
}

#[test]
fn a_sheet_over_a_regions_limit_is_found_and_names_it_and_one_at_it_is_not() {
    for row in &REGIONS {
        for system in System::ALL {
            let limit = row.region.limit(system);
            let (kind, class) = match system {
                System::Star => ("switch-star", Class::Mains),
                _ => ("switch-neutral", Class::Mains),
            };
            let antenna = planning_profile(system, class, row.region).antenna;
            let most = limit.peak(PLANNED_DUTY);
            let found = |over: f64| {
                let tx = (most - antenna).get() + over;
                let value = json!({"id": "d", "name": "d", "point": "d", "kind": kind, "network": "n", "sheet": {"tx_dbm": tx}});
                let region = json!({"do": "set", "kind": "job", "id": "job", "field": "region", "value": row.region});
                let device = json!({"do": "put", "kind": "device", "value": value});
                let site = with(
                    bare(system),
                    &[crate::common::device("d", kind, [1.0, 1.0]), region, device],
                );
                let analysis = analyse(&Arc::new(site), &Options::default());
                let over = |f: &&Finding| f.found.rule() == "over the region's limit";
                analysis.findings.iter().find(over).map(|f| f.found.to_string())
            };
            let place = format!("{} in {}", system.name(), row.name);
            // The field itself ends at 36 dBm.
            if (most - antenna).get() > 35.9 {
                continue;
            }
            assert_eq!(found(-0.01), None, "{place}: at the limit");
            let words = found(0.05).unwrap_or_default();
            assert!(words.contains(limit.source) && words.contains(row.name), "{place}: {words}");
        }
    }
}
