//! Laws that no path-loss model may break, and worked values.

use std::sync::Arc;

use crate::common::{Wall, pierced, spot, storey, walls, with};
use dot_reach_core::building::structure::{Doors, Structure};
use dot_reach_core::geometry::Place;
use dot_reach_core::propagation::{Medium, Model, WayKind};
use dot_reach_core::units::{Db, Megahertz};
use proptest::prelude::*;
use proptest::strategy::ValueTree;
use proptest::test_runner::TestRunner;
use serde::Deserialize;
use serde_json::json;

fn place([x, y]: [f64; 2]) -> Place {
    Place::new(x, y, 1.2)
}

fn loss(site: &dot_reach_core::site::Site, a: Place, b: Place, mhz: f64) -> f64 {
    loss_by(Model::default(), site, a, b, mhz)
}

fn loss_by(model: Model, site: &dot_reach_core::site::Site, a: Place, b: Place, mhz: f64) -> f64 {
    let structure = Arc::new(Structure::new(site, Doors::AsDrawn));
    Medium::new(&structure, Megahertz::new(mhz), model).loss(a, b).get()
}

/// Straight and leaking around: a wall can also mirror and help, so laws about walls hold here.
fn without_mirrors() -> Model {
    Model { reflections: false, doorways: false, ..Model::default() }
}

#[derive(Deserialize)]
struct Row {
    mhz: f64,
    d_m: f64,
    loss_db: f64,
}

#[test]
fn free_space_is_as_worked_out() {
    #[derive(Deserialize)]
    struct Rows {
        row: Vec<Row>,
    }
    let rows: Rows = toml::from_str(include_str!("golden/free_space.toml")).unwrap();
    assert_eq!(rows.row.len(), 5);
    for Row { mhz, d_m, loss_db } in rows.row {
        let got = loss_by(
            without_mirrors(),
            &storey(&[]),
            Place::new(0.0, 0.0, 1.0),
            Place::new(d_m, 0.0, 1.0),
            mhz,
        );
        assert!((got - loss_db).abs() < 0.01, "{mhz} MHz {d_m} m: {got:.3}, not {loss_db}");
    }
}

#[test]
fn two_floors_cost_what_cost_231_says() {
    let mut edits = Vec::new();
    for (id, z) in [("one", 2.8), ("two", 5.6)] {
        edits.push(json!({"do": "put", "kind": "floor", "value": {"id": id, "name": id, "elevation_m": z, "height_m": 2.5}}));
        edits.push(json!({"do": "put", "kind": "slab", "value": {"id": id, "floor": id, "construction": "slab-reinforced-200"}}));
    }
    let site = with(storey(&[]), &edits);
    let structure = Arc::new(Structure::new(&site, Doors::AsDrawn));
    let model = Model { leak: None, ..without_mirrors() };
    let medium = Medium::new(&structure, Megahertz::new(2440.0), model);
    let (low, high) = (Place::new(1.0, 1.0, 1.2), Place::new(1.0, 1.0, 6.8));
    let excess = medium.loss(low, high).get() - (40.2 + 20.0 * 5.6f64.log10());
    // Two floors of 19 dB: 19·2^(4/3 − 0.46) = 19·1.832 = 34.8 dB.
    assert!((excess - 34.80).abs() < 0.02, "{excess}");
}

#[test]
fn a_stairwell_lets_the_signal_through() {
    let floor = json!({"do": "put", "kind": "floor", "value": {"id": "up", "name": "Up", "elevation_m": 2.8, "height_m": 2.5}});
    let slab = |voids: serde_json::Value| json!({"do": "put", "kind": "slab", "value": {"id": "s", "floor": "up", "construction": "slab-reinforced-200", "voids": voids}});
    let well = json!([[[0.0, 0.0], [3.0, 0.0], [3.0, 3.0], [0.0, 3.0]]]);
    let (low, high) = (Place::new(1.0, 1.0, 1.2), Place::new(2.0, 2.0, 4.0));
    let closed = loss(&with(storey(&[]), &[floor.clone(), slab(json!([]))]), low, high, 2440.0);
    let open = loss(&with(storey(&[]), &[floor, slab(well)]), low, high, 2440.0);
    assert!(closed > open + 15.0, "{closed} {open}");
}

