//! The offer: kits against singles, and one on trial before the rest.
#![expect(clippy::unwrap_used, reason = "a house that lacks what it was given has failed its test")]

use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::bill::bill;
use dot_reach_core::bill::kits::{kits, with as with_kit};
use dot_reach_core::bill::regroup::{RegroupCosts, regroup};
use dot_reach_core::fit::{FitFinding, findings};
use dot_reach_core::install::schedule::{PowerOff, schedule};
use dot_reach_core::radio::system::System;
use dot_reach_core::record::Record;
use dot_reach_core::site::Site;
use dot_reach_core::trial::{first_purchase, waits};
use serde_json::{Value, json};

use crate::common::{bare, device, placed, with};
use crate::day::machine::{circuit, lamp, set, sound};

fn kit(contents: &Value, price: f64) -> Value {
    json!({"do": "put", "kind": "kit", "value": {"id": "k", "name": "Starter", "price": price, "contents": contents}})
}

fn house() -> Site {
    let socket = json!({"kind": "socket", "box": "none"});
    with(
        bare(System::Zigbee),
        &[
            device("hub", "hub", [1.0, 1.0]),
            placed("p1", "plug-socket", [3.0, 1.0], &socket),
            placed("p2", "plug-socket", [5.0, 1.0], &socket),
            placed("p3", "plug-socket", [7.0, 1.0], &socket),
        ],
    )
}

#[test]
fn a_kit_brings_what_is_planned_and_says_what_is_left_and_what_it_saves() {
    let plain = house();
    let site = with(
        plain.clone(),
        &[kit(&json!({"hub": 1, "plug-socket": 2, "remote-battery": 1}), 150.0)],
    );
    let laid = kits(&site).remove(0);
    let price = |id: &str| site.kind(id).and_then(|k| k.fit.price).unwrap();
    assert_eq!(laid.brings.len(), 3);
    assert_eq!(laid.singles, Some(price("hub") + 2.0 * price("plug-socket")));
    assert_eq!(
        laid.left.iter().map(|(id, _, n)| (id.as_str(), *n)).collect::<Vec<_>>(),
        [("remote-battery", 1)]
    );
    assert!(!laid.hub_too_many);
    // The bill has the kit in place of what it brings, and the third plug singly.
    let (with_it, without) = (bill(&site, 1), bill(&plain, 1));
    let singles = laid.singles.unwrap();
    assert!((without.total - with_it.total - (singles - 150.0)).abs() < 1e-9);
    let plugs: f64 =
        with_it.lines.iter().filter(|l| l.what == "Plug-in socket").map(|l| l.count).sum();
    assert!((plugs - 1.0).abs() < 1e-9);
    // A hub that is there already makes that of the kit one too many.
    let there = with(site, &[set("device", "hub", "already_there", &json!("yes"))]);
    assert!(kits(&there)[0].hub_too_many);
    // One that is thought of is reckoned beside those that are bought.
    let other = kits(&there)[0].kit.clone();
    assert_eq!(with_kit(&there, &other).unwrap().brings.len(), 1);
}

#[test]
fn two_of_a_kit_bring_twice_as_much_and_no_device_is_brought_twice() {
    let twice = [kit(&json!({"plug-socket": 2}), 40.0), set("kit", "k", "count", &json!(2))];
    let laid = kits(&with(house(), &twice)).remove(0);
    let mut brings = laid.brings.clone();
    brings.dedup();
    assert_eq!((brings.len(), laid.brings.len(), laid.left[0].2), (3, 3, 1));
    assert_eq!(laid.costs, Some(80.0));
}

/// Three boxes of one switch, of which the first is on trial.
fn tried() -> Site {
    let mut edits = vec![circuit("7", &json!({})), device("hub", "hub", [1.0, 1.0])];
    for (id, x) in [("a", 3.0), ("b", 5.0), ("c", 7.0)] {
        edits.push(sound(id, "switch-neutral", [x, 1.0], "7"));
        edits.push(lamp(&format!("l{id}"), id));
    }
    edits.push(crate::day::machine::kit());
    edits.push(set("device", "a", "trial", &json!({"until": "2026-12-20"})));
    with(bare(System::Zigbee), &edits)
}

