//! What is learned of drawn houses, held against what they really are.

use std::collections::BTreeMap;

use dot_reach_core::prove::gains::{Answer, Asked, GainSurvey, taught};
use dot_reach_core::site::Site;
use dot_reach_standin::drawn::{Differs, Drawn};
use dot_reach_standin::houses;

fn rmse(pairs: impl Iterator<Item = (f64, f64)>) -> f64 {
    let (n, s) = pairs.fold((0.0, 0.0), |(n, s), (a, b): (f64, f64)| (n + 1.0, s + (a - b).powi(2)));
    f64::sqrt(s / f64::max(n, 1.0))
}

fn answer(site: &Site, house: &Drawn, read: &[(Asked, f64)], asked: &[(Asked, f64)]) -> Answer {
    let survey = GainSurvey {
        read: read.to_vec(),
        asked: asked.iter().map(|a| a.0).collect(),
        ..house.ends.clone()
    };
    taught(site, &survey)
}

#[test]
#[ignore]
fn explore() {
    for name in ["larkfield-mill", "quay-court"] {
        let site = houses::named(name).unwrap();
        let mut heavier = BTreeMap::new();
        for c in ["stud-wall","block-100","oak-boarded","lath-plaster","brick-102","concrete-200","concrete-150","timber-floor","oak-floor","slab-reinforced-200","beam-and-block","window-double","window-single","low-e-glazing","timber-floor-acoustic"] {
            heavier.insert(c.to_string(), 5.0);
        }
        for (devices, constructions, gr) in [(2.0, 0.0, 2), (2.0, 3.0, 0), (3.0, 3.0, 0)] {
            let differs = Differs { heavier: if constructions > 2.5 { BTreeMap::new() } else { heavier.clone() }, constructions, exponent: if constructions > 2.5 {0.3} else {0.0}, devices, fades: 3.0, in_metal: usize::from(constructions < 2.5) };
            for count in [12usize, 30, 60] {
                let (mut before, mut after, mut inside, mut n, mut named, mut gross, mut metal) = (0.0, 0.0, 0, 0, 0, 0, 0);
                let (mut z2, mut false_named) = (0.0, 0);
                let mut sig = 0.0;
                const H: u64 = 30;
                for seed in 0..H {
                    let mut house = Drawn::new(&site, &differs, seed);
                    let (mut read, left) = house.some(count);
                    let spoiled = house.spoil(&mut read, gr);
                    let plan = answer(&site, &house, &[], &left);
                    let told = answer(&site, &house, &read, &left);
                    before += rmse(plan.predictions.iter().map(|p| p.0).zip(left.iter().map(|l| l.1)));
                    after += rmse(told.predictions.iter().map(|p| p.0).zip(left.iter().map(|l| l.1)));
                    for (p, l) in told.predictions.iter().zip(&left) {
                        inside += usize::from((p.0 - l.1).abs() < 1.96 * p.1); n += 1;
                        z2 += ((p.0 - l.1)/p.1).powi(2); sig += p.1;
                    }
                    let out: Vec<usize> = told.outliers.iter().map(|o| o.0).collect();
                    gross += spoiled.len(); named += spoiled.iter().filter(|s| out.contains(s)).count();
                    false_named += out.iter().filter(|o| !spoiled.contains(o)).count();
                }
                println!("{name} dev {devices} con {constructions} n {count}: {:.2} -> {:.2} ({:.0}%) inside {:.1}% z {:.2} sig {:.1} named {named}/{gross} false {false_named}", before / H as f64, after / H as f64, 100.0 * (1.0 - after / before), 100.0 * inside as f64 / n as f64, f64::sqrt(z2 / n as f64), sig / n as f64);
            }
        }
    }
}
