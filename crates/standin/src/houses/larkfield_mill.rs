//! Larkfield Mill: a converted three-storey water mill and a bothy 14 m away. The first hub stands
//! in a metal meter cupboard, one wing is out of reach, three boxes have no neutral.

use std::sync::LazyLock;

use dot_reach_core::confidence::Confidence;
use dot_reach_core::radio::coexistence::Emission;
use dot_reach_core::radio::mounting::Mounting;
use dot_reach_core::radio::region::Region;
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{Folder, What};
use dot_reach_core::site::OpeningKind::{Door, Open, Window};
use dot_reach_core::site::PointKind::{
    BareWall, Ceiling, Outdoor, Shelf, Socket, Switch, WallFitting,
};
use dot_reach_core::site::{
    BoxKind, Edit, Emitter, Neutral, PointKind, Rule, RunsIn, Site, SlabPlace,
};
use dot_reach_core::units::{Dbm, Metres};

use super::builder::{Builder, Surveyed};
use super::{household, larkfield_survey};
use crate::story::told;
use crate::truth::{Truth, take_readings};

type Row<'a> = (
    &'a str,
    &'a str,
    &'a str,
    (f64, f64, f64),
    PointKind,
    Survey,
    &'a str,
    &'a [(&'a str, &'a str)],
);

/// What was found when the box was opened.
#[derive(Clone, Copy)]
enum Survey {
    /// No box.
    NoBox,
    /// Plastic box 35 mm deep, neutral seen.
    Good,
    /// Metal box 35 mm deep, neutral seen.
    Metal,
    /// Plastic box, tested: no neutral.
    NoNeutral,
    /// Plastic box 25 mm deep, neutral seen.
    Shallow,
    /// Not opened yet.
    Unopened,
}

use Survey::{Good, Metal, NoBox, NoNeutral, Shallow, Unopened};

#[rustfmt::skip]
const GROUND: &[Row<'static>] = &[
    ("meter",      "Meter cupboard",        "Utility",        (1.0, 7.9, 1.6), Shelf,       NoBox,     "1",  &[("hub", "mesh"), ("hub", "heat"), ("hub", "star")]),
    ("kit-main",   "Kitchen ceiling",       "Kitchen",        (5.9, 1.4, 1.2), Switch,      Good,      "3",  &[("switch-neutral", "mesh")]),
    ("kit-isle",   "Kitchen island",        "Kitchen",        (5.9, 2.0, 1.2), Switch,      Good,      "3",  &[("dimmer-neutral", "mesh")]),
    ("kit-under",  "Kitchen worktop lamps", "Kitchen",        (0.2, 2.4, 1.1), Socket,      NoBox,     "4",  &[("plug-socket", "mesh")]),
    ("kit-leak",   "Kitchen sink leak",     "Kitchen",        (0.4, 3.6, 0.1), BareWall,    NoBox,     "",   &[("sensor-battery", "mesh")]),
    ("kit-heat",   "Kitchen radiator",      "Kitchen",        (2.5, 0.2, 0.5), BareWall,    NoBox,     "",   &[("sensor-battery", "heat")]),
    ("util-light", "Utility ceiling",       "Utility",        (3.8, 5.4, 1.2), Switch,      Good,      "5",  &[("switch-neutral", "mesh")]),
    ("util-pump",  "Boiler pump",           "Utility",        (0.5, 6.2, 1.4), WallFitting, Metal,     "6",  &[("switch-neutral", "heat")]),
    ("hall-light", "Hall ceiling",          "Hall",           (6.2, 5.6, 1.2), Switch,      NoNeutral, "5",  &[("switch-two-wire", "mesh")]),
    ("hall-door",  "Front door contact",    "Hall",           (7.2, 8.8, 2.0), BareWall,    NoBox,     "",   &[("sensor-battery", "mesh")]),
    ("hall-key",   "Hall remote",           "Hall",           (6.2, 7.2, 1.2), BareWall,    NoBox,     "",   &[("remote-battery", "star")]),
    ("hall-heat",  "Hall thermostat",       "Hall",           (7.9, 6.4, 1.4), WallFitting, Good,      "6",  &[("switch-neutral", "heat")]),
    ("slu-light",  "Sluice gallery",        "Sluice chamber", (8.3, 3.2, 1.2), Switch,      Good,      "7",  &[("switch-neutral", "mesh")]),
    ("slu-lamp",   "Sluice uplighter",      "Sluice chamber", (10.6, 1.2, 0.3), Socket,     NoBox,     "8",  &[("plug-dimmer-star", "star")]),
    ("slu-flood",  "Wheel pit water level", "Sluice chamber", (9.6, 0.5, -0.8), BareWall,   NoBox,     "",   &[("sensor-battery", "mesh")]),
    ("liv-main",   "Living ceiling",        "Living room",    (11.2, 6.1, 1.2), Switch,     NoNeutral, "7",  &[("switch-two-wire", "mesh")]),
    ("liv-wall",   "Living wall lamps",     "Living room",    (11.2, 6.6, 1.2), Switch,     Good,      "7",  &[("dimmer-neutral", "mesh")]),
    ("liv-lamp",   "Reading lamp",          "Living room",    (17.4, 8.3, 1.3), Socket,     NoBox,     "8",  &[("lamp", "mesh")]),
    ("liv-shade1", "Living shade, river",   "Living room",    (14.5, 0.2, 2.2), WallFitting, NoBox,    "",   &[("shade-battery", "star")]),
    ("liv-shade2", "Living shade, yard",    "Living room",    (14.5, 8.8, 2.2), WallFitting, NoBox,    "",   &[("shade-battery", "star")]),
    ("liv-remote", "Sofa remote",           "Living room",    (15.2, 4.6, 0.8), Shelf,      NoBox,     "",   &[("remote-battery", "star")]),
    ("liv-heat",   "Living radiator",       "Living room",    (17.7, 4.0, 0.5), BareWall,   NoBox,     "",   &[("sensor-battery", "heat")]),
    ("liv-tv",     "Television socket",     "Living room",    (17.6, 1.5, 0.4), Socket,     NoBox,     "8",  &[("plug-socket", "mesh")]),
    ("yard-light", "Yard lantern",          "Outside",        (6.0, 9.4, 2.4), Outdoor,     Metal,     "9",  &[("relay-module", "mesh")]),
];

