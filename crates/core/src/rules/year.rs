//! What all rules of a time come to over many days.

use std::collections::BTreeMap;

use jiff::civil::Date;
use jiff::{SignedDuration, Timestamp};

use super::day::{Hours, runs_on};
use super::said::when_said;
use crate::site::{Condition, DeviceId, Rule, RuleId, Site, TurnsTo};

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
    /// At which level, in hundredths.
    pub level: Option<u8>,
    /// Why then, in words.
    pub why: String,
    /// What must hold that no calendar tells; empty where nothing must.
    pub provided: Vec<Condition>,
}

impl Happening {
    /// What the device is then: its level, nought where it is off; nothing where that hangs on what it was, or on what no
    /// calendar tells.
    pub fn leaves(&self) -> Option<u8> {
        match self.to {
            _ if !self.provided.is_empty() => None,
            TurnsTo::On => Some(self.level.unwrap_or(100)),
            TurnsTo::Off => Some(0),
            TurnsTo::Toggle | TurnsTo::Dim => None,
        }
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
        level: reached.action.level,
        why: why.clone(),
        provided: provided.clone(),
    })
}
