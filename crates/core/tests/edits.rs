//! Edits: taking one back leaves nothing behind; what cannot stand is refused in words.

mod common;

use common::{bare, device, edit, wall, with};
use dot_reach_core::radio::system::System;
use dot_reach_core::site::{Edit, Refusal, Site, apply};
use proptest::prelude::*;
use serde_json::{Value, json};

/// Edits on few ids, so that they meet: some are refused, which must change nothing.
fn any_edit() -> impl Strategy<Value = Edit> {
    let id = 0..4u8;
    let at = || [-2.0..20.0f64, -2.0..12.0f64];
    let one = prop_oneof![
        (id.clone(), at(), at()).prop_map(|(i, a, b)| wall(&format!("w{i}"), a, b, "brick-102")),
        id.clone().prop_map(|i| json!({"do": "remove-wall", "id": format!("w{i}")})),
        (id.clone(), id.clone(), at()).prop_map(|(i, o, at)| json!({"do": "drop-opening", "wall": format!("w{i}"), "id": format!("o{o}"), "kind": "door", "at": at})),
        (id.clone(), at()).prop_map(|(i, at)| device(&format!("d{i}"), "switch-neutral", at)),
        (id.clone(), at()).prop_map(|(i, at)| json!({"do": "move-point", "id": format!("d{i}"), "floor": "g", "at": at, "height_m": 1.0})),
        id.clone().prop_map(|i| json!({"do": "remove-point", "id": format!("d{i}")})),
        id.clone().prop_map(|i| json!({"do": "remove-device", "id": format!("d{i}")})),
        (id.clone(), id.clone(), id.clone(), -100.0..-30.0f64).prop_map(|(r, a, b, level)| json!({"do": "put-reading", "reading": {"id": format!("r{r}"), "from": format!("d{a}"), "to": format!("d{b}"), "rssi_dbm": level, "at": "2026-03-14T10:00:00Z"}})),
        (id.clone(), any::<bool>()).prop_map(|(i, done)| json!({"do": "tick", "device": format!("d{i}"), "step": "wired", "done": done})),
        id.clone().prop_map(|i| json!({"do": "put-floor", "floor": {"id": format!("f{i}"), "name": "Storey", "elevation_m": f64::from(i) * 3.0, "height_m": 2.4}})),
        id.prop_map(|i| json!({"do": "remove-floor", "id": format!("f{i}")})),
        Just(json!({"do": "remove-floor", "id": "g"})),
        Just(json!({"do": "remove-network", "id": "n"})),
    ];
    let batch = prop::collection::vec(one.clone(), 1..4)
        .prop_map(|edits: Vec<Value>| json!({"do": "batch", "edits": edits}));
    prop_oneof![4 => one, 1 => batch].prop_map(edit)
}

proptest! {
    #[test]
    fn every_edit_can_be_taken_back_and_a_refused_one_changes_nothing(
        edits in prop::collection::vec(any_edit(), 1..30),
    ) {
        let mut site = bare(System::Zigbee);
        let start = site.clone();
        let mut back = Vec::new();
        for edit in &edits {
            let before = site.clone();
            if let Ok(change) = apply(&mut site, edit) {
                let mut undone = site.clone();
                prop_assert!(apply(&mut undone, &change.inverse).is_ok(), "{:?}", change.inverse);
                prop_assert_eq!(&undone, &before);
                back.push(change.inverse);
            } else {
                prop_assert_eq!(&site, &before);
            }
        }
        for inverse in back.iter().rev() {
            apply(&mut site, inverse).unwrap();
        }
        prop_assert_eq!(site, start);
    }

    #[test]
    fn what_an_edit_changed_is_what_it_says_it_touched(edits in prop::collection::vec(any_edit(), 1..20)) {
        let mut site = bare(System::Zigbee);
        for edit in &edits {
            let before = site.clone();
            let Ok(change) = apply(&mut site, edit) else { continue };
            for id in before.walls.iter().chain(&site.walls).map(|w| w.id.clone()) {
                let same = before.walls.get(&id) == site.walls.get(&id);
                let thing = format!("wall:{id}");
                prop_assert!(same || change.touched.contains(&thing));
            }
            for id in before.devices.iter().chain(&site.devices).map(|d| d.id.clone()) {
                let same = before.devices.get(&id) == site.devices.get(&id);
                let thing = format!("device:{id}");
                prop_assert!(same || change.touched.contains(&thing));
            }
        }
    }
}

