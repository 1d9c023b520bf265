//! Switches that are kept on purpose, articles that are set, keys without a load.

use dot_reach_core::fit::settings::what_follows;

use super::*;

/// What is found where a switch of this kind stays in the gang, with eight amperes of halogen.
fn kept(device: &str, more: &Value) -> Vec<(&'static str, Fits)> {
    let mut switch = json!({"id": "s", "what": "switch"});
    switch.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
    let things = [
        place("p", &json!({"stays": [switch]})),
        lamps("l", "p", &json!({"kind": "halogen", "count": 2, "watts": 230.0})),
    ];
    let found = rules(&found(&site(&things), device));
    found.into_iter().filter(|(rule, _)| *rule == "kept-switch").collect()
}

#[test]
fn a_switch_in_the_line_of_a_unit_bears_its_load_and_takes_it_off_the_air() {
    let of = |more: &Value| kept("switch-neutral", more);
    let (cuts, rule) = (("kept-switch", Fits::IfSo), "kept-switch");
    // 460 W at 230 V are 2 A.
    assert_eq!(of(&json!({"kept_as": "in-line", "rated_a": 2.0})), [cuts]);
    assert_eq!(of(&json!({"kept_as": "in-line", "rated_a": 1.9})), [(rule, Fits::No), cuts]);
    assert_eq!(of(&json!({"kept_as": "in-line"})), [(rule, Fits::NotKnown), cuts]);
    // One that tells the unit carries its signal; one of another gang is not asked about.
    assert_eq!(of(&json!({"kept_as": "signal"})), []);
    assert_eq!(of(&json!({"kept_as": "beside"})), []);
    assert_eq!(of(&json!({})), []);
    // What is added on purpose has a purpose.
    assert_eq!(of(&json!({"is_added": true})), [(rule, Fits::NotKnown)]);
}

#[test]
fn where_watts_are_open_the_rating_of_a_switch_settles_nothing() {
    let switch = json!([{"id": "s", "what": "switch", "kept_as": "in-line", "rated_a": 10.0}]);
    let things = [place("p", &json!({"stays": switch})), lamps("l", "p", &json!({"watts": null}))];
    let found = found(&site(&things), "switch-neutral");
    let asks = FitFinding::KeptLoadOpen { what: "plain switch".into(), load: "l lamps".into() };
    assert!(found.contains(&asks), "{found:?}");
}

#[test]
fn a_lamp_on_a_cord_is_no_box_and_asks_what_its_own_switch_does() {
    let of = |more: &Value| {
        let mut point = json!({"kind": "shelf", "feed": "cord", "neutral": "unknown", "earth": "unknown",
            "box": "unknown", "depth_mm": null});
        point.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        rules(&found(&site(&[place("p", &point), lamps("l", "p", &json!({}))]), "relay-in-lamp"))
    };
    let box_rules = ["neutral", "box", "depth", "volume"];
    assert!(
        of(&json!({})).iter().all(|(rule, _)| !box_rules.contains(rule)),
        "{:?}",
        of(&json!({}))
    );
    let own = json!({"stays": [{"id": "s", "what": "switch"}]});
    assert!(of(&own).contains(&("kept-switch", Fits::NotKnown)));
    // In the wall and at a pendant it is wired like any other, whatever somebody calls its feed.
    for kind in ["switch", "ceiling", "wall-fitting", "outdoor"] {
        let fixed = of(&json!({"kind": kind}));
        assert!(fixed.iter().any(|(rule, _)| box_rules.contains(rule)), "{kind}: {fixed:?}");
    }
}

#[test]
fn one_article_set_two_ways_is_bought_once_and_follows_its_own_family() {
    let [master, two_wire, follower] =
        ["phone-dimmer-master", "phone-dimmer-two-wire", "phone-dimmer-follower"]
            .map(|id| kind(id).unwrap());
    assert!(master.is_other_setting_of(follower) && two_wire.is_other_setting_of(master));
    assert!(!master.is_other_setting_of(master));
    assert_eq!(master.bought_as(), follower.bought_as());
    assert_eq!(pair(master, follower), Ok(()));
    assert_eq!(pair(two_wire, follower), Ok(()));
    // Of another family it hears nothing; by its wire it feeds nobody.
    assert_eq!(pair(kind("switch-wifi").unwrap(), follower), Err(CompanionClash::NoRadio));
    assert_eq!(pair(master, two_wire), Err(CompanionClash::TwoMasters));
    let told = |k: &DeviceKind| what_follows(k).join(" ");
    assert!(told(master).contains("line, load, neutral") && master.forwards && !two_wire.forwards);
    assert!(told(two_wire).contains("5 W at the least"));
    assert!(told(follower).contains("tied after its master"));
    assert_eq!(what_follows(kind("switch-neutral").unwrap()), [""; 0]);
}
