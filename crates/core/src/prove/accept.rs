//! Acceptance: what was agreed beforehand, held against what was tested in place. Presses find dead spots,
//! margins certify: both are asked for where both were agreed.

use std::collections::BTreeMap;

use super::calibrate::Proof;
use super::press::{AskedOf, CONDITIONS, in_words, more_until, wilson};
use crate::analysis::Analysis;
use crate::catalogue::Duty;
pub use crate::gate::range_test::{is_agreed, proposed, rule_for};
use crate::gate::work::WorkedDevice;
use crate::network::Band;
use crate::record::{Acceptance, RangeTest, Record, Sent, Stage, Step};
use crate::site::{Device, DeviceId, Site};
use crate::units::{Db, typographic};

/// How a device stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Passed {
    /// Something that was agreed is not met.
    No,
    /// Something was not tested, or not to the end.
    Open,
    /// All that was agreed is met.
    Yes,
}

impl Passed {
    /// Its word.
    pub fn word(self) -> &'static str {
        match self {
            Self::No => "fails",
            Self::Open => "open",
            Self::Yes => "passes",
        }
    }
}

/// A device against what was agreed.
#[derive(Clone, Debug, PartialEq)]
pub struct Judged {
    /// The device.
    pub device: DeviceId,
    /// How it stands.
    pub passed: Passed,
    /// Each thing that was agreed: how it stands, and in words.
    pub points: Vec<(Passed, String)>,
    /// Of all that were sent and count: how many arrived, and how many were sent.
    pub arrived: (u32, u32),
    /// What to do next, where something is open.
    pub next: Option<String>,
}

/// Why tests of a device do not count any longer: each with the entry of the record up to which that holds. The plate that is
/// fitted is none for tests that were made with it on.
pub fn stale(site: &Site, record: &Record, device: &Device) -> Vec<(usize, &'static str)> {
    let mut why = Vec::new();
    why.extend(record.stale_since(&device.id).map(|entry| (entry, "something was changed there")));
    let mut proven = record.milestones.numbered().rev().filter(|(_, m)| m.stage == Stage::Proven);
    if let Some((since, last)) = proven.next() {
        let of_network =
            |id: &DeviceId| site.devices.get(id).is_some_and(|d| d.network == device.network);
        for stood in &last.devices {
            let now = site.devices.get(&stood.device).and_then(|d| site.point_of(d));
            let now = now.and_then(|p| site.place(&p.floor, p.at, p.height_m));
            let kind = site.kind(&stood.kind);
            let is_own = stood.device == device.id;
            let moved = now.is_some_and(|p| p.distance(stood.place()) > 0.1);
            if is_own && moved {
                why.push((since, "it was moved"));
            } else if of_network(&stood.device)
                && moved
                && kind.is_some_and(|k| k.duty == Duty::Hub)
            {
                why.push((since, "the hub was moved"));
            } else if now.is_none()
                && kind.is_some_and(|k| k.forwards)
                && goes_over(last, device, &stood.device)
            {
                why.push((since, "what repeated for it was taken away"));
            }
        }
    }
    let reports = record.node_reports.numbered().filter(|(_, r)| !r.firmware.is_empty());
    let named: Vec<_> = reports.filter(|(_, r)| r.device.as_ref() == Some(&device.id)).collect();
    if let Some((_, last)) = named.last()
        && let Some((before, _)) = named.iter().rev().find(|(_, r)| r.firmware != last.firmware)
    {
        why.push((*before, "its software was renewed"));
    }
    why
}

fn goes_over(last: &crate::record::Milestone, device: &Device, over: &DeviceId) -> bool {
    last.devices.iter().any(|s| s.device == device.id && s.via.contains(over))
}

/// The tests of a device that count: none that something made stale.
pub fn counting<'a>(site: &Site, record: &'a Record, device: &Device) -> Vec<&'a RangeTest> {
    let since = stale(site, record, device).into_iter().map(|(entry, _)| entry).max();
    let closed = record.done(&device.id, Step::Closed).map(|done| done.entry);
    let counts = |(entry, test): &(usize, &RangeTest)| {
        let is_closed = || test.conditions.contains("box-closed");
        since.is_none_or(|since| *entry > since)
            && closed.is_none_or(|closed| *entry > closed || is_closed())
    };
    let of = record.range_tests.numbered().filter(|(_, t)| t.device == device.id);
    of.filter(counts).map(|(_, t)| t).collect()
}

