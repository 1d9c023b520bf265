//! The normal distribution, as far as confidence needs it.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::units::Db;

/// How sure a single link must be, between 50 % and 99.9 %.
#[derive(Clone, Copy, Debug, PartialEq, PartialOrd, Serialize, Deserialize, JsonSchema)]
#[serde(try_from = "f64", into = "f64")]
pub struct Confidence(f64);

/// A confidence outside what the model can speak of.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("confidence must lie between 0.5 and 0.999; 0.95 is usual")]
pub struct ConfidenceError;

impl Confidence {
    /// A share of 1: 0.95 is 95 %.
    ///
    /// # Errors
    /// Outside 0.5 to 0.999.
    pub fn new(share: f64) -> Result<Self, ConfidenceError> {
        if (0.5..=0.999).contains(&share) { Ok(Self(share)) } else { Err(ConfidenceError) }
    }
    /// The share of 1.
    pub fn get(self) -> f64 {
        self.0
    }
    /// The margin that a link needs: `z(p)·σ`.
    ///
    /// ```
    /// # use dot_reach_core::{confidence::Confidence, units::Db};
    /// let target = Confidence::new(0.95).unwrap().target_margin(Db::new(6.0));
    /// assert_eq!(format!("{target:.2}"), "9.87 dB");
    /// ```
    pub fn target_margin(self, sigma: Db) -> Db {
        sigma * quantile(self.0)
    }
}

impl TryFrom<f64> for Confidence {
    type Error = ConfidenceError;
    fn try_from(share: f64) -> Result<Self, ConfidenceError> {
        Self::new(share)
    }
}
impl From<Confidence> for f64 {
    fn from(c: Confidence) -> f64 {
        c.0
    }
}

/// `Φ(x)`: the chance that a standard normal variable is below `x`.
pub fn normal_cdf(x: f64) -> f64 {
    0.5 * libm::erfc(-x / std::f64::consts::SQRT_2)
}

/// `z(p)`, the inverse of [`normal_cdf`], by bisection to 1e-12.
pub fn quantile(p: f64) -> f64 {
    let (mut low, mut high) = (-9.0, 9.0);
    while high - low > 1e-12 {
        let middle = 0.5 * (low + high);
        if normal_cdf(middle) < p { low = middle } else { high = middle }
    }
    0.5 * (low + high)
}

/// The chance that a link with this margin works, when the model errs by `sigma`: `Φ(margin/σ)`.
pub fn link_confidence(margin: Db, sigma: Db) -> f64 {
    normal_cdf(margin / sigma)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn target_margins_are_as_worked_out_by_hand() {
        // z(0.95) = 1.644854, z(0.99) = 2.326348 (tables of the normal distribution).
        for (p, sigma, want) in [(0.95, 6.0, 9.869), (0.99, 3.5, 8.142), (0.5, 6.0, 0.0)] {
            let got = Confidence::new(p).unwrap().target_margin(Db::new(sigma)).get();
            assert!((got - want).abs() < 1e-3, "{p} {sigma}: {got}");
        }
    }

    #[test]
    fn a_confidence_of_one_is_refused() {
        assert!(Confidence::new(1.0).is_err());
        assert!(Confidence::new(f64::NAN).is_err());
    }
}
