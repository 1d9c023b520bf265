//! How a device is wired, for its card and for the electrician: its conductors by the plan of its box, or as they were
//! kept when it was wired; what is open; and how it goes back.

use std::collections::BTreeMap;

use dot_reach_core::bill::{connector, joints, staying};
use dot_reach_core::catalogue::{DeviceKind, rates};
use dot_reach_core::fit::FitPlace;
use dot_reach_core::gate::checks::{settings, spare_outputs};
use dot_reach_core::gate::settings::told_by_hub;
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::record::{Connected, Record, WiringRecord};
use dot_reach_core::site::{Conductor, Function, Gauge, Point, PointId};
use dot_reach_core::survey::lines::as_tested;
use dot_reach_core::units::typographic;
use dot_reach_core::wires::{
    BoxPlan, CableCore, CableEndAt, ConductorPlan, ControlWiring, of_place,
};
use serde_json::json;

use crate::drawing::wires::{WireDiagram, diagram};

/// The record of wiring that a form writes into.
pub(super) struct RecordForm {
    pub(super) id: String,
    /// What begins it, where nothing is on record yet; empty where something is.
    pub(super) begin: String,
}

/// How a device is wired.
pub(super) struct WiringSheet {
    pub(super) form: RecordForm,
    pub(super) diagram: String,
    pub(super) diagrams: Vec<String>,
    pub(super) strip: String,
    /// Which side tabs come off it; empty where none does.
    pub(super) tabs: String,
    pub(super) terminals: String,
    pub(super) connectors: Vec<String>,
    pub(super) conductors: Vec<SheetRow>,
    /// The diagram of its box, where there is a plan of it.
    pub(super) diagram_of: Option<WireDiagram>,
    /// Leads that are made new.
    pub(super) leads: Vec<String>,
    /// The cables that end in its box, each with its conductors.
    pub(super) cables: Vec<String>,
    /// What is open, before anything of the control is wired.
    pub(super) open: Vec<String>,
    /// Whether nobody listed the conductors of the box: its plan is how such a box usually is.
    pub(super) is_usual: bool,
    /// Whether the plan is another by now than what was kept when it was wired.
    pub(super) has_changed: bool,
    /// How many states the plan was tried in; nought where there is none.
    pub(super) tried: usize,
    /// How the old wiring comes back, conductor by conductor.
    pub(super) put_back_plan: Vec<String>,
    pub(super) put_back: String,
    pub(super) old_device: String,
    pub(super) hidden: Vec<(String, String)>,
    /// What its article is set to; empty where there is nothing to set.
    pub(super) set_to: String,
    /// Its outputs on which no load hangs.
    pub(super) spare: Vec<String>,
    pub(super) point: String,
}

/// A conductor on the sheet.
pub(super) struct SheetRow {
    pub(super) is: String,
    pub(super) colour: String,
    pub(super) was: String,
    pub(super) goes: String,
    /// The field that is ticked once it is done, and whether it is; nothing where it has no plan.
    pub(super) tick: Option<(String, bool)>,
}

/// What is kept of a device as it was set.
pub(super) struct SettingsSheet {
    pub(super) form: RecordForm,
    pub(super) set: Vec<SettingField>,
    /// Whether it stands in the place of a unit that gave out: it is set as that was.
    pub(super) is_anew: bool,
}

/// A setting on its card.
pub(super) struct SettingField {
    pub(super) name: &'static str,
    pub(super) is: String,
    /// How the house is set.
    pub(super) house: String,
    /// The words that it usually has.
    pub(super) values: &'static [String],
    /// What its hub tells, where that is otherwise.
    pub(super) hub: String,
}

fn record_of<'a>(spot: &WorkedDevice<'_>, told: &'a Record) -> Option<&'a WiringRecord> {
    told.wiring_records.iter().find(|r| r.device == spot.device.id)
}

