//! The fast ways to find what a ray crosses against the plain one, which asks every wall.

use crate::common::{Wall, pierced, spot, walls};
use dot_reach_core::building::fan::Fan;
use dot_reach_core::building::structure::{Crossing, Structure, Surface};
use dot_reach_core::geometry::Place;
use proptest::prelude::*;

/// What two lists of crossings must share: the same surfaces, at the same place and angle. The
/// last bits may differ, as they are reckoned from different ends.
fn same(mut one: Vec<Crossing>, mut other: Vec<Crossing>) -> Result<(), TestCaseError> {
    one.sort_by_key(|c| c.surface);
    other.sort_by_key(|c| c.surface);
    let surfaces =
        |list: &[Crossing]| list.iter().map(|c| (c.surface, c.construction)).collect::<Vec<_>>();
    prop_assert_eq!(surfaces(&one), surfaces(&other));
    for (a, b) in one.iter().zip(&other) {
        prop_assert!((a.t - b.t).abs() < 1e-9 && (a.cos - b.cos).abs() < 1e-9, "{a:?} {b:?}");
    }
    Ok(())
}

fn plainly(structure: &Structure, from: Place, to: Place) -> Vec<Crossing> {
    let mut found = Vec::new();
    structure.visit_walls_plainly(from, to, &mut |c| found.push(c));
    found
}

fn by_fan(structure: &Structure, fan: &Fan, to: Place) -> Vec<Crossing> {
    let mut found = Vec::new();
    fan.visit_crossings(structure, to, &mut |c| found.push(c));
    found
}

/// Snapped to half a metre: rays run along walls, through their ends and from on top of them.
fn snapped(walls: Vec<Wall>) -> Vec<Wall> {
    let snap = |[x, y]: [f64; 2]| [half(x), half(y)];
    let snapped = walls.into_iter().map(|(a, b, c)| (snap(a), snap(b), c));
    snapped.filter(|(a, b, _)| (a[0] - b[0]).hypot(a[1] - b[1]) > 0.2).collect()
}

fn half(v: f64) -> f64 {
    (v * 2.0).round() / 2.0
}

#[test]
fn a_door_is_met_where_the_ray_runs_through_it_and_the_wall_beside_it() {
    let structure = pierced(&[([0.0, 0.0], [0.0, 4.0], "brick-102")]);
    let from = Place::new(-3.0, 0.9, 1.2);
    let fan = Fan::new(&structure, from, 1.2);
    let met = |y: f64| by_fan(&structure, &fan, Place::new(3.0, y, 1.2))[0].surface;
    assert_eq!(met(0.9), Surface::Opening(0, 0));
    assert_eq!(met(2.5), Surface::Opening(0, 1));
    assert_eq!(met(4.9), Surface::Wall(0));
}

proptest! {
    #[test]
    fn the_index_finds_what_a_full_scan_finds(w in walls(60), a in spot(), b in spot(), z in 0.2..2.4f64) {
        let structure = pierced(&w);
        let (a, b) = (Place::new(a[0], a[1], 1.2), Place::new(b[0], b[1], z));
        let mut fast = Vec::new();
        structure.visit_crossings(a, b, &mut |c| fast.push(c));
        same(fast, plainly(&structure, a, b))?;
    }

    #[test]
    fn a_fan_finds_what_a_full_scan_finds(
        w in walls(60), a in spot(), places in prop::collection::vec(spot(), 20), z in 0.2..2.4f64,
    ) {
        let structure = pierced(&w);
        let from = Place::new(a[0], a[1], 1.2);
        let fan = Fan::new(&structure, from, z);
        for [x, y] in places {
            let to = Place::new(x, y, z);
            same(by_fan(&structure, &fan, to), plainly(&structure, from, to))?;
        }
    }

    #[test]
    fn a_fan_and_the_index_agree_with_a_full_scan_where_all_lies_on_a_grid(
        w in walls(40), a in spot(), places in prop::collection::vec(spot(), 20),
    ) {
        let structure = pierced(&snapped(w));
        let from = Place::new(half(a[0]), half(a[1]), 1.1);
        let fan = Fan::new(&structure, from, 1.3);
        for [x, y] in places {
            let to = Place::new(half(x), half(y), 1.3);
            let surfaces = |found: Vec<Crossing>| {
                let mut walls: Vec<_> = found
                    .iter()
                    .map(|c| match c.surface {
                        Surface::Wall(w) | Surface::Opening(w, _) | Surface::Slab(w) => w,
                    })
                    .collect();
                walls.sort_unstable();
                walls
            };
            let plain = surfaces(plainly(&structure, from, to));
            let mut indexed = Vec::new();
            structure.visit_crossings(from, to, &mut |c| indexed.push(c));
            prop_assert_eq!(surfaces(indexed), plain.clone());
            prop_assert_eq!(surfaces(by_fan(&structure, &fan, to)), plain);
        }
    }
}
