//! Wires: how the cables of a control run, what becomes of every conductor when its units go in, and whether that works
//! for every position of every switch.
//!
//! What was surveyed leaves some usual layouts possible (`possible`). Where one is left, or all that are left come to the
//! same in the boxes, the method of the products makes a plan of it (`plan`), and a plan is shown only where trying every
//! state finds nothing wrong (`net`). Where more are left, a question is asked; where none is, an electrician decides.
//!
//! It plans and records. The maker's diagram overrules it, and so does whoever is licensed to do the work.

mod boxes;
mod cables;
pub mod carries;
mod direct;
pub mod layout;
mod leads;
mod matching;
pub mod net;
pub mod plan;
pub mod possible;
mod shared;
mod standing;

use std::collections::BTreeSet;

pub use self::boxes::{BoxPlan, ConductorPlan, LEAD_MM, NewLead, terminal_carries};
use self::boxes::{ToldPlan, is_lettered, told};
pub use self::cables::{CableCore, CableEndAt, CableRun};
use self::direct::{direct, is_direct};
use self::layout::{CableEnd, LayoutRow};
use self::net::TriedState;
use self::plan::{Beside, ConnectionPlan, NoPlan, Scheme, UnitAt};
use self::possible::{Possible, best_question, possible};
pub use self::standing::WiringMethod;
use self::standing::{Arrangement, MOST_PLACES, Wired, held_back, is_of_wiring};
use crate::catalogue::{Button, DeviceKind, Duty, Supply};
use crate::site::neutrals::really;
use crate::site::{
    BoxKind, Device, Feed, Group, GroupId, Layout, Point, PointId, PointKind, Site, Stays,
    StaysKind,
};
use crate::survey::natural::has_switch;

/// One state in which a plan was tried.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct WiringState {
    /// Where something is in one of two positions, or pressed: the place, and whether it is.
    pub positions: Vec<(PointId, bool)>,
    /// Whether the unit is on, and by which of its outputs: nought is off.
    pub unit: usize,
    /// Whether the lamp is live.
    pub lamp: bool,
}

/// The wiring of a control: the places that work the same lamps.
#[derive(Clone, Debug, PartialEq)]
pub struct ControlWiring {
    /// The group; nothing where a single place works its lamps.
    pub group: Option<GroupId>,
    /// What it is called.
    pub name: String,
    /// Its places, in the order of the cable where that is known.
    pub places: Vec<PointId>,
    /// The breaker that really feeds it; empty where that is not known.
    pub circuit: String,
    /// How its products work together; nothing where that does not follow from what is planned.
    pub method: Option<WiringMethod>,
    /// The layouts that are still possible.
    pub layouts: Vec<&'static LayoutRow>,
    /// What becomes of every conductor, box by box; empty where there is no plan.
    pub boxes: Vec<BoxPlan>,
    /// Its cables from end to end; empty where there is no plan of a layout.
    pub cables: Vec<CableRun>,
    /// Every state that was tried, and whether the lamp is live in it.
    pub works: Vec<WiringState>,
    /// What is open: questions, and what an electrician decides.
    pub open: Vec<String>,
}

/// The wiring of every control of a job into which something is put.
pub fn wiring(site: &Site) -> Vec<ControlWiring> {
    let mut all: Vec<ControlWiring> =
        site.groups.iter().filter_map(|g| of_group(site, g)).collect();
    let grouped: BTreeSet<&PointId> = site.groups.iter().flat_map(|g| &g.places).collect();
    let single = site.points.iter().filter(|p| !grouped.contains(&p.id));
    all.extend(single.filter_map(|point| of_point(site, point)));
    shared::merge(site, &mut all);
    // What is in the house already has its say in the joints of a box, and no plan of its own.
    all.retain(|control| is_new(site, control));
    leads::cut(site, &mut all);
    all
}

/// Whether anything of a control is put in: at its boxes, or up at its fitting, which is no place in the order of its cable.
fn is_new(site: &Site, control: &ControlWiring) -> bool {
    let group = control.group.as_ref().and_then(|id| site.groups.get(id));
    let places = control.places.iter().chain(group.into_iter().flat_map(|g| &g.places));
    places.flat_map(|id| site.devices_at(id)).any(|d| !d.is_there())
}

/// The wiring of the control that a place is of; nothing where nothing is put into it, or it is of none.
pub fn of_place(site: &Site, place: &PointId) -> Option<ControlWiring> {
    let own = alone(site, place)?;
    let leads: BTreeSet<&PointId> =
        own.places.iter().filter_map(|id| Some(&site.box_of(site.points.get(id)?).id)).collect();
    let mut all = vec![own];
    let beside = site.points.iter().filter(|p| leads.contains(&site.box_of(p).id));
    for point in beside {
        if !all.iter().any(|control| control.places.contains(&point.id)) {
            all.extend(alone(site, &point.id));
        }
    }
    shared::merge(site, &mut all);
    leads::cut(site, &mut all);
    all.into_iter().next()
}