#[test]
fn while_one_is_on_trial_its_like_wait_and_are_a_purchase_of_their_own() {
    let site = tried();
    let waiting = |site: &Site| -> Vec<String> {
        let all = site.devices.iter().filter(|d| waits(site, d).is_some());
        all.map(|d| d.id.to_string()).collect()
    };
    assert_eq!(waiting(&site), ["b", "c"]);
    let first = first_purchase(&site).unwrap();
    let (now, all) = (bill(&first, 1), bill(&site, 1));
    assert!(now.total > 0.0 && now.total < all.total);
    let switches = |b: &dot_reach_core::bill::Bill| -> f64 {
        b.lines.iter().filter(|l| l.what == "Switch, needs neutral").map(|l| l.count).sum()
    };
    assert!((switches(&now) - 1.0).abs() < 1e-9 && (switches(&all) - 3.0).abs() < 1e-9);
    // The day holds the one alone, and says why.
    let plan = |site: &Site| {
        let analysis = analyse(&Arc::new(site.clone()), &Options::default());
        schedule(&analysis, &Record::default())
    };
    let planned = plan(&site);
    let opened: Vec<String> = planned
        .outages()
        .flat_map(|o| o.devices().map(ToString::to_string).collect::<Vec<_>>())
        .collect();
    assert_eq!(opened, ["a"]);
    assert!(planned.left_out.iter().all(|l| l.why.contains("until 2026-12-20")));
    // Kept, all are planned; not kept, all are asked to be something else.
    let kept = with(site.clone(), &[set("device", "a", "trial.judged", &json!("kept"))]);
    assert!(waiting(&kept).is_empty() && first_purchase(&kept).is_none());
    assert_eq!(plan(&kept).outages().flat_map(PowerOff::devices).count(), 3);
    let not = with(site, &[set("device", "a", "trial.judged", &json!("not-kept"))]);
    for device in not.devices.iter().filter(|d| d.kind == "switch-neutral") {
        let kind = not.kind(&device.kind).unwrap();
        let found = findings(&not, kind, not.point_of(device).unwrap(), Some(device));
        assert!(found.iter().any(|f| matches!(f, FitFinding::NotKept { .. })), "{}", device.id);
    }
}

/// A lamp on the wrong switch, which is to go with another.
fn regrouped(more: &Value) -> Site {
    let mut of = json!({"id": "r", "load": "lu", "with": "v"});
    for (key, value) in more.as_object().into_iter().flatten() {
        of[key] = value.clone();
    }
    with(
        house(),
        &[
            circuit("7", &json!({})),
            sound("u", "switch-neutral", [3.0, 3.0], "7"),
            lamp("lu", "u"),
            sound("v", "switch-neutral", [6.0, 3.0], "7"),
            json!({"do": "put", "kind": "regroup", "value": of}),
        ],
    )
}

fn both(site: &Site) -> RegroupCosts {
    regroup(site, site.regroups.named("r").unwrap()).unwrap()
}

#[test]
fn a_load_goes_with_another_place_by_command_or_by_wire_and_both_are_reckoned() {
    let site = regrouped(&json!({"cable_m": 6.0, "opening": "the hall ceiling"}));
    let costs = both(&site);
    // Two boxes of 6 + 7 + 3 minutes; six metres at six minutes and 2 each; ninety minutes of opening; making good 60.
    let hour = 65.0;
    let by_wire = (32.0 + 36.0 + 90.0) / 60.0 * hour + 12.0 + 60.0;
    assert!((costs.by_wire.cost.unwrap() - by_wire).abs() < 1e-9, "{:?}", costs.by_wire);
    assert!(!costs.by_wire.is_least);
    // Two lamps with a radio: 12 each, four minutes and six of joining for each at 55 an hour.
    let by_command = 2.0 * (12.0 + 10.0 / 60.0 * 55.0);
    assert!((costs.by_command.cost.unwrap() - by_command).abs() < 1e-9, "{:?}", costs.by_command);
    assert!(costs.by_command.open[0].contains("has to feed it for good"));
    // What nobody measured or counted makes it a least.
    let open = with(
        site.clone(),
        &[set("regroup", "r", "cable_m", &Value::Null), set("load", "lu", "count", &Value::Null)],
    );
    let least = both(&open);
    assert!(least.by_wire.is_least && least.by_command.is_least);
    assert!(least.by_wire.cost < costs.by_wire.cost);
    assert_eq!(least.by_wire.open, ["nobody has measured its cable"]);
    // A fan gets no lamp.
    let fan = with(site.clone(), &[set("load", "lu", "kind", &json!("fan"))]);
    let what = both(&fan).by_command.parts.first().map(|(what, _)| what.clone());
    assert!(what.is_none_or(|what| !what.contains("lamp")));
    let gone = with(site, &[json!({"do": "remove", "kind": "load", "id": "lu"})]);
    assert!(gone.regroups.is_empty());
}
