//! What the rules of a job do by the clock over a stretch of days, as JSON: `docs/ANALYSE.md` has the fields.

use dot_reach_core::rules::{DaySpan, Happening, Hours, Sense, happenings, in_a_sentence, senses};
use dot_reach_core::site::Site;
use serde_json::{Value, json};

/// The schedule of a job.
pub fn json(site: &Site, span: DaySpan) -> Value {
    let hours = Hours::of(site);
    let happened = happenings(site, &hours, span);
    let found = senses(site, &hours, span, &happened);
    json!({
        "zone": hours.clock.name(),
        "latitude": site.job.latitude,
        "longitude": site.job.longitude,
        "from": span.from.to_string(),
        "days": span.days,
        "events": happened.iter().map(|h| event(site, &hours, h, &found)).collect::<Vec<_>>(),
        "conflicts": found.iter().map(sense).collect::<Vec<_>>(),
        "rules": site.rules.iter().map(|rule| {
            json!({ "rule": rule.id, "name": rule.name, "said": in_a_sentence(site, rule) })
        }).collect::<Vec<_>>(),
    })
}

fn event(site: &Site, hours: &Hours<'_>, happened: &Happening, found: &[Sense]) -> Value {
    let (day, _) = hours.clock.shows(happened.at);
    let is_of = |s: &&Sense| {
        let device = s.device.as_ref().is_none_or(|d| *d == happened.device);
        s.rule == happened.rule && device && s.first.is_none_or(|first| first == day)
    };
    json!({
        "time": hours.clock.written(happened.at),
        "zone": hours.clock.name(),
        "rule": happened.rule,
        "load": happened.device,
        "name": site.devices.get(&happened.device).map(|d| d.name.as_str()),
        "to": happened.to,
        "level": if happened.is_on() == Some(false) { Some(0) } else { happened.level },
        "why": happened.why,
        "only": happened.provided,
        "conflicts": found.iter().filter(is_of).map(sense).collect::<Vec<_>>(),
    })
}

fn sense(sense: &Sense) -> Value {
    json!({
        "what": sense.of.word(),
        "rule": sense.rule,
        "load": sense.device,
        "first": sense.first.map(|day| day.to_string()),
        "text": sense.of.to_string(),
    })
}