/// Every device that has a radio, hubs left out, against what was agreed.
pub fn judged(analysis: &Analysis, proof: &Proof) -> Vec<Judged> {
    let site = &analysis.site;
    let mut margins: BTreeMap<&DeviceId, Db> = BTreeMap::new();
    for c in proof.comparisons.iter().filter(|c| c.weight > 0.0) {
        let Some((network, hearer)) = analysis.find(&c.to) else { continue };
        let margin = c.measured - network.nodes[hearer].needs;
        // A link counts for the end that hangs on it: the one that the route reaches over it.
        for (own, other) in [(&c.from, &c.to), (&c.to, &c.from)] {
            let Some((network, place)) = analysis.find(own) else { continue };
            let last = network.outcomes[place].hops.last();
            if last.is_some_and(|h| h.from == *other) {
                margins.entry(own).and_modify(|m| *m = m.min(margin)).or_insert(margin);
            }
        }
    }
    let mut all = Vec::new();
    for network in &analysis.networks {
        for (place, node) in network.nodes.iter().enumerate() {
            let Some(device) = site.devices.get(&node.device) else { continue };
            if network.hubs.contains(&place) {
                continue;
            }
            let weak = network.outcomes[place].band < Band::Sound;
            all.push(judge(site, &proof.record, device, margins.get(&node.device).copied(), weak));
        }
    }
    all.sort_by(|a, b| a.passed.cmp(&b.passed).then(a.device.cmp(&b.device)));
    all
}

fn judge(site: &Site, record: &Record, device: &Device, margin: Option<Db>, weak: bool) -> Judged {
    let rule = rule_for(site, record, device);
    let tests = counting(site, record, device);
    let sum = |of: fn(&RangeTest) -> u32| tests.iter().map(|t| of(t)).sum::<u32>();
    let (arrived, count) = (sum(|t| t.arrived), sum(|t| t.count));
    let mut points = vec![rate(&rule, arrived, count)];
    if let Some(least) = rule.margin_db {
        points.push(match margin {
            None => (Passed::Open, "its margin was not measured: take a reading".to_owned()),
            Some(is) if is >= least => {
                (Passed::Yes, format!("margin {is} measured, {least} agreed"))
            }
            Some(is) => (Passed::No, format!("margin {is} measured, {least} agreed")),
        });
    }
    points.extend(rule.delay_ms.and_then(|most| delay(&rule, most, &tests)));
    // A condition holds for what was sent under it.
    let under = |word: &str| -> (u32, u32) {
        let of = tests.iter().filter(|t| t.conditions.contains(word));
        of.fold((0, 0), |(arrived, count), t| (arrived + t.arrived, count + t.count))
    };
    let is_remote = site.kind(&device.kind).is_some_and(|k| k.duty == Duty::Remote);
    let has_plate = WorkedDevice::of(site, &device.id).is_some_and(|s| s.takes(Step::Closed));
    for (word, what, of) in CONDITIONS {
        let is_asked = of != AskedOf::Nobody && of.is_of(is_remote, has_plate);
        if !is_asked || count == 0 {
            continue;
        }
        points.extend(match under(word) {
            (_, 0) => Some((Passed::Open, format!("not tested so far: {what}"))),
            (_, sent) if sent < rule.count => {
                Some((Passed::Open, format!("{sent} of {} so far: {what}", rule.count)))
            }
            (arrived, sent) if f64::from(arrived) / f64::from(sent) < rule.rate => {
                Some((Passed::No, format!("{arrived} of {sent} arrived: {what}")))
            }
            _ => None,
        });
    }
    let newest = tests.iter().map(|t| &*t.at).max();
    let learned = site.calibration.as_ref().map_or("", |c| c.at.as_str());
    if weak && newest.is_some_and(|at| learned > at) {
        let again = "test again: readings since then found its way weaker than its target";
        points.push((Passed::Open, again.to_owned()));
    }
    let bare = |t: &RangeTest| t.device == device.id && !t.conditions.contains("box-closed");
    let closed = record.done(&device.id, Step::Closed);
    let plate = closed.filter(|closed| {
        record.range_tests.numbered().any(|(entry, t)| bare(t) && entry < closed.entry)
    });
    let plate = plate.map(|_| "the plate was fitted after it");
    for why in stale(site, record, device).into_iter().map(|(_, why)| why).chain(plate) {
        if record.range_tests.iter().any(|t| t.device == device.id) && count == 0 {
            points.push((Passed::Open, format!("test again: {why}")));
        }
    }
    let passed = points.iter().map(|p| p.0).min().unwrap_or(Passed::Open);
    let next = points.iter().find(|p| p.0 == Passed::Open).map(|p| p.1.clone());
    Judged { device: device.id.clone(), passed, points, arrived: (arrived, count), next }
}

