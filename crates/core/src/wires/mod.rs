//! Wires: how the cables of a control run, what becomes of every conductor when its units go in, and whether that works
//! for every position of every switch.
//!
//! What was surveyed leaves some usual layouts possible (`possible`). Where one is left, or all that are left come to the
//! same in the boxes, the method of the products makes a plan of it (`plan`), and a plan is shown only where trying every
//! state finds nothing wrong (`net`). Where more are left, a question is asked; where none is, an electrician decides.
//!
//! It plans and records. The maker's diagram overrules it, and so does whoever is licensed to do the work.

mod boxes;
pub mod carries;
pub mod layout;
pub mod net;
pub mod plan;
pub mod possible;

use std::collections::BTreeSet;

use self::boxes::boxes;
pub use self::boxes::{BoxPlan, ConductorPlan, NewLead, terminal_carries};
use self::layout::{CableEnd, LayoutRow};
use self::net::TriedState;
use self::plan::{Beside, ConnectionPlan, NoPlan, Scheme, UnitAt};
use self::possible::{Possible, best_question, possible};
use crate::catalogue::{Button, DeviceKind, Duty, Far, Powered, Supply};
use crate::site::neutrals::really;
use crate::site::{
    BoxKind, Device, Function, Group, GroupId, Layout, Point, PointId, PointKind, Site, StaysKind,
};

/// How the products of a control work together.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum WiringMethod {
    /// Line and load at one unit.
    OneUnit,
    /// A unit that senses by the travellers which way the far switch stands.
    Sensing,
    /// Wired companions or plain switches that tell the unit by a signal.
    Signal,
    /// A module that the old switches go on telling.
    Chained,
    /// A unit, and others that are told by radio.
    Radio,
    /// A unit, and remotes where the line is joined through.
    Remotes,
    /// No unit: lamps that are fed for good.
    Fed,
}

impl WiringMethod {
    /// Each with its word for files, and in words.
    pub const ALL: [(Self, &'static str, &'static str); 7] = [
        (Self::OneUnit, "one-unit", "line and load at one unit"),
        (Self::Sensing, "sensing", "a unit where line comes in, which senses by the travellers"),
        (Self::Signal, "signal", "a unit, and contacts that tell it by a signal wire"),
        (Self::Chained, "chained", "a module that the old switches go on telling"),
        (Self::Radio, "radio", "a unit, and others told by radio"),
        (Self::Remotes, "remotes", "a unit, and the line joined through where remotes stand"),
        (Self::Fed, "fed", "lamps fed for good, the line joined through"),
    ];

    /// Its word for files, and it in words.
    pub fn words(self) -> (&'static str, &'static str) {
        Self::ALL
            .iter()
            .find(|(of, ..)| *of == self)
            .map_or(("", ""), |(_, word, name)| (word, name))
    }
}

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
    all
}

/// The wiring of the control that a place is of; nothing where nothing is put into it, or it is of none.
pub fn of_place(site: &Site, place: &PointId) -> Option<ControlWiring> {
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
        PointKind::Ceiling | PointKind::WallFitting => kinds.any(DeviceKind::may_switch),
        _ => false,
    };
    is_switched.then(|| control(site, None, &point.title(), &[point], &Layout::Unknown))
}

/// Whether what runs on a battery takes the place of a switch on the mains: its box is opened, the old switch comes off,
/// and what it joined is joined through or capped.
pub fn takes_over_switch(site: &Site, kind: &DeviceKind, point: &Point) -> bool {
    let is_box = site.box_of(point).back_box != BoxKind::None;
    !kind.is_on_mains() && kind.duty != Duty::Hub && point.kind == PointKind::Switch && is_box
}

/// Whether a device changes what the wires of a control do.
fn is_of_wiring(kind: &DeviceKind) -> bool {
    kind.may_switch() && kind.is_wired_in() || kind.fit.far != Far::No
}

/// A device that is wired in, as the plan meets it.
#[derive(Clone, Copy, Debug)]
struct Wired<'a> {
    device: &'a Device,
    kind: &'a DeviceKind,
}

/// What stands where, before it is known how the cable runs.
struct Standing<'a> {
    unit: Option<(Wired<'a>, &'a Point)>,
    far: Vec<(&'a Point, Option<Wired<'a>>)>,
    /// Places in boxes, in the order in which the group has them.
    boxes: Vec<PointId>,
    fitting: Option<&'a Point>,
}

fn is_fitting(point: &Point) -> bool {
    matches!(point.kind, PointKind::Ceiling | PointKind::WallFitting)
}

