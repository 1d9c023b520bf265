//! Scenes and schedules: what each rule does, read back in a sentence, what all come to over a year, and what does not make
//! sense.

pub(crate) mod exchange;

use std::collections::BTreeSet;
use std::sync::Arc;

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::analysis::Analysis;
use dot_reach_core::control::{Told, told};
use dot_reach_core::moment::time_of_day;
use dot_reach_core::rules::{DaySpan, Happening, Hours, happenings, in_a_sentence, senses};
use dot_reach_core::site::{
    Action, Condition, DeviceId, Edit, Kind, OnHolidays, Rule, RuleId, RunsIn, Site, SunEvent,
    Target, Trigger, TurnsTo, Weekday,
};
use jiff::civil::Date;
use serde::Deserialize;
use serde_json::json;

use crate::door::{For, See};
use crate::error::WebError;
use crate::pages::rules_tried::{TriedView, tried};
use crate::pages::survey::choices::{Choice, choices};
use crate::pages::{Shell, printed};

/// A year is looked at, from the day that is asked for.
const DAYS: u16 = 365;

#[derive(Template)]
#[template(path = "schedules/page.html")]
struct Page {
    shell: Shell,
    day: String,
    latitude: String,
    longitude: String,
    holidays: String,
    zone: String,
    has_place: bool,
    wrong: Vec<WrongRow>,
    times: Vec<TimeRow>,
    scenes: Vec<SceneRow>,
    loads: Vec<Choice>,
    months: Vec<MonthRow>,
    today: Vec<(String, String, String)>,
    /// Whatever no hand sets off, with how it was tried.
    tried: Vec<TriedView>,
}

/// What does not make sense.
struct WrongRow {
    first: String,
    what: String,
    text: String,
    with: String,
}

/// A rule of a time.
struct TimeRow {
    id: String,
    at: String,
    days: Vec<Choice>,
    load: String,
    to: Vec<Choice>,
    level: String,
    off_after: String,
    runs: Vec<Choice>,
    said: String,
    is_one: bool,
    has_level: bool,
}

/// A scene.
struct SceneRow {
    id: String,
    name: String,
    members: Vec<MemberRow>,
    others: Vec<Choice>,
    takes: String,
    dark: Vec<String>,
    /// What calls it.
    called_by: Vec<String>,
}

/// A member of a scene.
struct MemberRow {
    place: usize,
    name: String,
    to: Vec<Choice>,
    level: String,
    kelvin: String,
    over: String,
    can_dim: bool,
    without: String,
}

/// What the sun does on the first day of a month.
struct MonthRow {
    month: String,
    events: [String; 4],
}

#[derive(Deserialize)]
pub(crate) struct Query {
    /// The day from which on.
    #[serde(default)]
    on: String,
}

/// The usual days of a rule, each as a condition.
fn day_patterns() -> Vec<(&'static str, Option<Condition>)> {
    let of = |days: &[Weekday]| {
        let of = days.iter().copied().collect();
        Some(Condition::Days { of, holidays: OnHolidays::AsAnyDay })
    };
    let all = Weekday::ALL;
    let weekdays =
        Condition::Days { of: all[..5].iter().copied().collect(), holidays: OnHolidays::Never };
    let weekend =
        Condition::Days { of: all[5..].iter().copied().collect(), holidays: OnHolidays::AsSunday };
    vec![
        ("every day", None),
        ("Monday to Friday", of(&all[..5])),
        ("Monday to Friday, not on holidays", Some(weekdays)),
        ("Saturday and Sunday", of(&all[5..])),
        ("Saturday, Sunday and holidays", Some(weekend)),
    ]
}

#[get("/jobs/{job}/schedules")]
pub(crate) async fn show(
    For(job, ..): For<See>,
    query: web::Query<Query>,
) -> Result<HttpResponse, WebError> {
    let shell = job.shell("schedules");
    let site = Arc::clone(&job.site);
    let analysis = job.analysed().await?;
    let asked = query.into_inner().on;
    printed(job, move |job| {
        let hours = Hours::of(&site);
        let now = hours.clock.shows(jiff::Timestamp::now()).0;
        let from = asked.trim().parse::<Date>().unwrap_or(now);
        let span = DaySpan { from, days: DAYS };
        let happened = happenings(&site, &hours, span);
        let found = senses(&site, &hours, span, &happened);
        let number = |v: Option<f64>| v.map(|v| format!("{v}")).unwrap_or_default();
        let by_hand = |rule: &&Rule| matches!(rule.when, Trigger::Press { .. });
        let others = site.rules.iter().filter(|rule| !by_hand(rule));
        Ok(Page {
            tried: others.map(|rule| tried(&site, &job.record, rule)).collect(),
            shell,
            day: from.to_string(),
            latitude: number(site.job.latitude),
            longitude: number(site.job.longitude),
            holidays: site.job.holidays.iter().cloned().collect::<Vec<_>>().join(", "),
            zone: hours.clock.name().unwrap_or_default().to_owned(),
            has_place: hours.has_place(),
            wrong: found
                .iter()
                .map(|sense| WrongRow {
                    first: sense.first.map(|day| day.to_string()).unwrap_or_default(),
                    what: what_of(&site, &sense.rule, sense.device.as_ref()),
                    text: sense.of.to_string(),
                    with: sense.of.other().map(|o| said(&site, o)).unwrap_or_default(),
                })
                .collect(),
            times: times(&site),
            scenes: scenes(&analysis),
            loads: loads(&site, &[]),
            months: months(&hours, from),
            today: today(&site, &hours, from, &happened),
        })
    })
    .await
}

