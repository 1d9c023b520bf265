//! What a hand, a typed length and a way out come to: outdoors, modules at fittings, loads by what they are, lengths with
//! their unit; and a control that goes in together or not at all.

#![expect(clippy::float_cmp, reason = "lengths are kept to the micrometre")]

use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::draw::at_fitting::module_at_fitting;
use dot_reach_core::findings::{Found, mismatches};
use dot_reach_core::install::schedule::schedule;
use dot_reach_core::prove::handed_over::handed_over;
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{Folder, Record};
use dot_reach_core::site::{PointKind, Provenance, Site, apply};
use dot_reach_core::speech::{LengthField, Lengths, Speech, TradeWords, speaking};
use dot_reach_core::wires::wiring;
use proptest::prelude::*;
use serde_json::{Value, json};

use crate::common::{bare, device, drawn, wish, wished, with};
use crate::day::machine::{self, circuit, energise, isolated, lamp, set, sound, stepped};

const FEET: Speech = Speech { lengths: Lengths::FeetInches, words: TradeWords::American };

fn house(more: &[Value]) -> Site {
    let mut edits = vec![drawn(), circuit("7", &json!({})), device("hub", "hub", [1.0, 1.0])];
    edits.extend_from_slice(more);
    with(bare(System::Zigbee), &edits)
}

fn beyond(site: &Site) -> Vec<String> {
    let all = mismatches(site).into_iter();
    all.filter(|f| matches!(f.found, Found::BeyondTheWalls { .. }))
        .filter_map(|f| Some(f.point?.to_string()))
        .collect()
}

#[test]
fn what_is_made_for_the_open_air_is_planned_there_and_what_stands_there_is_asked_about() {
    let wall = |id: &str, a: [f64; 2], b: [f64; 2]| crate::common::wall(id, a, b, "stud-wall");
    let mut site = house(&[
        wall("x", [0.0, 0.0], [90.0, 0.0]),
        wall("y", [90.0, 0.0], [90.0, 90.0]),
        wall("z", [90.0, 90.0], [0.0, 0.0]),
    ]);
    let place = |kind: &str, at: [f64; 2]| {
        json!({"do": "place-device", "device": format!("d-{kind}"), "kind": kind,
        "network": "n", "point": format!("p-{kind}"), "floor": "g", "at": at})
    };
    for (kind, stands) in [
        ("sensor-outdoor", PointKind::Outdoor),
        ("switch-outdoor", PointKind::Outdoor),
        ("sensor-motion", PointKind::BareWall),
    ] {
        let edit = wished(&site, place(kind, [96.0, 60.0]));
        apply(&mut site, &edit).unwrap();
        let point = site.points.named(&format!("p-{kind}")).unwrap();
        assert_eq!(point.kind, stands, "{kind}");
    }
    assert_eq!(
        beyond(&site),
        ["p-sensor-motion"],
        "it is asked about until it is said to be outdoors"
    );
    let edit = wished(&site, set("point", "p-sensor-motion", "kind", &json!("outdoor")));
    apply(&mut site, &edit).unwrap();
    assert!(beyond(&site).is_empty());
}

proptest! {
    /// Only what lies outside a string around all walls is asked about, and nothing where no walls are drawn.
    #[test]
    fn only_what_lies_beyond_the_walls_is_asked_about(x in -6.0..26.0f64, y in -6.0..26.0f64) {
        let walls = [("a", [0.0, 0.0], [10.0, 0.0]), ("b", [10.0, 0.0], [10.0, 8.0]), ("c", [10.0, 8.0], [0.0, 0.0])];
        let wall = |(id, a, b): (&str, [f64; 2], [f64; 2])| json!({"do": "put", "kind": "wall",
            "value": {"id": id, "floor": "g", "a": a, "b": b, "construction": "brick-102"}});
        let point = json!({"do": "put", "kind": "point", "value": {"id": "p", "name": "P", "floor": "g", "at": [x, y],
            "height_m": 1.0, "kind": "switch"}});
        let bare_of_walls = with(bare(System::Zigbee), std::slice::from_ref(&point));
        prop_assert!(beyond(&bare_of_walls).is_empty());
        let mut edits: Vec<Value> = walls.into_iter().map(wall).collect();
        edits.push(point);
        let site = with(bare(System::Zigbee), &edits);
        // The triangle by its three sides.
        let is_inside = y >= 0.0 && x <= 10.0 && y <= x * 0.8;
        let near = |d: f64| d.abs() < 1e-6;
        prop_assume!(!near(y) && !near(x - 10.0) && !near(y - x * 0.8));
        prop_assert_eq!(beyond(&site).is_empty(), is_inside);
    }
}

