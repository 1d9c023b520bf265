//! What readings of path gains teach about a house: its exponent, its constructions by band, its radios.
//!
//! Loss is linear in corrections of these only as far as they are small, since ways compete: what stands
//! in the straight way is heavier, and a doorway carries. So the regression is repeated with the losses
//! of the house as it has been learned, until that moves no more (Gauss and Newton).
//!
//! Priors, *planning values*: exponent ± 0.3, a construction in a band ± 3 dB, a radio with its mounting
//! ± 2.6 dB (± 12 dB for one in twenty-five, in metal; together about ± 3 dB), the receivers of a network
//! ± 2 dB. A construction
//! that differs in one band likely does so in another; that is used only where both were read, so that
//! what no reading tells of stays as it was planned.

use std::collections::BTreeMap;
use std::sync::{Arc, OnceLock};

use super::regression::{NoisePriors, Observed, Posterior, Prior, Sparse, fit};
use crate::building::structure::Structure;
use crate::geometry::Place;
use crate::learned::UNREAD;
use crate::learned::gauss::Symmetric;
use crate::materials::construction::FrequencyBand;
use crate::propagation::doorway::Station;
use crate::propagation::{Lean, Medium, Model};
use crate::units::{Db, Megahertz};

/// Prior deviation of 1 dB a decade of distance, ten times that of the exponent.
const DECADES: f64 = 3.0;
/// Prior deviation of a radio and what is around it, once it is read: then readings tell of metal.
const DEVICE: f64 = 2.6;
/// How much a construction's corrections in two bands go together, where both were read.
const BANDS_AGREE: f64 = 0.6;
/// The most rounds.
const ROUNDS: usize = 6;
/// Smaller moves are none, in decibels.
const STILL: f64 = 0.08;

/// A link, by its ends' places in a list, at one of the frequencies, of one of the groups of receivers.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct LinkKey {
    /// The end with the smaller place.
    pub a: usize,
    /// The other.
    pub b: usize,
    /// Which frequency.
    pub tuned: usize,
    /// Which group shares receivers.
    pub group: usize,
}

impl LinkKey {
    /// The link between two ends, whichever sends.
    pub fn new(one: usize, other: usize, tuned: usize, group: usize) -> Self {
        Self { a: one.min(other), b: one.max(other), tuned, group }
    }
}

/// A path gain that was measured.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct MeasuredGain {
    /// The link.
    pub link: LinkKey,
    /// The gain in decibels, radios left out.
    pub gain: f64,
}

/// What is unknown about a house.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Unknown {
    /// What a decade of distance costs beyond the plan.
    Exponent,
    /// What the receivers of a group tell too little.
    Offset(usize),
    /// What a construction, by its place, costs beyond its plan in a band.
    Construction(usize, FrequencyBand),
    /// What an end, by its place, loses beyond its plan.
    Device(usize),
}

/// A house as it is planned, to be taught.
#[derive(Debug)]
pub struct PlannedHouse {
    /// The building priced at each frequency.
    pub media: Vec<Medium>,
    /// Where each end is.
    pub ends: Vec<Place>,
    /// Prior deviation of what the receivers of each group tell.
    pub groups: Vec<f64>,
    /// Ends that are as they are stated to be: test radios.
    pub fixed: Vec<bool>,
}

/// A house as readings taught it.
#[derive(Debug)]
pub struct LearnedHouse {
    /// The building priced at each frequency, as learned.
    pub media: Vec<Medium>,
    ends: Vec<Place>,
    stations: Vec<Vec<OnceLock<Station>>>,
    /// The unknowns, in order.
    pub unknowns: Vec<Unknown>,
    places: BTreeMap<Unknown, usize>,
    groups: Vec<f64>,
    fixed: Vec<bool>,
    /// The exponent that was planned with.
    exponent: f64,
    links: Vec<LinkKey>,
    observed: Vec<Observed>,
    /// What is known of them.
    pub posterior: Posterior,
    /// For each reading its place among the observed: link, and place in it.
    pub where_read: Vec<(usize, usize)>,
}

/// What is to be expected of a link.
#[derive(Clone, Debug, PartialEq)]
pub struct Expected {
    /// The path gain in decibels.
    pub gain: f64,
    /// The deviation of what a reading would tell from it.
    pub sigma: f64,
}

