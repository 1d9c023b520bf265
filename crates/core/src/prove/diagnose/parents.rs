//! Planned and actual parents and routes, entries without a device and devices without an entry, what does
//! not answer.

use super::{Diagnosis, Mechanism, causes, name};
use crate::analysis::Analysis;
use crate::moment::Moment;
use crate::network::Outcome;
use crate::prove::accept::counting;
use crate::prove::calibrate::Proof;
use crate::record::{JoinedAt, KnownBy, NodeReport, Record, Sent};
use crate::site::{DeviceId, Site};
use crate::units::Db;

/// How a device is really reached.
#[derive(Clone, Debug, PartialEq)]
pub struct Actual {
    /// Over whom it goes, from the hub on.
    pub via: Vec<DeviceId>,
    /// By what that is known.
    pub known: KnownBy,
    /// When that was told.
    pub at: Moment,
    /// Whether it is the route that worked last.
    pub last_working: bool,
}

/// A device as planned and as it is.
#[derive(Clone, Debug, PartialEq)]
pub struct ParentRow {
    /// The device.
    pub device: DeviceId,
    /// Over whom the plan takes it, from the hub on; nothing where it does not reach it.
    pub planned: Option<Vec<DeviceId>>,
    /// The weakest margin of the planned route.
    pub planned_margin: Option<Db>,
    /// How it really goes; nothing while nobody told.
    pub actual: Option<Actual>,
    /// The weakest margin of that, by all that was learned.
    pub actual_margin: Option<Db>,
    /// Whether its parent is another one.
    pub differs: bool,
}

/// Every device as planned and as it is, those that differ first.
pub fn rows(analysis: &Analysis, proof: &Proof) -> Vec<ParentRow> {
    let site = &analysis.site;
    let mut all = Vec::new();
    for network in &analysis.networks {
        for (place, outcome) in network.outcomes.iter().enumerate() {
            if network.hubs.contains(&place) {
                continue;
            }
            let planned = (!outcome.hops.is_empty()).then(|| via(outcome));
            let actual = actual(site, &proof.record, &outcome.device);
            let actual_margin = actual.as_ref().and_then(|a| {
                let hub = &network.nodes[*network.hubs.first()?].device;
                margin_over(analysis, proof, hub, &a.via, &outcome.device)
            });
            let planned_margin = outcome.weakest().map(crate::network::outcome::Hop::margin);
            let parent = |via: &Vec<DeviceId>| via.last().cloned();
            let differs = match (&planned, &actual) {
                (Some(planned), Some(actual)) => parent(planned) != parent(&actual.via),
                _ => false,
            };
            let device = outcome.device.clone();
            all.push(ParentRow { device, planned, planned_margin, actual, actual_margin, differs });
        }
    }
    all.sort_by_key(|r| (!r.differs, r.actual.is_none()));
    all
}

/// Over whom the plan takes a device, from the hub on.
pub(in crate::prove) fn via(outcome: &Outcome) -> Vec<DeviceId> {
    outcome.hops.iter().skip(1).map(|h| h.from.clone()).collect()
}

/// How a device is really reached; nothing while nobody told.
pub(in crate::prove) fn actual(site: &Site, record: &Record, device: &DeviceId) -> Option<Actual> {
    let told = record.node_reports.numbered().filter(|(_, r)| r.device.as_ref() == Some(device));
    let told = told.filter(|(place, _)| record.is_of_this_unit(device, *place));
    let told = told.filter_map(|(_, r)| Some((r, r.via.clone()?)));
    let last = told.max_by(|a, b| (&a.0.at, !a.0.last_working).cmp(&(&b.0.at, !b.0.last_working)));
    if let Some((report, via)) = last {
        let (at, last_working) = (report.at.clone(), report.last_working);
        return Some(Actual { via, known: KnownBy::Hub, at, last_working });
    }
    // What it took when it was joined is known where the hub told.
    let last = record.joined(device)?;
    let parent = last.parent.clone()?;
    let hub = site.devices.get(&parent).and_then(|d| site.kind(&d.kind)).map(|k| k.duty);
    let via = if hub == Some(crate::catalogue::Duty::Hub) { Vec::new() } else { vec![parent] };
    let known = KnownBy::Joining;
    Some(Actual { via, known, at: last.at.clone(), last_working: false })
}

