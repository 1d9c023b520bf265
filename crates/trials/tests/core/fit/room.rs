//! Room in the box, by depth and by volume.

#![expect(clippy::float_cmp, reason = "quarters of cubic inches add up exactly")]

use dot_reach_core::bill::{Bill, bill};

use super::*;

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
    let conductors = json!([{"id": "a", "count": 2, "size": "14 AWG", "found": "line"},
        {"id": "n", "count": 2, "size": "14 AWG", "found": "neutral"},
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
    let conductors = json!([{"id": "a", "count": 4, "size": "14 AWG", "found": "line"},
        {"id": "n", "count": 2, "size": "14 AWG", "found": "neutral"},
        {"id": "e", "count": 2, "size": "14 AWG", "found": "earth"}]);
    let first = place(
        "p",
        &json!({"gang": 1, "clamps": false, "volume_cm3": 300.0, "conductors": conductors}),
    );
    let mut house = site(&[first, lamps("l", "p", &json!({}))]);
    apply(
        &mut house,
        &edit(json!({"do": "set", "kind": "job", "id": "job", "field": "region", "value": "us"})),
    )
    .unwrap();
    // 6 × 2.00 + 2.00 + 2 × 2.00 = 18 in³ of 18.3; with one more 22 in³, and for the yoke of a second gang alike.
    assert_eq!(rules(&found(&house, "switch-neutral")), []);
    let two = json!({"do": "set", "kind": "point", "id": "p", "field": "gangs", "value": 2});
    let two = with(house.clone(), &[two]);
    assert_eq!(rules(&found(&two, "switch-neutral")), [("volume", Fits::No)]);
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
    assert!(full[0].to_string().contains("2 devices take 361 cm³ (22.00 in³)"), "{}", full[0]);
    // The box of the other is the one that was surveyed.
    let other = house.points.named("q").unwrap();
    assert!(
        findings(&house, kind("switch-neutral").unwrap(), other, None)
            .iter()
            .any(|f| f.rule() == "load")
    );
}

proptest! {
    #[test]
    fn more_depth_never_fits_less(k in any_kind(), depth in 5.0..80.0f64, more in 0.0..40.0f64) {
        let of = |mm: f64| verdict(&at(&k.id, &json!({"depth_mm": mm})));
        prop_assert!(of(depth + more) <= of(depth));
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
}

/// What stays in a box is counted: a plain switch for a gang and its yoke, a foreign module for the depth of its gang, the
/// measured mechanism before a module in place of what such a one usually takes.
#[test]
fn what_stays_in_a_box_takes_its_room() {
    let of = |device: &str, more: Value| {
        let mut point = json!({"depth_mm": 47.0, "gang": 1, "gangs": 2});
        for (key, value) in more.as_object().unwrap() {
            point[key] = value.clone();
        }
        rules(&found(&site(&[place("p", &point), lamps("l", "p", &json!({}))]), device))
    };
    let stays = |what: &str, gang: u8, depth: Option<f64>| json!({"stays": [{"id": "s", "what": what, "gang": gang, "depth_mm": depth}]});
    assert_eq!(of("switch-neutral", json!({})), []);
    assert_eq!(of("switch-neutral", stays("module", 1, None)), [("depth", Fits::NotKnown)]);
    assert_eq!(of("switch-neutral", stays("module", 1, Some(20.0))), [("depth", Fits::No)]);
    assert_eq!(of("switch-neutral", stays("module", 2, Some(20.0))), []);
    // 47 − 18 for the module − 25 for the measured mechanism − 5 leaves nothing; of a slim one of 12 mm it does.
    let module = |depth: f64| of("relay-module", stays("switch", 1, Some(depth)));
    assert_eq!(module(25.0).iter().map(|(rule, _)| *rule).collect::<Vec<_>>(), ["depth"]);
    assert_eq!(module(12.0), []);

    let conductors = json!([{"id": "a", "count": 4, "size": "14 AWG", "found": "line"},
        {"id": "n", "count": 2, "size": "14 AWG", "found": "neutral"},
        {"id": "e", "count": 2, "size": "14 AWG", "found": "earth"}]);
    let full = |stays: Value| {
        let point = json!({"gang": 1, "clamps": false, "volume_cm3": 300.0, "conductors": conductors, "stays": stays});
        let region =
            json!({"do": "set", "kind": "job", "id": "job", "field": "region", "value": "us"});
        let house = with(site(&[place("p", &point), lamps("l", "p", &json!({}))]), &[region]);
        rules(&found(&house, "switch-neutral"))
    };
    // 18 in³ of 18.3; with the yoke of a switch that stays 22.
    assert_eq!(full(json!([])), []);
    assert_eq!(full(json!([{"id": "s", "what": "switch"}])), [("volume", Fits::No)]);
}

#[test]
fn a_device_wider_than_a_gang_counts_as_two() {
    let row = json!({"name": "Wide", "duty": "actuator", "supply": "mains-neutral", "forwards": true,
        "systems": ["zigbee"], "button": "own", "depth_mm": 20.0, "fit": {"earth": false, "dims": false, "gangs": 2,
        "limits": {"led": 200.0}, "least_w": 0.0, "inrush_a": 80.0, "derated": [1.0, 1.0], "box_mm": 25.0}});
    let of = |gangs: u8| {
        let point = place("p", &json!({"gangs": gangs, "gang": 1}));
        let site = site(&[point, lamps("l", "p", &json!({})), put("device-kind", "wide", &row)]);
        rules(&found(&site, "wide"))
    };
    assert_eq!(of(1), [("depth", Fits::No)]);
    assert_eq!(of(2), []);
}

/// Boxes of NFPA 70, table 314.16(A), filled by 314.16(B): volume in cubic inches, cables of so many conductors and earths,
/// clamps, yokes; what is needed, by hand.
#[test]
fn six_boxes_of_the_code() {
    for (has, size, lives, earths, clamps, yokes, needs) in [
        // Device boxes 3 × 2 × 2½ and 3 × 2 × 3½, two cables of 14 AWG, a switch: 4 × 2.00 + 2.00 + 2.00 + 2 × 2.00.
        (12.5, "14 AWG", 4, 2, true, 1, 16.0),
        (18.0, "14 AWG", 4, 2, true, 1, 16.0),
        // Square 4 × 1½, three cables: of 14 AWG 12 + 2 + 2 + 4, of 12 AWG 13.5 + 2.25 + 2.25 + 4.5.
        (21.0, "14 AWG", 6, 3, true, 1, 20.0),
        (21.0, "12 AWG", 6, 3, true, 1, 22.5),
        // Square 4 × 2⅛, three cables of 12 AWG and two yokes: 13.5 + 2.25 + 2.25 + 9.
        (30.3, "12 AWG", 6, 3, true, 2, 27.0),
        // Two gangs without clamps, four cables of 12 AWG and two yokes: 18 + 2.25 + 9.
        (34.0, "12 AWG", 8, 4, false, 2, 29.25),
    ] {
        let all = wires(&[(lives, size, "line"), (earths, size, "earth")]);
        assert_eq!(needed_in3(&all, clamps, yokes), needs);
        let conductors = json!([{"id": "a", "count": lives - 2, "size": size, "found": "line"},
            {"id": "n", "count": 2, "size": size, "found": "neutral"},
            {"id": "e", "count": earths, "size": size, "found": "earth"}]);
        let point = json!({"gang": 1, "gangs": yokes, "clamps": clamps, "volume_cm3": has * IN3, "conductors": conductors});
        let region =
            json!({"do": "set", "kind": "job", "id": "job", "field": "region", "value": "us"});
        let house = with(site(&[place("p", &point), lamps("l", "p", &json!({}))]), &[region]);
        let is_full = rules(&found(&house, "switch-slim")).contains(&("volume", Fits::No));
        assert_eq!(is_full, needs > has, "{needs} in³ in {has} in³");
    }
}

#[test]
fn a_box_that_is_not_there_yet_is_work_that_asks_where_its_cable_comes_from() {
    let of = |new: &Value| {
        let more = json!({"to_make": new, "neutral": "unknown", "earth": "unknown"});
        rules(&found(
            &site(&[
                place("q", &json!({"at": [3.0, 1.0]})),
                place("p", &more),
                lamps("l", "p", &json!({})),
            ]),
            "switch-neutral",
        ))
    };
    let said = json!({"into": "masonry", "cable_from": "q", "cable_m": 4.5, "who": "Ines"});
    assert_eq!(of(&said), [("new-box", Fits::IfSo)]);
    // Its cable brings what is where it comes from, and no more than is known of that.
    let from = |neutral: &str, earth: &str| {
        let more = json!({"to_make": said, "neutral": "unknown", "earth": "unknown"});
        let source = json!({"at": [3.0, 1.0], "neutral": neutral, "earth": earth});
        rules(&found(
            &site(&[place("q", &source), place("p", &more), lamps("l", "p", &json!({}))]),
            "switch-neutral",
        ))
    };
    assert!(from("unknown", "conductor").contains(&("neutral", Fits::NotKnown)));
    assert!(from("absent", "conductor").contains(&("neutral", Fits::No)));
    assert!(from("seen", "unknown").contains(&("earth", Fits::NotKnown)));
    for field in ["into", "cable_from", "cable_m", "who"] {
        let mut blank = said.clone();
        blank.as_object_mut().unwrap().remove(field);
        let found = of(&blank);
        assert!(found.contains(&("new-box", Fits::NotKnown)), "{field}: {found:?}");
    }
}

#[test]
fn a_new_box_costs_its_box_its_cable_and_the_time_of_both() {
    let new = json!({"into": "board", "cable_from": "q", "cable_m": 4.5, "who": "Ines"});
    let house = |new: Value| {
        site(&[
            place("q", &json!({"at": [3.0, 1.0]})),
            place("p", &json!({"to_make": new})),
            put(
                "device",
                "u",
                &json!({"name": "u", "point": "p", "kind": "switch-neutral", "network": "n"}),
            ),
        ])
    };
    let [with_it, without] = [house(new.clone()), house(Value::Null)];
    let of = |site: &Site, what: &str| {
        let found = bill(site, 1);
        found.lines.iter().filter(|l| l.what == what).map(|l| l.count).sum::<f64>()
    };
    assert!((of(&with_it, "Back box, new") - 1.0).abs() < 1e-9);
    // Cable is bought by the whole metre.
    assert!((of(&with_it, "Mains cable") - 5.0).abs() < 1e-9);
    assert!(of(&without, "Back box, new").abs() < 1e-9 && of(&without, "Mains cable").abs() < 1e-9);
    // 25 minutes to cut, 4.5 m at 6 minutes: 52 more.
    let hours = |site: &Site| bill(site, 1).wiring_hours;
    let more = hours(&with_it) - hours(&without);
    assert!((more * 60.0 - 52.0).abs() < 1e-6, "{more}");
    // What is opened on the way takes its time, and is made good.
    let mut new = new.clone();
    new["opening"] = json!("ceiling of the hall");
    let opened = house(new);
    assert!(((hours(&opened) - hours(&with_it)) * 60.0 - 90.0).abs() < 1e-6);
    assert!((of(&opened, "Making good what was opened") - 1.0).abs() < 1e-9);
    assert!(of(&with_it, "Making good what was opened").abs() < 1e-9);
}

#[test]
fn a_new_box_that_two_share_is_made_once() {
    let new = json!({"into": "board", "cable_from": "q", "cable_m": 4.5, "who": "Ines"});
    let unit = |id: &str, at: &str| {
        put(
            "device",
            id,
            &json!({"name": id, "point": at, "kind": "switch-neutral", "network": "n"}),
        )
    };
    let house = |new: Value| {
        site(&[
            place("q", &json!({"at": [3.0, 1.0]})),
            place("p", &json!({"to_make": new, "gangs": 2, "gang": 1})),
            place("r", &json!({"in_box_of": "p", "gangs": 0, "gang": 2})),
            unit("u", "p"),
            unit("v", "r"),
        ])
    };
    let [both, none] = [house(new), house(Value::Null)].map(|site| bill(&site, 1));
    let boxes =
        |of: &Bill| of.lines.iter().find(|l| l.what == "Back box, new").map_or(0.0, |l| l.count);
    assert!((boxes(&both) - 1.0).abs() < 1e-9 && boxes(&none).abs() < 1e-9);
    assert!(((both.wiring_hours - none.wiring_hours) * 60.0 - 52.0).abs() < 1e-6);
}