#[test]
fn a_module_at_the_fitting_makes_the_place_there_and_ties_it_to_its_switch() {
    let site = house(&[sound("b", "switch-neutral", [4.0, 1.0], "7"), lamp("l", "b")]);
    let switch = site.points.named("b").unwrap();
    let edit = module_at_fitting(&site, switch).expect("there is a lamp");
    let mut after = site.clone();
    apply(&mut after, &edit).unwrap();
    let group = after.group_of(&switch.id).expect("a control of both");
    assert_eq!(group.places.len(), 2);
    let fitting = after.points.get(&group.places[1]).unwrap();
    assert_eq!((fitting.circuit.as_str(), fitting.how("circuit")), ("7", Provenance::Guessed));
    assert_eq!((fitting.kind, fitting.floor.as_str()), (PointKind::Ceiling, "g"));
    assert!(after.devices_at(&switch.id).is_empty(), "what was to work it from the box is gone");
    let module = after.devices_at(&fitting.id)[0];
    assert!(after.kind(&module.kind).unwrap().works_a_load());
    // It is the module that the wiring of all controls speaks of now, though no device stands in any of its boxes, and nothing
    // is to be done twice.
    let wired: Vec<_> = wiring(&after).into_iter().map(|c| (c.group, c.places)).collect();
    assert!(wired.iter().any(|(g, _)| g.as_ref() == Some(&group.id)), "{wired:?} of {module:?}");
    assert!(module_at_fitting(&after, after.points.named("b").unwrap()).is_none());
    // Where nothing hangs on it there is no fitting.
    let empty = house(&[sound("b", "switch-neutral", [4.0, 1.0], "7")]);
    assert!(module_at_fitting(&empty, empty.points.named("b").unwrap()).is_none());
}

#[test]
fn a_load_is_called_by_what_it_is_until_somebody_names_it() {
    let mut site = house(&[sound("b", "switch-neutral", [4.0, 1.0], "7")]);
    let name = |site: &Site, id: &str| site.loads.named(id).unwrap().name.clone();
    let place = site.points.named("b").unwrap().name.clone();
    for (id, kind, called) in
        [("l1", json!(null), "lamps"), ("l2", json!("fan"), "fan"), ("l3", json!("motor"), "motor")]
    {
        let mut gesture = json!({"do": "add-load", "id": id, "point": "b"});
        if !kind.is_null() {
            gesture["kind"] = kind;
        }
        let edit = wished(&site, gesture);
        apply(&mut site, &edit).unwrap();
        assert_eq!(name(&site, id), format!("{place} {called}"));
    }
    let fill = |site: &mut Site, text: &str| {
        let edit =
            wished(site, json!({"do": "fill", "points": ["b"], "column": "load", "text": text}));
        apply(site, &edit).unwrap();
    };
    fill(&mut site, "heater");
    assert_eq!(
        name(&site, "l1"),
        format!("{place} heater"),
        "an automatic name goes with the kind"
    );
    let edit = wished(&site, set("load", "l1", "name", &json!("Towel rail")));
    apply(&mut site, &edit).unwrap();
    fill(&mut site, "LED");
    assert_eq!(name(&site, "l1"), "Towel rail", "a name that somebody gave stays");
}

#[test]
fn lengths_are_kept_metric_however_they_are_typed() {
    let house = Folder::planned(house(&[sound("b", "switch-neutral", [4.0, 1.0], "7")]));
    let height = |folder: &Folder| folder.site.points.named("b").unwrap().height_m.get();
    let said = |folder: &Folder, field: &str, text: &str| {
        wish(folder, &set("point", "b", field, &json!(text)))
    };
    assert!((height(&said(&house, "height_m", "3'6\"").unwrap()) - 1.0668).abs() < 1e-9);
    assert!((height(&said(&house, "height_m", "1.2").unwrap()) - 1.2).abs() < 1e-9);
    let feet = speaking(FEET, || said(&house, "height_m", "4").unwrap());
    assert!((height(&feet) - 1.2192).abs() < 1e-9, "a bare number is meant as the region has it");
    let deep = speaking(FEET, || said(&house, "depth_mm", "2½").unwrap());
    assert_eq!(deep.site.points.named("b").unwrap().depth_mm, Some(63.5));
    let right = said(&house, "at.0", "150 in").unwrap();
    assert_eq!(right.site.points.named("b").unwrap().at[0], 3.81);
    let refused = said(&house, "height_m", "waist").unwrap_err();
    assert!(refused.contains("“waist” is no length; write a length as 3.8 m"), "{refused}");
    // What is no length stays a text.
    assert_eq!(
        said(&house, "note", "3'6\"").unwrap().site.points.named("b").unwrap().note,
        "3'6\""
    );
    let typed = json!({"do": "type-wall", "id": "w", "floor": "g", "a": ["0", "0"], "b": ["12'6\"", "0"], "construction": "brick-102"});
    let wall = wish(&house, &typed).unwrap().site.walls.named("w").unwrap().clone();
    assert_eq!(wall.b, [3.81, 0.0]);
}

