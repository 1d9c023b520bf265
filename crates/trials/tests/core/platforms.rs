//! Platforms: which may be in charge, what each has of a device, what stands in which, what is tried again.
#![expect(clippy::unwrap_used, reason = "a house that lacks what it was given has failed its test")]

use dot_reach_core::catalogue::{Ability, FittingWay};
use dot_reach_core::gate::checks::checks;
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::platforms::{InCharge, all_into, asked, in_charge, open, stand_in};
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{Folder, Step};
use dot_reach_core::site::{Site, apply};
use serde_json::{Value, json};

use crate::common::{bare, device, placed, wish, with};
use crate::day::machine::{
    AT, circuit, energise, house, isolated, lamp, opened, set, sound, stepped, take, ticked, wired,
};

fn put(kind: &str, value: &Value) -> Value {
    json!({"do": "put", "kind": kind, "value": value})
}

fn platform(id: &str, way: &str, in_charge: bool) -> Value {
    put("platform", &json!({"id": id, "name": id, "way": way, "in_charge": in_charge}))
}

fn judged(site: &Site, id: &str) -> InCharge {
    in_charge(site).into_iter().find(|p| p.platform.as_str() == id).unwrap()
}

fn says(site: &Site, words: &str) -> bool {
    open(site).iter().any(|o| o.contains(words))
}

/// A hub, a switch with a lamp on it, a smart lamp that its key commands by two presses.
fn lived_in() -> Site {
    with(
        bare(System::Zigbee),
        &[
            circuit("7", &json!({})),
            device("hub", "hub", [1.0, 1.0]),
            sound("u", "switch-neutral", [3.0, 1.0], "7"),
            lamp("lu", "u"),
            placed("lamp", "lamp-white", [4.0, 3.0], &json!({"kind": "ceiling"})),
            platform("house", "hub", false),
            platform("voice", "voice", true),
            platform("other", "matter", false),
        ],
    )
}

#[test]
fn what_lives_on_servers_is_not_fit_to_be_in_charge_and_what_reaches_all_is() {
    let site = lived_in();
    let (house, voice) = (judged(&site, "house"), judged(&site, "voice"));
    assert_eq!((house.may, house.reaches), (Some(true), (2, 2)));
    assert_eq!(voice.may, Some(false));
    assert!(voice.outage.contains("without the internet no phrase"));
    assert!(says(&site, "voice is in charge, and not fit for it"));
    assert!(says(&site, "house may be: let that keep rules and times"));
    let changed = with(
        site,
        &[
            set("platform", "voice", "in_charge", &json!(false)),
            set("platform", "house", "in_charge", &json!(true)),
        ],
    );
    assert!(!says(&changed, "not fit for it"));
}

#[test]
fn of_a_row_at_which_nobody_has_looked_nothing_is_known() {
    let own = json!({"id": "own", "name": "Own plug", "duty": "actuator", "supply": "plug", "forwards": true,
        "systems": ["zigbee"], "fit": {"limits": {"led": 100.0}}});
    let site = with(lived_in(), &[put("device-kind", &own), device("x", "own", [6.0, 1.0])]);
    let house = judged(&site, "house");
    assert_eq!((house.may, house.not_known), (None, vec!["x".to_owned()]));
    // What nobody looked up of it is not held to be had, nor not to be had.
    let control = json!({"id": "c", "controller": "x", "load": "lamp", "gesture": "two presses"});
    let looked = with(
        site,
        &[set("device-kind", "own", "fit.platforms.hub", &json!(true)), put("control", &control)],
    );
    let house = judged(&looked, "house");
    assert_eq!(house.may, Some(true));
    assert_eq!(house.lacks, ["x tells its presses apart: nobody has looked whether by house."]);
    let listed = with(
        looked,
        &[set("device-kind", "own", "fit.able_by", &json!({"press-counts": ["matter"]}))],
    );
    assert_eq!(judged(&listed, "house").lacks, ["x tells its presses apart: not by house."]);
    assert!(judged(&listed, "other").lacks.is_empty());
}

#[test]
fn what_passes_a_device_on_does_not_pass_on_what_its_key_does() {
    let control = |path: &str| {
        put(
            "control",
            &json!({"id": "c", "controller": "u", "load": "lamp", "path": path, "gesture": "two presses"}),
        )
    };
    let site = with(lived_in(), &[control("direct")]);
    let device = site.devices.named("u").unwrap();
    let all: Vec<Ability> = asked(&site, device).into_iter().collect();
    assert_eq!(all, [Ability::FreedKey, Ability::PressCounts, Ability::DirectLinks]);
    assert!(judged(&site, "house").lacks.is_empty());
    assert_eq!(judged(&site, "other").lacks.len(), 3);
    let by_hub = with(site, &[control("hub"), set("control", "c", "gesture", &json!(""))]);
    assert_eq!(judged(&by_hub, "other").lacks, ["u frees its key: not by other."]);
}

