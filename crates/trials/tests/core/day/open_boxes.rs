//! Boxes that stand open, whatever the plan says of them since; what hangs on them; who begins their record.

use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::fit::candidates::instead;
use dot_reach_core::gate::gate;
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::install::schedule::schedule;
use dot_reach_core::install::walk::Walks;
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{Folder, Step};
use dot_reach_core::site::Site;
use serde_json::json;

use crate::common::{wish, with};
use crate::day::machine::{
    AT, circuit, energise, house, isolated, planned, refused, set, stepped, take, ticked, wired,
};

/// A remote goes into the box of a mains switch: while that box is open no power comes on, whatever is said of it since.
#[test]
fn the_open_box_of_a_remote_keeps_the_power_off() {
    let wall = json!({"do": "put", "kind": "point", "value": {"id": "r", "name": "r", "floor": "g", "at": [4.0, 0.0],
        "height_m": 1.0, "kind": "switch", "box": "plastic", "circuit": "7"}});
    let remote = json!({"do": "put", "kind": "device", "value": {"id": "r", "name": "r", "point": "r",
        "kind": "remote-plate", "network": "n"}});
    let house = planned(&house(System::Zigbee, &["a"]), &[wall, remote]);
    let opened = stepped(&isolated(&house, "x", "breaker", &["7"]), "r", "dead");
    assert!(refused(&opened, &energise("x")).contains("r is open"));
    let gang = json!([{"id": "s", "what": "switch", "gang": 1, "depth_mm": 20.0}]);
    for edit in [
        set("device", "r", "kind", &json!("sensor-battery")),
        set("device", "r", "kind", &json!("switch-neutral")),
        set("point", "r", "kind", &json!("bare-wall")),
        set("point", "r", "box", &json!("none")),
        set("point", "r", "circuit", &json!("9")),
        set("point", "r", "circuit", &json!("")),
        json!({"do": "batch", "edits": [set("point", "r", "gangs", &json!(1)), set("point", "r", "gang", &json!(1)),
            set("point", "r", "stays", &gang)]}),
        json!({"do": "remove", "kind": "device", "id": "r"}),
        json!({"do": "remove", "kind": "point", "id": "r"}),
        json!({"do": "remove", "kind": "circuit", "id": "c7"}),
    ] {
        let since = planned(&opened, std::slice::from_ref(&edit));
        assert!(refused(&since, &energise("x")).contains("is open"), "{edit}");
        let told = gate(&since.record, &since.site);
        assert!(told.is_open(&"r".parse().unwrap()), "{edit}");
        let safe = stepped(&since, "r", "put-back");
        assert!(wish(&safe, &energise("x")).is_ok(), "{edit}: it can be made safe");
    }
}

/// Of two phones that begin one record, and of a page that is older than it, none takes anything from another.
#[test]
fn what_is_begun_twice_keeps_the_ticks_of_both() {
    let begin = |sent: &str| {
        json!({"do": "begin", "kind": "wiring-record", "value": {"id": "w", "device": "a", "diagram": sent,
        "connected": {"c1": {"name": "c1", "goes": "line"}, "c2": {"name": "c2", "goes": "load"}}}})
    };
    let tick = |core: &str, is: bool| {
        json!({"do": "set", "kind": "wiring-record", "id": "w",
        "field": format!("connected.{core}.done"), "value": is})
    };
    let mut site = house(System::Zigbee, &["a"]);
    let walk = [
        begin("one place"),
        tick("c1", true),
        begin(""),
        tick("c2", true),
        begin("several places"),
    ];
    for act in &walk {
        site = wish(&site, act).unwrap();
    }
    let told = site.record.wiring_records.iter().next().unwrap();
    assert_eq!(told.diagram, "one place", "the first word stands");
    assert!(told.connected.values().all(|c| c.done), "{:?}", told.connected);
    // It is taken back by whoever says so, and by no beginning.
    site = wish(&wish(&site, &tick("c1", false)).unwrap(), &begin("one place")).unwrap();
    let told = site.record.wiring_records.iter().next().unwrap();
    assert!(!told.connected["c1"].done && told.connected["c2"].done);
    // Nothing is begun of what only an act says.
    let mark = json!({"do": "begin", "kind": "mark", "value": {"id": "m", "device": "a", "step": "closed", "at": AT}});
    refused(&site, &mark);
}

