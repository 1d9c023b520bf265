//! Small jobs that were answered wrongly or in silence once, of wires and loads and of what was done on site: each
//! brought in as a file, worked on over HTTP, and looked into as the commands and the pages show it. A case says what
//! is sent and what each must be answered, and what must then stand where.
#![expect(
    clippy::expect_used,
    clippy::panic,
    reason = "a case that cannot be told is a test that failed"
)]

mod common;

use std::sync::Arc;

use common::TestApp;
use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::gate::checks::checks;
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::install::schedule::schedule;
use dot_reach_core::record::Step;
use dot_reach_formats::{fit_json, job_file, visits_json};
use regex_lite::Regex;
use serde_json::{Value, json};

const AT: &str = "2026-03-14T10:30:00Z";

/// What stands at a way such as `points[id=hall].devices[id=d].verdict`: all of it.
fn at<'a>(whole: &'a Value, way: &str) -> Vec<&'a Value> {
    way.split('.').fold(vec![whole], |holders, step| {
        let (name, filter) = step.trim_end_matches(']').split_once('[').unwrap_or((step, ""));
        let within = |holder: &'a Value| match (&holder[name], filter.split_once('=')) {
            (Value::Array(all), Some((key, value))) => {
                all.iter().filter(|one| one[key] == value).collect()
            }
            (Value::Array(all), None) => all.iter().collect(),
            (Value::Null, _) => Vec::new(),
            (one, _) => vec![one],
        };
        holders.into_iter().flat_map(within).collect()
    })
}

/// Of each device: what goes off for its box, how that is called, what is agreed before, whether it is on a visit.
fn by_device(visits: &Value, devices: &[Value]) -> Value {
    let list = |value: &Value| value.as_array().cloned().unwrap_or_default();
    let (mut off, mut title, mut agree, mut on) = (Vec::new(), Vec::new(), Vec::new(), Vec::new());
    for visit in list(&visits["visits"]) {
        let alone = list(&visit["first"]).into_iter().chain(list(&visit["after"]));
        on.extend(alone);
        for outage in list(&visit["outages"]) {
            for device in list(&outage["boxes"]).iter().flat_map(|b| list(&b["devices"])) {
                let cut =
                    if outage["means"] == "main" { &outage["means"] } else { &outage["circuits"] };
                off.push(json!({"device": device, "is": cut}));
                title.push(json!({"device": device, "is": outage["title"]}));
                agree.push(json!({"device": device, "is": visit["before"]}));
                on.push(device);
            }
        }
    }
    let planned = devices.iter().map(|d| json!({"device": d, "is": on.contains(d)}));
    let planned: Vec<_> = planned.collect();
    let count = list(&visits["visits"]).len();
    json!({"off": off, "title": title, "agree": agree, "planned": planned, "count": count})
}

fn says(value: &Value, pattern: &str) -> bool {
    let pattern = Regex::new(pattern).expect("a pattern");
    let is_match = |one: &Value| one.as_str().is_some_and(|text| pattern.is_match(text));
    value.as_array().map_or_else(|| is_match(value), |all| all.iter().any(is_match))
}

/// Whether what was found is as it must be; `other` is what it must be equal to.
fn is_so(must: &Value, found: &[Value], other: Option<&[Value]>) -> bool {
    let word = |key: &str| must[key].as_str().unwrap_or_default();
    let all = |holds: &dyn Fn(&Value) -> bool| !found.is_empty() && found.iter().all(holds);
    let number = |key: &str| must[key].as_f64();
    let value = |v: &Value| v.as_f64().unwrap_or(f64::NAN);
    let set = |v: &Value| -> Vec<Value> { v.as_array().cloned().unwrap_or_default() };
    if let Some(other) = other {
        !found.is_empty() && found.len() == other.len() && found.iter().zip(other).all(same)
    } else if !must["is"].is_null() {
        all(&|v| same((v, &must["is"])))
    } else if !must["not"].is_null() {
        all(&|v| *v != must["not"])
    } else if let Some(any) = must["one_of"].as_array() {
        // What is not written stands for nothing.
        if found.is_empty() { any.contains(&Value::Null) } else { all(&|v| any.contains(v)) }
    } else if !must["exactly"].is_null() {
        let asked = set(&must["exactly"]);
        all(&|v| set(v).len() == asked.len() && asked.iter().all(|c| set(v).contains(c)))
    } else if let Some(least) = must["covers"].as_array() {
        all(&|v| *v == "main" || least.iter().all(|c| set(v).contains(c)))
    } else if !must["says"].is_null() {
        found.iter().any(|v| says(v, word("says")))
    } else if !must["says_not"].is_null() {
        !found.iter().any(|v| says(v, word("says_not")))
    } else if let Some(least) = number("at_least") {
        all(&|v| value(v) >= least)
    } else if let Some(most) = number("at_most") {
        all(&|v| value(v) <= most)
    } else {
        panic!("nobody can ask {must}")
    }
}

