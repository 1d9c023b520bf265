//! Flat 12, Quay Court: two rooms in a concrete block, Thread under Matter, and Wi-Fi from all sides.

use dot_reach_core::confidence::Confidence;
use dot_reach_core::radio::coexistence::Emission;
use dot_reach_core::radio::region::Region;
use dot_reach_core::radio::system::System;
use dot_reach_core::site::OpeningKind::{Door, Open, Window};
use dot_reach_core::site::PointKind::{BareWall, Ceiling, Shelf, Socket, Switch};
use dot_reach_core::site::{BoxKind, Edit, Emitter, Neutral, PointKind, Scan, Site, SlabPlace};
use dot_reach_core::units::{Dbm, Metres};

use crate::story::moment;

use super::builder::{Builder, Surveyed};
use super::household;

type Row = (
    &'static str,
    &'static str,
    &'static str,
    (f64, f64, f64),
    PointKind,
    Neutral,
    &'static str,
    &'static [(&'static str, &'static str)],
);

#[rustfmt::skip]
const POINTS: &[Row] = &[
    ("router",     "Border router",        "Hall",        (0.5, 6.3, 1.1), Shelf,    Neutral::Unknown, "",  &[("hub", "thread")]),
    ("hall-light", "Hall ceiling",         "Hall",        (2.3, 6.6, 1.2), Switch,   Neutral::Seen,    "1", &[("switch-neutral", "thread")]),
    ("bath-light", "Bath ceiling",         "Bath",        (2.6, 5.4, 1.2), Switch,   Neutral::Absent,  "1", &[("switch-two-wire", "thread")]),
    ("bath-damp",  "Bath humidity",        "Bath",        (4.6, 3.8, 2.1), BareWall, Neutral::Unknown, "",  &[("sensor-battery", "thread")]),
    ("kit-light",  "Kitchen ceiling",      "Living room", (5.3, 6.6, 1.2), Switch,   Neutral::Seen,    "2", &[("dimmer-neutral", "thread")]),
    ("kit-plug",   "Kettle plug",          "Living room", (9.6, 7.2, 1.0), Socket,   Neutral::Unknown, "3", &[("plug-socket", "thread")]),
    ("kit-leak",   "Sink leak",            "Living room", (9.4, 6.2, 0.1), BareWall, Neutral::Unknown, "",  &[("sensor-battery", "thread")]),
    ("liv-lamp",   "Floor lamp",           "Living room", (9.5, 0.6, 0.5), Socket,   Neutral::Unknown, "4", &[("lamp", "thread")]),
    ("liv-light",  "Living ceiling",       "Living room", (5.3, 5.8, 1.2), Switch,   Neutral::Seen,    "2", &[("dimmer-neutral", "thread")]),
    ("liv-shade",  "Living shade",         "Living room", (7.6, 0.2, 2.3), BareWall, Neutral::Unknown, "",  &[("shade-battery", "thread")]),
    ("liv-smoke",  "Living smoke alarm",   "Living room", (7.5, 3.6, 2.5), Ceiling,  Neutral::Unknown, "",  &[("sensor-battery", "thread")]),
    ("liv-remote", "Sofa remote",          "Living room", (8.4, 2.4, 0.7), Shelf,    Neutral::Unknown, "",  &[("remote-battery", "thread")]),
    ("bed-light",  "Bedroom ceiling",      "Bedroom",     (4.6, 2.9, 1.2), Switch,   Neutral::Unknown, "1", &[("switch-neutral", "thread")]),
    ("bed-plug",   "Bedside plug",         "Bedroom",     (0.3, 1.0, 0.4), Socket,   Neutral::Unknown, "5", &[("plug-socket", "thread")]),
    ("bed-window", "Bedroom window",       "Bedroom",     (2.4, 0.2, 1.4), BareWall, Neutral::Unknown, "",  &[("sensor-battery", "thread")]),
    ("door",       "Flat door contact",    "Hall",        (1.4, 7.8, 2.0), BareWall, Neutral::Unknown, "",  &[("sensor-battery", "thread")]),
    ("ap",         "Access point",         "Hall",        (0.9, 6.4, 1.3), Shelf,    Neutral::Unknown, "",  &[("access-point", "wifi")]),
    ("tv",         "Television switch",    "Living room", (9.7, 3.2, 0.5), Socket,   Neutral::Unknown, "4", &[("plug-socket", "wifi")]),
];

