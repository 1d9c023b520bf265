//! Finding lines with the power on: a state of its own between two proofs.

use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::gate::gate;
use dot_reach_core::install::schedule::schedule;
use dot_reach_core::install::walk::{WalkAct, Walks};
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{Folder, Step};
use serde_json::{Value, json};

use crate::common::wish;
use crate::day::machine::{
    AT, end_finding, energise, find_lines, house, isolated, planned, refused, set, stepped, take,
    ticked,
};

fn prove(id: &str) -> Value {
    json!({"do": "prove-tester", "isolation": id, "after": false, "at": AT})
}

fn done(site: &Folder, act: &Value) -> Folder {
    wish(site, act).unwrap()
}

/// Two boxes on one breaker: `a` is open and noted, its conductors apart.
fn looked_into() -> Folder {
    let off = isolated(&house(System::Zigbee, &["a", "b"]), "x", "breaker", &["7"]);
    stepped(&stepped(&off, "a", "dead"), "a", "noted")
}

#[test]
fn power_is_on_between_two_proofs_and_nothing_is_done_meanwhile() {
    let open = looked_into();
    let none =
        json!({"do": "find-lines", "isolation": "x", "checks": ["parted"], "by": "Kit", "at": AT});
    assert!(refused(&open, &none).contains("capped by itself"), "each thing is looked at");
    let on = done(&open, &find_lines("x"));
    assert!(on.record.isolations.get(&"x".parse().unwrap()).unwrap().is_finding());
    for (device, step) in [("a", "wired"), ("a", "put-back"), ("b", "dead"), ("a", "dead")] {
        let told = refused(&ticked(&on, device, step), &take(device, step));
        assert!(
            told.contains("finding lines") || told.contains("not proved dead"),
            "{device} {step}: {told}"
        );
    }
    for act in [energise("x"), find_lines("x"), prove("x")] {
        assert!(refused(&on, &act).contains("finding lines"), "{act}");
    }
    // It is no power where something is fitted, and no job may go with it.
    assert!(on.record.may_go().is_err());
    let off = done(&on, &end_finding("x"));
    assert!(refused(&off, &end_finding("x")).contains("not on for finding"));
    // Neither the box nor the tester counts as proved.
    let told = refused(&ticked(&off, "a", "wired"), &take("a", "wired"));
    assert!(told.contains("Proved dead"), "{told}");
    assert!(
        refused(&ticked(&off, "a", "put-back"), &take("a", "put-back"))
            .contains("prove it dead again")
    );
    assert!(refused(&ticked(&off, "a", "dead"), &take("a", "dead")).contains("tester"));
    assert!(refused(&off, &energise("x")).contains("a is open"), "an open box keeps the power off");
    let dead = stepped(&done(&off, &prove("x")), "a", "dead");
    let wired = ["code", "wired", "checked", "dry-fitted"]
        .iter()
        .fold(dead, |site, step| stepped(&site, "a", step));
    let on_again = done(&wired, &energise("x"));
    let of = on_again.record.isolations.get(&"x".parse().unwrap()).unwrap().clone();
    let told = dot_reach_core::install::record::isolation(
        &of,
        &dot_reach_core::moment::HouseClock::default(),
    );
    assert!(
        told.contains("on for finding lines by Kit") && told.contains("off again by Kit"),
        "{told}"
    );
}

#[test]
fn lines_are_found_where_every_open_box_has_its_conductors_apart() {
    let off = isolated(&house(System::Zigbee, &["a", "b"]), "x", "breaker", &["7"]);
    assert!(refused(&off, &find_lines("x")).contains("nothing to find lines in"));
    // Nothing is parted before it is photographed and noted: it could not be put back.
    let open = stepped(&off, "a", "dead");
    assert!(refused(&open, &find_lines("x")).contains("not photographed and noted"));
    // `b` is wired and open: what is joined there would be live.
    let site = ["dead", "noted", "code", "wired"]
        .iter()
        .fold(looked_into(), |site, step| stepped(&site, "b", step));
    assert!(refused(&site, &find_lines("x")).contains("b is open"));
    // Fitted it may be: it is closed, and its own proof stands until hands go in again.
    let site = ["checked", "dry-fitted"].iter().fold(site, |site, step| stepped(&site, "b", step));
    let site = done(&done(&site, &find_lines("x")), &end_finding("x"));
    let gate = gate(&site.record, &site.site);
    assert!(
        gate.holds(&"b".parse().unwrap(), Step::DryFitted)
            && gate.holds(&"b".parse().unwrap(), Step::Dead)
    );
    assert!(!gate.holds(&"a".parse().unwrap(), Step::Dead));
    // To open it anew it is proved dead anew.
    let told = refused(&ticked(&site, "b", "wired"), &take("b", "wired"));
    assert!(told.contains("not proved dead"), "{told}");
}

#[test]
fn a_box_that_is_planned_no_longer_is_closed_with_the_whole_house_off() {
    let gone = json!({"do": "remove", "kind": "device", "id": "a"});
    let found = done(&done(&looked_into(), &find_lines("x")), &end_finding("x"));
    let site = done(&planned(&found, &[gone]), &prove("x"));
    assert!(refused(&site, &take("a", "put-back")).contains("prove it dead again"));
    let main = isolated(&site, "m", "main", &[]);
    let safe = done(&main, &take("a", "put-back"));
    assert!(wish(&safe, &energise("m")).is_ok());
}

#[test]
fn the_walk_asks_for_it_where_a_conductor_is_unknown_and_leads_back_to_the_proof() {
    let unknown = set("point", "a", "conductors.0.found", &json!("unknown"));
    let acts = |site: &Folder| -> Vec<(String, bool)> {
        let analysis = analyse(&Arc::new(site.site.clone()), &Options::default());
        let plan = schedule(&analysis, &site.record);
        let gate = gate(&site.record, &site.site);
        let key = plan.outages().next().unwrap().key.clone();
        let stretch = Walks::of(&analysis, &plan, &gate).stretch(&key).unwrap();
        let word = |act: &WalkAct| match act {
            WalkAct::Find { .. } => "find".to_owned(),
            WalkAct::FindOver { .. } => "over".to_owned(),
            WalkAct::ProveTester { .. } => "tester".to_owned(),
            WalkAct::Step { device, step } => format!("{device}.{}", step.word()),
            _ => String::new(),
        };
        stretch.moves.iter().map(|m| (word(&m.act), m.done)).collect()
    };
    let at = |all: &[(String, bool)], word: &str| all.iter().position(|(w, _)| w == word);
    let open = looked_into();
    assert_eq!(at(&acts(&open), "find"), None, "all is known");
    let site = planned(&open, &[unknown]);
    let before = acts(&site);
    assert!(
        at(&before, "a.noted") < at(&before, "find")
            && at(&before, "find") < at(&before, "a.wired")
    );
    assert!(at(&before, "find").is_some());
    let after = acts(&done(&done(&site, &find_lines("x")), &end_finding("x")));
    let [found, over, tester, dead] =
        ["find", "over", "tester", "a.dead"].map(|w| at(&after, w).unwrap());
    assert!(found < over && over < tester && tester < dead);
    assert_eq!([found, over, tester, dead].map(|n| after[n].1), [true, true, false, false]);
}
