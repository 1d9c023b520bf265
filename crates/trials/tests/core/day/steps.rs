//! A day's steps, told one by one.

use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::gate::{Stand, gate};
use dot_reach_core::install::schedule::{
    PlannedVisit, VisitKind, changes_in_order_of_joining, schedule,
};
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{Folder, Record, Step};
use serde_json::{Value, json};

use crate::common::{bare, placed, wish, with};
use crate::day::machine::{
    AT, circuit, energise, house, isolate, isolated, kit, lamp, sound, stepped, take, ticked,
};

const WIRE: [&str; 6] = ["dead", "noted", "code", "wired", "checked", "dry-fitted"];

/// The same with more on the plan.
fn planned(folder: &Folder, edits: &[Value]) -> Folder {
    Folder { site: with(folder.site.clone(), edits), record: folder.record.clone() }
}

fn wired(site: &Folder, device: &str) -> Folder {
    WIRE.iter().fold(site.clone(), |site, step| stepped(&site, device, step))
}

fn open(site: &Folder, expected: &[&str]) -> Folder {
    let act = json!({"do": "open-network", "id": "o1", "network": "n", "expected": expected, "by": "Kit", "at": AT});
    wish(site, &act).unwrap()
}

fn refused(site: &Folder, act: &Value) -> String {
    wish(site, act).err().unwrap_or_else(|| panic!("{act} was taken"))
}

fn stand(site: &Folder, device: &str, step: Step) -> Stand {
    gate(&site.record, &site.site).stand(&device.parse().unwrap(), step)
}

#[test]
fn a_whole_circuit_from_isolation_to_closed() {
    let site = isolated(&house(System::Zigbee, &["a", "b"]), "x", "breaker", &["7"]);
    let site = wired(&site, "a");
    let site = stepped(&site, "b", "dead");
    assert!(refused(&site, &energise("x")).contains("b is open"));
    let site = wired(&site, "b");
    let site = wish(&site, &energise("x")).unwrap();
    let mut site = open(&site, &["a", "b"]);
    for device in ["a", "b"] {
        assert!(refused(&site, &take(device, "closed")).contains("not done"));
        for step in
            ["powered", "joined", "identified", "settings", "tested", "closed", "named", "shown"]
        {
            site = stepped(&site, device, step);
        }
        let spot = WorkedDevice::of(&site.site, &device.parse().unwrap()).unwrap();
        assert!(gate(&site.record, &site.site).is_complete(&spot));
    }
}

#[test]
fn a_gate_yields_only_to_a_reason_and_the_reason_stands_in_the_report() {
    let site = isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]);
    let site = wish(&wired(&site, "a"), &energise("x")).unwrap();
    let site = stepped(&site, "a", "powered");
    let site = ticked(&site, "a", "closed");
    let mut close = take("a", "closed");
    assert!(refused(&site, &close).contains("Say why"));
    close["why"] = json!("the hub comes next week; the client wants no open box");
    let site = wish(&site, &close).unwrap();
    assert_eq!(stand(&site, "a", Step::Closed), Stand::Overruled);
    let overruled = gate(&site.record, &site.site).overruled();
    assert!(
        overruled.iter().any(|(_, step, why)| *step == Step::Closed && why.contains("next week"))
    );
    // Safety yields to nothing.
    let site = isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]);
    let site = ticked(&wired(&site, "a"), "a", "closed");
    close["why"] = json!("in a hurry");
    assert!(refused(&site, &close).contains("not on again"));
}

#[test]
fn what_something_rests_on_is_not_taken_back_and_an_opened_box_is_tested_again() {
    let site = isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]);
    let back = |step: &str| json!({"do": "take-back", "device": "a", "step": step});
    let open_box = stepped(&stepped(&site, "a", "dead"), "a", "noted");
    assert!(refused(&open_box, &back("dead")).contains("“Photographed and noted” rests on it"));
    let site = open(&wish(&wired(&site, "a"), &energise("x")).unwrap(), &["a"]);
    assert!(refused(&site, &back("dry-fitted")).contains("power is on again"));
    let steps = ["powered", "joined", "identified", "tested", "closed"];
    let site = steps.iter().fold(site, |site, step| stepped(&site, "a", step));
    assert!(refused(&site, &back("tested")).contains("“Closed” rests on it"));
    let site = wish(&wish(&site, &back("closed")).unwrap(), &back("tested")).unwrap();
    assert_eq!(stand(&site, "a", Step::Tested), Stand::Open);
    // A box that is opened again is tested and closed again.
    let site = stepped(&stepped(&site, "a", "tested"), "a", "closed");
    let site = isolated(&site, "y", "main", &[]);
    let site = stepped(&site, "a", "dead");
    for anew in [Step::Powered, Step::Tested, Step::Closed] {
        assert_eq!(stand(&site, "a", anew), Stand::Open);
    }
    assert_eq!(stand(&site, "a", Step::Joined), Stand::Done);
}