fn same((one, other): (&Value, &Value)) -> bool {
    match (one.as_f64(), other.as_f64()) {
        (Some(one), Some(other)) => (one - other).abs() < 1e-9,
        _ => one == other,
    }
}

/// A case at work.
struct Case {
    app: TestApp,
    job: String,
    file: Value,
    sent: u32,
    /// The revision that the last answer told.
    revision: Value,
    /// Revisions that were kept by a name.
    noted: Vec<(String, Value)>,
}

impl Case {
    fn begun(text: &str) -> Self {
        let file: Value = serde_json::from_str(text).expect("a case");
        let app = TestApp::demo();
        let whole = file["job"].to_string();
        let answer = app.upload("/jobs/import", ("file", whole.as_bytes()), &[]);
        let location = answer.json()["location"].as_str().expect("a job").to_owned();
        let job = location.trim_end_matches("/reach").to_owned();
        Self { app, job, file, sent: 0, revision: Value::Null, noted: Vec::new() }
    }

    /// The job file as it stands.
    fn whole(&self) -> String {
        let name = self.job.rsplit('/').next().expect("a job").to_owned();
        self.app.get(&format!("{}/{name}.json", self.job)).body
    }

    /// Sends what `of` holds around an edit: by which window, on what revision.
    fn send(&mut self, edit: &Value, of: &Value) -> Result<(), String> {
        self.sent += 1;
        let client = of["client"].as_str().unwrap_or("case");
        let mut body =
            json!({"edit": edit, "edit_id": format!("c{}", self.sent), "client": client});
        if let Some(name) = of["base"].as_str() {
            let noted =
                self.noted.iter().find(|(n, _)| n == name).expect("a revision noted before");
            body["base"] = noted.1.clone();
        }
        let answer = self.app.post(&format!("{}/edits", self.job), &body);
        match answer.status {
            200 => {
                self.revision = answer.json()["revision"].clone();
                Ok(())
            }
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
        of: &Value,
    ) -> Result<(), String> {
        let without = of["step"]["without"].as_array().cloned().unwrap_or_default();
        let text = self.whole();
        let site = job_file::read(text.as_bytes()).expect("a job file").value.site;
        if let Some(spot) = WorkedDevice::of(&site, &device.parse().expect("an id")) {
            let asked = checks(&spot, step).into_iter().map(|c| c.word);
            for check in asked.filter(|word| !without.contains(&json!(word))) {
                let tick = json!({"do": "check", "device": device, "step": step, "check": check, "on": true});
                self.send(&tick, of)?;
            }
        }
        let mut take =
            json!({"do": "take-step", "device": device, "step": step, "by": by, "at": AT});
        if step == Step::Code {
            let id = format!("code-{}", self.sent);
            take = json!({"do": "keep-code", "id": id, "device": device, "text": "34028", "by": by, "at": AT});
        }
        match self.send(&take, of) {
            Err(why) if may_say_why && why.contains("Say why") => {
                take["why"] = json!("agreed on site");
                self.send(&take, of)
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
            self.step(&device, step, &by, true, &Value::Null)?;
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
        let edits = self.file["edits"].as_array().cloned().unwrap_or_default();
        for (n, edit) in edits.iter().enumerate() {
            let told = if !edit["send"].is_null() {
                self.send(&edit["send"], edit)
            } else if let Some(all) = edit["send_one_of"].as_array() {
                let told: Vec<_> = all.iter().map(|e| self.send(e, edit)).collect();
                told.iter().find(|t| t.is_ok()).unwrap_or(&told[0]).clone()
            } else if edit["step"].is_object() {
                let of = edit["step"].clone();
                let word = of["step"].as_str().expect("a step");
                let step = Step::ALL.into_iter().find(|s| s.word() == word).expect("a step");
                let text = |key: &str| of[key].as_str().expect("a word").to_owned();
                self.step(&text("device"), step, &text("by"), false, edit)
            } else if let Some(name) = edit["note"].as_str() {
                self.noted.push((name.to_owned(), self.revision.clone()));
                Ok(())
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

    /// What is looked into: what fits, what goes off, the bill, the job file.
    fn seen(&self, of: &str) -> Value {
        let text = self.whole();
        match of {
            "file" => {
                let mut file: Value = serde_json::from_str(&text).expect("a job file");
                // What was signed is on record: it is looked for by what it is.
                let job = job_file::read(text.as_bytes()).expect("a job file").value;
                let signed: Vec<_> = job.record.sign_offs.iter().map(|s| json!(s)).collect();
                file["site"]["sign_offs"] = json!(signed);
                file
            }
            "bill" => {
                let csv = self.app.get(&format!("{}/bill.csv", self.job)).body;
                json!({"csv": csv})
            }
            _ => {
                let job = job_file::read(text.as_bytes()).expect("a job file").value;
                if of == "fit" {
                    return fit_json::value(&job.site);
                }
                let ids: Vec<Value> = job.site.devices.iter().map(|d| json!(d.id)).collect();
                let analysis = analyse(&Arc::new(job.site), &Options::default());
                let plan = schedule(&analysis, &job.record);
                by_device(&visits_json::json(&analysis, &plan), &ids)
            }
        }
    }

    fn found(&self, of: &str, way: &str) -> Vec<Value> {
        let seen = self.seen(of);
        if of == "bill" {
            let words = way.trim_start_matches("count[").trim_end_matches(']');
            return vec![json!(counted(seen["csv"].as_str().expect("a bill"), words))];
        }
        let found = at(&seen, way);
        let is_by_device = of == "visits" && way.contains('[');
        found.into_iter().map(|v| if is_by_device { v["is"].clone() } else { v.clone() }).collect()
    }

    fn look(&self) {
        let run = self.file["run"].as_str().expect("what is run");
        let run = if run == "edits" { "file" } else { run };
        for must in self.file["must"].as_array().expect("what must be") {
            let of = |of: &Value| of["of"].as_str().unwrap_or(run).to_owned();
            let way = |of: &Value| of["where"].as_str().expect("where").to_owned();
            let found = self.found(&of(must), &way(must));
            let other =
                must["as"].is_object().then(|| self.found(&of(&must["as"]), &way(&must["as"])));
            let about = &self.file["about"];
            let is_so = is_so(must, &found, other.as_deref());
            assert!(is_so, "{about}: {must} is {found:?}, beside {other:?}");
        }
    }
}

/// The sum of the lines of a bill whose text holds some words.
fn counted(csv: &str, words: &str) -> f64 {
    let mut lines = csv.lines().map(|line| line.split(',').collect::<Vec<_>>());
    let head = lines.next().expect("a heading");
    let column = |name: &str| head.iter().position(|h| h.to_lowercase().contains(name));
    let count = column("count").expect("a column of counts");
    let of = lines.filter(|line| line.join(",").to_lowercase().contains(&words.to_lowercase()));
    of.filter_map(|line| line.get(count)?.trim().parse::<f64>().ok()).sum()
}

macro_rules! cases {
    ($($name:ident: $file:literal;)*) => {
        $(#[test] fn $name() {
            let mut case = Case::begun(include_str!(concat!("electrical/", $file, ".json")));
            case.run();
            case.look();
        })*
    };
}

cases! {
    switched_wire_is_no_neutral: "01-switched-wire-is-no-neutral";
    blank_breaker_in_a_shared_box: "02-blank-breaker-in-a-shared-box";
    blank_breaker_at_a_far_place: "03-blank-breaker-at-a-far-place";
    dead_beside_a_blank_breaker: "04-dead-beside-a-blank-breaker";
    neutral_shared_with_another: "05-neutral-shared-with-another";
    isolating_one_of_a_shared_neutral: "06-isolating-one-of-a-shared-neutral";
    proven_breaker_shares_its_neutral: "07-proven-breaker-shares-its-neutral";
    isolating_a_proven_breaker_that_shares: "08-isolating-a-proven-breaker-that-shares";
    load_of_a_group_at_another_place: "09-load-of-a-group-at-another-place";
    choices_for_a_group_with_its_load_elsewhere: "10-choices-for-a-group-with-its-load-elsewhere";
    own_row_without_depth: "11-own-row-without-depth";
    own_row_without_limits: "12-own-row-without-limits";
    derating_in_a_shared_box: "13-derating-in-a-shared-box";
    derating_of_two_at_one_point: "14-derating-of-two-at-one-point";
    capacitor_behind_another_dimmer: "15-capacitor-behind-another-dimmer";
    capacitors_on_the_bill: "16-capacitors-on-the-bill";
    heading_names_the_proven_breaker: "17-heading-names-the-proven-breaker";
    household_is_told_the_proven_breaker: "18-household-is-told-the-proven-breaker";
    nothing_secures_it: "19-nothing-secures-it";
    isolating_a_breaker_known_to_be_wrong: "20-isolating-a-breaker-known-to-be-wrong";
    proved_dead_by_nobody_known: "21-proved-dead-by-nobody-known";
    mains_work_by_the_installer: "22-mains-work-by-the-installer";
    metal_box_without_earth: "23-metal-box-without-earth";
    load_over_its_breaker: "24-load-over-its-breaker";
    thin_conductor_on_a_large_breaker: "25-thin-conductor-on-a-large-breaker";
    box_fill_with_one_conductor_listed: "26-box-fill-with-one-conductor-listed";
    box_fill_without_its_neutral: "27-box-fill-without-its-neutral";
    no_box_said: "28-no-box-said";
    inrush_of_a_motor: "29-inrush-of-a-motor";
    inrush_of_nine_drivers: "30-inrush-of-nine-drivers";
    inrush_known_and_unknown: "31-inrush-known-and-unknown";
    inrush_of_each_lamp: "32-inrush-of-each-lamp";
    module_behind_a_wall_switch: "33-module-behind-a-wall-switch";
    modules_among_the_choices: "34-modules-among-the-choices";
    visits_on_the_bill: "35-visits-on-the-bill";
    fan_and_lamp_on_a_plain_relay: "36-fan-and-lamp-on-a-plain-relay";
    paired_unit_alone: "37-paired-unit-alone";
    paired_unit_in_place_of_the_powered_one: "38-paired-unit-in-place-of-the-powered-one";
    smart_lamps_on_a_two_wire_switch: "39-smart-lamps-on-a-two-wire-switch";
    z_wave_holds_232_with_its_hub: "40-z-wave-holds-232-with-its-hub";
    connectors_of_a_switch_without_neutral: "41-connectors-of-a-switch-without-neutral";
    photo_before_anything_is_taken_off: "42-photo-before-anything-is-taken-off";
    power_after_dead_is_taken_back: "43-power-after-dead-is-taken-back";
    power_after_undo: "44-power-after-undo";
    power_after_the_circuit_is_set: "45-power-after-the-circuit-is-set";
    power_after_the_device_is_removed: "46-power-after-the-device-is-removed";
    power_after_the_kind_is_set: "47-power-after-the-kind-is-set";
    dead_at_a_far_place_with_a_blank_breaker: "48-dead-at-a-far-place-with-a-blank-breaker";
    a_box_that_surprises_stays_on_the_day: "49-a-box-that-surprises-stays-on-the-day";
    z_wave_join_with_nothing_said: "50-z-wave-join-with-nothing-said";
    closing_with_one_missing: "51-closing-with-one-missing";
    an_agreed_delay_that_was_never_timed: "52-an-agreed-delay-that-was-never-timed";
    one_press_with_all_ticks: "53-one-press-with-all-ticks";
    hub_moved_undoes_tests: "54-hub-moved-undoes-tests";
    a_remote_has_no_plate_to_close: "55-a-remote-has-no-plate-to-close";
    install_code_misread: "56-install-code-misread";
    words_for_a_code: "57-words-for-a-code";
    one_code_for_two_devices: "58-one-code-for-two-devices";
    two_people_on_one_breaker: "59-two-people-on-one-breaker";
}
