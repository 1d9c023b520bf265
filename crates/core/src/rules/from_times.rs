//! Rules out of what a calendar shows: the fewest rules of a time, by the clock or the sun, that do the same on the same days.

use std::collections::{BTreeMap, BTreeSet};

use jiff::civil::Date;

use super::day::{Hours, runs_on};
use super::year::{DaySpan, happenings};
use crate::site::{
    Action, Condition, DayTime, DeviceId, OnHolidays, Rule, RuleId, RunsIn, Site, SunEvent, Target,
    Trigger, TurnsTo, Weekday,
};

/// What is done to a device, as a calendar writes it.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct CalendarDeed {
    /// Which device.
    pub device: DeviceId,
    /// What is done.
    pub to: TurnsTo,
    /// At which level, where it can be dimmed and one is said.
    pub level: Option<u8>,
}

/// A day and the minute of it, by the clock of the house.
pub type DayMinute = (Date, u16);

/// When a calendar shows it.
#[derive(Clone, Debug, PartialEq)]
pub struct CalendarTimes {
    /// What.
    pub deed: CalendarDeed,
    /// The days that the calendar tells of: on those among them that it does not name, nothing is done.
    pub span: DaySpan,
    /// When.
    pub at: BTreeSet<DayMinute>,
}

/// What a calendar comes to.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct RulesFromTimes {
    /// New rules.
    pub rules: Vec<Rule>,
    /// How many of its entries rules of the job do already.
    pub there: usize,
    /// What is shown too seldom for a rule to be seen in it, and how often.
    pub left: Vec<(CalendarDeed, usize)>,
}

/// The deed of something that happens, as a calendar writes it.
pub fn deed_of(site: &Site, device: &DeviceId, to: TurnsTo, level: Option<u8>) -> CalendarDeed {
    let can_dim = site.devices.get(device).is_some_and(|device| site.can_dim(device));
    let level = level.filter(|_| can_dim && to == TurnsTo::On);
    CalendarDeed { device: device.clone(), to, level }
}

/// The rules that a calendar comes to, beside those that the job has.
pub fn rules_from_times(site: &Site, all: &[CalendarTimes]) -> RulesFromTimes {
    let hours = Hours::of(site);
    let mut found = RulesFromTimes::default();
    let mut known: BTreeMap<(Date, u16), BTreeSet<(CalendarDeed, DayMinute)>> = BTreeMap::new();
    for times in all {
        let there = known.entry((times.span.from, times.span.days)).or_insert_with(|| {
            let all = happenings(site, &hours, times.span).into_iter();
            all.map(|h| (deed_of(site, &h.device, h.to, h.level), hours.clock.shows(h.at)))
                .collect()
        });
        let is_there = |at: &&DayMinute| there.contains(&(times.deed.clone(), **at));
        let mut open: BTreeSet<DayMinute> =
            times.at.iter().filter(|at| !is_there(at)).copied().collect();
        found.there += times.at.len() - open.len();
        for _ in 0..MOST_RULES {
            let Some((rule, does)) = best(&hours, times, &open) else { break };
            let id = free_id(site, &found.rules);
            found.rules.push(Rule { id, ..rule });
            open.retain(|at| !does.contains(at));
        }
        if !open.is_empty() {
            found.left.push((times.deed.clone(), open.len()));
        }
    }
    found
}

fn free_id(site: &Site, new: &[Rule]) -> RuleId {
    let is_free = |id: &RuleId| site.rules.get(id).is_none() && new.iter().all(|r| r.id != *id);
    let most = site.rules.iter().count() + new.len() + 1;
    (1..=most)
        .filter_map(|n| format!("cal-{n}").parse().ok())
        .find(is_free)
        .unwrap_or_else(|| unreachable!("one more id than there are rules"))
}

/// No more rules than this are looked for in what is done to one device.
const MOST_RULES: usize = 40;
/// So few times are no rule.
const LEAST: usize = 2;
/// So many times of a day are tried by all days of the calendar: those that come most often.
const TRIED: usize = 8;