#[test]
fn a_box_stays_open_though_proved_dead_is_taken_back_until_somebody_says_it_is_safe() {
    let site = isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]);
    let back = json!({"do": "take-back", "device": "a", "step": "dead"});
    let site = wish(&stepped(&site, "a", "dead"), &back).unwrap();
    assert!(refused(&site, &energise("x")).contains("a is open"));
    let site = stepped(&site, "a", "put-back");
    assert!(wish(&site, &energise("x")).is_ok());
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

#[test]
fn mains_work_is_for_those_on_record_for_it_or_has_a_reason_that_stays() {
    let site = house(System::Zigbee, &["a"]);
    let by = |mut act: Value, who: &str, why: &str| {
        act["by"] = json!(who);
        act["why"] = json!(why);
        act
    };
    let off = isolate("x", "breaker", &["7"]);
    assert!(refused(&site, &by(off.clone(), "Nobody Known", "")).contains("may work on the mains"));
    let site = isolated(&site, "x", "breaker", &["7"]);
    let site = ticked(&site, "a", "dead");
    assert!(refused(&site, &by(take("a", "dead"), "Bo", "")).contains("Say why"));
    let site = wish(&site, &by(take("a", "dead"), "Bo", "under Kit's eyes")).unwrap();
    let overruled = gate(&site.record, &site.site).overruled();
    assert_eq!(overruled[0].2, "under Kit's eyes");
    assert!(
        refused(&house(System::Zigbee, &["a"]), &{
            let mut off = off;
            off["secured"] = json!("nothing");
            off
        })
        .contains("keeps others")
    );
}

#[test]
fn a_safety_outlet_isolates_nothing_and_a_shared_neutral_wants_the_main() {
    let site = house(System::Zigbee, &["a"]);
    assert!(refused(&site, &isolate("x", "safety-outlet", &["7"])).contains("isolates nothing"));
    let shared = planned(&site, &[circuit("7", &json!({"shared_neutral": true}))]);
    assert!(refused(&shared, &isolate("x", "breaker", &["7"])).contains("shares its neutral"));
    let shared = isolated(&shared, "x", "main", &[]);
    let _dead = stepped(&shared, "a", "dead");
    // Another breaker makes this box no safer.
    let other = isolated(&site, "x", "breaker", &["9"]);
    assert!(refused(&ticked(&other, "a", "dead"), &take("a", "dead")).contains("no isolation"));
}

#[test]
fn circuits_that_share_a_neutral_go_off_together_and_an_unnamed_partner_can_be_any() {
    let site = house(System::Zigbee, &["a"]);
    let seven = isolate("x", "breaker", &["7"]);
    let sides = [("7", "9"), ("9", "7")];
    for (said, partner) in sides {
        let shares = json!({"shared_neutral": true, "neutral_with": [partner]});
        let shared = planned(&site, &[circuit(said, &shares)]);
        assert!(refused(&shared, &seven).contains("share one neutral"), "said of {said}");
        let _dead = stepped(&isolated(&shared, "x", "breaker", &["7", "9"]), "a", "dead");
    }
    let open = planned(&site, &[circuit("3", &json!({"shared_neutral": true}))]);
    assert!(refused(&open, &seven).contains("nobody has named"));
    // One that was off before that was found out is no longer enough.
    let off = isolated(&site, "x", "breaker", &["7"]);
    let found = planned(&off, &[circuit("3", &json!({"shared_neutral": true}))]);
    assert!(refused(&ticked(&found, "a", "dead"), &take("a", "dead")).contains("no isolation"));
    let both = isolated(&open, "x", "main", &[]);
    let _dead = stepped(&both, "a", "dead");
    // What was opened while the partner was known stays so, whatever the plan says by now.
    let neutral = |with: &[&str]| [circuit("7", &json!({"neutral_with": with}))];
    let nine = isolated(&site, "y", "breaker", &["9"]);
    let known = isolated(&planned(&nine, &neutral(&["9"])), "x", "breaker", &["7", "9"]);
    let forgotten = planned(&stepped(&known, "a", "dead"), &neutral(&[]));
    let on = json!({"do": "energise", "isolation": "y", "by": "Kit", "at": AT});
    assert!(refused(&forgotten, &on).contains("is open"));
}

