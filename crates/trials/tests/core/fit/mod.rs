//! Whether a device fits a place: worked cases with their source, laws, and every device against every
//! other at one load.

#![expect(clippy::unwrap_used, reason = "the catalogue holds what the tests name")]

mod far_places;
mod kept;
mod loads;
mod order;
mod record;
mod room;

use crate::common::{bare, edit, with};
use dot_reach_core::catalogue::{DeviceKind, Far, KINDS, LoadKind, Supply, kind};
use dot_reach_core::fit::companions::{CompanionClash, pair};
use dot_reach_core::fit::space::{IN3, needed_in3};
use dot_reach_core::fit::{FitFinding, Fits, findings, verdict};
use dot_reach_core::radio::system::System;
use dot_reach_core::site::{Conductor, Site, apply};
use proptest::prelude::*;
use serde_json::{Value, json};

fn put(kind: &str, id: &str, value: &Value) -> Value {
    let mut value = value.clone();
    value["id"] = json!(id);
    json!({"do": "put", "kind": kind, "value": value})
}

/// A point of which all is known that a switch asks for, and more or other fields.
fn place(id: &str, more: &Value) -> Value {
    let mut point = json!({"name": id, "floor": "g", "at": [1.0, 1.0], "height_m": 1.2, "kind": "switch",
        "neutral": "seen", "earth": "conductor", "box": "plastic", "depth_mm": 60.0, "circuit": "1",
        "gangs": 1, "feed": "always"});
    for (key, value) in more.as_object().into_iter().flatten() {
        point[key] = value.clone();
    }
    put("point", id, &point)
}

fn lamps(id: &str, at: &str, more: &Value) -> Value {
    let mut load = json!({"name": format!("{id} lamps"), "switched_at": at, "kind": "led", "count": 4,
        "watts": 10.0, "dimmable": true, "tried": "listed", "inrush_a": 5.0});
    for (key, value) in more.as_object().into_iter().flatten() {
        load[key] = value.clone();
    }
    put("load", id, &load)
}

fn site(things: &[Value]) -> Site {
    with(bare(System::Zigbee), things)
}

fn found(site: &Site, device: &str) -> Vec<FitFinding> {
    findings(site, site.kind(device).unwrap(), site.points.named("p").unwrap(), None)
}

/// What is found at a point like this with usual lamps.
fn at(device: &str, more: &Value) -> Vec<FitFinding> {
    found(&site(&[place("p", more), lamps("l", "p", &json!({}))]), device)
}

/// What is found at a good point with lamps like these.
fn with_lamps(device: &str, more: &Value) -> Vec<FitFinding> {
    found(&site(&[place("p", &json!({})), lamps("l", "p", more)]), device)
}

/// What is found at a good point of which nobody said what it switches.
fn without_lamps(device: &str) -> Vec<FitFinding> {
    found(&site(&[place("p", &json!({}))]), device)
}

fn rules(found: &[FitFinding]) -> Vec<(&'static str, Fits)> {
    found.iter().map(|f| (f.rule(), f.fits())).collect()
}

fn any_kind() -> impl Strategy<Value = &'static DeviceKind> {
    (0..KINDS.len()).prop_map(|n| &KINDS[n])
}

#[test]
fn where_all_is_known_and_right_nothing_is_found() {
    for device in
        ["switch-neutral", "dimmer-neutral", "switch-two-wire", "dimmer-either", "switch-slim"]
    {
        assert_eq!(at(device, &json!({})), [], "{device}");
    }
}

#[test]
fn a_neutral_is_settled_by_what_was_seen_in_the_box() {
    for (seen, fits) in [
        ("seen", Fits::Yes),
        ("unknown", Fits::NotKnown),
        ("not-seen", Fits::ElectricianDecides),
        ("absent", Fits::No),
    ] {
        let found = at("switch-neutral", &json!({"neutral": seen}));
        assert_eq!(verdict(&found), fits, "{seen}");
        assert!(
            found.iter().all(|f| !f.ways_out(&site(&[]).job).is_empty()),
            "{seen}: each has a way out"
        );
    }
    // What needs none does not ask.
    for k in KINDS.iter().filter(|k| k.supply != Supply::MainsNeutral) {
        let found = at(&k.id, &json!({"neutral": "absent"}));
        assert!(found.iter().all(|f| f.rule() != "neutral"), "{}: {found:?}", k.id);
    }
}

#[test]
fn an_earth_that_is_asked_for_and_absent_is_for_an_electrician() {
    for (earth, fits) in [
        ("conductor", Fits::Yes),
        ("earthed-box", Fits::Yes),
        ("unknown", Fits::NotKnown),
        ("none", Fits::ElectricianDecides),
    ] {
        assert_eq!(verdict(&at("switch-neutral", &json!({"earth": earth}))), fits, "{earth}");
        assert_eq!(verdict(&at("switch-two-wire", &json!({"earth": earth}))), Fits::Yes, "{earth}");
    }
}

#[test]
fn out_of_doors_a_device_is_rated_for_it_or_covered() {
    let of = |device: &str, cover: bool| {
        let more = json!({"kind": "outdoor", "weather_cover": cover, "depth_mm": 80.0});
        rules(&at(device, &more))
    };
    // Nobody has looked whether the circuit is protected, either.
    let unprotected = ("residual-current", Fits::NotKnown);
    assert_eq!(of("switch-neutral", false), [("weather", Fits::No), unprotected]);
    assert_eq!(of("switch-neutral", true), [unprotected, ("weather", Fits::IfSo)]);
    assert_eq!(of("switch-outdoor", false), [unprotected]);
}

#[test]
fn the_library_covers_the_field() {
    assert!(KINDS.len() >= 60, "{}", KINDS.len());
    for system in System::ALL {
        assert!(KINDS.iter().filter(|k| k.systems.contains(&system)).count() >= 4, "{system:?}");
    }
    for k in KINDS.iter() {
        // What is wired in has a depth, what follows by wire a family or is plain, what switches a limit.
        assert!(!k.is_wired_in() || k.depth_mm.is_some(), "{}", k.id);
        let follows = matches!(k.fit.far, Far::Electronic | Far::Follower);
        assert!(!follows || !k.fit.family.is_empty(), "{}", k.id);
        assert!(!k.fit.is_dimmer() || k.fit.switches(), "{}", k.id);
        assert!(k.fit.price.is_some_and(|p| p > 0.0), "{}", k.id);
        if let Some([one, both]) = k.fit.derated {
            assert!((0.0..=1.0).contains(&both) && both <= one && one <= 1.0, "{}", k.id);
        }
        // Every family that has a follower has a master that takes it.
        if follows {
            assert!(KINDS.iter().any(|m| pair(m, k).is_ok()), "{} follows nobody", k.id);
        }
    }
}

proptest! {
    #[test]
    fn a_better_known_box_never_fits_worse_than_a_worse_one(k in any_kind(), depth in 5.0..80.0f64) {
        let of = |neutral: &str, earth: &str| {
            verdict(&at(&k.id, &json!({"neutral": neutral, "earth": earth, "depth_mm": depth})))
        };
        for pair in ["absent", "not-seen", "unknown", "seen"].windows(2) {
            prop_assert!(of(pair[1], "conductor") <= of(pair[0], "conductor"));
        }
        for pair in ["none", "unknown", "conductor"].windows(2) {
            prop_assert!(of("seen", pair[1]) <= of("seen", pair[0]));
        }
    }
}
