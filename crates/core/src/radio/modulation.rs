//! From signal margin to lost frames.

use std::f64::consts::{PI, TAU};

use crate::units::Db;

/// How bits are put on the carrier.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Modulation {
    /// O-QPSK with spreading, IEEE 802.15.4 at 2.4 GHz.
    Oqpsk,
    /// Non-coherent two-level frequency shift keying.
    Fsk,
    /// Frequency shift keying with modulation index 0.5, as Bluetooth sends.
    Gfsk,
}

impl Modulation {
    /// Bit error rate at a signal to interference and noise ratio (for FSK: Eb/N0).
    ///
    /// O-QPSK: IEEE 802.15.4-2006, annex E.4.1.8. FSK: `½·exp(−γ/2)`, Proakis, *Digital
    /// Communications*, § 5.4. GFSK: two correlated signals detected without phase, Proakis § 5.4.4,
    /// with `|ρ| = sin(πh)/(πh)`, `h = 0.5`; the Gaussian filter is neglected.
    pub fn bit_error_rate(self, sinr: Db) -> f64 {
        let linear = 10f64.powf(sinr.get() / 10.0);
        match self {
            Self::Fsk => 0.5 * (-linear / 2.0).exp(),
            Self::Gfsk => correlated_fsk(linear, 2.0 / PI),
            Self::Oqpsk => {
                let mut binomial = 16.0;
                let mut sum = 0.0;
                for k in 2..=16 {
                    let k = f64::from(k);
                    binomial *= (17.0 - k) / k;
                    let sign = if k % 2.0 == 0.0 { 1.0 } else { -1.0 };
                    sum += sign * binomial * (20.0 * linear * (1.0 / k - 1.0)).exp();
                }
                (8.0 / 15.0 / 16.0 * sum).clamp(0.0, 0.5)
            }
        }
    }

    /// The modulation of this name: `oqpsk`, `fsk` or `gfsk`.
    pub fn named(name: &str) -> Option<Self> {
        [("oqpsk", Self::Oqpsk), ("fsk", Self::Fsk), ("gfsk", Self::Gfsk)]
            .into_iter()
            .find_map(|(word, m)| (word == name).then_some(m))
    }

    /// Frame error rate: `1 − (1 − BER)^(8·bytes)`.
    pub fn packet_error_rate(self, sinr: Db, bytes: u32) -> f64 {
        let bits = 8.0 * f64::from(bytes);
        -(bits * (-self.bit_error_rate(sinr)).ln_1p()).exp_m1()
    }
}

/// Bit error rate of two signals with correlation `rho`, detected without phase.
///
/// `P = (1/4π)·∫ (1−ζ²)/(1+2ζ·sin θ+ζ²)·exp(−b²/2·(1+2ζ·sin θ+ζ²)) dθ` over a whole turn,
/// `a, b = √(γ/2·(1 ∓ √(1−ρ²)))`, `ζ = a/b`: the Marcum functions of Proakis, § 5.4.4, in the finite
/// form of Simon and Alouini, *Digital Communication over Fading Channels*, § 8.2.
fn correlated_fsk(gamma: f64, rho: f64) -> f64 {
    const STEPS: i32 = 256;
    let root = (1.0 - rho * rho).sqrt();
    let (a2, b2) = (gamma / 2.0 * (1.0 - root), gamma / 2.0 * (1.0 + root));
    if b2 <= 0.0 {
        return 0.5;
    }
    let zeta = (a2 / b2).sqrt();
    let at = |k: i32| {
        let theta = TAU * (f64::from(k) + 0.5) / f64::from(STEPS);
        let term = zeta.mul_add(2.0 * theta.sin(), zeta.mul_add(zeta, 1.0));
        (1.0 - zeta * zeta) / term * (-b2 / 2.0 * term).exp()
    };
    let mean = (0..STEPS).map(at).sum::<f64>() / f64::from(STEPS);
    (0.5 * mean).clamp(0.0, 0.5)
}

/// Frame length at which the planning profiles state their sensitivity.
pub const FRAME_BYTES: u32 = 20;

/// Delivery of a frame against margin, with tries, when the true margin scatters about the
/// computed one by a normal deviation that all tries share.
///
/// Anchored so that 1 % of the frames are lost at a margin of 0 dB without scatter.
#[derive(Clone, Debug)]
pub struct Delivery {
    per_at: Vec<f64>,
    /// How far the margin scatters, and the weight of it: the midpoint rule on ±4σ.
    scatter: [(Db, f64); STEPS],
}

/// Points at which the normal scatter is sampled.
const STEPS: usize = 40;

/// One point of the loss curve every quarter of a decibel, from −40 to +40 dB.
const CURVE: std::ops::RangeInclusive<i32> = -160..=160;

