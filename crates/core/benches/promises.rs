//! The speeds that are promised, each with its answer checked first. Run with `cargo bench`.
#![expect(clippy::expect_used, reason = "a bench that cannot build its house has failed")]
#![expect(clippy::cast_precision_loss, reason = "small counts and 53 random bits")]
#![expect(
    clippy::print_stderr,
    reason = "how much dearer a quick answer is stands beside the times"
)]

use std::ops::ControlFlow;
use std::sync::Arc;

use divan::Bencher;
use divan::counter::ItemsCount;
use dot_reach_core::analysis::{Options, analyse, analyse_after};
use dot_reach_core::building::fan::Fan;
use dot_reach_core::building::structure::{Doors, Structure};
use dot_reach_core::coverage::{Handset, Request, coverage};
use dot_reach_core::geometry::Place;
use dot_reach_core::placement::problem::{Demand, NodeUse, Problem, Status};
use dot_reach_core::placement::search::{greedy, solve};
use dot_reach_core::prove::gains::{GainSurvey, taught};
use dot_reach_core::site::{Edit, Kind, Site, Wall, apply};
use dot_reach_core::units::Metres;
use dot_reach_standin::drawn::{Deviations, Drawn};
use dot_reach_standin::houses::{larkfield_mill, tern_row, tower};

fn main() {
    divan::main();
}

/// Promise: a full analysis of the Mill within 30 ms.
#[divan::bench]
fn mill_full_analysis(bencher: Bencher<'_, '_>) {
    let site = Arc::new(larkfield_mill());
    assert_eq!(analyse(&site, &Options::default()).networks.len(), 3);
    bencher.bench(|| analyse(&site, &Options::default()));
}

/// Promise: what 2,000 readings teach of the guesthouse within 1 s.
#[divan::bench]
fn guesthouse_learned_from_two_thousand_readings(bencher: Bencher<'_, '_>) {
    let site = tern_row();
    let mut house = Drawn::new(&site, &Deviations::planned(), 5);
    let (read, _) = house.some(2000);
    assert_eq!(read.len(), 2000);
    let survey = GainSurvey { read, ..house.ends };
    let told = taught(&site, &survey);
    assert!(told.corrections.iter().any(|c| c.readings > 100 && c.sigma_db < 1.0));
    bencher.bench(|| taught(&site, &survey));
}

/// Part of the promise of 50 ms for a dragged device: analysis and surface after one move.
#[divan::bench]
fn mill_after_one_move_with_surface(bencher: Bencher<'_, '_>) {
    let site = Arc::new(larkfield_mill());
    let before = analyse(&site, &Options::default());
    let request = Request {
        floor: "ground".parse().expect("an id"),
        handset: Handset::Sensor,
        height: Metres::new(1.1),
        cell: Metres::new(0.25),
    };
    let surface = coverage(&before, &before.networks[1], &request, None).expect("walls and a hub");
    assert!(surface.margin.len() > 2000);
    let mut moved: Site = (*site).clone();
    let edit = Edit::set(Kind::Point, &"kit-isle", "at", vec![3.0, 2.0]);
    apply(&mut moved, &edit).expect("the kitchen is on the plan");
    let moved = Arc::new(moved);
    bencher.bench(|| {
        let after = analyse_after(Some(&before), &moved, &Options::default());
        coverage(&after, &after.networks[1], &request, Some(&surface))
    });
}

/// Rays between any two places, by the tree.
#[divan::bench(args = [20, 80, 320, 1280])]
fn wall_crossing_rays(bencher: Bencher<'_, '_>, walls: usize) {
    let structure = Structure::new(&rooms(walls), Doors::AsDrawn);
    let rays = rays(&structure);
    for (a, b) in &rays[..200] {
        let (mut fast, mut plain) = (0, 0);
        structure.visit_crossings(*a, *b, &mut |_| fast += 1);
        structure.visit_walls_plainly(*a, *b, &mut |_| plain += 1);
        assert_eq!(fast, plain);
    }
    bencher.counter(ItemsCount::new(rays.len())).bench(|| {
        let mut crossed = 0usize;
        for (a, b) in &rays {
            structure.visit_crossings(*a, *b, &mut |_| crossed += 1);
        }
        crossed
    });
}