fn said(site: &Site, rule: &RuleId) -> String {
    site.rules.get(rule).map(|rule| in_a_sentence(site, rule)).unwrap_or_default()
}

fn name(site: &Site, id: &DeviceId) -> String {
    site.devices.get(id).map_or_else(|| "a device that is gone".to_owned(), |d| d.name.clone())
}

/// What a finding is of: the device, or else the rule in a sentence.
fn what_of(site: &Site, rule: &RuleId, device: Option<&DeviceId>) -> String {
    let rule = said(site, rule);
    device.map_or_else(|| rule.clone(), |id| format!("{}. {rule}", name(site, id)))
}

fn times(site: &Site) -> Vec<TimeRow> {
    let of = |rule: &Rule| {
        let Trigger::Time { at } = &rule.when else { return None };
        let first = rule.does.first();
        let does: Vec<String> =
            site.reached_by(rule).iter().map(|r| name(site, r.device)).collect();
        Some(TimeRow {
            id: rule.id.to_string(),
            at: at.to_string(),
            days: days(rule),
            load: match (first.map(|a| &a.what), does.len()) {
                (Some(Target::Scene(scene)), _) => {
                    let called = site.rules.get(scene).map_or("a scene that is gone", |s| &s.name);
                    format!("scene {called}")
                }
                (_, 0) => "nothing".to_owned(),
                (_, 1..=3) => does.join(", "),
                (_, n) => format!("{} and {} more", does[0], n - 1),
            },
            to: choices(&TurnsTo::ALL, first.map(|a| a.to).unwrap_or_default()),
            level: first.and_then(|a| a.level).map(|l| l.to_string()).unwrap_or_default(),
            off_after: rule.off_after_min.map(|m| format!("{m:.0}")).unwrap_or_default(),
            runs: choices(&RunsIn::ALL, rule.runs),
            said: in_a_sentence(site, rule),
            is_one: rule.does.len() == 1,
            has_level: first.is_some_and(|a| a.to == TurnsTo::On || a.level.is_some()),
        })
    };
    let mut rows: Vec<TimeRow> = site.rules.iter().filter_map(of).collect();
    rows.sort_by(|a, b| (&a.load, &a.at).cmp(&(&b.load, &b.at)));
    rows
}

/// The days of a rule to choose from, each as the edit that sets them; its own beside the usual ones.
fn days(rule: &Rule) -> Vec<Choice> {
    let is_days = |c: &&Condition| matches!(c, Condition::Days { .. });
    let now = rule.only.iter().find(is_days);
    let rest: Vec<&Condition> = rule.only.iter().filter(|c| !is_days(c)).collect();
    let mut all: Vec<Choice> = day_patterns()
        .into_iter()
        .map(|(text, condition)| {
            let only: Vec<&Condition> = condition.iter().chain(rest.iter().copied()).collect();
            let edit = Edit::set(Kind::Rule, &rule.id, "only", json!(only));
            Choice {
                value: json!(edit).to_string(),
                text: text.to_owned(),
                chosen: now == condition.as_ref(),
                system: String::new(),
            }
        })
        .collect();
    if all.iter().all(|c| !c.chosen) {
        let (value, system) = (String::new(), String::new());
        all.push(Choice { value, text: "other days".to_owned(), chosen: true, system });
    }
    all
}

/// What can be switched, but for these.
fn loads(site: &Site, but: &[&DeviceId]) -> Vec<Choice> {
    let but: BTreeSet<DeviceId> = but.iter().map(|id| (*id).clone()).collect();
    let mut all: Vec<Choice> = site
        .switched_but(&but)
        .into_iter()
        .map(|d| Choice {
            value: d.id.to_string(),
            text: d.name.clone(),
            chosen: false,
            system: String::new(),
        })
        .collect();
    all.sort_by(|a, b| a.text.cmp(&b.text));
    all
}

