//! Every door to what was done on site, over HTTP: acts, edits from pages that are older than the job, undo, files
//! brought in, variants taken, what is sent twice, phones without a line, by two people in random order. Whatever
//! is tried, no power comes on while a box is open, and the record only grows.
#![expect(
    clippy::expect_used,
    reason = "a house that cannot be walked through has failed the test"
)]

mod common;

use std::collections::BTreeSet;

use common::TestApp;
use dot_reach_core::gate::checks::checks;
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::record::{Entry, Step};
use dot_reach_formats::job_file;
use dot_reach_trials::acts::{self, AT, HUB_STEPS, take};
use dot_reach_trials::doors::{Door, Hands, door};
use proptest::prelude::*;
use proptest::test_runner::{Config, TestRunner};
use serde_json::{Value, json};

/// A job that is walked through.
struct House<'a> {
    app: &'a TestApp,
    /// Its address, and the name of its file.
    job: String,
    sent: u32,
    /// The revisions that changed the plan, and how many of them were put back.
    changed: Vec<u64>,
    put_back: u32,
    /// The record as it was last read.
    record: Vec<Value>,
    hands: Hands,
    /// Its file after each door, and the variants branched off at the beginning.
    earlier: Vec<Vec<u8>>,
    variants: Vec<String>,
    phones: [Vec<Value>; 2],
    /// What was sent to `edits`, each with its id; and what was tapped.
    bodies: Vec<Value>,
    tapped: Vec<Value>,
}

impl<'a> House<'a> {
    fn at(app: &'a TestApp, job: String) -> Self {
        let mut house = Self {
            app,
            job,
            sent: 0,
            changed: Vec::new(),
            put_back: 0,
            record: Vec::new(),
            hands: Hands::default(),
            earlier: Vec::new(),
            variants: Vec::new(),
            phones: [Vec::new(), Vec::new()],
            bodies: Vec::new(),
            tapped: Vec::new(),
        };
        house.look();
        house
    }

    /// The same house as a job of its own, with three variants that lead elsewhere.
    fn copied(app: &'a TestApp, file: &[u8]) -> Self {
        let told = app.upload("/jobs/import?known=copy", ("file", file), &[]).json();
        let mut house = Self::at(app, job_of(&told));
        let other = [
            json!({"do": "remove", "kind": "device", "id": "a"}),
            json!({"do": "set", "kind": "point", "id": "b", "field": "circuit", "value": "9"}),
            json!({"do": "set", "kind": "device", "id": "a", "field": "kind", "value": "remote-battery"}),
        ];
        for (n, edit) in other.iter().enumerate() {
            let branch = json!({"name": format!("Other {n}"), "edit": edit});
            let told = app.post(&format!("{}/variants", house.job), &branch).json();
            house.variants.push(told["id"].as_str().expect("a variant").to_owned());
        }
        house
    }

    fn get(&self, page: &str) -> String {
        let answer = self.app.get(&format!("{}/{page}", self.job));
        assert_eq!(answer.status, 200, "{page}: {}", answer.body);
        answer.body
    }

    fn file(&self) -> String {
        self.get("job.json")
    }

    /// Reads what is new on record. What was there before is as it was.
    fn look(&mut self) {
        let told: Value = serde_json::from_str(&self.get("record.json")).expect("JSON");
        let now = told["entries"].as_array().expect("entries").clone();
        assert_eq!(
            now.get(..self.record.len()),
            Some(&self.record[..]),
            "what was on record is another"
        );
        let ids: BTreeSet<&str> = now.iter().filter_map(|e| e["id"].as_str()).collect();
        assert_eq!(ids.len(), now.len(), "an entry stands twice");
        for entry in &now[self.record.len()..] {
            let mut entry = entry.clone();
            entry.as_object_mut().expect("an entry").remove("seq");
            self.hands.see(&serde_json::from_value::<Entry>(entry).expect("an entry"));
        }
        self.record = now;
    }

