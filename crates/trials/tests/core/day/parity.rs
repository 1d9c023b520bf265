//! The gate is asked in two places: by the server before it takes an act, and by a phone without a line. Over random
//! walks, what a deed says that it gives is what the record makes of it; and all that was asked and answered on the
//! way is written down, for the phone's reader to be held against.

use dot_reach_core::gate::facts::plain_name;
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::gate::{Deed, Facts, Gate, deeds, gate};
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{IsolationId, Step};
use dot_reach_core::site::DeviceId;
use dot_reach_core::wish::PageRequest;
use proptest::prelude::*;
use proptest::strategy::ValueTree;
use proptest::test_runner::TestRunner;
use serde_json::{Value, json};

use super::machine::{AT, end_finding, energise, find_lines, house, isolate, take, ticked};
use crate::common::wish;

/// Where the walks are written for `crates/web/tests/js/gate.test.mjs`.
const WALKS: &str = concat!(env!("CARGO_TARGET_TMPDIR"), "/gate-walks.json");

const ISOLATIONS: [&str; 3] = ["x1", "x2", "x3"];

fn tap() -> impl Strategy<Value = Value> {
    let device = || prop::sample::select(vec!["a", "b"]);
    let first = prop::sample::select(vec!["excluded", "dead", "dead", "noted", "code", "wired"]);
    let then = prop::sample::select(vec!["checked", "dry-fitted", "put-back", "powered", "closed"]);
    let step = prop_oneof![first, then].boxed();
    let steps = step.clone();
    let iso = || prop::sample::select(ISOLATIONS.to_vec());
    prop_oneof![
        9 => (device(), step).prop_map(|(d, s)| take(d, s)),
        2 => (device(), steps).prop_map(|(d, s)| json!({"do": "take-back", "device": d, "step": s})),
        2 => iso().prop_map(|id| isolate(id, "breaker", &["7"])),
        3 => iso().prop_map(|id| json!({"do": "prove-tester", "isolation": id, "after": false, "at": AT})),
        3 => iso().prop_map(energise),
        2 => iso().prop_map(find_lines),
        2 => iso().prop_map(end_finding),
        1 => (iso(), any::<bool>(), 0..4).prop_map(|(id, back, stranger)| {
            let (by, to) = if back { ("Bo", "Kit") } else { ("Kit", "Bo") };
            let to = if stranger == 0 { "Stranger" } else { to };
            json!({"do": "hand-over", "isolation": id, "by": by, "to": to, "at": AT})
        }),
    ]
}

fn text<'a>(value: &'a Value, field: &str) -> &'a str {
    value[field].as_str().unwrap_or_default()
}

/// The deed that a tap is, and what its names stand for.
fn deed_of(gate: &Gate<'_>, tap: &Value) -> (Deed, Vec<(String, String)>) {
    let site = gate.site();
    let device = || text(tap, "device").parse::<DeviceId>().unwrap();
    let step = || serde_json::from_value::<Step>(tap["step"].clone()).unwrap();
    let iso = || text(tap, "isolation").parse::<IsolationId>().unwrap();
    let mut named = vec![("me".to_owned(), "kit".to_owned())];
    let deed = match text(tap, "do") {
        "take-step" => {
            deeds::step(gate, &WorkedDevice::of(site, &device()).unwrap(), step(), false)
        }
        "keep-code" => {
            deeds::step(gate, &WorkedDevice::of(site, &device()).unwrap(), Step::Code, false)
        }
        "take-back" => deeds::take_back(gate, &device(), step()),
        "prove-tester" => deeds::show_tester("x", Some(&iso()), &[]),
        "energise" => deeds::energise(gate, "x", Some(&iso()), &[]),
        "find-lines" => deeds::find(gate, "x", Some(&iso()), &[]),
        "end-finding" => deeds::find_over(gate, "x", Some(&iso()), &[]),
        "hand-over" => {
            named[0].1 = plain_name(text(tap, "by"));
            named.push(("to".to_owned(), plain_name(text(tap, "to"))));
            named.push(("iso".to_owned(), iso().to_string()));
            deeds::hand_over()
        }
        _ => {
            let PageRequest::Act(act) = serde_json::from_value(tap.clone()).unwrap() else {
                unreachable!("it isolates")
            };
            named.push(("iso".to_owned(), text(tap, "id").to_owned()));
            let of = act.isolated(site, gate.record()).unwrap().unwrap();
            deeds::isolate("x", site, &of, &["a".parse().unwrap()])
        }
    };
    let bound = deed.named(gate.facts(), &named[0].1.clone());
    named.extend(bound.into_iter().filter(|(name, _)| name != "me"));
    (deed, named)
}