fn standing<'a>(site: &'a Site, points: &[&'a Point]) -> Result<Standing<'a>, String> {
    let at = |point: &'a Point| {
        site.devices_at(&point.id).into_iter().filter_map(|device| {
            let kind = site.kind(&device.kind)?;
            is_of_wiring(kind).then_some(Wired { device, kind })
        })
    };
    let is_unit = |w: &Wired<'_>| w.kind.may_switch() && w.kind.fit.far == Far::No;
    let units: Vec<(Wired<'a>, &'a Point)> =
        points.iter().flat_map(|p| at(p).filter(is_unit).map(|w| (w, *p))).collect();
    if let [(one, _), (other, _), ..] = units.as_slice() {
        return Err(format!(
            "{} and {} would both switch the load: one of them, and the other as its companion.",
            one.device.name, other.device.name
        ));
    }
    let unit = units.into_iter().next();
    // A fitting without a switch is a box like any other: there the unit is fed.
    let has_boxes = points.iter().any(|p| !is_fitting(p));
    let is_box = |p: &Point| !has_boxes || !is_fitting(p);
    let far = points
        .iter()
        .filter(|p| is_box(p))
        .filter(|p| unit.is_none_or(|(_, at)| at.id != p.id))
        .map(|p| (*p, at(p).next()))
        .collect();
    Ok(Standing {
        unit,
        far,
        boxes: points.iter().filter(|p| is_box(p)).map(|p| p.id.clone()).collect(),
        fitting: points.iter().find(|p| !is_box(p)).copied(),
    })
}

impl Standing<'_> {
    fn method(&self) -> WiringMethod {
        let kinds = || self.far.iter().filter_map(|(_, w)| w.map(|w| w.kind));
        let Some((unit, _)) = self.unit else { return WiringMethod::Fed };
        let by_wire = |k: &DeviceKind| k.fit.far.is_wired();
        let is_plain = |k: &DeviceKind| k.fit.far == Far::Plain;
        let stays = self.far.iter().any(|(_, w)| w.is_none());
        let is_module = unit.kind.button == Some(Button::Wired);
        if self.far.is_empty() {
            return WiringMethod::OneUnit;
        }
        if is_module && stays && !kinds().any(by_wire) {
            return WiringMethod::Chained;
        }
        let senses = unit.kind.fit.powered == Some(Powered::Line)
            && unit.kind.fit.accepts.contains(&Far::Plain);
        if senses && (stays || kinds().any(is_plain)) {
            return WiringMethod::Sensing;
        }
        if kinds().any(by_wire) {
            WiringMethod::Signal
        } else if kinds().any(|k| k.fit.far == Far::Paired) {
            WiringMethod::Radio
        } else {
            WiringMethod::Remotes
        }
    }
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
        works: Vec::new(),
        open: Vec::new(),
    };
    let standing = match standing(site, points) {
        Ok(standing) => standing,
        Err(why) => {
            found.open.push(why);
            return found;
        }
    };
    let method = standing.method();
    found.method = Some(method);
    held_back(site, group, points, &standing, method, &mut found.open);
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

/// What keeps a plan from being made, whatever the layout.
fn held_back(
    site: &Site,
    group: Option<&Group>,
    points: &[&Point],
    standing: &Standing<'_>,
    method: WiringMethod,
    open: &mut Vec<String>,
) {
    // Signs of the old switch that speak against what is planned.
    for point in points.iter().filter(|p| !is_fitting(p)) {
        let terminals = point.signs.terminals;
        let alone = group.is_none_or(|g| g.places.len() < 2);
        if alone && (terminals > 2 || point.signs.another == Some(true)) {
            open.push(format!(
                "The switch at {} has the signs of one of several: find the other place that works the same lamp, and put both into one control.",
                point.title()
            ));
        }
    }
    if let Some(group) = group {
        let fours = group
            .places
            .iter()
            .filter_map(|id| site.points.get(id))
            .filter(|p| p.signs.terminals == 4);
        if group.places.len() == 2 && fours.count() > 0 {
            open.push(
                "A switch of four terminals stands between two others: a third place works the same lamp. Find it."
                    .to_owned(),
            );
        }
    }
    open.extend(points.iter().filter_map(|point| mixed(site, point)));
    let keeps = matches!(method, WiringMethod::Sensing | WiringMethod::Chained);
    for (point, wired) in &standing.far {
        let stays = site.box_of(point).stays.iter().any(|s| s.what == StaysKind::Switch);
        if wired.is_none() && !keeps && !stays {
            open.push(format!("What becomes of the switch at {} is not planned.", point.title()));
        }
    }
}

/// A box with several circuits in which nobody has said of each line and neutral of which it is: none of them is joined
/// with another before that (BS 7671, 314.4; NFPA 70, 200.4).
fn mixed(site: &Site, point: &Point) -> Option<String> {
    let lead = site.box_of(point);
    let in_box = site.points.iter().filter(|p| site.box_of(p).id == lead.id);
    let mut breakers: Vec<&str> = in_box.map(|p| really(site, &p.circuit)).collect();
    breakers.sort_unstable();
    breakers.dedup();
    let is_unsaid = lead.conductors.iter().any(|c| {
        matches!(c.found, Function::Line | Function::Neutral) && c.circuit.trim().is_empty()
    });
    (breakers.len() > 1 && is_unsaid).then(|| {
        let unknown = "one that nobody knows";
        let all: Vec<&str> =
            breakers.iter().map(|b| if b.is_empty() { unknown } else { b }).collect();
        format!(
            "In the box of {} are circuits {}: say of each line and neutral of which it is, before any are joined.",
            point.title(),
            all.join(" and ")
        )
    })
}

