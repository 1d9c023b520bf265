//! How long things take: unit times, which a job's own marks correct, and sums of them with a range.

use std::ops::{Add, AddAssign};

use crate::bill;
use crate::gate::work::WorkedDevice;
use crate::record::{Record, Step};
use crate::site::{DeviceId, PointKind, Site};

/// How far a unit time scatters, as a share of itself, until marks say more; *planning value*.
const SCATTER: f64 = 0.35;
/// How far all of a day is slower or faster than planned, as a share; *planning value*.
const COMMON: f64 = 0.1;
/// How many done ones weigh as much as the planned time.
const PRIOR: f64 = 3.0;
/// A longer gap between two marks is a break, not work, in minutes.
const BREAK: f64 = 120.0;

/// A time in minutes, with the variance of what it is summed from.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Minutes {
    /// What is likely.
    pub likely: f64,
    variance: f64,
}

impl Minutes {
    /// A unit time that scatters.
    pub fn of(likely: f64) -> Self {
        Self { likely, variance: (SCATTER * likely).powi(2) }
    }

    /// Nine days in ten lie within, in minutes: the parts' own scatter, and the day's in common.
    pub fn range(self) -> (f64, f64) {
        let deviation = (self.variance + (COMMON * self.likely).powi(2)).sqrt();
        let ninety = 1.645 * deviation;
        ((self.likely - ninety).max(0.0), self.likely + ninety)
    }
}

impl Add for Minutes {
    type Output = Self;
    fn add(self, other: Self) -> Self {
        Self { likely: self.likely + other.likely, variance: self.variance + other.variance }
    }
}

impl AddAssign for Minutes {
    fn add_assign(&mut self, other: Self) {
        *self = *self + other;
    }
}

impl std::iter::Sum for Minutes {
    fn sum<I: Iterator<Item = Self>>(all: I) -> Self {
        all.fold(Self::default(), Add::add)
    }
}

/// A unit time of a job: its row, corrected by what was done.
#[derive(Clone, Debug, PartialEq)]
pub struct Unit {
    /// The id of its row.
    pub row: &'static str,
    /// What the row says, in minutes.
    pub planned: f64,
    /// How many were done and timed.
    pub done: usize,
    /// What to reckon with.
    pub time: Minutes,
}

/// Unit times that marks can correct: the row, and from which step to which it is timed.
const TIMED: [(&str, Step, Step); 4] = [
    ("minutes-dead", Step::Dead, Step::Noted),
    ("minutes-box", Step::Noted, Step::DryFitted),
    ("minutes-join", Step::Powered, Step::Tested),
    ("minutes-close", Step::Tested, Step::Closed),
];

/// Unit times of a job.
#[derive(Debug)]
pub struct Clock<'a> {
    site: &'a Site,
    record: &'a Record,
    timed: Vec<Unit>,
}

impl<'a> Clock<'a> {
    /// Those of a job, corrected by what its record says.
    pub fn of(site: &'a Site, record: &'a Record) -> Self {
        let timed = TIMED.map(|(row, from, to)| {
            let planned = site.rate(row);
            let spent = |d: &DeviceId| spent(record, d, from, to);
            let done: Vec<f64> = site.devices.iter().filter_map(|d| spent(&d.id)).collect();
            learned(row, planned, &done)
        });
        Self { site, record, timed: timed.into() }
    }

    /// Those of a job as they are planned: what is packed by them is packed alike however far the work is.
    pub fn planned(site: &'a Site, record: &'a Record) -> Self {
        Self { site, record, timed: Vec::new() }
    }

    /// The unit times that marks correct.
    pub fn units(&self) -> &[Unit] {
        &self.timed
    }

    /// A unit time.
    pub fn time(&self, row: &str) -> Minutes {
        let known = self.timed.iter().find(|u| u.row == row);
        known.map_or_else(|| Minutes::of(self.site.rate(row)), |u| u.time)
    }

    /// How long a device's box is worked on while its circuit is off.
    pub fn dead(&self, spot: &WorkedDevice<'_>) -> Minutes {
        let at_fitting = matches!(spot.point.kind, PointKind::Ceiling | PointKind::WallFitting);
        let row = if at_fitting { "minutes-fitting" } else { "minutes-box" };
        self.time("minutes-dead") + self.time(row)
    }

    /// What of that is left: nothing once it is fitted or put back.
    pub fn dead_left(&self, spot: &WorkedDevice<'_>) -> Minutes {
        let is_safe = [Step::DryFitted, Step::PutBack].into_iter().any(|s| self.is_done(spot, s));
        if is_safe { Minutes::default() } else { self.dead(spot) }
    }

    /// How long a device takes with the power on: test, joining, closing.
    pub fn live(&self, spot: &WorkedDevice<'_>) -> Minutes {
        rows(spot).map(|(row, _)| self.time(row)).sum::<Minutes>() + self.making(spot)
    }

