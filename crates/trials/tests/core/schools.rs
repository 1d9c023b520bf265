//! The two other schools beside wall by wall: worked values, and what each leaves out.

use crate::common::{bare, spot, storey, wall, walls, with};
use dot_reach_core::building::structure::{Doors, Structure};
use dot_reach_core::geometry::Place;
use dot_reach_core::propagation::schools::{PathLossSchool, site_general};
use dot_reach_core::propagation::{Medium, Model};
use dot_reach_core::radio::system::System;
use dot_reach_core::site::Site;
use dot_reach_core::units::{Megahertz, Metres};
use proptest::prelude::*;
use serde_json::json;

fn medium(site: &Site, mhz: f64) -> Medium {
    let structure = std::sync::Arc::new(Structure::new(site, Doors::AsDrawn));
    Medium::new(&structure, Megahertz::new(mhz), Model::default())
}

fn at(x: f64) -> Place {
    Place::new(x, 0.0, 1.2)
}

#[test]
fn the_site_general_exponent_is_as_worked_out_by_hand() {
    // 20·log10 f + 28·log10 d + 4k − 28.
    for (d, mhz, floors, loss) in [
        (1.0, 2440.0, 0, 39.748),
        (10.0, 2440.0, 0, 67.748),
        (10.0, 2440.0, 2, 75.748),
        (20.0, 868.0, 0, 67.199),
        (5.0, 433.92, 1, 48.320),
        // Nearer than a metre it says what it says at one.
        (0.2, 2440.0, 0, 39.748),
    ] {
        let reckoned = site_general(Metres::new(d), Megahertz::new(mhz), floors).get();
        assert!((reckoned - loss).abs() < 2e-3, "{d} m, {mhz} MHz, {floors}: {reckoned}");
    }
}

#[test]
fn the_rule_of_thumb_shortens_a_radius_by_each_wall() {
    // Behind a share of the radius, −20·log10(share) more than in the open.
    for (construction, share) in
        [("stud-wall", 0.75), ("brick-215", 0.6), ("rubble-stone-600", 0.5)]
    {
        let site = with(bare(System::Zigbee), &[wall("w", [4.0, -5.0], [4.0, 5.0], construction)]);
        let medium = medium(&site, 2440.0);
        let open = PathLossSchool::RuleOfThumb.loss(&medium, at(0.0), at(3.0)).get();
        let behind = PathLossSchool::RuleOfThumb.loss(&medium, at(0.0), at(6.0)).get();
        // Twice as far is 6.02 dB in the open.
        let cost = behind - open - 20.0 * 2f64.log10();
        assert!((cost + 20.0 * f64::log10(share)).abs() < 1e-9, "{construction}: {cost}");
    }
}

#[test]
fn floors_count_in_both_and_walls_only_in_the_rule_of_thumb() {
    let upper = [
        json!({"do": "put", "kind": "floor", "value": {"id": "u", "name": "Upper", "elevation_m": 2.8, "height_m": 2.5}}),
        json!({"do": "put", "kind": "slab", "value": {"id": "s", "floor": "u", "place": "below", "construction": "concrete-150",
            "outline": [[-9.0, -9.0], [9.0, -9.0], [9.0, 9.0], [-9.0, 9.0]]}}),
    ];
    let site = with(bare(System::Zigbee), &upper);
    let medium_of = medium(&site, 2440.0);
    let (low, high) = (Place::new(0.0, 0.0, 1.2), Place::new(0.0, 0.0, 4.2));
    let general = PathLossSchool::SiteGeneral.loss(&medium_of, low, high).get();
    let without = site_general(Metres::new(3.0), Megahertz::new(2440.0), 0).get();
    assert!((general - without - 4.0).abs() < 1e-9, "4 dB a floor");
    let thumb = PathLossSchool::RuleOfThumb.loss(&medium_of, low, high).get();
    let open = PathLossSchool::RuleOfThumb.loss(&medium_of, low, Place::new(3.0, 0.0, 1.2)).get();
    assert!((thumb - open - 20.0 * 2f64.log10()).abs() < 1e-9, "half the radius behind a floor");
}

proptest! {
    #[test]
    fn all_three_are_alike_in_both_directions_and_finite(
        w in walls(10), a in spot(), b in spot(), mhz in 430.0..2480.0,
    ) {
        let medium = medium(&storey(&w), mhz);
        let (a, b) = (Place::new(a[0], a[1], 1.2), Place::new(b[0], b[1], 0.4));
        for school in PathLossSchool::ALL {
            let (out, back) = (school.loss(&medium, a, b).get(), school.loss(&medium, b, a).get());
            prop_assert!(out.is_finite() && (out - back).abs() < 1e-6, "{}", school.name());
        }
    }

    #[test]
    fn the_exponent_does_not_see_walls_and_the_rule_of_thumb_never_gains_by_one(
        w in walls(6), extra in (spot(), spot()), a in spot(), b in spot(),
    ) {
        prop_assume!((extra.0[0] - extra.1[0]).hypot(extra.0[1] - extra.1[1]) > 0.3);
        let fewer = medium(&storey(&w), 2440.0);
        let mut more = w.clone();
        more.push((extra.0, extra.1, "brick-102"));
        let more = medium(&storey(&more), 2440.0);
        let (a, b) = (Place::new(a[0], a[1], 1.2), Place::new(b[0], b[1], 1.2));
        let of = |school: PathLossSchool, m: &Medium| school.loss(m, a, b).get();
        let apart = of(PathLossSchool::SiteGeneral, &fewer) - of(PathLossSchool::SiteGeneral, &more);
        prop_assert!(apart.abs() < 1e-12);
        prop_assert!(of(PathLossSchool::RuleOfThumb, &more) >= of(PathLossSchool::RuleOfThumb, &fewer) - 1e-9);
    }
}

#[test]
fn in_the_open_wall_by_wall_and_the_rule_of_thumb_are_free_space() {
    let site = bare(System::Zigbee);
    let structure = std::sync::Arc::new(Structure::new(&site, Doors::AsDrawn));
    let plain = Model { reflections: false, doorways: false, ..Model::default() };
    let medium = Medium::new(&structure, Megahertz::new(2440.0), plain);
    for metres in [1.0, 3.0, 10.0, 40.0] {
        let wall_by_wall = PathLossSchool::WallByWall.loss(&medium, at(0.0), at(metres)).get();
        let thumb = PathLossSchool::RuleOfThumb.loss(&medium, at(0.0), at(metres)).get();
        // 20·log10(d) + 20·log10(f) − 27.55.
        let free = 20.0 * f64::log10(metres * 2440.0) - 27.55;
        assert!((thumb - free).abs() < 0.01, "{metres} m: {thumb} against {free}");
        assert!((wall_by_wall - free).abs() < 0.01, "{metres} m: {wall_by_wall} against {free}");
    }
}