#[test]
fn who_is_nobody_of_the_job_does_nothing_on_the_mains_whatever_they_say() {
    let folder =
        ticked(&isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]), "a", "dead");
    let dead = |by: &str| {
        let mut dead = take("a", "dead");
        (dead["by"], dead["why"]) = (json!(by), json!("the electrician looks on"));
        dead
    };
    assert!(refused(&folder, &dead("Stranger")).contains("nobody of this name"));
    let mut off = isolate("y", "breaker", &["7"]);
    (off["by"], off["why"]) = (json!("Stranger"), json!("nobody else was there"));
    assert!(refused(&folder, &off).contains("nobody of this name"));
    // Nor is what is off handed to them: nobody could switch it on.
    let hand =
        json!({"do": "hand-over", "isolation": "x", "by": "Kit", "to": "Stranger", "at": AT});
    assert!(refused(&folder, &hand).contains("nobody of this name"));
    // Who is known and not allowed to says why.
    assert!(wish(&folder, &dead("Bo")).is_ok());
    assert!(
        wish(&folder, &{
            let mut bare = dead("Bo");
            bare["why"] = json!("");
            bare
        })
        .is_err()
    );
}

#[test]
fn whoever_switches_on_switched_off_or_took_over() {
    let site = isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]);
    let by = |who: &str| json!({"do": "energise", "isolation": "x", "by": who, "at": AT});
    assert!(refused(&site, &by("Bo")).contains("Kit switched it off"));
    let hand =
        |who: &str| json!({"do": "hand-over", "isolation": "x", "by": who, "to": "Bo", "at": AT});
    assert!(wish(&site, &hand("Bo")).is_err(), "nobody hands over what another holds");
    let site = wish(&site, &hand("kit ")).unwrap();
    assert!(wish(&site, &by("Kit")).is_err());
    let site = wish(&site, &by("Bo")).unwrap();
    assert!(refused(&site, &by("Bo")).contains("on again"));
}

#[test]
fn a_tester_is_shown_to_work_before_and_after() {
    let site = wish(&house(System::Zigbee, &["a"]), &isolate("x", "breaker", &["7"])).unwrap();
    let site = ticked(&site, "a", "dead");
    assert!(refused(&site, &take("a", "dead")).contains("known source"));
    let prove = json!({"do": "prove-tester", "isolation": "x", "after": false, "at": AT});
    let site = wish(&site, &prove).unwrap();
    let untick =
        json!({"do": "check", "device": "a", "step": "dead", "check": "tester-after", "on": false});
    assert!(refused(&wish(&site, &untick).unwrap(), &take("a", "dead")).contains("work again"));
    let site = wish(&site, &take("a", "dead")).unwrap();
    let record = site.record.isolations.iter().next().unwrap();
    assert!(record.proven_before.is_some() && record.proven_after.is_some());
}

#[test]
fn a_kit_starts_together_from_the_main() {
    let mut edits = vec![
        kit(),
        circuit("7", &json!({})),
        circuit("8", &json!({})),
        placed("hub", "hub", [0.0, 0.0], &json!({"kind": "shelf", "known": "seen"})),
    ];
    for (id, breaker) in [("a", "7"), ("b", "8")] {
        edits.extend([sound(id, "kit-switch", [2.0, 1.0], breaker), lamp(&format!("l{id}"), id)]);
    }
    let site = Folder::planned(with(bare(System::Kit), &edits));
    let by_breaker = isolated(&site, "x", "breaker", &["7"]);
    let dead = ticked(&by_breaker, "a", "dead");
    assert!(refused(&dead, &take("a", "dead")).contains("no isolation"));
    let site = isolated(&site, "x", "main", &[]);
    let site = wired(&site, "a");
    assert!(refused(&site, &energise("x")).contains("b is of the same kit"));
    // A part that is left out for a reason keeps the power from nobody.
    let mut without = energise("x");
    without["why"] = json!("b does not fit its box");
    assert!(wish(&site, &without).is_ok());
    let site = wish(&wired(&site, "b"), &energise("x")).unwrap();
    assert!(
        gate(&site.record, &site.site)
            .is_live(&WorkedDevice::of(&site.site, &"b".parse().unwrap()).unwrap())
    );
    // The plan puts both into one time without power, of the main, and says why.
    let plan = schedule(&analyse(&Arc::new(site.site), &Options::default()), &site.record);
    let outages: Vec<_> = plan.outages().collect();
    assert_eq!(outages.len(), 1);
    assert_eq!((outages[0].key.as_str(), outages[0].boxes.len()), ("main", 2));
    assert!(outages[0].cut.whys.iter().any(|w| w.to_string().contains("energised together")));
}

