//! Every sequence of taps, against a model of what the hands did: no box counts as closed that was not
//! tested, and no power comes on while a box is open.

use std::collections::{BTreeMap, BTreeSet, VecDeque};

use dot_reach_core::gate::checks::checks;
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::gate::{Stand, gate};
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{Folder, Step};
use dot_reach_trials::acts::{self, HUB_STEPS};
pub(crate) use dot_reach_trials::acts::{
    AT, circuit, end_finding, energise, find_lines, isolate, kit, lamp, sound, take,
};
use serde_json::{Value, json};

use crate::common::{bare, wish, with};

/// Boxes `a`, `b` … on breaker 7, and a hub that is ready.
pub(crate) fn house(system: System, boxes: &[&str]) -> Folder {
    let mut folder = Folder::planned(with(bare(system), &acts::house(boxes)));
    for step in HUB_STEPS {
        folder = stepped(&folder, "hub", step);
    }
    for id in boxes {
        let spot = WorkedDevice::of(&folder.site, &id.parse().unwrap()).unwrap();
        let why = dot_reach_core::gate::unsettled(&spot);
        assert_eq!(why, None, "{id} is to be a sound box");
    }
    folder
}

/// Ticks all that a step asks to look at, and takes it.
pub(crate) fn stepped(folder: &Folder, device: &str, step: &str) -> Folder {
    let ticked = ticked(folder, device, step);
    let taken = wish(&ticked, &take(device, step));
    taken.unwrap_or_else(|why| panic!("{device} {step}: {why}"))
}

pub(crate) fn ticked(folder: &Folder, device: &str, step: &str) -> Folder {
    let mut folder = folder.clone();
    let step: Step = serde_json::from_value(json!(step)).unwrap();
    let site = folder.site.clone();
    let Some(spot) = WorkedDevice::of(&site, &device.parse().unwrap()) else { return folder };
    for check in checks(&spot, step) {
        let tick =
            json!({"do": "check", "device": device, "step": step, "check": check.word, "on": true});
        folder = wish(&folder, &tick).unwrap();
    }
    folder
}

pub(crate) fn isolated(folder: &Folder, id: &str, means: &str, circuits: &[&str]) -> Folder {
    let mut folder = wish(folder, &isolate(id, means, circuits)).unwrap();
    for after in [false, true] {
        let prove = json!({"do": "prove-tester", "isolation": id, "after": after, "at": AT});
        folder = wish(&folder, &prove).unwrap();
    }
    folder
}

const WIRE: [&str; 6] = ["dead", "noted", "code", "wired", "checked", "dry-fitted"];

/// The same with more on the plan.
pub(crate) fn planned(folder: &Folder, edits: &[Value]) -> Folder {
    Folder { site: with(folder.site.clone(), edits), record: folder.record.clone() }
}

pub(crate) fn wired(site: &Folder, device: &str) -> Folder {
    // A kit has no codes.
    let takes = |step: &&&str| {
        let spot = WorkedDevice::of(&site.site, &device.parse().unwrap()).unwrap();
        ***step != *"code" || spot.takes(Step::Code)
    };
    WIRE.iter().filter(takes).fold(site.clone(), |site, step| stepped(&site, device, step))
}

pub(crate) fn refused(site: &Folder, act: &Value) -> String {
    wish(site, act).err().unwrap_or_else(|| panic!("{act} was taken"))
}

pub(crate) fn stand(site: &Folder, device: &str, step: Step) -> Stand {
    gate(&site.record, &site.site).stand(&device.parse().unwrap(), step)
}

/// An edit of one field.
pub(crate) fn set(kind: &str, id: &str, field: &str, value: &Value) -> Value {
    json!({"do": "set", "kind": kind, "id": id, "field": field, "value": value})
}

pub(crate) fn opened(folder: &Folder, boxes: &[&str]) -> Folder {
    let open = json!({"do": "open-network", "id": "o1", "network": "n", "expected": boxes, "by": "Kit", "at": AT});
    wish(folder, &open).unwrap()
}

/// What the hands did, kept without any rule of the program: which circuits are off, which boxes are open,
/// and of each box what was done since it was last opened.
#[derive(Clone, Default, PartialEq, Eq, PartialOrd, Ord)]
struct Hands {
    off: BTreeSet<String>,
    open: BTreeSet<String>,
    done: BTreeMap<String, BTreeSet<String>>,
}

