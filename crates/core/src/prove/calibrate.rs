//! Readings against the plan, and what they teach: every level is turned into a path gain by the radios at
//! its ends, and [`super::house`] does the rest.

use std::collections::{BTreeMap, BTreeSet};

use super::gains::Taught;
use super::house::{Expected, LearnedHouse, LinkKey, MeasuredGain, PlannedHouse, Unknown};
use super::outliers::{Slip, Suspect};
use super::proposal;
use crate::analysis::Analysis;
use crate::geometry::Place;
use crate::network::Node;
use crate::network::link::received;
use crate::propagation::doorway::Station;
use crate::record::{Reading, ReadingId, Record};
use crate::site::{Correction, DeviceId, NetworkId, Site};
use crate::units::{Db, Dbm, Megahertz};

/// Fewer readings teach nothing that is worth planning with.
const FEWEST: usize = 3;
/// Prior deviation of what the receivers of a network tell.
const RECEIVERS: f64 = 2.0;

/// What becomes of a reading.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Verdict {
    /// It is as planned, within two deviations.
    AsPlanned,
    /// It differs from the plan, and what was learned says so too.
    Learned,
    /// It fits nothing else and is set aside.
    Aside,
    /// It was left out on purpose.
    LeftOut,
}

impl Verdict {
    /// Its word.
    pub fn word(self) -> &'static str {
        match self {
            Self::AsPlanned => "as-planned",
            Self::Learned => "learned",
            Self::Aside => "aside",
            Self::LeftOut => "left-out",
        }
    }
}

/// A reading beside its prediction.
#[derive(Clone, Debug, PartialEq)]
pub struct Comparison {
    /// The reading.
    pub reading: ReadingId,
    /// Its network.
    pub network: NetworkId,
    /// The sender.
    pub from: DeviceId,
    /// The hearer.
    pub to: DeviceId,
    /// Length of the link in metres.
    pub distance_m: f64,
    /// The level heard.
    pub measured: Dbm,
    /// What the plan said before any reading.
    pub predicted: Dbm,
    /// By how much that was off at the most in two of three.
    pub planned_sigma: Db,
    /// What all other readings say.
    pub others_say: Dbm,
    /// The deviation of that.
    pub sigma: Db,
    /// What all readings together say.
    pub calibrated: Dbm,
    /// How much it counts: 1, or 0 where it is set aside or left out.
    pub weight: f64,
    /// What becomes of it.
    pub verdict: Verdict,
    /// Where it is set aside, what likely went wrong.
    pub slip: Option<Slip>,
}

impl Comparison {
    /// Measured minus planned: negative is weaker than planned.
    pub fn residual(&self) -> Db {
        self.measured - self.predicted
    }

    /// Whether it differs from the plan by more than two deviations.
    pub fn differs(&self) -> bool {
        self.residual().get().abs() > 2.0 * self.planned_sigma.get()
    }
}

/// Levels of which only the maker knows what they mean: used as a rank.
#[derive(Clone, Debug, PartialEq)]
pub struct RankedLevels {
    /// Who heard.
    pub hearer: DeviceId,
    /// How many it told of.
    pub readings: usize,
    /// How far their order is that of the levels expected: 1 the same, 0 none, −1 the reverse.
    pub agreement: f64,
}

/// All readings against the plan.
#[derive(Debug)]
pub struct Proof {
    /// The record that they stand on.
    pub record: Record,
    /// Each reading whose two ends are radios of one network.
    pub comparisons: Vec<Comparison>,
    /// Readings whose ends share no network, which nothing predicts.
    pub strangers: Vec<ReadingId>,
    /// Readings that only tell a rank.
    pub ranks: Vec<RankedLevels>,
    /// What the readings correct.
    pub corrections: Vec<Taught>,
    /// What the readings teach; needs three.
    pub proposed: Option<Correction>,
    /// Root mean square of measured less planned, those set aside not counted.
    pub rmse_before: Db,
    /// The same of measured less what all others say.
    pub rmse_after: Db,
    /// The house as it was learned.
    pub proven: HouseProof,
}

/// The house as it was learned, by devices.
#[derive(Debug)]
pub struct HouseProof {
    /// The house.
    pub house: LearnedHouse,
    /// The networks, by group.
    pub networks: Vec<NetworkId>,
    pub(super) nodes: BTreeMap<DeviceId, (usize, Radio)>,
    pub(super) frequencies: Vec<Megahertz>,
    tuned: Vec<usize>,
    taken: Vec<MeasuredGain>,
    names: Vec<String>,
}

