//! What is put on record behind a box by one press.

use super::*;
use crate::common::caller;
use dot_reach_core::record::Record;
use dot_reach_core::site::{Function, Gauge, Layout};
use dot_reach_core::wish::PageRequest;

fn house() -> Site {
    let bare = || json!({"gangs": 1});
    site(&[place("p", &bare()), place("q", &bare()), place("r", &bare())])
}

fn press(word: &str, more: &Value) -> Value {
    let mut gesture = json!({"do": word});
    for (key, value) in more.as_object().into_iter().flatten() {
        gesture[key] = value.clone();
    }
    gesture
}

#[test]
fn what_is_new_is_as_little_known_as_it_is() {
    let two = |id: &str| press("add-load", &json!({"id": id, "point": "p"}));
    let house = with(house(), &[two("l1")]);
    let blank = [("load", Fits::NotKnown)];
    assert_eq!(rules(&found(&house, "switch-neutral")), blank, "nobody said how many watts");
    let house = with(house, &[two("l2")]);
    let names: Vec<_> = house.loads.iter().map(|l| l.name.as_str()).collect();
    assert_eq!(names, ["p lamps", "p lamps 2"]);

    // The first conductor is of the usual size, the next like the one before.
    let wire = |id: &str| press("add-conductor", &json!({"id": id, "point": "p"}));
    let thick = json!({"do": "set", "kind": "point", "id": "p", "field": "conductors.0.size",
        "value": "2.5 mm²"});
    let house = with(house, &[wire("a"), thick, wire("b")]);
    let sizes: Vec<_> =
        house.points.named("p").unwrap().conductors.iter().map(|c| c.size).collect();
    assert_eq!(sizes, [Gauge::Mm2_5; 2]);
    assert_eq!(house.points.named("p").unwrap().conductors[0].found, Function::Unknown);
}

#[test]
fn a_breaker_is_recorded_once_and_proven_as_its_label_says() {
    let record = |id: &str, at: &str| press("add-circuit", &json!({"id": id, "point": at}));
    // Three points name breaker 1.
    let house = with(house(), &[record("b1", "p"), record("b2", "q")]);
    assert_eq!(house.circuits.iter().count(), 1);
    let circuit = house.circuits.named("b1").unwrap();
    assert_eq!((circuit.label.as_str(), &circuit.proven), ("1", &None));
    let proof = json!({"circuit": "b1", "by": "Ana", "at": "2026-03-02T09:00:00Z"});
    let house = with(house, &[press("prove-circuit", &proof)]);
    let circuit = house.circuits.named("b1").unwrap();
    assert_eq!(circuit.proven.as_ref().unwrap().by, "Ana");
    assert_eq!(circuit.mislabelled(), None);
    let wrong =
        json!({"do": "set", "kind": "circuit", "id": "b1", "field": "proven.label", "value": "7"});
    assert_eq!(with(house, &[wrong]).circuits.named("b1").unwrap().mislabelled(), Some("7"));
}

#[test]
fn a_place_leaves_its_group_and_what_is_known_of_the_others_stays() {
    let of = |word: &str, at: &str| press(word, &json!({"group": "g1", "point": at}));
    let new = press("add-group", &json!({"id": "g1", "point": "p"}));
    let house = with(house(), &[new, of("join-group", "q"), of("join-group", "r")]);
    let wired = json!({"do": "set", "kind": "group", "id": "g1", "field": "wiring",
        "value": {"layout": "boxes", "line": "p", "load": "q"}});
    let house = with(house, &[wired]);
    let wiring = |house: &Site| house.groups.named("g1").unwrap().wiring.clone();
    let without_r = with(house.clone(), &[of("leave-group", "r")]);
    assert!(matches!(wiring(&without_r), Layout::Boxes { .. }));
    let without_q = with(house, &[of("leave-group", "q")]);
    assert_eq!(wiring(&without_q), Layout::Unknown);
    let none = with(without_q, &[of("leave-group", "p"), of("leave-group", "r")]);
    assert_eq!(none.groups.iter().count(), 0);
}

#[test]
fn what_is_not_there_is_named() {
    for gesture in [
        press("add-load", &json!({"id": "l", "point": "x"})),
        press("add-conductor", &json!({"id": "c", "point": "x"})),
        press("prove-circuit", &json!({"circuit": "x", "by": "", "at": "2026-03-02"})),
        press("join-group", &json!({"group": "x", "point": "p"})),
    ] {
        let wish: PageRequest = serde_json::from_value(gesture.clone()).unwrap();
        let refusal =
            wish.prepare(&house(), &Record::default(), &caller("Kit")).unwrap_err().to_string();
        assert!(refusal.contains('x'), "{gesture}: {refusal}");
    }
}
