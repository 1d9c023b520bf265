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