#[rustfmt::skip]
const FIRST: &[Row<'static>] = &[
    ("land-light", "Landing ceiling",       "Landing",        (6.3, 5.2, 1.2), Switch,      Good,      "10", &[("switch-neutral", "mesh")]),
    ("land-smoke", "Landing smoke alarm",   "Landing",        (7.4, 4.4, 2.4), Ceiling,     NoBox,     "",   &[("sensor-battery", "heat")]),
    ("bed1-main",  "River room ceiling",    "River room",     (11.3, 3.9, 1.2), Switch,     NoNeutral, "10", &[("switch-two-wire", "mesh")]),
    ("bed1-left",  "River room bed left",   "River room",     (17.6, 1.2, 0.7), Switch,     Shallow,   "10", &[("dimmer-neutral", "mesh")]),
    ("bed1-shade", "River room shade",      "River room",     (14.5, 0.2, 2.2), WallFitting, NoBox,    "",   &[("shade-battery", "star")]),
    ("bed1-heat",  "River room radiator",   "River room",     (13.0, 0.2, 0.5), BareWall,   NoBox,     "",   &[("sensor-battery", "heat")]),
    ("bed1-rem",   "River room remote",     "River room",     (17.2, 2.2, 0.7), Shelf,      NoBox,     "",   &[("remote-battery", "star")]),
    ("bed2-main",  "Yard room ceiling",     "Yard room",      (11.3, 5.9, 1.2), Switch,     Good,      "11", &[("switch-two-wire", "mesh")]),
    ("bed2-plug",  "Yard room plug",        "Yard room",      (17.7, 7.8, 0.3), Socket,     NoBox,     "12", &[("plug-socket", "heat")]),
    ("bed2-shade", "Yard room shade",       "Yard room",      (14.5, 8.8, 2.2), WallFitting, NoBox,    "",   &[("shade-battery", "star")]),
    ("bed2-move",  "Yard room motion",      "Yard room",      (17.8, 5.4, 2.1), BareWall,   NoBox,     "",   &[("sensor-battery", "mesh")]),
    ("bath-light", "Bath ceiling",          "Bathroom",       (3.9, 5.4, 1.2), Switch,      Good,      "11", &[("switch-neutral", "mesh")]),
    ("bath-fan",   "Bath fan",              "Bathroom",       (0.4, 7.0, 2.2), WallFitting, Good,      "11", &[("relay-module", "heat")]),
    ("bath-damp",  "Bath humidity",         "Bathroom",       (0.3, 5.6, 2.0), BareWall,    NoBox,     "",   &[("sensor-battery", "mesh")]),
    ("study-main", "Study ceiling",         "Study",          (5.8, 3.7, 1.2), Switch,      Good,      "10", &[("dimmer-neutral", "mesh")]),
    ("study-plug", "Study desk lamp",       "Study",          (0.3, 1.8, 0.7), Socket,      NoBox,     "12", &[("lamp", "mesh")]),
    ("study-heat", "Study radiator",        "Study",          (2.4, 0.2, 0.5), BareWall,    NoBox,     "",   &[("sensor-battery", "heat")]),
];

