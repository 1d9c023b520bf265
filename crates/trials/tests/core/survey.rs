//! The survey as work: signs of switches, finding lines, the visit before the day, the point sheet, who
//! found out what; rooms, tags, the brief.
#![expect(clippy::unwrap_used, reason = "a house that lacks what it was given has failed its test")]

use dot_reach_core::draw::Gesture;
use dot_reach_core::draw::rooms::{Area, area, face_around};
use dot_reach_core::geometry::contains;
use dot_reach_core::radio::system::System;
use dot_reach_core::site::{
    Conductor, Edit, Function, Kind, Neutral, Probe, Provenance, Signs, Site, SlabPlace, apply,
};
use dot_reach_core::survey::brief::{met, open};
use dot_reach_core::survey::delivered::{delivered, keep_asked};
use dot_reach_core::survey::facts::{FactStamp, stamped};
use dot_reach_core::survey::lines::{found, steps, warnings};
use dot_reach_core::survey::next::next_steps;
use dot_reach_core::survey::previsit::looks;
use dot_reach_core::survey::sheet::{COLUMNS, Takes, column, shown, typed};
use dot_reach_core::survey::signs::{SwitchKind, deduced};
use dot_reach_standin::houses::larkfield_mill;
use proptest::prelude::*;
use serde_json::json;

use crate::common::{bare, with};

fn done(site: &mut Site, gesture: &Gesture) {
    let edit = gesture.edit(site).unwrap();
    apply(site, &edit).unwrap();
}

/// Signs, and what an electrician takes the switch for: worked out by hand from what each kind of
/// switch has to do.
#[test]
fn signs_of_a_switch_say_what_it_is_or_what_to_look_at() {
    let of = |terminals, marked, another| {
        deduced(Signs { terminals, marked, another, odd_screw: Some(terminals == 3) })
    };
    let rows = [
        (2, Some(true), None, SwitchKind::OneWay),
        (2, None, Some(false), SwitchKind::OneWay),
        (2, None, Some(true), SwitchKind::Unsure),
        (3, Some(false), Some(true), SwitchKind::TwoWay),
        (3, Some(false), Some(false), SwitchKind::TwoWay),
        (3, Some(true), None, SwitchKind::Unsure),
        (4, Some(false), Some(true), SwitchKind::Intermediate),
        (4, Some(true), None, SwitchKind::DoublePole),
        (4, None, None, SwitchKind::Unsure),
        (0, None, None, SwitchKind::Unsure),
        (7, None, None, SwitchKind::Unsure),
    ];
    for (terminals, marked, another, kind) in rows {
        let told = of(terminals, marked, another);
        assert_eq!(told.kind, kind, "{terminals} {marked:?} {another:?}");
        let is_settled = kind != SwitchKind::Unsure;
        assert!(if is_settled { !told.because.is_empty() } else { !told.next.is_empty() });
    }
    assert_eq!(SwitchKind::Intermediate.name(true), "four-way switch");
    assert_eq!(SwitchKind::TwoWay.name(true), "three-way switch");
}

fn wire(id: &str, live: bool, to_line: bool, to_load: bool, colour: &str) -> Conductor {
    let probe = Probe {
        live: Some(live),
        to_line: Some(to_line),
        to_load: Some(to_load),
        dead_after: Some(true),
        ..Probe::default()
    };
    Conductor {
        colour: colour.to_owned(),
        capped: true,
        probe,
        ..Conductor::new(id, dot_reach_core::site::Gauge::Mm1_5)
    }
}

#[test]
fn the_record_of_the_tester_says_what_each_conductor_is() {
    let wires = [
        wire("a", true, false, false, "blue"),
        wire("b", false, true, false, "brown"),
        wire("c", false, false, true, "blue"),
        wire("d", false, false, false, "grey"),
        wire("e", false, true, false, "green and yellow"),
    ];
    let told: Vec<_> = found(&wires).into_iter().map(|f| f.function).collect();
    // Colours do not decide: the blue one is line, the brown one neutral.
    let want = [
        Function::Line,
        Function::Neutral,
        Function::Switched,
        Function::Traveller,
        Function::Earth,
    ];
    assert_eq!(told, want);
    assert_eq!(warnings(&wires), Vec::<String>::new());
    let mut two = wires.to_vec();
    two[3].probe.live = Some(true);
    two[3].probe.dead_after = Some(false);
    let told = warnings(&two);
    assert!(told[0].contains("second circuit") && told[1].contains("Isolate the main"), "{told:?}");
}