/// The weakest margin over a chain of devices, by all that was learned.
fn margin_over(
    analysis: &Analysis,
    proof: &Proof,
    hub: &DeviceId,
    via: &[DeviceId],
    device: &DeviceId,
) -> Option<Db> {
    let chain: Vec<&DeviceId> = std::iter::once(hub).chain(via).chain([device]).collect();
    let mut weakest: Option<Db> = None;
    for hop in chain.windows(2) {
        let margin = margin(analysis, proof, hop[0], hop[1])?;
        weakest = Some(weakest.map_or(margin, |w| w.min(margin)));
    }
    weakest
}

/// The margin of a link in the worse direction, by all that was learned.
pub(super) fn margin(analysis: &Analysis, proof: &Proof, a: &DeviceId, b: &DeviceId) -> Option<Db> {
    let (network, i) = analysis.find(a)?;
    let j = network.place_of(b)?;
    let (out, _) = proof.proven.expected(a, b)?;
    let (back, _) = proof.proven.expected(b, a)?;
    Some((out - network.nodes[j].needs).min(back - network.nodes[i].needs))
}

/// What differs in parents, entries and answers.
pub(super) fn surprises(analysis: &Analysis, proof: &Proof) -> Vec<Diagnosis> {
    let mut all = Vec::new();
    for row in rows(analysis, proof).into_iter().filter(|r| r.differs) {
        all.extend(other_parent(analysis, proof, &row));
    }
    all.extend(entries(&analysis.site, &proof.record));
    all.extend(silent(analysis, &proof.record));
    all
}

fn other_parent(analysis: &Analysis, proof: &Proof, row: &ParentRow) -> Option<Diagnosis> {
    let (site, record) = (&analysis.site, &proof.record);
    let (network, place) = analysis.find(&row.device)?;
    let hub = network.nodes[*network.hubs.first()?].device.clone();
    let (planned, actual) = (row.planned.as_ref()?, row.actual.as_ref()?);
    let (was, is) = (planned.last().unwrap_or(&hub), actual.via.last().unwrap_or(&hub));
    let to_planned = margin(analysis, proof, was, &row.device)?;
    let to_actual = margin(analysis, proof, is, &row.device)?;
    let drawn = network.outcomes[place].hops.last().map(crate::network::outcome::Hop::margin);
    let worse = (to_planned - to_actual).get();
    let last = record.joined(&row.device);
    let elsewhere = last.is_some_and(|j| j.joined == JoinedAt::Elsewhere);
    let silent = is_silent(record, was);
    let names = [name(site, is), name(site, was)];
    // Each by what speaks for it, in natural logarithms; *planning values*.
    let weights = vec![
        (
            Mechanism::JoinedElsewhere(names[0].clone()),
            if elsewhere { 3.0 } else { 0.0 } + (worse / 4.0).clamp(-3.0, 3.0),
        ),
        (Mechanism::AsGood(names[0].clone()), 1.0 - (worse.max(0.0) / 3.0)),
        (
            Mechanism::ParentMissing(names[1].clone()),
            if silent { 3.5 } else { -0.5 } + (worse / 8.0).clamp(-1.0, 1.0),
        ),
        (
            Mechanism::Weaker(names[1].clone()),
            drawn.map_or(-2.0, |d| ((d - to_planned).get() / 4.0).clamp(-3.0, 3.0) - 0.5),
        ),
    ];
    let what = format!(
        "{} goes over {} ({to_actual} margin), planned over {} ({to_planned})",
        name(site, &row.device),
        names[0],
        names[1]
    );
    let off = Some(Db::new(-worse.max(1.0)));
    Some(Diagnosis { device: Some(row.device.clone()), what, off, causes: causes(weights) })
}

fn is_silent(record: &Record, device: &DeviceId) -> bool {
    let of = record.node_reports.iter().filter(|r| r.device.as_ref() == Some(device));
    let last = of.filter(|r| r.answers.is_some()).max_by(|a, b| a.at.cmp(&b.at));
    last.is_some_and(|r| r.answers == Some(false))
}

