//! The way of a cable to a hub: along walls, through shafts, never through the air.

use crate::common::{bare, wall, with};
use dot_reach_core::geometry::Place;
use dot_reach_core::placement::cable::Runs;
use dot_reach_core::radio::system::System;
use dot_reach_core::site::Site;
use dot_reach_core::units::Metres;
use serde_json::{Value, json};

fn length(site: &Site, from: (&str, [f64; 2]), to: (&str, [f64; 2])) -> Option<f64> {
    let runs = Runs::new(site);
    let place = |at: [f64; 2]| Place::new(at[0], at[1], 0.0);
    let reached = runs.from(&from.0.parse().ok()?, place(from.1))?;
    reached.to(&to.0.parse().ok()?, place(to.1)).map(Metres::get)
}

fn close(got: Option<f64>, want: f64) {
    assert!(got.is_some_and(|got| (got - want).abs() < 1e-6), "{got:?}, not {want}");
}

/// Four walls around 10 by 6 metres, and one across at 4 m.
fn house() -> Vec<Value> {
    vec![
        wall("n", [0.0, 0.0], [10.0, 0.0], "brick-102"),
        wall("e", [10.0, 0.0], [10.0, 6.0], "brick-102"),
        wall("s", [10.0, 6.0], [0.0, 6.0], "brick-102"),
        wall("w", [0.0, 6.0], [0.0, 0.0], "brick-102"),
        wall("m", [4.0, 0.0], [4.0, 6.0], "stud-wall"),
    ]
}

/// A storey above with one wall along its middle, and on wish a hole in its floor at 5.5, 4.6.
fn upper(hole: bool) -> Vec<Value> {
    let voids =
        if hole { json!([[[5.0, 4.4], [6.0, 4.4], [6.0, 4.8], [5.0, 4.8]]]) } else { json!([]) };
    let put = |kind: &str, value: Value| json!({"do": "put", "kind": kind, "value": value});
    vec![
        put("floor", json!({"id": "u", "name": "Upper", "elevation_m": 2.7, "height_m": 2.4})),
        put(
            "wall",
            json!({"id": "um", "floor": "u", "a": [0.0, 3.0], "b": [10.0, 3.0], "construction": "stud-wall"}),
        ),
        put(
            "slab",
            json!({"id": "us", "floor": "u", "construction": "timber-floor", "voids": voids}),
        ),
    ]
}

#[test]
fn a_cable_follows_the_walls_and_leaves_them_only_at_its_ends() {
    let site = with(bare(System::Zigbee), &house());
    // Along one wall.
    close(length(&site, ("g", [1.0, 0.0]), ("g", [9.0, 0.0])), 8.0);
    // From a table 0.5 m off the north wall, over the wall across, to a shelf on the south wall.
    close(length(&site, ("g", [2.0, 0.5]), ("g", [6.0, 6.0])), 0.5 + 2.0 + 6.0 + 2.0);
    // Around the corner.
    close(length(&site, ("g", [9.0, 0.0]), ("g", [10.0, 3.0])), 1.0 + 3.0);
}

#[test]
fn between_storeys_it_climbs_where_wall_stands_on_wall_or_through_a_shaft() {
    let plain = with(bare(System::Zigbee), &[house(), upper(false)].concat());
    let (from, to) = (("g", [5.5, 6.0]), ("u", [5.5, 3.0]));
    // Along the south wall to the one across, up where the upper wall stands on that, and back.
    close(length(&plain, from, to), 1.5 + 3.0 + 2.7 + 1.5);
    let open = with(bare(System::Zigbee), &[house(), upper(true)].concat());
    // Through the hole: 1.4 m to it below, 1.6 m from it above.
    close(length(&open, from, to), 1.4 + 2.7 + 1.6);
}

#[test]
fn where_no_wall_leads_there_is_no_cable() {
    // A plinth in the middle of a room is no way: from beside it the cable goes to the house's walls.
    let plinth = wall("far", [6.0, 3.0], [7.0, 3.0], "brick-102");
    let site = with(bare(System::Zigbee), &[house(), vec![plinth]].concat());
    close(length(&site, ("g", [6.5, 3.6]), ("g", [6.0, 6.0])), 2.4 + 0.5);
    // A storey of its own, apart from the house, is reached by no wall.
    let bothy = [
        json!({"do": "put", "kind": "floor", "value": {"id": "b", "name": "Bothy", "elevation_m": 0.1, "height_m": 2.4}}),
        json!({"do": "put", "kind": "wall", "value": {"id": "bw", "floor": "b", "a": [30.0, 0.0], "b": [34.0, 0.0], "construction": "brick-102"}}),
    ];
    let site = with(bare(System::Zigbee), &[house(), bothy.to_vec()].concat());
    assert_eq!(length(&site, ("g", [1.0, 0.0]), ("b", [31.0, 0.0])), None);
    let bare = bare(System::Zigbee);
    assert_eq!(length(&bare, ("g", [1.0, 0.0]), ("g", [2.0, 0.0])), None);
}
