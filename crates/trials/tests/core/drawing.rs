//! What a hand on the sheet comes to: typed places, walls that are moved with what is joined to them,
//! storeys and names.

#![expect(clippy::expect_used, clippy::float_cmp, reason = "places are rounded to millimetres")]

use std::collections::BTreeSet;

use crate::common::{bare, edited, with};
use dot_reach_core::draw::naming;
use dot_reach_core::draw::snap::{Aim, CornerSide, SnappedTo, direction};
use dot_reach_core::geometry::apart;
use dot_reach_core::radio::system::System;
use dot_reach_core::site::{FloorId, Refusal, Site, Spot, apply};
use dot_reach_core::units::Metres;
use dot_reach_core::wish::PageRequest;
use proptest::prelude::*;
use serde_json::{Value, json};

fn wall(id: &str, a: Spot, b: Spot) -> Value {
    json!({"do": "put", "kind": "wall", "value": {"id": id, "floor": "f", "a": a, "b": b, "construction": "stud-wall"}})
}

/// A storey of 10 by 8 m, parted by a wall at 6 m, its left part by one at 4 m that meets it.
fn flat() -> Site {
    let floor = json!({"do": "put", "kind": "floor", "value": {"id": "f", "name": "Ground floor", "elevation_m": 0.0, "height_m": 2.5}});
    with(
        bare(System::Zigbee),
        &[
            floor,
            wall("n", [0.0, 0.0], [10.0, 0.0]),
            wall("e", [10.0, 0.0], [10.0, 8.0]),
            wall("s", [10.0, 8.0], [0.0, 8.0]),
            wall("w", [0.0, 8.0], [0.0, 0.0]),
            wall("mid", [6.0, 0.0], [6.0, 8.0]),
            wall("part", [0.0, 4.0], [6.0, 4.0]),
        ],
    )
}

fn floor() -> FloorId {
    "f".parse().expect("a proper id")
}

fn done(site: &mut Site, gesture: Value) -> Result<(), Refusal> {
    let wish: PageRequest = serde_json::from_value(gesture).expect("a proper gesture");
    let edit = edited(wish, site)?;
    apply(site, &edit).map(|_| ())
}

fn ends(site: &Site, id: &str) -> [Spot; 2] {
    let wall = site.walls.named(id).expect("the wall stands");
    [wall.a, wall.b]
}

fn snapped(
    site: &Site,
    at: Spot,
    start: Option<Spot>,
    length: Option<f64>,
    angle: Option<f64>,
) -> (Spot, SnappedTo) {
    let aim = Aim { length: length.map(Metres::new), angle, ..Aim::new(floor(), at, start) };
    let found = aim.snapped(site);
    (found.at, found.to)
}

#[test]
fn a_typed_length_and_angle_need_no_hand() {
    let site = flat();
    let start = Some([2.0, 2.0]);
    assert_eq!(snapped(&site, [2.0, 2.0], start, Some(1.5), Some(0.0)).0, [3.5, 2.0]);
    assert_eq!(snapped(&site, [2.0, 2.0], start, Some(1.5), Some(90.0)).0, [2.0, 0.5]);
    assert_eq!(snapped(&site, [9.0, 9.0], start, Some(1.0), Some(-90.0)).0, [2.0, 3.0]);
    // The hand gives the direction where no angle is typed, and the length where only that is.
    assert_eq!(snapped(&site, [2.1, 3.0], start, Some(1.2), None).0, [2.0, 3.2]);
    assert_eq!(snapped(&site, [2.0, 3.0], start, None, Some(180.0)).0, [1.0, 2.0]);
}

proptest! {
    /// A typed length is kept exactly, and a hand within twenty degrees of level or plumb gives a right angle; one that is
    /// not gives the direction that it points to.
    #[test]
    fn right_angles_win_over_the_hand(quarter in 0..4i32, off in -40.0..40.0f64, length in 0.3..6.0f64) {
        let site = flat();
        let start = [3.0, 2.0];
        let angle = f64::from(quarter) * 90.0 + off;
        let (sin, cos) = angle.to_radians().sin_cos();
        let hand = [start[0] + 1.7 * cos, start[1] - 1.7 * sin];
        let end = snapped(&site, hand, Some(start), Some(length), None).0;
        let way = [end[0] - start[0], end[1] - start[1]];
        prop_assert!((way[0].hypot(way[1]) - length).abs() < 2e-3);
        let is_square = way[0].abs() < 1e-9 || way[1].abs() < 1e-9;
        if off.abs() < 19.5 {
            prop_assert!(is_square, "{off} off gave {way:?}");
        } else if off.abs() > 20.5 {
            prop_assert!(!is_square, "{off} off gave {way:?}");
        }
    }
}