/// Entries of a hub's newest list that belong to no device, and devices that are in no list.
fn entries(site: &Site, record: &Record) -> Vec<Diagnosis> {
    let mut all = Vec::new();
    for network in &site.networks {
        let of = || record.node_reports.iter().filter(|r| r.network == network.id);
        // What was told on the newest day is one list.
        let Some(day) = of().filter_map(|r| r.at.get(..10)).max() else { continue };
        let newest: Vec<&NodeReport> = of().filter(|r| r.at.starts_with(day)).collect();
        for report in newest.iter().filter(|r| r.device.is_none()) {
            let number = report.node.map_or_else(|| "an entry".to_owned(), |n| format!("node {n}"));
            let ghost = if report.answers == Some(true) { -3.0 } else { 2.0 };
            let weights = vec![(Mechanism::Ghost, ghost), (Mechanism::NotJoined, -ghost / 2.0)];
            let what = format!("{}: {number} belongs to no device of the plan", network.name);
            all.push(Diagnosis { device: None, what, off: None, causes: causes(weights) });
        }
        let is_listed = |id: &DeviceId| newest.iter().any(|r| r.device.as_ref() == Some(id));
        let hub = |id: &DeviceId| {
            let kind = site.devices.get(id).and_then(|d| site.kind(&d.kind));
            kind.is_none_or(|k| k.duty == crate::catalogue::Duty::Hub || !k.has_radio)
        };
        // One table of a few nodes is no list of all.
        let own = site.devices.iter().filter(|d| d.network == network.id && !hub(&d.id));
        let members: Vec<_> = own.collect();
        let missing: Vec<_> = members.iter().filter(|d| !is_listed(&d.id)).collect();
        if missing.len() * 2 > members.len() {
            continue;
        }
        for device in missing {
            let weights =
                vec![(Mechanism::NotJoined, 1.5), (Mechanism::Dead, 0.0), (Mechanism::Cut, 0.0)];
            let what =
                format!("{} is in the house, but not in the list of {}", device.name, network.name);
            let device = Some(device.id.clone());
            all.push(Diagnosis { device, what, off: None, causes: causes(weights) });
        }
    }
    all
}

/// What does not answer, or answers too rarely.
fn silent(analysis: &Analysis, record: &Record) -> Vec<Diagnosis> {
    let site = &analysis.site;
    let mut all = Vec::new();
    for device in &site.devices {
        let Some((network, place)) = analysis.find(&device.id) else { continue };
        let tests = counting(site, record, device);
        let of = |sent: Sent| {
            let own = tests.iter().filter(|t| t.sent == sent);
            own.fold((0, 0), |(a, n), t| (a + t.arrived, n + t.count))
        };
        let (pressed, pinged) = (of(Sent::Presses), of(Sent::Pings));
        let dead = is_silent(record, &device.id) || pinged.1 >= 3 && pinged.0 == 0;
        let stuck = pressed.1 >= 3 && pressed.0 == 0;
        let outcome = &network.outcomes[place];
        let parent = outcome.hops.last().map(|h| h.from.clone());
        let parent_silent = parent.as_ref().filter(|p| is_silent(record, p));
        let cut = site.kind(&device.kind).is_some_and(|k| k.easily_cut);
        if dead || stuck {
            let mut weights = vec![
                (Mechanism::Cut, if cut { 1.5 } else { 0.0 }),
                (Mechanism::Dead, 0.0),
                (Mechanism::Painted, if stuck && !dead { 3.0 } else { -2.0 }),
                (Mechanism::HubMoved, -1.5),
            ];
            weights.extend(parent_silent.map(|p| (Mechanism::ParentDead(name(site, p)), 2.5)));
            let told = if dead { "does not answer" } else { "does not hear its presses" };
            let what = format!("{} {told}", device.name);
            let device = Some(device.id.clone());
            all.push(Diagnosis { device, what, off: None, causes: causes(weights) });
            continue;
        }
        let (arrived, count) = (pressed.0 + pinged.0, pressed.1 + pinged.1);
        let spare = outcome.weakest().map(|h| h.margin() - h.target);
        if count >= 5 && f64::from(arrived) < 0.9 * f64::from(count) {
            let plenty = spare.is_some_and(|s| s >= Db::ZERO);
            let over = |w: f64| if plenty { w } else { -w };
            let weights = vec![
                (Mechanism::OnTheAir, over(1.5)),
                (Mechanism::Weaker(parent.map(|p| name(site, &p)).unwrap_or_default()), over(-1.0)),
                (Mechanism::Painted, -1.0),
            ];
            let what = format!("{}: only {arrived} of {count} arrived", device.name);
            let device = Some(device.id.clone());
            all.push(Diagnosis { device, what, off: None, causes: causes(weights) });
        }
    }
    all
}