#[test]
fn an_old_zwave_device_is_excluded_before_it_is_disconnected() {
    let site = house(System::ZWave, &["a"]);
    let replaces =
        json!({"do": "set", "kind": "device", "id": "a", "field": "replaces", "value": "node 14"});
    let site = isolated(&planned(&site, &[replaces]), "x", "breaker", &["7"]);
    let site = ticked(&site, "a", "dead");
    assert!(refused(&site, &take("a", "dead")).contains("Old device out"));
    let site = stepped(&site, "a", "excluded");
    let _dead = wish(&site, &take("a", "dead")).unwrap();
}

#[test]
fn a_companion_waits_for_its_master_and_is_closed_without_a_code() {
    let site = planned(
        &house(System::Zigbee, &["a"]),
        &[
            sound("far", "companion-wired", [4.0, 1.0], "7"),
            json!({"do": "put", "kind": "group", "value": {"id": "g1", "name": "Stairs", "places": ["a", "far"],
                "wiring": {"layout": "boxes", "line": "a", "load": "far"}, "known": "seen"}}),
        ],
    );
    let spot =
        |site: &Folder| WorkedDevice::of(&site.site, &"far".parse().unwrap()).unwrap().steps();
    assert!(!spot(&site).contains(&Step::Joined) && spot(&site).contains(&Step::Tied));
    let site = isolated(&site, "x", "breaker", &["7"]);
    let site = wired(&site, "a");
    let site = ["dead", "noted", "wired", "checked", "dry-fitted"]
        .iter()
        .fold(site, |site, step| stepped(&site, "far", step));
    let site = open(&wish(&site, &energise("x")).unwrap(), &["a"]);
    let tie = json!({"do": "tie", "joining": "t1", "device": "far", "master": "a", "by": "Kit", "at": AT});
    let site = ticked(&site, "far", "tied");
    assert!(refused(&site, &tie).contains("its master, a, is not in"));
    assert!(refused(&site, &take("far", "closed")).contains("Tied"));
    let site = ["powered", "joined"].iter().fold(site, |site, step| stepped(&site, "a", step));
    let site = wish(&site, &tie).unwrap();
    let site = stepped(&site, "far", "closed");
    assert_eq!(stand(&site, "far", Step::Closed), Stand::Done);
}

#[test]
fn what_is_joined_on_a_bench_is_tested_in_its_place() {
    let site = open(&house(System::Zigbee, &["a"]), &["a"]);
    let site = stepped(&site, "a", "code");
    let join = json!({"do": "join", "id": "j", "device": "a", "joined": "elsewhere", "by": "Kit", "at": AT});
    assert!(wish(&site, &take("a", "joined")).is_err(), "its circuit was never on");
    let site = stepped(&wish(&site, &join).unwrap(), "a", "identified");
    assert!(gate(&site.record, &site.site).joined_elsewhere(&"a".parse().unwrap()));
    let tested = ticked(&site, "a", "tested");
    assert!(refused(&tested, &take("a", "tested")).contains("not on again"));
}

#[test]
fn a_moved_hub_makes_range_tests_stale() {
    let site = isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]);
    let site = open(&wish(&wired(&site, "a"), &energise("x")).unwrap(), &["a"]);
    let steps = ["powered", "joined", "identified", "tested", "closed"];
    let site = steps.iter().fold(site, |site, step| stepped(&site, "a", step));
    let moved = json!({"do": "unsettle", "trigger": "hub-moved", "network": "n"});
    let site = wish(&site, &moved).unwrap();
    assert_eq!(stand(&site, "a", Step::Tested), Stand::Open);
    assert!(refused(&site, &moved).contains("nothing there"));
}

