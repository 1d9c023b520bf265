//! Boxes as they stand in the wall: several controls can share one. A conductor that feeds the devices of more than one of
//! them is a joint with a lead to each; what stays beside them keeps its own.

use std::collections::{BTreeMap, BTreeSet};

use super::boxes::{BoxPlan, NewLead, joint_of};
use super::{ControlWiring, WiringMethod};
use crate::site::neutrals::really;
use crate::site::{DeviceId, Point, PointId, PointKind, Site};

/// A terminal: whose, and its name.
type Terminal = (Option<DeviceId>, String);

/// What all controls come to in one box.
#[derive(Default)]
struct Whole {
    /// The terminals at which each conductor is wanted.
    terminals: BTreeMap<String, BTreeSet<Terminal>>,
    /// What each conductor is joined with.
    joins: BTreeMap<String, BTreeSet<String>>,
    /// How many plans there are of it.
    plans: usize,
}

/// Brings the plans of controls together, box by box.
pub(super) fn merge(site: &Site, all: &mut [ControlWiring]) {
    let mut boxes: BTreeMap<PointId, Whole> = BTreeMap::new();
    let lead = |plan: &BoxPlan| {
        site.points
            .get(&plan.point)
            .map_or_else(|| plan.point.clone(), |p| site.box_of(p).id.clone())
    };
    for plan in all.iter().flat_map(|control| &control.boxes) {
        let whole = boxes.entry(lead(plan)).or_default();
        whole.plans += 1;
        for c in &plan.conductors {
            whole.terminals.entry(c.id.clone()).or_default().extend(c.terminals.iter().cloned());
            whole.joins.entry(c.id.clone()).or_default().extend(c.joins.iter().cloned());
        }
    }
    for control in all.iter_mut() {
        // One that nobody listed can be of either control: none is joined before it is.
        let is_shared = |plan: &&BoxPlan| {
            boxes.get(&lead(plan)).is_some_and(|whole| whole.plans > 1)
                || !beside(site, plan).is_empty()
        };
        let is_unlisted = |plan: &&BoxPlan| plan.conductors.iter().any(|c| !c.is_surveyed);
        let unlisted: Vec<String> = control
            .boxes
            .iter()
            .filter(|plan| is_shared(plan) && is_unlisted(plan))
            .filter_map(|plan| Some(site.points.get(&plan.point)?.title()))
            .collect();
        if !unlisted.is_empty() {
            control.boxes.clear();
            control.cables.clear();
            control.works.clear();
            control.open.extend(unlisted.into_iter().map(|title| {
                format!(
                    "Several things share the box of {title}: list every conductor in it, and of which gang each is, before \
                     any is joined."
                )
            }));
            continue;
        }
        for plan in &mut control.boxes {
            if let Some(whole) = boxes.get(&lead(plan)) {
                rejoin(plan, whole);
            }
        }
        let kept: Vec<String> = control.boxes.iter().filter_map(|b| stays(site, b)).collect();
        if control.method != Some(WiringMethod::Chained) {
            control.open.extend(kept);
        }
    }
}

/// The joints of a box as all controls make them, and the leads to the terminals of its own devices.
fn rejoin(plan: &mut BoxPlan, whole: &Whole) {
    let mut wanted: Vec<NewLead> = Vec::new();
    let mut direct: BTreeSet<String> = BTreeSet::new();
    for c in &mut plan.conductors {
        let joins = whole.joins.get(&c.id).into_iter().flatten();
        for other in joins.filter(|id| **id != c.id) {
            if !c.joins.contains(other) {
                c.joins.push(other.clone());
            }
        }
        let members = std::iter::once(&c.id).chain(&c.joins);
        let terminals: BTreeSet<&Terminal> =
            members.filter_map(|id| whole.terminals.get(id)).flatten().collect();
        let ends = 1 + c.joins.len();
        for (_, name) in &c.terminals {
            if ends > 1 || terminals.len() > 1 {
                let lead = NewLead::new(carried(&c.becomes), joint_of(ends), name.clone());
                if !wanted.iter().any(|l| l.to == lead.to) {
                    wanted.push(lead);
                }
            } else {
                direct.insert(name.clone());
            }
        }
    }
    // What leads from thing to thing stays.
    plan.leads.retain(|l| !direct.contains(&l.to) && !wanted.iter().any(|w| w.to == l.to));
    wanted.append(&mut plan.leads);
    plan.leads = wanted;
}

/// The word of what a conductor carries, for its lead.
fn carried(becomes: &str) -> &'static str {
    let words = ["line", "neutral", "load", "signal", "traveller", "earth"];
    words.into_iter().find(|w| *w == becomes).unwrap_or("")
}

/// What is in a box and stays as it is: what was noted so, and what is at places where nothing is planned, unless another
/// breaker is known to feed it.
fn beside(site: &Site, plan: &BoxPlan) -> Vec<String> {
    let Some(point) = site.points.get(&plan.point) else { return Vec::new() };
    let lead = site.box_of(point);
    let of = lead.stays.iter().filter(|s| s.what.fills_a_gang());
    let of = of.filter(|s| s.gang == 0 || s.gang != point.gang);
    let noted = of.map(|s| match s.gang {
        0 => s.what.name().to_owned(),
        gang => format!("{} in gang {gang}", s.what.name()),
    });
    let own = really(site, &point.circuit);
    let may_be_same = |p: &Point| {
        let other = really(site, &p.circuit);
        other == own || other.is_empty() || own.is_empty()
    };
    let is_left = |p: &&Point| {
        p.id != point.id
            && may_be_same(p)
            && site.box_of(p).id == lead.id
            && matches!(p.kind, PointKind::Switch | PointKind::Socket)
            && site.devices_at(&p.id).is_empty()
    };
    let left = site.points.iter().filter(is_left).map(|p| format!("what is at {}", p.title()));
    noted.chain(left).collect()
}

/// What stays in a box and is fed there too, in a sentence.
fn stays(site: &Site, plan: &BoxPlan) -> Option<String> {
    let names = beside(site, plan);
    let title = site.points.get(&plan.point)?.title();
    (!names.is_empty()).then(|| {
        format!(
            "In the box of {title} stays: {}. What feeds it is in these joints too: its leads stay in them.",
            names.join(", ")
        )
    })
}