impl PlannedHouse {
    /// A plan at some frequencies, without what earlier readings taught.
    pub fn new(
        structure: &Arc<Structure>,
        frequencies: &[Megahertz],
        model: Model,
        ends: Vec<Place>,
    ) -> Self {
        let media = frequencies.iter().map(|f| Medium::new(structure, *f, model)).collect();
        Self { media, ends, groups: Vec::new(), fixed: Vec::new() }
    }

    /// What the readings teach. The order of the readings does not matter.
    pub fn taught(&self, readings: &[MeasuredGain]) -> LearnedHouse {
        let mut by_link: BTreeMap<LinkKey, Vec<(usize, f64)>> = BTreeMap::new();
        for (i, reading) in readings.iter().enumerate() {
            by_link.entry(reading.link).or_default().push((i, reading.gain));
        }
        let mut where_read = vec![(0, 0); readings.len()];
        for (l, of_link) in by_link.values_mut().enumerate() {
            of_link.sort_by(|x, y| x.1.total_cmp(&y.1).then(x.0.cmp(&y.0)));
            of_link.iter().enumerate().for_each(|(r, (i, _))| where_read[*i] = (l, r));
        }
        let links: Vec<LinkKey> = by_link.keys().copied().collect();
        let mut at = Corrections::default();
        let mut told: Option<(Taught, Vec<Medium>)> = None;
        for round in 0..ROUNDS {
            let media: Vec<Medium> = self.media.iter().map(|m| at.applied_to(m)).collect();
            let leans = self.leans(&media, &links);
            let taught = self.regress(&by_link, &links, &leans, &at);
            // Where ways compete, half a step does not swing.
            let step = if round < 2 { 1.0 } else { 0.5 };
            let moved = at.step_to(&taught, step);
            told = Some((taught, media));
            if moved < STILL {
                break;
            }
        }
        let (taught, media) = told.unwrap_or_else(|| unreachable!("there is at least one round"));
        let Taught { unknowns, places, observed, posterior } = taught;
        let stations =
            media.iter().map(|_| self.ends.iter().map(|_| OnceLock::new()).collect()).collect();
        LearnedHouse {
            media,
            ends: self.ends.clone(),
            stations,
            unknowns,
            places,
            groups: self.groups.clone(),
            fixed: self.fixed.clone(),
            exponent: self.media.first().map_or(2.0, |m| m.model().exponent),
            links,
            observed,
            posterior,
            where_read,
        }
    }

    fn leans(&self, media: &[Medium], links: &[LinkKey]) -> Vec<Lean> {
        let mut stations: BTreeMap<(usize, usize), Station> = BTreeMap::new();
        for link in links {
            for end in [link.a, link.b] {
                let station = || media[link.tuned].station(self.ends[end]);
                stations.entry((link.tuned, end)).or_insert_with(station);
            }
        }
        let of = |l: &LinkKey| {
            media[l.tuned].lean(&stations[&(l.tuned, l.a)], &stations[&(l.tuned, l.b)])
        };
        links.iter().map(of).collect()
    }

    fn regress(
        &self,
        by_link: &BTreeMap<LinkKey, Vec<(usize, f64)>>,
        links: &[LinkKey],
        leans: &[Lean],
        at: &Corrections,
    ) -> Taught {
        let mut unknowns = vec![Unknown::Exponent];
        unknowns.extend((0..self.groups.len()).map(Unknown::Offset));
        let mut more: Vec<Unknown> = Vec::new();
        for (link, lean) in links.iter().zip(leans) {
            let band = FrequencyBand::of(self.media[link.tuned].frequency());
            more.extend(lean.constructions.iter().map(|(c, _)| Unknown::Construction(*c, band)));
            let own = [link.a, link.b].into_iter().filter(|end| !is_fixed(&self.fixed, *end));
            more.extend(own.map(Unknown::Device));
        }
        more.sort_unstable();
        more.dedup();
        unknowns.extend(more);
        let places: BTreeMap<Unknown, usize> =
            unknowns.iter().enumerate().map(|(i, u)| (*u, i)).collect();
        let observed = links.iter().zip(leans).zip(by_link.values()).map(|((link, lean), read)| {
            let band = FrequencyBand::of(self.media[link.tuned].frequency());
            let x = row(*link, lean, band, !self.groups.is_empty(), &places);
            // The loss of the plan at which the house was taken: what was learned is taken off again.
            let learned = lean.decades * at.decades
                + lean.constructions.iter().map(|(c, n)| n * at.of(*c, band)).sum::<f64>();
            let y = read.iter().map(|(_, gain)| -gain - lean.loss.get() + learned).collect();
            Observed { x, y }
        });
        let observed: Vec<Observed> = observed.collect();
        // What only readings that are set aside lean on is told of by none: it goes with no other band.
        let noise = NoisePriors::of(&observed);
        let mut told = told_of(&observed, None, unknowns.len());
        let posterior = loop {
            let prior = prior(&unknowns, &self.groups, &told);
            let posterior = fit(&observed, &prior, noise)
                .unwrap_or_else(|| unreachable!("a prior with positive variances has an inverse"));
            let counted = told_of(&observed, Some(&posterior), unknowns.len());
            if told.iter().zip(&counted).all(|(told, counted)| told <= counted) {
                break posterior;
            }
            // Only ever less, so that this ends.
            told.iter_mut().zip(counted).for_each(|(told, counted)| *told = told.min(counted));
        };
        Taught { unknowns, places, observed, posterior }
    }
}