#[test]
fn a_ray_through_the_joint_of_two_walls_in_line_meets_one_of_them() {
    let site =
        storey(&[([5.0, 0.0], [5.0, 4.0], "brick-102"), ([5.0, 4.0], [5.0, 8.0], "brick-102")]);
    let whole = storey(&[([5.0, 0.0], [5.0, 8.0], "brick-102")]);
    let (a, b) = (place([2.0, 4.0]), place([8.0, 4.0]));
    assert!((loss(&site, a, b, 868.0) - loss(&whole, a, b, 868.0)).abs() < 1e-9);
}

#[test]
fn a_device_on_the_line_of_its_wall_is_not_behind_it() {
    let site = storey(&[([5.0, 0.0], [5.0, 8.0], "rubble-stone-600")]);
    let at =
        |site, other| loss_by(without_mirrors(), site, place([5.0, 4.0]), place(other), 2440.0);
    let open = storey(&[]);
    for other in [[2.0, 4.0], [8.0, 4.0]] {
        assert!((at(&site, other) - at(&open, other)).abs() < 1e-9);
    }
}

#[test]
fn two_walls_on_top_of_each_other_are_two_walls() {
    let brick = ([5.0, 0.0], [5.0, 8.0], "brick-102");
    let excess = |site| {
        let model = Model { leak: None, ..without_mirrors() };
        loss_by(model, &site, place([2.0, 4.0]), place([8.0, 4.0]), 2440.0)
            - loss_by(model, &storey(&[]), place([2.0, 4.0]), place([8.0, 4.0]), 2440.0)
    };
    let one = excess(storey(&[brick]));
    assert!((excess(storey(&[brick, brick])) - 2.0 * one).abs() < 1e-9);
}

#[test]
fn a_device_on_the_end_of_a_wall_is_behind_no_part_of_it() {
    let site = storey(&[([5.0, 0.0], [5.0, 4.0], "rubble-stone-600")]);
    for end in [[5.0, 0.0], [5.0, 4.0]] {
        for other in [[2.0, 2.0], [8.0, 2.0], [8.0, 7.0], [5.0, 2.0]] {
            let at = |site| loss_by(without_mirrors(), site, place(end), place(other), 2440.0);
            assert!((at(&site) - at(&storey(&[]))).abs() < 1e-9, "{end:?} {other:?}");
        }
    }
}

#[test]
fn an_open_door_lets_more_through_than_a_shut_one() {
    let mut site = storey(&[([5.0, 0.0], [5.0, 8.0], "rubble-stone-600")]);
    let door =
        json!({"do": "drop-opening", "wall": "w0", "id": "o1", "kind": "door", "at": [5.0, 4.0]});
    site = with(site, &[door]);
    let at = |doors| {
        let structure = Arc::new(Structure::new(&site, doors));
        let medium = Medium::new(&structure, Megahertz::new(2440.0), Model::default());
        medium.loss(place([2.0, 4.0]), place([8.0, 4.0]))
    };
    assert!(at(Doors::Shut) > at(Doors::Open));
    assert_eq!(at(Doors::Shut), at(Doors::AsDrawn));
}

/// Rooms in a row of heavy stone with a corridor along them, a door in each.
fn corridor() -> dot_reach_core::site::Site {
    let stone = "rubble-stone-600";
    let mut walls = vec![([0.0, 5.0], [20.0, 5.0], stone), ([0.0, 7.0], [20.0, 7.0], stone)];
    for x in [5.0, 10.0, 15.0] {
        walls.push(([x, 0.0], [x, 5.0], stone));
        walls.push(([x, 7.0], [x, 12.0], stone));
    }
    let door = |wall: &str, id: &str, x: f64, y: f64| json!({"do": "drop-opening", "wall": wall, "id": id, "kind": "door", "at": [x, y]});
    let mut doors = Vec::new();
    for (n, x) in [2.0, 8.0, 12.0, 18.0].into_iter().enumerate() {
        doors.push(door("w0", &format!("o{n}"), x, 5.0));
        doors.push(door("w1", &format!("o{n}"), x, 7.0));
    }
    with(storey(&walls), &doors)
}

