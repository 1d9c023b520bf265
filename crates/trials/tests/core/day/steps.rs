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
    AT, circuit, energise, house, isolate, isolated, kit, lamp, planned, refused, sound, stand,
    stepped, take, ticked, wired,
};

fn open(site: &Folder, expected: &[&str]) -> Folder {
    let act = json!({"do": "open-network", "id": "o1", "network": "n", "expected": expected, "by": "Kit", "at": AT});
    wish(site, &act).unwrap()
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
    let put = |id: &str, device: &str, text: &str| {
        let code = json!({"id": id, "device": device, "text": text, "at": AT});
        json!({"do": "put", "kind": "join-code", "value": code})
    };
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
