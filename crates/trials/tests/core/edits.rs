//! Edits keep their word: taking one back leaves nothing behind, what another thing decides never
//! blocks one, and what cannot stand is refused in words.

use std::sync::Arc;

use crate::common::any_edit::{any_wish, wish};
use crate::common::{bare, device, edit, edited, wall, wished, with};
use dot_reach_core::analysis::{Analysis, Options, analyse, analyse_after};
use dot_reach_core::coverage::{Handset, Request, coverage};
use dot_reach_core::radio::system::System;
use dot_reach_core::site::{Edit, Refusal, Site, Touch, apply, difference, gather, take_back};
use dot_reach_core::units::Metres;
use proptest::prelude::*;
use serde_json::{Value, json};

/// A house in which most random edits find what they name.
fn house() -> Site {
    let floors = (0..3).map(|i| {
        json!({"do": "put", "kind": "floor", "value": {"id": format!("f{i}"),
        "name": "F", "elevation_m": f64::from(i) * 3.0, "height_m": 2.5}})
    });
    let walls = (0..3).map(|i| {
        json!({"do": "put", "kind": "wall", "value": {"id": format!("w{i}"), "floor": "f0",
            "a": [0.0, f64::from(i) * 3.0], "b": [9.0, f64::from(i) * 3.0], "construction": "brick-102"}})
    });
    let networks = (0..3).map(|i| {
        json!({"do": "put", "kind": "network", "value": {"id": format!("n{i}"),
        "name": "N", "system": if i == 2 { "zwave" } else { "zigbee" }}})
    });
    let points = (0..3).map(|i| json!({"do": "put", "kind": "point", "value": {"id": format!("p{i}"),
        "name": "P", "floor": "f0", "at": [1.0 + f64::from(i), 1.0], "height_m": 1.2, "kind": "shelf", "neutral": "seen"}}));
    let devices = (0..3).map(|i| json!({"do": "put", "kind": "device", "value": {"id": format!("d{i}"),
        "name": "D", "point": format!("p{i}"), "kind": if i == 0 { "hub" } else { "switch-neutral" }, "network": "n0"}}));
    let all: Vec<Value> =
        floors.chain(walls).chain(networks).chain(points).chain(devices).collect();
    with(bare(System::Zigbee), &all)
}

/// Does what can be done of a wish.
fn done(site: &mut Site, value: &Value) -> Option<(Edit, dot_reach_core::site::Change)> {
    let edit = edited(wish(value), site).ok()?;
    let change = apply(site, &edit).ok()?;
    Some((edit, change))
}

proptest! {
    #[test]
    fn every_edit_can_be_taken_back_and_made_again_and_a_refused_one_changes_nothing(
        wishes in prop::collection::vec(any_wish(), 1..40),
    ) {
        let mut site = house();
        let start = site.clone();
        let mut back = Vec::new();
        for value in &wishes {
            let before = site.clone();
            let Some((_, change)) = done(&mut site, value) else {
                prop_assert_eq!(&site, &before);
                continue;
            };
            let mut undone = site.clone();
            let redo = take_back(&mut undone, &change.inverse);
            prop_assert!(redo.is_ok(), "{:?}: {:?}", change.inverse, redo);
            prop_assert_eq!(&undone, &before);
            prop_assert!(take_back(&mut undone, &redo.unwrap().inverse).is_ok());
            prop_assert_eq!(&undone, &site);
            back.push(change.inverse);
        }
        for inverse in back.iter().rev() {
            take_back(&mut site, inverse).unwrap();
        }
        prop_assert_eq!(site, start);
    }

    #[test]
    fn what_an_edit_changed_is_what_it_says_it_touched(
        wishes in prop::collection::vec(any_wish(), 1..20),
    ) {
        let mut site = house();
        for value in &wishes {
            let before = site.clone();
            let Some((_, change)) = done(&mut site, value) else { continue };
            let touched = |of: &dot_reach_core::site::Ref| change.touched.iter().any(|t| t.thing == *of);
            for of in before.things().chain(site.things()).map(|t| t.of()) {
                prop_assert_eq!(before.thing(&of) != site.thing(&of), touched(&of), "{}", of);
            }
        }
    }

    #[test]
    fn the_difference_of_two_states_makes_the_one_the_other(
        some in prop::collection::vec(any_wish(), 1..30),
        others in prop::collection::vec(any_wish(), 1..30),
    ) {
        let (mut one, mut other) = (house(), house());
        for value in &some {
            done(&mut one, value);
        }
        for value in &others {
            done(&mut other, value);
        }
        let edit = difference(&one, &other);
        let change = apply(&mut one, &edit);
        prop_assert!(change.is_ok(), "{change:?}");
        prop_assert_eq!(difference(&one, &other), Edit::Batch { edits: vec![] });
        // What the other names and no longer holds is all that may be left.
        let left = one.things().filter(|t| !other.has(&t.of()));
        for thing in left {
            prop_assert_eq!(thing.of().kind.word(), "construction");
        }
        for thing in other.things() {
            let now = one.thing(&thing.of());
            prop_assert_eq!(now.as_ref(), Some(&thing));
        }
    }

    #[test]
    fn every_state_is_written_and_read_back_as_it_was(
        wishes in prop::collection::vec(any_wish(), 1..40),
    ) {
        let mut site = house();
        for value in &wishes {
            done(&mut site, value);
        }
        let text = serde_json::to_string(&site).unwrap();
        let read: Site = serde_json::from_str(&text).unwrap();
        prop_assert_eq!(&read, &site);
        let (gathered, refused) = gather(read.things()).unwrap();
        prop_assert_eq!(refused, vec![]);
        prop_assert_eq!(gathered, site);
    }

    #[test]
    fn an_edit_is_written_and_read_back_as_it_was(value in any_wish()) {
        let site = house();
        if let Ok(edit) = edited(wish(&value), &site) {
            prop_assert_eq!(&crate::common::edit(serde_json::to_value(&edit).unwrap()), &edit);
        }
    }
}