fn medium(site: &dot_reach_core::site::Site, doors: Doors, model: Model) -> Medium {
    Medium::new(&Arc::new(Structure::new(site, doors)), Megahertz::new(2440.0), model)
}

#[test]
fn open_doors_of_a_stone_corridor_carry_what_the_walls_do_not() {
    let site = corridor();
    let (a, b) = (place([1.5, 3.0]), place([8.5, 9.0]));
    let by = |doors, doorways| {
        let model = Model { doorways, leak: None, ..Model::default() };
        medium(&site, doors, model).loss(a, b).get()
    };
    assert!(
        by(Doors::Open, true) < by(Doors::Open, false),
        "{} {}",
        by(Doors::Open, true),
        by(Doors::Open, false)
    );
    assert!(by(Doors::Open, true) <= by(Doors::Shut, true));
    // Through one open door into the corridor: the way around its jamb is named.
    let model = Model { leak: None, ..Model::default() };
    let (main, _) = medium(&site, Doors::Open, model).explain(place([4.5, 4.0]), place([1.0, 6.0]));
    assert!(matches!(main.kind, WayKind::Bends(..)), "{main:?}");
}

proptest! {
    #[test]
    fn every_way_is_alike_in_both_directions_and_its_terms_sum(a in spot(), b in spot(), open in any::<bool>()) {
        let doors = if open { Doors::Open } else { Doors::Shut };
        let medium = medium(&corridor(), doors, Model::default());
        let (a, b) = (place(a), place(b));
        let (there, back) = (medium.loss(a, b).get(), medium.loss(b, a).get());
        prop_assert!((there - back).abs() < 1e-6, "{there} {back}");
        let (main, _) = medium.explain(a, b);
        let sum: f64 = main.terms.iter().map(|t| t.loss.get()).sum();
        prop_assert!((sum - there).abs() < 1e-9, "{sum} {there}");
    }

    #[test]
    fn a_bounce_or_a_bend_never_takes_away(w in walls(8), a in spot(), b in spot(), mhz in 420.0..2500.0) {
        let site = storey(&w);
        let with = loss(&site, place(a), place(b), mhz);
        prop_assert!(with <= loss_by(without_mirrors(), &site, place(a), place(b), mhz) + 1e-9);
    }

    #[test]
    fn loss_is_alike_in_both_directions(w in walls(12), a in spot(), b in spot(), mhz in 420.0..2500.0) {
        let site = storey(&w);
        let (there, back) = (loss(&site, place(a), place(b), mhz), loss(&site, place(b), place(a), mhz));
        prop_assert!((there - back).abs() < 1e-6, "{there} {back}");
    }

    #[test]
    fn one_more_wall_never_helps(w in walls(8), extra in (spot(), spot()), a in spot(), b in spot(), mhz in 420.0..2500.0) {
        let before = loss_by(without_mirrors(), &storey(&w), place(a), place(b), mhz);
        let (c, d) = extra;
        prop_assume!((c[0] - d[0]).hypot(c[1] - d[1]) > 0.2);
        let more: Vec<_> = w.into_iter().chain([(c, d, "brick-102")]).collect();
        let after = loss_by(without_mirrors(), &storey(&more), place(a), place(b), mhz);
        prop_assert!(after >= before - 1e-9, "{before} became {after}");
    }

    #[test]
    fn farther_in_the_open_is_never_louder(d in 0.05..100.0f64, more in 0.0..50.0f64, mhz in 420.0..2500.0) {
        let site = storey(&[]);
        let at = |d: f64| loss_by(without_mirrors(), &site, Place::new(0.0, 0.0, 1.0), Place::new(d, 0.0, 1.0), mhz);
        prop_assert!(at(d + more) >= at(d));
    }

    #[test]
    fn turning_and_moving_the_whole_plan_changes_nothing(
        w in walls(8), a in spot(), b in spot(), turn in -3.1..3.1f64, by in spot(), mhz in 420.0..2500.0,
    ) {
        let turned = |[x, y]: [f64; 2]| {
            let (s, c) = turn.sin_cos();
            [x * c - y * s + by[0], x * s + y * c + by[1]]
        };
        let moved: Vec<_> = w.iter().map(|(a, b, c)| (turned(*a), turned(*b), *c)).collect();
        let before = loss(&storey(&w), place(a), place(b), mhz);
        let after = loss(&storey(&moved), place(turned(a)), place(turned(b)), mhz);
        prop_assert!((before - after).abs() < 1e-6, "{before} {after}");
    }

    #[test]
    fn a_surface_without_bounces_and_bends_is_the_loss_itself(w in walls(20), a in spot(), b in spot(), z in 0.2..2.4f64) {
        let medium = medium(&storey(&w), Doors::Shut, without_mirrors());
        let to = Place::new(b[0], b[1], z);
        let surface = medium.surface_loss(&medium.lookout(place(a), z), to, medium.bounce_gain(place(a), z));
        prop_assert!((surface - medium.loss(place(a), to)).get().abs() < 1e-9);
    }

    #[test]
    fn a_surface_adds_no_bend_that_a_link_has_not(w in walls(12), a in spot(), cells in prop::collection::vec(spot(), 12)) {
        for (surface, link, straight) in bent(&w, a, &cells) {
            prop_assert!(surface - link > -1e-9 && surface <= straight + 1e-9, "{surface} {link} {straight}");
        }
    }

    #[test]
    fn the_terms_sum_to_the_loss(w in walls(12), a in spot(), b in spot()) {
        let structure = Arc::new(Structure::new(&storey(&w), Doors::AsDrawn));
        let medium = Medium::new(&structure, Megahertz::new(868.42), Model::default());
        let (main, others) = medium.explain(place(a), place(b));
        let sum: Db = main.terms.iter().map(|t| t.loss).sum();
        prop_assert!((sum - medium.loss(place(a), place(b))).get().abs() < 1e-9);
        for way in others {
            let sum: Db = way.terms.iter().map(|t| t.loss).sum();
            prop_assert!((sum - way.loss).get().abs() < 1e-9);
        }
    }
}