/// What leads to the load is the switched line, whatever a tester reads through the lamp; what is not known to lead to no
/// load is no neutral yet; tests that speak against each other leave it open, and say so.
#[test]
fn a_switched_line_is_never_a_neutral_and_tests_that_clash_settle_nothing() {
    let of = |live, to_line, to_load, colour: &str| {
        let mut one = wire("a", false, false, false, colour);
        one.probe = Probe { live, to_line, to_load, dead_after: Some(true), ..Probe::default() };
        one
    };
    let is = |one: &Conductor| found(std::slice::from_ref(one)).first().map(|f| f.function);
    let any = [None, Some(false), Some(true)];
    for (live, to_line) in any.into_iter().flat_map(|l| any.map(|t| (l, t))) {
        for colour in ["", "blue", "green and yellow"] {
            let leads = of(live, to_line, Some(true), colour);
            assert!(matches!(is(&leads), None | Some(Function::Switched)), "{leads:?}");
            let unknown = of(live, to_line, None, colour);
            assert!(matches!(is(&unknown), None | Some(Function::Line)), "{unknown:?}");
        }
    }
    let clash = of(Some(true), None, Some(true), "brown");
    assert_eq!(is(&clash), None);
    assert!(warnings(std::slice::from_ref(&clash))[0].contains("stays open"));
    let mut stays = of(Some(false), Some(true), Some(false), "blue");
    stays.probe.dead_after = Some(false);
    assert_eq!(is(&stays), None, "another circuit feeds it");
    let mut named = of(Some(false), Some(true), Some(true), "black");
    named.found = Function::Neutral;
    assert!(warnings(std::slice::from_ref(&named))[0].contains("stands on record as neutral"));
}

#[test]
fn steps_of_finding_lines_are_done_when_the_record_says_so() {
    let mut mill = larkfield_mill();
    let of = |site: &Site| -> Vec<bool> {
        let point = site.points.named("kit-main").unwrap();
        steps(site, point, "breaker 3", false).iter().map(|s| s.done).collect()
    };
    // The breaker was proven another day and the conductors are listed: nothing is dead today, nothing tested.
    assert_eq!(of(&mill), [false, false, true, false, false, false, false, false, false]);
    let wires = vec![wire("a", true, false, false, ""), wire("b", false, true, true, "")];
    apply(&mut mill, &Edit::set(Kind::Point, &"kit-main", "conductors", json!(wires))).unwrap();
    assert_eq!(of(&mill), [false, false, true, true, true, true, true, true, true]);
    done(&mut mill, &Gesture::TakeFindings { point: "kit-main".parse().unwrap() });
    let point = mill.points.named("kit-main").unwrap();
    assert_eq!(point.conductors[0].found, Function::Line);
}

#[test]
fn what_only_an_open_box_tells_is_one_list_and_shrinks_as_it_is_told() {
    let mut mill = larkfield_mill();
    let before = looks(&mill);
    assert!(before.windows(2).all(|w| w[0].settles >= w[1].settles));
    let both = before.iter().find(|l| l.point.as_str() == "both-main").unwrap();
    assert_eq!(both.settles, 3);
    assert!(before.iter().any(|l| l.point.as_str() == "stone-stair"), "its group is a guess");
    for (field, value) in
        [("neutral", json!("tested")), ("earth", json!("conductor")), ("depth_mm", json!(47.0))]
    {
        apply(&mut mill, &Edit::set(Kind::Point, &"both-main", field, value)).unwrap();
    }
    assert!(!looks(&mill).iter().any(|l| l.point.as_str() == "both-main"));
}