impl Delivery {
    /// The curve of a modulation; `sigma` is the scatter of the margin.
    pub fn new(modulation: Modulation, sigma: Db) -> Self {
        let (mut low, mut high) = (-20.0, 30.0);
        while high - low > 1e-9 {
            let middle = 0.5 * (low + high);
            let per = modulation.packet_error_rate(Db::new(middle), FRAME_BYTES);
            if per > 0.01 { low = middle } else { high = middle }
        }
        let anchored = |quarter: i32| Db::new(high + f64::from(quarter) / 4.0);
        let per_at =
            CURVE.map(|q| modulation.packet_error_rate(anchored(q), FRAME_BYTES)).collect();
        Self { per_at, scatter: scatter(sigma) }
    }

    /// Frame error rate at exactly this margin.
    #[expect(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        clippy::cast_precision_loss,
        reason = "the place is held within the curve"
    )]
    pub fn error_rate(&self, margin: Db) -> f64 {
        let last = self.per_at.len() - 2;
        let place = (margin.get() * 4.0 + 160.0).clamp(0.0, (last + 1) as f64);
        let low = (place as usize).min(last);
        let part = place - low as f64;
        self.per_at[low] + (self.per_at[low + 1] - self.per_at[low]) * part
    }

    /// The chance that one of `tries` tries arrives.
    pub fn success(&self, margin: Db, tries: i32) -> f64 {
        // The weights sum to one but for rounding.
        self.over_scatter(margin, |per| 1.0 - per.powi(tries)).min(1.0)
    }

    /// How many times a frame is sent, on average, when at most `tries` tries are made.
    pub fn expected_tries(&self, margin: Db, tries: i32) -> f64 {
        // 1 + PER + PER² + … + PER^(tries−1)
        self.over_scatter(margin, |per| (0..tries).map(|k| per.powi(k)).sum())
    }

    /// Mean over the scatter.
    fn over_scatter(&self, margin: Db, value: impl Fn(f64) -> f64) -> f64 {
        self.scatter.iter().map(|(off, w)| w * value(self.error_rate(margin + *off))).sum()
    }
}

fn scatter(sigma: Db) -> [(Db, f64); STEPS] {
    #[expect(clippy::cast_precision_loss, reason = "there are 40 steps")]
    let z = |step: usize| -4.0 + 8.0 * (step as f64 + 0.5) / STEPS as f64;
    let density = |z: f64| (-0.5 * z * z).exp();
    let whole: f64 = (0..STEPS).map(|s| density(z(s))).sum();
    std::array::from_fn(|step| (sigma * z(step), density(z(step)) / whole))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn error_rates_are_as_worked_out() {
        // Worked out from the formulas of IEEE 802.15.4 and Proakis in double precision.
        let per = |m: Modulation, sinr, bytes| m.packet_error_rate(Db::new(sinr), bytes);
        let close = |got: f64, want: f64| assert!((got / want - 1.0).abs() < 5e-3, "{got} {want}");
        close(per(Modulation::Oqpsk, 0.0, 20), 2.55e-2);
        close(per(Modulation::Oqpsk, 1.0, 20), 2.06e-3);
        close(Modulation::Oqpsk.bit_error_rate(Db::new(-2.0)), 5.197e-3);
        assert!((per(Modulation::Oqpsk, 0.40, 20) - 0.01).abs() < 3e-4);
        assert!((per(Modulation::Oqpsk, 1.09, 127) - 0.01).abs() < 3e-4);
        assert!((per(Modulation::Fsk, 12.54, 20) - 0.01).abs() < 3e-4);
    }

    #[test]
    fn without_correlation_two_signals_are_plain_fsk() {
        for gamma in [0.5, 2.0, 8.0, 20.0] {
            let plain = 0.5 * f64::exp(-gamma / 2.0);
            assert!((correlated_fsk(gamma, 0.0) / plain - 1.0).abs() < 1e-9, "{gamma}");
            assert!(correlated_fsk(gamma, 2.0 / PI) > plain);
        }
    }

    #[test]
    fn more_signal_never_loses_more_frames() {
        for m in [Modulation::Oqpsk, Modulation::Fsk, Modulation::Gfsk] {
            let rates: Vec<_> = (-200..=200)
                .map(|t| m.packet_error_rate(Db::new(f64::from(t) / 10.0), 20))
                .collect();
            assert!(rates.windows(2).all(|w| w[1] <= w[0] + 1e-12), "{m:?}");
        }
    }

    #[test]
    fn delivery_is_anchored_at_the_sensitivity() {
        for m in [Modulation::Oqpsk, Modulation::Fsk, Modulation::Gfsk] {
            let still = Delivery::new(m, Db::new(1e-9));
            assert!((still.success(Db::ZERO, 1) - 0.99).abs() < 1e-4);
            assert!((still.expected_tries(Db::ZERO, 4) - 1.0101).abs() < 1e-4);
        }
    }

    #[test]
    fn shared_scatter_makes_tries_worth_less_than_independent_ones() {
        let delivery = Delivery::new(Modulation::Oqpsk, Db::new(6.0));
        let once = delivery.success(Db::new(3.0), 1);
        let four = delivery.success(Db::new(3.0), 4);
        assert!(once < four && four < 1.0 - (1.0 - once).powi(4), "{once} {four}");
    }
}
