//! The range test of the day: counted once, in place, plate on, and the acceptance's own.

use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::gate::Stand;
use dot_reach_core::prove::accept::{Passed, counting, judged};
use dot_reach_core::prove::calibrate::prove;
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{Folder, RangeTest, Step, What};
use serde_json::{Value, json};

use super::machine::{
    AT, energise, house, isolated, opened, refused, stand, stepped, take, ticked, wired,
};
use crate::common::{placed, wish, with};

/// A switch that is in, on, joined and identified, ready for its test.
fn ready() -> Folder {
    let off = wired(&isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]), "a");
    let on = opened(&wish(&off, &energise("x")).unwrap(), &["a"]);
    ["powered", "joined", "identified"].iter().fold(on, |folder, step| stepped(&folder, "a", step))
}

fn test(more: &Value) -> Value {
    let mut act = take("a", "tested");
    for (key, value) in more.as_object().into_iter().flatten() {
        act[key] = value.clone();
    }
    act
}

fn tests(folder: &Folder) -> Vec<&RangeTest> {
    folder.record.range_tests.iter().collect()
}

fn agreed(folder: &Folder, more: &Value) -> Folder {
    let mut rule =
        json!({"id": "r", "count": 10, "rate": 0.9, "agreed_by": "Ada", "agreed_at": AT});
    for (key, value) in more.as_object().into_iter().flatten() {
        rule[key] = value.clone();
    }
    wish(folder, &json!({"do": "put", "kind": "acceptance", "value": rule})).unwrap()
}

/// How a device stands against what was agreed, with what speaks of it.
fn acceptance(folder: &Folder, id: &str) -> (Passed, Vec<String>) {
    let analysis = analyse(&Arc::new(folder.site.clone()), &Options::default());
    let all = judged(&analysis, &prove(&analysis, &folder.record));
    let of = all.into_iter().find(|j| j.device.as_str() == id).unwrap();
    (of.passed, of.points.into_iter().map(|(_, words)| words).collect())
}

#[test]
fn what_is_pressed_on_the_day_is_what_was_agreed_and_closing_does_not_undo_it() {
    let ready = ticked(&agreed(&ready(), &json!({})), "a", "tested");
    let tested = wish(&ready, &test(&json!({}))).unwrap();
    let [one] = tests(&tested)[..] else { panic!("one test") };
    assert_eq!((one.count, one.arrived, one.by.as_str()), (10, 10, "Kit"));
    let held: Vec<&str> = one.conditions.iter().map(String::as_str).collect();
    assert_eq!(held, ["box-closed", "doors-lived"]);
    assert_eq!(stand(&tested, "a", Step::Tested), Stand::Done);
    assert_eq!(acceptance(&tested, "a").0, Passed::Yes);
    let closed = stepped(&tested, "a", "closed");
    assert_eq!(acceptance(&closed, "a").0, Passed::Yes);
    // The plate was on: when the hub is moved later, that alone is why it is tested again.
    let moved = json!({"do": "unsettle", "trigger": "hub-moved", "network": "n"});
    let (passed, words) = acceptance(&wish(&closed, &moved).unwrap(), "a");
    assert_eq!(passed, Passed::Open);
    assert!(!words.iter().any(|w| w.contains("plate")), "{words:?}");
    // As many are pressed as were agreed.
    let more = agreed(&ready, &json!({"count": 25}));
    assert_eq!(tests(&wish(&more, &test(&json!({}))).unwrap())[0].count, 25);
}

