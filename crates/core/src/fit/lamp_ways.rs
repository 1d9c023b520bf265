//! The ways to make one load smart, side by side: each tried at its place by the same rules as all else.

use std::collections::BTreeSet;

use super::{FitFinding, Fits, findings, verdict};
use crate::catalogue::{Button, DeviceKind, Far, PointKind, Supply};
use crate::radio::system::System;
use crate::site::{Feed, Load, Point, Site};

/// A way to make a load smart.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[expect(missing_docs, reason = "each is what it is called")]
pub enum LampWay {
    Switch,
    SmartLamp,
    RelayInLamp,
    PlugIn,
    Remote,
}

/// What a way to make a load smart is like to live with.
#[derive(Clone, Copy, Debug)]
pub struct LampWayRow {
    /// The way.
    pub way: LampWay,
    /// Its words.
    pub name: &'static str,
    /// What works it at the wall.
    pub wall: &'static str,
    /// What colours it gives.
    pub colour: &'static str,
    /// How long a press takes.
    pub delay: &'static str,
    /// What it does for the mesh.
    pub mesh: &'static str,
}

/// The ways, in the order in which they are thought of.
pub const LAMP_WAYS: [LampWayRow; 5] = [
    LampWayRow {
        way: LampWay::Switch,
        name: "smart switch or dimmer",
        wall: "the switch itself, with the hub down too",
        colour: "no colour",
        delay: "at once",
        mesh: "forwards where it has a neutral",
    },
    LampWayRow {
        way: LampWay::SmartLamp,
        name: "smart lamps and a decoupled switch",
        wall: "the switch, by radio alone; its relay stays closed",
        colour: "colour and white tones",
        delay: "a hop or the hub",
        mesh: "each lamp forwards as long as nobody cuts it",
    },
    LampWayRow {
        way: LampWay::RelayInLamp,
        name: "relay inside the lamp",
        wall: "nothing, unless a remote is added; the lamp's own switch stays on",
        colour: "no colour",
        delay: "a hop or the hub",
        mesh: "forwards from inside the lamp, weaker",
    },
    LampWayRow {
        way: LampWay::PlugIn,
        name: "plug-in unit before the lamp",
        wall: "its own button at the socket",
        colour: "no colour",
        delay: "at once at the button",
        mesh: "forwards as long as it stays plugged in",
    },
    LampWayRow {
        way: LampWay::Remote,
        name: "smart lamps and a battery remote on the plate",
        wall: "the remote, by radio alone; line is joined through",
        colour: "colour and white tones",
        delay: "one hop",
        mesh: "each lamp forwards; the remote is a leaf",
    },
];

/// A way to make a load smart, at its place.
#[derive(Clone, Debug)]
pub struct LampWayAt<'a> {
    /// The way.
    pub row: &'static LampWayRow,
    /// What is bought, and how many.
    pub kinds: Vec<(&'a DeviceKind, u16)>,
    /// The verdict.
    pub fits: Fits,
    /// What speaks for or against it.
    pub reasons: Vec<FitFinding>,
    /// Why it is not for this load at all; empty where it could be.
    pub ruled_out: &'static str,
    /// What it costs; nothing where a price is not known.
    pub cost: Option<f64>,
}

/// The ways to make a load smart, side by side.
pub fn lamp_ways<'a>(site: &'a Site, load: &Load) -> Vec<LampWayAt<'a>> {
    let point = site.points.get(&load.switched_at);
    point.map_or_else(Vec::new, |point| {
        LAMP_WAYS.iter().map(|row| at(site, load, point, row)).collect()
    })
}

fn at<'a>(site: &'a Site, load: &Load, point: &Point, row: &'static LampWayRow) -> LampWayAt<'a> {
    // Where nobody counted, one at the least.
    let parts = parts(row.way, load.count.unwrap_or(1)).into_iter();
    let found: Option<Vec<_>> =
        parts.map(|(suits, count)| Some((best(site, point, suits)?, count))).collect();
    let ruled_out = match (ruled_out(row.way, load, point), &found) {
        ("", None) => "no device of the library does it in a system of this job",
        (why, _) => why,
    };
    let known = found.unwrap_or_default();
    let reasons: Vec<FitFinding> = known.iter().flat_map(|((_, f), _)| f.clone()).collect();
    let costs: Option<Vec<f64>> =
        known.iter().map(|((k, _), n)| Some(k.fit.price? * f64::from(*n))).collect();
    LampWayAt {
        row,
        fits: if ruled_out.is_empty() { verdict(&reasons) } else { Fits::No },
        cost: costs.filter(|all| !all.is_empty()).map(|all| all.iter().sum()),
        kinds: known.iter().map(|((k, _), n)| (*k, *n)).collect(),
        reasons,
        ruled_out,
    }
}

/// Whether a device is what is looked for.
type Suits = fn(&DeviceKind) -> bool;

/// What is bought for a way: what suits, and how many.
fn parts(way: LampWay, lamps: u16) -> Vec<(Suits, u16)> {
    match way {
        LampWay::Switch => vec![(|k| k.works_a_load() && k.button.is_some(), 1)],
        LampWay::SmartLamp => vec![
            (|k| k.fit.gives_light, lamps),
            (|k| k.works_a_load() && k.button == Some(Button::Own), 1),
        ],
        LampWay::RelayInLamp => vec![(|k| k.fit.in_lamp, 1)],
        LampWay::PlugIn => {
            vec![(|k| k.supply == Supply::Plug && k.fit.switches() && !k.fit.in_lamp, 1)]
        }
        LampWay::Remote => {
            vec![(|k| k.fit.gives_light, lamps), (|k| k.fit.far == Far::Remote, 1)]
        }
    }
}

/// Why a way is not for a load at all; empty where it could be.
fn ruled_out(way: LampWay, load: &Load, point: &Point) -> &'static str {
    let is_lamp = load.kind.is_lamp();
    let on_cord = point.feed == Feed::Cord || point.kind == PointKind::Socket;
    match way {
        LampWay::SmartLamp | LampWay::RelayInLamp | LampWay::Remote if !is_lamp => "it is no lamp",
        LampWay::Switch if on_cord => "it stands on a cord: no switch in the wall feeds it",
        LampWay::SmartLamp if on_cord => {
            "no switch in the wall feeds it: the lamp alone will do, with a remote"
        }
        LampWay::PlugIn if !on_cord => "it hangs on the wiring, not on a plug",
        _ => "",
    }
}

/// What suits and fits best, then costs least, of the systems of the job.
fn best<'a>(
    site: &'a Site,
    point: &Point,
    suits: Suits,
) -> Option<(&'a DeviceKind, Vec<FitFinding>)> {
    let systems: BTreeSet<System> = site.networks.iter().map(|n| n.system).collect();
    let there = site.devices_at(&point.id).into_iter().next();
    let here = |k: &&DeviceKind| k.systems.iter().any(|s| systems.contains(s));
    let price = |k: &DeviceKind| k.fit.price.unwrap_or(f64::INFINITY);
    let suited = site.all_kinds().filter(here).filter(|k| suits(k));
    suited.map(|k| (k, findings(site, k, point, there))).min_by(|(a, f), (b, g)| {
        verdict(f).cmp(&verdict(g)).then(price(a).total_cmp(&price(b))).then(a.id.cmp(&b.id))
    })
}
