//! What a house that is lived in asks: what each thing is to its platforms, what is carried about, who gets it on which phone,
//! and what a new router takes down.

use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::elsewhere::elsewhere;
use dot_reach_core::gate::checks::checks;
use dot_reach_core::gate::settings::set_otherwise;
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::install::schedule::schedule;
use dot_reach_core::network::Band;
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{Record, Step};
use dot_reach_core::site::{Site, ThingClass, apply};
use dot_reach_core::survey::brief::open;
use dot_reach_core::survey::classes::class;
use dot_reach_core::survey::new_router::{comes_back, last_round, stays};
use serde_json::{Value, json};

use crate::common::{bare, device, placed, wish, with};
use crate::day::machine::{circuit, house, isolated, lamp, set, sound, wired};

fn put(kind: &str, value: &Value) -> Value {
    json!({"do": "put", "kind": kind, "value": value})
}

fn is(site: &Site, id: &str) -> Option<ThingClass> {
    let device = site.devices.named(id)?;
    class(site, device, site.kind(&device.kind)?)
}

#[test]
fn a_thing_is_to_a_platform_what_it_works() {
    let fan = put(
        "load",
        &json!({"id": "f", "name": "Fan", "switched_at": "b", "kind": "fan", "watts": 50.0}),
    );
    let pump = put(
        "load",
        &json!({"id": "m", "name": "Pump", "switched_at": "c", "kind": "motor", "watts": 50.0}),
    );
    let edits = [
        circuit("7", &json!({})),
        device("hub", "hub", [1.0, 1.0]),
        sound("a", "switch-neutral", [3.0, 1.0], "7"),
        lamp("la", "a"),
        sound("b", "switch-neutral", [5.0, 1.0], "7"),
        fan,
        sound("c", "switch-neutral", [7.0, 1.0], "7"),
        pump,
        sound("d", "switch-neutral", [9.0, 1.0], "7"),
        device("plug", "plug-socket", [2.0, 3.0]),
        device("lamp", "lamp-white", [4.0, 3.0]),
        device("r", "remote-battery", [6.0, 3.0]),
        device("s", "sensor-motion", [8.0, 3.0]),
    ];
    let site = with(bare(System::Zigbee), &edits);
    for (id, wanted) in [
        ("hub", None),
        ("a", Some(ThingClass::Light)),
        ("b", Some(ThingClass::Fan)),
        ("c", Some(ThingClass::Switch)),
        // Nobody said what it works.
        ("d", Some(ThingClass::Switch)),
        ("plug", Some(ThingClass::Outlet)),
        ("lamp", Some(ThingClass::Light)),
        ("r", Some(ThingClass::Button)),
        ("s", Some(ThingClass::Sensor)),
    ] {
        assert_eq!(is(&site, id), wanted, "{id}");
    }
    // A lamp and a fan on one wire are a switch; what was said stands.
    let both = with(site.clone(), &[lamp("lb", "b")]);
    assert_eq!(is(&both, "b"), Some(ThingClass::Switch));
    let said = with(both, &[set("device", "b", "class", &json!("light"))]);
    assert_eq!(is(&said, "b"), Some(ThingClass::Light));
    let platform = put("platform", &json!({"id": "t", "name": "House app", "in_charge": true}));
    let named = with(said, &[platform]);
    let spot = WorkedDevice::of(&named, &"a".parse().unwrap()).unwrap();
    let all = checks(&spot, Step::Named);
    assert!(all.iter().any(|c| c.text == "In House app it is called “a”, there as a light"));
}

#[test]
fn what_is_carried_about_is_reached_from_each_of_its_places_as_if_it_stood_there() {
    let open = json!({"kind": "shelf", "box": "none"});
    let spot = |id: &str, x: f64| {
        put(
            "point",
            &json!({"id": id, "name": id, "floor": "g", "at": [x, 1.0], "height_m": 1.0, "kind": "shelf"}),
        )
    };
    let edits = [
        placed("hub", "hub", [1.0, 1.0], &open),
        placed("r", "remote-battery", [3.0, 1.0], &open),
        spot("near", 4.0),
        spot("far", 900.0),
        set("device", "r", "also_at.near", &json!(true)),
        set("device", "r", "also_at.far", &json!(true)),
    ];
    let site = with(bare(System::Zigbee), &edits);
    let remote = "r".parse().unwrap();
    let analysis = analyse(&Arc::new(site.clone()), &Options::default());
    let there = elsewhere(&analysis, &remote, &|| true);
    assert_eq!(there.len(), 2);
    for (point, outcome) in &there {
        let moved = with(site.clone(), &[set("device", "r", "point", &json!(point))]);
        let alone = analyse(&Arc::new(moved), &Options::default());
        let (network, place) = alone.find(&remote).unwrap();
        assert_eq!(*outcome, network.outcomes[place], "{point}");
    }
    assert_eq!(there[1].1.band, Band::Out);
    assert!(there[0].1.band > Band::Out);
    // A place that something is carried to is not taken away under it.
    let gone = crate::common::edit(json!({"do": "remove", "kind": "point", "id": "far"}));
    let mut held = site;
    assert!(apply(&mut held, &gone).is_err());
}

