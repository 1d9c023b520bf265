//! A rule in a sentence, as a second person reads it back.

use jiff::civil::Date;

use super::day::Hours;
use crate::moment::time_of_day;
use crate::site::{
    Action, Condition, DayTime, OnHolidays, Rule, Site, Target, Trigger, TurnsTo, Weekday,
};
use crate::speech::local;

/// A rule in a sentence.
pub fn in_a_sentence(site: &Site, rule: &Rule) -> String {
    let mut said = vec![set_off(site, rule)];
    said.extend(rule.only.iter().map(|condition| only(site, condition)));
    let does: Vec<String> = rule.does.iter().map(|action| done(site, action)).collect();
    let does = if does.is_empty() { "nothing".to_owned() } else { does.join(", ") };
    let off = rule.off_after_min.map(|after| format!(", off again after {after:.0} minutes"));
    let sentence =
        format!("{}: {does}{}, {}.", said.join(", "), off.unwrap_or_default(), rule.runs.name());
    local(&sentence).into_owned()
}

fn name_of(site: &Site, id: &crate::site::DeviceId) -> String {
    site.devices.get(id).map_or_else(|| "a device that is gone".to_owned(), |d| d.name.clone())
}

fn set_off(site: &Site, rule: &Rule) -> String {
    match &rule.when {
        Trigger::Called if rule.name.is_empty() => "Called".to_owned(),
        Trigger::Called => format!("Scene “{}”", rule.name),
        Trigger::Press { controller, key, gesture } => {
            let key = key.map(|key| format!(" key {key}")).unwrap_or_default();
            let gesture = if gesture.trim().is_empty() { "pressed" } else { gesture.trim() };
            format!("{}{key}, {gesture}", name_of(site, controller))
        }
        Trigger::Time { at } => format!("At {}", time(*at)),
        Trigger::State { device, is, for_min } => {
            let long = for_min.map(|m| format!(" for {m:.0} minutes")).unwrap_or_default();
            format!("{}: {is}{long}", name_of(site, device))
        }
        Trigger::Says { phrase } => format!("On “{phrase}”"),
        Trigger::Alert { of } => format!("On an alert of {of}"),
    }
}

/// A time of the day in words.
fn time(at: DayTime) -> String {
    match at {
        DayTime::Clock(minutes) => time_of_day(minutes),
        DayTime::Sun(_, 0) => at.to_string(),
        DayTime::Sun(event, offset) => {
            let side = if offset < 0 { "before" } else { "after" };
            format!("{} minutes {side} {}", offset.unsigned_abs(), event.word())
        }
    }
}

fn days(of: &std::collections::BTreeSet<Weekday>) -> String {
    let weekend: std::collections::BTreeSet<Weekday> = [Weekday::Sat, Weekday::Sun].into();
    let is_weekdays = of.len() == 5 && of.is_disjoint(&weekend);
    if of.is_empty() || of.len() == 7 {
        "every day".to_owned()
    } else if is_weekdays {
        "Monday to Friday".to_owned()
    } else if *of == weekend {
        "Saturday and Sunday".to_owned()
    } else {
        of.iter().map(|day| weekday(*day)).collect::<Vec<_>>().join(", ")
    }
}

/// A day of the week in full.
pub(super) fn weekday(day: Weekday) -> &'static str {
    let names = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];
    Weekday::ALL.iter().zip(names).find(|(d, _)| **d == day).map_or("", |(_, name)| name)
}

fn only(site: &Site, condition: &Condition) -> String {
    match condition {
        Condition::Days { of, holidays } => match holidays {
            OnHolidays::AsAnyDay => days(of),
            OnHolidays::AsSunday => format!("{}, holidays as Sundays", days(of)),
            OnHolidays::Never => format!("{}, not on holidays", days(of)),
            OnHolidays::Only => "on holidays".to_owned(),
        },
        Condition::Between { from, to } => format!("between {} and {}", time(*from), time(*to)),
        Condition::Darker { lux } => format!("only under {lux:.0} lux"),
        Condition::Is { device, on } => {
            format!("only while {} is {}", name_of(site, device), if *on { "on" } else { "off" })
        }
        Condition::Home { somebody } => {
            format!("only while {} is at home", if *somebody { "somebody" } else { "nobody" })
        }
    }
}

fn done(site: &Site, action: &Action) -> String {
    let what = match &action.what {
        Target::Device(id) => name_of(site, id),
        Target::Room(id) => {
            let name = site.rooms.get(id).map_or("a room that is gone", |r| r.name.as_str());
            format!("all of {name}")
        }
        Target::Group(id) => {
            site.groups.get(id).map_or("a group that is gone", |g| g.name.as_str()).to_owned()
        }
        Target::Scene(id) => {
            let name = site.rules.get(id).map_or("that is gone", |r| r.name.as_str());
            return format!("scene “{name}”");
        }
        Target::AllBut(but) if but.is_empty() => "everything".to_owned(),
        Target::AllBut(but) => {
            let names: Vec<String> = but.iter().map(|id| name_of(site, id)).collect();
            format!("everything but {}", names.join(", "))
        }
    };
    let level = action.level.map(|l| format!(" at {l} %")).unwrap_or_default();
    let kelvin = action.kelvin.map(|k| format!(", {k} K")).unwrap_or_default();
    let over = action.over_s.map(|s| format!(" over {s:.0} s")).unwrap_or_default();
    let verb = match action.to {
        TurnsTo::Toggle => "switched over",
        TurnsTo::On => "on",
        TurnsTo::Off => "off",
        TurnsTo::Dim => "brighter or darker while held",
    };
    format!("{what} {verb}{level}{kelvin}{over}")
}

/// Why a rule of a time runs when it does on a day: by the clock, or from what the sun does then.
pub fn when_said(hours: &Hours<'_>, rule: &Rule, day: Date) -> String {
    let Trigger::Time { at } = &rule.when else { return String::new() };
    match at {
        DayTime::Clock(minutes) => format!("at {}", time_of_day(*minutes)),
        DayTime::Sun(event, _) => {
            let sun = hours.sun(day, *event).map(|at| hours.clock.shows(at).1);
            let of_day = sun.map(|minutes| format!(" at {}", time_of_day(minutes)));
            format!("{}{}", time(*at), of_day.unwrap_or_default())
        }
    }
}