/// What hangs on the joints of a box is dark while it is open, whatever lies between, and is tried when power is back.
#[test]
fn what_hangs_on_a_box_is_named_before_and_tried_after() {
    use dot_reach_core::gate::checks::{cautions, checks};
    let hangs = |id: &str, on: &str| {
        json!({"do": "put", "kind": "point", "value": {"id": id, "name": id, "floor": "g",
        "at": [5.0, 5.0], "height_m": 0.3, "kind": "socket", "box": "plastic", "circuit": "7", "fed_through": on}})
    };
    let guarded = circuit("7", &json!({"residual": "protected"}));
    let site =
        planned(&house(System::Zigbee, &["a"]), &[guarded, hangs("s", "a"), hangs("t", "s")]).site;
    let spot = WorkedDevice::of(&site, &"a".parse().unwrap()).unwrap();
    assert!(
        cautions(&spot, Step::Dead).iter().any(|c| c.contains("Dark while this box is open: s, t"))
    );
    let after: Vec<String> = checks(&spot, Step::Powered).into_iter().map(|c| c.text).collect();
    assert!(after.iter().any(|c| c.contains("each tried: s, t")), "{after:?}");
    assert!(after.iter().any(|c| c.contains("trips by its test button") && c.contains("s, t")));
    // A ring of such words ends.
    let ring = with(
        site,
        &[json!({"do": "set", "kind": "point", "id": "a", "field": "fed_through", "value": "t"})],
    );
    assert_eq!(ring.hangs_on(ring.points.named("s").unwrap()).len(), 2);
    let own =
        json!({"do": "set", "kind": "point", "id": "a", "field": "fed_through", "value": "a"});
    assert!(refused(&Folder::planned(ring), &own).contains("its own joints"));
}

/// Whatever is learned or planned anew at an open box keeps it on the day, until it is closed or put back.
#[test]
fn an_open_box_stays_on_the_day_whatever_is_said_of_it() {
    let off = isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]);
    let begun = stepped(&off, "a", "dead");
    for edit in [
        set("point", "a", "neutral", &json!("absent")),
        set("point", "a", "depth_mm", &json!(10.0)),
        set("point", "a", "earth", &json!("none")),
        set("point", "a", "box", &json!("unknown")),
        set("point", "a", "circuit", &json!("9")),
        set("point", "a", "circuit", &json!("")),
        set("device", "a", "kind", &json!("dimmer-neutral")),
        json!({"do": "remove", "kind": "load", "id": "lamp-a"}),
        json!({"do": "remove", "kind": "circuit", "id": "c7"}),
    ] {
        let since = planned(&begun, std::slice::from_ref(&edit));
        let plan =
            schedule(&analyse(&Arc::new(since.site.clone()), &Options::default()), &since.record);
        let id = "a".parse().unwrap();
        let is_on = plan.visits.iter().any(|v| v.devices().any(|d| *d == id));
        assert!(is_on && !plan.left_out.iter().any(|l| l.device == id), "{edit}");
    }
}

#[test]
fn what_the_plan_says_since_is_told_and_opens_nothing() {
    let site = isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]);
    let opened = stepped(&site, "a", "dead");
    let changes = [
        json!({"do": "set", "kind": "point", "id": "a", "field": "circuit", "value": "9"}),
        json!({"do": "set", "kind": "device", "id": "a", "field": "kind", "value": "repeater-plug"}),
        json!({"do": "remove", "kind": "device", "id": "a"}),
        json!({"do": "remove", "kind": "point", "id": "a"}),
    ];
    for change in changes {
        let site = planned(&opened, std::slice::from_ref(&change));
        assert!(refused(&site, &energise("x")).contains("a is open"), "{change}");
        let told = gate(&site.record, &site.site).changed_since_opened();
        assert!(told.len() == 1 && told[0].1.contains("still open"), "{change}: {told:?}");
        // Whatever is planned there by now, the box can be made safe, and power come back.
        let safe = stepped(&site, "a", "put-back");
        assert!(wish(&safe, &energise("x")).is_ok(), "{change}");
    }
}