#[expect(clippy::unwrap_used, reason = "what is accepted here fails the test")]
fn refusal(site: &Site, value: Value) -> String {
    let mut copy = site.clone();
    let error: Refusal = apply(&mut copy, &edit(value)).unwrap_err();
    assert_eq!(&copy, site);
    error.to_string()
}

#[test]
fn what_cannot_stand_is_refused_with_what_to_do() {
    let site = with(
        bare(System::Zigbee),
        &[wall("w1", [0.0, 0.0], [5.0, 0.0], "brick-102"), device("d1", "hub", [1.0, 1.0])],
    );
    let words = |value| refusal(&site, value);
    assert_eq!(
        words(wall("w2", [1.0, 1.0], [1.0, 1.0], "brick-102")),
        "length: a wall must be at least 5 cm long; this one is 0.00 m"
    );
    assert_eq!(
        words(wall("w2", [1.0, 1.0], [2.0, 1.0], "cheese")),
        "construction: no construction is called “cheese”"
    );
    assert_eq!(
        words(
            json!({"do": "move-point", "id": "d1", "floor": "g", "at": [90.0, 0.0], "height_m": 1.0})
        ),
        "at: lies 85 m outside the drawn plan; draw the building there first, or place it within 30 m"
    );
    assert_eq!(
        words(json!({"do": "remove-network", "id": "n"})),
        "network n is used by 1 devices; change those first"
    );
    assert_eq!(
        words(
            json!({"do": "put-device", "device": {"id": "d2", "name": "x", "point": "d1", "kind": "switch-star", "network": "n"}})
        ),
        "kind: “Switch, star, needs neutral” does not come for Zigbee"
    );
    assert_eq!(
        words(
            json!({"do": "put-floor", "floor": {"id": "f", "name": "F", "elevation_m": 3.0, "height_m": 0.0}})
        ),
        "height_m: is 0.00 m; give 1 to 20 m"
    );
    let opening = |id: &str, at: f64| json!({"do": "drop-opening", "wall": "w1", "id": id, "kind": "door", "at": [at, 0.0]});
    let with_door = with(site.clone(), &[opening("o1", 2.0)]);
    assert_eq!(
        refusal(&with_door, opening("o2", 2.2)),
        "openings: two openings overlap; move one along the wall"
    );
}

#[test]
fn no_number_that_is_not_finite_comes_in() {
    for bad in ["1e999", "-1e999"] {
        let text = format!(
            r#"{{"do":"put-floor","floor":{{"id":"f","name":"F","elevation_m":{bad},"height_m":2.5}}}}"#
        );
        assert!(serde_json::from_str::<Edit>(&text).is_err(), "{bad}");
    }
    let site = bare(System::Zigbee);
    let far = refusal(&site, wall("w", [0.0, 0.0], [1e308, 0.0], "brick-102"));
    assert_eq!(far, "at: must lie within 2000 m of the sheet's origin");
}

#[test]
fn scaling_a_plan_image_keeps_its_first_place_and_is_taken_back_whole() {
    let image = "0".repeat(64);
    let mut site = with(
        bare(System::Zigbee),
        &[
            json!({"do": "put-floor", "floor": {"id": "g", "name": "Ground", "elevation_m": 0.0, "height_m": 2.5, "underlay": {"image": image, "width_px": 1000, "height_px": 500, "origin": [0.0, 0.0], "metres_per_px": 0.01}}}),
        ],
    );
    let before = site.clone();
    let change = apply(
        &mut site,
        &edit(json!({"do": "scale-underlay", "floor": "g", "a": [1.0, 1.0], "b": [3.0, 1.0], "length_m": 4.0})),
    )
    .unwrap();
    let underlay = site.floors.named("g").unwrap().underlay.clone().unwrap();
    assert!((underlay.metres_per_px - 0.02).abs() < 1e-12 && underlay.scaled);
    let near = |v: f64, want: f64| (v - want).abs() < 1e-12;
    assert!(near(underlay.origin[0], -1.0) && near(underlay.origin[1], -1.0));
    apply(&mut site, &change.inverse).unwrap();
    assert_eq!(site, before);
}