/// Promise: 10 million rays a second and core past 80 walls on a floor, as a surface sends them:
/// thousands of cells from one place.
#[divan::bench(args = [20, 80, 320, 1280])]
fn surface_rays(bencher: Bencher<'_, '_>, walls: usize) {
    let structure = Structure::new(&rooms(walls), Doors::AsDrawn);
    let from = Place::new(7.3, 9.1, 1.1);
    let cells: Vec<Place> = (0..40_000)
        .map(|n| Place::new(f64::from(n % 200) * 0.12, f64::from(n / 200) * 0.12, 1.3))
        .collect();
    let fan = Fan::new(&structure, from, 1.3);
    for to in cells.iter().step_by(97) {
        let (mut fast, mut plain) = (0, 0);
        fan.visit_crossings(&structure, *to, &mut |_| fast += 1);
        structure.visit_walls_plainly(from, *to, &mut |_| plain += 1);
        assert_eq!(fast, plain);
    }
    bencher.counter(ItemsCount::new(cells.len())).bench(|| {
        let fan = Fan::new(&structure, from, 1.3);
        let mut crossed = 0usize;
        for to in &cells {
            fan.visit_crossings(&structure, *to, &mut |_| crossed += 1);
        }
        crossed
    });
}

/// Promise: the guesthouse, 400 devices, within 400 ms.
#[divan::bench]
fn guesthouse_full_analysis(bencher: Bencher<'_, '_>) {
    let site = Arc::new(tern_row());
    let analysis = analyse(&site, &Options::default());
    assert!(analysis.networks.iter().map(|n| n.nodes.len()).sum::<usize>() > 380);
    bencher.bench(|| analyse(&site, &Options::default()));
}

/// Promise: 2,000 devices on ten floors within 3 s.
#[divan::bench(sample_count = 5)]
fn two_thousand_devices(bencher: Bencher<'_, '_>) {
    let site = Arc::new(tower());
    let analysis = analyse(&site, &Options::default());
    assert_eq!(analysis.networks.iter().map(|n| n.nodes.len()).sum::<usize>(), 2000);
    bencher.bench(|| analyse(&site, &Options::default()));
}

/// Square rooms of 4 m, as many as have about `count` walls.
fn rooms(count: usize) -> Site {
    let mut site = larkfield_mill();
    for id in site.walls.iter().map(|w| w.id.clone()).collect::<Vec<_>>() {
        apply(&mut site, &Edit::remove(Kind::Wall, &id)).expect("the wall is there");
    }
    let side = (1..1000).find(|n| 2 * n * (n + 1) >= count).expect("some side");
    let mut made = 0;
    for i in 0..=side {
        for j in 0..side {
            for (a, b) in [([i, j], [i, j + 1]), ([j, i], [j + 1, i])] {
                if made == count {
                    return site;
                }
                let at = |[x, y]: [usize; 2]| [x as f64 * 4.0, y as f64 * 4.0];
                let wall = serde_json::json!({
                    "id": format!("r{made}"), "floor": "ground", "a": at(a), "b": at(b),
                    "construction": "stud-wall",
                });
                let wall: Wall = serde_json::from_value(wall).expect("a wall");
                apply(&mut site, &Edit::put(wall)).expect("a wall that stands");
                made += 1;
            }
        }
    }
    site
}

/// Rays of at most 12 m, about the width of a flat, from a fixed pattern of places.
fn rays(structure: &Structure) -> Vec<(Place, Place)> {
    let far = structure.walls.iter().flat_map(|w| [w.a[0], w.a[1]]).fold(1.0, f64::max);
    let mut state = 12_345u64;
    let mut next = || {
        state =
            state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (state >> 11) as f64 / (1u64 << 53) as f64
    };
    (0..100_000)
        .map(|_| {
            let (x, y, turn, length) =
                (next() * far, next() * far, next() * std::f64::consts::TAU, next() * 12.0);
            let from = Place::new(x, y, 1.1);
            (from, Place::new(x + length * turn.cos(), y + length * turn.sin(), 1.3))
        })
        .collect()
}

