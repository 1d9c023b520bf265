//! What goes into a box beside the device: connectors, leads, caps, and the box and its cable where they are to be made.

use std::collections::{BTreeMap, BTreeSet};

use super::{BillLine, LineKind, bought, name_of, placed, rated};
use crate::catalogue::{DeviceKind, Far, Supply};
use crate::fit::{self, FitFinding};
use crate::site::{
    BoxKind, Conductor, Device, DeviceId, Function, Point, PointId, PointKind, Site, StaysKind,
    ToMake,
};
use crate::survey::lines::as_tested;
use crate::wires::{self, BoxPlan, is_rewired, takes_over_switch};

/// Connectors by how many conductors meet, jumpers, caps, capacitors, brackets, cells, enclosures; and
/// the boxes whose conductors are not listed.
pub(super) fn small_parts(site: &Site) -> (Vec<BillLine>, Vec<String>) {
    let mut by_rate: BTreeMap<&str, Vec<String>> = BTreeMap::new();
    let mut not_listed = Vec::new();
    let mut wired: BTreeMap<&PointId, Vec<&DeviceKind>> = BTreeMap::new();
    let planned: Vec<BoxPlan> = wires::wiring(site).into_iter().flat_map(|c| c.boxes).collect();
    let of_plan: BTreeSet<&DeviceId> = planned.iter().flat_map(|of| &of.devices).collect();
    let mut opened: BTreeSet<&PointId> = BTreeSet::new();
    for (device, kind, point) in placed(site) {
        let lead = &site.box_of(point).id;
        // What is in a box already has its leads in the joints of what is put in beside it.
        if device.is_there() {
            if point.has_wired_in(kind) {
                wired.entry(lead).or_default().push(kind);
            }
            if is_rewired(site, device, kind, point) {
                opened.insert(lead);
            }
            continue;
        }
        opened.insert(lead);
        if point.has_wired_in(kind) && point.back_box != BoxKind::None {
            wired.entry(lead).or_default().push(kind);
        }
        // Where a remote or a cover takes the place of a switch, what the switch joined is joined through.
        let is_none = kind.is_cover() || kind.is_hand_held() || kind.fit.far == Far::Remote;
        if is_none && point.kind == PointKind::Switch && point.back_box != BoxKind::None {
            wired.entry(lead).or_default();
        }
        // Where there is no plan of the box, a lead for the neutral of each unit.
        let is_planned = of_plan.contains(&device.id);
        if kind.supply == Supply::MainsNeutral && point.has_wired_in(kind) && !is_planned {
            by_rate.entry("jumper").or_default().push(point.label().to_owned());
        }
        let on_wall = matches!(point.kind, PointKind::Switch | PointKind::BareWall);
        if kind.is_hand_held() && on_wall {
            by_rate.entry("bracket").or_default().push(point.label().to_owned());
        }
        if let Some(draw) = kind.draw {
            let cells = std::iter::repeat_n(point.label().to_owned(), draw.cells as usize);
            by_rate.entry("battery-cell").or_default().extend(cells);
        }
        if fit::load::may_need_bypass(kind, &fit::FitPlace::of(site, point, Some(device))) {
            by_rate.entry("capacitor").or_default().push(point.label().to_owned());
        }
        let found = fit::findings(site, kind, point, Some(device));
        if found.contains(&FitFinding::NotForDamp) {
            by_rate.entry("weather-box").or_default().push(point.label().to_owned());
        }
    }
    for point in &site.points {
        let added = point.stays.iter().filter(|s| s.is_added && s.what == StaysKind::Switch);
        by_rate.entry("plain-switch").or_default().extend(added.map(|_| point.label().to_owned()));
    }
    for (lead, kinds) in wired.into_iter().filter(|(lead, _)| opened.contains(lead)) {
        let Some(point) = site.points.get(lead) else { continue };
        if point.conductors.is_empty() {
            not_listed.push(point.label().to_owned());
            for met in UNLISTED_JOINTS {
                by_rate.entry(connector(met)).or_default().push(point.label().to_owned());
            }
            continue;
        }
        let conductors = as_tested(&point.conductors);
        for met in joints(&conductors, &kinds, staying(point)) {
            by_rate.entry(connector(met)).or_default().push(point.label().to_owned());
        }
        let unused =
            |c: &&Conductor| c.capped || matches!(c.found, Function::Spare | Function::Unknown);
        let caps: usize = conductors.iter().filter(unused).map(|c| usize::from(c.count)).sum();
        by_rate
            .entry("cap")
            .or_default()
            .extend(std::iter::repeat_n(point.label().to_owned(), caps));
    }
    let lines = by_rate.into_iter().filter(|(_, at)| !at.is_empty());
    let mut lines: Vec<BillLine> =
        lines.map(|(rate, at)| rated(site, rate, LineKind::Small, at)).collect();
    lines.extend(new_leads(site, &planned));
    lines.extend(made(site));
    (lines, not_listed)
}