/// A radio in the regression.
#[derive(Clone, Debug)]
pub(super) struct Radio {
    pub(super) end: usize,
    node: Node,
}

impl HouseProof {
    /// The link between two radios of one network.
    pub fn link(&self, from: &DeviceId, to: &DeviceId) -> Option<LinkKey> {
        let ((group, a), (other, b)) = (self.nodes.get(from)?, self.nodes.get(to)?);
        (group == other && a.end != b.end)
            .then(|| LinkKey::new(a.end, b.end, self.tuned[*group], *group))
    }

    /// The level that a gain comes to between two radios.
    pub fn level(&self, from: &DeviceId, to: &DeviceId, gain: f64) -> Option<Dbm> {
        let ((_, a), (_, b)) = (self.nodes.get(from)?, self.nodes.get(to)?);
        Some(received(&a.node, &b.node, Db::new(-gain)))
    }

    /// What a reading between two radios would tell, and its deviation.
    pub fn expected(&self, from: &DeviceId, to: &DeviceId) -> Option<(Dbm, Db)> {
        let link = self.link(from, to)?;
        let Expected { gain, sigma } = self.house.expected(link);
        Some((self.level(from, to, gain)?, Db::new(sigma)))
    }

    /// What a radio loses beyond its plan, with the deviation, and whether it is far from it.
    pub fn device(&self, device: &DeviceId) -> Option<(Db, Db, bool)> {
        let (_, radio) = self.nodes.get(device)?;
        let (db, sigma) = self.house.correction(Unknown::Device(radio.end));
        Some((Db::new(db), Db::new(sigma), self.house.is_odd(radio.end)))
    }

    /// What everything but a device itself says of a reading of it.
    pub fn expected_without(&self, c: &Comparison, device: &DeviceId) -> Dbm {
        let at = self.station_of(device);
        at.and_then(|at| self.expected_at(c, device, at)).unwrap_or(c.calibrated)
    }

    /// Where a device stands in the plan.
    pub fn station_of(&self, device: &DeviceId) -> Option<&Station> {
        let (group, radio) = self.nodes.get(device)?;
        Some(self.house.station(self.tuned[*group], radio.end))
    }

    /// A place as if a device of its network stood there.
    pub fn station_at(&self, device: &DeviceId, place: Place) -> Option<Station> {
        let (group, _) = self.nodes.get(device)?;
        Some(self.house.media[self.tuned[*group]].station(place))
    }

    /// The same, as if the device were at another place.
    pub fn expected_at(&self, c: &Comparison, device: &DeviceId, at: &Station) -> Option<Dbm> {
        let other = if c.from == *device { &c.to } else { &c.from };
        let (group, other) = self.nodes.get(other)?;
        let loss = self.house.loss_from(at, other.end, self.tuned[*group], *group);
        self.level(&c.from, &c.to, -loss)
    }

    /// How many readings of a radio count.
    pub fn readings_of(&self, device: &DeviceId) -> usize {
        let radio = self.nodes.get(device);
        radio.map_or(0, |(_, r)| self.house.readings_of(Unknown::Device(r.end)))
    }

    /// The frequency of each network.
    pub fn frequency(&self, group: usize) -> Megahertz {
        self.frequencies[self.tuned[group]]
    }
}

/// Compares every reading with the plan, and learns from all.
pub fn prove(analysis: &Analysis, record: &Record) -> Proof {
    prove_without(analysis, record, &BTreeSet::new())
}

/// The level of a reading in dBm, if more than its maker knows what it means.
fn level(site: &Site, reading: &Reading, hearer: &Node) -> Option<Dbm> {
    let by_margin = || reading.margin_db.map(|m| hearer.quiet + m);
    let by_table = || {
        let table = &site.kind(&hearer.kind)?.lqi_dbm;
        let lqi = f64::from(reading.lqi?);
        let above = table.iter().position(|row| row[0] >= lqi)?;
        let [x, y] = *table.get(above)?;
        let [x0, y0] = *table.get(above.saturating_sub(1))?;
        let share = if x > x0 { (lqi - x0) / (x - x0) } else { 1.0 };
        Some(Dbm::new(y0 + share * (y - y0)))
    };
    reading.rssi_dbm.or_else(by_margin).or_else(by_table)
}

