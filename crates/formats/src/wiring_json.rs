//! What becomes of every conductor, as JSON. Key names stay stable.

use dot_reach_core::site::{DeviceId, Function, Site};
use dot_reach_core::wires::{
    BoxPlan, CableCore, CableEndAt, CableRun, ConductorPlan, ControlWiring, LEAD_MM, WiringState,
    wiring,
};
use serde_json::{Value, json};

/// The wiring of a job: each box with its conductors, by device, and each control with the states that were tried and what
/// is open.
pub fn json(site: &Site) -> Value {
    let all = wiring(site);
    let points: Vec<Value> =
        all.iter().flat_map(|c| c.boxes.iter().flat_map(|b| boxed(site, b))).collect();
    let groups: Vec<Value> = all.iter().map(control).collect();
    json!({ "points": points, "groups": groups })
}

fn boxed(site: &Site, of: &BoxPlan) -> Vec<Value> {
    let remote = || site.devices_at(&of.point).into_iter().map(|d| d.id.clone());
    let devices: Vec<Option<DeviceId>> = if of.devices.is_empty() {
        let mut there: Vec<_> = remote().map(Some).collect();
        there.truncate(1);
        if there.is_empty() { vec![None] } else { there }
    } else {
        of.devices.iter().cloned().map(Some).collect()
    };
    devices
        .into_iter()
        .map(|device| {
            let conductors: Vec<Value> =
                of.conductors.iter().map(|c| conductor(c, device.as_ref())).collect();
            let leads: Vec<Value> = of
                .leads
                .iter()
                .map(|l| {
                    json!({ "carries": l.carries, "from": l.from, "to": l.to, "size": l.size,
                        "colour": l.colour, "length_mm": LEAD_MM })
                })
                .collect();
            json!({ "point": of.point, "device": device, "conductors": conductors, "leads": leads,
                "feeds_on": of.feeds_on })
        })
        .collect()
}

/// A function in a word, as the job file writes it.
fn word(function: Function) -> Value {
    json!(function)
}

fn conductor(c: &ConductorPlan, device: Option<&DeviceId>) -> Value {
    let here = c.terminals.iter().filter(|(of, _)| of.is_none() || of.as_ref() == device);
    let terminals: Vec<&str> = here.map(|(_, name)| name.as_str()).collect();
    json!({
        "id": c.id, "surveyed": c.is_surveyed, "circuit": c.circuit, "was": word(c.was), "was_at": c.was_at,
        "colour": c.colour, "towards": c.towards, "becomes": c.becomes, "terminal": terminals.join(", "),
        "joins": c.joins, "capped": c.capped, "mark": c.mark,
    })
}

fn control(c: &ControlWiring) -> Value {
    json!({
        "group": c.group, "name": c.name, "places": c.places, "circuit": c.circuit,
        "method": c.method.map(|m| m.words().0),
        "cables": c.cables.iter().map(cable).collect::<Vec<_>>(),
        "layouts": c.layouts.iter().map(|row| row.id.as_str()).collect::<Vec<_>>(),
        "works": c.works.iter().map(state).collect::<Vec<_>>(),
        "open": c.open,
    })
}

fn cable(c: &CableRun) -> Value {
    let end = |end: &CableEndAt| json!({ "name": end.name, "point": end.point });
    let core = |c: &CableCore| {
        json!({ "was": word(c.was), "becomes": c.becomes, "circuit": c.circuit, "size": c.size,
            "colour": c.colour, "ids": c.ids, "known": !c.found.is_empty(), "found": c.found })
    };
    let cores: Vec<Value> = c.cores.iter().map(core).collect();
    json!({ "from": end(&c.from), "to": end(&c.to), "conductors": cores })
}

fn state(s: &WiringState) -> Value {
    let positions: serde_json::Map<String, Value> =
        s.positions.iter().map(|(at, is)| (at.to_string(), json!(is))).collect();
    json!({ "positions": positions, "unit": s.unit, "lamp": s.lamp })
}
