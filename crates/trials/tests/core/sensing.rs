//! The field of a sensor against rays to random places.

use dot_reach_core::geometry::{Spot, Vec2, apart};
use dot_reach_core::radio::system::System;
use dot_reach_core::sensing::seen;
use dot_reach_core::site::Site;
use proptest::prelude::*;
use serde_json::{Value, json};

use crate::common::{Wall, bare, device, spot, walls, with};

fn sensor(facing: f64, at: Spot, angle: f64, walls: &[Value]) -> Site {
    let kind = json!({"do": "put", "kind": "device-kind", "value": {"id": "eye", "name": "Eye", "duty": "sensor",
        "supply": "battery", "forwards": false, "systems": ["zigbee"], "sees": {"reach_m": 7.0, "angle_deg": angle}}});
    let mut edits = vec![kind, device("s", "eye", at)];
    edits.push(
        json!({"do": "set", "kind": "device", "id": "s", "field": "facing_deg", "value": facing}),
    );
    edits.extend(walls.iter().cloned());
    with(bare(System::Zigbee), &edits)
}

/// A wall with a door in it that stands open, a shut one beside it, and a window, where it is long enough.
fn pierced(n: usize, (a, b, construction): &Wall) -> Value {
    let mut wall =
        json!({"id": format!("w{n}"), "floor": "g", "a": a, "b": b, "construction": construction});
    if apart(*a, *b) > 4.0 {
        wall["openings"] = json!([
            {"id": "o", "kind": "door", "start_m": 0.5, "width_m": 0.8, "height_m": 2.0, "construction": "door-hollow", "stands_open": true},
            {"id": "d", "kind": "door", "start_m": 1.5, "width_m": 0.8, "height_m": 2.0, "construction": "door-hollow"},
            {"id": "h", "kind": "open", "start_m": 2.6, "width_m": 0.9, "sill_m": 0.4, "height_m": 1.2},
        ]);
    }
    json!({"do": "put", "kind": "wall", "value": wall})
}

/// Whether a straight line from one place to another meets a wall where nothing is open.
fn is_hidden(walls: &[Wall], from: Spot, to: Spot) -> bool {
    let way = Vec2::between(from, to);
    walls.iter().any(|(a, b, _)| {
        let along = Vec2::between(*a, *b);
        let cross = way.cross(along);
        if cross.abs() < 1e-12 {
            return false;
        }
        let start = Vec2::between(from, *a);
        let (far, t) = (start.cross(along) / cross, start.cross(way) / cross);
        let metres = t * along.length();
        let gap =
            along.length() > 4.0 && ((0.5..1.3).contains(&metres) || (2.6..3.5).contains(&metres));
        far * way.length() > 0.05 && far < 1.0 && (0.0..=1.0).contains(&t) && !gap
    })
}

/// How far a place is from an edge of a polygon.
fn from_edge(outline: &[Spot], at: Spot) -> f64 {
    let edges = outline.iter().enumerate().map(|(n, a)| {
        let (along, way) =
            (Vec2::between(*a, outline[(n + 1) % outline.len()]), Vec2::between(*a, at));
        let t = (way.dot(along) / along.dot(along).max(1e-18)).clamp(0.0, 1.0);
        (way - along * t).length()
    });
    edges.fold(f64::INFINITY, f64::min)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn a_sensor_sees_what_a_ray_reaches(
        at in spot(), facing in 0.0..360.0f64, angle in prop_oneof![Just(360.0), 20.0..200.0f64],
        walls in walls(9), places in prop::collection::vec(spot(), 200),
    ) {
        let drawn: Vec<Value> = walls.iter().enumerate().map(|(n, w)| pierced(n, w)).collect();
        let site = sensor(facing, at, angle, &drawn);
        let field = seen(&site, site.devices.named("s").unwrap()).unwrap();
        let look = (facing - 90.0).to_radians();
        for place in places {
            let far = apart(at, place);
            // On an edge either is right; the circle is drawn by corners.
            if far < 0.1 || from_edge(&field.outline, place) < 0.02 {
                continue;
            }
            let way = Vec2::between(at, place);
            let turned = (way.y.atan2(way.x) - look).rem_euclid(std::f64::consts::TAU);
            let turned = turned.min(std::f64::consts::TAU - turned).to_degrees();
            let is_seen = far <= 7.0 && turned <= angle / 2.0 && !is_hidden(&walls, at, place);
            prop_assert_eq!(field.sees(place), is_seen, "{:?} at {} m, {}° off", place, far, turned);
        }
    }
}

#[test]
fn a_sensor_of_which_nobody_said_where_it_looks_sees_nothing_that_is_known() {
    let site = sensor(0.0, [2.0, 2.0], 110.0, &[]);
    let unsaid =
        json!({"do": "set", "kind": "device", "id": "s", "field": "facing_deg", "value": null});
    let site = with(site, &[unsaid]);
    assert!(seen(&site, site.devices.named("s").unwrap()).is_none());
    let round = sensor(0.0, [2.0, 2.0], 360.0, &[]);
    let round = with(
        round,
        &[json!({"do": "set", "kind": "device", "id": "s", "field": "facing_deg", "value": null})],
    );
    assert!(seen(&round, round.devices.named("s").unwrap()).is_some());
}

#[test]
fn a_room_is_seen_by_the_share_that_is_in_the_field() {
    // From the middle of the left wall, looking right with half a turn: the whole room, and nothing of the one behind the wall.
    let room = |id: &str, left: f64| {
        json!({"do": "put", "kind": "room", "value": {"id": id, "name": id, "floor": "g",
        "outline": [[left, 0.0], [left + 4.0, 0.0], [left + 4.0, 4.0], [left, 4.0]]}})
    };
    let wall = json!({"do": "put", "kind": "wall", "value": {"id": "w", "floor": "g", "a": [4.0, 0.0], "b": [4.0, 4.0], "construction": "stud-wall"}});
    let site =
        with(sensor(90.0, [0.0, 2.0], 180.0, &[wall]), &[room("near", 0.0), room("next", 4.0)]);
    let field = seen(&site, site.devices.named("s").unwrap()).unwrap();
    let shares: Vec<(String, i32)> = field
        .rooms
        .iter()
        .map(|r| {
            #[expect(clippy::cast_possible_truncation, reason = "a share")]
            let share = (r.share * 100.0).round() as i32;
            (r.room.to_string(), share)
        })
        .collect();
    assert_eq!(shares, [("near".to_owned(), 100)]);
}