proptest! {
    /// Every length is written so that it is read back as it was, to a sixteenth of an inch.
    #[test]
    fn what_is_written_is_read_back(metres in -40.0..400.0f64, in_feet in any::<bool>()) {
        let speech = if in_feet { FEET } else { Speech::default() };
        let back = speaking(speech, || {
            let written = dot_reach_core::speech::length(metres, 2);
            LengthField::Metres.read(&written)
        });
        let off = if in_feet { 0.0254 / 16.0 } else { 0.005 };
        prop_assert!(back.is_some_and(|b| (b - metres).abs() <= off + 1e-5), "{metres} came back as {back:?}");
    }
}

/// Two switches of one load, and a third by itself.
fn stair() -> Vec<Value> {
    let mut all: Vec<Value> = [("a", [3.0, 1.0]), ("b", [5.0, 1.0]), ("c", [7.0, 1.0])]
        .into_iter()
        .map(|(id, at)| sound(id, "switch-neutral", at, "7"))
        .collect();
    all.push(set("device", "a", "kind", &json!("companion-wired")));
    all.extend([lamp("l", "b"), lamp("lc", "c")]);
    all.push(json!({"do": "put", "kind": "group", "value": {"id": "g1", "name": "Stair", "places": ["a", "b"],
        "wiring": {"layout": "boxes", "line": "b", "load": "b"}}}));
    all
}

#[test]
fn what_works_one_load_goes_in_together_or_not_at_all() {
    let plan = |more: &[Value]| {
        let mut edits = stair();
        edits.extend_from_slice(more);
        let analysis = analyse(&Arc::new(house(&edits)), &Options::default());
        let plan = schedule(&analysis, &Record::default());
        let on: Vec<String> = plan
            .outages()
            .flat_map(|o| o.boxes.iter().flat_map(|b| &b.devices))
            .map(ToString::to_string)
            .collect();
        let out: Vec<(String, String)> =
            plan.left_out.iter().map(|l| (l.device.to_string(), l.why.clone())).collect();
        (on, out)
    };
    // All of it is sound.
    let (on, out) = plan(&[]);
    assert_eq!((on.len(), out), (3, Vec::new()), "{on:?}");
    // Of the stair nobody knows the box of one place: neither goes in, and it is said why; what stands alone does.
    let unknown = set("point", "b", "neutral", &json!("unknown"));
    let (on, out) = plan(&[unknown]);
    assert_eq!(on, ["c"]);
    let waits = |id: &str| out.iter().find(|(device, _)| device == id).map(|(_, why)| why.as_str());
    assert!(waits("b").is_some_and(|why| !why.contains("same load")), "{out:?}");
    let why = "It works the same load as b, which waits: Stair goes in together.";
    assert_eq!(waits("a"), Some(why), "{out:?}");
}

#[test]
fn what_is_in_the_house_and_does_not_fit_counts_nowhere_as_reached() {
    let site = house(&[
        sound("a", "switch-neutral", [3.0, 1.0], "7"),
        sound("b", "switch-neutral", [5.0, 1.0], "7"),
        lamp("la", "a"),
        lamp("lb", "b"),
        set("device", "hub", "already_there", &json!("yes")),
        set("device", "a", "already_there", &json!("yes")),
    ]);
    let count = |site: &Site| {
        let analysis = analyse(&Arc::new(site.clone()), &Options::default());
        handed_over(&analysis, &Record::default())
    };
    let all = count(&site);
    assert_eq!((all.installed, all.planned, all.reachable), (2, 1, 1));
    // A planned one that does not fit would not meet its target, whatever its link is worth.
    let mut unfit = site;
    let absent = wished(&unfit, set("point", "b", "neutral", &json!("absent")));
    apply(&mut unfit, &absent).unwrap();
    let fewer = count(&unfit);
    assert_eq!((fewer.unfit, fewer.would), (1, all.would - 1));
    let said = fewer.sentences().join(" ");
    assert!(said.contains("1 does not fit") && !said.contains(" 0 "), "{said}");
}

#[test]
fn what_was_installed_and_is_found_not_to_fit_is_not_reached() {
    let wired = machine::wired(
        &isolated(&machine::house(System::Zigbee, &["a"]), "i1", "breaker", &["7"]),
        "a",
    );
    let on = machine::opened(&wish(&wired, &energise("i1")).unwrap(), &["a"]);
    let steps =
        ["powered", "joined", "identified", "settings", "tested", "closed", "named", "shown"];
    let done = steps.iter().fold(on, |folder, step| stepped(&folder, "a", step));
    let count = |neutral: &str| {
        let folder = machine::planned(&done, &[set("point", "a", "neutral", &json!(neutral))]);
        let analysis = analyse(&Arc::new(folder.site), &Options::default());
        let all = handed_over(&analysis, &folder.record);
        (all.in_place_unfit, all.in_place_not_known, all.reachable)
    };
    assert_eq!(count("tested"), (0, 0, 1));
    assert_eq!(count("absent"), (1, 0, 0));
    assert_eq!(count("unknown"), (0, 1, 0));
}
