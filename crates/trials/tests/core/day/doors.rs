//! Every door to what was done on site, in random order, by two people with a phone each that may lose its line: taps, take-backs,
//! edits of the plan, undo, removal, relabelling, a swap of device, a variant taken, a file brought in, entries that
//! come twice. Whatever is tried, no power comes on while a box is open, and the record only grows.

use std::collections::BTreeSet;
use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::gate::gate;
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::install::schedule::schedule;
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{Entry, Folder, Prepared, Sender, What};
use dot_reach_core::site::{DeviceId, Edit, difference, take_back};
use dot_reach_core::wish::PageRequest;
use dot_reach_trials::doors::{Door, Hands, door};
use proptest::prelude::*;
use proptest::strategy::ValueTree;
use serde_json::{Value, json};

use super::machine::{AT, circuit, house, isolated, planned, set, stepped, ticked};
use crate::common::caller;

/// A job, what the hands did in it, and all that a door may lead back to.
pub(super) struct House {
    pub(super) folder: Folder,
    hands: Hands,
    undo: Vec<Edit>,
    earlier: Vec<Folder>,
    pub(super) phones: [Vec<Value>; 2],
    tapped: Vec<Value>,
}

impl House {
    pub(super) fn new(folder: Folder) -> Self {
        let (undo, earlier, tapped) = (Vec::new(), Vec::new(), Vec::new());
        let phones = [Vec::new(), Vec::new()];
        Self { folder, hands: Hands::default(), undo, earlier, phones, tapped }
    }

    fn keep(&mut self, prepared: &Prepared) {
        let mut after = self.folder.clone();
        let Ok(change) = after.keep(prepared) else { return };
        self.undo.extend(change.map(|c| c.inverse));
        self.became(after);
    }

    /// The record only grew, and power came on over no open box.
    fn became(&mut self, after: Folder) {
        let before: Vec<_> = self.folder.record.entries().cloned().collect();
        let now: Vec<_> = after.record.entries().cloned().collect();
        assert_eq!(now[..before.len()], before, "what was on record is another");
        let ids: BTreeSet<_> = now.iter().map(|e| &e.id).collect();
        assert_eq!(ids.len(), now.len(), "an entry stands twice");
        now[before.len()..].iter().for_each(|entry| self.hands.see(entry));
        self.earlier.push(std::mem::replace(&mut self.folder, after));
    }

    fn send(&mut self, value: &Value, by: &str) {
        // Ticks are no door: what a step asks to look at is looked at.
        if let (Some("take-step"), Some(step), Some(device)) =
            (value["do"].as_str(), value["step"].as_str(), value["device"].as_str())
        {
            let ready = ticked(&self.folder, device, step);
            self.became(ready);
        }
        let mut value = value.clone();
        if by != "Kit" && value.get("by").is_some() {
            value["by"] = json!(by);
            if matches!(value["do"].as_str(), Some("take-step" | "isolate")) {
                value["why"] = json!("under Kit's eyes");
            }
        }
        let Ok(wish) = serde_json::from_value::<PageRequest>(value) else { return };
        let sent = wish.prepare(&self.folder.site, &self.folder.record, &caller(by));
        if let Ok(prepared) = sent {
            let began = prepared.entries.iter().find_map(|e| match &e.what {
                What::Isolated(of) => Some(of.id.to_string()),
                _ => None,
            });
            self.keep(&prepared);
            if let Some(id) = began {
                let shown =
                    json!({"do": "prove-tester", "isolation": id, "after": false, "at": AT});
                self.send(&shown, by);
            }
        }
    }