#[test]
fn a_wall_begins_as_far_from_the_nearer_corner_as_was_typed() {
    let site = flat();
    assert_eq!(snapped(&site, [1.0, 0.1], None, Some(3.2), None), ([3.2, 0.0], SnappedTo::Wall));
    assert_eq!(snapped(&site, [9.0, 0.1], None, Some(3.2), None), ([6.8, 0.0], SnappedTo::Wall));
    let found = Aim::new(floor(), [1.5, 0.1], None).snapped(&site);
    let left = Some((Metres::new(1.5), CornerSide::Left));
    assert_eq!((found.at, found.from_corner), ([1.5, 0.0], left));
    let below = Aim::new(floor(), [0.1, 6.5], None).snapped(&site).from_corner;
    assert_eq!(below, Some((Metres::new(1.5), CornerSide::Lower)));
    // A hand over no wall begins where it is, whatever was typed.
    assert_eq!(snapped(&site, [3.0, 2.0], None, Some(1.0), None).0, [3.0, 2.0]);
}

/// Four walls of brick between two corners.
fn four_walls(id: &str, from: Spot, to: Spot) -> Value {
    json!({"do": "draw-rectangle", "id": id, "floor": "f", "from": from, "to": to, "construction": "brick-102"})
}

#[test]
fn a_rectangle_leaves_out_the_sides_that_stand() {
    let mut site = flat();
    let drawn = |from: Spot, to: Spot| four_walls("x", from, to);
    done(&mut site, drawn([6.0, 8.0], [10.0, 12.0])).expect("a room on the south side");
    assert_eq!(site.walls.len(), 6 + 3);
    assert_eq!(ends(&site, "x-2"), [[10.0, 8.0], [10.0, 12.0]]);
    let other = four_walls("y", [20.0, 3.0], [16.0, 1.0]);
    done(&mut site, other).expect("drawn from any corner");
    assert_eq!(site.walls.len(), 6 + 3 + 4);
}

#[test]
fn what_is_joined_to_a_moved_wall_goes_along() {
    let mut site = flat();
    // Across: the ends slide on the outer walls, the partition reaches on.
    done(&mut site, json!({"do": "move", "walls": ["mid"], "by": [1.0, 0.7]})).expect("it moves");
    assert_eq!(ends(&site, "mid"), [[7.0, 0.0], [7.0, 8.0]]);
    assert_eq!(ends(&site, "part"), [[0.0, 4.0], [7.0, 4.0]]);
    assert_eq!(ends(&site, "n"), [[0.0, 0.0], [10.0, 0.0]]);
    // An outer wall takes the corners along, and with them its neighbours.
    done(&mut site, json!({"do": "move", "walls": ["e"], "by": [2.0, 0.0]})).expect("it moves");
    assert_eq!(ends(&site, "n"), [[0.0, 0.0], [12.0, 0.0]]);
    assert_eq!(ends(&site, "s"), [[12.0, 8.0], [0.0, 8.0]]);
    done(&mut site, json!({"do": "move", "walls": ["s"], "by": [0.0, 1.0]})).expect("it moves");
    assert_eq!(ends(&site, "mid"), [[7.0, 0.0], [7.0, 9.0]]);
}

#[test]
fn an_opening_stays_where_it_is_when_its_wall_grows() {
    let mut site = flat();
    let door =
        json!({"do": "drop-opening", "wall": "w", "id": "d", "kind": "door", "at": [0.0, 6.0]});
    done(&mut site, door).expect("it fits");
    let from_top = |site: &Site| {
        let wall = site.walls.named("w").expect("it stands");
        wall.a[1] - wall.openings[0].start_m.get()
    };
    let before = from_top(&site);
    // The wall begins at its lower end, which moves: the door is measured from there.
    done(&mut site, json!({"do": "move", "walls": ["s"], "by": [0.0, 1.5]})).expect("it moves");
    assert!((from_top(&site) - before).abs() < 1e-9);
    // A wall that becomes too short for its door is refused.
    let short = json!({"do": "drag-end", "wall": "w", "end": "a", "to": [0.0, 0.5]});
    assert_eq!(done(&mut site, short).unwrap_err().field(), Some("width_m"));
}

