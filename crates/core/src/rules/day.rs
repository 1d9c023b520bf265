//! When a rule runs on a day, by the clock of the house and the sun over it.

use std::cell::RefCell;
use std::collections::{BTreeMap, BTreeSet};

use jiff::civil::Date;
use jiff::{SignedDuration, Timestamp};

use super::sun::{Whereabouts, sun_event};
use crate::moment::HouseClock;
use crate::site::{Condition, DayTime, OnHolidays, Rule, Site, SunEvent, Trigger, Weekday};

/// The hours of a house: its clock, where it stands, its holidays. What the sun does is worked out once a day.
#[derive(Debug)]
pub struct Hours<'a> {
    site: &'a Site,
    /// Its clock.
    pub clock: HouseClock,
    place: Option<Whereabouts>,
    sun: RefCell<BTreeMap<(Date, SunEvent), Option<Timestamp>>>,
}

impl<'a> Hours<'a> {
    /// Those of a job.
    pub fn of(site: &'a Site) -> Self {
        let place = site.job.latitude.zip(site.job.longitude);
        let place = place.map(|(latitude, longitude)| Whereabouts { latitude, longitude });
        Self { site, clock: site.job.clock(), place, sun: RefCell::default() }
    }

    /// Whether anybody said where the house stands.
    pub const fn has_place(&self) -> bool {
        self.place.is_some()
    }

    /// When the sun does something on a day; nothing where it does not, or nobody said where the house stands.
    pub fn sun(&self, day: Date, event: SunEvent) -> Option<Timestamp> {
        let known = self.sun.borrow().get(&(day, event)).copied();
        known.unwrap_or_else(|| {
            let found = self.place.and_then(|place| sun_event(place, &self.clock, day, event));
            self.sun.borrow_mut().insert((day, event), found);
            found
        })
    }

    /// The instant of a time of a day, to the minute; nothing where it does not come on that day.
    pub fn instant(&self, day: Date, time: DayTime) -> Option<Timestamp> {
        match time {
            DayTime::Clock(minutes) => self.clock.instant(day, minutes),
            DayTime::Sun(event, offset) => {
                let at = self.sun(day, event)?.as_second();
                let minute = Timestamp::from_second(at - at.rem_euclid(60)).ok()?;
                minute.checked_add(SignedDuration::from_mins(offset.into())).ok()
            }
        }
    }

    /// Whether a day is a holiday of the house.
    pub fn is_holiday(&self, day: Date) -> bool {
        let all = &self.site.job.holidays;
        all.contains(&day.to_string()) || all.contains(&day.strftime("%m-%d").to_string())
    }

    /// Whether a day is one of these.
    pub fn is_one_of(&self, day: Date, of: &BTreeSet<Weekday>, holidays: OnHolidays) -> bool {
        let weekday =
            Weekday::ALL[usize::from(day.weekday().to_monday_zero_offset().unsigned_abs())];
        let is = |day: Weekday| of.is_empty() || of.contains(&day);
        match (self.is_holiday(day), holidays) {
            (false, OnHolidays::Only) | (true, OnHolidays::Never) => false,
            (true, OnHolidays::Only) => true,
            (true, OnHolidays::AsSunday) => is(Weekday::Sun),
            _ => is(weekday),
        }
    }
}

/// When a rule of a time runs on a day; nothing on days on which it does not, and for rules of another trigger. What only the
/// house knows (whether it is dark, who is at home) is taken to hold.
pub fn runs_on(hours: &Hours<'_>, rule: &Rule, day: Date) -> Option<Timestamp> {
    let Trigger::Time { at } = &rule.when else { return None };
    let instant = hours.instant(day, *at)?;
    holds_at(hours, rule, day, instant).then_some(instant)
}

/// Whether what must hold for a rule does at an instant, as far as a calendar tells.
pub fn holds_at(hours: &Hours<'_>, rule: &Rule, day: Date, at: Timestamp) -> bool {
    rule.only.iter().all(|condition| match condition {
        Condition::Days { of, holidays } => hours.is_one_of(day, of, *holidays),
        Condition::Between { from, to } => {
            let (shown, _) = hours.clock.shows(at);
            match (hours.instant(shown, *from), hours.instant(shown, *to)) {
                (Some(from), Some(to)) if from <= to => from <= at && at < to,
                (Some(from), Some(to)) => from <= at || at < to,
                _ => false,
            }
        }
        Condition::Darker { .. } | Condition::Is { .. } | Condition::Home { .. } => true,
    })
}

/// What of the sun a rule goes by.
pub fn suns_of(rule: &Rule) -> BTreeSet<SunEvent> {
    let mut times = Vec::new();
    if let Trigger::Time { at } = &rule.when {
        times.push(*at);
    }
    for condition in &rule.only {
        if let Condition::Between { from, to } = condition {
            times.extend([*from, *to]);
        }
    }
    let sun = |time| if let DayTime::Sun(event, _) = time { Some(event) } else { None };
    times.into_iter().filter_map(sun).collect()
}
