//! Tern Row Guesthouse: four floors, 38 rooms, about 400 devices, for scale. Drawn by rule: rooms on
//! both sides of a corridor, each with the same outfit.

use dot_reach_core::confidence::Confidence;
use dot_reach_core::radio::region::Region;
use dot_reach_core::radio::system::System;
use dot_reach_core::site::OpeningKind::{Door, Open, Window};
use dot_reach_core::site::PointKind::{BareWall, Ceiling, Shelf, Socket, Switch, WallFitting};
use dot_reach_core::site::{BoxKind, Edit, Neutral, PointKind, Site, SlabPlace};

use super::builder::{Builder, Surveyed};
use serde_json::json;

const WIDE: f64 = 6.4;
const DEEP: f64 = 5.2;
const CORRIDOR: f64 = 1.8;
const STOREY: f64 = 2.9;
/// Rooms on each floor; on the top one the stair head takes two.
const ROOMS: [usize; 4] = [10, 10, 10, 8];

/// What stands in a room: word, name, place from its corridor corner, kind, catalogue row, network.
type Outfit = (&'static str, &'static str, (f64, f64, f64), PointKind, &'static str, &'static str);

#[rustfmt::skip]
const OUTFIT: &[Outfit] = &[
    ("ceiling", "ceiling",          (1.1, 0.3, 1.2), Switch,      "switch-neutral",  "mesh"),
    ("bed",     "bed lamps",        (5.9, 2.2, 0.7), Switch,      "dimmer-neutral",  "mesh"),
    ("bath",    "bath ceiling",     (2.4, 0.9, 1.2), Switch,      "switch-two-wire", "mesh"),
    ("plug",    "desk plug",        (0.3, 4.4, 0.4), Socket,      "plug-socket",     "mesh"),
    ("door",    "door contact",     (0.6, 0.1, 2.0), BareWall,    "sensor-battery",  "mesh"),
    ("move",    "motion",           (6.1, 4.9, 2.1), BareWall,    "sensor-battery",  "mesh"),
    ("smoke",   "smoke alarm",      (3.4, 3.2, 2.4), Ceiling,     "sensor-battery",  "mesh"),
    ("heat",    "radiator",         (3.2, 5.0, 0.5), BareWall,    "sensor-battery",  "heat"),
    ("fan",     "bath fan",         (2.6, 1.8, 2.2), WallFitting, "relay-module",    "heat"),
    ("remote",  "bedside remote",   (5.4, 2.6, 0.6), Shelf,       "remote-battery",  "shade"),
];

/// The house as planned; and what the core refused of it.
pub fn planned() -> (Site, Vec<String>) {
    let sure = Confidence::new(0.95).unwrap_or_else(|_| unreachable!("0.95 is a confidence"));
    let mut b = Builder::new("Tern Row Guesthouse", Region::Uk, sure);
    b.set("job", "job", "time_zone", &json!("Europe/London"));
    b.job("Tern Row Guesthouse Ltd (made up)", "1 Tern Row", "Guests must never need a phone.");
    for floor in 1..=4u8 {
        b.network(&format!("mesh{floor}"), &format!("Floor {floor} lighting"), System::Zigbee);
    }
    b.network("heat", "Heating and fans", System::ZWave);
    for half in ["low", "high"] {
        b.network(&format!("shade-{half}"), &format!("Remotes, {half} floors"), System::Star);
    }
    for (n, channel) in [("mesh1", 15), ("mesh2", 20), ("mesh3", 25), ("mesh4", 15)] {
        let Some(mut network) = b.site().networks.named(n).cloned() else { continue };
        network.channel = Some(channel);
        b.also(&Edit::put(network));
    }
    for (floor, rooms) in ROOMS.into_iter().enumerate() {
        storey(&mut b, floor, rooms);
    }
    b.finish()
}

#[expect(clippy::cast_precision_loss, reason = "a handful of floors and rooms")]
fn storey(b: &mut Builder, floor: usize, rooms: usize) {
    let (id, name) = (format!("f{}", floor + 1), format!("Floor {}", floor + 1));
    let a_side = rooms / 2;
    let long = WIDE * 5.0;
    let deep = 2.0 * DEEP + CORRIDOR;
    b.floor(&id, &name, STOREY * floor as f64, 2.6);
    let windows: Vec<_> =
        (0..5).map(|r| (Window, WIDE * f64::from(r) + 3.6, 1.4, "window-double")).collect();
    let brick = "cavity-wall";
    b.wall(&id, [0.0, 0.0], [long, 0.0], brick, &windows);
    b.wall(&id, [long, 0.0], [long, deep], brick, &[(Window, DEEP + 0.3, 1.2, "window-double")]);
    b.wall(&id, [long, deep], [0.0, deep], brick, &windows);
    b.wall(&id, [0.0, deep], [0.0, 0.0], brick, &[]);
    let doors: Vec<_> =
        (0..a_side).map(|r| (Door, WIDE * r as f64 + 0.2, 0.9, "door-fire")).collect();
    for y in [DEEP, DEEP + CORRIDOR] {
        b.wall(&id, [0.0, y], [long, y], "block-100", &doors);
    }
    for r in 1..=a_side.min(4) {
        let x = WIDE * r as f64;
        b.wall(&id, [x, 0.0], [x, DEEP], "block-100", &[]);
        b.wall(&id, [x, DEEP + CORRIDOR], [x, deep], "block-100", &[]);
    }
    for r in 0..a_side {
        let x = WIDE * r as f64;
        for (near, far) in [(DEEP, DEEP - 2.2), (DEEP + CORRIDOR, DEEP + CORRIDOR + 2.2)] {
            b.wall(
                &id,
                [x + 2.5, near],
                [x + 2.5, far],
                "wet-room-tiled",
                &[(Open, 0.6, 0.75, "")],
            );
            b.wall(&id, [x + 2.5, far], [x + 4.6, far], "stud-wall", &[]);
        }
    }
    if floor > 0 {
        let stair = vec![
            [long - 2.4, DEEP],
            [long, DEEP],
            [long, DEEP + CORRIDOR],
            [long - 2.4, DEEP + CORRIDOR],
        ];
        b.slab(&id, SlabPlace::Below, "timber-floor", vec![stair]);
    }
    hubs(b, floor, &id, long);
    for room in 0..rooms {
        furnish(b, floor, &id, room, a_side);
    }
}

