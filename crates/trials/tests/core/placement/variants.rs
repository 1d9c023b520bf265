//! Variants against the plan: what is told of each, and what both changed.

#![expect(clippy::expect_used, reason = "a house that cannot be changed has failed the test")]

use std::collections::BTreeMap;
use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::compare::{differences, standing};
use dot_reach_core::site::{Both, Device, Edit, Kind, Side, Site, apply, merge};
use dot_reach_standin::houses::larkfield_mill;
use serde_json::json;

fn with(site: &Site, edits: &[Edit]) -> Site {
    let mut site = site.clone();
    for edit in edits {
        apply(&mut site, edit).expect("an edit that is taken");
    }
    site
}

fn set(kind: Kind, id: &str, field: &str, value: serde_json::Value) -> Edit {
    Edit::set(kind, &id, field, value)
}

fn repeater() -> Edit {
    let (id, point) = ("extra".parse().expect("an id"), "bed2-plug".parse().expect("an id"));
    let network = "heat".parse().expect("an id");
    Edit::put(Device::new(id, "Extra", point, "repeater-plug", network))
}

#[test]
fn what_makes_a_variant_another_is_told_once_each_and_where() {
    let plan = larkfield_mill();
    assert!(differences(&plan, &plan).is_empty());
    let open = set(Kind::Point, "meter", "mounting", json!("open"));
    let moved = set(Kind::Point, "kit-isle", "at", json!([3.0, 2.0]));
    let channel = set(Kind::Network, "mesh", "channel", json!(20));
    let other = with(&plan, &[open, moved, channel, repeater()]);
    let words: Vec<String> = differences(&plan, &other).into_iter().map(|d| d.words).collect();
    let told = |part: &str| words.iter().filter(|w| w.contains(part)).count();
    assert_eq!(words.len(), 4, "{words:?}");
    assert_eq!(told("Extra comes in"), 1, "{words:?}");
    assert_eq!(told("instead of closed metal cabinet"), 1, "{words:?}");
    assert_eq!(told("is moved by"), 1, "{words:?}");
    assert_eq!(told("Lighting mesh is set otherwise"), 1, "{words:?}");
    // Seen from the other side what came in goes.
    let back: Vec<String> = differences(&other, &plan).into_iter().map(|d| d.words).collect();
    assert!(back.iter().any(|w| w.contains("Extra goes")), "{back:?}");
    for difference in
        differences(&plan, &other).iter().filter(|d| !d.words.contains("set otherwise"))
    {
        assert!(difference.at.is_some(), "{}", difference.words);
    }
}

#[test]
fn a_variant_is_taken_field_by_field_and_what_both_sides_changed_is_asked() {
    let base = larkfield_mill();
    let (high, low) = (|m: f64| set(Kind::Point, "meter", "height_m", json!(m)), json!([3.0, 2.0]));
    let open = set(Kind::Point, "meter", "mounting", json!("open"));
    let plan = with(&base, &[high(1.1), repeater()]);
    // Another field of the same thing: both stand, nobody is asked.
    let variant = with(&base, &[open.clone(), set(Kind::Point, "kit-isle", "at", low)]);
    let found = merge(&base, &plan, &variant, &BTreeMap::new());
    assert_eq!(found.both, []);
    let taken = with(&plan, &found.edits);
    let meter = taken.points.named("meter").unwrap();
    assert!((meter.height_m.get() - 1.1).abs() < 1e-9, "the plan's correction stays");
    assert_eq!(meter.mounting, variant.points.named("meter").unwrap().mounting);
    assert_eq!(with(&plan, &[open]).points.named("meter"), Some(meter));
    // The same field: asked, and as it is answered.
    let variant = with(&base, &[high(1.4)]);
    let asked = merge(&base, &plan, &variant, &BTreeMap::new());
    assert!(asked.edits.is_empty());
    let [both] = &asked.both[..] else { panic!("{:?}", asked.both) };
    assert_eq!(
        (both.key().as_str(), both.name.as_str()),
        ("point:meter.height_m", "Meter cupboard")
    );
    assert_eq!((&both.plan, &both.variant), (&Some(json!(1.1)), &Some(json!(1.4))));
    for (side, stands) in [(Side::Plan, 1.1), (Side::Variant, 1.4)] {
        let answered = merge(&base, &plan, &variant, &BTreeMap::from([(both.key(), side)]));
        assert_eq!(answered.both, []);
        let height = with(&plan, &answered.edits).points.named("meter").unwrap().height_m;
        assert!((height.get() - stands).abs() < 1e-9, "{side:?}");
    }
}

