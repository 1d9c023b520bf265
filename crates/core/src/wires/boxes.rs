//! A plan told box by box: each conductor by its id in the survey, the terminal that it comes to, what it is joined with,
//! and the leads that are made new.

use super::cables::{self, CableRun};
use super::carries::Carries;
use super::layout::{Cable, CableEnd};
use super::matching::{Listed, Matched, each, matched};
use super::name_of;
use super::net::{self, WiredThing};
use super::plan::{self, Connection, ConnectionPlan};
use super::possible::{Possible, SeenBox};
use super::standing::{Arrangement, Wired};
use crate::catalogue::DeviceKind;
use crate::site::neutrals::really;
use crate::site::{BoxKind, Conductor, DeviceId, Function, Gauge, Point, PointId, Site};

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
    /// Its size: the largest of the conductors whose part it takes on; nothing while none of them is known.
    pub size: Option<Gauge>,
    /// Its colour by the wiring country, with its marking where it carries what that colour does not say; empty where the
    /// country has none on record.
    pub colour: String,
}

/// How long a lead in a box is, in millimetres, so that what it leads to can be drawn out of the box: NFPA 70, 300.14
/// asks for six inches of free conductor.
pub const LEAD_MM: u16 = 152;

impl NewLead {
    /// One of which size and colour are still to be found.
    pub(super) fn new(carries: &'static str, from: String, to: String) -> Self {
        Self { carries, from, to, size: None, colour: String::new() }
    }