#[test]
fn marks_come_by_acts_alone_and_a_network_lets_in_what_is_expected() {
    let site = house(System::Zigbee, &["a"]);
    let mark = json!({"do": "put", "kind": "mark", "value": {"id": "m", "device": "a", "step": "closed", "at": AT, "by": "x"}});
    assert!(refused(&site, &mark).contains("one by one"));
    let batch = json!({"do": "batch", "edits": [mark]});
    assert!(refused(&site, &batch).contains("one by one"));
    let nobody = json!({"do": "open-network", "id": "o", "network": "n", "expected": [], "by": "Kit", "at": AT});
    assert!(refused(&site, &nobody).contains("expected"));
    let site = open(&site, &["a"]);
    let shut = json!({"do": "close-network", "id": "o1", "by": "Kit", "at": AT});
    assert!(
        refused(&site, &shut).contains("a is expected and not in. Say why"),
        "{}",
        refused(&site, &shut)
    );
    let without =
        json!({"do": "close-network", "id": "o1", "by": "Kit", "at": AT, "why": "comes next week"});
    let site = wish(&site, &without).unwrap();
    assert!(gate(&site.record, &site.site).open_time(&"n".parse().unwrap()).is_none());
    let of = site.record.open_times.iter().next().unwrap();
    assert_eq!((of.closed.is_some(), of.closed_without.as_str()), (true, "comes next week"));
    assert!(refused(&site, &without).contains("closed already"));
}

#[test]
fn the_mill_loses_power_less_often_than_by_the_order_of_joining() {
    let site = dot_reach_standin::houses::larkfield_mill();
    let analysis = analyse(&Arc::new(site), &Options::default());
    let plan = schedule(&analysis, &Record::default());
    let before = changes_in_order_of_joining(&analysis);
    let now = plan.outages().count();
    println!("{now} times without power, {before} changes of breaker in the order of joining");
    assert_eq!(before, 19);
    assert!(now < before);
    // What does not fit, or was never opened, is not planned.
    let planned: Vec<_> = plan.visits.iter().flat_map(PlannedVisit::devices).collect();
    assert!(plan.left_out.iter().all(|l| !planned.contains(&&l.device)));
    assert!(!plan.left_out.is_empty() && plan.visits[0].kind == VisitKind::Before);
}

/// Two labels of one breaker go off once, under the name of the breaker that really does; what must not go dark is agreed.
#[test]
fn two_labels_of_one_breaker_are_one_time_without_power() {
    let proven = json!({"label": "9", "by": "Kit", "with": "tester", "at": AT});
    let house = planned(
        &house(System::Zigbee, &["a", "b"]),
        &[
            circuit("3", &json!({"proven": proven, "must_stay": "The freezer"})),
            circuit("4", &json!({"proven": proven})),
            json!({"do": "set", "kind": "point", "id": "a", "field": "circuit", "value": "3"}),
            json!({"do": "set", "kind": "point", "id": "b", "field": "circuit", "value": "4"}),
        ],
    );
    let analysis = analyse(&Arc::new(house.site), &Options::default());
    let plan = schedule(&analysis, &Record::default());
    let all: Vec<_> = plan.outages().collect();
    assert_eq!(all.len(), 1, "{:?}", plan.left_out);
    assert_eq!(
        (all[0].cut.circuits.as_slice(), all[0].boxes.len()),
        (&["3".to_owned(), "4".to_owned()][..], 2)
    );
    assert_eq!(all[0].cut.breakers(), ["9 (labelled 3 and 4)"]);
    let before = plan.visits.iter().flat_map(|v| &v.before);
    assert!(
        before.clone().any(|b| b.starts_with("The freezer: goes dark with breaker 3")),
        "{before:?}"
    );
}

/// While nobody has looked whether a circuit shares its neutral, the plan is the main; whoever stands at the panel may say.
#[test]
fn a_neutral_that_nobody_looked_at_is_planned_by_the_main() {
    let site =
        planned(&house(System::Zigbee, &["a"]), &[circuit("7", &json!({"shared_neutral": null}))]);
    let spot = WorkedDevice::of(&site.site, &"a".parse().unwrap()).unwrap();
    let choice = dot_reach_core::gate::isolate::for_spot(&spot);
    assert!(
        choice.means.is_main() && choice.whys[0].to_string().contains("nobody has looked"),
        "{choice:?}"
    );
    assert!(wish(&site, &isolate("x", "breaker", &["7"])).is_ok());
}