/// The flat as surveyed and planned; and what the core refused of it.
pub fn planned() -> (Site, Vec<String>) {
    let sure = Confidence::new(0.95).unwrap_or_else(|_| unreachable!("0.95 is a confidence"));
    let mut b = Builder::new("Flat 12, Quay Court", Region::Eu, sure);
    b.set("job", "job", "time_zone", &serde_json::json!("Europe/London"));
    b.job(
        "A. Marlowe-Test",
        "Quay Court, flat 12",
        "Everything must work with the two phones of the house. The border router has to stay in the \
         hall beside the access point.",
    );
    b.floor("flat", "Flat", 0.0, 2.6);
    let (concrete, party, stud) = ("concrete-reinforced", "concrete-200", "stud-wall");
    let win = |s, w| (Window, s, w, "low-e-glazing");
    b.wall("flat", [0.0, 0.0], [10.0, 0.0], party, &[win(1.4, 1.8), win(6.4, 2.4)]);
    b.wall("flat", [10.0, 0.0], [10.0, 8.0], concrete, &[]);
    b.wall("flat", [10.0, 8.0], [0.0, 8.0], concrete, &[(Door, 8.1, 0.95, "door-fire")]);
    b.wall("flat", [0.0, 8.0], [0.0, 0.0], concrete, &[]);
    b.wall("flat", [5.0, 0.0], [5.0, 8.0], party, &[(Door, 6.9, 0.9, "door-wood")]);
    b.wall(
        "flat",
        [0.0, 5.6],
        [5.0, 5.6],
        stud,
        &[(Door, 0.4, 0.85, "door-hollow"), (Door, 2.7, 0.8, "door-hollow")],
    );
    b.wall("flat", [0.0, 3.4], [5.0, 3.4], "wet-room-tiled", &[]);
    b.wall("flat", [1.8, 3.4], [1.8, 5.6], stud, &[(Open, 0.6, 0.9, "")]);
    b.slab("flat", SlabPlace::Below, "slab-reinforced-200", Vec::new());
    b.slab("flat", SlabPlace::Above, "slab-reinforced-200", Vec::new());
    b.network("thread", "Matter over Thread", System::Thread);
    b.network("wifi", "House Wi-Fi", System::Wifi);
    for &(id, name, room, at, kind, neutral, circuit, devices) in POINTS {
        let back_box = if kind == Switch { (BoxKind::Metal, 47.0) } else { (BoxKind::None, 0.0) };
        b.place(
            "flat",
            &Surveyed { id, name, room, at, kind, back_box, neutral, circuit, devices },
        );
    }
    on_the_air(&mut b);
    household::of_the_flat(&mut b);
    b.finish()
}

/// What a scan in the hall found: neighbours on all channels that people use.
fn on_the_air(b: &mut Builder) {
    let neighbours = [
        ("wifi-next", "Neighbour's access point", (11.2, 5.0, 1.5), 1, 20, 0.4),
        ("wifi-above", "Access point upstairs", (4.0, 4.0, 4.2), 11, 40, 0.3),
    ];
    for (id, name, (x, y, z), channel, width_mhz, busy) in neighbours {
        let (Ok(id), Ok(floor)) = (id.parse(), "flat".parse()) else { continue };
        let emitter = Emitter {
            name: name.to_owned(),
            at: [x, y],
            height_m: Metres::new(z),
            busy,
            ..Emitter::first_guess(id, floor, Emission::Wifi { channel, width_mhz })
        };
        b.also(&Edit::put(emitter));
    }
    let heard = [
        (Emission::Wifi { channel: 6, width_mhz: 20 }, -58.0),
        (Emission::Wifi { channel: 11, width_mhz: 20 }, -64.0),
        (Emission::Mesh { channel: 15 }, -72.0),
    ];
    for (n, (carrier, level)) in heard.into_iter().enumerate() {
        let Ok(id) = format!("scan-{:03}", n + 1).parse() else { continue };
        let (level_dbm, busy) = (Dbm::new(level), 0.3);
        let scan = Scan { id, carrier, level_dbm, busy, at: moment("2026-02-03T18:20:00Z") };
        b.also(&Edit::put(scan));
    }
    for (id, channel) in [("thread", 15), ("wifi", 6)] {
        let Some(mut network) = b.site().networks.named(id).cloned() else { continue };
        network.channel = Some(channel);
        b.also(&Edit::put(network));
    }
}

/// The demo job.
pub fn quay_court() -> Site {
    planned().0
}