#[test]
fn several_openings_have_equal_gaps() {
    let mut site = flat();
    let windows = json!({"do": "drop-opening", "wall": "n", "id": "o", "kind": "window", "at": [1.0, 0.0], "count": 4});
    done(&mut site, windows).expect("they fit");
    let starts: Vec<f64> = site
        .walls
        .named("n")
        .expect("it stands")
        .openings
        .iter()
        .map(|o| o.start_m.get())
        .collect();
    assert_eq!(starts, [0.65, 3.15, 5.65, 8.15]);
    // Beside a door they share what is free.
    let door =
        json!({"do": "drop-opening", "wall": "s", "id": "d", "kind": "door", "at": [2.0, 8.0]});
    done(&mut site, door).expect("it fits");
    let two = json!({"do": "drop-opening", "wall": "s", "id": "w", "kind": "window", "at": [7.0, 8.0], "count": 2});
    done(&mut site, two).expect("they fit");
    let none = json!({"do": "drop-opening", "wall": "s", "id": "o", "kind": "door", "at": [1.0, 8.0], "count": 0});
    assert_eq!(done(&mut site, none).unwrap_err().field(), Some("count"));
}

#[test]
fn storeys_are_named_by_their_place_and_may_take_over_walls() {
    let mut site = bare(System::Zigbee);
    for id in site.floors.iter().map(|f| f.id.clone()).collect::<Vec<_>>() {
        apply(&mut site, &crate::common::edit(json!({"do": "remove", "kind": "floor", "id": id})))
            .expect("bare");
    }
    let names = |site: &Site| -> Vec<String> {
        site.floors_upward().iter().map(|f| f.name.clone()).collect()
    };
    done(&mut site, json!({"do": "add-storey", "id": "f", "slab": "s1"})).expect("the first");
    assert_eq!(site.slabs.len(), 0);
    done(&mut site, four_walls("o", [0.0, 0.0], [8.0, 6.0])).expect("four walls");
    let within = json!({"id": "in", "floor": "f", "a": [4.0, 0.0], "b": [4.0, 6.0], "construction": "stud-wall"});
    done(&mut site, json!({"do": "put", "kind": "wall", "value": within})).expect("one within");
    for (wall, kind) in [("o-1", "window"), ("o-3", "door"), ("in", "door")] {
        let at =
            json!({"do": "drop-opening", "wall": wall, "id": "x", "kind": kind, "at": [2.0, 2.0]});
        done(&mut site, at).expect("it fits");
    }
    done(&mut site, json!({"do": "add-storey", "id": "g", "slab": "s2", "copy": "f"}))
        .expect("on top");
    done(&mut site, json!({"do": "add-storey", "id": "h", "slab": "s3"})).expect("on top");
    done(&mut site, json!({"do": "add-storey", "id": "k", "slab": "s4", "beneath": true}))
        .expect("below");
    assert_eq!(names(&site), ["Basement", "Ground floor", "First floor", "Second floor"]);
    // Each storey has a floor between it and the one below.
    let standing: BTreeSet<_> = site.slabs.iter().map(|s| s.floor.to_string()).collect();
    assert_eq!(standing, ["f", "g", "h"].map(str::to_owned).into());
    // Windows over windows, doors within over doors; the front door stays below.
    let of = |storey: &str| -> Vec<usize> {
        let walls = site.walls.iter().filter(|w| w.floor.as_str() == storey);
        walls.map(|w| w.openings.len()).collect()
    };
    assert_eq!((of("g").len(), of("g").iter().sum::<usize>()), (5, 2));
    assert_eq!(of("h").len(), 0);
    let gone = json!({"do": "add-storey", "id": "m", "slab": "s5", "copy": "attic"});
    assert!(matches!(done(&mut site, gone), Err(Refusal::Missing(_))));
}

#[test]
fn names_say_where_and_differ() {
    let mut site = flat();
    let placed = |n: u8, at: Spot| {
        json!({"do": "place-device", "device": format!("d{n}"), "point": format!("p{n}"), "floor": "f",
            "at": at, "kind": "switch-neutral", "network": "new", "system": "thread"})
    };
    done(&mut site, placed(1, [1.0, 1.0])).expect("placed");
    done(&mut site, placed(2, [2.0, 1.0])).expect("placed");
    let name = |site: &Site, id: &str| site.devices.named(id).expect("it is there").name.clone();
    assert_eq!(name(&site, "d1"), "Ground floor switch");
    assert_eq!(name(&site, "d2"), "Ground floor switch 2");
    assert_eq!(site.networks.named("new").map(|n| n.name.as_str()), Some("Thread"));
    // What a person called the room goes for what is placed beside it, and stops at a wall.
    apply(
        &mut site,
        &crate::common::edit(
            json!({"do": "set", "kind": "point", "id": "p1", "field": "room", "value": "Kitchen"}),
        ),
    )
    .expect("named");
    done(&mut site, placed(3, [5.0, 3.0])).expect("placed");
    done(&mut site, placed(4, [8.0, 3.0])).expect("placed");
    assert_eq!(name(&site, "d3"), "Kitchen switch");
    assert_eq!(name(&site, "d4"), "Ground floor switch 3");
    assert_eq!(site.points.named("p3").map(|p| p.room.as_str()), Some("Kitchen"));
    assert_eq!(naming::of_network(&site, System::Thread), "Thread 2");
    let unknown = json!({"do": "place-device", "device": "x", "point": "p1", "kind": "teapot", "network": "new"});
    assert_eq!(done(&mut site, unknown).unwrap_err().field(), Some("kind"));
}

