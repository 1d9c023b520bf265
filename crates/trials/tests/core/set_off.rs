//! What sets rules off: again with a restart, long after, twice, and never.

use dot_reach_core::keys::grid;
use dot_reach_core::rules::SenseOf;
use dot_reach_core::site::Site;
use dot_reach_standin::houses;
use serde_json::{Value, json};

use super::rules::{YEAR, found, house, rule};
use crate::common::{device, with};

#[test]
fn what_a_restart_sets_off_again_what_waits_and_what_is_done_twice_is_told() {
    let state = |is: &str, to: &str, for_min: Option<u32>| {
        json!({"id": "r", "when": {"on": "state", "device": "fan", "is": is, "for_min": for_min},
            "does": [{"what": {"device": "lamp"}, "to": to}]})
    };
    let has =
        |rules: &[Value], of: &SenseOf| found(&house(rules), YEAR).iter().any(|(_, o, _)| o == of);
    let restart = SenseOf::FiresAtRestart;
    assert!(has(&[state("open", "toggle", None)], &restart));
    assert!(!has(&[state("motion", "toggle", None)], &restart));
    assert!(!has(&[state("open", "on", None)], &restart));
    let mut own = state("open", "toggle", None);
    own["runs"] = json!("device");
    assert!(!has(&[own], &restart));
    assert!(has(&[state("open", "on", Some(90))], &SenseOf::LongWait));
    assert!(!has(&[state("open", "on", Some(5))], &SenseOf::LongWait));
    // By a scene the same comes to the same.
    let scene = json!({"id": "s", "name": "Late", "when": {"on": "called"}, "does": [{"what": {"device": "lamp"}, "to": "off"}]});
    let mut through = rule("b", "22:45", "lamp", "off");
    through["does"] = json!([{"what": {"scene": "s"}, "to": "on"}]);
    let all = [scene, rule("a", "22:45", "lamp", "off"), through];
    for with in ["a", "b"] {
        assert!(
            has(&all, &SenseOf::Double { with: with.parse().unwrap() }),
            "{:?}",
            found(&house(&all), YEAR)
        );
    }
    assert!(!has(&all[..2], &SenseOf::Double { with: "a".parse().unwrap() }));
}

/// Rules that wait for what never comes, of a house.
fn never_pressed(site: &Site) -> Vec<(String, SenseOf)> {
    let all = found(site, YEAR).into_iter().map(|(rule, of, _)| (rule, of));
    all.filter(|(_, of)| matches!(of, SenseOf::NoPress { .. })).collect()
}

#[test]
fn a_press_that_its_controller_does_not_tell_sets_nothing_off() {
    let press = |of: &str, key: Option<u8>, gesture: &str| {
        json!({"do": "put", "kind": "rule", "value": {"id": "r",
            "when": {"on": "press", "controller": of, "key": key, "gesture": gesture},
            "does": [{"what": {"device": "lamp"}, "to": "on"}]}})
    };
    let base = with(
        house(&[]),
        &[
            device("door", "sensor-battery", [1.0, 0.0]),
            device("chair", "remote-battery", [2.0, 1.0]),
        ],
    );
    let mut two = serde_json::to_value(base.kind("remote-battery").unwrap()).unwrap();
    two["hand"] = json!({"keys": 2, "presses": 2, "held": false});
    let base = with(base, &[json!({"do": "put", "kind": "device-kind", "value": two})]);
    let of = |press: Value| {
        never_pressed(&with(base.clone(), &[press])).into_iter().map(|(_, of)| of).next()
    };
    assert_eq!(of(press("door", None, "")), Some(SenseOf::NoPress { of_sensor: true }));
    let no_such = Some(SenseOf::NoPress { of_sensor: false });
    for (key, gesture, is) in [
        (None, "", None),
        (Some(2), "two presses", None),
        (Some(3), "", no_such.clone()),
        (Some(1), "three presses", no_such.clone()),
        (Some(1), " held ", no_such.clone()),
        // What a maker calls otherwise is not known not to be told.
        (Some(1), "turned left", None),
    ] {
        assert_eq!(of(press("chair", key, gesture)), is, "{key:?} {gesture}");
    }
    // What nobody wrote down is not known to be missing.
    assert_eq!(of(press("fan", Some(4), "five presses")), None);
}

#[test]
fn no_column_of_a_grid_is_a_press_that_never_comes() {
    for name in ["larkfield-mill", "quay-court"] {
        let site = &houses::named(name).unwrap().site;
        assert_eq!(never_pressed(site), [], "{name}");
        for controller in
            site.devices.iter().filter(|d| site.kind(&d.kind).is_some_and(|k| k.sides().0))
        {
            let hand = site.kind(&controller.kind).unwrap().hand;
            for press in grid(site, &controller.id).unwrap().presses {
                assert!(!hand.lacks(press.key, &press.gesture), "{}: {press:?}", controller.name);
            }
        }
    }
}

#[test]
fn a_condition_of_a_device_that_is_gone_is_told() {
    let mut asks = rule("r", "20:00", "lamp", "on");
    asks["only"] = json!([{"only": "is", "device": "fan", "on": true}]);
    let site = house(&[asks, rule("o", "21:00", "lamp", "off")]);
    let gone = |site: &Site| found(site, YEAR).iter().any(|(_, of, _)| *of == SenseOf::Gone);
    assert!(!gone(&site));
    assert!(gone(&with(site, &[json!({"do": "remove", "kind": "device", "id": "fan"})])));
}
