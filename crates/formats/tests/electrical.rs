//! Small jobs that the electrical rules answered wrongly or in silence once: what fits, what goes off, as the commands
//! say it. A case says where in the answer to look, and what must stand there.
#![expect(clippy::expect_used, clippy::panic, reason = "a case that cannot be told has failed")]

use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::install::schedule::schedule;
use dot_reach_formats::{fit_json, job_file, visits_json};
use regex_lite::Regex;
use serde_json::{Value, json};

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

/// Of each device that a time without power is for: what goes off, how that is called, what is agreed before.
fn by_device(visits: &Value) -> Value {
    let list = |value: &Value| value.as_array().cloned().unwrap_or_default();
    let (mut off, mut title, mut agree) = (Vec::new(), Vec::new(), Vec::new());
    for visit in list(&visits["visits"]) {
        for outage in list(&visit["outages"]) {
            for device in list(&outage["boxes"]).iter().flat_map(|b| list(&b["devices"])) {
                let cut =
                    if outage["means"] == "main" { &outage["means"] } else { &outage["circuits"] };
                off.push(json!({"device": device, "is": cut}));
                title.push(json!({"device": device, "is": outage["title"]}));
                agree.push(json!({"device": device, "is": visit["before"]}));
            }
        }
    }
    json!({"off": off, "title": title, "agree": agree})
}

fn says(value: &Value, pattern: &str) -> bool {
    let pattern = Regex::new(pattern).expect("a pattern");
    let is_match = |one: &Value| one.as_str().is_some_and(|text| pattern.is_match(text));
    value.as_array().map_or_else(|| is_match(value), |all| all.iter().any(is_match))
}

fn run(name: &str, text: &str) {
    let case: Value = serde_json::from_str(text).expect("a case");
    let file = serde_json::to_vec(&case["job"]).expect("a job");
    let job = job_file::read(&file).expect("a job file").value;
    let fit = fit_json::value(&job.site);
    let analysis = analyse(&Arc::new(job.site), &Options::default());
    let visits = by_device(&visits_json::json(&analysis, &schedule(&analysis, &job.record)));
    for must in case["must"].as_array().expect("what must be") {
        let way = must["where"].as_str().expect("where");
        let found: Vec<&Value> = if case["run"] == "visits" {
            at(&visits, way).into_iter().map(|of| &of["is"]).collect()
        } else {
            at(&fit, way)
        };
        let one_of =
            |value: &&Value| must["one_of"].as_array().is_some_and(|all| all.contains(value));
        let word = |key: &str| must[key].as_str().unwrap_or_default();
        let is_so = if !must["is"].is_null() {
            !found.is_empty() && found.iter().all(|v| **v == must["is"])
        } else if !must["not"].is_null() {
            !found.is_empty() && found.iter().all(|v| **v != must["not"])
        } else if !must["one_of"].is_null() {
            !found.is_empty() && found.iter().all(one_of)
        } else if !must["says"].is_null() {
            found.iter().any(|v| says(v, word("says")))
        } else if !must["says_not"].is_null() {
            !found.iter().any(|v| says(v, word("says_not")))
        } else if let Some(all) = must["covers"].as_array() {
            let covers = |v: &Value| {
                *v == "main" || v.as_array().is_some_and(|off| all.iter().all(|c| off.contains(c)))
            };
            !found.is_empty() && found.iter().all(|v| covers(v))
        } else {
            panic!("{name}: nobody can ask {must}")
        };
        assert!(is_so, "{name}: {}: {must} is {found:?}", case["about"]);
    }
}

macro_rules! cases {
    ($($name:ident: $file:literal;)*) => {
        $(#[test] fn $name() { run($file, include_str!(concat!("electrical/", $file, ".json"))); })*
    };
}

cases! {
    blank_breaker_in_a_shared_box: "02-blank-breaker-in-a-shared-box";
    blank_breaker_at_a_far_place: "03-blank-breaker-at-a-far-place";
    neutral_shared_with_another: "05-neutral-shared-with-another";
    proven_breaker_shares_its_neutral: "07-proven-breaker-shares-its-neutral";
    load_of_a_group_at_another_place: "09-load-of-a-group-at-another-place";
    choices_for_a_group_with_its_load_elsewhere: "10-choices-for-a-group-with-its-load-elsewhere";
    own_row_without_depth: "11-own-row-without-depth";
    own_row_without_limits: "12-own-row-without-limits";
    derating_in_a_shared_box: "13-derating-in-a-shared-box";
    derating_of_two_at_one_point: "14-derating-of-two-at-one-point";
    capacitor_behind_another_dimmer: "15-capacitor-behind-another-dimmer";
    heading_names_the_proven_breaker: "17-heading-names-the-proven-breaker";
    household_is_told_the_proven_breaker: "18-household-is-told-the-proven-breaker";
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
    fan_and_lamp_on_a_plain_relay: "36-fan-and-lamp-on-a-plain-relay";
    paired_unit_alone: "37-paired-unit-alone";
    paired_unit_in_place_of_the_powered_one: "38-paired-unit-in-place-of-the-powered-one";
    smart_lamps_on_a_two_wire_switch: "39-smart-lamps-on-a-two-wire-switch";
    z_wave_holds_232_with_its_hub: "40-z-wave-holds-232-with-its-hub";
}