#[test]
fn who_gets_the_house_is_open_until_somebody_owns_it_and_the_fitter_is_out() {
    let person =
        |id: &str, name: &str| put("person", &json!({"id": id, "name": name, "part": "household"}));
    let access = |id: &str, who: &str, rights: &str, more: &Value| {
        let mut value = json!({"id": id, "person": who, "platform": "t", "rights": rights});
        for (key, field) in more.as_object().into_iter().flatten() {
            value[key] = field.clone();
        }
        put("access", &value)
    };
    let since = json!({"invited": "2026-11-01"});
    let begun = with(
        bare(System::Zigbee),
        &[
            put("platform", &json!({"id": "t", "name": "House app", "in_charge": true})),
            person("ada", "Ada"),
            person("kit", "Kit"),
            access("a1", "ada", "household", &json!({})),
            access("a2", "kit", "fitter", &since),
        ],
    );
    let says = |site: &Site, words: &str| open(site).iter().any(|o| o.contains(words));
    assert!(says(&begun, "Kit sets up House app and is not out of it yet"));
    assert!(says(&begun, "Ada is to get the house by House app, and is not invited yet"));
    assert!(says(&begun, "Nobody is said to own the account of House app"));
    let done = with(
        begun,
        &[
            access("a1", "ada", "owner", &since),
            set("access", "a2", "withdrawn", &json!("2026-11-30")),
        ],
    );
    for words in ["not out of it", "not invited", "own the account"] {
        assert!(!says(&done, words), "{words}");
    }
}

#[test]
fn a_new_router_brings_back_what_carries_before_what_hangs_on_it_and_leaves_the_mesh_alone() {
    let wifi = put("network", &json!({"id": "w", "name": "Wi-Fi", "system": "wifi"}));
    let router = put(
        "emitter",
        &json!({"id": "e", "name": "Router", "floor": "g", "at": [1.0, 1.0], "height_m": 1.0,
        "carrier": {"kind": "wifi", "channel": 6, "width_mhz": 20}, "tx_dbm": 19.0, "busy": 0.2, "of_the_house": true}),
    );
    let mut edits = vec![
        wifi,
        router,
        device("hub", "bridge-lamps", [2.0, 1.0]),
        device("lamp", "lamp-white", [4.0, 1.0]),
    ];
    for (id, kind, x) in [("node", "mesh-node-wifi", 5.0), ("plug", "plug-socket", 7.0)] {
        edits.push(device(id, kind, [x, 1.0]));
        edits.push(set("device", id, "network", &json!("w")));
    }
    let site = with(bare(System::Zigbee), &edits);
    let steps = comes_back(&site);
    let at = |name: &str| steps.iter().position(|s| s.at.iter().any(|at| at.name == name));
    assert_eq!(at("Router"), Some(0));
    let [node, hub, plug] = ["node", "hub", "plug"].map(|name| at(name).unwrap());
    // One that takes either is not known to hang on a cable.
    let either = with(site.clone(), &[set("device", "hub", "kind", &json!("hub"))]);
    let step =
        comes_back(&either).into_iter().find(|s| s.at.iter().any(|at| at.name == "hub")).unwrap();
    assert!(step.what.contains("look for a cable first"));
    // The advice that spares the rest stands first, be the router on the plan or not.
    let gone = with(site.clone(), &[json!({"do": "remove", "kind": "emitter", "id": "e"})]);
    assert_eq!(comes_back(&gone)[0].what, steps[0].what);
    assert!(node < hub && hub < plug, "{steps:?}");
    assert_eq!(at("lamp"), None);
    assert_eq!(stays(&site), [("Net".to_owned(), 1)]);
    assert!(comes_back(&bare(System::Zigbee)).is_empty());
}

#[test]
fn what_came_back_after_a_router_is_on_record_by_the_change_of_the_router() {
    let bridge = device("hub", "bridge-lamps", [2.0, 1.0]);
    let platform = put("platform", &json!({"id": "t", "name": "House app"}));
    let site = with(bare(System::Zigbee), &[bridge, platform]);
    let folder = dot_reach_core::record::Folder::planned(site);
    let all: Vec<_> = comes_back(&folder.site).into_iter().flat_map(|step| step.at).collect();
    let mut keys: Vec<&str> = all.iter().map(|at| at.key.as_str()).collect();
    keys.sort_unstable();
    keys.dedup();
    assert_eq!(keys, ["device-hub", "platform-t"]);
    assert_eq!(last_round(&folder.record), 1);
    let back = |round: u32| {
        let value = json!({"id": all[0].entry(round), "round": round, "name": all[0].name});
        put("came-back", &value)
    };
    let once = wish(&folder, &back(1)).unwrap();
    assert!(once.record.came_back.named("r1-device-hub").is_some());
    let struck = json!({"do": "remove", "kind": "came-back", "id": "r1-device-hub"});
    let not_so = wish(&once, &struck).unwrap();
    assert!(not_so.record.came_back.named("r1-device-hub").is_none());
    assert_eq!(not_so.record.len(), 2, "what was said stays");
    let again = wish(&wish(&not_so, &back(1)).unwrap(), &back(2)).unwrap();
    assert_eq!((last_round(&again.record), again.record.came_back.iter().count()), (2, 2));
    assert!(wish(&again, &back(0)).is_err());
}