#[expect(clippy::too_many_arguments, reason = "one row of the house")]
fn place_one(
    b: &mut Builder,
    floor: &str,
    id: &str,
    name: &str,
    room: &str,
    at: (f64, f64, f64),
    kind: PointKind,
    circuit: &str,
    device: (&str, &str),
) {
    let (back_box, neutral) = match (kind, device.0) {
        (Switch, "switch-two-wire") => ((BoxKind::Plastic, 35.0), Neutral::Absent),
        (Switch, _) => ((BoxKind::Plastic, 47.0), Neutral::Seen),
        (WallFitting, _) => ((BoxKind::Plastic, 35.0), Neutral::Seen),
        _ => ((BoxKind::None, 0.0), Neutral::Unknown),
    };
    b.place(
        floor,
        &Surveyed { id, name, room, at, kind, back_box, neutral, circuit, devices: &[device] },
    );
}

fn hubs(b: &mut Builder, floor: usize, id: &str, long: f64) {
    let n = floor + 1;
    let middle = DEEP + CORRIDOR / 2.0;
    let mesh = format!("mesh{n}");
    place_one(
        b,
        id,
        &format!("hub{n}"),
        &format!("Hub, floor {n}"),
        "Corridor",
        (long / 2.0, middle, 2.3),
        Shelf,
        &format!("{n}0"),
        ("hub", &mesh),
    );
    for (k, x) in [4.0, 12.0, 20.0, 28.0].into_iter().enumerate() {
        place_one(
            b,
            id,
            &format!("cor{n}-{k}"),
            &format!("Corridor {n}, light {}", k + 1),
            "Corridor",
            (x, middle, 1.2),
            Switch,
            &format!("{n}9"),
            ("switch-neutral", &mesh),
        );
    }
    if floor == 1 {
        place_one(
            b,
            id,
            "hub-heat",
            "Hub, heating",
            "Linen store",
            (long / 2.0 + 1.0, middle, 2.0),
            Shelf,
            "20",
            ("hub", "heat"),
        );
    }
    if floor.is_multiple_of(2) {
        let half = if floor < 2 { "low" } else { "high" };
        let network = format!("shade-{half}");
        place_one(
            b,
            id,
            &format!("hub-{half}"),
            &format!("Hub, remotes, {half}"),
            "Corridor",
            (long / 2.0 - 1.0, middle, 2.2),
            Shelf,
            &format!("{n}0"),
            ("hub", &network),
        );
    }
}

#[expect(clippy::cast_precision_loss, reason = "a handful of rooms")]
fn furnish(b: &mut Builder, floor: usize, id: &str, room: usize, a_side: usize) {
    let number = format!("{}{:02}", floor + 1, room + 1);
    let (side, along) = (room / a_side, room % a_side);
    let x = WIDE * along as f64;
    for (word, what, (dx, dy, z), kind, row, network) in OUTFIT {
        let y = if side == 0 { DEEP - dy } else { DEEP + CORRIDOR + dy };
        let network = match *network {
            "mesh" => format!("mesh{}", floor + 1),
            "shade" => format!("shade-{}", if floor < 2 { "low" } else { "high" }),
            other => other.to_owned(),
        };
        let on_battery = row.ends_with("battery");
        let circuit = if on_battery { String::new() } else { format!("{}{}", floor + 1, side + 1) };
        let (point, name) = (format!("r{number}-{word}"), format!("Room {number} {what}"));
        place_one(
            b,
            id,
            &point,
            &name,
            &format!("Room {number}"),
            (x + dx, y, *z),
            *kind,
            &circuit,
            (row, &network),
        );
        if *word == "fan" {
            let load = format!("{point}-lamps");
            let one = [
                ("kind", json!("fan")),
                ("name", json!(name)),
                ("count", json!(1)),
                ("watts", json!(30.0)),
            ];
            for (field, value) in one {
                b.set("load", &load, field, &value);
            }
        }
    }
}

/// The demo job.
pub fn tern_row() -> Site {
    planned().0
}