#[rustfmt::skip]
const STONE: &[Row<'static>] = &[
    ("stone-main", "Stone floor ceiling",   "Stone floor",    (6.3, 4.9, 1.2), Switch,      Good,      "13", &[("switch-neutral", "mesh")]),
    ("stone-spot", "Millstone spots",       "Stone floor",    (8.2, 7.6, 1.2), Switch,      Good,      "13", &[("dimmer-neutral", "mesh")]),
    ("stone-heat", "Stone floor radiator",  "Stone floor",    (3.0, 0.2, 0.5), BareWall,    NoBox,     "",   &[("sensor-battery", "heat")]),
    ("stone-win",  "Roof window west",      "Stone floor",    (2.0, 4.5, 2.2), BareWall,    NoBox,     "",   &[("shade-battery", "star")]),
    ("wing-main",  "Hoist loft ceiling",    "Hoist loft",     (12.2, 4.4, 1.2), Switch,     Metal,     "14", &[("dimmer-two-wire", "star")]),
    ("wing-lamp",  "Hoist loft lamp",       "Hoist loft",     (17.2, 1.0, 0.7), Switch,     Metal,     "14", &[("switch-neutral", "mesh")]),
    ("wing-heat",  "Hoist loft radiator",   "Hoist loft",     (17.7, 6.6, 0.5), BareWall,   NoBox,     "",   &[("sensor-battery", "heat")]),
    ("wing-win",   "Roof window east",      "Hoist loft",     (16.0, 4.5, 2.2), BareWall,   NoBox,     "",   &[("sensor-battery", "mesh")]),
    ("wing-rem",   "Hoist loft remote",     "Hoist loft",     (14.6, 7.2, 0.8), Shelf,      NoBox,     "",   &[("remote-battery", "star")]),
];

#[rustfmt::skip]
const BOTHY: &[Row<'static>] = &[
    ("both-main",  "Bothy ceiling",         "Bothy",          (32.4, 4.6, 1.2), Switch,     Unopened,  "16", &[("switch-neutral", "mesh")]),
    ("both-heat",  "Bothy heater",          "Bothy",          (36.7, 3.0, 0.4), WallFitting, Good,     "16", &[("relay-module", "heat")]),
    ("both-door",  "Bothy door contact",    "Bothy",          (32.2, 5.6, 2.0), BareWall,   NoBox,     "",   &[("sensor-battery", "mesh")]),
    ("both-lamp",  "Bothy lamp",            "Bothy",          (36.4, 5.6, 0.6), Socket,     NoBox,     "16", &[("dimmer-two-wire", "star")]),
];

fn survey(found: Survey) -> ((BoxKind, f64), Neutral) {
    match found {
        NoBox => ((BoxKind::None, 0.0), Neutral::Unknown),
        Good => ((BoxKind::Plastic, 47.0), Neutral::Seen),
        Metal => ((BoxKind::Metal, 35.0), Neutral::Seen),
        NoNeutral => ((BoxKind::Plastic, 35.0), Neutral::Absent),
        Shallow => ((BoxKind::Plastic, 25.0), Neutral::Seen),
        Unopened => ((BoxKind::Plastic, 0.0), Neutral::Unknown),
    }
}

fn shell(b: &mut Builder, floor: &str) {
    let stone = "rubble-stone-600";
    let win = |s| (Window, s, 1.1, "window-double");
    let front = if floor == "ground" {
        vec![win(2.0), (Door, 10.2, 1.1, "door-wood"), win(14.0)]
    } else {
        vec![win(3.0), win(10.0), win(14.5)]
    };
    b.wall(floor, [0.0, 0.0], [18.0, 0.0], stone, &[win(2.0), win(5.0), win(13.5), win(15.5)]);
    b.wall(floor, [18.0, 0.0], [18.0, 9.0], stone, &[win(3.2)]);
    b.wall(floor, [18.0, 9.0], [0.0, 9.0], stone, &front);
    b.wall(floor, [0.0, 9.0], [0.0, 0.0], stone, &[win(4.5)]);
    // The sluice gear, an iron frame that runs through all three storeys.
    let iron = "metal-plant";
    for (p, q) in [
        ([8.9, 4.2], [10.1, 4.2]),
        ([10.1, 4.2], [10.1, 5.2]),
        ([10.1, 5.2], [8.9, 5.2]),
        ([8.9, 5.2], [8.9, 4.2]),
    ] {
        b.wall(floor, p, q, iron, &[]);
    }
}

