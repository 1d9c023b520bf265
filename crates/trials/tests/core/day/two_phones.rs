//! Two people on one breaker, each with a phone without a line: in whatever order what they did comes back, no box keeps
//! another's steps out, and power comes on in none of these orders while one is open.

use std::collections::BTreeSet;

use dot_reach_core::gate::gate;
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{Folder, What};
use serde_json::{Value, json};

use super::machine::{energise, house, isolated, refused, take, ticked};
use crate::common::wish;

/// What one did in a box, step by step, as the phone kept it.
fn kept(device: &str, steps: &[&str], by: &str) -> Vec<Value> {
    let of = |step: &&str| {
        let mut act = take(device, step);
        act["by"] = json!(by);
        if by != "Kit" && act["do"] == "take-step" {
            act["why"] = json!("under Kit's eyes");
        }
        act
    };
    steps.iter().map(of).collect()
}

/// Every order in which two queues can come in, each in its own order.
fn orders<'a>(one: &'a [Value], other: &'a [Value]) -> Vec<Vec<&'a Value>> {
    match (one, other) {
        ([], rest) | (rest, []) => vec![rest.iter().collect()],
        ([first, one_left @ ..], [second, other_left @ ..]) => {
            let with = |head: &'a Value, tails: Vec<Vec<&'a Value>>| {
                tails.into_iter().map(move |tail| [vec![head], tail].concat())
            };
            let mut all: Vec<Vec<&Value>> = with(first, orders(one_left, other)).collect();
            all.extend(with(second, orders(one, other_left)));
            all
        }
    }
}

/// Sends what was kept, all looked at that its step asks for.
fn sent(folder: &Folder, act: &Value) -> Folder {
    let (device, step) = (act["device"].as_str().unwrap(), act["step"].as_str().unwrap_or("code"));
    wish(&ticked(folder, device, step), act).unwrap_or_else(|why| panic!("{act}: {why}"))
}

#[test]
fn in_every_order_of_return_no_box_clashes_with_another_and_power_waits_for_both() {
    let off = isolated(&house(System::Zigbee, &["a", "b"]), "x", "breaker", &["7"]);
    let kit = kept("a", &["dead", "noted", "code", "wired", "checked", "dry-fitted"], "Kit");
    let bo = kept("b", &["dead", "noted", "put-back"], "Bo");
    let all = orders(&kit, &bo);
    assert_eq!(all.len(), 84, "nine acts, three of them Bo's");
    for order in all {
        let mut folder = off.clone();
        let mut open: BTreeSet<&str> = BTreeSet::new();
        for act in order {
            folder = sent(&folder, act);
            let device = act["device"].as_str().unwrap();
            match act["step"].as_str() {
                Some("dry-fitted" | "put-back") => open.remove(device),
                Some(_) => open.insert(device),
                None => false,
            };
            // The one who holds it asks at each turn.
            if open.is_empty() {
                wish(&folder, &energise("x")).unwrap();
            } else {
                let why = refused(&folder, &energise("x"));
                assert!(open.iter().all(|device| why.contains(device)), "{why}");
            }
        }
        let since = gate(&folder.record, &folder.site).opened_since(&"x".parse().unwrap());
        let by: BTreeSet<(&str, &str)> =
            since.iter().map(|o| (o.device.as_str(), o.by.as_str())).collect();
        assert_eq!(by, BTreeSet::from([("a", "Kit"), ("b", "Bo")]));
        let heard = gate(&folder.record, &folder.site).heard_since(&"x".parse().unwrap());
        assert_eq!(heard.len(), 2, "{heard:?}");
    }
}

#[test]
fn what_comes_back_after_the_power_is_on_again_is_refused_and_opens_nothing() {
    let off = isolated(&house(System::Zigbee, &["a", "b"]), "x", "breaker", &["7"]);
    let kit = kept("a", &["dead", "noted", "put-back"], "Kit");
    let done = kit.iter().fold(off, |folder, act| sent(&folder, act));
    let on = wish(&done, &energise("x")).unwrap();
    for act in kept("b", &["dead", "noted", "put-back"], "Bo") {
        let why = refused(&ticked(&on, "b", act["step"].as_str().unwrap()), &act);
        assert!(!why.contains("iso-") && !why.contains("x:"), "{why}");
    }
    let opened = on
        .record
        .entries()
        .any(|e| matches!(&e.what, What::Stepped(s) if s.device.as_str() == "b"));
    assert!(!opened);
}
