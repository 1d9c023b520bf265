//! Which conductor of the survey is which of a plan. Where that is not settled by where they lead and by their colours, it
//! is asked: one taken for another puts line where a signal is waited for.

use std::collections::BTreeMap;

use super::carries::Carries;
use super::layout::CableEnd;
use super::name_of;
use super::net::Pin;
use super::plan::ConnectionPlan;
use super::possible::{Possible, SeenBox, is_usual};
use super::standing::Arrangement;
use crate::site::{Conductor, Function, Site};

/// One conductor of the survey: a row can stand for several.
#[derive(Clone, Debug)]
pub(super) struct Listed<'a> {
    /// Its id; `c.1`, `c.2` where its row stands for several.
    pub(super) id: String,
    /// What it is by its tests.
    pub(super) found: Function,
    /// As it was noted.
    pub(super) noted: &'a Conductor,
}

/// A conductor of a plan at one end: the end, its cable, which of it.
pub(super) type CoreEnd = (CableEnd, usize, usize);

/// What of the survey is what of a plan.
pub(super) struct Matched<'a> {
    /// The conductor of the survey at each end of the plan.
    pub(super) of: BTreeMap<CoreEnd, Listed<'a>>,
    /// Those that are none of the plan, by box.
    pub(super) left: BTreeMap<CableEnd, Vec<Listed<'a>>>,
    /// What has to be told apart before anything is joined; a sentence each.
    pub(super) open: Vec<String>,
}

/// Every conductor of some rows by itself.
pub(super) fn each<'a>(rows: &[(Conductor, &'a Conductor)]) -> Vec<Listed<'a>> {
    let of = |(tested, noted): &(Conductor, &'a Conductor)| {
        let (found, noted, count) = (tested.found, *noted, tested.count);
        let id = move |n: u8| {
            if count > 1 { format!("{}.{n}", noted.id) } else { noted.id.clone() }
        };
        (1..=count).map(move |n| Listed { id: id(n), found, noted }).collect::<Vec<_>>()
    };
    rows.iter().flat_map(of).collect()
}

/// Matches the boxes of a plan with what was listed in them.
pub(super) fn matched<'a>(
    site: &'a Site,
    standing: &Arrangement<'a>,
    possible: &Possible,
    plan: &ConnectionPlan,
    nodes: &[(CableEnd, SeenBox<'a>)],
) -> Matched<'a> {
    let mut found = Matched { of: BTreeMap::new(), left: BTreeMap::new(), open: Vec::new() };
    let name = |node| name_of(site, standing, possible, node);
    for (node, seen) in nodes {
        let mut listed = each(&seen.own);
        for (function, words) in Function::ALL {
            let cores = cores_at(plan, *node, function);
            let is_told = by_lead(plan, *node, &cores, &mut listed, &mut found.of, &name);
            if !is_told {
                found
                    .open
                    .push(format!("Say where each {words} in the box of {} leads.", name(*node)));
            }
        }
        found.left.insert(*node, listed);
    }
    for (cable, of) in plan.cables.iter().enumerate() {
        if let (CableEnd::Place(_), CableEnd::Place(_)) = (of.from, of.to) {
            for (function, words) in Function::ALL {
                let cores: Vec<usize> =
                    (0..of.cores.len()).filter(|core| of.cores[*core] == function).collect();
                let parts = cores.iter().map(|core| plan.parts[cable][*core]);
                let differ = parts.clone().any(|part| Some(part) != parts.clone().next());
                if differ && !by_colour(cable, (of.from, of.to), &cores, &mut found.of) {
                    found.open.push(format!(
                        "The {} {words}s between {} and {} get different parts: find which is which, with the circuit \
                         proved dead, and mark each at both ends.",
                        cores.len(),
                        name(of.from),
                        name(of.to)
                    ));
                }
            }
        }
    }
    found
}

/// The conductors of a function at one end.
fn cores_at(plan: &ConnectionPlan, node: CableEnd, function: Function) -> Vec<(usize, usize)> {
    let here = plan.cables.iter().enumerate().filter(|(_, c)| c.from == node || c.to == node);
    let of =
        here.flat_map(|(cable, c)| c.cores.iter().enumerate().map(move |(n, f)| (cable, n, *f)));
    of.filter(|(.., f)| *f == function).map(|(cable, core, _)| (cable, core)).collect()
}

