//! What a device bears, by kind of load and by its place in the box.

use super::*;

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
    // Which gang is not said: what both tabs allow fits in any, what one forbids in none.
    assert_eq!(loaded(3, 0, 97.0), []);
    assert_eq!(loaded(3, 0, 98.0), [("side-tabs", Fits::NotKnown)]);
    assert_eq!(loaded(3, 0, 120.5), [("load", Fits::No)]);
}

#[test]
fn below_the_least_load_each_unit_wants_a_capacitor_of_its_own() {
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
    assert_eq!(of("1", "in the hall fitting"), [("least-load", Fits::IfSo)]);
    assert_eq!(of("1", ""), [("least-load", Fits::IfSo)]);
    let own = json!({"count": 1, "watts": 4.0, "bypass": "in the rose"});
    assert_eq!(rules(&with_lamps("switch-two-wire", &own)), []);
}

#[test]
fn a_dimmer_takes_no_fan_no_motor_and_no_outlet() {
    for k in KINDS.iter().filter(|k| k.fit.is_dimmer() && k.is_wired_in()) {
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
    assert_eq!(
        rules(&with_lamps("fan-control", &json!({"inrush_a": 1.0}))),
        [("kind-of-load", Fits::No)]
    );
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
    // Four lamps at once; the contact bears 25 A.
    assert_eq!(of(json!({"inrush_a": 6.25})), []);
    assert_eq!(of(json!({"inrush_a": 6.5})), [("inrush", Fits::No)]);
    // What is not known is no more than 1.5 A for each watt: 22.5 A of three small ones, 30 A of four.
    assert_eq!(of(json!({"inrush_a": null, "count": 3, "watts": 5.0})), []);
    assert_eq!(
        of(json!({"inrush_a": null, "count": 4, "watts": 5.0})),
        [("inrush", Fits::NotKnown)]
    );
    // A cold filament draws fifteen times as much: 60 W at 230 V are 0.26 A, so 3.9 A each.
    let filaments = json!({"inrush_a": null, "kind": "incandescent", "watts": 60.0});
    assert_eq!(of(filaments), []);
}

proptest! {
    #[test]
    fn more_watts_never_fit_better(k in any_kind(), watts in 6.0..400.0f64, more in 0.0..400.0f64) {
        let of = |watts: f64| verdict(&with_lamps(&k.id, &json!({"count": 1, "watts": watts})));
        prop_assert!(of(watts + more) >= of(watts));
    }
}

/// A load of 3,400 W draws 14.2 A at 240 V and 28.3 A at 120 V: the voltage is the circuit's where it says one, else the
/// region's (47 CFR and NFPA 70 know both in one house).
#[test]
fn the_voltage_of_a_circuit_is_its_own() {
    let heater = lamps("l", "p", &json!({"kind": "heater", "count": 1, "watts": 3400.0}));
    let of = |more: &Value| {
        let mut circuit = json!({"label": "1", "rated_a": 20.0, "residual": "protected"});
        for (key, value) in more.as_object().unwrap() {
            circuit[key] = value.clone();
        }
        let region =
            json!({"do": "set", "kind": "job", "id": "job", "field": "region", "value": "us"});
        let wires = json!([{"id": "a", "count": 2, "size": "12 AWG", "found": "line"}]);
        let point = place("p", &json!({"conductors": wires, "volume_cm3": 900.0}));
        let site = with(site(&[point, heater.clone(), put("circuit", "c", &circuit)]), &[region]);
        let found = found(&site, "thermostat-mains");
        found.iter().find(|f| f.rule() == "breaker").map(ToString::to_string)
    };
    let over = of(&json!({})).unwrap();
    assert!(over.contains("28.3 A"), "{over}");
    assert_eq!(of(&json!({"volts": 240.0})), None);
}

/// A breaker that nobody has read, and conductors that nobody has listed, are a condition and never a pass.
#[test]
fn a_blank_breaker_and_blank_conductors_are_conditions() {
    let thin = json!([{"id": "a", "size": "1 mm²", "found": "line"}]);
    let of = |circuit: &Value, conductors: &Value| {
        let point = place("p", &json!({"conductors": conductors}));
        let site = site(&[point, lamps("l", "p", &json!({})), put("circuit", "c", circuit)]);
        let all = found(&site, "switch-neutral");
        all.iter().find(|f| f.rule() == "breaker").map(|f| (f.fits(), f.to_string()))
    };
    let (fits, told) = of(&json!({"label": "1"}), &thin).unwrap();
    assert!(fits == Fits::IfSo && told.contains("no more than 13 A"), "{told}");
    let (fits, told) = of(&json!({"label": "1", "rated_a": 16.0}), &json!([])).unwrap();
    assert!(fits == Fits::IfSo && told.contains("16 A"), "{told}");
    assert_eq!(of(&json!({"label": "1", "rated_a": 10.0}), &json!([])), None);
    assert_eq!(
        of(&json!({"label": "1", "rated_a": 16.0}), &thin).unwrap().0,
        Fits::ElectricianDecides
    );
    // The row of the breaker that really feeds it decides, where there is one.
    let proven = json!({"label": "9", "at": "2026-02-11T09:40:00Z"});
    let mistaken = json!({"label": "1", "rated_a": 10.0, "proven": proven});
    let other = put("circuit", "d", &json!({"label": "9", "rated_a": 32.0}));
    let house =
        site(&[place("p", &json!({"conductors": thin})), put("circuit", "c", &mistaken), other]);
    let all = found(&house, "switch-neutral");
    assert!(
        all.iter().any(|f| f.rule() == "breaker" && f.fits() == Fits::ElectricianDecides),
        "{all:?}"
    );
}

/// Two channels of 200 W: 150 W on each fit, 250 W on one do not, and 300 W of which nobody says where they hang are not
/// known yet.
#[test]
fn each_channel_bears_its_own_load() {
    let row = json!({"name": "Double", "duty": "actuator", "supply": "mains-neutral", "forwards": true,
        "systems": ["zigbee"], "button": "own", "depth_mm": 20.0, "fit": {"earth": false, "dims": false,
        "limits": {"led": 200.0}, "least_w": 0.0, "inrush_a": 80.0, "channels": 2, "derated": [1.0, 1.0], "box_mm": 25.0}});
    let of = |loads: &[(u8, f64)]| {
        let mut things = vec![place("p", &json!({})), put("device-kind", "double", &row)];
        for (n, (channel, watts)) in loads.iter().enumerate() {
            let more = json!({"count": 1, "watts": watts, "channel": channel});
            things.push(lamps(&format!("l{n}"), "p", &more));
        }
        let all = found(&site(&things), "double");
        all.iter()
            .filter(|f| f.rule() != "channels" || f.fits() != Fits::IfSo)
            .map(|f| (f.rule(), f.fits()))
            .collect::<Vec<_>>()
    };
    assert_eq!(of(&[(1, 150.0), (2, 150.0)]), []);
    assert_eq!(of(&[(1, 150.0), (1, 100.0)]), [("channels", Fits::No)]);
    assert_eq!(of(&[(1, 250.0)]), [("load", Fits::No)]);
    assert_eq!(of(&[(0, 150.0), (0, 150.0)]), [("channels", Fits::NotKnown)]);
    // What even one channel would bear needs no saying.
    assert_eq!(of(&[(0, 90.0), (0, 90.0)]), []);
    assert_eq!(of(&[(3, 10.0)]), [("channels", Fits::No)]);
}

/// A dimmer of 600 W that keeps 500 W with one side tab off and 400 W with both: alone, at an end, in the middle.
#[test]
fn tabs_that_come_off_lower_what_it_bears() {
    let row = json!({"name": "Dimmer", "duty": "actuator", "supply": "mains-neutral", "forwards": true,
        "systems": ["zigbee"], "button": "own", "depth_mm": 20.0, "fit": {"earth": false, "dims": true,
        "limits": {"led": 600.0}, "least_w": 0.0, "inrush_a": 900.0, "derated": [500.0 / 600.0, 400.0 / 600.0], "box_mm": 25.0}});
    let of = |gangs: u8, gang: u8, watts: f64| {
        let point = place("p", &json!({"gangs": gangs, "gang": gang}));
        let load = lamps("l", "p", &json!({"count": 1, "watts": watts}));
        rules(&found(&site(&[point, load, put("device-kind", "own", &row)]), "own"))
    };
    for (gangs, gang, most) in
        [(1, 1, 600.0), (2, 1, 500.0), (2, 2, 500.0), (3, 2, 400.0), (3, 3, 500.0)]
    {
        assert_eq!(of(gangs, gang, most - 1.0), [], "gang {gang} of {gangs}");
        assert_eq!(of(gangs, gang, most + 1.0), [("load", Fits::No)], "gang {gang} of {gangs}");
    }
    // A gang that nobody said: what both tabs leave is enough, or it is asked.
    assert_eq!(of(3, 0, 399.0), []);
    assert_eq!(of(3, 0, 450.0), [("side-tabs", Fits::NotKnown)]);
    assert_eq!(of(0, 0, 450.0), [("side-tabs", Fits::NotKnown)]);
}