    pub(super) fn go(&mut self, door: &Door) {
        let who = |first: bool| if first { "Kit" } else { "Bo" };
        let back =
            |n: usize, all: &[Folder]| all.len().checked_sub(n + 1).map(|at| all[at].clone());
        match door {
            Door::Send(value, first) => {
                self.tapped.push(value.clone());
                self.send(value, who(*first));
            }
            Door::OldPage(n) => {
                let old = self.tapped.len().checked_sub(n + 1).map(|at| self.tapped[at].clone());
                if let Some(tap) = old {
                    self.send(&tap, "Kit");
                }
            }
            Door::Undo => {
                let Some(inverse) = self.undo.pop() else { return };
                let mut after = self.folder.clone();
                if take_back(&mut after.site, &inverse).is_ok() {
                    self.became(after);
                }
            }
            Door::PutBack(n) => {
                let at = self.undo.len().checked_sub(n + 1);
                let Some(inverse) = at.and_then(|at| self.undo.get(at)) else { return };
                let mut after = self.folder.clone();
                if take_back(&mut after.site, inverse).is_ok() {
                    self.became(after);
                }
            }
            Door::Import(n) => {
                let Some(file) = back(*n, &self.earlier) else { return };
                let (prepared, _) = file.up_to_date(&self.folder.site, &self.folder.record);
                self.keep(&prepared);
            }
            Door::Variant(n) => {
                let Some(base) = back(*n, &self.earlier) else { return };
                let edit = Some(difference(&self.folder.site, &base.site));
                self.keep(&Prepared { edit, entries: Vec::new() });
            }
            Door::Again(n) => {
                let again: Vec<Entry> =
                    self.folder.record.entries_from(*n).take(3).cloned().collect();
                self.keep(&Prepared { edit: None, entries: again });
            }
            Door::Offline(act, first) => self.phones[usize::from(*first)].push(act.clone()),
            Door::Online(first) => {
                for act in std::mem::take(&mut self.phones[usize::from(*first)]) {
                    self.send(&act, who(*first));
                }
            }
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn no_door_brings_power_to_an_open_box_or_touches_the_record(
        doors in prop::collection::vec(door(), 1..90),
    ) {
        let folder = house(System::Zigbee, &["a", "b"]);
        let mut house = House::new(folder);
        for door in &doors {
            house.go(door);
        }
        // Power can always come back: whatever is open is made safe, and who holds it switches it on.
        for act in house.hands.made_safe() {
            house.send(&act, "Kit");
        }
        prop_assert!(house.hands.open.is_empty(), "{:?} cannot be made safe", house.hands.open);
        let off: Vec<(String, String)> = house.folder.record.in_force()
            .map(|i| (i.of.id.to_string(), i.holder().to_owned())).collect();
        for (id, holder) in off {
            let on = json!({"do": "energise", "isolation": id, "by": holder, "at": AT});
            house.send(&on, &holder);
        }
        prop_assert!(house.hands.off.is_empty(), "{:?} cannot come on again", house.hands.off);
    }
}

/// What was opened under one cut and opens a box by the plan still, on how many times without power that lies.
fn stretches(folder: &Folder) -> Vec<(usize, usize)> {
    let analysis = analyse(&Arc::new(folder.site.clone()), &Options::default());
    let plan = schedule(&analysis, &folder.record);
    let told = folder.record.in_force().map(|isolation| {
        let opens = |device: &&DeviceId| {
            WorkedDevice::of(&folder.site, device).is_some_and(|spot| spot.opens_box())
        };
        let opened: BTreeSet<&DeviceId> = isolation.boxes.keys().filter(opens).collect();
        let on = plan.outages().filter(|o| o.devices().any(|d| opened.contains(d))).count();
        (opened.len(), on)
    });
    told.collect()
}

/// Edits, undo, removal, relabelling, files, variants, take-backs, a second phone, no line, an old page: what is open under
/// one cut is on one stretch.
#[test]
fn no_door_parts_what_is_open_under_one_cut() {
    let mut runner = proptest::test_runner::TestRunner::deterministic();
    let walks = prop::collection::vec(door(), 10..60);
    let mut of_two = 0;
    for _ in 0..150 {
        let doors = walks.new_tree(&mut runner).unwrap().current();
        // Two breakers that go off together, both boxes opened; then anything.
        let wide = planned(
            &house(System::Zigbee, &["a", "b"]),
            &[set("point", "b", "circuit", &json!("9")), circuit("9", &json!({}))],
        );
        let off = isolated(&wide, "x1", "breaker", &["7", "9"]);
        let open = stepped(&stepped(&off, "a", "dead"), "b", "dead");
        let mut house = House::new(open);
        let before: Vec<Entry> = house.folder.record.entries().cloned().collect();
        for entry in &before {
            house.hands.see(entry);
        }
        for door in &doors {
            house.go(door);
            if house.folder.record.in_force().next().is_none() {
                break;
            }
        }
        for (opened, on) in stretches(&house.folder) {
            assert!(opened == 0 || on == 1, "{opened} boxes open under one cut, on {on} stretches");
            of_two += usize::from(opened > 1);
        }
    }
    assert!(of_two > 30, "only {of_two} times were two open at the end");
}

#[test]
fn a_walk_through_the_doors_opens_boxes_and_brings_power_back() {
    // What the property looks for must be there to be found.
    let mut runner = proptest::test_runner::TestRunner::deterministic();
    let walks = prop::collection::vec(door(), 60..90);
    let (mut opened, mut on) = (0, 0);
    for _ in 0..120 {
        let doors = walks.new_tree(&mut runner).unwrap().current();
        let folder = house(System::Zigbee, &["a", "b"]);
        let mut house = House::new(folder);
        for door in &doors {
            house.go(door);
        }
        for entry in house.folder.record.entries() {
            opened +=
                usize::from(matches!(&entry.what, What::Stepped(s) if s.step.puts_hands_in_box()));
            on += usize::from(matches!(entry.what, What::Energised { .. }));
        }
    }
    assert!(opened > 60 && on > 20, "{opened} times a hand in a box, {on} times power on");
}

#[test]
fn an_entry_that_says_what_the_record_denies_does_not_come_in_by_any_way() {
    let folder = house(System::Zigbee, &["a"]);
    let off = isolated(&folder, "x", "breaker", &["7"]);
    let open = stepped(&off, "a", "dead");
    let sender = Sender { name: "Kit".into(), taken: AT.parse().unwrap(), stem: "forged".into() };
    let on = What::Energised { isolation: "x".parse().unwrap(), why: String::new() };
    let telling = dot_reach_core::record::Telling::new(on, None, None);
    let mut record = open.record.clone();
    for entry in sender.entries(&open.site, [telling]) {
        let refused = record.say(entry).unwrap_err().to_string();
        assert!(refused.contains("a open"), "{refused}");
    }
    assert_eq!(record, open.record);
    let told = gate(&record, &open.site);
    assert!(told.is_open(&"a".parse().unwrap()));
}
