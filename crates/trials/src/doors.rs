//! Every door to what was done on site, in random order, and what the hands did by the entries that were taken.
#![expect(
    clippy::panic,
    clippy::unwrap_used,
    clippy::missing_panics_doc,
    reason = "what panics here is the finding of a test"
)]

use std::collections::{BTreeMap, BTreeSet};

use dot_reach_core::record::{Entry, Step, What};
use proptest::prelude::*;
use serde_json::{Value, json};

use crate::acts::{AT, end_finding, find_lines, isolate, take};

/// What the hands did, by the entries that were taken and no rule of the program: which switches are off, and
/// which boxes are open under which.
#[derive(Debug, Default)]
pub struct Hands {
    /// The isolations in force.
    pub off: BTreeSet<String>,
    /// Each open box, and the isolation under which it was opened.
    pub open: BTreeMap<String, String>,
    /// Each box that was found live, with the isolation that should have made it dead.
    pub live: BTreeSet<(String, String)>,
    /// The isolations in force that are of the main switch.
    pub main: BTreeSet<String>,
    /// Those under which power is on for finding lines.
    pub on: BTreeSet<String>,
    /// The boxes in which power was on since they were proved dead.
    pub anew: BTreeSet<String>,
    /// The boxes in which something is wired.
    pub wired: BTreeSet<String>,
    /// The boxes that were photographed and noted.
    pub noted: BTreeSet<String>,
}

impl Hands {
    /// Takes one more entry of the record.
    pub fn see(&mut self, entry: &Entry) {
        match &entry.what {
            What::Isolated(of) => {
                self.off.insert(of.id.to_string());
                self.main.extend(of.means.is_main().then(|| of.id.to_string()));
            }
            What::Energised { isolation, .. } => {
                let isolation = isolation.to_string();
                let open: Vec<_> = self.open.values().filter(|i| **i == isolation).collect();
                assert!(open.is_empty(), "power comes on by {isolation} with {:?}", self.open);
                assert!(!self.on.contains(&isolation), "{isolation} is on for finding lines");
                self.off.remove(&isolation);
                self.main.remove(&isolation);
                assert!(
                    self.open.values().all(|under| self.off.contains(under)),
                    "{:?} open with {:?} off",
                    self.open,
                    self.off
                );
            }
            What::Stepped(of) => {
                let device = of.device.to_string();
                let under = of.isolation.as_ref().map(ToString::to_string).unwrap_or_default();
                let is_live = |by: &String| self.live.contains(&(device.clone(), by.clone()));
                let is_off = |main: &String| !is_live(main) && !self.on.contains(main);
                let is_closed = of.step == Step::PutBack && self.main.iter().any(is_off);
                assert!(
                    !of.step.is_in_box() || !self.on.contains(&under),
                    "{device}: hands in, power on"
                );
                if of.step == Step::Dead {
                    self.anew.remove(&device);
                }
                assert!(
                    !of.step.is_in_box() || is_closed || !self.anew.contains(&device),
                    "{device}: {:?} before it is proved dead anew",
                    of.step
                );
                assert!(
                    !of.step.is_in_box() || !is_live(&under) || is_closed,
                    "{device}: {:?} under {under}, which leaves it live",
                    of.step
                );
                if of.step.puts_hands_in_box() {
                    let under = of.isolation.as_ref().unwrap().to_string();
                    assert!(self.off.contains(&under), "{device} opened with the power on");
                    if of.step == Step::Noted {
                        self.noted.insert(device.clone());
                    }
                    if of.step == Step::Wired {
                        self.wired.insert(device.clone());
                    }
                    self.open.insert(device, under);
                } else if of.step.makes_safe() {
                    self.wired.remove(&device);
                    self.anew.remove(&device);
                    self.open.remove(&device);
                }
            }
            What::FindingBegun { isolation, .. } => {
                let isolation = isolation.to_string();
                assert!(self.off.contains(&isolation), "nothing is off under {isolation}");
                let own: Vec<String> = self
                    .open
                    .iter()
                    .filter(|(_, i)| **i == isolation)
                    .map(|(d, _)| d.clone())
                    .collect();
                for device in own {
                    assert!(!self.wired.contains(&device), "{device} is wired, and power comes on");
                    assert!(self.noted.contains(&device), "{device} is parted and was never noted");
                    self.anew.insert(device);
                }
                self.on.insert(isolation);
            }
            What::FindingOver { isolation } => {
                assert!(self.on.remove(&isolation.to_string()), "it was not on");
            }
            What::FoundLive(of) => {
                let device = of.device.to_string();
                self.live.extend(of.isolations.iter().map(|i| (device.clone(), i.to_string())));
            }
            What::GaveOut(of) => {
                let device = of.device.to_string();
                assert!(!self.open.contains_key(&device), "{device} is swapped with its box open");
                self.noted.remove(&device);
            }
            What::TakenBack { device, step: Step::Noted } => {
                self.noted.remove(device.as_str());
            }
            What::TakenBack { device, step: Step::Wired } => {
                self.wired.remove(device.as_str());
            }
            What::TakenBack { device, step } if step.makes_safe() => {
                // The hands go back in: the power must still be off.
                let under =
                    self.off.iter().next().unwrap_or_else(|| panic!("{device} opened live"));
                self.open.insert(device.to_string(), under.clone());
            }
            _ => {}
        }
    }
}

