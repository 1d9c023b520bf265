//! Loss at an edge around which a path bends.

use crate::units::{Db, Megahertz};

/// Loss of a single knife edge by how much longer the bent path is than the straight one.
///
/// `ν = 2·√(Δ/λ)`, `J(ν) = 6.9 + 20·log10(√((ν − 0.1)² + 1) + ν − 0.1)`. Source: Rec. ITU-R P.526-15,
/// § 4.1: its `ν = h·√(2/λ·(1/d₁ + 1/d₂))` written with the excess length `Δ = h²/2·(1/d₁ + 1/d₂)`,
/// which stays exact where the bend is no longer small. Grazing costs 6 dB.
///
/// ```
/// # use dot_reach_core::{propagation::knife_edge_loss, units::Megahertz};
/// assert_eq!(format!("{:.2}", knife_edge_loss(0.0, Megahertz::new(2440.0))), "6.03 dB");
/// ```
pub fn knife_edge_loss(longer_m: f64, f: Megahertz) -> Db {
    let nu = 2.0 * (longer_m.max(0.0) / f.wavelength().get()).sqrt();
    let past = nu - 0.1;
    Db::new(6.9 + 20.0 * (past.mul_add(past, 1.0).sqrt() + past).log10())
}

/// The same as the factor by which amplitude falls: `10^(J/20)`.
#[inline]
pub(super) fn knife_edge_factor(longer_m: f64, f: Megahertz) -> f64 {
    let past = 2.0 * (longer_m.max(0.0) / f.wavelength().get()).sqrt() - 0.1;
    // 10^(6.9/20)
    2.213_094_709_606_3 * (past.mul_add(past, 1.0).sqrt() + past)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// `J(ν) = −20·log10(√([1 − C(ν) − S(ν)]² + [C(ν) − S(ν)]²)/2)` with the Fresnel integrals `C` and
    /// `S` summed up. Source: Rec. ITU-R P.526-15, § 4.1, equation (30).
    fn exact(nu: f64) -> f64 {
        let steps = 20_000;
        let step = nu / f64::from(steps);
        let (mut c, mut s) = (0.0, 0.0);
        for i in 0..steps {
            let t = (f64::from(i) + 0.5) * step;
            let phase = std::f64::consts::FRAC_PI_2 * t * t;
            c += phase.cos() * step;
            s += phase.sin() * step;
        }
        -20.0 * ((1.0 - c - s).hypot(c - s) / 2.0).log10()
    }

    #[test]
    fn edges_cost_what_the_fresnel_integrals_give() {
        // J(1) = 13.86 dB and J(2.4) = 20.6 dB by tables of the integrals.
        assert!((exact(1.0) - 13.86).abs() < 0.01 && (exact(2.4) - 20.62).abs() < 0.02);
        let f = Megahertz::new(299.792_458);
        for tenth in 0..=60 {
            let nu = f64::from(tenth) / 10.0;
            let quick = knife_edge_loss(nu * nu / 4.0, f).get();
            assert!((quick - exact(nu)).abs() < 0.35, "{nu}: {quick} against {}", exact(nu));
        }
    }

    #[test]
    fn the_factor_is_the_loss_as_an_amplitude() {
        let f = Megahertz::new(868.42);
        for longer in [0.0, 0.01, 0.3, 5.0] {
            let loss = 20.0 * knife_edge_factor(longer, f).log10();
            assert!((loss - knife_edge_loss(longer, f).get()).abs() < 1e-9, "{longer}");
        }
    }

    #[test]
    fn a_longer_way_round_or_a_higher_frequency_never_costs_less() {
        let f = Megahertz::new;
        for tenth in 0..100 {
            let d = f64::from(tenth) / 10.0;
            assert!(knife_edge_loss(d + 0.1, f(868.0)) > knife_edge_loss(d, f(868.0)));
            assert!(knife_edge_loss(d, f(2440.0)) >= knife_edge_loss(d, f(868.0)));
        }
    }
}
