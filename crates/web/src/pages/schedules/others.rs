//! Rules that a sensor, a phrase or a message sets off: what sets each off, what must hold then, what it does.

use dot_reach_core::catalogue::DeviceKind;
use dot_reach_core::rules::in_a_sentence;
use dot_reach_core::site::{
    Condition, DayTime, Edit, Kind, Rule, RunsIn, Site, SunEvent, Target, Trigger, TurnsTo,
};
use serde_json::{Value, json};

use super::{loads, name};
use crate::pages::survey::choices::{Choice, choices};

/// A rule of such a kind.
pub(super) struct OtherRow {
    pub(super) id: String,
    /// What sets it off, where that is a thing; empty where it is a phrase or a message.
    pub(super) by: String,
    /// The field of what is typed there, its words, and what stands in it.
    pub(super) typed: (&'static str, &'static str, String),
    /// For how many minutes it must be so, where that can be said.
    pub(super) waits: Option<String>,
    pub(super) to: Vec<Choice>,
    /// Whether it does one thing, whose verb stands here.
    pub(super) is_one: bool,
    pub(super) off_after: String,
    pub(super) runs: Vec<Choice>,
    pub(super) only: Vec<OnlyRow>,
    /// Conditions that may be added, each as the edit that does so.
    pub(super) more: Vec<Choice>,
    pub(super) said: String,
}

/// What must hold for a rule.
pub(super) struct OnlyRow {
    pub(super) says: &'static str,
    /// Fields of it: name, words, type, value.
    pub(super) fields: Vec<(String, &'static str, &'static str, String)>,
    /// The edit that takes it out.
    pub(super) without: String,
}

/// The rules of a job that are set off so.
pub(super) fn others(site: &Site) -> Vec<OtherRow> {
    site.rules.iter().filter_map(|rule| row(site, rule)).collect()
}

fn row(site: &Site, rule: &Rule) -> Option<OtherRow> {
    let (by, typed, waits) = match &rule.when {
        Trigger::State { device, is, for_min } => {
            let waits = for_min.map(|m| format!("{m:.0}")).unwrap_or_default();
            (name(site, device), ("when.is", "tells", is.clone()), Some(waits))
        }
        Trigger::Says { phrase } => {
            (String::new(), ("when.phrase", "Somebody says", phrase.clone()), None)
        }
        Trigger::Alert { of } => {
            (String::new(), ("when.of", "A message comes of", of.clone()), None)
        }
        Trigger::Called | Trigger::Press { .. } | Trigger::Time { .. } => return None,
    };
    let first = rule.does.first();
    Some(OtherRow {
        id: rule.id.to_string(),
        by,
        typed,
        waits,
        to: choices(&TurnsTo::ALL, first.map(|a| a.to).unwrap_or_default()),
        is_one: rule.does.len() == 1,
        off_after: rule.off_after_min.map(|m| format!("{m:.0}")).unwrap_or_default(),
        runs: choices(&RunsIn::ALL, rule.runs),
        only: (0..rule.only.len()).filter_map(|n| only(rule, n)).collect(),
        more: more(rule),
        said: in_a_sentence(site, rule),
    })
}

/// The edit that leaves a rule with these conditions.
fn with(rule: &Rule, only: &[&Condition]) -> String {
    json!(Edit::set(Kind::Rule, &rule.id, "only", json!(only))).to_string()
}

fn only(rule: &Rule, place: usize) -> Option<OnlyRow> {
    let condition = rule.only.get(place)?;
    let field = |field: &str, words, kind, value: String| {
        (format!("only.{place}.{field}"), words, kind, value)
    };
    let (says, fields) = match condition {
        Condition::Darker { lux } => {
            ("only where it is darker", vec![field("lux", "lx", "number", format!("{lux}"))])
        }
        Condition::Between { from, to } => (
            "only in this time",
            vec![
                field("from", "from", "text", from.to_string()),
                field("to", "to", "text", to.to_string()),
            ],
        ),
        Condition::Home { somebody: true } => ("only while somebody is at home", Vec::new()),
        Condition::Home { somebody: false } => ("only while nobody is at home", Vec::new()),
        Condition::Is { .. } => ("only while something else is on or off", Vec::new()),
        Condition::Days { .. } => ("only on its days", Vec::new()),
    };
    let rest: Vec<&Condition> =
        rule.only.iter().enumerate().filter(|(n, _)| *n != place).map(|(_, c)| c).collect();
    Some(OnlyRow { says, fields, without: with(rule, &rest) })
}

fn more(rule: &Rule) -> Vec<Choice> {
    let night = Condition::Between {
        from: DayTime::Sun(SunEvent::Sunset, 0),
        to: DayTime::Sun(SunEvent::Sunrise, 0),
    };
    let usual = [
        ("between sunset and sunrise", night),
        ("where it is darker than 30 lx", Condition::Darker { lux: 30.0 }),
        ("while somebody is at home", Condition::Home { somebody: true }),
        ("while nobody is at home", Condition::Home { somebody: false }),
    ];
    let is_new = |condition: &Condition| {
        let same =
            |own: &Condition| std::mem::discriminant(own) == std::mem::discriminant(condition);
        !rule.only.iter().any(same)
    };
    let usual = usual.into_iter().filter(|(_, condition)| is_new(condition));
    usual
        .map(|(text, condition)| {
            let all: Vec<&Condition> = rule.only.iter().chain([&condition]).collect();
            choice(with(rule, &all), text.to_owned())
        })
        .collect()
}

fn choice(value: String, text: String) -> Choice {
    Choice { value, text, chosen: false, system: String::new() }
}

/// Sensors that can set a rule off.
pub(super) fn sensors(site: &Site) -> Vec<Choice> {
    let is_sensor = |kind: &str| site.kind(kind).is_some_and(DeviceKind::is_sensor);
    let all = site.devices.iter().filter(|d| is_sensor(&d.kind));
    all.map(|d| choice(d.id.to_string(), d.name.clone())).collect()
}

/// What such a rule can act on: scenes, rooms, and what can be switched.
pub(super) fn targets(site: &Site) -> Vec<Choice> {
    let of = |target: Target, text: String| {
        let value: Value = json!(target);
        choice(value.to_string(), text)
    };
    let scenes = site.rules.iter().filter(|rule| rule.when == Trigger::Called);
    let scenes =
        scenes.map(|rule| of(Target::Scene(rule.id.clone()), format!("scene {}", rule.name)));
    let rooms =
        site.rooms.iter().map(|r| of(Target::Room(r.id.clone()), format!("all of {}", r.name)));
    let devices = loads(site, &[])
        .into_iter()
        .filter_map(|c| Some(of(Target::Device(c.value.parse().ok()?), c.text)));
    devices.chain(scenes).chain(rooms).collect()
}
