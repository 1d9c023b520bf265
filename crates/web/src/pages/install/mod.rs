//! The day: visits and what goes off when, each stretch of it move by move, a sheet for the electrician, a
//! calendar, and the guide when something does not work. Made for a phone.

pub(crate) mod calendar;
pub(crate) mod electrician;
pub(crate) mod fault;
mod moves;
pub(crate) mod offline;
pub(crate) mod overview;
mod power_moves;
pub(crate) mod stretch;
mod wiring_sheet;

use dot_reach_core::gate::Gate;
use dot_reach_core::install::clock::Minutes;
use dot_reach_core::install::schedule::{PlannedVisit, VisitKind};
use dot_reach_core::site::DeviceId;

/// What a visit is called.
pub(crate) fn visit_name(visit: &PlannedVisit) -> String {
    let number = visit.key.rsplit('-').next().unwrap_or_default();
    match visit.kind {
        VisitKind::Before => "Before the day".to_owned(),
        VisitKind::Day => format!("Day {number}"),
        VisitKind::Dry => format!("Dry slot {number}"),
    }
}

/// A time with its range, as people plan by it.
pub(crate) fn about(minutes: Minutes) -> String {
    let (low, high) = minutes.range();
    format!("{} to {}", lasting(low), lasting(high))
}

/// Minutes as hours where there are many, to five minutes.
pub(crate) fn lasting(minutes: f64) -> String {
    let whole = (minutes / 5.0).round() * 5.0;
    if whole < 100.0 {
        return format!("{:.0} min", whole.max(5.0));
    }
    let (hours, rest) = ((whole / 60.0).floor(), whole % 60.0);
    if rest < 1.0 { format!("{hours:.0} h") } else { format!("{hours:.0} h {rest:02.0}") }
}

/// What was done against a rule, what the plan says otherwise than a box that stands open, and what a step was not asked
/// when it was taken: of what, and why.
pub(crate) fn irregular(gate: &Gate<'_>) -> Vec<(String, String)> {
    let site = gate.site();
    let name =
        |id: &DeviceId| site.devices.get(id).map_or_else(|| id.to_string(), |d| d.name.clone());
    let overruled = gate.overruled().into_iter().map(|(device, step, why)| {
        (name(&device), format!("“{}” against the rule: {why}", step.name()))
    });
    let changed = gate.changed_since_opened().into_iter();
    let changed = changed.map(|(device, what)| (name(&device), what));
    let asked = gate.asked_since().into_iter().map(|(device, step, text)| {
        (name(&device), format!("“{}” was said before this was asked: {text}", step.name()))
    });
    overruled.chain(changed).chain(asked).collect()
}
