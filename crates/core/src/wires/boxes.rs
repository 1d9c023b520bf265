//! A plan told box by box: each conductor by its id in the survey, the terminal that it comes to, what it is joined with,
//! and the leads that are made new.

use super::carries::Carries;
use super::layout::CableEnd;
use super::net::{self, WiredThing};
use super::plan::{self, ConnectionPlan};
use super::possible::{Possible, SeenBox, is_usual};
use super::{Standing, Wired, is_fitting, name_of};
use crate::catalogue::DeviceKind;
use crate::site::neutrals::really;
use crate::site::{Conductor, DeviceId, Function, Point, PointId, Site};

/// What becomes of a conductor in a box.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ConductorPlan {
    /// Its id in the survey; where it was not listed, a name by where it leads.
    pub id: String,
    /// Whether it was surveyed.
    pub is_surveyed: bool,
    /// The breaker that really feeds its circuit; empty where that is not known.
    pub circuit: String,
    /// What it was.
    pub was: Function,
    /// The terminal that it was taken from, as noted.
    pub was_at: String,
    /// Its colour, as noted.
    pub colour: String,
    /// Where it leads, by name.
    pub towards: String,
    /// What it carries from now on, in words.
    pub becomes: String,
    /// The device and the terminal that it comes to, in its maker's letters; empty where it comes to none.
    pub terminals: Vec<(Option<DeviceId>, String)>,
    /// The conductors of the same box that it is joined with, by their ids.
    pub joins: Vec<String>,
    /// Whether it is capped by itself.
    pub capped: bool,
    /// How it is marked anew, where what it carries is not what its colour says; empty otherwise.
    pub mark: String,
}

/// A new lead in a box, from a joint or a thing to a terminal.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NewLead {
    /// What it carries, in a word.
    pub carries: &'static str,
    /// From where: a joint of so many conductors, or the terminal of a thing.
    pub from: String,
    /// To which terminal.
    pub to: String,
}

/// The plan of one box.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct BoxPlan {
    /// The point.
    pub point: PointId,
    /// The devices that are wired in there.
    pub devices: Vec<DeviceId>,
    /// Each conductor.
    pub conductors: Vec<ConductorPlan>,
    /// Leads that are made new.
    pub leads: Vec<NewLead>,
    /// What is fed on from here, and is dark while the box is open.
    pub feeds_on: usize,
}

/// What a terminal is for, by its name on the device: `L1 = load` says so, and the usual names do.
pub fn terminal_carries(name: &str) -> Option<Carries> {
    let word = name.split_once('=').map_or(name, |(_, of)| of).trim().to_lowercase();
    Some(match word.as_str() {
        "line" | "l" | "live" | "common" | "com" | "in" | "l in" => Carries::Line,
        "load" | "lo" | "out" | "l out" | "switched line" => Carries::Load,
        "neutral" | "n" => Carries::Neutral,
        "traveller" | "traveler" | "t" | "signal" | "s" | "s1" | "switch" => Carries::Signal,
        _ => return None,
    })
}

/// The name of a terminal as it stands on the device.
fn letter(kind: &DeviceKind, carries: Carries) -> String {
    let of = kind.wiring.terminals.iter().find(|t| terminal_carries(t) == Some(carries));
    of.map_or_else(
        || format!("its terminal for {}", carries.name()),
        |t| t.split_once('=').map_or(t.as_str(), |(letter, _)| letter).trim().to_owned(),
    )
}

