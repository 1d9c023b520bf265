//! Boxes as they stand in the wall: several controls can share one. A conductor that feeds the devices of more than one of
//! them is a joint with a lead to each; what stays beside them keeps its own.

use std::collections::{BTreeMap, BTreeSet};

use super::boxes::{BoxPlan, NewLead, joint_of};
use super::{ControlWiring, WiringMethod};
use crate::site::{DeviceId, PointId, Site};

/// A terminal: whose, and its name.
type Terminal = (Option<DeviceId>, String);

/// What all controls come to in one box.
#[derive(Default)]
struct Whole {
    /// The terminals at which each conductor is wanted.
    terminals: BTreeMap<String, BTreeSet<Terminal>>,
    /// What each conductor is joined with.
    joins: BTreeMap<String, BTreeSet<String>>,
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
        for c in &plan.conductors {
            whole.terminals.entry(c.id.clone()).or_default().extend(c.terminals.iter().cloned());
            whole.joins.entry(c.id.clone()).or_default().extend(c.joins.iter().cloned());
        }
    }
    for control in all.iter_mut() {
        for plan in &mut control.boxes {
            if let Some(whole) = boxes.get(&lead(plan)) {
                rejoin(plan, whole);
            }
        }
        let beside: Vec<String> = control.boxes.iter().filter_map(|b| stays(site, b)).collect();
        if control.method != Some(WiringMethod::Chained) {
            control.open.extend(beside);
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
                let lead = NewLead {
                    carries: carried(&c.becomes),
                    from: joint_of(ends),
                    to: name.clone(),
                };
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

/// What stays in a box and is fed there too.
fn stays(site: &Site, plan: &BoxPlan) -> Option<String> {
    let point = site.points.get(&plan.point)?;
    let of = site.box_of(point).stays.iter().filter(|s| s.what.fills_a_gang());
    let of = of.filter(|s| s.gang == 0 || s.gang != point.gang);
    let names: Vec<String> = of
        .map(|s| match s.gang {
            0 => s.what.name().to_owned(),
            gang => format!("{} in gang {gang}", s.what.name()),
        })
        .collect();
    (!names.is_empty()).then(|| {
        format!(
            "In the box of {} stays: {}. What feeds it is in these joints too: its leads stay in them.",
            point.title(),
            names.join(", ")
        )
    })
}
