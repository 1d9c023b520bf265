//! The sums behind it, against a slow twin and the laws that they keep.

use std::sync::Arc;

use dot_reach_core::building::structure::{Doors, Structure};
use dot_reach_core::geometry::Place;
use dot_reach_core::learned::gauss::Symmetric;
use dot_reach_core::propagation::{Medium, Model};
use dot_reach_core::prove::regression::{NoisePriors, Observed, Prior, fit};
use dot_reach_core::simulate::normal;
use dot_reach_core::units::{Db, Megahertz};
use dot_reach_standin::houses::larkfield_mill;
use proptest::prelude::*;
use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::{Rng, SeedableRng};
use serde_json::{Value, json};

use crate::calibration::{SPOTS, field, readings, taught};

/// Links that lean on few unknowns, with what they would tell by a truth that is drawn.
fn drawn(seed: u64, links: usize, unknowns: usize) -> (Vec<Observed>, Prior) {
    let mut random = ChaCha8Rng::seed_from_u64(seed);
    let truth: Vec<f64> = (0..unknowns).map(|_| 2.0 * normal(&mut random)).collect();
    let noise = NoisePriors::PLANNED;
    let mut all = Vec::new();
    for _ in 0..links {
        let mut x: Vec<(usize, f64)> = Vec::new();
        for _ in 0..4 {
            let at = random.next_u32() as usize % unknowns;
            if x.iter().all(|(i, _)| *i != at) {
                x.push((at, 1.0 + 0.3 * normal(&mut random)));
            }
        }
        let own = noise.link * normal(&mut random);
        let level: f64 = x.iter().map(|(i, v)| truth[*i] * v).sum::<f64>() + own;
        let count = 1 + random.next_u32() % 3;
        let y = (0..count).map(|_| level + noise.reading * normal(&mut random)).collect();
        all.push(Observed { x, y });
    }
    let mut precision = Symmetric::zero(unknowns);
    (0..unknowns).for_each(|i| precision.set(i, i, 1.0 / 9.0));
    (all, Prior { precision, may_be_odd: Vec::new() })
}

/// The posterior by the whole covariance of all readings: `m = P Xᵀ Σ⁻¹ y`, `C = P − P Xᵀ Σ⁻¹ X P`.
#[expect(clippy::unwrap_used, reason = "a covariance with noise has an inverse")]
fn slowly(links: &[Observed], noise: NoisePriors) -> (Vec<f64>, Vec<f64>) {
    let rows: Vec<(usize, &Observed, f64)> =
        links.iter().enumerate().flat_map(|(l, o)| o.y.iter().map(move |y| (l, o, *y))).collect();
    let unknowns = links.iter().flat_map(|o| o.x.iter().map(|x| x.0)).max().unwrap_or(0) + 1;
    let mut sigma = Symmetric::zero(rows.len());
    for (i, (l, a, _)) in rows.iter().enumerate() {
        for (j, (m, b, _)) in rows.iter().enumerate().take(i + 1) {
            let shared: f64 =
                a.x.iter()
                    .map(|(u, v)| {
                        b.x.iter().filter(|(w, _)| w == u).map(|(_, z)| 9.0 * v * z).sum::<f64>()
                    })
                    .sum();
            let link = if l == m { noise.link.powi(2) } else { 0.0 };
            let own = if i == j { noise.reading.powi(2) } else { 0.0 };
            sigma.set(i, j, shared + link + own);
        }
    }
    let inverse = sigma.inverse().unwrap();
    let lean = |u: usize| -> Vec<f64> {
        let of = |o: &Observed| o.x.iter().filter(|(i, _)| *i == u).map(|(_, v)| 9.0 * v).sum();
        rows.iter().map(|(_, o, _)| of(o)).collect()
    };
    let (mut mean, mut variance) = (Vec::new(), Vec::new());
    for u in 0..unknowns {
        let p = lean(u);
        let solved: Vec<f64> = (0..rows.len())
            .map(|i| (0..rows.len()).map(|j| inverse.at(i, j) * p[j]).sum())
            .collect();
        mean.push(solved.iter().zip(&rows).map(|(s, r)| s * r.2).sum());
        variance.push(9.0 - solved.iter().zip(&p).map(|(s, p)| s * p).sum::<f64>());
    }
    (mean, variance)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    #[test]
    fn the_regression_is_the_slow_solution(seed in 0..10_000u64, links in 1..14usize) {
        let (links, prior) = drawn(seed, links, 6);
        let noise = NoisePriors { gross: 1e-12, ..NoisePriors::PLANNED };
        let got = fit(&links, &prior, noise).unwrap();
        prop_assert!(got.aside.iter().flatten().all(|a| !a));
        let (mean, variance) = slowly(&links, noise);
        for (u, (m, v)) in mean.iter().zip(&variance).enumerate() {
            prop_assert!((got.mean[u] - m).abs() < 1e-8, "{} {}", got.mean[u], m);
            prop_assert!((got.covariance.at(u, u) - v).abs() < 1e-8);
        }
    }

    #[test]
    fn a_reading_never_raises_the_variance_of_anything(seed in 0..10_000u64, links in 2..12usize) {
        let (links, prior) = drawn(seed, links, 6);
        let noise = NoisePriors { gross: 1e-12, ..NoisePriors::PLANNED };
        let (less, more) =
            (fit(&links[1..], &prior, noise).unwrap(), fit(&links, &prior, noise).unwrap());
        let mut random = ChaCha8Rng::seed_from_u64(seed);
        for _ in 0..10 {
            let x: Vec<(usize, f64)> = (0..6).map(|i| (i, normal(&mut random))).collect();
            let (before, after) = (less.covariance.between(&x, &x), more.covariance.between(&x, &x));
            prop_assert!(after <= before + 1e-9, "{before} became {after}");
        }
    }

    #[test]
    fn what_it_would_lower_is_what_it_lowers(seed in 0..10_000u64) {
        let (mut links, prior) = drawn(seed, 8, 6);
        links[0].y.truncate(1);
        let noise = NoisePriors { gross: 1e-12, ..NoisePriors::PLANNED };
        let (less, more) =
            (fit(&links[1..], &prior, noise).unwrap(), fit(&links, &prior, noise).unwrap());
        let x = links[3].x.clone();
        let told = less.would_lower(&x, &links[0].x) / less.wider.powi(2);
        let got = less.covariance.between(&x, &x) - more.covariance.between(&x, &x);
        prop_assert!((told - got).abs() < 1e-8, "{told} against {got}");
    }

    #[test]
    fn the_order_of_readings_does_not_matter(seed in 0..1000u64) {
        let site = field();
        let mut random = ChaCha8Rng::seed_from_u64(seed);
        let errors: Vec<f64> = (0..SPOTS).map(|_| 4.0 * normal(&mut random)).collect();
        let edits = readings(&site, &errors);
        let one = taught(&site, &edits).proposed.unwrap();
        // Told in another order, under other ids.
        let other: Vec<Value> = edits.iter().rev().enumerate().map(|(n, e)| {
            let mut e = e.clone();
            e["value"]["id"] = json!(format!("q{:03}", (n * 7 + 5) % SPOTS + 100 * (n % 3)));
            e
        }).collect();
        let other = taught(&site, &other).proposed.unwrap();
        prop_assert_eq!(one.learned, other.learned);
        prop_assert_eq!(one.spread, other.spread);
    }
}