impl Hands {
    /// What makes every open box safe, act by act, after which whoever holds what is off may switch it on.
    pub fn made_safe(&self) -> Vec<Value> {
        let because = |mut act: Value| {
            act["why"] = json!("the box is made safe");
            act
        };
        let mut all: Vec<Value> = self.on.iter().map(|id| end_finding(id)).collect();
        // What is not proved any more is made dead by the main first, and proved so.
        let is_open = |device: &String| self.open.contains_key(device);
        if self.live.iter().map(|(device, _)| device).chain(&self.anew).any(is_open) {
            all.push(because(isolate("last", "main", &[])));
            all.extend(self.open.keys().map(|device| because(take(device, "dead"))));
        }
        all.extend(self.open.keys().map(|device| because(take(device, "put-back"))));
        all
    }
}

/// A door.
#[derive(Clone, Debug)]
pub enum Door {
    /// Something sent, by the first person or the second.
    Send(Value, bool),
    /// The last change of the plan is undone.
    Undo,
    /// The change that was made so many changes ago is put back by itself, whoever made it.
    PutBack(usize),
    /// A file that was written so many changes ago is brought in as an update.
    Import(usize),
    /// A variant that was branched off so many changes ago is taken.
    Variant(usize),
    /// Entries that were taken come once more.
    Again(usize),
    /// A phone without a line, of the first person or the second, keeps this and sends it when it next has one.
    Offline(Value, bool),
    /// That phone has a line: all that it kept goes out in order.
    Online(bool),
    /// What was tapped so many taps ago is tapped once more: on a page that is older than the job.
    OldPage(usize),
}