/// A cable is brought from a box on another breaker: that one is opened too, and is dead first.
#[test]
fn where_a_new_cable_comes_from_is_off_too() {
    let before = planned(
        &house(System::Zigbee, &["a", "b"]),
        &[circuit("9", &json!({})), set("point", "b", "circuit", &json!("9"))],
    );
    let circuits =
        |site: &Folder| WorkedDevice::of(&site.site, &"a".parse().unwrap()).unwrap().circuits();
    assert_eq!(circuits(&before), ["7"]);
    let new = json!({"into": "board", "cable_from": "b", "cable_m": 3.0, "who": "Kit"});
    let site = planned(&before, &[set("point", "a", "to_make", &new)]);
    assert_eq!(circuits(&site), ["7", "9"]);
    let one = isolated(&site, "x", "breaker", &["7"]);
    let dead = take("a", "dead");
    assert!(refused(&ticked(&one, "a", "dead"), &dead).contains("no isolation"));
    let both = isolated(&site, "y", "breaker", &["7", "9"]);
    assert!(wish(&ticked(&both, "a", "dead"), &dead).is_ok());
    // From where nobody knows the breaker, the main goes off.
    let blank = planned(&site, &[set("point", "b", "circuit", &json!(""))]);
    assert!(
        refused(&ticked(&isolated(&blank, "z", "breaker", &["7"]), "a", "dead"), &dead)
            .contains("no isolation")
    );
}

#[test]
fn whoever_switches_on_is_told_every_box_that_was_opened_since_and_how_each_stands() {
    let off = isolated(&house(System::Zigbee, &["a", "b"]), "x", "breaker", &["7"]);
    let told = |folder: &Folder| -> Vec<(String, bool, bool)> {
        let all = gate(&folder.record, &folder.site).opened_since(&"x".parse().unwrap());
        all.into_iter().map(|o| (o.name, o.is_open, o.safe.is_some())).collect()
    };
    let (a, b) = (|open, safe| ("a".to_owned(), open, safe), ("b".to_owned(), true, false));
    assert!(told(&off).is_empty());
    let opened = stepped(&stepped(&off, "a", "dead"), "b", "dead");
    assert_eq!(told(&opened), [a(true, false), b.clone()]);
    let safe = stepped(&stepped(&opened, "a", "noted"), "a", "put-back");
    assert_eq!(told(&safe), [a(false, true), b.clone()]);
    // What goes off the plan goes off no list; what is opened again is open, whoever called it safe before.
    let gone = Folder {
        site: with(safe.site.clone(), &[json!({"do": "remove", "kind": "device", "id": "b"})]),
        record: safe.record.clone(),
    };
    assert_eq!(told(&gone), [a(false, true), b.clone()]);
    assert_eq!(told(&stepped(&safe, "a", "dead")), [b, a(true, false)]);
}

