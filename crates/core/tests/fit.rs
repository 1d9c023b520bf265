//! Whether a device fits a place: worked cases with their source, laws, and every device against every
//! other at one load.

#![expect(clippy::unwrap_used, reason = "the catalogue holds what the tests name")]
#![expect(clippy::float_cmp, reason = "quarters of cubic inches add up exactly")]

mod common;

use common::{bare, edit, with};
use dot_reach_core::catalogue::{DeviceKind, Far, KINDS, LoadKind, Supply, kind};
use dot_reach_core::fit::companions::{Clash, pair};
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
        "neutral": "seen", "earth": "conductor", "box": "plastic", "depth_mm": 60.0, "circuit": "1"});
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
    findings(site, kind(device).unwrap(), site.points.named("p").unwrap(), None)
}

/// What is found at a point like this with usual lamps.
fn at(device: &str, more: &Value) -> Vec<FitFinding> {
    found(&site(&[place("p", more), lamps("l", "p", &json!({}))]), device)
}

/// What is found at a good point with lamps like these.
fn with_lamps(device: &str, more: &Value) -> Vec<FitFinding> {
    found(&site(&[place("p", &json!({})), lamps("l", "p", more)]), device)
}

fn rules(found: &[FitFinding]) -> Vec<(&'static str, Fits)> {
    found.iter().map(|f| (f.rule(), f.fits())).collect()
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
        assert!(found.iter().all(|f| !f.ways_out().is_empty()), "{seen}: each has a way out");
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
fn depth_is_box_less_device_less_five_millimetres_for_the_conductors() {
    // A switch of 28 mm whose maker asks for 35 mm.
    let needs = kind("switch-neutral").unwrap();
    assert_eq!((needs.depth_mm, needs.fit.box_mm), (Some(28.0), Some(35.0)));
    for (inside, surround, fits) in [
        (25.0, 0.0, Fits::No),
        (32.9, 0.0, Fits::No),
        (34.9, 0.0, Fits::No),
        (35.0, 0.0, Fits::IfSo),
        (36.0, 0.0, Fits::Yes),
        (25.0, 11.0, Fits::Yes),
        (60.0, 0.0, Fits::Yes),
    ] {
        let found = at("switch-neutral", &json!({"depth_mm": inside, "surround_mm": surround}));
        assert_eq!(verdict(&found), fits, "{inside} and {surround} mm");
    }
    let deep = at("switch-neutral", &json!({"depth_mm": 25.0}));
    assert!(deep[0].to_string().contains("box 25 mm − device 28 mm − 5 mm"), "{}", deep[0]);
    // Blank never passes; where there is no box, depth says nothing.
    let blank = at("switch-neutral", &json!({"depth_mm": null}));
    assert_eq!(rules(&blank), [("depth", Fits::NotKnown)]);
    assert_eq!(
        verdict(&at("switch-neutral", &json!({"depth_mm": null, "box": "none"}))),
        Fits::Yes
    );
}

fn wires(rows: &[(u8, &str, &str)]) -> Vec<Conductor> {
    let wire = |(n, (count, size, found)): (usize, &(u8, &str, &str))| {
        serde_json::from_value(
            json!({"id": format!("c{n}"), "count": count, "size": size, "found": found}),
        )
        .unwrap()
    };
    rows.iter().enumerate().map(wire).collect()
}

#[test]
fn a_box_fills_as_the_code_counts() {
    // NFPA 70, 314.16(B): worked by hand from the table, 18 to 10 AWG: 1.50, 1.75, 2.00, 2.25, 2.50.
    // Three cables of 12 AWG, two conductors and an earth each, clamps, one switch and one dimmer:
    // 6 × 2.25 + 2.25 + 2 × 2 × 2.25 + 2.25.
    let three = wires(&[(6, "12 AWG", "line"), (3, "12 AWG", "earth")]);
    assert_eq!(needed_in3(&three, true, 2), 13.5 + 2.25 + 9.0 + 2.25);
    // Mixed: the devices and the clamps count the largest, the earths the largest of theirs.
    let mixed = wires(&[(4, "14 AWG", "line"), (2, "10 AWG", "line"), (2, "14 AWG", "earth")]);
    assert_eq!(needed_in3(&mixed, true, 1), 8.0 + 5.0 + 2.5 + 5.0 + 2.0);
    // Six earths: one for four, and a quarter more for each of the other two.
    let earths = wires(&[(2, "14 AWG", "line"), (6, "12 AWG", "earth")]);
    assert_eq!(needed_in3(&earths, false, 1), 4.0 + 4.0 + 2.25 * 1.5);
    // A pigtail stays inside.
    let mut pigtail = wires(&[(2, "14 AWG", "line"), (1, "14 AWG", "neutral")]);
    pigtail[1].enters = false;
    assert_eq!(needed_in3(&pigtail, false, 1), 4.0 + 4.0);
    // A metric conductor counts as the next AWG that is no thinner: 1.5 mm² as 14, 2.5 mm² as 12.
    assert_eq!(
        needed_in3(&wires(&[(2, "1.5 mm²", "line"), (2, "2.5 mm²", "line")]), false, 0),
        8.5
    );
}

#[test]
fn volume_decides_where_it_is_the_local_rule() {
    let conductors = json!([{"id": "a", "count": 4, "size": "14 AWG", "found": "line"},
        {"id": "e", "count": 2, "size": "14 AWG", "found": "earth"}]);
    let house = |region: &str, more: Value| {
        let mut point = json!({"clamps": true, "conductors": conductors});
        for (key, value) in more.as_object().unwrap() {
            point[key] = value.clone();
        }
        let mut site = site(&[place("p", &point), lamps("l", "p", &json!({}))]);
        let region =
            json!({"do": "set", "kind": "job", "id": "job", "field": "region", "value": region});
        apply(&mut site, &edit(region)).unwrap();
        rules(&found(&site, "switch-slim"))
    };
    // 16.0 in³ are needed: 262.2 cm³.
    assert!((16.0 * IN3 - 262.19).abs() < 0.01);
    assert_eq!(house("us", json!({"volume_cm3": 263.0})), []);
    assert_eq!(house("us", json!({"volume_cm3": 262.0})), [("volume", Fits::No)]);
    assert_eq!(house("us", json!({})), [("volume", Fits::NotKnown)]);
    assert_eq!(
        house("us", json!({"volume_cm3": 900.0, "conductors": []})),
        [("volume", Fits::NotKnown)]
    );
    assert_eq!(house("eu", json!({"volume_cm3": 100.0})), []);
}

#[test]
fn a_second_device_in_a_box_takes_its_room() {
    let conductors = json!([{"id": "a", "count": 6, "size": "14 AWG", "found": "line"}]);
    let first =
        place("p", &json!({"gangs": 2, "gang": 1, "volume_cm3": 290.0, "conductors": conductors}));
    let mut house = site(&[first, lamps("l", "p", &json!({}))]);
    apply(
        &mut house,
        &edit(json!({"do": "set", "kind": "job", "id": "job", "field": "region", "value": "us"})),
    )
    .unwrap();
    // 6 × 2.00 + 2 × 2.00 = 16 in³ of 17.7; with one more 20 in³.
    assert_eq!(rules(&found(&house, "switch-neutral")), []);
    let beside = [
        place("q", &json!({"in_box_of": "p", "gang": 2})),
        put(
            "device",
            "d",
            &json!({"name": "D", "point": "q", "kind": "switch-neutral", "network": "n"}),
        ),
    ];
    let house = with(house, &beside);
    let full = found(&house, "switch-neutral");
    assert_eq!(rules(&full), [("volume", Fits::No)]);
    assert!(full[0].to_string().contains("2 devices take 328 cm³ (20.00 in³)"), "{}", full[0]);
    // The box of the other is the one that was surveyed.
    let other = house.points.named("q").unwrap();
    assert!(
        findings(&house, kind("switch-neutral").unwrap(), other, None)
            .iter()
            .any(|f| f.rule() == "load")
    );
}

#[test]
fn watts_are_held_to_the_limit_of_their_kind() {
    // The dimmer takes 150 W of LED and 400 W of halogen.
    let limits = &kind("dimmer-neutral").unwrap().fit.limits;
    assert_eq!((limits[&LoadKind::Led], limits[&LoadKind::Halogen]), (150.0, 400.0));
    let over = |count: u16, watts: f64, what: &str| {
        with_lamps("dimmer-neutral", &json!({"count": count, "watts": watts, "kind": what}))
            .iter()
            .any(|f| f.rule() == "load")
    };
    assert!(!over(9, 16.0, "led") && over(10, 15.1, "led"));
    assert!(!over(8, 50.0, "halogen") && over(9, 50.0, "halogen"));
    // Shares add up: 90 W of LED are three fifths, 200 W of halogen a half.
    let both = [
        place("p", &json!({})),
        lamps("l", "p", &json!({"count": 9, "watts": 10.0})),
        lamps("m", "p", &json!({"count": 4, "watts": 50.0, "kind": "halogen"})),
    ];
    let found = found(&site(&both), "dimmer-neutral");
    assert!(rules(&found).contains(&("load", Fits::No)), "{found:?}");
    assert!(rules(&found).contains(&("channels", Fits::IfSo)));
    // Blank never passes.
    let blank = with_lamps("dimmer-neutral", &json!({"watts": null}));
    assert_eq!(rules(&blank), [("load", Fits::NotKnown)]);
    let none = without_lamps("dimmer-neutral");
    assert_eq!(rules(&none), [("load", Fits::NotKnown)]);
}

fn without_lamps(device: &str) -> Vec<FitFinding> {
    found(&site(&[place("p", &json!({}))]), device)
}

#[test]
fn side_tabs_that_come_off_lower_what_a_dimmer_bears() {
    // 80 % with one off, 65 % with both: 120 and 97.5 W of 150 W.
    let loaded = |gangs: u8, gang: u8, watts: f64| {
        let things = [
            place("p", &json!({"gangs": gangs, "gang": gang})),
            lamps("l", "p", &json!({"count": 1, "watts": watts})),
        ];
        rules(&found(&site(&things), "dimmer-neutral"))
    };
    assert_eq!(loaded(1, 0, 150.0), []);
    assert_eq!(loaded(2, 1, 120.0), []);
    assert_eq!(loaded(2, 2, 120.5), [("load", Fits::No)]);
    assert_eq!(loaded(3, 2, 97.0), []);
    assert_eq!(loaded(3, 2, 98.0), [("load", Fits::No)]);
    assert_eq!(loaded(3, 0, 50.0), [("side-tabs", Fits::NotKnown)]);
}

#[test]
fn below_the_least_load_one_capacitor_does_for_the_circuit() {
    let small = json!({"count": 1, "watts": 4.0});
    assert_eq!(rules(&with_lamps("switch-two-wire", &small)), [("least-load", Fits::IfSo)]);
    assert_eq!(rules(&with_lamps("switch-two-wire", &json!({"count": 1, "watts": 5.0}))), []);
    let of = |circuit: &str, bypass: &str| {
        let things = [
            place("p", &json!({})),
            lamps("l", "p", &small),
            place("q", &json!({"circuit": circuit})),
            lamps("m", "q", &json!({"bypass": bypass})),
        ];
        rules(&found(&site(&things), "switch-two-wire"))
    };
    assert_eq!(of("1", "in the hall fitting"), []);
    assert_eq!(of("1", ""), [("least-load", Fits::IfSo)]);
    assert_eq!(of("2", "in the hall fitting"), [("least-load", Fits::IfSo)]);
}

#[test]
fn a_dimmer_takes_no_fan_no_motor_and_no_outlet() {
    for k in KINDS.iter().filter(|k| k.fit.dims && k.is_wired_in()) {
        for what in ["fan", "motor", "outlet", "heater"] {
            let found = with_lamps(&k.id, &json!({"kind": what, "count": 1, "watts": 40.0}));
            assert!(
                rules(&found).contains(&("kind-of-load", Fits::No)),
                "{} {what}: {found:?}",
                k.id
            );
        }
    }
    let fan = with_lamps("fan-control", &json!({"kind": "fan", "count": 1, "watts": 60.0}));
    assert_eq!(rules(&fan), []);
    assert_eq!(rules(&with_lamps("fan-control", &json!({}))), [("kind-of-load", Fits::No)]);
}

#[test]
fn lamps_and_dimmers_are_tried_before_the_day() {
    let of = |more: Value| rules(&with_lamps("dimmer-neutral", &more));
    assert_eq!(of(json!({"dimmable": false})), [("dimming", Fits::No)]);
    assert_eq!(of(json!({"dimmable": null})), [("dimming", Fits::NotKnown)]);
    assert_eq!(of(json!({"tried": "unknown"})), [("dimming", Fits::IfSo)]);
    assert_eq!(of(json!({"tried": "benched"})), []);
    // A switch does not ask.
    assert_eq!(rules(&with_lamps("switch-neutral", &json!({"dimmable": false}))), []);
}

#[test]
fn the_moment_of_switching_on_is_held_to_what_the_contact_bears() {
    let of = |more: Value| rules(&with_lamps("switch-two-wire", &more));
    assert_eq!(of(json!({"inrush_a": 25.0})), []);
    assert_eq!(of(json!({"inrush_a": 26.0})), [("inrush", Fits::No)]);
    assert_eq!(of(json!({"inrush_a": null, "count": 9, "watts": 5.0})), []);
    assert_eq!(
        of(json!({"inrush_a": null, "count": 10, "watts": 5.0})),
        [("inrush", Fits::NotKnown)]
    );
}

#[test]
fn out_of_doors_a_device_is_rated_for_it_or_covered() {
    let of = |device: &str, cover: bool| {
        let more = json!({"kind": "outdoor", "weather_cover": cover, "depth_mm": 80.0});
        rules(&at(device, &more))
    };
    assert_eq!(of("switch-neutral", false), [("weather", Fits::No)]);
    assert_eq!(of("switch-neutral", true), [("weather", Fits::IfSo)]);
    assert_eq!(of("switch-outdoor", false), []);
}

/// Two places of one group, line at the first, the load at the second, another device at the second.
fn group(wiring: &Value, other: &str) -> Site {
    site(&[
        place("p", &json!({})),
        place("q", &json!({})),
        lamps("l", "p", &json!({})),
        put("group", "g1", &json!({"name": "Stairs", "places": ["p", "q"], "wiring": wiring})),
        put("device", "far", &json!({"name": "Far", "point": "q", "kind": other, "network": "n"})),
    ])
}

#[test]
fn a_powered_unit_is_where_its_way_of_working_wants_it() {
    let here = json!({"layout": "boxes", "line": "p", "load": "p"});
    let apart = json!({"layout": "boxes", "line": "p", "load": "q"});
    let of = |device: &str, wiring: &Value, far: &str| rules(&found(&group(wiring, far), device));
    assert_eq!(of("dimmer-neutral", &here, "companion-dimmer"), []);
    // A master that feeds the load stands where the load leaves, one that senses travellers where line
    // comes in.
    assert_eq!(of("dimmer-neutral", &apart, "companion-dimmer"), [("wiring", Fits::No)]);
    assert_eq!(of("dimmer-plain-far", &apart, "switch-plain"), []);
    let unknown = json!({"layout": "unknown"});
    assert_eq!(of("dimmer-neutral", &unknown, "companion-dimmer"), [("wiring", Fits::NotKnown)]);
    let fitting = json!({"layout": "at-fitting"});
    assert_eq!(of("dimmer-neutral", &fitting, "companion-dimmer"), [("wiring", Fits::No)]);
}

#[test]
fn every_wrong_mix_is_refused_with_what_it_would_do() {
    let here = json!({"layout": "boxes", "line": "p", "load": "p"});
    let of = |far: &str| found(&group(&here, far), "dimmer-neutral");
    assert_eq!(of("companion-dimmer"), []);
    assert_eq!(of("remote-battery"), []);
    for (far, words) in [
        ("companion-fan", "speaks to its own family only"),
        ("switch-plain", "puts line straight on the wire"),
        ("dimmer-neutral", "two units would feed one lamp"),
        ("paired-neutral", "does not listen to it by radio"),
        ("companion-kit", "speaks to its own family only"),
    ] {
        let found = of(far);
        assert_eq!(rules(&found), [("companions", Fits::No)], "{far}");
        assert!(found[0].to_string().contains(words), "{}", found[0]);
    }
    // Seen from the other end it is the same.
    let house = group(&here, "dimmer-neutral");
    assert_eq!(rules(&found(&house, "companion-fan")), [("companions", Fits::No)]);
    assert_eq!(rules(&found(&house, "companion-dimmer")), []);
    // A companion by itself works nothing.
    assert_eq!(rules(&without_lamps("companion-dimmer")), [("companions", Fits::No)]);
}

#[test]
fn every_device_against_every_other_at_one_load() {
    let masters: Vec<&DeviceKind> = KINDS.iter().filter(|k| k.fit.switches()).collect();
    let (mut works, mut clashes) = (0, 0);
    for master in &masters {
        for far in KINDS.iter() {
            let paired = pair(master, far);
            let same_family = !master.fit.family.is_empty() && master.fit.family == far.fit.family;
            // The table, said once more and the other way round: by what stands at the far place.
            let wanted = match far.fit.far {
                Far::No => false,
                Far::Plain => master.fit.accepts.contains(&Far::Plain),
                wired @ (Far::Electronic | Far::Follower) => {
                    same_family && master.fit.accepts.contains(&wired)
                }
                radio @ (Far::Remote | Far::Paired) => {
                    master.fit.accepts.contains(&radio)
                        && far.systems.iter().any(|s| master.systems.contains(s))
                }
            };
            assert_eq!(paired.is_ok(), wanted, "{} with {}: {paired:?}", master.id, far.id);
            match paired {
                Ok(()) => works += 1,
                Err(clash) => {
                    clashes += 1;
                    assert!(clash.to_string().len() > 30);
                    // What could be damaged says so.
                    let hurts = matches!(
                        clash,
                        Clash::OtherFamily | Clash::PlainOnElectronic | Clash::TwoMasters
                    );
                    assert_eq!(clash.to_string().contains("damaged"), hurts, "{clash}");
                }
            }
        }
    }
    assert!(works > 60 && clashes > 1000, "{works} {clashes}");
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
        assert!(!k.fit.dims || k.fit.switches(), "{}", k.id);
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

fn any_kind() -> impl Strategy<Value = &'static DeviceKind> {
    (0..KINDS.len()).prop_map(|n| &KINDS[n])
}

proptest! {
    #[test]
    fn more_depth_never_fits_less(k in any_kind(), depth in 5.0..80.0f64, more in 0.0..40.0f64) {
        let of = |mm: f64| verdict(&at(&k.id, &json!({"depth_mm": mm})));
        prop_assert!(of(depth + more) <= of(depth));
    }

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

    #[test]
    fn one_more_device_in_a_box_never_frees_room(
        rows in prop::collection::vec((1..6u8, 0..5usize, any::<bool>()), 1..6), yokes in 0..4usize, clamps: bool,
    ) {
        let sizes = ["18 AWG", "16 AWG", "14 AWG", "12 AWG", "10 AWG"];
        let rows: Vec<_> = rows.iter().map(|(n, s, e)| (*n, sizes[*s], if *e { "earth" } else { "line" })).collect();
        let all = wires(&rows);
        prop_assert!(needed_in3(&all, clamps, yokes + 1) >= needed_in3(&all, clamps, yokes));
        prop_assert!(needed_in3(&all, true, yokes) >= needed_in3(&all, false, yokes));
        prop_assert!(needed_in3(&all, clamps, yokes) >= needed_in3(&all[1..], clamps, yokes));
    }

    #[test]
    fn more_watts_never_fit_better(k in any_kind(), watts in 6.0..400.0f64, more in 0.0..400.0f64) {
        let of = |watts: f64| verdict(&with_lamps(&k.id, &json!({"count": 1, "watts": watts})));
        prop_assert!(of(watts + more) >= of(watts));
    }
}