/// One door of all.
pub fn door() -> impl Strategy<Value = Door> {
    let device = || prop::sample::select(vec!["a", "b"]);
    let steps = vec![
        "dead",
        "dead",
        "noted",
        "wired",
        "checked",
        "dry-fitted",
        "put-back",
        "powered",
        "code",
        "closed",
        "bench",
        "placed",
    ];
    let step = move || prop::sample::select(steps.clone());
    let iso = || prop::sample::select(vec!["x1", "x2", "x3", "x4", "x5", "x6"]);
    let taps = prop_oneof![
        8 => (device(), step()).prop_map(|(d, s)| take(d, s)),
        3 => (device(), step()).prop_map(|(d, s)| json!({"do": "take-back", "device": d, "step": s})),
        3 => (iso(), prop::sample::select(vec![("breaker", "7"), ("breaker", "9"), ("main", "7")]))
            .prop_map(|(id, (means, circuit))| isolate(id, means, &[circuit])),
        3 => iso().prop_map(|id| json!({"do": "prove-tester", "isolation": id, "after": false, "at": AT})),
        5 => iso().prop_map(|id| json!({"do": "energise", "isolation": id, "by": "Kit", "at": AT})),
        1 => device().prop_map(|d| json!({"do": "found-live", "device": d, "found": "neutral", "by": "Kit", "at": AT})),
        1 => device().prop_map(|d| json!({"do": "gave-out", "device": d, "why": "dead", "at": AT})),
        2 => iso().prop_map(find_lines),
        2 => iso().prop_map(end_finding),
        1 => (iso(), any::<bool>()).prop_map(|(id, back)| {
            let (by, to) = if back { ("Bo", "Kit") } else { ("Kit", "Bo") };
            json!({"do": "hand-over", "isolation": id, "by": by, "to": to, "at": AT})
        }),
    ];
    let taps = taps.boxed();
    let forged = prop_oneof![
        (device(), step()).prop_map(|(d, s)| json!({"do": "put", "kind": "mark",
            "value": {"id": "m", "device": d, "step": s, "at": AT, "by": "Kit"}})),
        iso().prop_map(
            |id| json!({"do": "set", "kind": "isolation", "id": id, "field": "energised",
            "value": {"by": "Kit", "at": AT}})
        ),
        iso().prop_map(|id| json!({"do": "remove", "kind": "isolation", "id": id})),
        device().prop_map(
            |d| json!({"do": "set", "kind": "device", "id": d, "field": "done.code", "value": true})
        ),
        device().prop_map(|d| json!({"do": "tick", "device": d, "step": "joined", "done": true})),
        iso().prop_map(|id| json!({"do": "strike", "of": id, "why": "it was wrong"})),
    ];
    let edits = prop_oneof![
        (device(), prop::sample::select(vec!["7", "9", ""])).prop_map(|(d, c)| json!({"do": "set",
            "kind": "point", "id": d, "field": "circuit", "value": c})),
        (device(), prop::sample::select(vec!["remote-battery", "switch-neutral", "plug-in-dimmer", "relay-in-lamp"]))
            .prop_map(|(d, k)| json!({"do": "set", "kind": "device", "id": d, "field": "kind", "value": k})),
        device().prop_map(|d| json!({"do": "set", "kind": "point", "id": d, "field": "feed", "value": "cord"})),
        device().prop_map(|d| json!({"do": "set", "kind": "point", "id": d, "field": "kind", "value": "socket"})),
        device().prop_map(|d| json!({"do": "set", "kind": "point", "id": d, "field": "to_make",
            "value": {"into": "board", "cable_from": "shelf"}})),
        device().prop_map(|d| json!({"do": "set", "kind": "point", "id": d, "field": "kind", "value": "shelf"})),
        (device(), prop::sample::select(vec!["yes", "tested", "no"])).prop_map(|(d, is)| json!({"do": "set",
            "kind": "device", "id": d, "field": "already_there", "value": is})),
        device().prop_map(|d| json!({"do": "remove", "kind": "device", "id": d})),
        device().prop_map(|d| json!({"do": "remove", "kind": "point", "id": d})),
        prop::sample::select(vec!["7", "9"]).prop_map(|l| json!({"do": "set", "kind": "circuit", "id": "c7",
            "field": "proven.label", "value": l})),
        Just(json!({"do": "remove", "kind": "circuit", "id": "c7"})),
        prop::sample::select(vec![json!(["9"]), json!([])]).prop_map(|with| json!({"do": "set",
            "kind": "circuit", "id": "c7", "field": "neutral_with", "value": with})),
        any::<Option<bool>>().prop_map(|shared| json!({"do": "set", "kind": "circuit", "id": "c7",
            "field": "shared_neutral", "value": shared})),
        prop::sample::select(vec![0.0, 1000.0]).prop_map(|once| json!({"do": "put", "kind": "rate",
            "value": {"id": "dark-once", "value": once}})),
        any::<bool>().prop_map(|may| json!({"do": "set", "kind": "person", "id": "kit", "field": "may_mains",
            "value": may})),
        device().prop_map(|d| json!({"do": "set", "kind": "device", "id": d, "field": "name", "value": "Other"})),
    ];
    let other = taps.clone();
    prop_oneof![
        14 => (taps, prop::bool::weighted(0.8)).prop_map(|(tap, first)| Door::Send(tap, first)),
        2 => forged.prop_map(|edit| Door::Send(edit, true)),
        2 => edits.prop_map(|edit| Door::Send(edit, true)),
        1 => Just(Door::Undo),
        2 => (0..6usize).prop_map(Door::PutBack),
        1 => (0..12usize).prop_map(Door::Import),
        1 => (0..12usize).prop_map(Door::Variant),
        1 => (0..30usize).prop_map(Door::Again),
        3 => (other, any::<bool>()).prop_map(|(tap, first)| Door::Offline(tap, first)),
        1 => any::<bool>().prop_map(Door::Online),
        1 => (0..20usize).prop_map(Door::OldPage),
    ]
}