/// Hands listed conductors out by where they lead, the rest in their order; whether that settles them.
fn by_lead<'a>(
    plan: &ConnectionPlan,
    node: CableEnd,
    cores: &[(usize, usize)],
    listed: &mut Vec<Listed<'a>>,
    of: &mut BTreeMap<CoreEnd, Listed<'a>>,
    name: &impl Fn(CableEnd) -> String,
) -> bool {
    let mut open: Vec<(usize, usize)> = Vec::new();
    let towards = |cable: usize| {
        let c = &plan.cables[cable];
        if c.from == node { c.to } else { c.from }
    };
    let function = |(cable, core): (usize, usize)| plan.cables[cable].cores[core];
    for &(cable, core) in cores {
        let leads = |l: &Listed<'_>| {
            l.found == function((cable, core)) && leads_to(&l.noted.from, towards(cable), name)
        };
        match listed.iter().position(leads) {
            Some(at) => {
                of.insert((node, cable, core), listed.remove(at));
            }
            None => open.push((cable, core)),
        }
    }
    let mut guessed = false;
    for &(cable, core) in &open {
        if let Some(at) = listed.iter().position(|l| l.found == function((cable, core))) {
            of.insert((node, cable, core), listed.remove(at));
            guessed = true;
        }
    }
    let several = open.iter().any(|(cable, _)| *cable != open[0].0);
    !(guessed && several) || is_alike(plan, node, cores)
}

/// Whether a note of where a conductor leads names an end.
fn leads_to(noted: &str, end: CableEnd, name: &impl Fn(CableEnd) -> String) -> bool {
    let (noted, name) = (noted.trim().to_lowercase(), name(end).to_lowercase());
    let is_name = !noted.is_empty()
        && (noted == name
            || name.split_once(' ').is_some_and(|(tag, rest)| tag == noted || rest == noted));
    is_name || is_usual(end, &noted)
}

/// Whether it does not matter which of some conductors is which at an end: all in one joint, all capped, or all as they
/// were.
fn is_alike(plan: &ConnectionPlan, node: CableEnd, cores: &[(usize, usize)]) -> bool {
    let part = |(cable, core): (usize, usize)| plan.parts[cable][core];
    let was = |(cable, core): (usize, usize)| plan.cables[cable].cores[core];
    let pin = |(cable, core): (usize, usize)| {
        let far = plan.cables[cable].to == node;
        Pin::End { cable, core, far }
    };
    let Some(first) = cores.first() else { return true };
    let joint = plan.net.joints.iter().find(|j| j.contains(&pin(*first)));
    let in_one = joint.is_some_and(|j| cores.iter().all(|c| j.contains(&pin(*c))));
    let capped = cores.iter().all(|c| part(*c).is_none());
    let as_it_was = cores.iter().all(|c| part(*c) == Carries::as_it_was(was(*c)));
    in_one || capped || as_it_was
}

/// Brings the two ends of a cable together by colour; whether every conductor has one of its own at both.
fn by_colour<'a>(
    cable: usize,
    (from, to): (CableEnd, CableEnd),
    cores: &[usize],
    of: &mut BTreeMap<CoreEnd, Listed<'a>>,
) -> bool {
    let colours = |of: &BTreeMap<CoreEnd, Listed<'a>>, end| -> Option<Vec<String>> {
        let colour = |core: &usize| {
            let noted = of.get(&(end, cable, *core))?.noted;
            let words = format!("{} {}", noted.colour.trim(), noted.marking.trim());
            let words = words.trim().to_lowercase();
            (!words.is_empty() && noted.count == 1).then_some(words)
        };
        cores.iter().map(colour).collect()
    };
    let (Some(one), Some(other)) = (colours(of, from), colours(of, to)) else { return false };
    let is_own = |all: &[String]| all.iter().enumerate().all(|(n, c)| !all[..n].contains(c));
    if !is_own(&one) || !is_own(&other) || !one.iter().all(|c| other.contains(c)) {
        return false;
    }
    let there: Vec<Listed<'a>> =
        cores.iter().filter_map(|core| of.remove(&(to, cable, *core))).collect();
    for (core, colour) in cores.iter().zip(&one) {
        if let Some(at) = other.iter().position(|c| c == colour) {
            of.insert((to, cable, *core), there[at].clone());
        }
    }
    true
}