    /// What is cut for it: “line, 1.5 mm², brown, 15 cm”.
    pub fn cut(&self) -> String {
        let size = self.size.and_then(|size| Gauge::ALL.iter().find(|(of, _)| *of == size));
        let size = size.map_or("size as what it joins", |(_, name)| name);
        let colour = if self.colour.is_empty() { "colour by the local code" } else { &self.colour };
        format!("{}, {size}, {colour}, {} cm", self.carries, LEAD_MM / 10)
    }
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

impl BoxPlan {
    /// Whether a conductor comes to its terminals by leads from a connector, be it alone in that: something else in the box
    /// is fed from it too.
    pub fn is_joined(&self, conductor: &ConductorPlan) -> bool {
        let leads =
            |name: &String| self.leads.iter().any(|l| l.to == *name && l.from.starts_with(JOINT));
        !conductor.joins.is_empty() || conductor.terminals.iter().any(|(_, name)| leads(name))
    }
}

/// What stands before the names of terminals that nobody wrote down.
const UNLETTERED: &str = "its terminal for ";

/// Whether a name of a terminal is one that stands on a device.
pub(super) fn is_lettered(name: &str) -> bool {
    !name.starts_with(UNLETTERED)
}

/// A terminal as it stands on the device, and in a word what it is for: `L1 = load` says so, and the usual names do.
fn terminal_words(name: &str) -> (&str, String) {
    let (letter, of) = name.split_once('=').unwrap_or((name, name));
    (letter.trim(), of.trim().to_lowercase())
}

/// What a terminal is for, by its name on the device: `load 2` is for a load, of the second channel.
pub fn terminal_carries(name: &str) -> Option<Carries> {
    let (_, of) = terminal_words(name);
    Some(match of.trim_end_matches(|c: char| c.is_ascii_digit()).strip_suffix(' ').unwrap_or(&of) {
        "line" | "l" | "live" | "common" | "com" | "in" | "l in" => Carries::Line,
        "load" | "lo" | "out" | "l out" | "switched line" => Carries::Load,
        "neutral" | "n" => Carries::Neutral,
        "traveller" | "traveler" | "t" | "signal" | "s" | "s1" | "switch" => Carries::Signal,
        _ => return None,
    })
}

/// The name of the terminal of a device that is for something.
fn letter(kind: &DeviceKind, what: &str, is_for: impl Fn(&str) -> bool) -> String {
    let of = kind.wiring.terminals.iter().find(|t| is_for(t));
    of.map_or_else(|| format!("{UNLETTERED}{what}"), |t| terminal_words(t).0.to_owned())
}

/// The name of its terminal for a part.
pub(super) fn letter_for(kind: &DeviceKind, part: Carries) -> String {
    letter(kind, part.name(), |t| terminal_carries(t) == Some(part))
}

/// The name of its terminal for the load of a channel, from one.
pub(super) fn load_letter(kind: &DeviceKind, channel: u8) -> String {
    let channel = channel.to_string();
    letter(kind, &format!("load {channel}"), |t| {
        let (_, of) = terminal_words(t);
        terminal_carries(t) == Some(Carries::Load) && of.split(' ').next_back() == Some(&channel)
    })
}

/// The name of its earth terminal.
fn earth_letter(kind: &DeviceKind) -> String {
    letter(kind, "earth", |t| {
        matches!(terminal_words(t).1.as_str(), "earth" | "ground" | "pe" | "g")
    })
}

/// The terminal of a thing of the plan: whose, and its name.
fn terminal_name(
    standing: &Arrangement<'_>,
    possible: &Possible,
    plan: &ConnectionPlan,
    (thing, terminal): (usize, usize),
) -> (Option<DeviceId>, String) {
    let at = &plan.net.things[thing];
    let point = match at.at {
        CableEnd::Place(place) => possible.order.get(place),
        _ => standing.fitting.map(|p| &p.id),
    };
    let unit = standing.unit.filter(|(_, p)| Some(&p.id) == point);
    let far = || {
        let of = standing.far.iter().find(|(p, _)| Some(&p.id) == point);
        of.and_then(|(_, wired)| *wired)
    };
    if matches!(at.thing, WiredThing::TwoWay | WiredThing::Intermediate) {
        let is_common = at.thing == WiredThing::TwoWay && terminal == 0;
        let name = if is_common { "common, as it was" } else { "traveller, as it was" };
        return (far().map(|w| w.device.id.clone()), name.to_owned());
    }
    // A unit that senses feeds one traveller by its load terminal, the other by that for travellers.
    let carries = match (&at.thing, terminal) {
        (WiredThing::Sensing, 1) => Carries::Load,
        (WiredThing::Sensing, 2) => Carries::Signal,
        _ => carried(plan, (thing, terminal)),
    };
    let is_unit = matches!(at.thing, WiredThing::Unit { .. } | WiredThing::Sensing);
    let own = if is_unit { unit.map(|(w, _)| w) } else { far() };
    match own {
        Some(w) => (Some(w.device.id.clone()), letter_for(w.kind, carries)),
        None if is_unit => (None, carries.name().to_owned()),
        None => {
            let side = if carries == Carries::Line { "one side" } else { "other side" };
            (None, format!("the wall switch, {side}"))
        }
    }
}

/// A plan as it is told.
pub(super) struct ToldPlan {
    /// What stands in its boxes, conductor by conductor, by the ids of the survey.
    pub(super) boxes: Vec<BoxPlan>,
    /// Its cables from end to end.
    pub(super) cables: Vec<CableRun>,
    /// What has to be told apart before anything is joined.
    pub(super) open: Vec<String>,
}

/// Tells a plan in the words of the survey.
pub(super) fn told<'a>(
    site: &'a Site,
    standing: &Arrangement<'a>,
    possible: &Possible,
    plan: &ConnectionPlan,
) -> ToldPlan {
    let at_fitting = standing.unit.map(|(_, p)| p).filter(|p| !possible.order.contains(&p.id));
    let places = possible.order.iter().enumerate().map(|(n, id)| (CableEnd::Place(n), id));
    let places = places.filter_map(|(node, id)| Some((node, site.points.get(id)?)));
    let nodes: Vec<(CableEnd, SeenBox<'a>)> = places
        .chain(at_fitting.map(|p| (CableEnd::Fitting, p)))
        .map(|(node, point)| (node, SeenBox::of(site, point)))
        .collect();
    let matched = matched(site, standing, possible, plan, &nodes);
    let context = Told { site, standing, possible, plan, matched: &matched };
    let boxes = nodes.iter().map(|(node, seen)| context.one_box(*node, seen)).collect();
    let cables = cables::runs(site, standing, possible, plan, &matched);
    ToldPlan { boxes, cables, open: matched.open }
}

/// What a box is told by.
struct Told<'p, 'a> {
    site: &'a Site,
    standing: &'p Arrangement<'a>,
    possible: &'p Possible,
    plan: &'p ConnectionPlan,
    matched: &'p Matched<'a>,
}

impl<'a> Told<'_, 'a> {
    fn one_box(&self, node: CableEnd, seen: &SeenBox<'a>) -> BoxPlan {
        let Self { site, standing, possible, plan, matched } = self;
        let connections = plan.at(node);
        let listed = |c: &Connection| matched.of.get(&(node, c.cable, c.core));
        let mut unlisted = 0;
        let mut id = |c: &Connection| {
            listed(c).map_or_else(
                || {
                    unlisted += 1;
                    format!("unlisted-{unlisted}")
                },
                |l| l.id.clone(),
            )
        };
        let ids: Vec<String> = connections.iter().map(&mut id).collect();
        let id_of = |cable: usize, core: usize| {
            let at = connections.iter().position(|c| c.cable == cable && c.core == core);
            at.map_or_else(String::new, |at| ids[at].clone())
        };
        let told = |(c, id): (&Connection, &String)| {
            let terminal = |t: &(usize, usize)| terminal_name(standing, possible, plan, *t);
            ConductorPlan {
                becomes: c.becomes.map_or("capped", Carries::name).to_owned(),
                // Two parts of one thing can be fed by the same terminal.
                terminals: c.terminals.iter().map(terminal).fold(Vec::new(), |mut all, of| {
                    if !all.contains(&of) {
                        all.push(of);
                    }
                    all
                }),
                joins: c.joins.iter().map(|(cable, core)| id_of(*cable, *core)).collect(),
                capped: c.becomes.is_none(),
                mark: mark(c.was, c.becomes),
                towards: name_of(site, standing, possible, c.towards),
                ..ConductorPlan::of(site, seen.point, id.clone(), c.was, listed(c).map(|l| l.noted))
            }
        };
        let mut conductors: Vec<ConductorPlan> = connections.iter().zip(&ids).map(told).collect();
        let left = matched.left.get(&node).cloned().unwrap_or_default();
        rest(site, seen, left, &mut conductors);
        let of_point = |point: &Point| point.id == seen.point.id;
        let unit = standing.unit.filter(|(_, at)| of_point(at)).map(|(w, _)| w);
        let far = standing.far.iter().filter(|(at, _)| of_point(at)).filter_map(|(_, w)| *w);
        let wired: Vec<Wired<'_>> =
            unit.into_iter().chain(far).filter(|w| w.kind.is_wired_in()).collect();
        let mut leads = leads(standing, possible, plan, node);
        earth(site.box_of(seen.point).back_box, &wired, &mut conductors, &mut leads);
        let onward = |c: &&Cable| c.from == node && matches!(c.to, CableEnd::Onward(_));
        BoxPlan {
            point: seen.point.id.clone(),
            devices: wired.iter().map(|w| w.device.id.clone()).collect(),
            leads,
            feeds_on: possible.cables.iter().filter(onward).count(),
            conductors,
        }
    }
}

