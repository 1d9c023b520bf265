//! Small jobs on which what was done on site went wrong once: each brought in as a file, and worked on over HTTP.
//! A case says what is sent, and what each must be answered: taken, refused, or either.
#![expect(
    clippy::expect_used,
    clippy::panic,
    reason = "a case that cannot be told is a test that failed"
)]

mod common;

use common::TestApp;
use dot_reach_core::gate::checks::checks;
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::record::Step;
use dot_reach_formats::job_file;
use serde_json::{Value, json};

const AT: &str = "2026-03-14T10:30:00Z";

/// A case at work.
struct Case {
    app: TestApp,
    job: String,
    file: Value,
    sent: u32,
}

impl Case {
    fn begun(text: &str) -> Self {
        let file: Value = serde_json::from_str(text).expect("a case");
        let app = TestApp::demo();
        let whole = file["job"].to_string();
        let answer = app.upload("/jobs/import", ("file", whole.as_bytes()), &[]);
        let location = answer.json()["location"].as_str().expect("a job").to_owned();
        let job = location.trim_end_matches("/reach").to_owned();
        Self { app, job, file, sent: 0 }
    }

    fn send(&mut self, edit: &Value) -> Result<(), String> {
        self.sent += 1;
        let body = json!({"edit": edit, "edit_id": format!("c{}", self.sent), "client": "case"});
        let answer = self.app.post(&format!("{}/edits", self.job), &body);
        match answer.status {
            200 => Ok(()),
            422 | 409 => Err(answer.json()["message"].as_str().unwrap_or_default().to_owned()),
            other => panic!("{edit}: {other} {}", answer.body),
        }
    }

    /// Ticks all that a step asks to look at, and takes it.
    fn step(
        &mut self,
        device: &str,
        step: Step,
        by: &str,
        may_say_why: bool,
    ) -> Result<(), String> {
        let name = self.job.rsplit('/').next().expect("a job").to_owned();
        let text = self.app.get(&format!("{}/{name}.json", self.job)).body;
        let site = job_file::read(text.as_bytes()).expect("a job file").value.site;
        if let Some(spot) = WorkedDevice::of(&site, &device.parse().expect("an id")) {
            for check in checks(&spot, step) {
                self.send(&json!({"do": "check", "device": device, "step": step, "check": check.word, "on": true}))?;
            }
        }
        let mut take =
            json!({"do": "take-step", "device": device, "step": step, "by": by, "at": AT});
        match self.send(&take) {
            Err(why) if may_say_why && why.contains("Say why") => {
                take["why"] = json!("agreed on site");
                self.send(&take)
            }
            told => told,
        }
    }

    fn steps(&mut self, of: &Value) -> Result<(), String> {
        let word = |key: &str| of[key].as_str().map(str::to_owned);
        let named = |w: &str| Step::ALL.into_iter().find(|s| s.word() == w).expect("a step");
        let (device, by) = (word("device").expect("which"), word("by").expect("who"));
        let from = named(&word("since").unwrap_or_else(|| "dead".to_owned()));
        let to = named(&word("to").expect("to where"));
        let own = [Step::Code, Step::PutBack];
        let all = Step::ALL.into_iter().filter(|s| *s >= from && *s <= to && !own.contains(s));
        for step in all {
            self.step(&device, step, &by, true)?;
        }
        Ok(())
    }

    /// Undoes until a step of a device is no longer marked, or nothing is left to undo.
    fn undo_all(&mut self) {
        for n in 0..60 {
            let body = json!({"edit_id": format!("u{n}"), "client": "case"});
            if self.app.post(&format!("{}/undo", self.job), &body).status != 200 {
                return;
            }
        }
    }

    fn run(&mut self) {
        let edits = self.file["edits"].as_array().expect("edits").clone();
        for (n, edit) in edits.iter().enumerate() {
            let told = if !edit["send"].is_null() {
                self.send(&edit["send"])
            } else if let Some(all) = edit["send_one_of"].as_array() {
                let told: Vec<_> = all.iter().map(|e| self.send(e)).collect();
                told.iter().find(|t| t.is_ok()).unwrap_or(&told[0]).clone()
            } else if edit["step"].is_object() {
                let of = edit["step"].clone();
                let word = of["step"].as_str().expect("a step");
                let step = Step::ALL.into_iter().find(|s| s.word() == word).expect("a step");
                let text = |key: &str| of[key].as_str().expect("a word").to_owned();
                self.step(&text("device"), step, &text("by"), false)
            } else if edit["steps"].is_object() {
                self.steps(&edit["steps"])
            } else {
                self.undo_all();
                Ok(())
            };
            let about = &self.file["about"];
            match edit["must"].as_str().unwrap_or("taken") {
                "taken" => assert!(told.is_ok(), "{about}: edit {}: {told:?}", n + 1),
                "refused" => assert!(told.is_err(), "{about}: edit {} was taken: {edit}", n + 1),
                _ => {}
            }
        }
    }
}

macro_rules! cases {
    ($($name:ident: $file:literal;)*) => {
        $(#[test] fn $name() { Case::begun(include_str!(concat!("electrical/", $file, ".json"))).run(); })*
    };
}

cases! {
    dead_beside_a_blank_breaker: "04-dead-beside-a-blank-breaker";
    isolating_one_of_a_shared_neutral: "06-isolating-one-of-a-shared-neutral";
    isolating_a_proven_breaker_that_shares: "08-isolating-a-proven-breaker-that-shares";
    nothing_secures_it: "19-nothing-secures-it";
    isolating_a_breaker_known_to_be_wrong: "20-isolating-a-breaker-known-to-be-wrong";
    proved_dead_by_nobody_known: "21-proved-dead-by-nobody-known";
    mains_work_by_the_installer: "22-mains-work-by-the-installer";
    power_after_dead_is_taken_back: "43-power-after-dead-is-taken-back";
    power_after_undo: "44-power-after-undo";
    power_after_the_circuit_is_set: "45-power-after-the-circuit-is-set";
    power_after_the_device_is_removed: "46-power-after-the-device-is-removed";
    power_after_the_kind_is_set: "47-power-after-the-kind-is-set";
    dead_at_a_far_place_with_a_blank_breaker: "48-dead-at-a-far-place-with-a-blank-breaker";
}
