//! Acceptance: what was agreed, what was tested, who signed.

use actix_web::{HttpResponse, get};
use askama::Template;
use dot_reach_core::analysis::Analysis;
use dot_reach_core::catalogue::Duty;
use dot_reach_core::prove::Proof;
use dot_reach_core::prove::accept::{Judged, counts, is_agreed, judged, proposed};
use dot_reach_core::prove::press::in_words;
use dot_reach_core::record::Acceptance;
use dot_reach_core::site::Site;
use dot_reach_core::units::typographic;

use super::{name, percent, proved, tag};
use crate::door::{For, See};
use crate::error::WebError;
use crate::pages::Shell;
use crate::pages::house_time::day;

#[derive(Template)]
#[template(path = "prove/acceptance.html")]
struct Page {
    shell: Shell,
    counts: [usize; 3],
    rules: Vec<RuleRow>,
    missing: Vec<(String, String)>,
    agreed: bool,
    rows: Vec<Row>,
    signed: Vec<String>,
}

struct RuleRow {
    id: String,
    of: &'static str,
    margin: String,
    count: u32,
    rate: String,
    delay: String,
    by: String,
    at: String,
}

struct Row {
    device: String,
    tag: String,
    name: String,
    passed: &'static str,
    class: &'static str,
    arrived: String,
    points: Vec<(&'static str, String)>,
}

const DUTIES: [(Option<Duty>, &str, &str); 5] = [
    (None, "all", "Every device"),
    (Some(Duty::Actuator), "actuator", "Switches and dimmers"),
    (Some(Duty::Sensor), "sensor", "Sensors"),
    (Some(Duty::Remote), "remote", "Remotes"),
    (Some(Duty::Repeater), "repeater", "Repeaters"),
];

#[get("/jobs/{job}/prove/acceptance")]
pub(crate) async fn show(For(job, ..): For<See>) -> Result<HttpResponse, WebError> {
    let shell = job.shell("prove/acceptance");
    proved(job, move |analysis, proof| view(shell, analysis, proof)).await
}

fn view(shell: Shell, analysis: &Analysis, proof: &Proof) -> Page {
    let (site, record) = (&analysis.site, &proof.record);
    let all = judged(analysis, proof);
    let missing =
        DUTIES.iter().filter(|(duty, ..)| !record.acceptances.iter().any(|a| a.duty == *duty));
    let missing = missing.map(|(duty, word, words)| ((*words).to_owned(), new_rule(*duty, word)));
    Page {
        counts: counts(&all),
        rules: record.acceptances.iter().map(rule).collect(),
        missing: missing.collect(),
        agreed: !record.acceptances.is_empty() && record.acceptances.iter().all(is_agreed),
        rows: all.iter().map(|j| row(site, j)).collect(),
        signed: record.sign_offs.iter().map(signed).collect(),
        shell,
    }
}

fn new_rule(duty: Option<Duty>, word: &str) -> String {
    let mut rule = serde_json::to_value(Acceptance { duty, ..proposed() }).unwrap_or_default();
    rule["id"] = format!("rule-{word}").into();
    serde_json::json!({"do": "put", "kind": "acceptance", "value": rule}).to_string()
}

fn rule(a: &Acceptance) -> RuleRow {
    RuleRow {
        id: a.id.to_string(),
        of: DUTIES.iter().find(|(d, ..)| *d == a.duty).map_or("Hubs", |(.., words)| words),
        margin: a.margin_db.map(|m| m.get().to_string()).unwrap_or_default(),
        count: a.count,
        rate: a.rate.to_string(),
        delay: a.delay_ms.map(|d| d.to_string()).unwrap_or_default(),
        by: a.agreed_by.clone(),
        at: a.agreed_at.as_deref().unwrap_or_default().to_owned(),
    }
}

pub(super) fn class(passed: &str) -> &'static str {
    match passed {
        "passes" => "sound",
        "fails" => "out",
        _ => "thin",
    }
}

fn row(site: &Site, j: &Judged) -> Row {
    let (arrived, count) = j.arrived;
    Row {
        device: j.device.to_string(),
        tag: tag(site, &j.device),
        name: name(site, &j.device),
        passed: j.passed.word(),
        class: class(j.passed.word()),
        arrived: if count == 0 { "–".to_owned() } else { in_words(arrived, count) },
        points: j.points.iter().map(|(p, words)| (class(p.word()), words.clone())).collect(),
    }
}

pub(crate) fn signed(s: &dot_reach_core::record::SignOff) -> String {
    let role = if s.role.is_empty() { String::new() } else { format!(", {}", s.role) };
    let note =
        if s.note.is_empty() { String::new() } else { format!(" With reservations: {}", s.note) };
    let total = s.passed + s.failed + s.untested;
    let share = percent(f64::from(s.passed) / f64::from(total.max(1)));
    format!(
        "{}{role}, {}: {} passed ({share}), {} failed, {} not tested to the end.{note}",
        s.name,
        day(&s.at),
        typographic(f64::from(s.passed), 0),
        s.failed,
        s.untested
    )
}