#[test]
fn what_one_side_took_out_and_the_other_went_on_with_is_asked() {
    let base = larkfield_mill();
    let mut spare = serde_json::to_value(base.points.named("kit-isle").unwrap()).unwrap();
    spare["id"] = json!("spare");
    let spare = json!({"do": "put", "kind": "point", "value": spare});
    let base = with(&base, &[Edit::read(spare).unwrap()]);
    let gone = Edit::remove(Kind::Point, &"spare");
    let named = set(Kind::Point, "spare", "name", json!("Island"));
    let keys = |plan: &Site, variant: &Site| -> Vec<String> {
        let found = merge(&base, plan, variant, &BTreeMap::new());
        found.both.iter().map(Both::key).collect()
    };
    let asks = ["point:spare"];
    let (without, renamed) = (with(&base, &[gone]), with(&base, &[named]));
    assert_eq!(keys(&renamed, &without), asks);
    assert_eq!(keys(&without, &renamed), asks);
    // So is a place on which something stands by now.
    let mut lamp = serde_json::to_value(base.devices.iter().next().unwrap()).unwrap();
    lamp["id"] = json!("late");
    lamp["point"] = json!("spare");
    let late = Edit::read(json!({"do": "put", "kind": "device", "value": lamp.clone()})).unwrap();
    let plan = with(&base, &[late]);
    assert_eq!(keys(&plan, &without), asks);
    let keep = BTreeMap::from([(asks[0].to_owned(), Side::Plan)]);
    let taken = with(&plan, &merge(&base, &plan, &without, &keep).edits);
    assert!(taken.devices.named("late").is_some() && taken.points.named("spare").is_some());
    // And one on which something stands that the plan has changed since: it would go along.
    let lamp_there =
        with(&base, &[Edit::read(json!({"do": "put", "kind": "device", "value": lamp})).unwrap()]);
    let without = with(&lamp_there, &[Edit::remove(Kind::Point, &"spare")]);
    let plan = with(&lamp_there, &[set(Kind::Device, "late", "name", json!("Late lamp"))]);
    let asked = merge(&lamp_there, &plan, &without, &BTreeMap::new());
    let keys: Vec<String> = asked.both.iter().map(Both::key).collect();
    assert!(
        keys.contains(&"point:spare".to_owned()) && keys.contains(&"device:late".to_owned()),
        "{keys:?}"
    );
    let keep = keys.into_iter().map(|key| (key, Side::Plan)).collect();
    let taken = with(&plan, &merge(&lamp_there, &plan, &without, &keep).edits);
    assert_eq!(taken.devices.named("late").unwrap().name, "Late lamp");
}

#[test]
fn what_a_variant_changed_is_all_there_once_it_is_taken_whatever_else_the_plan_changed() {
    use proptest::prelude::*;
    use proptest::test_runner::{Config, TestRunner};
    let base = larkfield_mill();
    let points: Vec<String> = base.points.iter().map(|p| p.id.to_string()).collect();
    let edit = (0..points.len(), 0_usize..3, 1..240_u32).prop_map(move |(place, field, n)| {
        let n = f64::from(n) / 100.0;
        let (field, value) =
            [("height_m", json!(n)), ("at", json!([n, n])), ("note", json!(format!("{n}")))][field]
                .clone();
        set(Kind::Point, &points[place], field, value)
    });
    let edits = || prop::collection::vec(edit.clone(), 0..12);
    let mut runner = TestRunner::new(Config::with_cases(60));
    runner
        .run(&(edits(), edits(), any::<bool>()), |(mine, theirs, side)| {
            let (plan, variant) = (with(&base, &mine), with(&base, &theirs));
            let asked = merge(&base, &plan, &variant, &BTreeMap::new()).both;
            let side = if side { Side::Variant } else { Side::Plan };
            let answers = asked.iter().map(|both| (both.key(), side)).collect();
            let found = merge(&base, &plan, &variant, &answers);
            prop_assert_eq!(&found.both, &[]);
            let taken = with(&plan, &found.edits);
            // A slow twin: each field of each point for itself.
            for point in &base.points {
                let all = [&base, &plan, &variant, &taken]
                    .map(|site| serde_json::to_value(site.points.get(&point.id).unwrap()).unwrap());
                for field in ["height_m", "at", "note"] {
                    let [was, mine, theirs, now] = all.each_ref().map(|value| &value[field]);
                    let is_theirs = mine == was || side == Side::Variant;
                    let want = if theirs != was && is_theirs { theirs } else { mine };
                    prop_assert_eq!(now, want, "{} {}", point.id, field);
                }
            }
            Ok(())
        })
        .unwrap();
}

#[test]
fn a_variant_stands_by_the_numbers_of_the_analysis() {
    let plan = larkfield_mill();
    let of = |site: &Site| standing(&analyse(&Arc::new(site.clone()), &Options::default()));
    let now = of(&plan);
    assert!(now.at_target.0 < now.at_target.1 && now.boxes > 0 && now.batteries > 0.0);
    let opened = of(&with(&plan, &[set(Kind::Point, "meter", "mounting", json!("open"))]));
    // Out of its cabinet the hub reaches more, at the same price and with the same boxes.
    assert!(opened.at_target.0 > now.at_target.0 && opened.chance > now.chance);
    assert!((opened.cost - now.cost).abs() < 1e-9 && opened.boxes == now.boxes);
    let more = of(&with(&plan, &[repeater()]));
    assert_eq!(more.at_target.1, now.at_target.1 + 1);
    assert!(more.cost > now.cost);
}
