//! Drift: readings after the house was proven, against what was read then.

use std::collections::{BTreeMap, BTreeSet};

use super::stages::newest;
use crate::install::clock::minute;
use crate::moment::Moment;
use crate::record::{Reading, Record, Stage};
use crate::site::{DeviceId, Site};
use crate::units::Db;

/// A link that is read again and again.
#[derive(Clone, Debug, PartialEq)]
pub struct Trend {
    /// The sender.
    pub from: DeviceId,
    /// The hearer.
    pub to: DeviceId,
    /// How often it was read since.
    pub readings: usize,
    /// The last level against the mean when it was proven.
    pub change: Db,
    /// The deviation of that.
    pub sigma: Db,
    /// By how much it changes in a year, over the readings since; nothing with fewer than three.
    pub a_year: Option<Db>,
    /// Whether that is more than chance.
    pub is_alarm: bool,
}

/// What probably changed.
#[derive(Clone, Debug, PartialEq)]
pub enum Changed {
    /// All links of one device: something at it.
    AtDevice(DeviceId, Db),
    /// One link alone: something between.
    Between(DeviceId, DeviceId, Db),
    /// Nearly all: the hub, or what its receivers tell.
    Everything(Db),
}

/// What a single reading may be off by from one day to another, in decibels; *planning value*.
const DAY: f64 = 2.0;
const MINUTES_A_DAY: f64 = 1440.0;
/// A change below this is none, in decibels.
const WORTH: f64 = 4.0;

/// When the house is read again, as was agreed: so many months after it was proven, or read last since. Nothing before it
/// was proven, and where nobody agreed on it.
pub fn next_check(site: &Site, record: &Record) -> Option<Moment> {
    let months = site.job.check_months?;
    let proven = newest(record, Stage::Proven)?;
    let read = record.readings.iter().map(|r| &r.at).filter(|at| **at > proven.at).max();
    Some(read.unwrap_or(&proven.at).years_on(months / 12.0))
}

/// The links that were read when the house was proven and since, what changed most first. Nothing before
/// it was proven.
pub fn trends(record: &Record) -> Vec<Trend> {
    let Some(proven) = newest(record, Stage::Proven) else { return Vec::new() };
    let mut links: BTreeMap<(&DeviceId, &DeviceId), [Vec<&Reading>; 2]> = BTreeMap::new();
    for reading in record.readings.iter().filter(|r| r.rssi_dbm.is_some()) {
        let since = usize::from(reading.at > proven.at);
        links.entry((&reading.from, &reading.to)).or_default()[since].push(reading);
    }
    let level = |r: &&Reading| r.rssi_dbm.map_or(0.0, super::super::units::Dbm::get);
    let mut all = Vec::new();
    for ((from, to), [then, mut since]) in links {
        since.sort_by(|a, b| a.at.cmp(&b.at));
        let (Some(last), false) = (since.last(), then.is_empty()) else { continue };
        #[expect(clippy::cast_precision_loss, reason = "a count of readings")]
        let (count, n) = (then.len() as f64, since.len() as f64);
        let change = level(last) - then.iter().map(level).sum::<f64>() / count;
        let sigma = DAY * (1.0 / count + 1.0f64).sqrt();
        let a_year = (since.len() > 2).then(|| {
            let at: Vec<f64> =
                since.iter().map(|r| minute(&r.at).map_or(0.0, |m| m / MINUTES_A_DAY)).collect();
            let (x, y) = (at.iter().sum::<f64>() / n, since.iter().map(level).sum::<f64>() / n);
            let sxx: f64 = at.iter().map(|d| (d - x).powi(2)).sum();
            let sxy: f64 = at.iter().zip(&since).map(|(d, r)| (d - x) * (level(r) - y)).sum();
            Db::new(if sxx > 0.0 { 365.25 * sxy / sxx } else { 0.0 })
        });
        let is_alarm = change.abs() > WORTH.max(2.0 * sigma);
        let (change, sigma) = (Db::new(change), Db::new(sigma));
        let (from, to) = (from.clone(), to.clone());
        all.push(Trend { from, to, readings: since.len(), change, sigma, a_year, is_alarm });
    }
    all.sort_by(|a, b| a.change.total_cmp(&b.change));
    all
}

/// What probably changed, by what the alarms have in common.
pub fn changed(trends: &[Trend]) -> Vec<Changed> {
    let alarms: Vec<&Trend> = trends.iter().filter(|t| t.is_alarm).collect();
    let mean = |of: &[&Trend]| {
        #[expect(clippy::cast_precision_loss, reason = "a count of links")]
        let n = of.len().max(1) as f64;
        Db::new(of.iter().map(|t| t.change.get()).sum::<f64>() / n)
    };
    if trends.len() >= 4 && alarms.len() * 4 >= trends.len() * 3 {
        return vec![Changed::Everything(mean(&alarms))];
    }
    let ends: BTreeSet<&DeviceId> = alarms.iter().flat_map(|t| [&t.from, &t.to]).collect();
    let (mut found, mut told) = (Vec::new(), BTreeSet::new());
    let at = |d: &DeviceId, of: &Trend| of.from == *d || of.to == *d;
    let mut by_share: Vec<(&DeviceId, usize, usize)> = ends
        .into_iter()
        .map(|d| {
            let count = |all: &mut dyn Iterator<Item = &Trend>| all.filter(|t| at(d, t)).count();
            (d, count(&mut alarms.iter().copied()), count(&mut trends.iter()))
        })
        .filter(|(_, alarms, all)| *alarms >= 2 && alarms * 3 >= all * 2)
        .collect();
    by_share.sort_by_key(|(_, alarms, all)| (std::cmp::Reverse(*alarms), *all));
    for (device, ..) in by_share {
        let own: Vec<&Trend> = alarms
            .iter()
            .filter(|t| at(device, t) && !told.contains(&(&t.from, &t.to)))
            .copied()
            .collect();
        if own.len() >= 2 {
            found.push(Changed::AtDevice(device.clone(), mean(&own)));
            told.extend(own.iter().map(|t| (&t.from, &t.to)));
        }
    }
    let single = alarms.iter().filter(|t| !told.contains(&(&t.from, &t.to)));
    found.extend(single.map(|t| Changed::Between(t.from.clone(), t.to.clone(), t.change)));
    found
}
