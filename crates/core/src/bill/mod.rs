//! The bill: what is bought, what the work takes, what it costs a load, and what bundling the visits
//! saves. Prices and times are rows that a firm and a job overrule.

pub mod kits;
mod parts;
pub mod regroup;

use std::collections::{BTreeMap, BTreeSet};

use self::parts::new_boxes;
use self::parts::small_parts;
pub use self::parts::{connector, first_in_new_box, joints, minutes_to_make, staying};
use crate::catalogue::{DeviceKind, Duty, Far, Supply};
use crate::fit::{self, Fits};
use crate::site::{Device, DeviceId, Load, Network, NetworkId, Point, PointId, PointKind, Site};
use crate::survey::previsit::{self, PrevisitLook};
use crate::trial::first_purchase;
use crate::wires::{is_rewired, takes_over_switch};

/// A line of the bill.
#[derive(Clone, Debug, PartialEq)]
pub struct BillLine {
    /// What is bought or done.
    pub what: String,
    /// What kind of thing it is.
    pub part: LineKind,
    /// How many, or how many hours.
    pub count: f64,
    /// What one costs; nothing where nobody knows.
    pub each: Option<f64>,
    /// Where it goes, by tag or name.
    pub at: Vec<String>,
}

impl BillLine {
    /// What all of them cost.
    pub fn cost(&self) -> Option<f64> {
        self.each.map(|each| each * self.count)
    }
}

/// What kind of thing a line is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[expect(missing_docs, reason = "each is what it is called")]
pub enum LineKind {
    Devices,
    Plates,
    Small,
    Labour,
}

impl LineKind {
    /// Its heading.
    pub fn name(self) -> &'static str {
        match self {
            Self::Devices => "Devices",
            Self::Plates => "Plates",
            Self::Small => "Small parts",
            Self::Labour => "Work",
        }
    }
}

/// What a network costs, its hub with it, for each load that it works.
#[derive(Clone, Debug, PartialEq)]
pub struct Share {
    /// The network.
    pub network: NetworkId,
    /// Its name.
    pub name: String,
    /// What its devices cost.
    pub cost: f64,
    /// How many loads it works.
    pub loads: usize,
}

/// The bill of a job.
#[derive(Clone, Debug, PartialEq)]
pub struct Bill {
    /// Its lines, part by part.
    pub lines: Vec<BillLine>,
    /// What is known of the cost.
    pub total: f64,
    /// How many lines have no price.
    pub without_price: usize,
    /// How many loads are worked.
    pub loads: usize,
    /// Each network with its loads.
    pub shares: Vec<Share>,
    /// How long the wiring takes, in hours.
    pub wiring_hours: f64,
    /// Visits with all of it bundled, and circuit by circuit.
    pub visits: (usize, usize),
    /// What bundling saves in call-outs.
    pub saved: f64,
    /// Devices that do not fit, and those of which that is not known: the bill is not settled.
    pub open: (usize, usize),
    /// Boxes whose conductors are not listed: connectors for them are the most that is usual.
    pub not_listed: Vec<String>,
    /// What the budget leaves; nothing where none was said.
    pub left: Option<f64>,
}

/// What a circuit takes in a year, of loads whose watts and hours are known.
#[derive(Clone, Debug, PartialEq)]
pub struct Energy {
    /// The breaker as printed.
    pub circuit: String,
    /// In a year, in kilowatt-hours.
    pub kwh: f64,
    /// What that costs.
    pub cost: f64,
    /// Loads whose watts or hours are not known, and are not in it.
    pub without: usize,
    /// Whether a device that meters is on it.
    pub metered: bool,
}