/// The wiring of the control that a place is of, by itself.
fn alone(site: &Site, place: &PointId) -> Option<ControlWiring> {
    match site.group_of(place) {
        Some(group) => of_group(site, group),
        None => of_point(site, site.points.get(place)?),
    }
}

fn of_group(site: &Site, group: &Group) -> Option<ControlWiring> {
    let points: Vec<&Point> = group.places.iter().filter_map(|id| site.points.get(id)).collect();
    let devices = points.iter().flat_map(|p| site.devices_at(&p.id));
    let mut kinds = devices.filter_map(|d| site.kind(&d.kind));
    kinds.any(is_of_wiring).then(|| control(site, Some(group), &group.name, &points, &group.wiring))
}

fn of_point(site: &Site, point: &Point) -> Option<ControlWiring> {
    let mut kinds = site.devices_at(&point.id).into_iter().filter_map(|d| site.kind(&d.kind));
    let is_switched = match point.kind {
        PointKind::Switch => kinds.any(is_of_wiring),
        PointKind::Ceiling | PointKind::WallFitting => {
            kinds.any(|k| k.may_switch() && !point.has_on_cord(k))
        }
        // What hangs on a cord is no wiring of the house.
        PointKind::Socket | PointKind::Outdoor if point.feed != Feed::Cord => {
            kinds.any(|k| k.may_switch() && is_of_wiring(k) && k.is_wired_in())
        }
        _ => false,
    };
    is_switched.then(|| control(site, None, &point.title(), &[point], &Layout::Unknown))
}

/// Whether what runs on a battery takes the place of a switch on the mains: its box is opened, the old switch comes off,
/// and what it joined is joined through or capped.
pub fn takes_over_switch(site: &Site, kind: &DeviceKind, point: &Point) -> bool {
    let is_box = site.box_of(point).back_box != BoxKind::None && point.kind == PointKind::Switch;
    is_box && !keeps_switch(site, point) && !kind.is_on_mains() && kind.duty != Duty::Hub
}

/// Whether a switch stays in the gang of a point: what runs on a battery is stuck to the wall beside it.
pub fn keeps_switch(site: &Site, point: &Point) -> bool {
    let is_here = |s: &Stays| s.what == StaysKind::Switch && s.gang > 0 && s.gang == point.gang;
    site.box_of(point).stays.iter().any(is_here)
}

/// Whether what is in the house already is wired anew: something new of its control is wired to it, or takes a switch of it
/// away. Its box is opened with the others.
pub fn is_rewired(site: &Site, device: &Device, kind: &DeviceKind, point: &Point) -> bool {
    let places = site.group_of(&point.id).into_iter().flat_map(|g| &g.places);
    let others = places.filter(|id| **id != point.id);
    let mut new = others.flat_map(|id| site.devices_at(id)).filter(|d| !d.is_there());
    let opens = |d: &Device| {
        site.kind(&d.kind).zip(site.point_of(d)).is_some_and(|(kind, point)| {
            point.has_wired_in(kind) || takes_over_switch(site, kind, point)
        })
    };
    device.is_there() && point.has_wired_in(kind) && new.any(opens)
}

fn is_fitting(point: &Point) -> bool {
    matches!(point.kind, PointKind::Ceiling | PointKind::WallFitting)
}