#[test]
fn the_house_is_set_once_and_what_is_set_otherwise_is_told() {
    let site = house(System::Zigbee, &["a"]);
    let name = "After power comes back";
    let said = with(
        site.site.clone(),
        &[set("job", "job", &format!("settings.{name}"), &json!("as before"))],
    );
    let spot = WorkedDevice::of(&said, &"a".parse().unwrap()).unwrap();
    let all = checks(&spot, Step::Settings);
    assert!(all.iter().any(|c| c.text.contains("as before, as the house is set")));
    let put = |value: &str| {
        let kept = json!({"do": "put", "kind": "wiring-record", "value": {"id": "wa", "device": "a", "settings": {name: value}}});
        let mut folder = site.clone();
        folder.site = said.clone();
        wish(&folder, &kept).unwrap()
    };
    assert!(set_otherwise(&said, &put("as before").record).is_empty());
    let other = put("off");
    let told = set_otherwise(&said, &other.record);
    assert_eq!((told.len(), told[0].is.as_str(), told[0].other.as_str()), (1, "off", "as before"));
    assert_eq!(
        told[0].sentence(&said),
        "a is set otherwise: After power comes back off, in the house as before."
    );
    // What the hub tells is held against the record, the newest word of it.
    let tell = |folder: &dot_reach_core::record::Folder, id: &str, at: &str, is: &str| {
        let report =
            json!({"id": id, "network": "n", "device": "a", "at": at, "settings": {name: is}});
        wish(folder, &json!({"do": "put", "kind": "node-report", "value": report})).unwrap()
    };
    let hub = tell(
        &tell(&other, "r1", "2026-03-14T10:00:00Z", "on"),
        "r2",
        "2026-03-14T11:00:00Z",
        " OFF",
    );
    assert_eq!(
        set_otherwise(&said, &hub.record).len(),
        1,
        "in any case of its letters it is the same"
    );
    let hub = tell(&hub, "r3", "2026-03-14T12:00:00Z", "on");
    let told = set_otherwise(&said, &hub.record);
    assert_eq!(
        told[1].sentence(&said),
        "a: After power comes back is off on record, and on by its hub."
    );
}

#[test]
fn a_visit_says_what_is_left_of_it() {
    let site = house(System::Zigbee, &["a", "b"]);
    let plan = |folder: &dot_reach_core::record::Folder| {
        let analysis = analyse(&Arc::new(folder.site.clone()), &Options::default());
        schedule(&analysis, &folder.record)
    };
    let before = plan(&site);
    let fresh =
        schedule(&analyse(&Arc::new(site.site.clone()), &Options::default()), &Record::default());
    let left = |p: &dot_reach_core::install::schedule::Schedule| -> f64 {
        p.visits.iter().map(|v| v.left.likely).sum()
    };
    let planned = |p: &dot_reach_core::install::schedule::Schedule| -> f64 {
        p.visits.iter().map(|v| v.minutes.likely).sum()
    };
    // Of a fresh plan all is left; where the hub runs, that much less.
    assert!((left(&fresh) - planned(&fresh)).abs() < 1e-9);
    assert!(left(&before) < planned(&before));
    let off = isolated(&site, "x", "breaker", &["7"]);
    let then = wired(&off, "a");
    let after = plan(&then);
    assert!((planned(&after) - planned(&before)).abs() < 20.0);
    assert!(left(&after) < left(&before) - 10.0, "{} {}", left(&after), left(&before));
}

#[test]
fn a_relay_is_given_up_wherever_the_lamp_is_not_said_to_be_fed_from_elsewhere() {
    let asks = |feed: &str, key: &Value, channel: u8| {
        let control = put(
            "control",
            &json!({"id": "k", "controller": "u", "load": "lamp", "path": "hub", "key": key}),
        );
        let edits = [
            circuit("7", &json!({})),
            device("hub", "hub", [1.0, 1.0]),
            sound("u", "switch-double", [3.0, 1.0], "7"),
            lamp("lu", "u"),
            set("load", "lu", "channel", &json!(channel)),
            placed("lamp", "lamp-white", [4.0, 3.0], &json!({"kind": "ceiling", "feed": feed})),
            control,
        ];
        let site = with(bare(System::Zigbee), &edits);
        WorkedDevice::of(&site, &"u".parse().unwrap()).unwrap().takes(Step::Decoupled)
    };
    // The spare key of a unit, for a lamp that has its supply from elsewhere: nothing is given up.
    assert!(!asks("always", &json!(2), 1));
    // What nobody said, what hangs behind a switch, another key, no key, no channel: asked.
    for (feed, key, channel) in [
        ("unsaid", json!(2), 1),
        ("behind-switch", json!(2), 1),
        ("cord", json!(2), 1),
        ("always", json!(1), 1),
        ("always", Value::Null, 1),
        ("always", json!(2), 0),
    ] {
        assert!(asks(feed, &key, channel), "{feed} {key} {channel}");
    }
}
