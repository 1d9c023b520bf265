//! What a firm learns over its jobs: what constructions cost beyond their planning values. It is offered,
//! never used by itself.

use std::collections::BTreeMap;

use crate::learned::UNREAD;
use crate::materials::construction::{Construction, FrequencyBand};
use crate::site::{Correction, LearnedOf, Site};
use crate::units::Db;

/// What several jobs say of a construction in a band.
#[derive(Clone, Debug, PartialEq)]
pub struct Offered {
    /// The construction.
    pub id: String,
    /// The band.
    pub band: FrequencyBand,
    /// How much more it costs than planned.
    pub more: Db,
    /// The deviation of that from house to house and by what is known.
    pub sigma: Db,
    /// The jobs, each with what it says and its deviation.
    pub jobs: Vec<(String, Db, Db)>,
}

/// What houses say: each by its name, with mean and variance.
type Said = Vec<(String, f64, f64)>;

/// Fewer houses teach nothing about the next one.
const FEWEST: usize = 2;
/// What a construction differs by from one house to the next; *planning value*.
const FROM_HOUSE_TO_HOUSE: f64 = 2.0;
/// Prior deviation of a construction.
const PRIOR: f64 = UNREAD.construction;

/// What the accepted calibrations of several jobs say, what is surest first. Each house says as much as it
/// knows beyond its prior.
pub fn offered(jobs: &[(String, Correction)]) -> Vec<Offered> {
    let mut by: BTreeMap<(String, FrequencyBand), Said> = BTreeMap::new();
    for (job, correction) in jobs {
        let mut at = 0;
        for (i, row) in correction.learned.iter().enumerate() {
            at += i;
            let variance = correction.spread.get(at + i).copied().unwrap_or(PRIOR.powi(2));
            let LearnedOf::Construction { id, band } = &row.of else { continue };
            // What the readings alone say: the prior is taken off again.
            let precision = 1.0 / variance.max(1e-6) - PRIOR.powi(-2);
            if precision > 0.02 {
                let mean = row.db.get() / variance.max(1e-6) / precision;
                by.entry((id.clone(), *band)).or_default().push((
                    job.clone(),
                    mean,
                    1.0 / precision,
                ));
            }
        }
    }
    let of = |((id, band), jobs): ((String, FrequencyBand), Said)| {
        if jobs.len() < FEWEST {
            return None;
        }
        let weight = |v: f64| 1.0 / (v + FROM_HOUSE_TO_HOUSE.powi(2));
        let precision = PRIOR.powi(-2) + jobs.iter().map(|(_, _, v)| weight(*v)).sum::<f64>();
        let mean = jobs.iter().map(|(_, m, v)| m * weight(*v)).sum::<f64>() / precision;
        let db = |v: f64| Db::new((v * 10.0).round() / 10.0);
        let jobs = jobs.into_iter().map(|(job, m, v)| (job, db(m), db(v.sqrt()))).collect();
        Some(Offered { id, band, more: db(mean), sigma: db(precision.powf(-0.5)), jobs })
    };
    let mut all: Vec<Offered> = by.into_iter().filter_map(of).collect();
    let sure = |o: &Offered| o.more.get().abs() / o.sigma.get();
    all.sort_by(|a, b| sure(b).total_cmp(&sure(a)));
    all
}

/// The construction with what was offered in its band, to plan with; nothing where there is no such one.
pub fn with_offer(site: &Site, offer: &Offered) -> Option<Construction> {
    let mut row = site.construction(&offer.id)?.clone();
    let clutter = row.clutter(offer.band) + offer.more;
    let (measured, beside) = (&mut row.measured, &mut row.clutter_by_band);
    let (measured, beside) = match offer.band {
        FrequencyBand::Mhz434 => (&mut measured.mhz_434, &mut beside.mhz_434),
        FrequencyBand::Mhz868 => (&mut measured.mhz_868, &mut beside.mhz_868),
        FrequencyBand::Mhz2400 => (&mut measured.mhz_2400, &mut beside.mhz_2400),
    };
    match measured {
        Some(loss) => *loss += offer.more,
        None => *beside = Some(clutter),
    }
    let houses = offer.jobs.len();
    row.source = format!("{}; {} by readings in {houses} houses", row.source, offer.more);
    Some(row)
}