    fn post(&mut self, to: &str, body: &Value) -> u16 {
        let answer = self.app.post(&format!("{}/{to}", self.job), body);
        assert!(answer.status < 500, "{to} {body}: {} {}", answer.status, answer.body);
        let told: Value = serde_json::from_str(&answer.body).unwrap_or_default();
        let is_of_plan = told["touched"].as_array().is_some_and(|all| !all.is_empty());
        self.changed.extend(told["revision"].as_u64().filter(|_| is_of_plan));
        self.look();
        answer.status
    }

    fn mark(&mut self) -> String {
        self.sent += 1;
        format!("walk-{}", self.sent)
    }

    /// Ticks all that a step asks to look at: ticks are no door.
    fn tick(&mut self, device: &str, step: &str) {
        let site = job_file::read(self.file().as_bytes()).expect("a job file").value.site;
        let step = Step::ALL.into_iter().find(|s| s.word() == step).expect("a step");
        let Some(spot) = device.parse().ok().and_then(|id| WorkedDevice::of(&site, &id)) else {
            return;
        };
        let ticks: Vec<Value> = checks(&spot, step)
            .iter()
            .map(|check| {
                let tick = json!({"do": "check", "device": device, "step": step.word(), "check": check.word,
                    "on": true});
                json!({"id": self.mark(), "by": "Kit", "what": tick})
            })
            .collect();
        if !ticks.is_empty() {
            self.post("record", &json!({"entries": ticks, "client": "walk"}));
        }
    }

    fn send(&mut self, value: &Value, by: &str) {
        let mut value = value.clone();
        if let (Some("take-step"), Some(step), Some(device)) =
            (value["do"].as_str(), value["step"].as_str(), value["device"].as_str())
        {
            self.tick(device, step);
        }
        if by != "Kit" && value.get("by").is_some() {
            value["by"] = json!(by);
            if matches!(value["do"].as_str(), Some("take-step" | "isolate")) {
                value["why"] = json!("under Kit's eyes");
            }
        }
        let body = json!({"edit": value, "edit_id": self.mark(), "client": by});
        self.bodies.push(body.clone());
        let status = self.post("edits", &body);
        if status == 200 && value["do"] == "isolate" {
            let shown =
                json!({"do": "prove-tester", "isolation": value["id"], "after": false, "at": AT});
            self.send(&shown, by);
        }
    }

    fn go(&mut self, door: &Door) {
        let who = |first: bool| if first { "Kit" } else { "Bo" };
        match door {
            Door::Send(value, first) => {
                self.tapped.push(value.clone());
                self.send(value, who(*first));
            }
            Door::OldPage(n) => {
                // Sent again by a page that saw a revision long gone.
                let Some(at) = self.tapped.len().checked_sub(n + 1) else { return };
                let tap = self.tapped[at].clone();
                let body = json!({"edit": tap, "edit_id": self.mark(), "client": "old", "base": 1});
                self.post("edits", &body);
            }
            Door::Undo => {
                let body = json!({"edit_id": self.mark(), "client": "Kit", "force": true});
                self.post("undo", &body);
            }
            Door::PutBack(n) => {
                let Some(back) = n.checked_rem(self.changed.len()) else { return };
                let of = self.changed[self.changed.len() - 1 - back];
                let body = json!({"edit_id": self.mark(), "client": "Cy", "of": of, "force": true});
                if self.post("undo", &body) == 200 {
                    self.put_back += 1;
                }
            }
            Door::Import(n) => {
                let Some(at) = self.earlier.len().checked_sub(n + 1) else { return };
                let file = self.earlier[at].clone();
                let told = self.app.upload("/jobs/import?known=update", ("file", &file), &[]);
                assert!(told.status < 500, "{}", told.body);
                self.look();
            }
            Door::Variant(n) => {
                let variant = &self.variants[n % self.variants.len()];
                let take = format!("variants/{variant}/take");
                let asked = self.app.post(
                    &format!("{}/{take}", self.job),
                    &json!({"edit_id": "look", "client": "w"}),
                );
                // What both sides changed stands as the variant has it.
                let keys = asked.body.split('(').skip(1).filter_map(|rest| rest.split_once("):"));
                let answers: serde_json::Map<String, Value> =
                    keys.map(|(key, _)| (key.to_owned(), json!("variant"))).collect();
                let body = json!({"edit_id": self.mark(), "client": "w", "answers": answers});
                self.post(&take, &body);
            }
            Door::Again(n) => {
                let Some(at) = self.bodies.len().checked_sub(n + 1) else { return };
                let body = self.bodies[at].clone();
                self.post("edits", &body);
            }
            Door::Offline(act, first) => self.phones[usize::from(*first)].push(act.clone()),
            Door::Online(first) => {
                for act in std::mem::take(&mut self.phones[usize::from(*first)]) {
                    self.send(&act, who(*first));
                }
            }
        }
        if !self.hands.off.is_empty() {
            let gone = json!({"name": "Walked"});
            let told = self.app.post(&format!("{}/delete", self.job), &gone);
            assert!(told.status == 422 && told.body.contains("power is off"), "{}", told.body);
        }
        self.earlier.push(self.file().into_bytes());
    }