/// What each circuit takes in a year: watts × hours × 365.25, at the job's tariff.
pub fn energy(site: &Site) -> Vec<Energy> {
    const DAYS: f64 = 365.25;
    let mut by_circuit: BTreeMap<&str, Energy> = BTreeMap::new();
    for load in &site.loads {
        let Some(point) = site.points.get(&load.switched_at) else { continue };
        let circuit = point.circuit.trim();
        let entry = by_circuit.entry(circuit).or_insert_with(|| Energy {
            circuit: circuit.to_owned(),
            kwh: 0.0,
            cost: 0.0,
            without: 0,
            metered: false,
        });
        entry.metered |= site
            .devices_at(&point.id)
            .iter()
            .any(|d| site.kind(&d.kind).is_some_and(|k| k.fit.meters));
        match load.total().zip(load.hours_a_day) {
            Some((watts, hours)) => entry.kwh += watts * hours * DAYS / 1000.0,
            None => entry.without += 1,
        }
    }
    let tariff = site.rate("energy-kwh");
    let mut all: Vec<_> = by_circuit.into_values().filter(|e| e.kwh > 0.0).collect();
    for one in &mut all {
        one.cost = one.kwh * tariff;
    }
    all.sort_by(|a, b| b.kwh.total_cmp(&a.kwh));
    all
}

/// The bill of what is planned; `planned` is how many visits the plan of the days has, so that what is paid is what is
/// driven.
pub fn bill(site: &Site, planned: usize) -> Bill {
    let mut lines = devices(site);
    lines.extend(plates(site));
    let (small, not_listed) = small_parts(site);
    lines.extend(small);
    let looks = previsit::looks(site);
    let (work, wiring_hours) = work(site, &looks);
    lines.extend(work);
    let bundled = planned;
    let apart = visits_apart(site, wiring_hours, !looks.is_empty()).max(bundled);
    let visit = |count: usize| BillLine {
        what: name_of("call-out"),
        part: LineKind::Labour,
        count: count_of(count),
        each: Some(site.rate("call-out")),
        at: Vec::new(),
    };
    lines.extend((bundled > 0).then(|| visit(bundled)));
    let total = lines.iter().filter_map(BillLine::cost).sum();
    let verdicts: Vec<Fits> = bought(site)
        .map(|(device, kind, point)| fit::verdict(&fit::findings(site, kind, point, Some(device))))
        .collect();
    let count = |fits: Fits| verdicts.iter().filter(|v| **v == fits).count();
    Bill {
        total,
        without_price: lines.iter().filter(|l| l.each.is_none()).count(),
        loads: worked(site, |p| bought(site).any(|(d, ..)| d.point == *p)).count(),
        shares: shares(site),
        wiring_hours,
        visits: (bundled, apart),
        saved: count_of(apart.saturating_sub(bundled)) * site.rate("call-out"),
        open: (count(Fits::No), count(Fits::NotKnown)),
        not_listed,
        left: site.job.budget.map(|budget| budget - total),
        lines,
    }
}

/// What is bought now, while one is on trial, and what more it costs once that is kept.
#[derive(Clone, Debug, PartialEq)]
pub struct TwoPurchases {
    /// The bill of what is bought now.
    pub now: Bill,
    /// What all of it costs more than that; the visits of then are not planned, and not in it.
    pub then: f64,
}

/// The two purchases of a job; nothing where nothing waits for a trial.
pub fn two_purchases(site: &Site, planned: usize) -> Option<TwoPurchases> {
    let now = bill(&first_purchase(site)?, planned);
    let then = (bill(site, planned).total - now.total).max(0.0);
    Some(TwoPurchases { now, then })
}

#[expect(clippy::cast_precision_loss, reason = "a house has few thousand of anything")]
fn count_of(count: usize) -> f64 {
    count as f64
}

fn name_of(rate: &str) -> String {
    crate::catalogue::rates::row(rate).map_or_else(String::new, |r| r.name.clone())
}

/// Devices that are bought, with their rows and places.
fn bought(site: &Site) -> impl Iterator<Item = (&Device, &DeviceKind, &Point)> {
    placed(site).filter(|(device, ..)| !device.is_there())
}