/// The router stands in the cupboard with the hub, which leaves little of its power outside.
fn router(b: &mut Builder) {
    let (Ok(id), Ok(floor)) = ("router".parse(), "ground".parse()) else { return };
    let emitter = Emitter {
        name: "Router".to_owned(),
        at: [1.4, 7.9],
        height_m: Metres::new(1.9),
        tx_dbm: Dbm::new(4.0),
        of_the_house: true,
        ..Emitter::first_guess(id, floor, Emission::Wifi { channel: 6, width_mhz: 20 })
    };
    b.also(&Edit::put(emitter));
}

fn walls(b: &mut Builder) {
    for floor in ["ground", "first", "stone"] {
        shell(b, floor);
    }
    let (oak, stud) = ("oak-boarded", "stud-wall");
    let door = |s| (Door, s, 0.85, "door-wood");
    b.wall("ground", [6.0, 0.0], [6.0, 9.0], oak, &[door(3.4), door(7.6)]);
    b.wall("ground", [0.0, 5.2], [6.0, 5.2], oak, &[door(2.6)]);
    b.wall("ground", [8.0, 0.0], [8.0, 9.0], "rubble-stone-600", &[door(6.8)]);
    b.wall("ground", [11.0, 0.0], [11.0, 9.0], "rubble-stone-600", &[(Open, 6.8, 1.1, "")]);
    b.wall("ground", [6.0, 4.8], [8.0, 4.8], stud, &[door(0.6)]);
    b.wall("first", [6.0, 0.0], [6.0, 9.0], oak, &[door(4.3), door(6.4)]);
    b.wall("first", [0.0, 5.2], [6.0, 5.2], "wet-room-tiled", &[door(4.9)]);
    b.wall("first", [11.0, 0.0], [11.0, 9.0], oak, &[door(4.0), door(6.2)]);
    b.wall("first", [11.0, 4.9], [18.0, 4.9], stud, &[]);
    // The hoist loft: behind the old gable, lined with foil all round.
    b.wall(
        "stone",
        [12.0, 0.0],
        [12.0, 9.0],
        "rubble-stone-600",
        &[(Door, 5.2, 0.85, "door-metal")],
    );
    b.wall(
        "stone",
        [12.4, 0.0],
        [12.4, 9.0],
        "cavity-wall-foil",
        &[(Door, 5.2, 0.85, "door-metal")],
    );
    b.wall("stone", [6.0, 0.0], [6.0, 4.4], oak, &[door(2.0)]);
    let lodge = "brick-215";
    b.wall("bothy", [32.0, 2.0], [37.0, 2.0], lodge, &[]);
    b.wall("bothy", [37.0, 2.0], [37.0, 6.0], lodge, &[]);
    b.wall("bothy", [37.0, 6.0], [32.0, 6.0], lodge, &[(Window, 1.5, 1.2, "window-single")]);
    b.wall("bothy", [32.0, 6.0], [32.0, 2.0], lodge, &[(Door, 1.0, 0.9, "door-wood")]);
}

