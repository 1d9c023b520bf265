//! Calibration with the radios left out: path gains between places, as surveys with any tool give them.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::house::{LearnedHouse, LinkKey, MeasuredGain, PlannedHouse, Unknown};
use super::outliers::Suspect;
use crate::building::structure::{Doors, Structure};
use crate::geometry::Place;
use crate::materials::construction::FrequencyBand;
use crate::propagation::Model;
use crate::site::Site;
use crate::units::Megahertz;

/// A link between two ends, by their places in a list, at a frequency.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct AskedLink {
    /// One end.
    pub from: usize,
    /// The other.
    pub to: usize,
    /// The frequency.
    pub mhz: Megahertz,
}

/// A survey of a house.
#[derive(Clone, Debug, Default)]
pub struct GainSurvey {
    /// Each end: what it is called, and where it is.
    pub ends: Vec<(String, Place)>,
    /// Path gains that were read, in decibels.
    pub read: Vec<(AskedLink, f64)>,
    /// What is to be predicted.
    pub asked: Vec<AskedLink>,
}

/// A correction of the plan.
#[derive(Clone, Debug, PartialEq)]
pub struct Taught {
    /// `exponent`, `construction`, `device` or `offset`.
    pub kind: &'static str,
    /// Of what: a construction's or an end's id.
    pub id: String,
    /// At which frequency; nothing where it holds at all.
    pub mhz: Option<f64>,
    /// How many decibels more it costs than planned; of the exponent, a decade of distance.
    pub db: f64,
    /// Its deviation.
    pub sigma_db: f64,
    /// On how many readings it rests.
    pub readings: usize,
}

impl Taught {
    /// What a house says of an unknown.
    pub(super) fn of(
        house: &LearnedHouse,
        kind: &'static str,
        id: &str,
        mhz: Option<f64>,
        unknown: Unknown,
    ) -> Self {
        let (db, sigma_db) = house.correction(unknown);
        Self { kind, id: id.to_owned(), mhz, db, sigma_db, readings: house.readings_of(unknown) }
    }
}

/// What a house says of its exponent and of each construction in each band that is heard.
pub(super) fn of_building(
    house: &LearnedHouse,
    structure: &Structure,
    frequencies: &[Megahertz],
) -> Vec<Taught> {
    let mut all = vec![Taught::of(house, "exponent", "exponent", None, Unknown::Exponent)];
    let mut bands = BTreeMap::new();
    for f in frequencies {
        bands.entry(FrequencyBand::of(*f)).or_insert(f.get());
    }
    for (c, construction) in structure.constructions.iter().enumerate() {
        for (band, mhz) in &bands {
            let unknown = Unknown::Construction(c, *band);
            all.push(Taught::of(house, "construction", &construction.id, Some(*mhz), unknown));
        }
    }
    all
}

/// What a survey taught.
#[derive(Clone, Debug, PartialEq)]
pub struct SurveyTaught {
    /// Path gain and deviation in the order asked.
    pub predictions: Vec<(f64, f64)>,
    /// The corrections; what no reading tells of stands at its prior.
    pub corrections: Vec<Taught>,
    /// Readings that were set aside, by their place in the list, and why.
    pub outliers: Vec<(usize, String)>,
}

/// What a survey teaches about a house, and what it then predicts.
pub fn taught(site: &Site, survey: &GainSurvey) -> SurveyTaught {
    let structure = Arc::new(Structure::new(site, Doors::AsDrawn));
    let all = survey.read.iter().map(|(a, _)| a).chain(&survey.asked);
    let mut frequencies: Vec<Megahertz> = all.map(|a| a.mhz).collect();
    frequencies.sort_by(|a, b| a.get().total_cmp(&b.get()));
    frequencies.dedup();
    let tuned = |mhz: Megahertz| frequencies.iter().position(|f| *f == mhz).unwrap_or_default();
    let key = |a: &AskedLink| LinkKey::new(a.from, a.to, tuned(a.mhz), 0);
    let ends = survey.ends.iter().map(|e| e.1).collect();
    let plan = PlannedHouse::new(&structure, &frequencies, Model::default(), ends);
    let read: Vec<MeasuredGain> =
        survey.read.iter().map(|(a, gain)| MeasuredGain { link: key(a), gain: *gain }).collect();
    let house = plan.taught(&read);
    let mut known: BTreeMap<LinkKey, (f64, f64)> = BTreeMap::new();
    let mut predictions = Vec::new();
    for asked in &survey.asked {
        let link = key(asked);
        let told = *known.entry(link).or_insert_with(|| {
            let expected = house.expected(link);
            (expected.gain, expected.sigma)
        });
        predictions.push(told);
    }
    let outliers = outliers(survey, &read, &house);
    let mut corrections = of_building(&house, &structure, &frequencies);
    let devices = survey.ends.iter().enumerate();
    let device = |(end, (name, _)): (usize, &(String, Place))| {
        Taught::of(&house, "device", name, None, Unknown::Device(end))
    };
    corrections.extend(devices.map(device));
    SurveyTaught { predictions, corrections, outliers }
}

fn outliers(
    survey: &GainSurvey,
    read: &[MeasuredGain],
    house: &LearnedHouse,
) -> Vec<(usize, String)> {
    let aside: Vec<usize> = (0..read.len()).filter(|i| house.is_aside(*i)).collect();
    let mut told = Vec::new();
    for i in aside {
        let (link, typed) = (read[i].link, read[i].gain);
        let name = |end: usize| survey.ends[end].0.clone();
        let all: Vec<usize> = (0..survey.ends.len()).collect();
        let others = house.mistaken(link, &all).into_iter();
        let others: Vec<_> = others.map(|(a, b, gain)| (name(a), name(b), gain)).collect();
        let expected = house.left_out(i, &read[i]);
        let alone = [link.a, link.b]
            .into_iter()
            .find(|end| read.iter().filter(|r| r.link.a == *end || r.link.b == *end).count() == 1);
        let suspect = Suspect { typed, expected, others: &others, alone: alone.map(name) };
        told.push((i, suspect.slip().to_string()));
    }
    told
}