#[test]
fn a_cell_takes_its_letter_its_word_or_the_beginning_and_names_what_it_takes() {
    let mill = larkfield_mill();
    let point = mill.points.named("kit-main").unwrap();
    let neutral = column("Neutral").unwrap();
    for text in ["a", "absent", "ABSENT", "abs"] {
        let edits = typed(&mill, point, neutral, text).unwrap();
        assert_eq!(edits, [Edit::set(Kind::Point, &"kit-main", "neutral", "absent")], "{text}");
    }
    assert!(typed(&mill, point, neutral, "zz").unwrap_err().to_string().contains("t tested"));
    let depth = column("depth mm").unwrap();
    assert_eq!(
        typed(&mill, point, depth, "47,5").unwrap(),
        [Edit::set(Kind::Point, &"kit-main", "depth_mm", 47.5)]
    );
    for wild in ["NaN", "inf", "1e999", "−", "4 7"] {
        assert!(typed(&mill, point, depth, wild).is_err(), "{wild}");
    }
    // Every choice has a key of its own.
    for c in &COLUMNS {
        let Takes::Choice(of) = c.takes else { continue };
        let keys: std::collections::BTreeSet<_> = of.iter().map(|(key, ..)| key).collect();
        assert_eq!(keys.len(), of.len(), "{}", c.word);
    }
}

#[test]
fn a_group_is_made_by_its_name_joined_by_it_and_left() {
    let mut mill = larkfield_mill();
    let fill = |points: &[&str], column: &str, text: &str| Gesture::Fill {
        points: points.iter().map(|p| p.parse().unwrap()).collect(),
        column: column.to_owned(),
        text: text.to_owned(),
    };
    done(&mut mill, &fill(&["kit-main", "kit-isle"], "group", "Kitchen"));
    let group = mill.groups.iter().find(|g| g.name == "Kitchen").unwrap();
    assert_eq!(group.places.len(), 2);
    done(&mut mill, &fill(&["kit-isle"], "group", ""));
    assert_eq!(mill.groups.iter().find(|g| g.name == "Kitchen").unwrap().places.len(), 1);
    done(&mut mill, &fill(&["kit-main"], "group", "stair"));
    assert!(!mill.groups.iter().any(|g| g.name == "Kitchen"), "its last place took it along");
    assert_eq!(mill.groups.named("stairs").unwrap().places.len(), 4);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]
    /// What a cell shows can be typed into it: nothing changes, or comes to the same.
    #[test]
    fn what_a_cell_shows_types_back_to_itself(point in 0..56usize, at in 0..COLUMNS.len()) {
        let mut mill = larkfield_mill();
        let point = mill.points.iter().nth(point).unwrap().clone();
        let text = shown(&mill, &point, &COLUMNS[at]);
        prop_assert_eq!(typed(&mill, &point, &COLUMNS[at], &text).unwrap(), vec![]);
        // Emptied and typed again it says the same.
        let emptied = typed(&mill, &point, &COLUMNS[at], "");
        if let Ok(edits) = emptied && apply(&mut mill, &Edit::batch(edits)).is_ok() && !text.is_empty() {
            let now = mill.points.get(&point.id).unwrap().clone();
            let edits = typed(&mill, &now, &COLUMNS[at], &text).unwrap();
            apply(&mut mill, &Edit::batch(edits)).unwrap();
            let now = mill.points.get(&point.id).unwrap();
            prop_assert_eq!(shown(&mill, now, &COLUMNS[at]), text);
        }
    }
}

#[test]
fn who_found_out_what_is_kept_with_the_field_and_goes_when_it_is_emptied() {
    let mut mill = larkfield_mill();
    let stamp =
        |how| FactStamp { how, by: "Ines".to_owned(), at: "2026-05-02T10:00:00Z".to_owned() };
    let set = |field: &str, value| Edit::set(Kind::Point, &"liv-main", field, value);
    let edit = Edit::batch(vec![
        set("depth_mm", json!(40.0)),
        set("neutral", json!("tested")),
        set("name", json!("Lamp")),
    ]);
    apply(&mut mill, &stamped(edit, &stamp(Some(Provenance::Told)))).unwrap();
    let point = mill.points.named("liv-main").unwrap();
    assert_eq!(point.facts["depth_mm"].how, Provenance::Told);
    assert_eq!(
        (point.facts["neutral"].how, point.facts["neutral"].by.as_str()),
        (Provenance::Measured, "Ines")
    );
    assert!(!point.facts.contains_key("name"));
    apply(&mut mill, &stamped(set("depth_mm", json!(null)), &stamp(None))).unwrap();
    assert!(!mill.points.named("liv-main").unwrap().facts.contains_key("depth_mm"));
    apply(&mut mill, &stamped(set("neutral", json!("unknown")), &stamp(None))).unwrap();
    let point = mill.points.named("liv-main").unwrap();
    assert!(!point.facts.contains_key("neutral") && point.neutral == Neutral::Unknown);
}