/// Whatever is learned or planned anew at an open box keeps it on the day, until it is closed or put back.
#[test]
fn an_open_box_stays_on_the_day_whatever_is_said_of_it() {
    let set = |kind: &str, id: &str, field: &str, value: Value| json!({"do": "set", "kind": kind, "id": id, "field": field, "value": value});
    let off = isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]);
    let begun = stepped(&off, "a", "dead");
    for edit in [
        set("point", "a", "neutral", json!("absent")),
        set("point", "a", "depth_mm", json!(10.0)),
        set("point", "a", "earth", json!("none")),
        set("point", "a", "box", json!("unknown")),
        set("point", "a", "circuit", json!("9")),
        set("point", "a", "circuit", json!("")),
        set("device", "a", "kind", json!("dimmer-neutral")),
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

/// That a breaker is off says nothing of a box: it is dead once it was proved so, today.
#[test]
fn a_box_is_dead_when_it_was_proved_so_and_not_when_a_breaker_is_off() {
    let dead = |site: &Folder| {
        let point = site.site.points.named("a").unwrap();
        dot_reach_core::gate::isolate::is_dead_now(&site.site, &site.record, point)
    };
    let off = isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]);
    assert!(!dead(&off));
    assert!(dead(&stepped(&off, "a", "dead")));
}

/// A code is held against its check digits and against its neighbours' by whatever door it comes.
#[test]
fn a_code_that_is_put_is_held_as_one_that_is_kept() {
    let site = house(System::Zigbee, &["a", "b"]);
    let put = |id: &str, device: &str, text: &str| json!({"do": "put", "kind": "join-code", "value": {"id": id, "device": device, "text": text, "at": AT}});
    let good = "83FED3407A939723A5C639B26916D505C3B5";
    assert!(refused(&site, &put("k", "a", "on the back of it")).contains("never does"));
    assert!(refused(&site, &put("k", "a", &good.replacen('8', "9", 1))).contains("checksum"));
    let kept = wish(&site, &put("k", "a", good)).unwrap();
    assert!(refused(&kept, &put("m", "b", good)).contains("is kept of"));
    let two = json!({"do": "batch", "edits": [put("k", "a", good), put("m", "b", good)]});
    assert!(refused(&site, &two).contains("is kept of"));
    let set = json!({"do": "set", "kind": "join-code", "id": "k", "field": "device", "value": "b"});
    assert!(wish(&kept, &set).is_ok(), "a code that was noted with the wrong device is corrected");
    // What is planned no longer holds no code against another.
    let gone = planned(&kept, &[json!({"do": "remove", "kind": "device", "id": "a"})]);
    assert!(wish(&gone, &put("m", "b", good)).is_ok());
}