/// Leads that the plans of the boxes ask for, by what they are cut from.
fn new_leads(site: &Site, planned: &[BoxPlan]) -> Vec<BillLine> {
    let mut by_cut: BTreeMap<String, Vec<String>> = BTreeMap::new();
    for of in planned {
        let Some(point) = site.points.get(&of.point) else { continue };
        for lead in &of.leads {
            by_cut.entry(lead.cut()).or_default().push(point.label().to_owned());
        }
    }
    let line = |(cut, at): (String, Vec<String>)| BillLine {
        what: format!("{}: {cut}", name_of("jumper")),
        ..rated(site, "jumper", LineKind::Small, at)
    };
    by_cut.into_iter().map(line).collect()
}

/// How many conductors meet in each joint of a box: neutrals and earths with a lead for each device that wants one,
/// lines with a lead for each device and for what stays, and switched lines where more leave than devices switch one.
/// What no device wants is joined through; where there is no device, so are line and switched line, and travellers in
/// pairs.
pub fn joints(conductors: &[Conductor], kinds: &[&DeviceKind], staying: usize) -> Vec<usize> {
    // Nothing of another circuit meets what is of this one: it stays joined as it was, in connectors of its own.
    let (own, foreign): (Vec<&Conductor>, Vec<&Conductor>) =
        conductors.iter().partition(|c| c.circuit.trim().is_empty());
    let mut by_circuit: BTreeMap<(&str, Function), usize> = BTreeMap::new();
    for c in foreign.into_iter().filter(|c| !c.capped && c.found != Function::Spare) {
        *by_circuit.entry((c.circuit.trim(), c.found)).or_default() += usize::from(c.count);
    }
    let apart = by_circuit.into_values().filter(|met| *met > 1);
    joints_of(&own, kinds, staying).into_iter().chain(apart).collect()
}

fn joints_of(conductors: &[&Conductor], kinds: &[&DeviceKind], staying: usize) -> Vec<usize> {
    let count = |function: Function| -> usize {
        let of = conductors.iter().filter(|c| c.found == function && !c.capped);
        of.map(|c| usize::from(c.count)).sum()
    };
    let neutral = kinds.iter().filter(|k| k.supply == Supply::MainsNeutral).count();
    let may_want = |k: &&&DeviceKind| k.fit.wants_earth() || k.fit.is_blank(k.fit.earth.as_ref());
    let earth = kinds.iter().filter(may_want).count();
    let (line, switched) = (count(Function::Line), count(Function::Switched));
    // Without a device the lamp stays on: its line and its switched line meet.
    let is_through = kinds.is_empty() && staying == 0;
    let lamp = (is_through && line > 0 && switched > 0).then_some(line + switched);
    let lines = if lamp.is_some() { 0 } else { line };
    let all = [
        (count(Function::Neutral), neutral),
        (count(Function::Earth), earth),
        (lines, kinds.len() + staying),
    ];
    // A single conductor goes straight into a single device.
    let met = all.iter().filter(|(there, leads)| *there > 1 || *there == 1 && *leads > 1);
    let units = kinds.iter().filter(|k| k.may_switch());
    let switch: usize = units.map(|k| usize::from(k.fit.channels.max(1))).sum();
    // One that feeds several lamps: the lines beyond one a device, with that one and its lead.
    let fanned = (switch > 0 && switched > switch).then(|| switched - switch + 2);
    let pairs = if is_through { count(Function::Traveller) / 2 } else { 0 };
    // What nobody knows may have to be joined, whatever it is: all of it in one, or in pairs.
    let open = conductors.iter().filter(|c| c.found == Function::Unknown && !c.capped);
    let open = open.flat_map(|c| {
        let count = usize::from(c.count);
        std::iter::repeat_n(count + 1, (count / 2).max(1))
    });
    let joined = met.map(|(there, leads)| there + leads).chain(fanned).chain(lamp);
    joined.chain(std::iter::repeat_n(2, pairs)).chain(open).collect()
}