#[test]
fn loads_breakers_groups_and_conductors_say_who_found_them_out_too() {
    let mut mill = larkfield_mill();
    let stamp =
        FactStamp { how: None, by: "Ines".to_owned(), at: "2026-05-02T10:00:00Z".to_owned() };
    let sets = [
        Edit::set(Kind::Load, &"kit-main-lamps", "watts", 11.0),
        Edit::set(Kind::Circuit, &"b3", "residual", "none"),
        Edit::set(Kind::Group, &"stairs", "wiring", json!({"layout": "unknown"})),
        Edit::set(Kind::Point, &"kit-main", "conductors.0.found", "line"),
        Edit::set(Kind::Point, &"kit-main", "signs.terminals", 2),
        Edit::set(Kind::Load, &"kit-main-lamps", "name", "Lamps"),
    ];
    apply(&mut mill, &stamped(Edit::batch(sets.into()), &stamp)).unwrap();
    let load = mill.loads.named("kit-main-lamps").unwrap();
    assert_eq!(load.facts.keys().collect::<Vec<_>>(), ["watts"]);
    assert!(mill.circuits.named("b3").unwrap().facts.contains_key("residual"));
    assert!(mill.groups.named("stairs").unwrap().facts.contains_key("wiring"));
    let point = mill.points.named("kit-main").unwrap();
    assert!(point.facts.contains_key("conductors") && point.facts.contains_key("signs"));
}

#[test]
fn a_field_of_several_shapes_is_taken_back_whole() {
    let mut mill = larkfield_mill();
    let before = mill.clone();
    let edits = vec![
        Edit::set(Kind::Group, &"stairs", "wiring", json!({"layout": "at-fitting"})),
        Edit::set(Kind::Emitter, &"router", "carrier", json!({"kind": "mesh", "channel": 15})),
    ];
    let change = apply(&mut mill, &Edit::batch(edits)).unwrap();
    dot_reach_core::site::take_back(&mut mill, &change.inverse).unwrap();
    assert_eq!(mill, before);
}

#[test]
fn a_word_of_a_set_of_the_library_is_a_field_of_its_own() {
    let mut mill = larkfield_mill();
    let mut row = mill.kind("switch-neutral").unwrap().clone();
    row.fit = row.fit.spelled_out();
    apply(&mut mill, &Edit::put(row)).unwrap();
    let set = |field: &str, is: bool| Edit::set(Kind::DeviceKind, &"switch-neutral", field, is);
    let before = mill.clone();
    let edits = vec![
        set("fit.platforms.cloud", false),
        set("systems.star", true),
        set("fit.accepts.plain", true),
    ];
    let change = apply(&mut mill, &Edit::batch(edits)).unwrap();
    let row = mill.kind("switch-neutral").unwrap();
    assert!(row.systems.contains(&System::Star));
    assert!(row.fit.accepts.contains(&dot_reach_core::catalogue::Far::Plain));
    assert!(!row.fit.platforms.contains(&dot_reach_core::catalogue::FittingWay::Cloud));
    dot_reach_core::site::take_back(&mut mill, &change.inverse).unwrap();
    assert_eq!(mill, before);
}

#[test]
fn a_room_is_what_walls_close_around_a_place_and_its_area_is_theirs() {
    // Two rooms of 4 by 3 m and 2 by 3 m: the wall between stands on both, ends lie 3 cm off.
    let walls = [
        ([0.0, 0.0], [6.0, 0.0]),
        ([6.0, 0.0], [6.0, 3.0]),
        ([6.0, 3.0], [0.0, 3.0]),
        ([0.0, 3.0], [0.0, 0.0]),
        ([4.0, 0.03], [4.0, 2.97]),
        // A stub that ends in the room parts nothing.
        ([1.0, 0.0], [1.0, 1.2]),
    ];
    let left = face_around(&walls, [2.0, 1.5]).unwrap();
    let right = face_around(&walls, [5.0, 1.5]).unwrap();
    assert!((area(&left) - 12.0).abs() < 0.2, "{left:?}");
    assert!((area(&right) - 6.0).abs() < 0.2, "{right:?}");
    assert!(face_around(&walls, [7.0, 1.0]).is_none());
    assert!(face_around(&walls[1..], [2.0, 1.5]).is_none(), "a side is open");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]
    #[test]
    fn a_face_holds_the_place_that_was_pressed(
        walls in prop::collection::vec(([0.0..9.0f64, 0.0..9.0f64], [0.0..9.0f64, 0.0..9.0f64]), 3..14),
        at in [0.5..8.5f64, 0.5..8.5f64],
    ) {
        if let Some(face) = face_around(&walls, at) {
            prop_assert!(face.len() >= 3 && contains(&face, at), "{face:?}");
        }
    }
}