/// A remote goes into the box of a mains switch: while that box is open no power comes on, whatever is said of it since.
#[test]
fn the_open_box_of_a_remote_keeps_the_power_off() {
    let set = |kind: &str, id: &str, field: &str, value: Value| json!({"do": "set", "kind": kind, "id": id, "field": field, "value": value});
    let wall = json!({"do": "put", "kind": "point", "value": {"id": "r", "name": "r", "floor": "g", "at": [4.0, 0.0],
        "height_m": 1.0, "kind": "switch", "box": "plastic", "circuit": "7"}});
    let remote = json!({"do": "put", "kind": "device", "value": {"id": "r", "name": "r", "point": "r",
        "kind": "remote-plate", "network": "n"}});
    let house = planned(&house(System::Zigbee, &["a"]), &[wall, remote]);
    let opened = stepped(&isolated(&house, "x", "breaker", &["7"]), "r", "dead");
    assert!(refused(&opened, &energise("x")).contains("r is open"));
    let gang = json!([{"id": "s", "what": "switch", "gang": 1, "depth_mm": 20.0}]);
    for edit in [
        set("device", "r", "kind", json!("sensor-battery")),
        set("device", "r", "kind", json!("switch-neutral")),
        set("point", "r", "kind", json!("bare-wall")),
        set("point", "r", "box", json!("none")),
        set("point", "r", "circuit", json!("9")),
        set("point", "r", "circuit", json!("")),
        json!({"do": "batch", "edits": [set("point", "r", "gangs", json!(1)), set("point", "r", "gang", json!(1)),
            set("point", "r", "stays", gang)]}),
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

fn live(device: &str, next: &str) -> Value {
    json!({"do": "found-live", "device": device, "found": "neutral against earth", "next": next, "decides": "Kit", "by": "Kit", "at": AT})
}

/// A neutral that is live with its breaker off: the main goes off too, and what is off stays off with it.
#[test]
fn what_is_not_dead_wants_more_off_and_the_first_isolation_goes_along() {
    let site = isolated(&house(System::Zigbee, &["a", "b"]), "x", "breaker", &["7"]);
    let site = stepped(&site, "b", "dead");
    assert!(
        refused(&site, &json!({"do": "found-live", "device": "a", "by": "Kit", "at": AT}))
            .contains("found")
    );
    let site = wish(&site, &live("a", "main")).unwrap();
    // By this isolation the box of a is dead for nobody and no step; that of b was proved dead by itself.
    let again = ticked(&site, "a", "dead");
    assert!(refused(&again, &take("a", "dead")).contains("no isolation"));
    assert!(wish(&ticked(&site, "b", "noted"), &take("b", "noted")).is_ok());
    let site = stepped(&isolated(&site, "y", "main", &[]), "a", "dead");
    assert!(refused(&site, &energise("x")).contains("a is open"), "it is dark by both");
    assert!(refused(&site, &energise("y")).contains("a is open"));
    let site = stepped(&stepped(&site, "a", "put-back"), "b", "put-back");
    let site = wish(&wish(&site, &energise("y")).unwrap(), &energise("x")).unwrap();
    assert!(site.record.in_force().next().is_none());
}

#[test]
fn a_box_that_is_found_live_with_hands_in_it_is_closed_under_the_next_cut_alone() {
    let site = isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]);
    let site = stepped(&stepped(&site, "a", "dead"), "a", "noted");
    let site = wish(&site, &live("a", "main")).unwrap();
    assert_eq!(stand(&site, "a", Step::Dead), Stand::Open, "it was proved dead, and is not");
    assert!(refused(&site, &energise("x")).contains("a is open"));
    assert!(
        refused(&ticked(&site, "a", "put-back"), &take("a", "put-back")).contains("found live")
    );
    let site = isolated(&site, "y", "main", &[]);
    let site = stepped(&stepped(&site, "a", "dead"), "a", "put-back");
    let site = wish(&wish(&site, &energise("y")).unwrap(), &energise("x")).unwrap();
    assert!(site.record.in_force().next().is_none());
}

/// Whoever stops there has opened nothing: power comes back.
#[test]
fn who_stops_at_a_live_box_brings_power_back() {
    let site = isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]);
    let site = wish(&site, &live("a", "stop")).unwrap();
    let main = |site: &Folder| {
        let analysis = analyse(&Arc::new(site.site.clone()), &Options::default());
        schedule(&analysis, &site.record).outages().next().unwrap().cut.means.is_main()
    };
    assert!(!main(&site), "what is off stays the stretch that it is");
    // The next time it is planned by the main, until a breaker was proved to make it dead.
    let site = wish(&site, &energise("x")).unwrap();
    assert!(main(&site));
    let again = stepped(&isolated(&site, "z", "breaker", &["7"]), "a", "dead");
    let again = wish(&stepped(&again, "a", "put-back"), &energise("z")).unwrap();
    assert!(!main(&again));
}