struct Taught {
    unknowns: Vec<Unknown>,
    places: BTreeMap<Unknown, usize>,
    observed: Vec<Observed>,
    posterior: Posterior,
}

fn is_fixed(fixed: &[bool], end: usize) -> bool {
    fixed.get(end).copied().unwrap_or(false)
}

/// What a link leans on, as a row of the regression; what is not among the unknowns is left out.
fn row(
    link: LinkKey,
    lean: &Lean,
    band: FrequencyBand,
    grouped: bool,
    places: &BTreeMap<Unknown, usize>,
) -> Sparse {
    let mut x: Vec<(Unknown, f64)> = vec![(Unknown::Exponent, lean.decades)];
    x.extend(grouped.then_some((Unknown::Offset(link.group), 1.0)));
    x.extend(lean.constructions.iter().map(|(c, n)| (Unknown::Construction(*c, band), *n)));
    x.extend([(Unknown::Device(link.a), 1.0), (Unknown::Device(link.b), 1.0)]);
    x.into_iter().filter_map(|(u, n)| Some((*places.get(&u)?, n))).collect()
}

/// How much the readings that count tell of each unknown: 0 nothing, towards 1 much.
fn told_of(observed: &[Observed], after: Option<&Posterior>, unknowns: usize) -> Vec<f64> {
    /// As much as one link that goes through half of it.
    const HALF: f64 = 0.25;
    let mut sums = vec![0.0; unknowns];
    for (l, link) in observed.iter().enumerate() {
        if after.is_none_or(|p| p.aside[l].iter().any(|aside| !aside)) {
            link.x.iter().for_each(|(i, x)| sums[*i] += x * x);
        }
    }
    sums.into_iter().map(|sum| sum / (sum + HALF)).collect()
}

fn prior(unknowns: &[Unknown], groups: &[f64], told: &[f64]) -> Prior {
    let mut precision = Symmetric::zero(unknowns.len());
    for (i, unknown) in unknowns.iter().enumerate() {
        let deviation = match unknown {
            Unknown::Exponent => DECADES,
            Unknown::Offset(group) => groups[*group],
            Unknown::Device(_) => DEVICE,
            Unknown::Construction(..) => continue,
        };
        precision.set(i, i, deviation.powi(-2));
    }
    // The bands of one construction stand side by side.
    let mut i = 0;
    while i < unknowns.len() {
        let Unknown::Construction(c, _) = unknowns[i] else {
            i += 1;
            continue;
        };
        let same = |u: &&Unknown| matches!(u, Unknown::Construction(other, _) if *other == c);
        let count = unknowns[i..].iter().take_while(same).count();
        let mut together = Symmetric::zero(count);
        for a in 0..count {
            for b in 0..=a {
                let both = told[i + a].min(told[i + b]);
                let agree = if a == b { 1.0 } else { BANDS_AGREE * both };
                together.set(a, b, agree * UNREAD.construction.powi(2));
            }
        }
        if let Some(inverse) = together.inverse() {
            for a in 0..count {
                for b in 0..=a {
                    precision.set(i + a, i + b, inverse.at(a, b));
                }
            }
        }
        i += count;
    }
    let is_device = |i: &usize| matches!(unknowns[*i], Unknown::Device(_));
    Prior { precision, may_be_odd: (0..unknowns.len()).filter(is_device).collect() }
}