#[expect(clippy::unwrap_used, reason = "the floors of the house have proper ids")]
fn request(floor: &str) -> Request {
    let (height, cell) = (Metres::new(1.1), Metres::new(1.0));
    Request { floor: floor.parse().unwrap(), handset: Handset::Sensor, height, cell }
}

#[track_caller]
fn same(quick: &Analysis, full: &Analysis) {
    assert_eq!(quick.networks.len(), full.networks.len());
    assert_eq!((quick.sigma, quick.target), (full.sigma, full.target));
    for (x, y) in quick.networks.iter().zip(&full.networks) {
        assert_eq!((&x.network, x.channel, &x.hubs), (&y.network, y.channel, &y.hubs));
        assert_eq!(x.nodes, y.nodes);
        assert_eq!(x.air, y.air);
        assert_eq!(x.links.all, y.links.all);
        assert_eq!(x.outcomes, y.outcomes);
    }
    assert_eq!(quick.findings, full.findings);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    #[test]
    fn what_starts_from_the_last_answer_equals_what_starts_from_nothing(
        wishes in prop::collection::vec(any_wish(), 1..10),
    ) {
        let mut site = house();
        let mut analysis = analyse(&Arc::new(site.clone()), &Options::default());
        let mut surfaces: Vec<_> = Vec::new();
        for value in &wishes {
            if done(&mut site, value).is_none() {
                continue;
            }
            let now = Arc::new(site.clone());
            let full = analyse(&now, &Options::default());
            let quick = analyse_after(Some(&analysis), &now, &Options::default());
            same(&quick, &full);
            for (network, other) in quick.networks.iter().zip(&full.networks) {
                let earlier = surfaces.iter().find(|(id, _)| *id == network.network).map(|(_, c)| c);
                let quick = coverage(&quick, network, &request("f0"), earlier);
                let fresh = coverage(&full, other, &request("f0"), None);
                let margin = |c: &Option<dot_reach_core::coverage::Coverage>| c.as_ref().map(|c| c.margin.clone());
                prop_assert_eq!(margin(&quick), margin(&fresh));
                if let Some(quick) = quick {
                    surfaces.retain(|(id, _)| *id != network.network);
                    surfaces.push((network.network.clone(), quick));
                }
            }
            analysis = quick;
        }
    }
}

#[expect(clippy::unwrap_used, reason = "what is accepted here fails the test")]
#[expect(clippy::needless_pass_by_value, reason = "each is written where it is tried")]
fn refusal(site: &Site, value: Value) -> String {
    let mut copy = site.clone();
    let error: Refusal =
        edited(wish(&value), &copy).and_then(|edit| apply(&mut copy, &edit)).unwrap_err();
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
        words(json!({"do": "remove", "kind": "network", "id": "n"})),
        "network n is used by 1 device; change that first"
    );
    assert_eq!(
        words(
            json!({"do": "put", "kind": "device", "value": {"id": "d2", "name": "x", "point": "p9", "kind": "hub", "network": "n"}})
        ),
        "point: there is no point p9"
    );
    assert_eq!(
        words(
            json!({"do": "put", "kind": "floor", "value": {"id": "f", "name": "F", "elevation_m": 3.0, "height_m": 0.0}})
        ),
        "height_m: is 0.00 m; give 1 to 20 m"
    );
    assert_eq!(
        words(json!({"do": "set", "kind": "point", "id": "d1", "field": "id", "value": "d9"})),
        "id: an id stays as it is; put a new thing and remove the old one"
    );
    assert_eq!(
        words(json!({"do": "set", "kind": "point", "id": "nobody", "field": "name", "value": "x"})),
        "there is no point nobody; someone may have removed it"
    );
    assert!(
        words(json!({"do": "set", "kind": "point", "id": "d1", "field": "colour", "value": "red"}))
            .starts_with("colour: it has no such field")
    );
    let opening = |id: &str, at: f64| json!({"do": "drop-opening", "wall": "w1", "id": id, "kind": "door", "at": [at, 0.0]});
    let with_door = with(site.clone(), &[opening("o1", 2.0)]);
    assert_eq!(
        refusal(&with_door, opening("o2", 2.2)),
        "openings: two openings overlap; move one along the wall"
    );
}