/// The terminal of a thing of the plan: whose, and its name.
fn terminal_name(
    standing: &Standing<'_>,
    possible: &Possible,
    plan: &ConnectionPlan,
    (thing, terminal): (usize, usize),
) -> (Option<DeviceId>, String) {
    let at = &plan.net.things[thing];
    let point = match at.at {
        CableEnd::Place(place) => possible.order.get(place),
        _ => standing.fitting.map(|p| &p.id),
    };
    let unit = standing
        .unit
        .filter(|(_, p)| Some(&p.id) == point || is_fitting(p) && at.at == CableEnd::Fitting);
    let far = || {
        let of = standing.far.iter().find(|(p, _)| Some(&p.id) == point);
        of.and_then(|(_, wired)| *wired)
    };
    let carries = match (&at.thing, terminal) {
        (WiredThing::TwoWay | WiredThing::Intermediate, _) => {
            let name = match (&at.thing, terminal) {
                (WiredThing::TwoWay, 0) => "common, as it was",
                _ => "its traveller terminal, as it was",
            };
            return (far().map(|w| w.device.id.clone()), name.to_owned());
        }
        (_, 0) => Carries::Line,
        (WiredThing::Unit { .. }, plan::LOAD) | (WiredThing::Sensing, 1) => Carries::Load,
        (WiredThing::Unit { .. }, plan::NEUTRAL)
        | (WiredThing::Sensing, 3)
        | (WiredThing::Fed { .. }, _) => Carries::Neutral,
        _ => Carries::Signal,
    };
    let is_unit = matches!(at.thing, WiredThing::Unit { .. } | WiredThing::Sensing);
    let own = if is_unit { unit.map(|(w, _)| w) } else { far() };
    match own {
        Some(w) => (Some(w.device.id.clone()), letter(w.kind, carries)),
        None if is_unit => (None, carries.name().to_owned()),
        None => {
            let side = if carries == Carries::Line { "one side" } else { "other side" };
            (None, format!("the wall switch, {side}"))
        }
    }
}

/// What stands in the boxes of a plan, conductor by conductor, by the ids of the survey.
pub(super) fn boxes(
    site: &Site,
    standing: &Standing<'_>,
    possible: &Possible,
    plan: &ConnectionPlan,
) -> Vec<BoxPlan> {
    let at_unit = standing.unit.filter(|(_, p)| is_fitting(p)).map(|(_, p)| p);
    let nodes = possible.order.iter().enumerate().map(|(n, id)| (CableEnd::Place(n), id));
    let boxed = nodes.filter_map(|(node, id)| Some((node, site.points.get(id)?)));
    boxed
        .chain(at_unit.map(|p| (CableEnd::Fitting, p)))
        .map(|(node, point)| one_box(site, standing, possible, plan, node, point))
        .collect()
}

fn one_box(
    site: &Site,
    standing: &Standing<'_>,
    possible: &Possible,
    plan: &ConnectionPlan,
    node: CableEnd,
    point: &Point,
) -> BoxPlan {
    let seen = SeenBox::of(site, point);
    let connections = plan.at(node);
    let mut left: Vec<(&Conductor, &Conductor, u8)> =
        seen.own.iter().map(|(c, noted)| (c, *noted, c.count)).collect();
    // Each conductor of the plan is one that was surveyed, where one of its function is there: by where it leads first.
    let mut ids: Vec<(String, Option<&Conductor>)> = Vec::new();
    for connection in &connections {
        let towards = name_of(site, standing, possible, connection.towards).to_lowercase();
        let fits = |c: &Conductor| c.found == connection.was;
        let leads = |c: &Conductor| {
            let from = c.from.trim().to_lowercase();
            !from.is_empty()
                && (towards.contains(&from)
                    || from.contains(&towards)
                    || is_usual(connection.towards, &from))
        };
        let place = left
            .iter()
            .position(|(c, _, n)| *n > 0 && fits(c) && leads(c))
            .or_else(|| left.iter().position(|(c, _, n)| *n > 0 && fits(c)));
        let Some(place) = place else {
            let n = ids.iter().filter(|(id, _)| id.starts_with("unlisted")).count() + 1;
            ids.push((format!("unlisted-{n}"), None));
            continue;
        };
        left[place].2 -= 1;
        let (_, noted, rest) = left[place];
        let several = noted.count > 1;
        let id =
            if several { format!("{}.{}", noted.id, noted.count - rest) } else { noted.id.clone() };
        ids.push((id, Some(noted)));
    }
    let id_of = |cable: usize, core: usize| {
        let at = connections.iter().position(|c| c.cable == cable && c.core == core);
        at.map_or_else(String::new, |at| ids[at].0.clone())
    };
    let breaker = |label: &str| {
        let label = if label.trim().is_empty() { point.circuit.trim() } else { label.trim() };
        really(site, label).to_owned()
    };
    let mut conductors: Vec<ConductorPlan> = connections
        .iter()
        .zip(&ids)
        .map(|(c, (id, noted))| ConductorPlan {
            id: id.clone(),
            is_surveyed: noted.is_some(),
            circuit: breaker(noted.map_or("", |n| n.circuit.as_str())),
            was: c.was,
            was_at: noted.map_or_else(String::new, |n| n.old_terminal.clone()),
            colour: noted.map_or_else(String::new, |n| n.colour.clone()),
            towards: name_of(site, standing, possible, c.towards),
            becomes: c.becomes.map_or("capped", Carries::name).to_owned(),
            terminals: c
                .terminals
                .iter()
                .map(|t| terminal_name(standing, possible, plan, *t))
                .collect(),
            joins: c.joins.iter().map(|(cable, core)| id_of(*cable, *core)).collect(),
            capped: c.becomes.is_none(),
            mark: mark(c.was, c.becomes),
        })
        .collect();
    rest(site, point, &seen, &left, &mut conductors);
    let here = |w: &Wired<'_>, at: &Point| at.id == point.id && w.kind.is_wired_in();
    let far = standing.far.iter().filter_map(|(at, w)| (*w).filter(|w| here(w, at)));
    let wired: Vec<Wired<'_>> = standing
        .unit
        .filter(|(w, at)| here(w, at))
        .map(|(w, _)| w)
        .into_iter()
        .chain(far)
        .collect();
    let mut leads = leads(standing, possible, plan, node);
    earth(&wired, &mut conductors, &mut leads);
    BoxPlan {
        point: point.id.clone(),
        devices: wired.iter().map(|w| w.device.id.clone()).collect(),
        leads,
        feeds_on: possible
            .cables
            .iter()
            .filter(|c| c.from == node && matches!(c.to, CableEnd::Onward(_)))
            .count(),
        conductors,
    }
}