impl ConductorPlan {
    /// One of which it is not said yet what becomes of it.
    pub(super) fn of(
        site: &Site,
        point: &Point,
        id: String,
        was: Function,
        noted: Option<&Conductor>,
    ) -> Self {
        let text = |of: fn(&Conductor) -> &String| noted.map(of).cloned().unwrap_or_default();
        let label = text(|c| &c.circuit);
        let label = if label.trim().is_empty() { &point.circuit } else { &label };
        Self {
            id,
            is_surveyed: noted.is_some(),
            circuit: really(site, label).to_owned(),
            was,
            was_at: text(|c| &c.old_terminal),
            colour: text(|c| &c.colour),
            towards: text(|c| &c.from),
            becomes: String::new(),
            terminals: Vec::new(),
            joins: Vec::new(),
            capped: false,
            mark: String::new(),
        }
    }
}

/// A joint of so many conductors, in words.
pub(super) fn joint_of(conductors: usize) -> String {
    match conductors {
        1 => format!("{JOINT} with the leads beside it"),
        _ => format!("{JOINT} of {conductors} conductors"),
    }
}

/// How a joint is called.
const JOINT: &str = "the joint";

/// The protective earths of a box are all one joint, and come to every device that wants one.
pub(super) fn earth(
    back_box: BoxKind,
    wired: &[Wired<'_>],
    conductors: &mut [ConductorPlan],
    leads: &mut Vec<NewLead>,
) {
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
    // An earth that nothing takes is kept: on the metal of its box, or capped by itself.
    if let ([_], []) = (ids.as_slice(), terminals.as_slice()) {
        for c in conductors.iter_mut().filter(|c| is_earth(c)) {
            c.capped = back_box != BoxKind::Metal;
            let becomes = if c.capped { "capped" } else { "earth, on the metal of the box" };
            becomes.clone_into(&mut c.becomes);
        }
    }
    if ids.len() > 1 || ids.len() == 1 && terminals.len() > 1 {
        leads.extend(
            terminals.into_iter().map(|(_, to)| NewLead::new("earth", joint_of(ids.len()), to)),
        );
    }
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
pub(super) fn rest(
    site: &Site,
    seen: &SeenBox<'_>,
    left: Vec<Listed<'_>>,
    conductors: &mut Vec<ConductorPlan>,
) {
    for l in left.into_iter().chain(each(&seen.foreign)) {
        let (becomes, capped) = match l.found {
            Function::Earth => ("earth", false),
            Function::Spare => ("capped", true),
            Function::Unknown => ("not found out: leave it as it is", false),
            Function::Line => ("line", false),
            Function::Neutral => ("neutral", false),
            Function::Switched | Function::Traveller => ("as it was", false),
        };
        let mut new = ConductorPlan {
            becomes: becomes.to_owned(),
            capped,
            ..ConductorPlan::of(site, seen.point, l.id, l.found, Some(l.noted))
        };
        let is_common = matches!(l.found, Function::Line | Function::Neutral);
        for other in conductors.iter_mut().filter(|o| {
            is_common && o.circuit == new.circuit && o.was == new.was && o.becomes == new.becomes
        }) {
            other.joins.push(new.id.clone());
            new.joins.push(other.id.clone());
        }
        conductors.push(new);
    }
}

/// The leads that are made new in a box: to every terminal at which more than one conductor would have to come, and from
/// thing to thing.
fn leads(
    standing: &Arrangement<'_>,
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
            all.extend(
                terminals.iter().map(|t| NewLead::new(carries.name(), joint_of(ends), name(*t))),
            );
        } else if ends == 0 && terminals.len() > 1 {
            all.extend(
                terminals[1..].iter().map(|t| NewLead::new(carries.name(), name(*first), name(*t))),
            );
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