#[test]
fn areas_stairwells_roofs_and_copies_of_rooms_are_edits_like_others() {
    let mut mill = larkfield_mill();
    let ring = vec![[7.0, 1.0], [8.0, 1.0], [8.0, 2.0], [7.0, 2.0]];
    let area = |what, floor: &str| Gesture::DrawArea {
        id: "x1".to_owned(),
        floor: floor.parse().unwrap(),
        what,
        corners: ring.clone(),
        name: String::new(),
    };
    done(&mut mill, &area(Area::Stairwell, "stone"));
    assert_eq!(mill.slabs.named("s-under-stone").unwrap().voids.len(), 1);
    let refused = area(Area::Stairwell, "bothy").edit(&mill).unwrap_err();
    assert!(refused.to_string().contains("no floor slab"), "{refused}");
    done(&mut mill, &area(Area::Roof, "bothy"));
    assert_eq!(mill.slabs.named("x1").unwrap().place, SlabPlace::Above);
    // The living room, with its points, to the stone floor.
    let room = mill.rooms.iter().find(|r| r.name == "Living room").unwrap().id.clone();
    let (points, devices) = (mill.points.len(), mill.devices.len());
    let copy = Gesture::CopyRoom { id: "c1".to_owned(), room, to: "stone".parse().unwrap() };
    done(&mut mill, &copy);
    let new = mill.rooms.iter().find(|r| r.name == "Living room 2").unwrap();
    assert_eq!(new.floor.as_str(), "stone");
    let copied: Vec<_> = mill.points.iter().filter(|p| p.id.as_str().starts_with("c1-")).collect();
    assert!(mill.points.len() == points + copied.len() && copied.len() >= 6);
    assert!(mill.devices.len() > devices);
    // What is in a box is settled box by box.
    assert!(copied.iter().all(|p| p.neutral == Neutral::Unknown && p.circuit.is_empty()));
    let tags: std::collections::BTreeSet<_> = mill.points.iter().map(|p| &p.tag).collect();
    assert_eq!(tags.len(), mill.points.len(), "every tag stands once");
}

#[test]
fn wishes_are_held_against_what_is_planned_and_what_is_open_is_said() {
    let mut mill = larkfield_mill();
    let lacks = |site: &Site, id: &str| met(site, site.wishes.named(id).unwrap()).lacks;
    assert_eq!(lacks(&mill, "w2"), Vec::<String>::new());
    assert!(lacks(&mill, "w3").iter().any(|l| l.contains("by sensor")));
    assert_eq!(lacks(&mill, "w6").first().unwrap(), "No point is to meet it yet.");
    apply(&mut mill, &Edit::remove(Kind::Platform, &"voice")).unwrap();
    assert!(lacks(&mill, "w2").iter().any(|l| l.contains("by voice")));
    apply(&mut mill, &Edit::set(Kind::Person, &"ines", "licence", "")).unwrap();
    assert!(open(&mill).iter().any(|o| o.contains("no licence is on record")));
    apply(&mut mill, &Edit::remove(Kind::Person, &"ines")).unwrap();
    assert!(open(&mill).iter().any(|o| o.contains("Nobody is named")));
    apply(&mut mill, &Edit::set(Kind::Platform, &"hub", "in_charge", false)).unwrap();
    assert!(open(&mill).iter().any(|o| o.contains("No platform is in charge")));
}