/// The form of the record of a device; it begins with what is planned, where nothing was kept yet.
fn form(
    spot: &WorkedDevice<'_>,
    record: Option<&WiringRecord>,
    planned: &BTreeMap<String, Connected>,
) -> RecordForm {
    let id = record.map_or_else(|| format!("w-{}", spot.device.id), |r| r.id.to_string());
    let lacks = record.is_none_or(|r| r.connected.is_empty() && !planned.is_empty());
    let new = id.parse().ok().filter(|_| lacks).map(|id| {
        let connected = planned.clone();
        let new = WiringRecord { connected, ..WiringRecord::new(id, spot.device.id.clone()) };
        json!({"do": "begin", "kind": "wiring-record", "value": new}).to_string()
    });
    RecordForm { id, begin: new.unwrap_or_default() }
}

/// What is kept of a device as it was set, each with what stands on record.
pub(super) fn settings_sheet(spot: &WorkedDevice<'_>, told: &Record) -> SettingsSheet {
    let record = record_of(spot, told);
    let said = |name: &str| record.and_then(|r| r.settings.get(name)).cloned().unwrap_or_default();
    let hub = told_by_hub(told, &spot.device.id);
    SettingsSheet {
        form: form(spot, record, &BTreeMap::new()),
        set: settings(spot)
            .map(|row| SettingField {
                name: &row.name,
                is: said(&row.name),
                house: spot.site.job.settings.get(&row.name).cloned().unwrap_or_default(),
                values: &row.values,
                hub: hub.get(row.name.as_str()).map_or("", |(is, _)| is).to_owned(),
            })
            .collect(),
        is_anew: told.gave_out(&spot.device.id).is_some(),
    }
}

/// How a device is wired.
pub(super) fn wiring(spot: &WorkedDevice<'_>, told: &Record) -> WiringSheet {
    let site = spot.site;
    let lead = site.box_of(spot.point);
    let record = record_of(spot, told);
    let control = of_place(site, &spot.point.id);
    let plan = control.as_ref().and_then(|c| c.boxes.iter().find(|b| b.point == spot.point.id));
    let planned = plan.map_or_else(BTreeMap::new, |plan| connected(plan, spot, lead));
    let kept = record.map(|r| &r.connected).filter(|c| !c.is_empty());
    let is_open = plan.is_none() && control.as_ref().is_some_and(|c| !c.open.is_empty());
    let conductors = match (kept, plan) {
        (Some(kept), _) => kept.iter().map(row).collect(),
        (None, Some(_)) => planned.iter().map(row).collect(),
        (None, None) => without_plan(spot.kind, lead, is_open),
    };
    let as_planned = |c: &Connected| Connected { done: false, ..c.clone() };
    let has_changed = kept.is_some_and(|kept| {
        kept.len() != planned.len()
            || kept.iter().any(|(id, c)| planned.get(id) != Some(&as_planned(c)))
    });
    let said = |of: fn(&WiringRecord) -> &String| record.map(of).cloned().unwrap_or_default();
    let set =
        |name: &String| record.and_then(|r| r.settings.get(name)).cloned().unwrap_or_default();
    let new = plan.into_iter().flat_map(|b| &b.leads);
    WiringSheet {
        form: form(spot, record, &planned),
        diagram_of: plan.map(diagram),
        leads: new.map(|l| format!("New lead: {} to {}; {}", l.from, l.to, l.cut())).collect(),
        cables: control.iter().flat_map(|c| cables(c, &spot.point.id)).collect(),
        is_usual: plan.is_some_and(|b| !b.conductors.iter().any(|c| c.is_surveyed)),
        has_changed,
        tried: control.as_ref().map_or(0, |c| c.works.len()),
        open: control.map(|c| c.open).unwrap_or_default(),
        put_back_plan: record.map(WiringRecord::put_back_plan).unwrap_or_default(),
        diagram: said(|r| &r.diagram),
        diagrams: spot.kind.wiring.diagrams.clone(),
        strip: spot.kind.wiring.strip_mm.map(|mm| typographic(mm, 0)).unwrap_or_default(),
        tabs: match FitPlace::of(site, spot.point, Some(spot.device)).tabs_words() {
            None => "say its gang: it decides which side tabs come off".to_owned(),
            Some("") => String::new(),
            Some(which) => format!("side tabs off before it is mounted: {which}"),
        },
        terminals: spot.kind.wiring.terminals.join(", "),
        connectors: connectors(spot, lead),
        conductors,
        put_back: said(|r| &r.put_back),
        old_device: said(|r| &r.old_device),
        hidden: spot.kind.wiring.hidden.iter().map(|h| (h.clone(), set(h))).collect(),
        set_to: spot.kind.set_to.clone(),
        spare: spare_outputs(spot).map(|(_, text)| text).collect(),
        point: spot.point.id.to_string(),
    }
}