/// The deviation of an unknown before any reading; `groups` holds those of the groups.
fn planned_deviation(unknown: Unknown, groups: &[f64]) -> f64 {
    match unknown {
        Unknown::Exponent => DECADES,
        Unknown::Offset(group) => groups.get(group).copied().unwrap_or(0.0),
        Unknown::Construction(..) => UNREAD.construction,
        Unknown::Device(_) => UNREAD.device,
    }
}

/// The corrections at which the house is priced.
#[derive(Clone, Debug, Default)]
struct Corrections {
    decades: f64,
    constructions: BTreeMap<(usize, FrequencyBand), f64>,
}

impl Corrections {
    fn of(&self, construction: usize, band: FrequencyBand) -> f64 {
        self.constructions.get(&(construction, band)).copied().unwrap_or(0.0)
    }

    fn applied_to(&self, medium: &Medium) -> Medium {
        let band = FrequencyBand::of(medium.frequency());
        let count = medium.structure.constructions.len();
        let more = (0..count).map(|c| Db::new(self.of(c, band))).collect();
        let model = medium.model();
        let exponent = model.exponent + self.decades / 10.0;
        medium.learned(&Arc::new(more)).with(Model { exponent, ..model })
    }

    /// Moves towards what was taught; by how much at the most, in decibels.
    fn step_to(&mut self, taught: &Taught, share: f64) -> f64 {
        let mut most = 0.0f64;
        for (unknown, mean) in taught.unknowns.iter().zip(&taught.posterior.mean) {
            let now = match unknown {
                Unknown::Exponent => &mut self.decades,
                Unknown::Construction(c, band) => {
                    self.constructions.entry((*c, *band)).or_default()
                }
                _ => continue,
            };
            most = most.max((mean - *now).abs());
            *now += share * (mean - *now);
        }
        most
    }
}

impl LearnedHouse {
    /// The place of an unknown that readings tell of.
    pub fn place_of(&self, unknown: Unknown) -> Option<usize> {
        self.places.get(&unknown).copied()
    }

    /// The correction of an unknown and its deviation, in decibels: as planned where nothing tells of it.
    pub fn correction(&self, unknown: Unknown) -> (f64, f64) {
        match self.place_of(unknown) {
            Some(i) => (self.posterior.mean[i], self.posterior.variance_of(&vec![(i, 1.0)]).sqrt()),
            None => (0.0, planned_deviation(unknown, &self.groups)),
        }
    }

    /// Whether an end is taken to be in metal, or otherwise far from its plan.
    pub fn is_odd(&self, end: usize) -> bool {
        self.place_of(Unknown::Device(end)).is_some_and(|i| self.posterior.odd.contains(&i))
    }

    /// An end ready for many links at one of the frequencies.
    pub fn station(&self, tuned: usize, end: usize) -> &Station {
        self.stations[tuned][end].get_or_init(|| self.media[tuned].station(self.ends[end]))
    }

    /// What a link leans on in the house as it was learned.
    pub fn lean(&self, link: LinkKey) -> Lean {
        let (a, b) = (self.station(link.tuned, link.a), self.station(link.tuned, link.b));
        self.media[link.tuned].lean(a, b)
    }

    /// A lean as a row of the regression, and the variance of what no reading tells of, in dB².
    pub fn row(&self, link: LinkKey, lean: &Lean) -> (Sparse, f64) {
        let band = FrequencyBand::of(self.media[link.tuned].frequency());
        let x = row(link, lean, band, !self.groups.is_empty(), &self.places);
        let unread = |u: Unknown, n: f64| {
            if self.places.contains_key(&u) {
                0.0
            } else {
                (n * planned_deviation(u, &self.groups)).powi(2)
            }
        };
        let walls =
            lean.constructions.iter().map(|(c, n)| unread(Unknown::Construction(*c, band), *n));
        let ends = [link.a, link.b].map(|end| {
            if is_fixed(&self.fixed, end) { 0.0 } else { unread(Unknown::Device(end), 1.0) }
        });
        (x, walls.sum::<f64>() + ends.iter().sum::<f64>())
    }

