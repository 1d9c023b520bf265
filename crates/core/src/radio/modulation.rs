//! From signal margin to lost frames.

use std::f64::consts::{PI, TAU};

use crate::confidence::normal_cdf;
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
    /// BPSK on OFDM carriers with the convolutional code of rate ½: the most robust rate of Wi-Fi.
    Wifi,
}

/// Bytes of preamble, frame start and length before a frame: IEEE 802.15.4-2020, § 12.1.2.
pub const OVERHEAD_BYTES: u32 = 6;

impl Modulation {
    /// Bit error rate at a signal to interference and noise ratio (for FSK: Eb/N0).
    ///
    /// O-QPSK: IEEE 802.15.4-2006, annex E.4.1.8. FSK: `½·exp(−γ/2)`, Proakis, *Digital
    /// Communications*, § 5.4. GFSK: two correlated signals detected without phase, Proakis § 5.4.4,
    /// with `|ρ| = sin(πh)/(πh)`, `h = 0.5`; the Gaussian filter is neglected. Wi-Fi: union bound over
    /// the distances of the code (133, 171) with soft decisions, Proakis § 8.2.4, the ratio that of one
    /// coded symbol.
    pub fn bit_error_rate(self, sinr: Db) -> f64 {
        let linear = 10f64.powf(sinr.get() / 10.0);
        match self {
            Self::Fsk => 0.5 * (-linear / 2.0).exp(),
            Self::Gfsk => correlated_fsk(linear, 2.0 / PI),
            Self::Wifi => coded_bpsk(linear),
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

    /// Each with its name.
    pub const ALL: [(&'static str, Self); 4] =
        [("oqpsk", Self::Oqpsk), ("fsk", Self::Fsk), ("gfsk", Self::Gfsk), ("wifi", Self::Wifi)];

    /// The modulation of this name.
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find_map(|(word, m)| (word == name).then_some(m))
    }

    /// Time that a frame of so many bytes is on the air, in milliseconds, preamble and header
    /// included: 250 kbit/s, 100 kbit/s, 1 Mbit/s, 6 Mbit/s.
    pub fn frame_ms(self, bytes: u32) -> f64 {
        let byte_us = match self {
            Self::Oqpsk => 32.0,
            Self::Fsk => 80.0,
            Self::Gfsk => 8.0,
            Self::Wifi => 8.0 / 6.0,
        };
        f64::from(bytes + OVERHEAD_BYTES) * byte_us / 1000.0
    }

    /// Frame error rate: `1 − (1 − BER)^(8·bytes)`.
    pub fn packet_error_rate(self, sinr: Db, bytes: u32) -> f64 {
        let bits = 8.0 * f64::from(bytes);
        -(bits * (-self.bit_error_rate(sinr)).ln_1p()).exp_m1()
    }
}

/// Bit error rate of BPSK through the code (133, 171) of rate ½, by the union bound over its first
/// distances: 10, 12, … with 36, 211, … wrong bits. Source: Proakis, table 8.2-1 and § 8.2.4.
fn coded_bpsk(symbol_ratio: f64) -> f64 {
    const WRONG_BITS: [(f64, f64); 6] = [
        (10.0, 36.0),
        (12.0, 211.0),
        (14.0, 1404.0),
        (16.0, 11_633.0),
        (18.0, 77_433.0),
        (20.0, 502_690.0),
    ];
    let pairwise = |(d, bits): (f64, f64)| bits * normal_cdf(-(2.0 * d * symbol_ratio).sqrt());
    WRONG_BITS.into_iter().map(pairwise).sum::<f64>().min(0.5)
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

/// The shares of time in which frames are met by others on a channel, each with how much it raises the
/// noise.
pub type Hits = Vec<(f64, Db)>;

/// Delivery of a frame against margin, with tries, when the true margin scatters about the
/// computed one by a normal deviation that all tries share.
///
/// Anchored so that 1 % of the frames are lost at a margin of 0 dB without scatter.
#[derive(Clone, Debug)]
pub struct Delivery {
    per_at: Vec<f64>,
    /// The ratio at which 1 % of the frames are lost.
    anchor: Db,
    /// How far the margin scatters, and the weight of it: the midpoint rule on ±4σ.
    scatter: [(Db, f64); STEPS],
}

/// Points at which the normal scatter is sampled.
const STEPS: usize = 40;

/// One point of the loss curve every quarter of a decibel, from −40 to +100 dB.
const CURVE: std::ops::RangeInclusive<i32> = -160..=400;

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
        Self { per_at, anchor: Db::new(high), scatter: scatter(sigma) }
    }

    /// The ratio of signal to noise at which 1 % of the frames are lost.
    pub fn anchor(&self) -> Db {
        self.anchor
    }

    /// The same curve where some frames are hit by others: a frame lies within each of these shares of
    /// time with the noise raised by so much, and outside all of them with its noise alone.
    #[must_use]
    pub fn under(&self, hits: &[(f64, Db)]) -> Self {
        let at = |margin: Db| self.error_rate_under(hits, margin);
        let per_at = CURVE.map(|quarter| at(Db::new(f64::from(quarter) / 4.0))).collect();
        Self { per_at, ..self.clone() }
    }

    /// The mean of several curves: a frame goes by one of them as well as by another.
    #[must_use]
    pub fn mean(&self, curves: &[Self]) -> Self {
        #[expect(clippy::cast_precision_loss, reason = "three channels")]
        let count = curves.len().max(1) as f64;
        let at = |n: usize| curves.iter().map(|c| c.per_at[n]).sum::<f64>() / count;
        Self { per_at: (0..self.per_at.len()).map(at).collect(), ..self.clone() }
    }

    /// The least margin, from nought on, at which 99 % are delivered by so many tries, without scatter.
    pub fn least_margin(&self, tries: i32) -> Db {
        least_margin(tries, |margin| self.error_rate(margin))
    }

    /// The same for the mean of [`Delivery::under`] each of these, without working out whole curves.
    pub fn least_margin_under(&self, by_channel: &[Hits], tries: i32) -> Db {
        least_margin(tries, |margin| self.error_rate_over(by_channel, margin))
    }

    /// The chance that a frame sent once arrives, likewise.
    pub fn once_under(&self, by_channel: &[Hits], margin: Db) -> f64 {
        let at = |(off, w): &(Db, f64)| w * (1.0 - self.error_rate_over(by_channel, margin + *off));
        self.scatter.iter().map(at).sum::<f64>().min(1.0)
    }

    fn error_rate_over(&self, by_channel: &[Hits], margin: Db) -> f64 {
        if by_channel.is_empty() {
            return self.error_rate(margin);
        }
        #[expect(clippy::cast_precision_loss, reason = "three channels")]
        let count = by_channel.len() as f64;
        by_channel.iter().map(|hits| self.error_rate_under(hits, margin)).sum::<f64>() / count
    }

    fn error_rate_under(&self, hits: &[(f64, Db)], margin: Db) -> f64 {
        let spared = 1.0 - hits.iter().map(|(share, _)| share).sum::<f64>();
        let hit = |(share, rise): &(f64, Db)| share * self.error_rate(margin - *rise);
        spared * self.error_rate(margin) + hits.iter().map(hit).sum::<f64>()
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

/// The least margin, from nought on, at which 99 % are delivered by so many tries.
fn least_margin(tries: i32, error_rate: impl Fn(Db) -> f64) -> Db {
    let fails = |margin: f64| 1.0 - error_rate(Db::new(margin)).powi(tries) < 0.99 - 1e-9;
    let (mut low, mut high) = (0.0, 100.0);
    if !fails(low) {
        return Db::ZERO;
    }
    while high - low > 1e-6 {
        let middle = 0.5 * (low + high);
        if fails(middle) { low = middle } else { high = middle }
    }
    Db::new(high)
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
        for (_, m) in Modulation::ALL {
            let rates: Vec<_> = (-200..=200)
                .map(|t| m.packet_error_rate(Db::new(f64::from(t) / 10.0), 20))
                .collect();
            assert!(rates.windows(2).all(|w| w[1] <= w[0] + 1e-12), "{m:?}");
        }
    }

    #[test]
    fn delivery_is_anchored_at_the_sensitivity() {
        for (_, m) in Modulation::ALL {
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