/// Loss on a surface, of a link, and straight alone, from a place to each cell; bounces left out.
fn bent(w: &[Wall], a: [f64; 2], cells: &[[f64; 2]]) -> Vec<(f64, f64, f64)> {
    let model = Model { reflections: false, ..Model::default() };
    let medium = Medium::new(&Arc::new(pierced(w)), Megahertz::new(2440.0), model);
    let straight = medium.with(Model { doorways: false, ..model });
    let lookout = medium.lookout(place(a), 1.2);
    let of = |cell: &[f64; 2]| {
        let to = place(*cell);
        let surface = medium.surface_loss(&lookout, to, medium.bounce_gain(place(a), 1.2));
        (surface.get(), medium.loss(place(a), to).get(), straight.loss(place(a), to).get())
    };
    cells.iter().map(of).collect()
}

#[test]
fn a_surface_bends_as_a_link_does() {
    // A surface leaves out ways that are 10 dB below the straight one, a link 16 dB; of two bends it
    // takes the first where it is cheapest up to the second. The same random houses every time.
    let houses = (walls(12), spot(), prop::collection::vec(spot(), 12));
    let mut runner = TestRunner::deterministic();
    let (mut count, mut squares, mut far) = (0.0, 0.0, 0.0);
    for _ in 0..400 {
        let (w, a, cells) = houses.new_tree(&mut runner).unwrap().current();
        for (surface, link, _) in bent(&w, a, &cells) {
            count += 1.0;
            squares += (surface - link).powi(2);
            far += f64::from(u8::from(surface - link > 1.5));
        }
    }
    let (rms, share) = (f64::sqrt(squares / count), far / count);
    assert!(rms < 0.5 && share < 0.02, "{rms} dB, {share} beyond 1.5 dB");
}