#[test]
fn a_test_without_the_plate_is_done_again_once_it_is_on() {
    let ready = agreed(&ready(), &json!({}));
    let bare = json!({"do": "put", "kind": "range-test", "value": {"id": "bare", "device": "a", "count": 10,
        "arrived": 10, "conditions": ["doors-lived"], "at": AT}});
    let bare = wish(&ready, &bare).unwrap();
    let device = bare.site.devices.named("a").unwrap();
    assert_eq!(counting(&bare.site, &bare.record, device).len(), 1);
    let mut close = take("a", "closed");
    close["why"] = json!("tested with the phone, before the plate");
    let closed = wish(&ticked(&bare, "a", "closed"), &close).unwrap();
    assert!(counting(&closed.site, &closed.record, device).is_empty());
    let (passed, words) = acceptance(&closed, "a");
    assert_eq!(passed, Passed::Open);
    assert!(words.iter().any(|w| w.contains("the plate was fitted after it")), "{words:?}");
    // On the day it is not done without it.
    let unsaid =
        json!({"do": "check", "device": "a", "step": "tested", "check": "plate", "on": false});
    let unsaid = wish(&ticked(&ready, "a", "tested"), &unsaid).unwrap();
    assert!(refused(&unsaid, &test(&json!({}))).contains("Plate or cover on as it stays"));
}

#[test]
fn fewer_than_agreed_stand_on_record_and_are_no_step_unless_somebody_says_why() {
    let ready = ticked(&agreed(&ready(), &json!({})), "a", "tested");
    let eight = wish(&ready, &test(&json!({"arrived": 8}))).unwrap();
    assert_eq!(tests(&eight)[0].arrived, 8);
    assert_ne!(stand(&eight, "a", Step::Tested), Stand::Done);
    assert!(refused(&eight, &take("a", "closed")).contains("not done"));
    assert_eq!(acceptance(&eight, "a").0, Passed::No);
    // Said why it is closed all the same; what was counted is not made better by it.
    let left = test(&json!({"arrived": 8, "why": "a repeater comes next week"}));
    let left = wish(&ready, &left).unwrap();
    assert_eq!(stand(&left, "a", Step::Tested), Stand::Overruled);
    assert_eq!(acceptance(&left, "a").0, Passed::No);
    // More than were sent cannot answer.
    assert!(wish(&ready, &test(&json!({"arrived": 11}))).is_err());
}

#[test]
fn what_was_agreed_is_timed_and_a_hand_is_told_what_it_adds() {
    let ready = ticked(&agreed(&ready(), &json!({"delay_ms": 300.0})), "a", "tested");
    let at = |ms: Value| {
        let tested = wish(&ready, &test(&json!({"delay_ms": ms}))).unwrap();
        acceptance(&tested, "a")
    };
    assert_eq!(at(json!(280.0)).0, Passed::Yes);
    let (passed, words) = at(json!(590.0));
    assert_eq!(passed, Passed::No);
    assert!(words.iter().any(|w| w.contains("time it again, or ping it")), "{words:?}");
    let (passed, words) = at(json!(700.0));
    assert_eq!(passed, Passed::No);
    assert!(!words.iter().any(|w| w.contains("time it again")), "{words:?}");
    // What was agreed and not timed does not pass.
    assert_eq!(at(Value::Null).0, Passed::Open);
}

#[test]
fn a_remote_has_presses_of_its_own_for_the_farthest_place_turned_and_a_body() {
    let plain = house(System::Zigbee, &[]);
    let wall = json!({"kind": "bare-wall", "box": "none", "known": "seen"});
    let site = with(plain.site.clone(), &[placed("r", "remote-battery", [2.0, 2.0], &wall)]);
    let folder = Folder { site, record: plain.record };
    let folder = opened(&agreed(&folder, &json!({})), &["r"]);
    let steps = ["code", "placed", "powered", "joined", "identified", "settings"];
    let joined = steps.iter().fold(folder, |folder, step| {
        let takes = |s: &str| {
            let spot =
                dot_reach_core::gate::work::WorkedDevice::of(&folder.site, &"r".parse().unwrap());
            let step: Step = serde_json::from_value(json!(s)).unwrap();
            spot.is_some_and(|spot| spot.takes(step))
        };
        if takes(step) { stepped(&folder, "r", step) } else { folder }
    });
    let tested = stepped(&joined, "r", "tested");
    let under: Vec<Vec<&str>> =
        tests(&tested).iter().map(|t| t.conditions.iter().map(String::as_str).collect()).collect();
    let own = ["body", "farthest", "turned"].map(|word| vec![word, "doors-lived"]);
    assert_eq!(under.len(), 4);
    assert!(under.contains(&vec!["doors-lived"]));
    for mut one in own {
        one.sort_unstable();
        assert!(under.contains(&one), "{one:?} in {under:?}");
    }
    assert_eq!(acceptance(&tested, "r").0, Passed::Yes);
    let moved = json!({"do": "unsettle", "trigger": "hub-moved", "network": "n"});
    assert_eq!(acceptance(&wish(&tested, &moved).unwrap(), "r").0, Passed::Open);
}