impl Hands {
    /// Takes a tap that was accepted, and says whether it may be.
    fn take(&mut self, tap: &Value) -> Result<(), String> {
        let word = |key: &str| tap[key].as_str().unwrap_or_default().to_owned();
        let device = word("device");
        match word("do").as_str() {
            "isolate" => {
                self.off.insert(word("id"));
            }
            "energise" => {
                if !self.open.is_empty() {
                    return Err(format!("power comes on with {:?} open", self.open));
                }
                self.off.remove(&word("isolation"));
            }
            "take-step" | "join" | "keep-code" => {
                let step = match word("do").as_str() {
                    "join" => "joined".to_owned(),
                    "keep-code" => "code".to_owned(),
                    _ => word("step"),
                };
                let in_box = ["dead", "noted", "wired", "checked", "dry-fitted", "put-back"];
                if in_box.contains(&step.as_str()) && self.off.is_empty() {
                    return Err(format!("{step} with the power on"));
                }
                if ["powered", "tested", "closed"].contains(&step.as_str())
                    && (!self.off.is_empty() || self.open.contains(&device))
                {
                    return Err(format!("{step} without power, or with the box open"));
                }
                let done = self.done.entry(device.clone()).or_default();
                match step.as_str() {
                    "dead" | "noted" | "wired" | "checked" => {
                        for stale in ["dry-fitted", "put-back", "powered", "tested", "closed"] {
                            done.remove(stale);
                        }
                        self.open.insert(device);
                    }
                    "dry-fitted" | "put-back" => {
                        self.open.remove(&device);
                    }
                    "closed" => {
                        for before in ["powered", "code", "joined", "tested"] {
                            if !done.contains(before) {
                                return Err(format!("closed before {before}"));
                            }
                        }
                    }
                    _ => {}
                }
                self.done.get_mut(&word("device")).unwrap().insert(step);
            }
            "take-back" => {
                let step = word("step");
                let done = self.done.entry(device.clone()).or_default();
                done.remove(&step);
                let is_safe = done.contains("dry-fitted") || done.contains("put-back");
                if done.contains("dead") && !is_safe {
                    self.open.insert(device);
                } else if !done.contains("dead") {
                    self.open.remove(&device);
                }
            }
            _ => {}
        }
        Ok(())
    }
}

/// Every state that taps reach; how many there were.
fn all_states(start: Folder, taps: &[Value], holds: impl Fn(&Folder, &Hands)) -> usize {
    let key = |folder: &Folder| {
        let mut facts = gate(&folder.record, &folder.site).facts().in_order().join(" ");
        facts.retain(|c| c != '\n');
        let mut sorted: Vec<&str> = facts.split(' ').filter(|f| !f.starts_with("tick:")).collect();
        sorted.sort_unstable();
        sorted.join(" ")
    };
    let mut seen = BTreeSet::new();
    let mut queue = VecDeque::from([(start, Hands::default())]);
    while let Some((folder, hands)) = queue.pop_front() {
        if !seen.insert((key(&folder), hands.clone())) {
            continue;
        }
        holds(&folder, &hands);
        for tap in taps {
            // A step that was taken back wants its checks anew.
            let ready = match (tap["do"].as_str(), tap["step"].as_str(), tap["device"].as_str()) {
                (Some("take-step"), Some(step), Some(device)) => ticked(&folder, device, step),
                _ => folder.clone(),
            };
            let Ok(mut after) = wish(&ready, tap) else { continue };
            let mut hands = hands.clone();
            if let Err(why) = hands.take(tap) {
                panic!("{why}, by {tap} after\n{}", key(&folder));
            }
            if tap["do"] == "isolate" {
                for proof in [false, true] {
                    let proof = json!({"do": "prove-tester", "isolation": tap["id"], "after": proof, "at": AT});
                    after = wish(&after, &proof).unwrap();
                }
            }
            queue.push_back((after, hands));
        }
    }
    seen.len()
}

fn back(device: &str, step: &str) -> Value {
    json!({"do": "take-back", "device": device, "step": step})
}

#[test]
fn no_order_of_taps_closes_an_untested_box() {
    let start = opened(&house(System::Zigbee, &["a"]), &["a"]);
    let forward = [
        "dead",
        "noted",
        "code",
        "wired",
        "checked",
        "dry-fitted",
        "powered",
        "joined",
        "tested",
        "closed",
    ];
    let mut taps: Vec<Value> = forward.iter().map(|step| take("a", step)).collect();
    // Identified yields to a reason; here it is given, so that the space stays small.
    for tap in taps.iter_mut().filter(|t| t["step"] == "tested") {
        tap["why"] = json!("it stands alone in the room");
    }
    taps.extend(forward.map(|step| back("a", step)));
    taps.extend([
        isolate("x1", "breaker", &["7"]),
        isolate("x2", "main", &[]),
        isolate("x3", "breaker", &["7"]),
        energise("x1"),
        energise("x2"),
        energise("x3"),
    ]);
    let states = all_states(start, &taps, |folder, hands| {
        let now = gate(&folder.record, &folder.site);
        let id = "a".parse().unwrap();
        if now.holds(&id, Step::Closed) {
            for step in [Step::Powered, Step::Code, Step::Joined, Step::Tested] {
                assert!(now.holds(&id, step), "closed holds without {}", step.name());
            }
        }
        if now.is_live(&WorkedDevice::of(&folder.site, &id).unwrap()) {
            assert!(
                hands.off.is_empty() && !hands.open.contains("a"),
                "live, with {:?} off",
                hands.off
            );
        }
    });
    // A step that others rest on is not taken back, so that there are fewer than there are orders of taps.
    assert!(states > 700, "only {states} states");
}

#[test]
fn no_order_of_taps_brings_power_to_an_open_box() {
    let start = opened(&house(System::Zigbee, &["a", "b"]), &["a", "b"]);
    let start = stepped_code(&stepped_code(&start, "a"), "b");
    let steps = ["dead", "noted", "wired", "checked", "dry-fitted", "put-back"];
    let mut taps = Vec::new();
    for device in ["a", "b"] {
        taps.extend(steps.iter().map(|step| take(device, step)));
        let backs = ["noted", "wired", "checked", "dry-fitted", "put-back"];
        taps.extend(backs.map(|step| back(device, step)));
    }
    taps.extend([isolate("x1", "breaker", &["7"]), energise("x1")]);
    let states = all_states(start, &taps, |_, _| {});
    assert!(states > 300, "only {states} states");
}

fn stepped_code(folder: &Folder, device: &str) -> Folder {
    wish(folder, &take(device, "code")).unwrap()
}
