//! What readings teach, as it is told and as it is kept in the job once accepted.

use std::collections::{BTreeMap, BTreeSet};

use super::calibrate::HouseProof;
use super::gains::{Taught, of_building};
use super::house::Unknown;
use crate::analysis::{Analysis, PLANNING_SIGMA};
use crate::site::{Correction, DeviceId, LearnedLink, LearnedOf, LearnedRow};
use crate::units::Db;

/// The calibration that so many readings that count propose.
pub(super) fn proposed(
    analysis: &Analysis,
    proven: &HouseProof,
    [rmse_before_db, rmse_after_db]: [Db; 2],
    readings: usize,
) -> Correction {
    let exponent = proven.house.correction(Unknown::Exponent).0 / 10.0;
    let (learned, spread, links) = learned(analysis, proven);
    Correction {
        exponent: (analysis.options.model.exponent + exponent).clamp(1.0, 5.0),
        offset_db: Db::ZERO,
        sigma_db: typical_sigma(analysis, proven),
        rmse_before_db,
        rmse_after_db,
        readings,
        at: String::new(),
        learned,
        spread,
        links,
        noise_db: proven.house.noise().map(|n| rounded(n, 1e4)),
    }
}

/// All corrections; what no reading tells of stands at its prior.
pub(super) fn corrections(analysis: &Analysis, proven: &HouseProof) -> Vec<Taught> {
    let house = &proven.house;
    let mut all = of_building(house, &analysis.structure, &proven.frequencies);
    for (group, network) in proven.networks.iter().enumerate() {
        let mhz = Some(proven.frequency(group).get());
        let unknown = Unknown::Offset(group);
        all.push(Taught::of(house, "offset", network.as_str(), mhz, unknown));
    }
    for (id, (_, radio)) in &proven.nodes {
        let unknown = Unknown::Device(radio.end);
        all.push(Taught::of(house, "device", id.as_str(), None, unknown));
    }
    all
}

fn rounded(value: f64, by: f64) -> Db {
    Db::new((value * by).round() / by)
}

type Learned = (Vec<LearnedRow>, Vec<f64>, Vec<LearnedLink>);

/// What was learned, as it is kept in the job.
fn learned(analysis: &Analysis, proven: &HouseProof) -> Learned {
    let device_of: BTreeMap<usize, &DeviceId> =
        proven.nodes.iter().map(|(id, (_, r))| (r.end, id)).collect();
    let construction = |c: usize| analysis.structure.constructions[c].id.clone();
    let of = |unknown: &Unknown| match unknown {
        Unknown::Exponent => Some(LearnedOf::Exponent),
        Unknown::Offset(g) => Some(LearnedOf::Network { id: proven.networks[*g].clone() }),
        Unknown::Construction(c, band) => {
            Some(LearnedOf::Construction { id: construction(*c), band: *band })
        }
        Unknown::Device(end) => {
            device_of.get(end).map(|id| LearnedOf::Device { id: (*id).clone() })
        }
    };
    let house = &proven.house;
    let kept: Vec<(usize, LearnedOf)> =
        house.unknowns.iter().enumerate().filter_map(|(i, u)| Some((i, of(u)?))).collect();
    let rows = kept
        .iter()
        .map(|(i, of)| LearnedRow { of: of.clone(), db: rounded(house.posterior.mean[*i], 1e3) });
    let mut spread = Vec::new();
    for (a, (i, _)) in kept.iter().enumerate() {
        for (j, _) in &kept[..=a] {
            let cell = house.posterior.covariance.at(*i, *j) * house.posterior.wider.powi(2);
            spread.push((cell * 1e4).round() / 1e4);
        }
    }
    let links = house.links_read().into_iter().filter_map(|(link, db, share)| {
        let (from, to) = (device_of.get(&link.a)?, device_of.get(&link.b)?);
        Some(LearnedLink {
            network: proven.networks[link.group].clone(),
            from: (*from).clone(),
            to: (*to).clone(),
            db: rounded(db, 1e3),
            share,
        })
    });
    (rows.collect(), spread, links.collect())
}

/// The middle deviation of the links that the plan's routes take, one that was not read.
fn typical_sigma(analysis: &Analysis, proven: &HouseProof) -> Db {
    const MOST: usize = 200;
    let hops = analysis.networks.iter().flat_map(|n| &n.outcomes).flat_map(|o| o.hops.iter());
    let links: BTreeSet<(DeviceId, DeviceId)> =
        hops.map(|h| (h.from.clone(), h.to.clone())).collect();
    let step = links.len().div_ceil(MOST).max(1);
    let mut sigmas: Vec<f64> = Vec::new();
    for (from, to) in links.iter().step_by(step) {
        if let Some(link) = proven.link(from, to) {
            let lean = proven.house.lean(link);
            sigmas.push(proven.house.expected_unread(link, &lean).sigma);
        }
    }
    sigmas.sort_by(f64::total_cmp);
    let middle = sigmas.get(sigmas.len() / 2).copied();
    Db::new(middle.unwrap_or(PLANNING_SIGMA.get()).clamp(0.5, 20.0))
}
