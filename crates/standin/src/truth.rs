//! What a house is really like, and readings taken in it.

use std::sync::Arc;

use dot_reach_core::analysis::{Analysis, Options, analyse};
use dot_reach_core::network::Link;
use dot_reach_core::network::link::received;
use dot_reach_core::radio::mounting::Mounting;
use dot_reach_core::record::Reading;
use dot_reach_core::simulate::normal;
use dot_reach_core::site::{BoxKind, Edit, Site, Thing, apply};
use dot_reach_core::units::{Db, Dbm};
use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::SeedableRng;

use crate::story::moment;

/// How the house differs from its plan.
#[derive(Clone, Debug)]
pub struct Truth {
    /// Walls by id, and how many decibels each costs beyond its construction.
    pub worse_walls: Vec<(String, f64)>,
    /// Points that are in metal, unknown to the plan.
    pub in_metal: Vec<String>,
    /// Standard deviation of everything else.
    pub scatter_db: f64,
    /// Seed of that scatter.
    pub seed: u64,
}

/// The site as it really is.
pub fn as_it_is(site: &Site, truth: &Truth) -> Site {
    let mut real = site.clone();
    for (id, worse) in &truth.worse_walls {
        let Some(mut wall) = real.walls.named(id).cloned() else { continue };
        let Some(mut construction) = real.construction(&wall.construction).cloned() else {
            continue;
        };
        construction.id = format!("{}-worse-{id}", construction.id);
        construction.clutter_db += Db::new(*worse);
        let (m, c) = (&mut construction.measured, &mut construction.clutter_by_band);
        let of_band =
            [&mut m.mhz_434, &mut m.mhz_868, &mut m.mhz_2400, &mut c.mhz_434, &mut c.mhz_868];
        for loss in of_band.into_iter().chain([&mut c.mhz_2400]).flatten() {
            *loss += Db::new(*worse);
        }
        wall.construction.clone_from(&construction.id);
        put(&mut real, construction);
        put(&mut real, wall);
    }
    for id in &truth.in_metal {
        let Some(mut point) = real.points.named(id).cloned() else { continue };
        point.back_box = BoxKind::Metal;
        point.mounting = Mounting::MetalPlate;
        put(&mut real, point);
    }
    real
}

#[expect(
    clippy::expect_used,
    reason = "a truth that the rules refuse is a defect; a test finds it"
)]
fn put(site: &mut Site, thing: impl Into<Thing>) {
    apply(site, &Edit::put(thing)).expect("a truth that can stand");
}

/// Readings of `count` links that work in truth, the planned routes before others.
pub fn take_readings(site: &Site, truth: &Truth, day: &str, count: usize) -> Vec<Reading> {
    let analyse = |site: Site| analyse(&Arc::new(site), &Options::default());
    let plan = analyse(site.clone());
    let real = analyse(as_it_is(site, truth));
    let mut noise = ChaCha8Rng::seed_from_u64(truth.seed);
    let mut readings = Vec::new();
    for (network, link) in heard(&plan, &real).into_iter().take(count) {
        let network = &real.networks[network];
        let (from, to) = (&network.nodes[link.a], &network.nodes[link.b]);
        let level = received(from, to, link.path_loss);
        let scatter = truth.scatter_db * normal(&mut noise);
        let Ok(id) = format!("r{:03}", readings.len() + 1).parse() else { continue };
        readings.push(Reading {
            id,
            from: from.device.clone(),
            to: to.device.clone(),
            rssi_dbm: Some(Dbm::new((level.get() + scatter).round())),
            margin_db: None,
            lqi: None,
            test_radios_dbm: None,
            firmware: String::new(),
            superseded: String::new(),
            at: moment(&format!(
                "{day}T{:02}:{:02}:00Z",
                9 + readings.len() / 20,
                readings.len() % 20 * 3
            )),
            source: "hub's neighbour table".to_owned(),
        });
    }
    readings
}

/// Links with margin in truth: those of planned routes first, then by margin, weakest first.
fn heard(plan: &Analysis, real: &Analysis) -> Vec<(usize, Link)> {
    let mut links = Vec::new();
    for (place, (planned, network)) in plan.networks.iter().zip(&real.networks).enumerate() {
        let on_route = |link: &Link| {
            let ends = [&network.nodes[link.a].device, &network.nodes[link.b].device];
            let hops = planned.outcomes.iter().flat_map(|o| &o.hops);
            hops.into_iter().any(|h| ends == [&h.from, &h.to] || ends == [&h.to, &h.from])
        };
        let working = network.links.all.iter().filter(|l| l.margin() >= Db::ZERO);
        links.extend(working.map(|l| (!on_route(l), place, *l)));
    }
    links.sort_by(|x, y| x.0.cmp(&y.0).then(x.2.margin().total_cmp(&y.2.margin())));
    links.into_iter().map(|(_, place, link)| (place, link)).collect()
}