#[test]
fn an_empty_job_is_told_its_next_three_steps_and_a_whole_one_none() {
    let mill = larkfield_mill();
    let network = mill.networks.named("mesh");
    assert!(next_steps(&mill, network).is_empty());
    let empty = Site::new(mill.job.clone());
    let pages =
        |site: &Site, network| next_steps(site, network).iter().map(|n| n.page).collect::<Vec<_>>();
    assert_eq!(pages(&empty, None), ["survey", "sheet", "survey"]);
    // With walls and points what is lacking is the network, its hub, and what it shall reach.
    let mut bare = mill.clone();
    let all: Vec<_> = bare.devices.iter().map(|d| d.id.clone()).collect();
    for device in all {
        apply(&mut bare, &Edit::remove(Kind::Device, &device)).unwrap();
    }
    let steps = next_steps(&bare, bare.networks.named("mesh"));
    assert_eq!(steps.len(), 3);
    assert!(steps[0].words.contains("Place a hub") && steps[1].words.contains("reach"));
}

#[test]
fn what_the_builder_was_asked_for_is_held_against_what_was_found() {
    let point = |id: &str, x: f64| {
        json!({"do": "put", "kind": "point", "value": {"id": id, "name": id, "floor": "g", "at": [x, 1.0],
            "height_m": 1.1, "kind": "switch", "box": "plastic"}})
    };
    let load = |id: &str, at: &str| json!({"do": "put", "kind": "load", "value": {"id": id, "name": id, "switched_at": at, "kind": "led"}});
    let set = |kind: &str, id: &str, field: &str, value: serde_json::Value| json!({"do": "set", "kind": kind, "id": id, "field": field, "value": value});
    let mut site = with(
        bare(System::Zigbee),
        &[point("a", 1.0), point("b", 3.0), load("la", "a"), load("lb", "b")],
    );
    let keep = keep_asked(&site).unwrap();
    apply(&mut site, &keep).unwrap();
    assert!(keep_asked(&site).is_none(), "it is kept once");
    let at = |site: &Site, id: &str| {
        delivered(site).into_iter().find(|d| d.point.as_str() == id).unwrap()
    };
    // Where nobody has looked nothing is delivered, and nothing lacks.
    let blank = at(&site, "a");
    assert!(blank.lacks.is_empty());
    assert_eq!(blank.open.len(), 4, "{:?}", blank.open);
    let fact = |how: &str| json!({"how": how, "at": "2026-11-02T08:00:00Z"});
    let found = with(
        site,
        &[
            set("point", "a", "depth_mm", json!(40.0)),
            set("point", "a", "facts.depth_mm", fact("measured")),
            set("point", "a", "neutral", json!("absent")),
            set("point", "a", "earth", json!("conductor")),
            set("point", "a", "facts.earth", fact("seen")),
            set("load", "la", "switched_at", json!("b")),
            set("load", "la", "facts.switched_at", fact("seen")),
        ],
    );
    let told = at(&found, "a");
    assert_eq!(
        told.lacks,
        [
            "asked 47 mm of depth, there are 40",
            "asked for a neutral, and there is none",
            "asked for la on it, which hangs at b"
        ]
    );
    assert!(told.open.is_empty(), "{:?}", told.open);
    // Where a load is only planned to hang elsewhere, nobody says that it does.
    let planned = with(found.clone(), &[set("load", "la", "facts.switched_at", fact("told"))]);
    assert_eq!(at(&planned, "a").open, ["which lamps hang on it"]);
    assert!(!at(&planned, "a").lacks.iter().any(|l| l.contains("hangs at")));
    // What was told is no finding.
    let only_told = with(found.clone(), &[set("point", "a", "facts.depth_mm", fact("told"))]);
    assert_eq!(at(&only_told, "a").open, ["how deep the box is"]);
    // The lamp that hangs elsewhere can go with its place, said once.
    let mut regrouped = found.clone();
    apply(&mut regrouped, &told.regroup[0].1).unwrap();
    assert_eq!(regrouped.regroups.iter().next().map(|r| r.with.as_str()), Some("a"));
    assert!(at(&regrouped, "a").regroup.is_empty());
    // What was asked for stands, though it is taken off the plan.
    let gone = with(found, &[json!({"do": "remove", "kind": "load", "id": "la"})]);
    assert!(at(&gone, "a").lacks.contains(&"asked for la, and it is not there".to_owned()));
}