/// The rule that does most of what is open and nothing that the calendar does not show, with what it does.
fn best(
    hours: &Hours<'_>,
    times: &CalendarTimes,
    open: &BTreeSet<DayMinute>,
) -> Option<(Rule, BTreeSet<DayMinute>)> {
    let mut counts: BTreeMap<DayTime, usize> = BTreeMap::new();
    for (day, minute) in open {
        *counts.entry(DayTime::Clock(*minute)).or_default() += 1;
        for (event, _) in SunEvent::ALL {
            let Some(at) = hours.sun(*day, event) else { continue };
            let (shown, sun) = hours.clock.shows(at);
            let apart = i32::from(*minute) - i32::from(sun);
            let Ok(offset) = i16::try_from(apart) else { continue };
            if shown == *day && offset.abs() <= DayTime::FARTHEST_MIN {
                *counts.entry(DayTime::Sun(event, offset)).or_default() += 1;
            }
        }
    }
    let mut likely: Vec<(DayTime, usize)> =
        counts.into_iter().filter(|(_, n)| *n >= LEAST).collect();
    // Where two come as often, the clock before the sun.
    likely.sort_by_key(|(at, n)| (std::cmp::Reverse(*n), *at));
    let tried: Vec<_> = likely
        .into_iter()
        .take(TRIED)
        .filter_map(|(at, _)| on_its_days(hours, times, at))
        .collect();
    let fresh = |does: &BTreeSet<DayMinute>| does.intersection(open).count();
    // Of those that do as much the first.
    let most = tried.into_iter().rev().max_by_key(|(_, does)| fresh(does));
    most.filter(|(_, does)| fresh(does) >= LEAST)
}

/// The rule of a time on the days on which the calendar shows it; nothing where it shows it on no day of the week whole.
fn on_its_days(
    hours: &Hours<'_>,
    times: &CalendarTimes,
    at: DayTime,
) -> Option<(Rule, BTreeSet<DayMinute>)> {
    let shown = |rule: &Rule, day: Date| runs_on(hours, rule, day).map(|at| hours.clock.shows(at));
    let any = rule_of(&times.deed, at, None);
    let is_shown = |day: Date| shown(&any, day).is_none_or(|at| times.at.contains(&at));
    let days: Vec<Date> = times.span.each().collect();
    let weekday =
        |day: Date| Weekday::ALL[usize::from(day.weekday().to_monday_zero_offset().unsigned_abs())];
    let whole = |of: &Weekday| {
        let mut such = days.iter().filter(|d| weekday(**d) == *of && !hours.is_holiday(**d));
        let mut are_there = such.clone();
        such.next().is_some() && are_there.all(|day| is_shown(*day))
    };
    let of: BTreeSet<Weekday> = Weekday::ALL.into_iter().filter(whole).collect();
    let every = of.len() == Weekday::ALL.len();
    let condition = |holidays| {
        let is_plain = every && holidays == OnHolidays::AsAnyDay;
        let of = if every { BTreeSet::new() } else { of.clone() };
        (!is_plain).then_some(Condition::Days { of, holidays })
    };
    let variants =
        [OnHolidays::AsAnyDay, OnHolidays::AsSunday, OnHolidays::Never, OnHolidays::Only];
    let tried = variants.into_iter().filter(|v| !of.is_empty() || *v == OnHolidays::Only);
    let rules = tried.map(|holidays| rule_of(&times.deed, at, condition(holidays)));
    let kept: Vec<_> = rules
        .filter_map(|rule| {
            let does: BTreeSet<DayMinute> = days.iter().filter_map(|d| shown(&rule, *d)).collect();
            does.is_subset(&times.at).then_some((rule, does))
        })
        .collect();
    kept.into_iter().rev().max_by_key(|(_, does)| does.len())
}

fn rule_of(deed: &CalendarDeed, at: DayTime, only: Option<Condition>) -> Rule {
    let id = "new".parse().unwrap_or_else(|_| unreachable!("a plain word is an id"));
    let what = Target::Device(deed.device.clone());
    let does = Action { what, to: deed.to, level: deed.level, kelvin: None, over_s: None };
    let rule = Rule::new(id, Trigger::Time { at }, vec![does], RunsIn::Hub);
    Rule { only: only.into_iter().collect(), ..rule }
}