/// What is taken along for a box whose conductors nobody has listed: a joint each of line, neutral, earth and switched
/// line, of the usual most that meet; *planning value*.
const UNLISTED_JOINTS: [usize; 4] = [5, 5, 5, 3];

/// How many of the things that stay in a box want a lead of its line.
pub fn staying(point: &Point) -> usize {
    point.stays.iter().filter(|s| s.what.fills_a_gang()).count()
}

/// The connector for so many conductors.
pub fn connector(conductors: usize) -> &'static str {
    match conductors {
        0..=2 => "connector-2",
        3 => "connector-3",
        4..=5 => "connector-5",
        _ => "connector-large",
    }
}

/// How long a new box takes with the way of its cable, in minutes, as far as anybody said.
pub fn minutes_to_make(site: &Site, new: &ToMake) -> f64 {
    let cut = new.into.minutes().map_or(0.0, |row| site.rate(row));
    let opening = if new.opens() { site.rate("minutes-opening") } else { 0.0 };
    cut + opening + new.cable_m.unwrap_or(0.0) * site.rate("minutes-cable-metre")
}

/// Boxes that are made, each once, into which something is wired.
pub(super) fn new_boxes(site: &Site) -> impl Iterator<Item = (&Point, &ToMake)> {
    let new = site.points.iter().filter_map(|p| Some((p, p.to_make.as_ref()?)));
    new.filter(|(lead, _)| wired_into(site, lead).next().is_some())
}

/// What is wired into a box.
fn wired_into<'a>(site: &'a Site, lead: &'a Point) -> impl Iterator<Item = &'a Device> {
    let of = bought(site).filter(|(_, kind, at)| {
        site.box_of(at).id == lead.id
            && (at.has_wired_in(kind) || takes_over_switch(site, kind, at))
    });
    of.map(|(device, ..)| device)
}

/// The box that has to be made for a device, where that is the first that goes into it.
pub fn first_in_new_box<'a>(
    site: &'a Site,
    device: &Device,
    point: &'a Point,
) -> Option<&'a ToMake> {
    let lead = site.box_of(point);
    let new = lead.to_make.as_ref()?;
    wired_into(site, lead).next().filter(|first| first.id == device.id).map(|_| new)
}

/// Boxes that are made, the cable to them by the metre, and what is opened on its way and made good.
fn made(site: &Site) -> Vec<BillLine> {
    let at: Vec<String> = new_boxes(site).map(|(p, _)| p.label().to_owned()).collect();
    let metres: f64 = new_boxes(site).filter_map(|(_, new)| new.cable_m).sum();
    let cable = BillLine {
        count: metres.ceil(),
        ..rated(site, "mains-cable-metre", LineKind::Small, at.clone())
    };
    let boxes = rated(site, "new-box", LineKind::Small, at);
    let opened = new_boxes(site).filter(|(_, new)| new.opens());
    let opened = opened.map(|(p, new)| format!("{} ({})", p.label(), new.opening.trim())).collect();
    let good = rated(site, "making-good", LineKind::Small, opened);
    [boxes, cable, good].into_iter().filter(|line| line.count > 0.0).collect()
}