#[test]
fn fewer_than_three_readings_teach_nothing_and_none_moves_nothing() {
    let site = field();
    for count in 0..5 {
        let edits = readings(&site, &vec![0.0; count]);
        let proof = taught(&site, &edits);
        assert_eq!(proof.proposed.is_some(), count >= 3, "{count} readings");
        for c in &proof.corrections {
            assert!(c.db.abs() < 1e-6, "as planned: {c:?}");
            if c.readings == 0 {
                let prior = if c.kind == "offset" { 2.0 } else { 3.0 };
                assert!((c.sigma_db - prior).abs() < 1e-9, "{c:?}");
            } else if c.kind != "device" {
                assert!(c.sigma_db < 3.0, "{c:?}");
            }
        }
    }
}

#[test]
fn what_a_loss_leans_on_is_how_it_moves() {
    let site = larkfield_mill();
    let structure = Arc::new(Structure::new(&site, Doors::AsDrawn));
    let medium = Medium::new(&structure, Megahertz::new(2440.0), Model::default());
    let mut random = ChaCha8Rng::seed_from_u64(4);
    let mut at = |most: f64| most * f64::from(random.next_u32()) / f64::from(u32::MAX);
    for _ in 0..60 {
        let (a, b) =
            (Place::new(at(14.0), at(9.0), 1.1), Place::new(at(14.0), at(9.0), 0.5 + at(5.0)));
        let stations = (medium.station(a), medium.station(b));
        let lean = medium.lean(&stations.0, &stations.1);
        assert!((lean.loss - medium.loss(a, b)).get().abs() < 1e-9);
        let more = |c: usize, by: f64| {
            let mut all = vec![Db::ZERO; structure.constructions.len()];
            all[c] = Db::new(by);
            medium.learned(&Arc::new(all)).loss(a, b).get()
        };
        for c in 0..structure.constructions.len() {
            let moved = (more(c, 0.05) - more(c, -0.05)) / 0.1;
            let told = lean.constructions.iter().find(|(k, _)| *k == c).map_or(0.0, |(_, n)| *n);
            assert!((moved - told).abs() < 0.06, "{c}: moves {moved}, leans {told}");
        }
        let exponent = |by: f64| {
            let model = Model { exponent: 2.0 + by, ..Model::default() };
            medium.with(model).loss(a, b).get()
        };
        let moved = (exponent(0.005) - exponent(-0.005)) / 0.1;
        assert!((moved - lean.decades).abs() < 0.05, "{moved} against {}", lean.decades);
    }
}