    /// The loss from any station to an end, by all that was learned of the house, the end and its group.
    pub fn loss_from(&self, from: &Station, end: usize, tuned: usize, group: usize) -> f64 {
        let (device, _) = self.correction(Unknown::Device(end));
        let (offset, _) = self.correction(Unknown::Offset(group));
        let loss = self.media[tuned].loss_between(from, self.station(tuned, end));
        loss.get() + device + offset
    }

    /// What is to be expected of a link, and by what a reading of it would be off.
    pub fn expected(&self, link: LinkKey) -> Expected {
        let lean = self.lean(link);
        self.expected_of(link, &lean)
    }

    /// The same, of a link whose lean is known.
    pub fn expected_of(&self, link: LinkKey, lean: &Lean) -> Expected {
        self.expect(link, lean, self.links.binary_search(&link).ok())
    }

    /// The same, as if it had not been read itself.
    pub fn expected_unread(&self, link: LinkKey, lean: &Lean) -> Expected {
        self.expect(link, lean, None)
    }

    fn expect(&self, link: LinkKey, lean: &Lean, read: Option<usize>) -> Expected {
        let (x, unread) = self.row(link, lean);
        let of = read.map(|l| (l, &self.observed[l]));
        let (more, variance) = self.posterior.expected(&x, of);
        Expected {
            gain: -(lean.loss.get() - self.applied(link, lean) + more),
            sigma: (variance + unread).sqrt(),
        }
    }

    /// What of a lean's loss is learned already.
    fn applied(&self, link: LinkKey, lean: &Lean) -> f64 {
        let medium = &self.media[link.tuned];
        let learned = |c: usize| medium.learned_of(c).get();
        let decades = (medium.model().exponent - self.exponent) * 10.0;
        lean.decades * decades
            + lean.constructions.iter().map(|(c, n)| n * learned(*c)).sum::<f64>()
    }

    /// What each link that was read has of its own, beyond all else: how much, and how surely, 0 to 1.
    pub fn links_read(&self) -> Vec<(LinkKey, f64, f64)> {
        let of = self.links.iter().zip(&self.observed).enumerate();
        let own = of.filter_map(|(l, (link, observed))| {
            let (db, share) = self.posterior.own(l, observed)?;
            Some((*link, db, share))
        });
        own.collect()
    }

    /// Deviations of what a link, and of what a reading, has of its own.
    pub fn noise(&self) -> [f64; 2] {
        let noise = self.posterior.noise();
        [noise.link, noise.reading].map(|n| n * self.posterior.wider)
    }

    /// The links that one may have been taken for: from either of its ends to the few `others` nearest to the
    /// other end, each with the path gain expected there.
    pub fn mistaken(&self, link: LinkKey, others: &[usize]) -> Vec<(usize, usize, f64)> {
        const MOST: usize = 10;
        let mut all = Vec::new();
        for (stays, wrong) in [(link.a, link.b), (link.b, link.a)] {
            let far = |end: &usize| self.ends[*end].distance(self.ends[wrong]);
            let beside = others.iter().copied().filter(|e| *e != stays && *e != wrong);
            let mut beside: Vec<usize> = beside.collect();
            beside.sort_by(|x, y| far(x).total_cmp(&far(y)).then(x.cmp(y)));
            for end in beside.into_iter().take(MOST) {
                let like = LinkKey::new(stays, end, link.tuned, link.group);
                all.push((stays, end, self.expected(like).gain));
            }
        }
        all
    }

    /// Whether a reading, by its place among those taken, is set aside.
    pub fn is_aside(&self, reading: usize) -> bool {
        let (link, place) = self.where_read[reading];
        self.posterior.aside[link][place]
    }

    /// What all other readings say of one: path gain and deviation.
    pub fn left_out(&self, reading: usize, taken: &MeasuredGain) -> (f64, f64) {
        let (link, place) = self.where_read[reading];
        let (m, v) = self.posterior.left_out[link][place];
        let off = self.observed[link].y[place] - m;
        (taken.gain + off, v.sqrt() * self.posterior.wider)
    }

    /// On how many readings that count a correction rests.
    pub fn readings_of(&self, unknown: Unknown) -> usize {
        let Some(place) = self.place_of(unknown) else { return 0 };
        let leans = |o: &Observed| o.x.iter().any(|(i, _)| *i == place);
        let of = self.observed.iter().zip(&self.posterior.aside).filter(|(o, _)| leans(o));
        of.map(|(_, aside)| aside.iter().filter(|a| !**a).count()).sum()
    }
}