/// The plan of what stands in a control, in one layout.
fn planned(
    site: &Site,
    possible: &Possible,
    standing: &Standing<'_>,
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
        .map(|(point, wired)| (node(point), wired.map_or(Beside::Stays, |w| beside(w.kind))))
        .collect();
    // The mechanism before a module: a contact in the same box, or at the switch where the module is at the fitting.
    if let Some((w, at)) = standing.unit
        && w.kind.button == Some(Button::Wired)
        && !is_at_fitting(at)
        && has_mechanism(site, at)
    {
        let at = node(at);
        beside.push((at, Beside::Contact { momentary: false }));
    }
    plan::plan(&possible.cables, &Scheme { unit, beside })
}

/// Whether a switch stands before a module at its place.
fn has_mechanism(site: &Site, point: &Point) -> bool {
    crate::survey::natural::has_switch(site, point)
}

fn beside(kind: &DeviceKind) -> Beside {
    let neutral = kind.supply == Supply::MainsNeutral;
    match kind.fit.far {
        Far::Electronic => Beside::Contact { momentary: true },
        Far::Plain => Beside::Contact { momentary: kind.wiring.momentary },
        Far::Follower => Beside::Follower { neutral },
        Far::Paired => Beside::Fed { neutral },
        Far::No | Far::Remote => Beside::Nothing,
    }
}

/// Takes the plan where all that are possible come to the same in the boxes that are opened; else asks.
fn settle(
    site: &Site,
    standing: &Standing<'_>,
    all: &[Possible],
    plans: &[(&Possible, Result<ConnectionPlan, NoPlan>)],
    found: &mut ControlWiring,
) {
    let told: Vec<Option<Vec<BoxPlan>>> = plans
        .iter()
        .map(|(p, plan)| plan.as_ref().ok().map(|plan| boxes(site, standing, p, plan)))
        .collect();
    let alike = told.iter().all(Option::is_some)
        && told.windows(2).all(|pair| same(pair[0].as_ref(), pair[1].as_ref()));
    if let (true, Some((possible, Ok(plan)))) = (alike, plans.first()) {
        found.places.clone_from(&possible.order);
        found.boxes = told.into_iter().next().flatten().unwrap_or_default();
        found.works =
            plan.works.iter().map(|state| state_at(standing, possible, plan, state)).collect();
        letters(standing, &mut found.open);
        return;
    }
    let is_open = plans.len() > 1 && plans.iter().any(|(_, plan)| plan.is_ok());
    let question = best_question(all).filter(|_| is_open || all.len() > plans.len());
    if let Some(question) = question {
        let name = site.points.get(question.at()).map_or_else(String::new, Point::title);
        found.open.push(question.words(&name));
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

/// A state that was tried, by the places where something moves.
fn state_at(
    standing: &Standing<'_>,
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
fn no_plan(site: &Site, standing: &Standing<'_>, possible: &Possible, why: &NoPlan) -> String {
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

fn name_of(site: &Site, standing: &Standing<'_>, possible: &Possible, node: CableEnd) -> String {
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
        CableEnd::Onward(_) => "what it feeds on".to_owned(),
    }
}

/// Whether two plans come to the same in the boxes, wherever the cables lead: the same conductors with the same parts,
/// terminals and joints. Of a box that nobody listed, how many there are of a kind is not known either way.
fn same(a: Option<&Vec<BoxPlan>>, b: Option<&Vec<BoxPlan>>) -> bool {
    let told = |boxes: &Vec<BoxPlan>| {
        let of = |b: &BoxPlan| {
            let is_listed = b.conductors.iter().any(|c| c.is_surveyed);
            let mut of: Vec<String> = b
                .conductors
                .iter()
                .map(|c| {
                    let joins = if is_listed { c.joins.len() } else { 0 };
                    format!("{:?} {} {:?} {} {joins}", c.was, c.becomes, c.terminals, c.capped)
                })
                .collect();
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
    a.map(told) == b.map(told)
}

/// What has to be looked up before the terminals can be named.
fn letters(standing: &Standing<'_>, open: &mut Vec<String>) {
    let unit = standing.unit.map(|(w, _)| w);
    for wired in unit.into_iter().chain(standing.far.iter().filter_map(|(_, w)| *w)) {
        if wired.kind.is_wired_in() && wired.kind.wiring.terminals.is_empty() {
            open.push(format!(
                "Which terminals {} has is not written down: the maker’s diagram names them.",
                wired.kind.name
            ));
        }
    }
}