struct Sample<'a> {
    reading: &'a Reading,
    link: LinkKey,
    distance_m: f64,
    measured: Dbm,
    /// Measured level less gain.
    budget: f64,
}

/// The same with some readings left out of what is learned, but still compared.
pub fn prove_without(
    analysis: &Analysis,
    record: &Record,
    left_out: &BTreeSet<ReadingId>,
) -> Proof {
    let site = &analysis.site;
    let mut frequencies: Vec<Megahertz> = Vec::new();
    let (mut nodes, mut ends, mut names) = (BTreeMap::new(), Vec::new(), Vec::new());
    let (mut networks, mut tuned) = (Vec::new(), Vec::new());
    for (group, network) in site.networks.iter().enumerate() {
        let f = site.job.region.frequency(network.system, None);
        let at = frequencies.iter().position(|known| *known == f).unwrap_or_else(|| {
            frequencies.push(f);
            frequencies.len() - 1
        });
        networks.push(network.id.clone());
        tuned.push(at);
        for device in site.devices.iter().filter(|d| d.network == network.id) {
            let Some(node) = Node::new(site, device, network, None) else { continue };
            ends.push(node.place);
            names.push(node.name.clone());
            nodes.insert(device.id.clone(), (group, Radio { end: ends.len() - 1, node }));
        }
    }
    let mut fixed = vec![false; ends.len()];
    let (mut samples, mut strangers, mut ranked) = (Vec::new(), Vec::new(), Vec::new());
    let mut kits: BTreeMap<usize, usize> = BTreeMap::new();
    for reading in record.readings.iter().filter(|r| r.superseded.is_empty()) {
        let both = nodes.get(&reading.from).zip(nodes.get(&reading.to));
        let Some(((group, a), (_, b))) = both.filter(|((g, _), (h, _))| g == h) else {
            strangers.push(reading.id.clone());
            continue;
        };
        let Some(measured) = level(site, reading, &b.node) else {
            ranked.push(reading);
            continue;
        };
        // Test radios stood where the devices are drawn, with nothing around them.
        let mut kit = |end: usize| {
            *kits.entry(end).or_insert_with(|| {
                ends.push(ends[end]);
                names.push(format!("a test radio at {}", names[end]));
                fixed.push(true);
                ends.len() - 1
            })
        };
        let (ends, budget) = match reading.test_radios_dbm {
            Some(sum) => ([kit(a.end), kit(b.end)], sum.get()),
            None => ([a.end, b.end], received(&a.node, &b.node, Db::ZERO).get()),
        };
        let link = LinkKey::new(ends[0], ends[1], tuned[*group], *group);
        let distance_m = a.node.place.distance(b.node.place);
        samples.push(Sample { reading, link, distance_m, measured, budget });
    }
    let groups = vec![RECEIVERS; networks.len()];
    let mut plan =
        PlannedHouse::new(&analysis.structure, &frequencies, analysis.options.model, ends);
    (plan.groups, plan.fixed) = (groups, fixed);
    let counted: Vec<&Sample<'_>> =
        samples.iter().filter(|s| !left_out.contains(&s.reading.id)).collect();
    let gain = |s: &Sample<'_>| s.measured.get() - s.budget;
    let taken: Vec<MeasuredGain> =
        counted.iter().map(|s| MeasuredGain { link: s.link, gain: gain(s) }).collect();
    let unread = plan.taught(&[]);
    let house = plan.taught(&taken);
    let proven = HouseProof { house, networks, nodes, frequencies, tuned, taken, names };
    let mut comparisons = Vec::new();
    let mut next = 0;
    for s in &samples {
        let place = (!left_out.contains(&s.reading.id)).then(|| {
            next += 1;
            next - 1
        });
        comparisons.push(compare(s, place, &unread, &proven));
    }
    let rmse = |of: &dyn Fn(&Comparison) -> Db| {
        let counted = comparisons.iter().filter(|c| c.weight > 0.0);
        let (n, sum) = counted.fold((0.0, 0.0), |(n, sum), c| (n + 1.0, sum + of(c).get().powi(2)));
        Db::new(f64::sqrt(sum / f64::max(n, 1.0)))
    };
    let (rmse_before, rmse_after) = (rmse(&|c| c.residual()), rmse(&|c| c.measured - c.others_say));
    let ranks = ranks(&ranked, &proven);
    let corrections = proposal::corrections(analysis, &proven);
    let counts = comparisons.iter().filter(|c| c.weight > 0.0).count();
    let rmse = [rmse_before, rmse_after];
    let proposed = (counts >= FEWEST).then(|| proposal::proposed(analysis, &proven, rmse, counts));
    let record = record.clone();
    Proof {
        record,
        comparisons,
        strangers,
        ranks,
        corrections,
        proposed,
        rmse_before,
        rmse_after,
        proven,
    }
}