/// Promise: of 120 candidates and 80 devices over four hops the least that is enough, proven, within 2 s
/// at the median and 10 s at the worst; each pass is another problem.
#[divan::bench(args = [Kind120::NEAR, Kind120::NEAR_ALIKE, Kind120::CHANCE, Kind120::CHANCE_ALIKE, Kind120::TWO_ROUTES], sample_count = 24, sample_size = 1)]
fn least_that_is_enough(bencher: Bencher<'_, '_>, kind: Kind120) {
    let mut number = 0;
    let next = || {
        number += 1;
        kind.problem(number)
    };
    bencher.with_inputs(next).bench_local_refs(|problem| {
        let answer = solve(problem, &mut |_| ControlFlow::Continue(())).expect("hub sites");
        assert!(answer.is_proven && answer.status != Status::Feasible);
        answer
    });
    let dearer: Vec<f64> = (1..=24)
        .filter_map(|number| {
            let problem = kind.problem(number);
            let quick = greedy(&problem)?;
            let best = solve(&problem, &mut |_| ControlFlow::Continue(()))?;
            (quick.unserved.len() == best.unserved.len() && best.cost > 0.0)
                .then(|| quick.cost / best.cost - 1.0)
        })
        .collect();
    let mean = dearer.iter().sum::<f64>() / dearer.len().max(1) as f64;
    let most = dearer.iter().copied().fold(0.0, f64::max);
    eprintln!("{kind}: greedy is {:.0} % dearer, at the worst {:.0} %", mean * 100.0, most * 100.0);
}

/// A kind of problem with 120 candidates, 80 devices, 8 devices that forward and 4 hub sites.
#[derive(Clone, Copy)]
struct Kind120 {
    name: &'static str,
    /// Hear each other up to so far in a square of one by one; at nought by chance.
    within: f64,
    /// With this chance.
    chance: f64,
    /// Whether all cost the same.
    alike: bool,
    /// The share of devices that need two routes.
    critical: f64,
}

impl Kind120 {
    const NEAR: Self =
        Self { name: "near", within: 0.27, chance: 0.0, alike: false, critical: 0.0 };
    const NEAR_ALIKE: Self = Self { name: "near, one price", alike: true, ..Self::NEAR };
    const CHANCE: Self =
        Self { name: "by chance", within: 0.0, chance: 0.08, alike: false, critical: 0.0 };
    const CHANCE_ALIKE: Self = Self { name: "by chance, one price", alike: true, ..Self::CHANCE };
    const TWO_ROUTES: Self =
        Self { name: "by chance, three in ten by two routes", critical: 0.3, ..Self::CHANCE };

    fn problem(self, number: u64) -> Problem {
        let mut state = number.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1;
        let mut next = || {
            state ^= state << 13;
            state ^= state >> 7;
            state ^= state << 17;
            (state >> 11) as f64 / (1_u64 << 53) as f64
        };
        for _ in 0..10 {
            next();
        }
        let mut problem = Problem::default();
        let mut spots = Vec::new();
        for at in 0..4 + 120 + 8 + 80 {
            let cost = if self.alike { 1.0 } else { 10.0 + (next() * 40.0).round() };
            let node = problem.add(match at {
                0..4 => NodeUse::HubSite { cost: cost - 1.0 },
                4..124 => NodeUse::Candidate { cost },
                124..132 => NodeUse::Existing,
                _ => NodeUse::Device,
            });
            spots.push([next(), next()]);
            if at >= 132 {
                let two_routes = next() < self.critical;
                problem.demands.push(Demand { node, most_hops: 4, two_routes, instead: None });
            }
        }
        for a in 0..spots.len() {
            for b in 0..a {
                let far = (spots[a][0] - spots[b][0]).hypot(spots[a][1] - spots[b][1]);
                if far < self.within * (0.8 + 0.4 * next()) || next() < self.chance {
                    problem.link(a, b);
                }
            }
        }
        problem
    }
}

impl std::fmt::Display for Kind120 {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.name)
    }
}
