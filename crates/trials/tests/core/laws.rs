//! Laws of a whole house: where it stands, how it is turned and whether it is seen in a mirror changes
//! no verdict; louder never hears worse.

use std::sync::Arc;

use crate::common::{bare, with};
use dot_reach_core::analysis::{Analysis, Options, analyse};
use dot_reach_core::radio::system::System;
use dot_reach_core::site::{Edit, Kind, Site, apply};
use dot_reach_core::units::Db;
use proptest::prelude::*;
use serde_json::{Value, json};

fn analysed(site: Site) -> Analysis {
    analyse(&Arc::new(site), &Options::default())
}

/// Places on a grid of half a metre: rays often pass exactly through the edge of a slab. Walls lie off
/// the grid, as a ray through the very end of a wall has it on one side by rule.
fn place() -> impl Strategy<Value = [f64; 2]> {
    [0..40i32, 0..24i32].prop_map(|p| p.map(|v| f64::from(v) / 2.0))
}

#[derive(Clone, Debug)]
struct House {
    walls: Vec<([f64; 2], [f64; 2], bool)>,
    slab: [[f64; 2]; 2],
    devices: Vec<([f64; 2], bool)>,
}

fn house() -> impl Strategy<Value = House> {
    let end = || [0.0..20.0f64, 0.0..12.0f64];
    let wall = (end(), end(), any::<bool>());
    let walls = prop::collection::vec(wall, 0..7).prop_map(|walls| {
        walls.into_iter().filter(|(a, b, _)| (a[0] - b[0]).hypot(a[1] - b[1]) > 0.4).collect()
    });
    let devices = prop::collection::vec((place(), any::<bool>()), 3..7);
    (walls, [place(), place()], devices).prop_map(|(walls, slab, devices)| House {
        walls,
        slab,
        devices,
    })
}

/// The house with every place on its sheet moved by a map that keeps lengths.
fn built(house: &House, map: &dyn Fn([f64; 2]) -> [f64; 2]) -> Site {
    let put = |kind: &str, value: Value| json!({"do": "put", "kind": kind, "value": value});
    let mut edits = vec![put(
        "floor",
        json!({"id": "u", "name": "Upper", "elevation_m": 2.7, "height_m": 2.4}),
    )];
    let [[ax, ay], [bx, by]] = house.slab;
    if (ax - bx).abs() > 0.4 && (ay - by).abs() > 0.4 {
        let outline = [[ax, ay], [bx, ay], [bx, by], [ax, by]].map(map);
        edits.push(put("slab", json!({"id": "s", "floor": "u", "construction": "slab-reinforced-200", "outline": outline})));
    }
    for (n, (a, b, upper)) in house.walls.iter().enumerate() {
        let floor = if *upper { "u" } else { "g" };
        edits.push(put("wall", json!({"id": format!("w{n}"), "floor": floor, "a": map(*a), "b": map(*b), "construction": "concrete-150", "known": "seen"})));
    }
    for (n, (at, upper)) in house.devices.iter().enumerate() {
        let floor = if *upper { "u" } else { "g" };
        let kind = if n == 0 { "hub" } else { "plug-socket" };
        edits.push(put("point", json!({"id": format!("p{n}"), "name": "P", "floor": floor, "at": map(*at), "height_m": 1.1, "kind": "shelf"})));
        edits.push(put("device", json!({"id": format!("d{n}"), "name": "D", "point": format!("p{n}"), "kind": kind, "network": "n"})));
    }
    with(bare(System::ZWave), &edits)
}

fn losses(site: Site) -> Vec<f64> {
    analysed(site).networks[0].links.all.iter().map(|l| l.path_loss.get()).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(120))]

    #[test]
    fn a_house_moved_turned_or_in_a_mirror_is_the_same_house(h in house(), dx in -64..64i32, dy in -64..64i32) {
        let here = losses(built(&h, &|p| p));
        let moved = |[x, y]: [f64; 2]| [x + f64::from(dx) / 4.0, y + f64::from(dy) / 4.0];
        let maps: [&dyn Fn([f64; 2]) -> [f64; 2]; 4] =
            [&moved, &|[x, y]| [-y, x], &|[x, y]| [20.0 - x, y], &|[x, y]| [x, 12.0 - y]];
        for map in maps {
            let there = losses(built(&h, map));
            for (a, b) in here.iter().zip(&there) {
                prop_assert!((a - b).abs() < 1e-6, "{} became {}", a, b);
            }
        }
    }

    #[test]
    fn louder_never_hears_worse(h in house(), who in 0..7usize, more in 0.0..10.0f64) {
        let site = built(&h, &|p| p);
        let who = who % h.devices.len();
        let before = analysed(site.clone());
        let id = format!("d{who}");
        let network = &before.networks[0];
        let node = &network.nodes[network.place_of(&id.parse().unwrap()).unwrap()];
        let louder = (node.radio.tx + Db::new(more)).get().min(36.0);
        let mut loud = site;
        apply(&mut loud, &Edit::set(Kind::Device, &id.as_str(), "sheet.tx_dbm", louder)).unwrap();
        let after = analysed(loud);
        for (b, a) in network.outcomes.iter().zip(&after.networks[0].outcomes) {
            prop_assert!(a.band >= b.band, "{}: {:?} became {:?}", b.device, b.band, a.band);
        }
    }
}