fn compare(
    s: &Sample<'_>,
    place: Option<usize>,
    unread: &LearnedHouse,
    proven: &HouseProof,
) -> Comparison {
    let planned = unread.expected(s.link);
    let at = |gain: f64| Dbm::new(gain + s.budget);
    let now = proven.house.expected(s.link);
    let (others, sigma) = match place {
        Some(place) => proven.house.left_out(place, &proven.taken[place]),
        None => (now.gain, now.sigma),
    };
    let aside = place.is_some_and(|p| proven.house.is_aside(p));
    let mut this = Comparison {
        reading: s.reading.id.clone(),
        network: proven.networks[s.link.group].clone(),
        from: s.reading.from.clone(),
        to: s.reading.to.clone(),
        distance_m: s.distance_m,
        measured: s.measured,
        predicted: at(planned.gain),
        planned_sigma: crate::analysis::PLANNING_SIGMA,
        others_say: at(others),
        sigma: Db::new(sigma),
        calibrated: at(now.gain),
        weight: if aside || place.is_none() { 0.0 } else { 1.0 },
        verdict: Verdict::AsPlanned,
        slip: None,
    };
    this.verdict = match (place, aside) {
        (None, _) => Verdict::LeftOut,
        (_, true) => Verdict::Aside,
        _ if this.differs() => Verdict::Learned,
        _ => Verdict::AsPlanned,
    };
    if aside {
        this.slip = Some(slip(s, &this, proven));
    }
    this
}

fn slip(s: &Sample<'_>, c: &Comparison, proven: &HouseProof) -> Slip {
    let group = s.link.group;
    let of_group = proven.nodes.values().filter(|(g, _)| *g == group).map(|(_, r)| r.end);
    let of_group: Vec<usize> = of_group.collect();
    let name = |end: usize| proven.names[end].clone();
    let others = proven.house.mistaken(s.link, &of_group).into_iter();
    let others: Vec<_> = others.map(|(a, b, gain)| (name(a), name(b), gain + s.budget)).collect();
    let alone = [s.link.a, s.link.b].into_iter().find(|end| {
        proven.taken.iter().filter(|t| t.link.a == *end || t.link.b == *end).count() == 1
    });
    let alone = alone.map(|end| proven.names[end].clone());
    let (typed, expected) = (s.measured.get(), (c.others_say.get(), c.sigma.get()));
    Suspect { typed, expected, others: &others, alone }.slip()
}

/// Kendall's τ between what each hearer tells and the levels expected there.
fn ranks(readings: &[&Reading], proven: &HouseProof) -> Vec<RankedLevels> {
    let mut by_hearer: BTreeMap<DeviceId, Vec<(f64, f64)>> = BTreeMap::new();
    for reading in readings {
        let expected = proven.expected(&reading.from, &reading.to);
        if let (Some(lqi), Some((level, _))) = (reading.lqi, expected) {
            by_hearer.entry(reading.to.clone()).or_default().push((f64::from(lqi), level.get()));
        }
    }
    let tau = |all: &[(f64, f64)]| {
        let (mut sum, mut pairs) = (0.0, 0.0);
        for (i, a) in all.iter().enumerate() {
            for b in &all[..i] {
                let agree = (a.0 - b.0) * (a.1 - b.1);
                sum += if agree == 0.0 { 0.0 } else { agree.signum() };
                pairs += 1.0;
            }
        }
        sum / f64::max(pairs, 1.0)
    };
    let of = |(hearer, all): (DeviceId, Vec<(f64, f64)>)| RankedLevels {
        hearer,
        readings: all.len(),
        agreement: tau(&all),
    };
    by_hearer.into_iter().map(of).collect()
}