#[test]
fn no_shipped_row_does_more_by_what_does_not_reach_it() {
    for kind in bare(System::Zigbee).all_kinds() {
        for (ability, _) in Ability::ALL {
            for (way, _) in FittingWay::ALL {
                let is = kind.fit.is_able(ability, way);
                let reached = kind.fit.platforms.contains(&way);
                assert!(is != Some(true) || reached, "{} {ability:?} {way:?}", kind.id);
                assert_eq!(is.is_none(), kind.fit.platforms.is_empty(), "{}", kind.id);
            }
        }
    }
}

#[test]
fn what_was_added_is_tried_again_when_its_platform_changes_under_it() {
    let add_on = put("add-on", &json!({"id": "a", "platform": "house", "name": "Blinds"}));
    let site = with(lived_in(), &[add_on]);
    assert!(says(&site, "Blinds in house: say where it comes from and which version"));
    assert!(says(&site, "Blinds in house was not tried yet"));
    let known = with(
        site,
        &[
            set("add-on", "a", "source", &json!("the maker's page")),
            set("add-on", "a", "version", &json!("1.4")),
            set("add-on", "a", "tried_under", &json!("7.1")),
        ],
    );
    assert!(says(&known, "look which version house runs now"));
    let same = with(known, &[set("platform", "house", "version", &json!("7.1"))]);
    assert!(!says(&same, "Blinds"));
    let updated = with(same, &[set("platform", "house", "version", &json!("7.2"))]);
    assert!(says(&updated, "house runs 7.2 now and Blinds was tried under 7.1: try it again."));
    let gone = with(updated, &[json!({"do": "remove", "kind": "platform", "id": "house"})]);
    assert!(gone.add_ons.is_empty());
}

#[test]
fn all_that_a_platform_reaches_is_let_in_once_and_what_is_kept_out_stays_out() {
    let out =
        put("share", &json!({"id": "s", "device": "u", "platform": "other", "comes": "kept-out"}));
    let mut site = with(lived_in(), &[out]);
    let other = "other".parse().unwrap();
    let edit = all_into(&site, &other).unwrap();
    apply(&mut site, &edit).unwrap();
    assert!(all_into(&site, &other).is_none());
    let told: Vec<_> = site.shares.iter().map(|s| (s.device.as_str(), s.comes.name())).collect();
    assert_eq!(told, [("lamp", "is let in by hand"), ("u", "is not to be seen there")]);
    assert!(!says(&site, "said twice"));
    let twice = put("share", &json!({"id": "t", "device": "u", "platform": "other"}));
    assert!(says(&with(site, &[twice]), "u is said twice in other."));
    let unreached = [
        platform("maker", "cloud", false),
        put("share", &json!({"id": "m", "device": "lamp", "platform": "maker"})),
    ];
    assert!(says(&with(lived_in(), &unreached), "lamp is to be let into maker, which does not"));
}

#[test]
fn a_device_is_let_in_on_its_card_and_the_record_knows_since_when() {
    let share = |comes: &str| {
        put(
            "share",
            &json!({"id": "s", "device": "a", "platform": "other", "comes": comes, "window_minutes": 15, "code": "31-22"}),
        )
    };
    let ticks = |site: &Site| -> Vec<String> {
        let spot = WorkedDevice::of(site, &"a".parse().unwrap()).unwrap();
        let all = checks(&spot, Step::Named).into_iter();
        all.filter(|c| c.text.contains("other")).map(|c| c.text).collect()
    };
    let plain = house(System::Zigbee, &["a"]);
    let planned = |comes: &str| {
        let edits = [platform("other", "matter", false), share(comes)];
        Folder { site: with(plain.site.clone(), &edits), record: plain.record.clone() }
    };
    let let_in = planned("let-in");
    let all = ticks(&let_in.site);
    assert_eq!(all.len(), 2);
    assert!(all[0].contains("open for 15 minutes, its code 31-22 typed in other, once"));
    // What is kept out has no name there to look at.
    let out = ticks(&planned("kept-out").site);
    assert_eq!(out, ["Is not seen in other: looked, and taken out where it had come by itself"]);
    let since = |folder: &Folder| stand_in(&folder.site, &folder.record)[0].since.clone();
    assert_eq!(since(&let_in), None);
    let off = wired(&isolated(&let_in, "x", "breaker", &["7"]), "a");
    let on = opened(&wish(&off, &energise("x")).unwrap(), &["a"]);
    let steps = ["powered", "joined", "identified", "settings", "tested", "closed"];
    let in_place = steps.iter().fold(on, |folder, step| stepped(&folder, "a", step));
    // A tick alone is no step, and a step without the tick says nothing of it.
    let ticked = ticked(&in_place, "a", "named");
    assert_eq!(since(&ticked), None);
    assert_eq!(since(&wish(&ticked, &take("a", "named")).unwrap()).as_deref(), Some(AT));
    // What is said otherwise later was not looked at: the tick was for something else.
    let done = wish(&ticked, &take("a", "named")).unwrap();
    let site = with(done.site.clone(), &[set("share", "s", "comes", &json!("kept-out"))]);
    assert_eq!(since(&Folder { site, record: done.record }), None);
    // What is ticked on no card is written down.
    let told = with(let_in.site.clone(), &[set("share", "s", "since", &json!("2026-11-02"))]);
    let written = stand_in(&told, &let_in.record)[0].since.clone().unwrap();
    assert!(written.starts_with("2026-11-02"));
}
