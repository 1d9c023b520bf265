//! Scenes and schedules: what each rule does, read back in a sentence, what all come to over a year, and what does not make
//! sense.

pub(crate) mod exchange;
mod others;

use std::collections::BTreeSet;
use std::sync::Arc;

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::analysis::Analysis;
use dot_reach_core::catalogue::by_hand::TOLD;
use dot_reach_core::control::{Told, ToldNetwork, told};
use dot_reach_core::moment::time_of_day;
use dot_reach_core::rules::{DaySpan, Happening, Hours, happenings, in_a_sentence, senses};
use dot_reach_core::site::{
    Action, Condition, DeviceId, Edit, Kind, OnHolidays, Rule, RuleId, RunsIn, Site, SunEvent,
    Target, Trigger, TurnsTo, Weekday,
};
use dot_reach_core::units::count_of;
use jiff::civil::Date;
use serde::Deserialize;
use serde_json::json;

use self::others::{OtherRow, others, sensors, targets};
use crate::door::{For, See};
use crate::error::WebError;
use crate::pages::controls::left_out::{LeftOut, left_out};
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
    others: Vec<OtherRow>,
    sensors: Vec<Choice>,
    targets: Vec<Choice>,
    told: [&'static str; 8],
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
    /// What it leaves out, where it works everything.
    all_but: Option<LeftOut>,
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
        let not_by_hand = site.rules.iter().filter(|rule| !by_hand(rule));
        Ok(Page {
            tried: not_by_hand.map(|rule| tried(&site, &job.record, rule)).collect(),
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
            others: others(&site),
            sensors: sensors(&site),
            targets: targets(&site),
            told: TOLD.map(|(word, _)| word),
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
        let device = match &action.what {
            Target::Device(id) => site.devices.get(id),
            _ => None,
        };
        let rest: Vec<&Action> =
            rule.does.iter().enumerate().filter(|(n, _)| *n != place).map(|(_, a)| a).collect();
        Some(MemberRow {
            place,
            name: acts_on(site, &action.what),
            to: choices(&TurnsTo::ALL, action.to),
            level: action.level.map(|l| l.to_string()).unwrap_or_default(),
            kelvin: action.kelvin.map(|k| k.to_string()).unwrap_or_default(),
            over: action.over_s.map(|s| format!("{s}")).unwrap_or_default(),
            can_dim: device.is_some_and(|d| site.can_dim(d)),
            without: json!(Edit::set(Kind::Rule, &rule.id, "does", json!(rest))).to_string(),
        })
    };
    let there: Vec<&DeviceId> = rule
        .does
        .iter()
        .filter_map(|a| if let Target::Device(id) = &a.what { Some(id) } else { None })
        .collect();
    let whole = [("everything in the house".to_owned(), Target::AllBut(BTreeSet::new()))];
    let rooms = site.rooms.iter();
    let rooms = rooms.map(|r| (format!("all of {}", r.name), Target::Room(r.id.clone())));
    let wide = rooms.chain(whole).map(|(text, what)| {
        let mut does = rule.does.clone();
        does.push(Action { what, to: TurnsTo::On, level: None, kelvin: None, over_s: None });
        let value = json!(Edit::set(Kind::Rule, &rule.id, "does", json!(does))).to_string();
        Choice { value, text, chosen: false, system: String::new() }
    });
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
        all_but: left_out(site, rule),
        id: rule.id.to_string(),
        name: rule.name.clone(),
        members: rule.does.iter().enumerate().filter_map(member).collect(),
        others: others.chain(wide).collect(),
        takes: takes(site, &told),
        dark: dark(site, &told),
    }
}

/// What an action acts on, in words.
fn acts_on(site: &Site, what: &Target) -> String {
    let gone = || "something that is gone".to_owned();
    match what {
        Target::Device(id) => name(site, id),
        Target::Room(id) => {
            site.rooms.get(id).map_or_else(gone, |room| format!("all of {}", room.name))
        }
        Target::Group(id) => {
            let places = site.groups.get(id).into_iter().flat_map(|group| &group.places);
            let names: Vec<&str> =
                places.filter_map(|p| site.points.get(p)).map(|p| p.name.as_str()).collect();
            if names.is_empty() { gone() } else { names.join(" and ") }
        }
        Target::Scene(id) => {
            site.rules.get(id).map_or_else(gone, |scene| format!("scene {}", scene.name))
        }
        Target::AllBut(but) if but.is_empty() => "everything in the house".to_owned(),
        Target::AllBut(but) => format!("everything but {} of the house", but.len()),
    }
}

/// What it takes to tell all members of a scene, network by network: each is told by its own radio, beside the others.
fn takes(site: &Site, told: &Told) -> String {
    let seconds = |ms: f64| format!("{:.1} s", ms / 1000.0);
    let count = |n: usize| count_of(n, "message", "messages");
    let of = |network: &ToldNetwork| {
        let (all, ms) = (network.messages(), network.takes_ms());
        let once = seconds(network.addressing.at_once_ms);
        match (network.at_once, network.addressing.members) {
            (_, 1) | (Some(true), _) => format!("{}, {}", count(all), seconds(ms)),
            (Some(false), _) => format!("{} one by one, {}", count(all), seconds(ms)),
            (None, _) => format!(
                "{} one by one, {}; {once} where its groups go by one message, of which nobody has said",
                count(all),
                seconds(ms)
            ),
        }
    };
    match told.networks.as_slice() {
        [] => String::new(),
        [one] => of(one),
        all => {
            let name = |id| site.networks.get(id).map_or("", |n| n.name.as_str());
            let each: Vec<String> =
                all.iter().map(|n| format!("{}: {}", name(&n.network), of(n))).collect();
            let whole = (count(told.messages()), seconds(told.takes_ms()));
            format!(
                "{} in {}, assuming that the networks send at the same time. {}",
                whole.0,
                whole.1,
                each.join(". ")
            )
        }
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