/// Pairs of ends that stand on one another, and ends that stand on a wall.
fn joints(site: &Site) -> (BTreeSet<[String; 2]>, BTreeSet<[String; 2]>) {
    let walls: Vec<_> = site.walls.iter().collect();
    let (mut ends, mut tees) = (BTreeSet::new(), BTreeSet::new());
    for w in &walls {
        for v in walls.iter().filter(|v| v.id != w.id) {
            for (n, end) in [w.a, w.b].into_iter().enumerate() {
                let name = [format!("{}{n}", w.id), v.id.to_string()];
                if apart(end, v.a) < 0.01 || apart(end, v.b) < 0.01 {
                    ends.insert(name);
                } else if (apart(v.a, end) + apart(end, v.b) - apart(v.a, v.b)).abs() < 0.002 {
                    tees.insert(name);
                }
            }
        }
    }
    (ends, tees)
}

proptest! {
    #[test]
    fn corners_stay_corners_and_what_met_a_moved_wall_meets_it(
        which in prop::sample::select(vec!["n", "e", "s", "w", "mid", "part"]),
        by in [-2.0..2.0f64, -2.0..2.0f64],
    ) {
        let mut site = flat();
        let (corners, tees) = joints(&site);
        if done(&mut site, json!({"do": "move", "walls": [which], "by": by})).is_ok() {
            let (corners_now, tees_now) = joints(&site);
            prop_assert!(corners.is_subset(&corners_now));
            let met = |set: &BTreeSet<[String; 2]>| -> BTreeSet<[String; 2]> {
                set.iter().filter(|[_, on]| on == which).cloned().collect()
            };
            prop_assert!(met(&tees).is_subset(&met(&tees_now)), "{which}: {:?}", met(&tees_now));
        }
    }

    #[test]
    fn what_is_moved_and_moved_back_stands_where_it_stood(by in [-3..3i32, -3..3i32]) {
        let mut site = flat();
        let before = site.clone();
        let all: Vec<_> = site.walls.iter().map(|w| w.id.to_string()).collect();
        let by = by.map(f64::from);
        done(&mut site, json!({"do": "move", "walls": all, "by": by})).expect("a house moves as one");
        for wall in before.walls.iter() {
            prop_assert_eq!(ends(&site, wall.id.as_str()), [wall.a, wall.b].map(|[x, y]| [x + by[0], y + by[1]]));
        }
        done(&mut site, json!({"do": "move", "walls": all, "by": [-by[0], -by[1]]})).expect("and back");
        prop_assert_eq!(site, before);
    }

    #[test]
    fn a_typed_wall_is_as_long_and_turned_as_typed(
        start in [1.0..9.0f64, 1.0..7.0f64], length in 0.1..20.0f64, angle in -179.0..180.0f64,
    ) {
        let (end, _) = snapped(&flat(), start, Some(start), Some(length), Some(angle));
        prop_assert!((apart(start, end) - length).abs() < 0.0015);
        if length > 2.0 {
            prop_assert!((direction(start, end) - angle).abs() <= 0.6, "{} {angle}", direction(start, end));
        }
    }

    #[test]
    fn a_dragged_end_takes_along_all_that_stand_there(to in [7.0..14.0f64, -3.0..3.0f64]) {
        let mut site = flat();
        done(&mut site, json!({"do": "drag-end", "wall": "n", "end": "b", "to": to})).expect("it moves");
        prop_assert_eq!(ends(&site, "n")[1], ends(&site, "e")[0]);
        prop_assert!(apart(ends(&site, "n")[1], to) < 0.001);
        // The wall that met it meets it still, and stays upright as long as it can.
        let [top, _] = ends(&site, "mid");
        let [a, b] = ends(&site, "n");
        prop_assert!((apart(a, top) + apart(top, b) - apart(a, b)).abs() < 0.002);
        prop_assert!((top[0] - 6.0).abs() < 0.001);
    }
}