#[test]
fn what_another_thing_decides_is_found_and_never_refused() {
    let site = with(
        bare(System::ZWave),
        &[
            wall("w1", [0.0, 0.0], [5.0, 0.0], "gone-long-ago"),
            device("d1", "hub", [1.0, 1.0]),
            device("d2", "switch-neutral", [2.0, 1.0]),
            json!({"do": "set", "kind": "device", "id": "d2", "field": "sheet.tx_dbm", "value": 10.0}),
            json!({"do": "set", "kind": "job", "id": "job", "field": "region", "value": "us"}),
            json!({"do": "put", "kind": "control", "value": {"id": "k", "controller": "d1", "load": "d2"}}),
            json!({"do": "set", "kind": "point", "id": "d1", "field": "at", "value": [90.0, 0.0]}),
            device("d3", "no-such-row", [3.0, 1.0]),
            device("d4", "switch-star", [3.0, 2.0]),
        ],
    );
    let analysis = analyse(&Arc::new(site), &Options::default());
    let mut found: Vec<_> = analysis.findings.iter().map(|f| f.found.rule()).collect();
    found.retain(|rule| !["may go dark", "few repeaters"].contains(rule));
    found.sort_unstable();
    let want = [
        "construction gone",
        "controls nothing",
        "kind gone",
        "kind of another system",
        "outside the plan",
        "over the region's limit",
    ];
    for rule in want {
        assert!(found.contains(&rule), "{rule} is not in {found:?}");
    }
    // What does not speak the system is on the air of nobody.
    assert_eq!(analysis.networks[0].nodes.len(), 2);
}

#[test]
fn a_sheet_that_another_region_forbids_comes_back_by_undo() {
    let site = with(bare(System::ZWave), &[device("d", "switch-neutral", [1.0, 1.0])]);
    let set = |kind: &str, id: &str, field: &str, value: Value| {
        edit(json!({"do": "set", "kind": kind, "id": id, "field": field, "value": value}))
    };
    let mut site = site;
    apply(&mut site, &set("device", "d", "sheet.tx_dbm", json!(10.0))).unwrap();
    apply(&mut site, &set("job", "job", "region", json!("us"))).unwrap();
    let whole = site.clone();
    let removed =
        apply(&mut site, &edit(json!({"do": "remove", "kind": "point", "id": "d"}))).unwrap();
    take_back(&mut site, &removed.inverse).unwrap();
    assert_eq!(site, whole);
}

#[test]
fn two_fields_of_one_thing_do_not_meet_and_a_whole_thing_meets_both() {
    let touch = |text: &str| Touch::read(text).unwrap();
    let mut site = with(bare(System::Zigbee), &[device("d1", "hub", [1.0, 1.0])]);
    let moved =
        json!({"do": "set", "kind": "point", "id": "d1", "field": "at", "value": [2.0, 1.0]});
    let named =
        json!({"do": "set", "kind": "point", "id": "d1", "field": "name", "value": "Shelf"});
    let moved = apply(&mut site, &edit(moved)).unwrap().touched;
    let named = apply(&mut site, &edit(named)).unwrap().touched;
    assert_eq!(moved, [touch("point:d1#at")]);
    assert_eq!(named, [touch("point:d1#name")]);
    assert!(!moved[0].meets(&named[0]) && moved[0].meets(&touch("point:d1")));
    // A whole thing put in the place of another touches what differs.
    let mut point = site.thing(&moved[0].thing).unwrap().to_value().unwrap();
    point["room"] = json!("Hall");
    let put = edit(json!({"do": "put", "kind": "point", "value": point}));
    assert_eq!(apply(&mut site, &put).unwrap().touched, [touch("point:d1#room")]);
}

