//! What all rules of a time come to over many days.

use std::collections::BTreeMap;

use jiff::civil::Date;
use jiff::{SignedDuration, Timestamp};

use super::day::{Hours, runs_on};
use super::said::when_said;
use crate::site::{Condition, DeviceId, ReachedByRule, Rule, RuleId, Site, TurnsTo};

/// A stretch of days.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct DaySpan {
    /// The first.
    pub from: Date,
    /// How many.
    pub days: u16,
}

impl DaySpan {
    /// Each of its days.
    pub fn each(self) -> impl Iterator<Item = Date> {
        self.from.series(jiff::Span::new().days(1)).take(self.days.into())
    }
}

/// That something is done to a device at a time.
#[derive(Clone, Debug, PartialEq)]
pub struct Happening {
    /// When.
    pub at: Timestamp,
    /// By which rule.
    pub rule: RuleId,
    /// To which device.
    pub device: DeviceId,
    /// What.
    pub to: TurnsTo,
    /// At which level it is on then, in hundredths; nothing where that is its last, which no calendar tells.
    pub level: Option<u8>,
    /// Why then, in words.
    pub why: String,
    /// What must hold that no calendar tells; empty where nothing must.
    pub provided: Vec<Condition>,
}

impl Happening {
    /// Whether the device is on then; nothing where that hangs on what it was, or on what no calendar tells.
    pub fn is_on(&self) -> Option<bool> {
        match self.to {
            _ if !self.provided.is_empty() => None,
            TurnsTo::On => Some(true),
            TurnsTo::Off => Some(false),
            TurnsTo::Toggle | TurnsTo::Dim => None,
        }
    }

    /// Whether it leaves the device otherwise than another, as far as both are known.
    pub fn differs(&self, other: &Self) -> bool {
        let levels = self.level.zip(other.level).is_some_and(|(a, b)| a != b);
        self.is_on().zip(other.is_on()).is_some_and(|(a, b)| a != b || a && levels)
    }
}

/// What the rules of a job do over a stretch of days, in the order of time; at one instant in the order of the rules.
pub fn happenings(site: &Site, hours: &Hours<'_>, span: DaySpan) -> Vec<Happening> {
    let mut all: Vec<(Timestamp, usize, Happening)> = Vec::new();
    for day in span.each() {
        for (place, rule) in site.rules.iter().enumerate() {
            if let Some(at) = runs_on(hours, rule, day) {
                let why = when_said(hours, rule, day);
                all.extend(of_rule(site, rule, at, &why).map(|h| (h.at, place, h)));
            }
        }
    }
    all.sort_by_key(|(at, place, _)| (*at, *place));
    let mut happened: Vec<Happening> = all.into_iter().map(|(_, _, happening)| happening).collect();
    let offs = by_themselves(site, &happened);
    happened.extend(offs);
    let last = span.each().last().and_then(|day| day.tomorrow().ok());
    let end = last.and_then(|day| hours.clock.midnight(day));
    happened.retain(|h| end.is_none_or(|end| h.at < end));
    happened.sort_by_key(|h| h.at);
    happened
}

/// What rules switch off again by themselves: not where the same rule ran anew meanwhile.
fn by_themselves(site: &Site, runs: &[Happening]) -> Vec<Happening> {
    let mut next: BTreeMap<(&RuleId, &DeviceId), Timestamp> = BTreeMap::new();
    let mut offs = Vec::new();
    for on in runs.iter().rev().filter(|h| h.to == TurnsTo::On) {
        let again = next.insert((&on.rule, &on.device), on.at);
        let Some(after) = site.rules.get(&on.rule).and_then(|r| r.off_after_min) else { continue };
        #[expect(clippy::cast_possible_truncation, reason = "a day at most")]
        let wait = SignedDuration::from_mins(after.round() as i64);
        let Ok(at) = on.at.checked_add(wait) else { continue };
        if again.is_none_or(|again| again > at) {
            let why = format!("{after:.0} minutes after it went on");
            offs.push(Happening { at, to: TurnsTo::Off, level: None, why, ..on.clone() });
        }
    }
    offs
}

/// The level at which an action leaves a device on: what has none between on and off is fully on.
fn level(site: &Site, reached: &ReachedByRule<'_>) -> Option<u8> {
    let can_dim = site.devices.get(reached.device).is_some_and(|device| site.can_dim(device));
    match reached.action.to {
        TurnsTo::On if can_dim => reached.action.level,
        TurnsTo::On => Some(100),
        TurnsTo::Off | TurnsTo::Toggle | TurnsTo::Dim => None,
    }
}

fn of_rule<'a>(
    site: &'a Site,
    rule: &'a Rule,
    at: Timestamp,
    why: &str,
) -> impl Iterator<Item = Happening> + use<'a> {
    let why = why.to_owned();
    let open = |c: &&Condition| !matches!(c, Condition::Days { .. } | Condition::Between { .. });
    let provided: Vec<Condition> = rule.only.iter().filter(open).cloned().collect();
    site.reached_by(rule).into_iter().map(move |reached| Happening {
        at,
        rule: rule.id.clone(),
        device: reached.device.clone(),
        to: reached.action.to,
        level: level(site, &reached),
        why: why.clone(),
        provided: provided.clone(),
    })
}
