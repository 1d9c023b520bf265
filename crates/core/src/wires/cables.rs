//! The cables of a control, from end to end: what each conductor is, whether that was found in a box or follows from the
//! layout, and by whom.

use super::boxes::ConductorPlan;
use super::layout::{Cable, CableEnd};
use super::matching::{Listed, Matched};
use super::name_of;
use super::plan::ConnectionPlan;
use super::possible::Possible;
use super::standing::Arrangement;
use crate::site::{Function, Gauge, PointId, Provenance, Site};

/// One end of a cable.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CableEndAt {
    /// Its name: a place, the panel, the fitting.
    pub name: String,
    /// The place, where it is one of the job.
    pub point: Option<PointId>,
}

/// A conductor of a cable.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CableCore {
    /// What it was.
    pub was: Function,
    /// What it carries from now on, in words.
    pub becomes: String,
    /// The breaker that really feeds its circuit; empty where that is not known.
    pub circuit: String,
    /// Its size; nothing where nobody listed it.
    pub size: Option<Gauge>,
    /// Its colour as noted; empty where nobody listed it.
    pub colour: String,
    /// Its id in the box of either end; nothing where it was not listed there.
    pub ids: [Option<String>; 2],
    /// Who found it and how, by the box where it was listed; empty where it follows from the layout alone.
    pub found: String,
}

/// A cable with its conductors, earth left out.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CableRun {
    /// The end nearer to the feed.
    pub from: CableEndAt,
    /// The other end.
    pub to: CableEndAt,
    /// Its conductors.
    pub cores: Vec<CableCore>,
}

/// The cables of a plan.
pub(super) fn runs(
    site: &Site,
    standing: &Arrangement<'_>,
    possible: &Possible,
    plan: &ConnectionPlan,
    matched: &Matched<'_>,
) -> Vec<CableRun> {
    let end = |node: CableEnd| CableEndAt {
        name: name_of(site, standing, possible, node),
        point: match node {
            CableEnd::Place(place) => possible.order.get(place).cloned(),
            CableEnd::Fitting => standing.fitting.map(|p| p.id.clone()),
            CableEnd::Panel | CableEnd::Onward(_) => None,
        },
    };
    let core = |number: usize, of: &Cable, core: usize, was: Function| {
        let ends = [of.from, of.to];
        let listed = ends.map(|node| matched.of.get(&(node, number, core)));
        let there = ends.into_iter().zip(listed);
        let seen = there.clone().find_map(|(node, l)| Some((end(node).point?, l?)));
        let point = ends.into_iter().find_map(|node| site.points.get(&end(node).point?));
        let noted = seen.as_ref().map(|(_, l)| l.noted);
        let of_plan = point
            .map(|p| ConductorPlan::of(site, p, String::new(), was, noted).circuit)
            .unwrap_or_default();
        CableCore {
            was,
            becomes: plan.parts[number][core].map_or("capped", |part| part.name()).to_owned(),
            circuit: of_plan,
            size: noted.map(|n| n.size),
            colour: noted.map(|n| n.colour.clone()).unwrap_or_default(),
            ids: listed.map(|l| l.map(|l| l.id.clone())),
            found: seen.map(|(at, l)| found(site, &at, l)).unwrap_or_default(),
        }
    };
    let run = |(number, of): (usize, &Cable)| CableRun {
        from: end(of.from),
        to: end(of.to),
        cores: of.cores.iter().enumerate().map(|(n, was)| core(number, of, n, *was)).collect(),
    };
    plan.cables.iter().enumerate().map(run).collect()
}

/// Who found a conductor, and how: by the tester where it was probed, else as the conductors of its box are known.
fn found(site: &Site, at: &PointId, listed: &Listed<'_>) -> String {
    let by = listed.noted.probe.by.trim();
    if !by.is_empty() {
        return format!("tested by {by}");
    }
    let Some(lead) = site.points.get(at).map(|p| site.box_of(p)) else { return String::new() };
    let how = lead.how("conductors");
    let words = Provenance::ALL.iter().find(|(of, _)| *of == how).map_or("", |(_, words)| words);
    let by = lead.facts.get("conductors").map(|fact| fact.by.trim()).unwrap_or_default();
    match (by, how) {
        ("", Provenance::Default) => "listed, by nobody named".to_owned(),
        ("", _) => format!("listed, {words}"),
        _ => format!("listed by {by}, {words}"),
    }
}