/// Devices that are worked on: those that are bought, and those that are wired anew.
fn worked_on(site: &Site) -> impl Iterator<Item = (&Device, &DeviceKind, &Point)> {
    placed(site)
        .filter(|(device, kind, point)| !device.is_there() || is_rewired(site, device, kind, point))
}

/// Devices that stand somewhere, with their rows and places.
fn placed(site: &Site) -> impl Iterator<Item = (&Device, &DeviceKind, &Point)> {
    site.devices.iter().filter_map(|d| Some((d, site.kind(&d.kind)?, site.point_of(d)?)))
}

/// Loads that something at their own place, or at one of their group, works.
fn worked(site: &Site, has: impl Fn(&PointId) -> bool) -> impl Iterator<Item = &Load> {
    site.loads.iter().filter(move |l| {
        let group = site.group_of(&l.switched_at);
        has(&l.switched_at) || group.is_some_and(|g| g.places.iter().any(&has))
    })
}

fn devices(site: &Site) -> Vec<BillLine> {
    // One box on a shelf may keep several networks: it is bought once.
    let mut seen: BTreeSet<(&PointId, &str)> = BTreeSet::new();
    let laid = kits::kits(site);
    let in_kits: BTreeSet<&DeviceId> = laid.iter().flat_map(|k| &k.brings).collect();
    // Of one article a setting that costs more is a line of its own.
    let mut by_kind: BTreeMap<(&str, u64), (&DeviceKind, Vec<String>)> = BTreeMap::new();
    for (device, kind, point) in bought(site) {
        let is_hub = kind.duty == Duty::Hub;
        if is_hub && !seen.insert((&device.point, &kind.id)) || in_kits.contains(&device.id) {
            continue;
        }
        by_kind
            .entry((
                if kind.article.is_empty() { &kind.id } else { &kind.article },
                kind.fit.price.unwrap_or(f64::NAN).to_bits(),
            ))
            .or_insert_with(|| (kind, Vec::new()))
            .1
            .push(point.label().to_owned());
    }
    let mut lines: Vec<_> = by_kind
        .into_values()
        .map(|(kind, at)| BillLine {
            what: kind.bought_as().to_owned(),
            part: LineKind::Devices,
            count: count_of(at.len()),
            each: kind.fit.price,
            at,
        })
        .collect();
    let label = |id: &DeviceId| {
        let device = site.devices.get(id)?;
        Some(site.point_of(device)?.label().to_owned())
    };
    lines.extend(laid.iter().map(|of| BillLine {
        what: of.kit.name.clone(),
        part: LineKind::Devices,
        count: f64::from(of.kit.count),
        each: of.kit.price,
        at: of.brings.iter().filter_map(label).collect(),
    }));
    lines.sort_by(|a, b| a.what.cmp(&b.what));
    lines
}

/// Boxes that get something with a face in the wall, by the point that says how the box is.
fn faced(site: &Site) -> BTreeSet<&PointId> {
    let has_face = |k: &DeviceKind| k.button.is_some() || k.fit.far != Far::No;
    bought(site)
        .filter(|(_, kind, point)| point.kind == PointKind::Switch && has_face(kind))
        .map(|(_, _, point)| &site.box_of(point).id)
        .collect()
}

fn plates(site: &Site) -> Vec<BillLine> {
    // A plate of another finish or style is another thing to buy.
    let mut by_gangs: BTreeMap<(&str, [&str; 3]), Vec<String>> = BTreeMap::new();
    for point in faced(site).into_iter().filter_map(|id| site.points.get(id)) {
        let rate = match point.gangs {
            0 | 1 => "plate-1",
            2 => "plate-2",
            3 => "plate-3",
            _ => "plate-more",
        };
        let screws = match point.plate.screwless {
            Some(true) => "screwless",
            Some(false) => "with screws",
            None => "",
        };
        let near = point.plate.clearance.trim();
        let label = point.label();
        let at = if near.is_empty() { label.to_owned() } else { format!("{label} ({near})") };
        let looks = [point.finish.trim(), point.plate.style.trim(), screws];
        by_gangs.entry((rate, looks)).or_default().push(at);
    }
    let line = |((rate, looks), at): ((&str, [&str; 3]), Vec<String>)| {
        let mut line = rated(site, rate, LineKind::Plates, at);
        for word in looks.into_iter().filter(|word| !word.is_empty()) {
            line.what = format!("{}, {word}", line.what);
        }
        line
    };
    by_gangs.into_iter().map(line).collect()
}