#[test]
fn a_batch_may_come_to_what_its_parts_alone_could_not() {
    let site = bare(System::Zigbee);
    let wall = wall("w", [0.0, 0.0], [4.0, 0.0], "brick-102");
    let mut on_new = wall.clone();
    on_new["value"]["floor"] = json!("new");
    let floor = json!({"do": "put", "kind": "floor", "value": {"id": "new", "name": "New", "elevation_m": 3.0, "height_m": 2.5}});
    let batch = |edits: &[&Value]| json!({"do": "batch", "edits": edits});
    // The wall before its storey; an end that passes through the other.
    let site = with(site, &[batch(&[&on_new, &floor])]);
    let through =
        json!({"do": "set", "kind": "wall", "id": "w", "field": "a", "value": [4.0, 0.0]});
    let on = json!({"do": "set", "kind": "wall", "id": "w", "field": "b", "value": [8.0, 0.0]});
    let site = with(site, &[batch(&[&through, &on])]);
    assert!((site.walls.named("w").unwrap().length().get() - 4.0).abs() < 1e-12);
    // Nothing of a batch is left when one part cannot stand.
    let nowhere = json!({"do": "remove", "kind": "wall", "id": "nowhere"});
    assert_eq!(
        refusal(&site, batch(&[&on_new, &nowhere])),
        "there is no wall nowhere; someone may have removed it"
    );
}

#[test]
fn limits_are_named_and_do_not_hold_for_what_is_taken_back() {
    let site = bare(System::Zigbee);
    let empty = || json!({"do": "batch", "edits": []});
    let wide: Vec<_> = (0..20_000).map(|_| empty()).collect();
    assert_eq!(
        refusal(&site, json!({"do": "batch", "edits": wide})),
        "that makes 20001 changes in one edit; 20000 is the most"
    );
    let mut deep = empty();
    for _ in 0..3 {
        deep = json!({"do": "batch", "edits": [deep]});
    }
    assert_eq!(refusal(&site, deep), "that makes 4 levels of edits within an edit; 3 is the most");
    let floors: Vec<_> = (0..201).map(|i| json!({"do": "put", "kind": "floor",
        "value": {"id": format!("x{i}"), "name": "X", "elevation_m": f64::from(i), "height_m": 2.0}})).collect();
    assert_eq!(
        refusal(&site, json!({"do": "batch", "edits": floors})),
        "that makes 202 storeys in a job; 200 is the most"
    );
    // One edit of the most parts is taken back by as many and one.
    let points: Vec<_> = (0..5_999).map(|i| json!({"do": "put", "kind": "point",
        "value": {"id": format!("x{i}"), "name": "X", "floor": "g", "at": [1.0, 1.0], "height_m": 1.0, "kind": "switch"}})).collect();
    let mut full = with(site.clone(), &[json!({"do": "batch", "edits": points})]);
    let gone =
        apply(&mut full, &edit(json!({"do": "remove", "kind": "floor", "id": "g"}))).unwrap();
    assert_eq!(full.points.len(), 0);
    take_back(&mut full, &gone.inverse).unwrap();
    assert_eq!(full.points.len(), 5_999);
}

#[test]
fn no_number_that_is_not_finite_comes_in() {
    for bad in ["1e999", "-1e999"] {
        let text = format!(
            r#"{{"do":"put","kind":"floor","value":{{"id":"f","name":"F","elevation_m":{bad},"height_m":2.5}}}}"#
        );
        assert!(serde_json::from_str::<Edit>(&text).is_err(), "{bad}");
    }
    let site = bare(System::Zigbee);
    let far = refusal(&site, wall("w", [0.0, 0.0], [1e308, 0.0], "brick-102"));
    assert_eq!(far, "b: must lie within 2000 m of the sheet's origin");
}

#[test]
fn scaling_a_plan_image_keeps_its_first_place_and_is_taken_back_whole() {
    let image = "0".repeat(64);
    let mut site = with(
        bare(System::Zigbee),
        &[
            json!({"do": "put", "kind": "floor", "value": {"id": "g", "name": "Ground", "elevation_m": 0.0,
                "height_m": 2.5, "underlay": {"image": image, "width_px": 1000, "height_px": 500,
                "origin": [0.0, 0.0], "metres_per_px": 0.01}}}),
        ],
    );
    let before = site.clone();
    let scaled = wished(
        &site,
        json!({"do": "scale-underlay", "floor": "g", "a": [1.0, 1.0], "b": [3.0, 1.0], "length_m": 4.0}),
    );
    let change = apply(&mut site, &scaled).unwrap();
    let underlay = site.floors.named("g").unwrap().underlay.clone().unwrap();
    assert!((underlay.metres_per_px - 0.02).abs() < 1e-12 && underlay.scaled);
    let near = |v: f64, want: f64| (v - want).abs() < 1e-12;
    assert!(near(underlay.origin[0], -1.0) && near(underlay.origin[1], -1.0));
    take_back(&mut site, &change.inverse).unwrap();
    assert_eq!(site, before);
}