/// What acceptance is, kept by hand: the tests since anything changed, against what was agreed.
#[derive(Default)]
struct Model {
    tests: Vec<(u32, u32, Vec<&'static str>)>,
}

impl Model {
    fn stands(&self, count: u32, rate: f64, asked: &[&str]) -> Passed {
        let sum = |of: &dyn Fn(&[&str]) -> bool| {
            let own = self.tests.iter().filter(|(.., held)| of(held));
            own.fold((0, 0), |(a, n), (arrived, sent, _)| (a + arrived, n + sent))
        };
        let judge = |(arrived, sent): (u32, u32)| {
            if sent < count {
                Passed::Open
            } else if f64::from(arrived) < rate * f64::from(sent) {
                Passed::No
            } else {
                Passed::Yes
            }
        };
        let whole = sum(&|_| true);
        let under = asked
            .iter()
            .filter(|_| whole.1 > 0)
            .map(|word| judge(sum(&|held| held.contains(word))));
        under.chain([judge(whole)]).min().unwrap()
    }
}

#[test]
fn acceptance_is_what_a_model_of_it_says_whatever_is_pressed_struck_and_changed() {
    // Which conditions a wired switch is asked for, beside that it is tested at all.
    const ASKED: [&str; 2] = ["box-closed", "doors-lived"];
    let rule = json!({"count": 5, "rate": 0.8, "margin_db": null, "delay_ms": null});
    let begun = agreed(&ready(), &rule);
    // Drawn from a fixed seed: presses with and without plate and shut door, struck tests, something changed.
    let mut seed = 7_u64;
    let mut draw = |most: u64| {
        seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (seed >> 33) % most
    };
    let mut seen = std::collections::BTreeSet::new();
    for _ in 0..40 {
        let (mut folder, mut model) = (begun.clone(), Model::default());
        for n in 0..8 {
            match draw(10) {
                0 if !model.tests.is_empty() => {
                    let act = json!({"do": "unsettle", "trigger": "hub-moved", "network": "n", "by": "Kit", "at": AT});
                    folder = wish(&folder, &act).unwrap();
                    model.tests.clear();
                }
                1 if !model.tests.is_empty() => {
                    let last =
                        folder.record.entries().filter(|e| matches!(&e.what, What::Pressed(_)));
                    let of = last.last().unwrap().id.to_string();
                    let act = json!({"do": "strike", "of": of, "why": "of another", "by": "Kit", "at": AT});
                    // A test that was struck before is not struck again.
                    let Ok(struck) = wish(&folder, &act) else { continue };
                    folder = struck;
                    model.tests.pop();
                }
                _ => {
                    let sent = 1 + u32::try_from(draw(6)).unwrap();
                    let arrived = sent - u32::try_from(draw(2)).unwrap().min(sent);
                    let held: Vec<&str> = ASKED.into_iter().filter(|_| draw(4) > 0).collect();
                    let test = json!({"id": format!("t{n}"), "device": "a", "count": sent, "arrived": arrived,
                        "conditions": held, "by": "Kit", "at": AT});
                    folder =
                        wish(&folder, &json!({"do": "put", "kind": "range-test", "value": test}))
                            .unwrap();
                    model.tests.push((arrived, sent, held));
                }
            }
            let (is, why) = acceptance(&folder, "a");
            let says = model.stands(5, 0.8, &ASKED);
            assert_eq!(is, says, "{why:?} of {:?}", model.tests);
            seen.insert(is);
        }
    }
    assert_eq!(seen.len(), 3, "each verdict was met");
}