fn control(
    site: &Site,
    group: Option<&Group>,
    name: &str,
    points: &[&Point],
    layout: &Layout,
) -> ControlWiring {
    let label = points.iter().map(|p| p.circuit.trim()).find(|l| !l.is_empty()).unwrap_or("");
    let mut found = ControlWiring {
        group: group.map(|g| g.id.clone()),
        name: name.to_owned(),
        places: points.iter().map(|p| p.id.clone()).collect(),
        circuit: really(site, label).to_owned(),
        method: None,
        layouts: Vec::new(),
        boxes: Vec::new(),
        cables: Vec::new(),
        works: Vec::new(),
        open: Vec::new(),
    };
    let standing = match Arrangement::of(site, points) {
        Ok(standing) => standing,
        Err(why) => {
            found.open.push(why);
            return found;
        }
    };
    if let (None, [point], Some((w, _))) = (group, points, standing.unit)
        && is_direct(w, point)
    {
        direct(site, point, w, &mut found);
        return found;
    }
    let method = standing.method();
    found.method = Some(method);
    found.open = held_back(site, group, points, &standing);
    if points.len() > MOST_PLACES {
        return found;
    }
    let all = possible(site, &standing.boxes, layout);
    found.layouts = rows(&all);
    if all.is_empty() {
        found.open.push(
            "What was noted in the boxes is none of the usual layouts: an electrician finds the lines and decides."
                .to_owned(),
        );
        return found;
    }
    if let Some(row) = all
        .iter()
        .map(|p| p.row)
        .find(|row| !row.danger.is_empty() && all.iter().all(|p| p.row.id == row.id))
    {
        found.open.push(row.danger.clone());
        return found;
    }
    if !found.open.is_empty() {
        return found;
    }
    let safe: Vec<&Possible> = all.iter().filter(|p| p.row.danger.is_empty()).collect();
    let plans: Vec<(&Possible, Result<ConnectionPlan, NoPlan>)> =
        safe.iter().map(|p| (*p, planned(site, p, &standing, method))).collect();
    settle(site, &standing, &all, &plans, &mut found);
    found
}

/// The rows of some layouts, each once.
fn rows(all: &[Possible]) -> Vec<&'static LayoutRow> {
    let mut rows: Vec<&'static LayoutRow> = Vec::new();
    for possible in all {
        if !rows.iter().any(|row| row.id == possible.row.id) {
            rows.push(possible.row);
        }
    }
    rows
}

/// The plan of what stands in a control, in one layout.
fn planned(
    site: &Site,
    possible: &Possible,
    standing: &Arrangement<'_>,
    method: WiringMethod,
) -> Result<ConnectionPlan, NoPlan> {
    let node = |point: &Point| {
        let place = possible.order.iter().position(|id| *id == point.id);
        place.map_or(CableEnd::Fitting, CableEnd::Place)
    };
    let is_at_fitting = |point: &Point| node(point) == CableEnd::Fitting;
    let unit = standing.unit.map(|(w, at)| UnitAt {
        at: node(at),
        neutral: w.kind.supply == Supply::MainsNeutral,
        sensing: method == WiringMethod::Sensing,
    });
    if let (WiringMethod::Chained, Some(unit)) = (method, unit) {
        return plan::chained(&possible.cables, possible.order.len(), unit);
    }
    let mut beside: Vec<(CableEnd, Beside)> = standing
        .far
        .iter()
        .map(|(point, wired)| (node(point), wired.map_or(Beside::Stays, |w| w.beside())))
        .collect();
    // The mechanism before a module: a contact in the same box, or at the switch where the module is at the fitting.
    if let Some((w, at)) = standing.unit
        && w.kind.button == Some(Button::Wired)
        && !is_at_fitting(at)
        && has_switch(site, at)
    {
        beside.push((node(at), Beside::Contact { momentary: false }));
    }
    plan::plan(&possible.cables, &Scheme { unit, beside })
}

/// Takes the plan where all that are possible come to the same in the boxes that are opened; else asks.
fn settle(
    site: &Site,
    standing: &Arrangement<'_>,
    all: &[Possible],
    plans: &[(&Possible, Result<ConnectionPlan, NoPlan>)],
    found: &mut ControlWiring,
) {
    let each: Option<Vec<ToldPlan>> = plans
        .iter()
        .map(|(p, plan)| plan.as_ref().ok().map(|plan| told(site, standing, p, plan)))
        .collect();
    let each = each.filter(|all| all.windows(2).all(|pair| same(&pair[0].boxes, &pair[1].boxes)));
    let is_one = plans.len() == 1;
    let first = each.and_then(|all| all.into_iter().next());
    if let (Some(ToldPlan { boxes, cables, open }), Some((possible, Ok(plan)))) =
        (first, plans.first())
    {
        found.places.clone_from(&possible.order);
        found.works =
            plan.works.iter().map(|state| state_at(standing, possible, plan, state)).collect();
        found.open.extend(open);
        found.open.extend(letters(standing, &boxes));
        found.open.extend(not_ruled_out(site, all));
        found.boxes = boxes;
        // Where several layouts come to the same in the boxes, which way the cables run is not known.
        found.cables = if is_one { cables } else { Vec::new() };
        return;
    }
    let is_open = plans.len() > 1 && plans.iter().any(|(_, plan)| plan.is_ok());
    let question = best_question(all).filter(|_| is_open || all.len() > plans.len());
    if let Some(question) = question {
        found.open.push(question.words(site));
        return;
    }
    let mut whys: Vec<String> = plans
        .iter()
        .filter_map(|(p, plan)| plan.as_ref().err().map(|why| no_plan(site, standing, p, why)))
        .collect();
    whys.sort();
    whys.dedup();
    found.open.extend(whys);
    if found.open.is_empty() {
        found.open.push("What was noted leaves several layouts, and no question tells them apart: an electrician decides.".to_owned());
    }
}

