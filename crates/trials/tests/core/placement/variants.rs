//! Variants against the plan: what is told of each, and what both changed.

#![expect(clippy::expect_used, reason = "a house that cannot be changed has failed the test")]

use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::compare::{changed_by_both, differences, standing};
use dot_reach_core::site::{Device, Edit, Kind, Site, apply};
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
fn only_what_both_sides_changed_is_named() {
    let base = larkfield_mill();
    let open = set(Kind::Point, "meter", "mounting", json!("open"));
    let high = set(Kind::Point, "meter", "height_m", json!(1.1));
    let moved = set(Kind::Point, "kit-isle", "at", json!([3.0, 2.0]));
    let plan = with(&base, &[high, repeater()]);
    let variant = with(&base, &[open, moved]);
    assert_eq!(changed_by_both(&base, &plan, &variant), ["Meter cupboard"]);
    assert!(changed_by_both(&base, &base, &variant).is_empty());
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