/// The protective earths of a box are all one joint, and come to every device that wants one.
fn earth(wired: &[Wired<'_>], conductors: &mut [ConductorPlan], leads: &mut Vec<NewLead>) {
    let is_earth = |c: &ConductorPlan| c.was == Function::Earth && !c.capped;
    let ids: Vec<String> =
        conductors.iter().filter(|c| is_earth(c)).map(|c| c.id.clone()).collect();
    let wants = wired
        .iter()
        .filter(|w| w.kind.fit.wants_earth() || w.kind.fit.is_blank(w.kind.fit.earth.as_ref()));
    let terminals: Vec<(Option<DeviceId>, String)> =
        wants.map(|w| (Some(w.device.id.clone()), earth_letter(w.kind))).collect();
    for c in conductors.iter_mut().filter(|c| is_earth(c)) {
        c.joins = ids.iter().filter(|id| **id != c.id).cloned().collect();
        c.terminals.clone_from(&terminals);
    }
    if ids.len() > 1 || ids.len() == 1 && terminals.len() > 1 {
        leads.extend(terminals.into_iter().map(|(_, to)| NewLead {
            carries: "earth",
            from: format!(
                "the joint of {} {}",
                ids.len(),
                if ids.len() == 1 { "conductor" } else { "conductors" }
            ),
            to,
        }));
    }
}

/// The name of the earth terminal as it stands on the device.
fn earth_letter(kind: &DeviceKind) -> String {
    let is_earth = |t: &&String| {
        let word = t.split_once('=').map_or(t.as_str(), |(_, of)| of).trim().to_lowercase();
        matches!(word.as_str(), "earth" | "ground" | "pe" | "g")
    };
    let found = kind.wiring.terminals.iter().find(is_earth);
    found.map_or_else(
        || "earth".to_owned(),
        |t| t.split_once('=').map_or(t.as_str(), |(letter, _)| letter).trim().to_owned(),
    )
}

/// How a conductor is marked anew: what its colour says is not what it carries.
fn mark(was: Function, becomes: Option<Carries>) -> String {
    match (was, becomes) {
        (Function::Neutral, Some(part)) if part != Carries::Neutral => {
            format!("mark it at both ends: {}, no neutral", part.name())
        }
        (Function::Traveller | Function::Switched | Function::Spare, Some(Carries::Line)) => {
            "mark it at both ends: permanent line".to_owned()
        }
        _ => String::new(),
    }
}

/// What is in the box beside the conductors of the layout: earths, spares, what is fed on, other circuits, what nobody
/// found out. Nothing of another circuit is joined with one of this.
fn rest(
    site: &Site,
    point: &Point,
    seen: &SeenBox<'_>,
    left: &[(&Conductor, &Conductor, u8)],
    conductors: &mut Vec<ConductorPlan>,
) {
    let breaker = |c: &Conductor| {
        let label =
            if c.circuit.trim().is_empty() { point.circuit.trim() } else { c.circuit.trim() };
        really(site, label).to_owned()
    };
    let others = left.iter().filter(|(.., n)| *n > 0).map(|(c, noted, _)| (*c, *noted, true));
    let foreign = seen.foreign.iter().map(|(c, noted)| (c, *noted, false));
    let mut more: Vec<ConductorPlan> = Vec::new();
    for (c, noted, is_own) in others.chain(foreign) {
        let circuit = breaker(noted);
        let (becomes, capped) = match c.found {
            Function::Earth => ("earth", false),
            Function::Spare => ("capped", true),
            Function::Unknown => ("not found out: leave it as it is", false),
            Function::Line => ("line", false),
            Function::Neutral => ("neutral", false),
            Function::Switched | Function::Traveller => ("as it was", false),
        };
        let alike = |o: &&mut ConductorPlan| {
            o.circuit == circuit
                && o.was == c.found
                && !o.capped
                && matches!(c.found, Function::Line | Function::Neutral | Function::Earth)
        };
        let mut joins = Vec::new();
        let all = if is_own {
            conductors.iter_mut().chain(more.iter_mut())
        } else {
            more.iter_mut().chain([].iter_mut())
        };
        for other in all.filter(|o| alike(o)) {
            other.joins.push(noted.id.clone());
            joins.push(other.id.clone());
        }
        more.push(ConductorPlan {
            id: noted.id.clone(),
            is_surveyed: true,
            circuit,
            was: c.found,
            was_at: noted.old_terminal.clone(),
            colour: noted.colour.clone(),
            towards: noted.from.clone(),
            becomes: becomes.to_owned(),
            terminals: Vec::new(),
            joins,
            capped,
            mark: String::new(),
        });
    }
    conductors.extend(more);
}

/// The leads that are made new in a box: to every terminal at which more than one conductor would have to come, and from
/// thing to thing.
fn leads(
    standing: &Standing<'_>,
    possible: &Possible,
    plan: &ConnectionPlan,
    node: CableEnd,
) -> Vec<NewLead> {
    let mut all = Vec::new();
    for joint in &plan.net.joints {
        let terminals: Vec<(usize, usize)> = joint
            .iter()
            .filter_map(|pin| match pin {
                net::Pin::Terminal { thing, terminal } if plan.net.things[*thing].at == node => {
                    Some((*thing, *terminal))
                }
                _ => None,
            })
            .collect();
        let ends = joint.iter().filter(|pin| matches!(pin, net::Pin::End { .. })).count();
        let Some(first) = terminals.first() else { continue };
        let name = |t: (usize, usize)| terminal_name(standing, possible, plan, t).1;
        let carries = carried(plan, *first);
        if ends > 1 || ends == 1 && terminals.len() > 1 {
            all.extend(terminals.iter().map(|t| NewLead {
                carries: carries.name(),
                from: format!(
                    "the joint of {ends} {}",
                    if ends == 1 { "conductor" } else { "conductors" }
                ),
                to: name(*t),
            }));
        } else if ends == 0 && terminals.len() > 1 {
            all.extend(terminals[1..].iter().map(|t| NewLead {
                carries: carries.name(),
                from: name(*first),
                to: name(*t),
            }));
        }
    }
    all
}

/// What a terminal of a plan carries.
fn carried(plan: &ConnectionPlan, (thing, terminal): (usize, usize)) -> Carries {
    match (&plan.net.things[thing].thing, terminal) {
        (_, 0) => Carries::Line,
        (WiredThing::Unit { .. }, plan::LOAD) => Carries::Load,
        (WiredThing::Unit { .. }, plan::NEUTRAL)
        | (WiredThing::Sensing, 3)
        | (WiredThing::Fed { .. }, 1) => Carries::Neutral,
        (WiredThing::Unit { .. } | WiredThing::Contact { .. }, _) => Carries::Signal,
        _ => Carries::Traveller,
    }
}