/// The cables of a control that end at a place: “Cable from the panel: line, 1.5 mm², brown; neutral, by the layout”.
fn cables(control: &ControlWiring, at: &PointId) -> Vec<String> {
    let here = control.cables.iter().filter_map(|run| {
        let is_here = |end: &CableEndAt| end.point.as_ref() == Some(at);
        if is_here(&run.to) {
            Some((format!("Cable from {}", run.from.name), run))
        } else {
            is_here(&run.from).then(|| (format!("Cable to {}", run.to.name), run))
        }
    });
    let core = |core: &CableCore| {
        let size = core.size.and_then(|size| Gauge::ALL.iter().find(|(of, _)| *of == size));
        let parts = [
            named(core.was),
            size.map_or("", |(_, name)| name),
            core.colour.trim(),
            if core.found.is_empty() { "by the layout, not listed" } else { &core.found },
        ];
        parts.into_iter().filter(|part| !part.is_empty()).collect::<Vec<_>>().join(", ")
    };
    let told = here.map(|(name, run)| {
        let cores: Vec<String> = run.cores.iter().map(core).collect();
        format!("{name}: {}", cores.join("; "))
    });
    told.collect()
}

/// The connectors of a box, by how many conductors meet in each.
fn connectors(spot: &WorkedDevice<'_>, lead: &Point) -> Vec<String> {
    let site = spot.site;
    let in_box = site.points.iter().filter(|p| site.box_of(p).id == lead.id);
    let kinds = in_box.flat_map(|p| site.devices_at(&p.id)).filter_map(|d| site.kind(&d.kind));
    let kinds: Vec<&DeviceKind> = kinds.filter(|k| k.is_wired_in()).collect();
    let words = |met: usize| {
        let row = rates::row(connector(met));
        format!("{met} meet: {}", row.map_or("", |r| r.name.as_str()).to_lowercase())
    };
    joints(&as_tested(&lead.conductors), &kinds, staying(lead)).into_iter().map(words).collect()
}

fn row((id, c): (&String, &Connected)) -> SheetRow {
    SheetRow {
        is: c.was.clone(),
        colour: c.colour.clone(),
        was: c.was_at.clone(),
        goes: c.goes.clone(),
        tick: Some((format!("connected.{id}.done"), c.done)),
    }
}

/// The conductors of a box of which there is no plan: where each usually goes, or nowhere while something is open.
fn without_plan(kind: &DeviceKind, lead: &Point, is_open: bool) -> Vec<SheetRow> {
    let found = as_tested(&lead.conductors);
    let row = |(c, noted): (&Conductor, &Conductor)| {
        let count = if c.count > 1 { format!("{} × ", c.count) } else { String::new() };
        let goes = if c.found != noted.found {
            contradicted(noted.found)
        } else if c.capped || c.found == Function::Spare {
            "capped by itself".to_owned()
        } else if !c.new_terminal.is_empty() {
            c.new_terminal.clone()
        } else if is_open && c.found != Function::Earth {
            "nowhere yet: see what is open".to_owned()
        } else {
            terminal(kind, c.found)
        };
        SheetRow {
            is: format!("{count}{}", named(c.found)),
            colour: c.colour.clone(),
            was: c.old_terminal.clone(),
            goes,
            tick: None,
        }
    };
    found.iter().zip(&lead.conductors).map(row).collect()
}