fn scenes(analysis: &Analysis) -> Vec<SceneRow> {
    let site = &analysis.site;
    let called = site.rules.iter().filter(|rule| rule.when == Trigger::Called);
    called.map(|rule| scene(analysis, rule)).collect()
}

fn scene(analysis: &Analysis, rule: &Rule) -> SceneRow {
    let site = &analysis.site;
    let calls = |of: &&Rule| of.does.iter().any(|a| a.what == Target::Scene(rule.id.clone()));
    let called_by = site.rules.iter().filter(calls).map(|of| in_a_sentence(site, of)).collect();
    let member = |(place, action): (usize, &Action)| {
        let Target::Device(id) = &action.what else { return None };
        let rest: Vec<&Action> =
            rule.does.iter().enumerate().filter(|(n, _)| *n != place).map(|(_, a)| a).collect();
        Some(MemberRow {
            place,
            name: name(site, id),
            to: choices(&TurnsTo::ALL, action.to),
            level: action.level.map(|l| l.to_string()).unwrap_or_default(),
            kelvin: action.kelvin.map(|k| k.to_string()).unwrap_or_default(),
            over: action.over_s.map(|s| format!("{s}")).unwrap_or_default(),
            can_dim: site.devices.get(id).is_some_and(|d| site.can_dim(d)),
            without: json!(Edit::set(Kind::Rule, &rule.id, "does", json!(rest))).to_string(),
        })
    };
    let there: Vec<&DeviceId> = rule
        .does
        .iter()
        .filter_map(|a| if let Target::Device(id) = &a.what { Some(id) } else { None })
        .collect();
    let others = loads(site, &there).into_iter().filter_map(|choice| {
        let id: DeviceId = choice.value.parse().ok()?;
        let mut does = rule.does.clone();
        does.push(Action::of(id, TurnsTo::On));
        let value = json!(Edit::set(Kind::Rule, &rule.id, "does", json!(does))).to_string();
        Some(Choice { value, ..choice })
    });
    let told = told(analysis, rule);
    SceneRow {
        called_by,
        id: rule.id.to_string(),
        name: rule.name.clone(),
        members: rule.does.iter().enumerate().filter_map(member).collect(),
        others: others.collect(),
        takes: takes(&told),
        dark: dark(site, &told),
    }
}

/// What it takes to tell all members of a scene, lamp by lamp and at once.
fn takes(told: &Told) -> String {
    let of = &told.addressing;
    match of.members {
        0 => String::new(),
        1 => format!("1 message, {:.1} s", of.at_once_ms / 1000.0),
        n => format!(
            "{n} messages, {:.1} s one by one; as a scene of the system {:.1} s",
            of.one_by_one_ms / 1000.0,
            of.at_once_ms / 1000.0
        ),
    }
}

/// Who is not reached, and who stays as he is when something that repeats is gone.
fn dark(site: &Site, told: &Told) -> Vec<String> {
    let names = |all: &[DeviceId]| {
        let names: Vec<String> = all.iter().map(|id| name(site, id)).collect();
        names.join(", ")
    };
    let unreached = (!told.not_reached.is_empty())
        .then(|| format!("Not reached: {}.", names(&told.not_reached)));
    let without = told.stay_without.iter().map(|(carrier, all)| {
        format!("Nothing changes without {}: {}.", name(site, carrier), names(all))
    });
    unreached.into_iter().chain(without).collect()
}

fn months(hours: &Hours<'_>, from: Date) -> Vec<MonthRow> {
    if !hours.has_place() {
        return Vec::new();
    }
    let of = |month: i8| {
        let day = Date::new(from.year(), month, 21).ok()?;
        let events = SunEvent::ALL.map(|(event, _)| {
            let shown = hours.sun(day, event).map(|at| hours.clock.shows(at).1);
            shown.map_or_else(|| "–".to_owned(), time_of_day)
        });
        Some(MonthRow { month: day.to_string(), events })
    };
    (1..=12).filter_map(of).collect()
}

/// What happens on the first day: when, what, why.
fn today(
    site: &Site,
    hours: &Hours<'_>,
    day: Date,
    happened: &[Happening],
) -> Vec<(String, String, String)> {
    let of_day =
        happened.iter().map(|h| (hours.clock.shows(h.at), h)).take_while(|((d, _), _)| *d == day);
    of_day
        .map(|((_, minutes), h)| {
            let level = h.level.map(|l| format!(" at {l} %")).unwrap_or_default();
            let what = format!("{} {}{level}", name(site, &h.device), h.to.word());
            (time_of_day(minutes), what, h.why.clone())
        })
        .collect()
}
