//! The model against an independent ray tracer, each part on and off.

#[path = "common/traced.rs"]
mod traced;

use std::sync::Arc;

use dot_reach_core::geometry::structure::{Doors, Structure};
use dot_reach_core::propagation::{Medium, Model};
use dot_reach_core::units::Megahertz;

struct Score {
    rmse: f64,
    bias: f64,
    links: f64,
}

/// Computed less traced.
fn score(model: Model, mhz: f64, wanted: impl Fn(&traced::Link) -> Option<f64>) -> Score {
    let structure = Arc::new(Structure::new(&traced::site(), Doors::AsDrawn));
    let medium = Medium::new(&structure, Megahertz::new(mhz), model);
    let (mut n, mut sum, mut squares) = (0.0, 0.0, 0.0);
    for link in traced::links().iter().filter(|l| (l.mhz - mhz).abs() < 1.0) {
        let Some(want) = wanted(link) else { continue };
        let off = medium.loss(link.from, link.to).get() - want;
        (n, sum, squares) = (n + 1.0, sum + off, squares + off * off);
    }
    Score { rmse: f64::sqrt(squares / n), bias: sum / n, links: n }
}

const BANDS: [f64; 2] = [868.42, 2440.0];

fn physics() -> Model {
    Model { leak: None, clutter: false, doorways: false, ..Model::default() }
}

#[test]
fn every_traced_link_is_there() {
    assert_eq!(traced::links().len(), 1432);
}

#[test]
fn straight_ways_are_those_of_the_tracer() {
    for mhz in BANDS {
        let s = score(Model::straight_only(), mhz, |l| Some(l.direct_db));
        println!(
            "{mhz} MHz straight against straight: RMSE {:.2}, bias {:.2}, {}",
            s.rmse, s.bias, s.links
        );
        // The tracer keeps one polarisation and one frequency; here both are averaged.
        assert!(s.rmse < 3.0 && s.bias.abs() < 0.8, "{mhz}: {:.2} {:.2}", s.rmse, s.bias);
    }
}

#[test]
fn the_model_comes_within_two_and_a_half_decibels_by_its_physics() {
    for mhz in BANDS {
        let s = score(physics(), mhz, |l| Some(l.loss_db));
        println!("{mhz} MHz: RMSE {:.2}, bias {:.2}", s.rmse, s.bias);
        assert!(s.rmse <= 2.5 && s.bias.abs() <= 1.0, "{mhz}: {:.2} {:.2}", s.rmse, s.bias);
    }
}

/// Prints the table of `docs/PHYSICS.md`.
#[test]
fn each_part_on_and_off() {
    let off = Model::straight_only();
    let leak = Model::default().leak;
    let rows = [
        ("straight alone", off),
        ("bounces", physics()),
        ("bounces, bends", Model { doorways: true, ..physics() }),
        ("bounces, leak", Model { leak, ..physics() }),
        ("bounces, clutter", Model { clutter: true, ..physics() }),
        ("all", Model::default()),
    ];
    for (name, model) in rows {
        let cells: Vec<_> = BANDS
            .map(|mhz| score(model, mhz, |l| Some(l.loss_db)))
            .iter()
            .map(|s| format!("{:.2} | {:+.2}", s.rmse, s.bias))
            .collect();
        println!("| {name} | {} |", cells.join(" | "));
    }
    let bare = score(off, 2440.0, |l| Some(l.loss_db));
    assert!(bare.rmse > score(physics(), 2440.0, |l| Some(l.loss_db)).rmse);
}