/// What is kept of a box as its plan has it today. Dots lead into fields, so that ids stand without.
fn connected(plan: &BoxPlan, spot: &WorkedDevice<'_>, lead: &Point) -> BTreeMap<String, Connected> {
    let of = |c: &ConductorPlan| {
        let leads = if c.towards.is_empty() { String::new() } else { format!(", {}", c.towards) };
        let id = if c.is_surveyed { format!(" {}", c.id) } else { String::new() };
        let listed = if c.is_surveyed { "" } else { " (not listed)" };
        let kept = Connected {
            name: name(c),
            colour: c.colour.clone(),
            was: format!("{}{id}{leads}{listed}", named(c.was)),
            was_at: c.was_at.clone(),
            becomes: c.becomes.clone(),
            goes: goes(c, plan, spot, lead),
            done: false,
        };
        (c.id.replace('.', ":"), kept)
    };
    plan.conductors.iter().map(of).collect()
}

/// Where a conductor goes: terminals, joints, a cap, and how it is marked.
fn goes(c: &ConductorPlan, plan: &BoxPlan, spot: &WorkedDevice<'_>, lead: &Point) -> String {
    let is_it = |n: &&Conductor| n.id == c.id || c.id.starts_with(&format!("{}.", n.id));
    let noted = lead.conductors.iter().find(is_it);
    if let Some(own) = noted.filter(|n| !n.new_terminal.is_empty()) {
        return own.new_terminal.clone();
    }
    if let Some(noted) = noted.filter(|n| n.found != c.was) {
        return contradicted(noted.found);
    }
    let terminal = |(of, name): &(Option<_>, String)| match of {
        Some(of) if *of != spot.device.id => {
            let other = spot.site.devices.get(of).map_or("", |d| d.name.as_str());
            format!("{name} of {other}")
        }
        _ => name.clone(),
    };
    let mut goes: Vec<String> = c.terminals.iter().map(terminal).collect();
    if !c.joins.is_empty() {
        let others = plan.conductors.iter().filter(|other| c.joins.contains(&other.id));
        let names: Vec<String> = others.map(name).collect();
        goes.push(format!("joined with {}", names.join(", ")));
    } else if plan.is_joined(c) {
        goes.push("by a lead: something else in this box is fed from it too".to_owned());
    }
    if c.capped {
        goes.push("capped by itself".to_owned());
    }
    if goes.is_empty() {
        goes.push(c.becomes.clone());
    }
    goes.extend(Some(c.mark.clone()).filter(|mark| !mark.is_empty()));
    goes.join("; ")
}

fn contradicted(noted: Function) -> String {
    format!("nowhere yet: noted as {}, and the tests speak against it", named(noted))
}

/// What a conductor was found to be, in words.
fn named(f: Function) -> &'static str {
    Function::ALL.iter().find(|(of, _)| *of == f).map_or("", |(_, w)| w)
}

/// What a conductor is called among the others of its box.
fn name(c: &ConductorPlan) -> String {
    if c.is_surveyed { c.id.clone() } else { format!("the {} from {}", named(c.was), c.towards) }
}

/// The terminal that a conductor goes to, by what it is; a hint that the maker's sheet overrules.
fn terminal(kind: &DeviceKind, found: Function) -> String {
    let wanted = match found {
        Function::Line => "line",
        Function::Neutral => "neutral",
        Function::Earth => "earth",
        Function::Switched => "load",
        Function::Traveller => "traveller",
        Function::Spare | Function::Unknown => return String::new(),
    };
    let has = kind.wiring.terminals.iter().any(|t| t == wanted);
    if has { wanted.to_owned() } else { format!("no {wanted} terminal: stays joined through") }
}