#[test]
fn a_box_that_surprises_is_told_what_fits_in_it_as_it_is_now() {
    let folder =
        stepped(&isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]), "a", "dead");
    let device = |site: &Site| site.devices.named("a").unwrap().clone();
    assert!(instead(&folder.site, &device(&folder.site)).is_none(), "it is as it was planned");
    // No neutral is in it, though one was told of.
    let no_neutral = [
        set("point", "a", "neutral", &json!("absent")),
        set(
            "point",
            "a",
            "conductors",
            &json!([
            {"id": "l", "size": "1.5 mm²", "found": "line"}, {"id": "s", "size": "1.5 mm²", "found": "switched"},
            {"id": "e", "size": "1.5 mm²", "found": "earth"}]),
        ),
    ];
    let found = planned(&folder, &no_neutral);
    let (against, others) = instead(&found.site, &device(&found.site)).unwrap();
    assert!(!against.is_empty() && !others.is_empty());
    for other in &others {
        assert_ne!(other.kind.id, "switch-neutral");
        let changed =
            with(found.site.clone(), &[set("device", "a", "kind", &json!(other.kind.id))]);
        assert!(instead(&changed, &device(&changed)).is_none(), "{}", other.kind.id);
    }
    // Whatever is chosen, the box is open until somebody makes it safe.
    let chosen = planned(&found, &[set("device", "a", "kind", &json!(others[0].kind.id))]);
    assert!(refused(&chosen, &energise("x")).contains("a is open"));
    let analysis = analyse(&Arc::new(chosen.site.clone()), &Options::default());
    let visits = schedule(&analysis, &chosen.record).visits;
    assert!(visits.iter().any(|v| v.devices().any(|d| d.as_str() == "a")));
}

#[test]
fn what_is_open_under_one_cut_stays_one_stretch_whatever_the_plan_makes_of_it() {
    // Two breakers go off together, since that weighs less than one after the other.
    let lived = planned(
        &house(System::Zigbee, &["a", "b"]),
        &[set("point", "b", "circuit", &json!("9")), circuit("9", &json!({}))],
    );
    let keys = |folder: &Folder| -> Vec<String> {
        let analysis = analyse(&Arc::new(folder.site.clone()), &Options::default());
        schedule(&analysis, &folder.record).outages().map(|o| o.key.clone()).collect()
    };
    assert_eq!(keys(&lived), ["7+9"]);
    // Times without power that cost nothing by themselves: each its own.
    let apart = |folder: &Folder| {
        planned(
            folder,
            &[json!({"do": "put", "kind": "rate", "value": {"id": "dark-once", "value": 0.0}})],
        )
    };
    assert_eq!(keys(&apart(&lived)).len(), 2);
    let off = isolated(&lived, "x", "breaker", &["7", "9"]);
    let open = stepped(&stepped(&off, "a", "dead"), "b", "dead");
    let changed = apart(&open);
    assert_eq!(keys(&changed), ["7+9"], "both are open under one cut");
    let analysis = analyse(&Arc::new(changed.site.clone()), &Options::default());
    let plan = schedule(&analysis, &changed.record);
    let told = gate(&changed.record, &changed.site);
    let walks = Walks::of(&analysis, &plan, &told);
    assert_eq!(walks.stretch("7+9").unwrap().boxes.len(), 2);
    // One open box keeps its page, though the plan calls its time without power otherwise by now.
    let one = apart(&stepped(&off, "a", "dead"));
    let analysis = analyse(&Arc::new(one.site.clone()), &Options::default());
    let plan = schedule(&analysis, &one.record);
    let told = gate(&one.record, &one.site);
    let stretch = Walks::of(&analysis, &plan, &told).stretch("7+9").unwrap();
    assert!(stretch.boxes.iter().any(|d| d.as_str() == "a"));
    // Also once it is on again: what was fitted under that cut goes on there, what was put back is planned anew.
    for (done, goes_on) in [(wired(&one, "a"), true), (stepped(&one, "a", "put-back"), false)] {
        let on = wish(&done, &energise("x")).unwrap();
        let analysis = analyse(&Arc::new(on.site.clone()), &Options::default());
        let plan = schedule(&analysis, &on.record);
        assert!(plan.outages().all(|o| o.key != "7+9"), "the plan calls it otherwise");
        let told = gate(&on.record, &on.site);
        let stretch = Walks::of(&analysis, &plan, &told).stretch("7+9");
        let is_on_it = stretch.is_some_and(|s| s.boxes.iter().any(|d| d.as_str() == "a"));
        assert_eq!(is_on_it, goes_on);
    }
}