/// The site as surveyed and planned, without readings; and what the core refused of it.
pub fn planned() -> (Site, Vec<String>) {
    let sure = Confidence::new(0.95).unwrap_or_else(|_| unreachable!("0.95 is a confidence"));
    let mut b = Builder::new("Larkfield Mill", Region::Uk, sure);
    b.job(
        "The Larkfield trust",
        "Mill Lane, Larkfield",
        "Router and meter stand in the utility cupboard; the family wants no visible boxes in the \
         living room. The hoist loft is let to guests from May.",
    );
    b.floor("ground", "Ground floor", 0.0, 2.6);
    b.floor("first", "First floor", 2.9, 2.5);
    b.floor("stone", "Stone floor", 5.7, 2.4);
    b.floor("bothy", "Bothy", 0.2, 2.3);
    walls(&mut b);
    router(&mut b);
    let stairs = vec![vec![[6.4, 1.0], [7.8, 1.0], [7.8, 3.6], [6.4, 3.6]]];
    b.slab("first", SlabPlace::Below, "oak-floor", stairs);
    b.slab_under(
        "s-under-stone",
        "stone",
        "oak-floor",
        vec![[0.0, 0.0], [12.0, 0.0], [12.0, 9.0], [0.0, 9.0]],
    );
    b.slab_under(
        "s-under-wing",
        "stone",
        "loft-foil",
        vec![[12.0, 0.0], [18.0, 0.0], [18.0, 9.0], [12.0, 9.0]],
    );
    b.slab("stone", SlabPlace::Above, "loft-foil", Vec::new());
    b.slab("bothy", SlabPlace::Above, "slate-roof", Vec::new());
    b.network("mesh", "Lighting mesh", System::Zigbee);
    b.network("heat", "Heating", System::ZWave);
    b.network("star", "Shades and lamps", System::Star);
    for (floor, rows) in [("ground", GROUND), ("first", FIRST), ("stone", STONE), ("bothy", BOTHY)]
    {
        for &(id, name, room, at, kind, found, circuit, devices) in rows {
            let (back_box, neutral) = survey(found);
            b.place(
                floor,
                &Surveyed { id, name, room, at, kind, back_box, neutral, circuit, devices },
            );
        }
    }
    for system in ["mesh", "heat", "star"] {
        rename_hub(&mut b, system);
    }
    b.mount("meter", Mounting::MetalCabinet);
    for (point, mounting) in [
        ("liv-tv", Mounting::BehindAppliance),
        ("wing-win", Mounting::BehindFoil),
        ("wing-rem", Mounting::BehindFoil),
        ("wing-lamp", Mounting::MetalPlate),
        ("wing-heat", Mounting::BehindFoil),
        ("both-lamp", Mounting::MetalLampBase),
        ("both-heat", Mounting::BehindAppliance),
    ] {
        b.mount(point, mounting);
    }
    for device in ["star-slu-lamp", "heat-bed2-plug", "mesh-kit-under"] {
        pull_plug(&mut b, device);
    }
    b.mount("yard-light", Mounting::PlasticWeatherBox);
    for (controller, load, runs) in [
        ("star-liv-remote", "star-liv-shade1", RunsIn::Direct),
        ("star-bed1-rem", "star-bed1-shade", RunsIn::Direct),
        ("star-wing-rem", "star-wing-main", RunsIn::Direct),
        ("star-hall-key", "star-slu-lamp", RunsIn::Hub),
    ] {
        control(&mut b, controller, load, runs);
    }
    larkfield_survey::add(&mut b);
    household::of_the_mill(&mut b);
    b.finish()
}

/// What the family presses, and what that works.
fn control(b: &mut Builder, controller: &str, load: &str, runs: RunsIn) {
    let id = format!("{controller}-{load}").parse();
    let (Ok(id), Ok(controller), Ok(load)) = (id, controller.parse(), load.parse()) else { return };
    b.also(&Edit::put(Rule::press(id, controller, load, runs)));
}

/// Someone in the house pulls this plug now and then.
fn pull_plug(b: &mut Builder, device: &str) {
    let Some(mut device) = b.site().devices.named(device).cloned() else { return };
    device.can_be_cut = true;
    b.also(&Edit::put(device));
}

fn rename_hub(b: &mut Builder, network: &str) {
    let site = b.site();
    let Some(mut hub) = site.devices.named(&format!("{network}-meter")).cloned() else { return };
    let system = site.networks.named(network).map_or("", |n| n.system.name());
    hub.name = format!("Hub, {system}");
    b.also(&Edit::put(hub));
}

/// What the house is really like: two walls worse than assumed, one device in metal.
pub fn truth() -> Truth {
    Truth {
        // Beyond the assumed construction, at every frequency.
        worse_walls: vec![("w025".into(), 8.0), ("w027".into(), 9.0)],
        in_metal: vec!["bath-light".into()],
        scatter_db: 2.0,
        seed: 1786,
    }
}

/// The demo job as it is planned.
pub fn larkfield_mill() -> Site {
    static MILL: LazyLock<Site> = LazyLock::new(|| planned().0);
    MILL.clone()
}

/// The demo job with the readings that were taken after installation.
pub fn larkfield_mill_read() -> Folder {
    // Its readings take two analyses of the house: once is enough.
    static MILL: LazyLock<Folder> = LazyLock::new(|| {
        let site = larkfield_mill();
        let readings = take_readings(&site, &truth(), "2026-03-14", 26);
        let all = readings.into_iter().map(What::Read).collect();
        told(site, "Installer", "2026-03-14T18:00:00Z", all)
    });
    MILL.clone()
}