    /// What of that is left by what is on record.
    pub fn live_left(&self, spot: &WorkedDevice<'_>) -> Minutes {
        let left = rows(spot).filter(|(_, ends)| !self.is_done(spot, *ends));
        let making =
            if self.is_done(spot, Step::Dead) { Minutes::default() } else { self.making(spot) };
        left.map(|(row, _)| self.time(row)).sum::<Minutes>() + making
    }

    fn is_done(&self, spot: &WorkedDevice<'_>, step: Step) -> bool {
        self.record.done(&spot.device.id, step).is_some()
    }

    /// How long its box and the way of its cable take where they are not there yet.
    fn making(&self, spot: &WorkedDevice<'_>) -> Minutes {
        let new = bill::first_in_new_box(self.site, spot.device, spot.point);
        Minutes::of(new.map_or(0.0, |new| bill::minutes_to_make(self.site, new)))
    }
}

/// The unit times of a device with the power on, each with the step that ends it.
fn rows(spot: &WorkedDevice<'_>) -> impl Iterator<Item = (&'static str, Step)> + use<> {
    let is_on_mains = spot.kind.is_on_mains();
    let rows = [
        (spot.takes(Step::Bench), "minutes-fitting", Step::Bench),
        (spot.takes(Step::Placed) && is_on_mains, "minutes-plug", Step::Placed),
        (spot.takes(Step::Placed) && !is_on_mains, "minutes-battery", Step::Placed),
        (spot.takes(Step::Phone), "minutes-hub", Step::Clock),
        (spot.opens_box(), "minutes-power", Step::Powered),
        (spot.takes(Step::Joined), "minutes-join", Step::Tested),
        (spot.opens_box(), "minutes-close", Step::Closed),
    ];
    rows.into_iter().filter(|(is, ..)| *is).map(|(_, row, ends)| (row, ends))
}

/// Planned time and done ones together: the planned weighs as three.
#[expect(clippy::cast_precision_loss, reason = "some thousand devices")]
fn learned(row: &'static str, planned: f64, done: &[f64]) -> Unit {
    let n = done.len() as f64;
    let likely = (PRIOR * planned + done.iter().sum::<f64>()) / (PRIOR + n);
    let squares: f64 = done.iter().map(|m| (m - likely).powi(2)).sum();
    let variance = (PRIOR * (SCATTER * planned).powi(2) + squares) / (PRIOR + n);
    Unit { row, planned, done: done.len(), time: Minutes { likely, variance } }
}

/// Minutes between two steps of a device, by one person and without a break.
fn spent(record: &Record, device: &DeviceId, from: Step, to: Step) -> Option<f64> {
    let (from, to) = (record.done(device, from)?, record.done(device, to)?);
    if from.by != to.by {
        return None;
    }
    let minutes = minute(&to.at)? - minute(&from.at)?;
    (0.5..=BREAK).contains(&minutes).then_some(minutes)
}

/// Minutes since 1970 of a moment such as `2026-03-14T10:05:00Z`; its zone is left out, both ends of a
/// difference have the same.
pub fn minute(at: &str) -> Option<f64> {
    let number = |from: usize, to: usize| at.get(from..to)?.parse::<u32>().ok();
    let (year, month, day) = (number(0, 4)?, number(5, 7)?, number(8, 10)?);
    let (hour, min) = (number(11, 13)?, number(14, 16)?);
    let second = number(17, 19).unwrap_or(0);
    if !(1..=12).contains(&month) || !(1..=31).contains(&day) || year < 1970 {
        return None;
    }
    // Days of the civil calendar, counted from a March on, so that leap days stand at an end.
    let (y, m) = if month > 2 { (year, month - 3) } else { (year - 1, month + 9) };
    let days = 365 * y + y / 4 - y / 100 + y / 400 + (153 * m + 2) / 5 + day - 1;
    let since = f64::from(days) - 719_468.0;
    Some(since * 1440.0 + f64::from(hour * 60 + min) + f64::from(second) / 60.0)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn moments_lie_as_far_apart_as_the_calendar_says() {
        assert_eq!(minute("1970-01-01T00:00:00Z"), Some(0.0));
        let apart = |a, b| minute(b).zip(minute(a)).map(|(b, a)| b - a);
        assert_eq!(apart("2028-02-28T23:30:00Z", "2028-03-01T00:30:00Z"), Some(1500.0));
        assert_eq!(apart("2026-02-28T23:30:00Z", "2026-03-01T00:30:00Z"), Some(60.0));
        assert_eq!(minute("yesterday"), None);
    }

    #[test]
    fn what_was_done_outweighs_the_plan_as_it_grows() {
        let by = |n: usize| learned("minutes-box", 25.0, &vec![40.0; n]).time.likely;
        assert!((by(0) - 25.0).abs() < 1e-9 && (by(3) - 32.5).abs() < 1e-9);
        assert!(by(30) > 38.0);
    }
}