fn sorted(facts: &Facts) -> Vec<&str> {
    let mut all = facts.in_order();
    all.sort_unstable();
    all
}

/// What is asked about a deed, and what the server's reader answers.
fn asked(facts: &Facts, deed: &Deed, me: &str, named: &Vec<(String, String)>) -> Value {
    // Handing over is asked for somebody, of one isolation.
    let mut more = serde_json::Map::new();
    for (name, is) in named.iter().filter(|_| deed.key == "hand-over") {
        more.insert(name.clone(), json!(is));
    }
    let lacks: Vec<usize> = {
        let lacking =
            if more.is_empty() { deed.lacks(facts, me) } else { deed.lacks_by(facts, named) };
        let place = |need: &&_| deed.needs.iter().position(|n| std::ptr::eq(n, *need));
        lacking.iter().filter_map(place).collect()
    };
    let mut after = facts.clone();
    deed.take(&mut after, named);
    json!({
        "deed": deed, "me": me, "more": more, "named": named, "bound": deed.named(facts, me), "lacks": lacks,
        "done": deed.is_done(facts, me), "after": after.in_order(),
    })
}

/// Deeds that one could do next, a few of them in turn.
fn others(gate: &Gate<'_>, turn: usize) -> Vec<Deed> {
    let step = |n: usize| {
        let device: DeviceId = ["a", "b"][n % 2].parse().unwrap();
        let spot = WorkedDevice::of(gate.site(), &device).unwrap();
        let steps = spot.steps();
        deeds::step(gate, &spot, steps[n / 2 % steps.len()], false)
    };
    let boxes: [DeviceId; 2] = ["a".parse().unwrap(), "b".parse().unwrap()];
    // As pages have them: the isolation is not known yet, and bound by what is open under it.
    vec![
        step(turn),
        step(turn + 7),
        deeds::energise(gate, "p", None, &boxes),
        deeds::show_tester("p", None, &boxes),
    ]
}

#[test]
fn what_a_deed_gives_is_what_the_record_makes_of_it() {
    let mut runner = TestRunner::deterministic();
    let walks = prop::collection::vec(tap(), 40..60);
    let (mut written, mut taken, mut refused) = (Vec::new(), 0, 0);
    for _ in 0..20 {
        let mut folder = house(System::Zigbee, &["a", "b"]);
        for (turn, tap) in walks.new_tree(&mut runner).unwrap().current().iter().enumerate() {
            if tap["do"] == "take-step" {
                folder = ticked(&folder, text(tap, "device"), text(tap, "step"));
            }
            let known = |id: &str| folder.record.isolations.get(&id.parse().unwrap()).is_some();
            if tap.get("isolation").is_some_and(|id| !known(id.as_str().unwrap_or_default())) {
                continue;
            }
            let before = gate(&folder.record, &folder.site);
            let (deed, named) = deed_of(&before, tap);
            let me = named[0].1.clone();
            let mut questions = vec![asked(before.facts(), &deed, &me, &named)];
            if turn % 4 == 0 {
                for other in others(&before, turn) {
                    let named = other.named(before.facts(), "kit");
                    questions.push(asked(before.facts(), &other, "kit", &named));
                }
            }
            written.push(json!({"facts": before.facts().in_order(), "asked": questions}));
            let Ok(after) = wish(&folder, tap) else {
                refused += 1;
                continue;
            };
            taken += 1;
            assert!(deed.lacks(before.facts(), &me).iter().all(|n| n.yields), "{tap}");
            let mut given = before.facts().clone();
            deed.take(&mut given, &named);
            let stands = gate(&after.record, &after.site);
            assert_eq!(sorted(&given), sorted(stands.facts()), "{tap}");
            folder = after;
        }
    }
    assert!(taken > 150 && refused > 150, "{taken} taken, {refused} refused");
    std::fs::write(WALKS, serde_json::to_string(&written).unwrap()).unwrap();
}