    /// Power can always come back: whatever is open is made safe, and who holds it switches it on.
    fn end(&mut self) {
        for act in self.hands.made_safe() {
            self.send(&act, "Kit");
        }
        assert!(self.hands.open.is_empty(), "{:?} cannot be made safe", self.hands.open);
        let off: Vec<String> = self.hands.off.iter().cloned().collect();
        for id in off {
            for holder in ["Kit", "Bo"] {
                let on = json!({"do": "energise", "isolation": id, "by": holder, "at": AT});
                self.send(&on, holder);
            }
        }
        assert!(self.hands.off.is_empty(), "{:?} cannot come on again", self.hands.off);
    }
}

/// The address of a job by that of a page of it.
fn job_of(told: &Value) -> String {
    let location = told["location"].as_str().expect("a job");
    location.rsplit_once('/').expect("a page of it").0.to_owned()
}

/// A house of two boxes, as a file.
fn begun(app: &TestApp) -> Vec<u8> {
    let made =
        app.post("/jobs", &json!({"name": "Walked", "region": "eu", "confidence": 0.95})).json();
    let mut house = House::at(app, job_of(&made));
    let mut edits = vec![
        json!({"do": "put", "kind": "floor", "value": {"id": "g", "name": "Ground", "elevation_m": 0.0, "height_m": 2.5}}),
        json!({"do": "put", "kind": "network", "value": {"id": "n", "name": "Net", "system": "zigbee"}}),
    ];
    edits.extend(acts::house(&["a", "b"]));
    let all = json!({"edit": {"do": "batch", "edits": edits}, "edit_id": "house", "client": "w"});
    assert_eq!(house.post("edits", &all), 200);
    for step in HUB_STEPS {
        house.send(&take("hub", step), "Kit");
    }
    house.file().into_bytes()
}

#[test]
fn no_door_brings_power_to_an_open_box_or_touches_the_record() {
    let app = TestApp::empty();
    let file = begun(&app);
    let mut runner = TestRunner::new(Config { max_shrink_iters: 200, ..Config::with_cases(340) });
    let seen = std::cell::Cell::new((0, 0, 0));
    runner
        .run(&prop::collection::vec(door(), 1..40), |doors| {
            let mut house = House::copied(&app, &file);
            for door in &doors {
                house.go(door);
            }
            house.end();
            let count =
                |what: &str| house.record.iter().filter(|e| e["what"]["did"] == what).count();
            let (off, on, back) = seen.get();
            seen.set((off + count("isolated"), on + count("energised"), back + house.put_back));
            Ok(())
        })
        .expect("every walk holds");
    // What the property looks for was there to be found: some 140 of each are drawn.
    let (off, on, back) = seen.get();
    assert!(off > 100 && on > 50 && back > 50, "{off} times off, {on} times on, {back} put back");
}
