//! Predicted against measured, and a first calibration: the exponent and one offset.
//!
//! Bayesian linear regression with two unknowns. A residual is measured minus predicted level:
//! `r = −Δn·10·log10(d) − Δoffset + noise`. Priors: exponent ± 0.3, offset ± 3 dB, *planning values*.

use std::sync::Arc;

use crate::analysis::{Analysis, Options, PLANNING_SIGMA, analyse};
use crate::network::link::received;
use crate::propagation::{Model, NEAREST};
use crate::site::{Correction, DeviceId, ReadingId, Site};
use crate::units::{Db, Dbm};

/// A reading beside its prediction.
#[derive(Clone, Debug, PartialEq)]
pub struct Comparison {
    /// The reading.
    pub reading: ReadingId,
    /// The sender.
    pub from: DeviceId,
    /// The hearer.
    pub to: DeviceId,
    /// Length of the link in metres.
    pub distance_m: f64,
    /// The level heard.
    pub measured: Dbm,
    /// What the plan says, with the calibration in force.
    pub predicted: Dbm,
    /// What the proposed calibration says.
    pub calibrated: Dbm,
    /// Whether it differs from the plan by more than 2σ.
    pub differs: bool,
}

impl Comparison {
    /// Measured minus predicted: negative is weaker than planned.
    pub fn residual(&self) -> Db {
        self.measured - self.predicted
    }
}

/// All readings against the plan.
#[derive(Clone, Debug, PartialEq)]
pub struct Proof {
    /// Each reading whose two ends are radios of one network.
    pub comparisons: Vec<Comparison>,
    /// Readings whose ends share no network, which nothing predicts.
    pub strangers: Vec<ReadingId>,
    /// What the readings teach; needs three.
    pub proposed: Option<Correction>,
    /// Deviation of the model in force.
    pub sigma: Db,
}

/// Fewer readings teach nothing.
const FEWEST: usize = 3;
const PRIOR_EXPONENT: f64 = 0.3;
const PRIOR_OFFSET: f64 = 3.0;
/// No calibration claims to be surer than this.
const LEAST_SIGMA: Db = Db::new(2.5);

struct Sample {
    reading: ReadingId,
    from: DeviceId,
    to: DeviceId,
    distance_m: f64,
    measured: Dbm,
    predicted: Dbm,
    /// Before any calibration.
    uncalibrated: Dbm,
}

/// Compares every reading with the plan and proposes a calibration.
pub fn prove(analysis: &Analysis) -> Proof {
    let bare = uncalibrated(analysis);
    let (mut samples, mut strangers) = (Vec::new(), Vec::new());
    for reading in &analysis.site.readings {
        let predicted = predict(analysis, &reading.from, &reading.to);
        let without = predict(&bare, &reading.from, &reading.to);
        let (Some((predicted, distance_m)), Some((uncalibrated, _))) = (predicted, without) else {
            strangers.push(reading.id.clone());
            continue;
        };
        samples.push(Sample {
            reading: reading.id.clone(),
            from: reading.from.clone(),
            to: reading.to.clone(),
            distance_m,
            measured: reading.rssi_dbm,
            predicted,
            uncalibrated,
        });
    }
    let proposed = fit(&samples, analysis.options.model);
    let sigma = analysis.sigma;
    let comparisons = samples
        .into_iter()
        .map(|s| Comparison {
            calibrated: proposed.as_ref().map_or(s.predicted, |c| {
                s.uncalibrated + shift(c, analysis.options.model, s.distance_m)
            }),
            differs: (s.measured - s.predicted).get().abs() > 2.0 * sigma.get(),
            reading: s.reading,
            from: s.from,
            to: s.to,
            distance_m: s.distance_m,
            measured: s.measured,
            predicted: s.predicted,
        })
        .collect();
    Proof { comparisons, strangers, proposed, sigma }
}

fn uncalibrated(analysis: &Analysis) -> Analysis {
    if analysis.site.calibration.is_none() {
        return analysis.clone();
    }
    let site = Arc::new(Site { calibration: None, ..(*analysis.site).clone() });
    let options = Options { down: std::collections::BTreeSet::new(), ..analysis.options.clone() };
    analyse(&site, &options)
}

/// The level that the plan promises, and the length of the link.
fn predict(analysis: &Analysis, from: &DeviceId, to: &DeviceId) -> Option<(Dbm, f64)> {
    let (network, a) = analysis.find(from)?;
    let b = network.place_of(to)?;
    let (one, other) = (&network.nodes[a], &network.nodes[b]);
    let loss = network.link(a, b).path_loss;
    Some((received(one, other, loss), one.place.distance(other.place)))
}

fn decades(distance_m: f64) -> f64 {
    10.0 * distance_m.max(NEAREST.get()).log10()
}

/// How a calibration moves the level at a distance.
fn shift(c: &Correction, model: Model, distance_m: f64) -> Db {
    Db::new(-(c.exponent - model.exponent) * decades(distance_m)) - (c.offset_db - model.offset)
}

fn rmse(residuals: impl Iterator<Item = f64>) -> Db {
    let (count, sum) = residuals.fold((0.0, 0.0), |(n, s), r| (n + 1.0, s + r * r));
    Db::new(f64::sqrt(sum / f64::max(count, 1.0)))
}

/// The posterior mean of exponent and offset: `(XᵀX/σ² + Λ)⁻¹ Xᵀr/σ²`.
fn fit(samples: &[Sample], model: Model) -> Option<Correction> {
    if samples.len() < FEWEST {
        return None;
    }
    let sigma = PLANNING_SIGMA.get();
    let (mut a11, mut a12, mut a22) = (PRIOR_EXPONENT.powi(-2), 0.0, PRIOR_OFFSET.powi(-2));
    let (mut b1, mut b2) = (0.0, 0.0);
    let residual = |s: &Sample| (s.measured - s.uncalibrated).get();
    for s in samples {
        let (x1, x2, r) = (-decades(s.distance_m), -1.0, residual(s));
        a11 += x1 * x1 / (sigma * sigma);
        a12 += x1 * x2 / (sigma * sigma);
        a22 += x2 * x2 / (sigma * sigma);
        b1 += x1 * r / (sigma * sigma);
        b2 += x2 * r / (sigma * sigma);
    }
    let determinant = a11 * a22 - a12 * a12;
    let slope = (b1 * a22 - b2 * a12) / determinant;
    let offset = (a11 * b2 - a12 * b1) / determinant;
    let after = |s: &Sample| residual(s) + slope * decades(s.distance_m) + offset;
    let rmse_after_db = rmse(samples.iter().map(after));
    Some(Correction {
        exponent: (model.exponent + slope).clamp(1.0, 5.0),
        offset_db: model.offset + Db::new(offset),
        // Few readings leave much of the prior deviation in place.
        sigma_db: shrunk(rmse_after_db, samples.len()),
        rmse_before_db: rmse(samples.iter().map(residual)),
        rmse_after_db,
        readings: samples.len(),
    })
}

/// The deviation to plan with: the residual's and the planning value, weighted as if the latter
/// rested on eight readings (*planning value*), so that three lucky readings do not claim certainty.
fn shrunk(rmse: Db, readings: usize) -> Db {
    const WORTH: f64 = 8.0;
    #[expect(clippy::cast_precision_loss, reason = "a count of readings")]
    let n = readings as f64;
    let planned = PLANNING_SIGMA.get();
    let variance = (n * rmse.get().powi(2) + WORTH * planned.powi(2)) / (n + WORTH);
    Db::new(variance.sqrt()).max(LEAST_SIGMA)
}