/// The slowest of what was timed against what was agreed. A hand on a timer adds what it takes to react, some 300 ms at the
/// most (*planning value*): what fails by less than that is to be timed again, and fails until then.
fn delay(rule: &Acceptance, most: f64, tests: &[&RangeTest]) -> Option<(Passed, String)> {
    const HAND_MS: f64 = 300.0;
    let ms = |v: f64| typographic(v, 0);
    let timed = tests.iter().filter_map(|t| Some((t.delay_ms?, t.sent)));
    let Some((is, sent)) = timed.max_by(|a, b| a.0.total_cmp(&b.0)) else {
        // What is only proposed is asked for once somebody agrees on it.
        return (is_agreed(rule) && !tests.is_empty()).then(|| {
            (Passed::Open, format!("not timed so far; {} ms at the slowest agreed", ms(most)))
        });
    };
    let told = format!("{} ms at the slowest, {} ms agreed", ms(is), ms(most));
    if is <= most {
        return Some((Passed::Yes, told));
    }
    let by_hand = sent == Sent::Presses && is - HAND_MS <= most;
    let again = if by_hand { "; a hand adds up to 300 ms: time it again, or ping it" } else { "" };
    Some((Passed::No, format!("{told}{again}")))
}

fn rate(rule: &Acceptance, arrived: u32, count: u32) -> (Passed, String) {
    let percent = |share: f64| format!("{:.0} %", share * 100.0);
    if count < rule.count {
        let more = rule.count - count;
        let done = if count == 0 { "not tested".to_owned() } else { in_words(arrived, count) };
        return (Passed::Open, format!("{done}; {more} more are asked for"));
    }
    let share = f64::from(arrived) / f64::from(count);
    let told = in_words(arrived, count);
    if share < rule.rate {
        let (_, high) = wilson(arrived, count);
        let surely = if high < rule.rate { ", and that is no chance" } else { "" };
        return (Passed::No, format!("{told}; {} agreed{surely}", percent(rule.rate)));
    }
    let more = match more_until(arrived, count, rule.rate) {
        Some(0) => "proven".to_owned(),
        Some(more) => format!("{more} more without a miss would prove {}", percent(rule.rate)),
        None => "no number of presses proves all".to_owned(),
    };
    (Passed::Yes, format!("{told}; {more}"))
}

/// What the tests of a device show so far, and how many more would settle it: two sentences.
pub fn so_far(site: &Site, record: &Record, device: &Device) -> (String, String) {
    let (rule, tests) = (rule_for(site, record, device), counting(site, record, device));
    let (arrived, count) = tests.iter().fold((0, 0), |(a, n), t| (a + t.arrived, n + t.count));
    let shown = match count {
        0 => "Not tested yet.".to_owned(),
        _ => format!("{}.", in_words(arrived, count)),
    };
    let percent = rule.rate * 100.0;
    let proves = match more_until(arrived, count, rule.rate) {
        Some(0) => format!("That {percent:.0} % arrive is proven."),
        Some(more) => format!("{more} more without a miss would prove {percent:.0} %."),
        None => String::new(),
    };
    let asked = match rule.count.saturating_sub(count) {
        0 => String::new(),
        more => format!(" {more} more are asked for."),
    };
    (shown, format!("{proves}{asked}"))
}

/// How many pass, fail, and are open.
pub fn counts(judged: &[Judged]) -> [usize; 3] {
    let of = |passed| judged.iter().filter(|j| j.passed == passed).count();
    [of(Passed::Yes), of(Passed::No), of(Passed::Open)]
}