fn rated(site: &Site, rate: &str, part: LineKind, at: Vec<String>) -> BillLine {
    let count = count_of(at.len());
    BillLine { what: name_of(rate), part, count, each: Some(site.rate(rate)), at }
}

/// Plates and small parts, each with where it goes.
pub fn parts(site: &Site) -> Vec<BillLine> {
    let mut lines = plates(site);
    lines.extend(small_parts(site).0);
    lines
}

/// The work by hand, and how many hours of it are wiring.
fn work(site: &Site, looks: &[PrevisitLook]) -> (Vec<BillLine>, f64) {
    let (mut wiring, mut rest) = (0.0, 0.0);
    for (device, kind, point) in worked_on(site) {
        let at_fitting = matches!(point.kind, PointKind::Ceiling | PointKind::WallFitting);
        if point.has_wired_in(kind) || takes_over_switch(site, kind, point) {
            wiring += site.rate(if at_fitting { "minutes-fitting" } else { "minutes-box" });
        }
        if device.is_there() {
            continue;
        }
        if kind.supply == Supply::Battery {
            rest += site.rate("minutes-battery");
        } else if point.has_on_cord(kind) {
            // Into the body of a lamp, at the bench.
            rest += site.rate("minutes-fitting");
        } else if !kind.is_wired_in() && !kind.is_cover() {
            rest += site.rate("minutes-plug");
        }
        if kind.has_radio {
            rest += site.rate("minutes-join");
        }
    }
    wiring += new_boxes(site).map(|(_, new)| minutes_to_make(site, new)).sum::<f64>();
    wiring += looks.iter().map(|l| l.minutes).sum::<f64>();
    let line = |rate: &str, minutes: f64| BillLine {
        what: name_of(rate),
        part: LineKind::Labour,
        count: (minutes / 60.0 * 10.0).round() / 10.0,
        each: Some(site.rate(rate)),
        at: Vec::new(),
    };
    let lines = [("electrician-hour", wiring), ("labour-hour", rest)];
    let lines = lines.into_iter().filter(|(_, m)| *m > 0.0).map(|(rate, m)| line(rate, m));
    (lines.collect(), wiring / 60.0)
}

/// Visits of whoever does the wiring were it done circuit by circuit, with one before the day if a box must be opened.
fn visits_apart(site: &Site, hours: f64, is_one_before: bool) -> usize {
    let circuits: BTreeSet<&str> = worked_on(site)
        .filter(|(_, kind, point)| point.has_wired_in(kind) || takes_over_switch(site, kind, point))
        .map(|(_, _, point)| point.circuit.trim())
        .collect();
    if circuits.is_empty() {
        return 0;
    }
    let day = site.rate("minutes-visit").max(1.0) / 60.0;
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a few days")]
    let days = (hours / day).ceil() as usize;
    circuits.len().max(days) + usize::from(is_one_before)
}

fn shares(site: &Site) -> Vec<Share> {
    let share = |network: &Network| {
        let of: Vec<_> = bought(site).filter(|(d, ..)| d.network == network.id).collect();
        let points: BTreeSet<&PointId> = of.iter().map(|(_, _, p)| &p.id).collect();
        let cost = of.iter().filter_map(|(_, k, _)| k.fit.price).sum();
        let loads = worked(site, |p| points.contains(p)).count();
        Share { network: network.id.clone(), name: network.name.clone(), cost, loads }
    };
    site.networks.iter().map(share).collect()
}
