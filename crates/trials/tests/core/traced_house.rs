//! The model against an independent ray tracer, each part on and off.

use std::sync::Arc;

use crate::common::traced;
use dot_reach_core::building::structure::{Doors, Structure, Surface};
use dot_reach_core::materials::slab::bare;
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

/// The straight way as a tracer reckons it: each sheet at this very frequency and polarisation,
/// vertical antennas, no averaging and no hold at steep angles.
fn polarised(structure: &Structure, link: &traced::Link) -> f64 {
    let (p, q) = (link.from, link.to);
    let length = p.distance(q);
    let k = [(q.x - p.x) / length, (q.y - p.y) / length, (q.z - p.z) / length];
    // The field of a vertical antenna: upright, less its part along the ray.
    let upright = (1.0 - k[2] * k[2]).sqrt().max(1e-9);
    let field = [-k[2] * k[0] / upright, -k[2] * k[1] / upright, upright];
    let f = Megahertz::new(link.mhz);
    let mut loss = 20.0 * link.mhz.log10() - 27.55 + 20.0 * length.log10();
    structure.visit_crossings(p, q, &mut |crossing| {
        let normal = match crossing.surface {
            Surface::Slab(_) => [0.0, 0.0, 1.0],
            Surface::Wall(w) | Surface::Opening(w, _) => {
                let wall = &structure.walls[w];
                [(wall.b[1] - wall.a[1]) / wall.length, (wall.a[0] - wall.b[0]) / wall.length, 0.0]
            }
        };
        let Some(construction) = crossing.construction else { return };
        let layers = structure.constructions[construction].stack().unwrap_or_default();
        let slab = bare(&layers, f, crossing.cos);
        // TE is the part of the field across the plane of incidence.
        let across = [
            k[1] * normal[2] - k[2] * normal[1],
            k[2] * normal[0] - k[0] * normal[2],
            k[0] * normal[1] - k[1] * normal[0],
        ];
        let size = across.iter().map(|v| v * v).sum::<f64>();
        let along: f64 = across.iter().zip(field).map(|(a, e)| a * e).sum();
        let te = if size > 1e-12 { along * along / size } else { 0.5 };
        loss -= 10.0 * (te * slab.te + (1.0 - te) * slab.tm).log10();
    });
    loss
}

#[test]
fn every_sheet_of_a_straight_way_is_where_and_what_the_tracer_says() {
    let structure = Structure::new(&traced::site(), Doors::AsDrawn);
    for mhz in BANDS {
        let links = traced::links();
        let off: Vec<f64> = links
            .iter()
            .filter(|l| (l.mhz - mhz).abs() < 1.0)
            .map(|l| polarised(&structure, l) - l.direct_db)
            .collect();
        #[expect(clippy::cast_precision_loss, reason = "some hundred links")]
        let rmse = (off.iter().map(|o| o * o).sum::<f64>() / off.len() as f64).sqrt();
        let within = off.iter().filter(|o| o.abs() < 0.2).count();
        println!("{mhz} MHz: RMSE {rmse:.2}, {within} of {} within 0.2 dB", off.len());
        assert!(rmse < 0.15 && within * 100 > off.len() * 95, "{mhz}: {rmse:.2}, {within}");
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

/// Holds the table of `docs/PHYSICS.md`, which says what each part of the model does.
#[test]
fn each_part_on_and_off() {
    let told = include_str!("../../../../docs/PHYSICS.md");
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
        let row = format!("| {name} | {} |", cells.join(" | "));
        println!("{row}");
        assert!(told.contains(&row), "docs/PHYSICS.md has no row {row}");
    }
}
