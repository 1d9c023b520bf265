//! The next reading: the one that lowers the summed variance of undecided verdicts most.
//!
//! A verdict is undecided while its weakest hop lies within the wanted confidence of working or not. What
//! a reading would lower is known before it is taken: `(x_vᵀ C x_r)² / (x_rᵀ C x_r + s²)` for each verdict.

use std::collections::BTreeSet;

use super::calibrate::{HouseProof, Proof};
use super::house::LinkKey;
use super::regression::Sparse;
use crate::analysis::Analysis;
use crate::confidence::quantile;
use crate::site::DeviceId;
use crate::units::Db;

/// A reading that would tell something.
#[derive(Clone, Debug, PartialEq)]
pub struct ReadingWorth {
    /// From where; the one nearer to the hub.
    pub from: DeviceId,
    /// To where.
    pub to: DeviceId,
    /// By how much it lowers the summed variance of undecided verdicts, in dB².
    pub lowers: f64,
    /// Whose verdict it settles most.
    pub most_for: DeviceId,
}

/// What is to be read next.
#[derive(Clone, Debug, PartialEq)]
pub struct NextReading {
    /// Devices whose verdict is undecided.
    pub undecided: Vec<DeviceId>,
    /// Their summed variance, in dB².
    pub variance: f64,
    /// The best readings, the best first; empty where more change nothing.
    pub readings: Vec<ReadingWorth>,
}

/// Below this share of the summed variance a further reading changes nothing.
const WORTH: f64 = 0.01;
/// How many are told.
const MOST: usize = 5;
/// A link that is this far from being heard cannot be read, in decibels.
const CANNOT: Db = Db::new(-6.0);

struct Hop {
    device: DeviceId,
    link: LinkKey,
    x: Sparse,
    variance: f64,
}

/// What is to be read next, after what was read so far.
pub fn next(analysis: &Analysis, proof: &Proof) -> NextReading {
    let z = quantile(analysis.site.job.confidence.get());
    let read: BTreeSet<(DeviceId, DeviceId)> = proof
        .comparisons
        .iter()
        .flat_map(|c| [(c.from.clone(), c.to.clone()), (c.to.clone(), c.from.clone())])
        .collect();
    let proven = &proof.proven;
    let (mut hops, mut candidates) = (Vec::new(), Vec::new());
    for network in &analysis.networks {
        for outcome in &network.outcomes {
            let weakest = outcome.weakest().map(|h| (h.from.clone(), h.to.clone()));
            let best = || outcome.best_link.clone().map(|b| (b, outcome.device.clone()));
            let Some((from, to)) = weakest.or_else(best) else { continue };
            if read.contains(&(from.clone(), to.clone())) {
                continue;
            }
            let Some((margin, sigma, x)) = hop(analysis, proven, &from, &to) else { continue };
            if margin.get().abs() < z * sigma {
                let Some(link) = proven.link(&from, &to) else { continue };
                let (device, variance) = (outcome.device.clone(), sigma * sigma);
                hops.push(Hop { device, link, x, variance });
            }
        }
        for link in &network.links.all {
            let (a, b) = (&network.nodes[link.a], &network.nodes[link.b]);
            let ends = (a.device.clone(), b.device.clone());
            if link.margin() > CANNOT && !read.contains(&ends) {
                candidates.push(ends);
            }
        }
    }
    let variance: f64 = hops.iter().map(|h| h.variance).sum();
    let undecided = hops.iter().map(|h| h.device.clone()).collect();
    let mut readings: Vec<ReadingWorth> = Vec::new();
    if hops.is_empty() {
        return NextReading { undecided, variance, readings };
    }
    for (from, to) in likely(candidates, &hops, proven) {
        let Some(link) = proven.link(&from, &to) else { continue };
        let x = row(proven, link);
        let lowers = |h: &Hop| proven.house.posterior.would_lower(&h.x, &x);
        let each: Vec<f64> = hops.iter().map(lowers).collect();
        let best = each.iter().enumerate().max_by(|a, b| a.1.total_cmp(b.1));
        let Some((most, _)) = best else { continue };
        let most_for = hops[most].device.clone();
        readings.push(ReadingWorth { from, to, lowers: each.iter().sum(), most_for });
    }
    readings.retain(|w| w.lowers > WORTH * variance);
    readings.sort_by(|a, b| {
        b.lowers.total_cmp(&a.lowers).then_with(|| (&a.from, &a.to).cmp(&(&b.from, &b.to)))
    });
    readings.truncate(MOST);
    NextReading { undecided, variance, readings }
}

/// Of very many links those that touch an undecided hop, and of the rest an even choice: the walls between
/// are alike enough.
fn likely(
    candidates: Vec<(DeviceId, DeviceId)>,
    hops: &[Hop],
    proven: &HouseProof,
) -> Vec<(DeviceId, DeviceId)> {
    const MANY: usize = 3000;
    if candidates.len() <= MANY {
        return candidates;
    }
    let ends: BTreeSet<usize> = hops.iter().flat_map(|h| [h.link.a, h.link.b]).collect();
    let touches = |(a, b): &(DeviceId, DeviceId)| {
        proven.link(a, b).is_some_and(|l| ends.contains(&l.a) || ends.contains(&l.b))
    };
    let (mut kept, rest): (Vec<_>, Vec<_>) = candidates.into_iter().partition(touches);
    let step = kept.len().div_ceil(MANY).max(1);
    kept = kept.into_iter().step_by(step).collect();
    let step = rest.len().div_ceil(MANY / 3).max(1);
    kept.extend(rest.into_iter().step_by(step));
    kept
}

fn row(proven: &HouseProof, link: LinkKey) -> Sparse {
    let lean = proven.house.lean(link);
    proven.house.row(link, &lean).0
}

/// Margin in the worse direction, deviation and lean of a hop in the house as it was learned.
fn hop(
    analysis: &Analysis,
    proven: &HouseProof,
    from: &DeviceId,
    to: &DeviceId,
) -> Option<(Db, f64, Sparse)> {
    let (network, a) = analysis.find(from)?;
    let b = network.place_of(to)?;
    let (out, sigma) = proven.expected(from, to)?;
    let (back, _) = proven.expected(to, from)?;
    let margin = (out - network.nodes[b].needs).min(back - network.nodes[a].needs);
    let link = proven.link(from, to)?;
    Some((margin, sigma.get(), row(proven, link)))
}