/// A dangerous layout that nothing noted rules out, with the question that does.
fn not_ruled_out(site: &Site, all: &[Possible]) -> Option<String> {
    let risky = all.iter().find(|p| !p.row.danger.is_empty())?;
    let question = best_question(all).map_or_else(
        || "Find the lines with the circuit proved dead.".to_owned(),
        |question| question.words(site),
    );
    Some(format!("Not ruled out: {}. {} {question}", risky.row.name, risky.row.danger))
}

/// A state that was tried, by the places where something moves.
fn state_at(
    standing: &Arrangement<'_>,
    possible: &Possible,
    plan: &ConnectionPlan,
    state: &TriedState,
) -> WiringState {
    let at = |thing: usize| match plan.net.things[thing].at {
        CableEnd::Place(place) => possible.order.get(place).cloned(),
        _ => standing.fitting.map(|p| p.id.clone()),
    };
    let positions = state.positions.iter().filter_map(|(thing, is)| Some((at(*thing)?, *is)));
    WiringState { positions: positions.collect(), unit: state.unit, lamp: state.lamp }
}

/// Why there is no plan, in a sentence.
fn no_plan(site: &Site, standing: &Arrangement<'_>, possible: &Possible, why: &NoPlan) -> String {
    let name = |node: CableEnd| name_of(site, standing, possible, node);
    match why {
        NoPlan::TooFew(short) => {
            let needs: Vec<&str> = short.needs.iter().map(|part| part.name()).collect();
            match short.between {
                Some((from, to)) => format!(
                    "Between {} and {} are too few conductors for {}: pull more, or another way.",
                    name(from),
                    name(to),
                    needs.join(", ")
                ),
                None => format!(
                    "No {} can be brought there by the conductors that are there.",
                    needs.join(" or ")
                ),
            }
        }
        NoPlan::Faulty(fault) => {
            format!("Tried out, it does not work: {fault}. An electrician decides.")
        }
        NoPlan::NotAtLine => {
            "A unit that senses by the travellers goes into the box where line comes in.".to_owned()
        }
    }
}

fn name_of(site: &Site, standing: &Arrangement<'_>, possible: &Possible, node: CableEnd) -> String {
    let point = |place: usize| {
        let id = possible.order.get(place);
        id.and_then(|id| site.points.get(id)).map_or_else(String::new, Point::title)
    };
    match node {
        CableEnd::Panel => "the panel".to_owned(),
        CableEnd::Fitting => {
            standing.fitting.map_or_else(|| "the fitting".to_owned(), Point::title)
        }
        CableEnd::Place(place) => point(place),
        CableEnd::Onward(_) => "what is fed from here".to_owned(),
    }
}

/// Whether two plans come to the same in the boxes, wherever the cables lead: the same conductors with the same parts,
/// terminals and joints. Of a box that nobody listed, how many there are of a kind is not known either way.
fn same(a: &[BoxPlan], b: &[BoxPlan]) -> bool {
    let told = |boxes: &[BoxPlan]| {
        let of = |b: &BoxPlan| {
            let is_listed = b.conductors.iter().any(|c| c.is_surveyed);
            let line = |c: &ConductorPlan| {
                let joins = if is_listed { c.joins.len() } else { 0 };
                format!("{:?} {} {:?} {} {joins}", c.was, c.becomes, c.terminals, c.capped)
            };
            let mut of: Vec<String> = b.conductors.iter().map(line).collect();
            of.sort();
            if !is_listed {
                of.dedup();
            }
            (b.point.clone(), of)
        };
        let mut all: Vec<_> = boxes.iter().map(of).collect();
        all.sort();
        all
    };
    told(a) == told(b)
}

/// Devices whose terminals for what comes to them are not written down.
fn letters(standing: &Arrangement<'_>, boxes: &[BoxPlan]) -> Vec<String> {
    let all = || boxes.iter().flat_map(|b| &b.conductors).flat_map(|c| &c.terminals);
    let lacks = |w: &Wired<'_>| {
        all().any(|(of, name)| of.as_ref() == Some(&w.device.id) && !is_lettered(name))
    };
    let words = |w: Wired<'_>| {
        format!(
            "Which terminals {} has is not written down: the maker’s diagram names them.",
            w.kind.name
        )
    };
    standing.devices().filter(lacks).map(words).collect()
}