/// The day shows what goes off beside, and each comes on again.
#[test]
fn the_stretch_of_a_live_box_has_the_next_cut_and_both_ends() {
    use dot_reach_core::install::walk::{WalkAct, Walks};
    let kinds = |site: &Folder| -> Vec<String> {
        let analysis = analyse(&Arc::new(site.site.clone()), &Options::default());
        let plan = schedule(&analysis, &site.record);
        let told = gate(&site.record, &site.site);
        let key = plan.outages().next().unwrap().key.clone();
        let stretch = Walks::of(&analysis, &plan, &told).stretch(&key).unwrap();
        let of = |id: &Option<_>| id.as_ref().map_or_else(String::new, ToString::to_string);
        let word = |act: &WalkAct| match act {
            WalkAct::Isolate { of: id, .. } => Some(format!("off {}", of(id))),
            WalkAct::Energise { of: id, .. } => Some(format!("on {}", of(id))),
            _ => None,
        };
        stretch.moves.iter().filter_map(|m| word(&m.act)).collect()
    };
    let site = isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]);
    assert_eq!(kinds(&site), ["off x", "on x"]);
    let stopped = wish(&site, &live("a", "stop")).unwrap();
    assert_eq!(kinds(&stopped), ["off x", "on x"]);
    let site = wish(&site, &live("a", "main")).unwrap();
    assert_eq!(kinds(&site), ["off x", "off ", "on ", "on x"]);
    let site = isolated(&site, "y", "main", &[]);
    assert_eq!(kinds(&site), ["off x", "off y", "on y", "on x"]);
    let site = stepped(&stepped(&site, "a", "dead"), "a", "put-back");
    let site = wish(&site, &energise("y")).unwrap();
    assert_eq!(kinds(&site), ["off x", "off y", "on y", "on x"]);
}

/// What was fitted under the next cut stays on its stretch when power is back: the rest of its cards is there.
#[test]
fn what_was_fitted_after_it_was_found_live_stays_on_its_stretch() {
    let key = |site: &Folder| {
        let analysis = analyse(&Arc::new(site.site.clone()), &Options::default());
        schedule(&analysis, &site.record).outages().next().unwrap().key.clone()
    };
    let site = isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]);
    let planned = key(&site);
    let site = wish(&site, &live("a", "main")).unwrap();
    let site = wired(&isolated(&site, "y", "main", &[]), "a");
    let site = wish(&wish(&site, &energise("y")).unwrap(), &energise("x")).unwrap();
    assert_eq!(key(&site), planned);
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

/// Whatever the plan says since, an open box that is found live is said to be so, and is closed under the next cut alone.
#[test]
fn an_open_box_is_found_live_through_every_door() {
    let set = |kind: &str, id: &str, field: &str, value: Value| json!({"do": "set", "kind": kind, "id": id, "field": field, "value": value});
    let off = isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]);
    let opened = stepped(&stepped(&off, "a", "dead"), "a", "noted");
    for edit in [
        set("point", "a", "circuit", json!("9")),
        set("point", "a", "circuit", json!("")),
        set("point", "a", "box", json!("none")),
        set("device", "a", "kind", json!("repeater-plug")),
        json!({"do": "remove", "kind": "device", "id": "a"}),
        json!({"do": "remove", "kind": "point", "id": "a"}),
        json!({"do": "remove", "kind": "circuit", "id": "c7"}),
    ] {
        let since = planned(&opened, std::slice::from_ref(&edit));
        let found = wish(&since, &live("a", "stop")).unwrap_or_else(|why| panic!("{edit}: {why}"));
        assert!(refused(&found, &energise("x")).contains("a is open"), "{edit}");
        assert!(
            refused(&ticked(&found, "a", "put-back"), &take("a", "put-back")).contains("live"),
            "{edit}"
        );
        // Who stopped can go on after all.
        let found = wish(&found, &live("a", "main")).unwrap();
        let main = isolated(&found, "y", "main", &[]);
        let opens =
            WorkedDevice::of(&main.site, &"a".parse().unwrap()).is_some_and(|s| s.opens_box());
        let dead = if opens { stepped(&main, "a", "dead") } else { main };
        let safe = stepped(&dead, "a", "put-back");
        let on = wish(&wish(&safe, &energise("y")).unwrap(), &energise("x")).unwrap();
        assert!(on.record.in_force().next().is_none(), "{edit}");
    }
}

/// A proof that is taken back leaves the box as live as it was found.
#[test]
fn a_proof_taken_back_leaves_the_box_as_live_as_it_was_found() {
    let site = isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]);
    let site = wish(&stepped(&site, "a", "dead"), &live("a", "main")).unwrap();
    let site = stepped(&isolated(&site, "y", "main", &[]), "a", "dead");
    assert!(wish(&ticked(&site, "a", "put-back"), &take("a", "put-back")).is_ok());
    let back = json!({"do": "take-back", "device": "a", "step": "dead"});
    let site = wish(&site, &back).unwrap();
    assert!(refused(&ticked(&site, "a", "put-back"), &take("a", "put-back")).contains("live"));
}
