//! What was done on the days, for reports: what was switched off by whom, how each device was wired and joined,
//! what was done against a rule and why, entries that no device stands behind. Codes stay out.

use crate::gate::Gate;
use crate::gate::work::WorkedDevice;
use crate::moment::HouseClock;
use crate::record::{Done, Isolation, JoinedAt, Method, Secured, Step};
use crate::site::{DeviceId, Site};

/// The record of a device.
#[derive(Clone, Debug, PartialEq)]
pub struct OfDevice {
    /// The device.
    pub device: DeviceId,
    /// The steps that hold, with by whom and when.
    pub steps: Vec<(Step, String, String)>,
    /// The diagram that was followed, and how it is put back.
    pub wiring: Option<(String, String)>,
    /// How it was joined: number, method, whether elsewhere than in its place.
    pub joining: Option<(Option<u32>, Method, bool)>,
}

/// The record of every device of which anything was done.
pub fn devices(gate: &Gate<'_>) -> Vec<OfDevice> {
    let (site, record) = (gate.site(), gate.record());
    let of = |spot: WorkedDevice<'_>| {
        let id = &spot.device.id;
        let steps = spot.steps().into_iter().filter(|s| gate.holds(id, *s)).map(|step| {
            let done = gate.record().done(id, step);
            let told = |text: fn(&Done) -> &str| done.map_or("", text).to_owned();
            (step, told(|d| &d.by), told(|d| &d.at))
        });
        let steps: Vec<_> = steps.collect();
        let wiring = record.wiring_records.iter().find(|r| r.device == *id);
        let last = record.joined(id);
        (!steps.is_empty()).then(|| OfDevice {
            device: id.clone(),
            wiring: wiring.map(|r| (r.diagram.clone(), r.put_back.clone())),
            joining: last.map(|j| (j.node, j.method, j.joined == JoinedAt::Elsewhere)),
            steps,
        })
    };
    site.devices.iter().filter_map(|d| WorkedDevice::of(site, &d.id)).filter_map(of).collect()
}

/// An isolation in a sentence, with its times by the clock of the house.
pub fn isolation(of: &Isolation, clock: &HouseClock) -> String {
    let circuits = of.circuits.join(", ");
    let what = match (of.means.is_main(), circuits.is_empty()) {
        (true, true) => of.means.name().to_owned(),
        (true, false) => format!("{}, for circuits {circuits}", of.means.name()),
        (false, _) => format!("{} of {circuits}", of.means.name()),
    };
    let really = match of.verified.trim() {
        "" => String::new(),
        found => format!(" (found: {found})"),
    };
    let secured = Secured::ALL.iter().find(|(s, _)| *s == of.secured).map_or("", |(_, w)| w);
    let tester = match (&of.proven_before, &of.proven_after) {
        (Some(_), Some(_)) => "shown to work before and after",
        (Some(_), None) => "shown to work before",
        _ => "not shown to work",
    };
    let handed: Vec<&str> = of.handed.iter().map(|h| h.to.as_str()).collect();
    let handed = if handed.is_empty() {
        String::new()
    } else {
        format!(", handed over to {}", handed.join(", then to "))
    };
    let on = match &of.energised {
        Some(on) => {
            format!("on again by {}, {}{}", on.by, clock.says(&on.at), because(&on.why))
        }
        None => "still off".to_owned(),
    };
    let found = of.findings.iter().map(|f| {
        let over = f.over.as_ref().map_or_else(
            || "still on".to_owned(),
            |o| format!("off again by {}, {}", o.to, clock.says(&o.at)),
        );
        format!("; on for finding lines by {}, {}, {over}", f.by, clock.says(&f.at))
    });
    let found: String = found.collect();
    let live = of.live.values().map(|live| {
        let decides = match live.decides.as_str() {
            "" => String::new(),
            who => format!(", {who} decided"),
        };
        format!(
            "; {} was live all the same: {}; {}{decides}",
            live.name,
            live.found,
            live.next.name()
        )
    });
    format!(
        "{what}{really} off by {}, {}{}{handed}; {secured}; tester {}, {tester}; told: {}{found}{}; {on}",
        of.by,
        clock.says(&of.at),
        because(&of.why),
        of.tester,
        of.told,
        live.collect::<String>()
    )
}

fn because(why: &str) -> String {
    if why.trim().is_empty() { String::new() } else { format!(", because {why}") }
}

/// Entries of a hub's list that no device stands behind any longer: what was replaced without being excluded
/// first. They are removed as failed.
pub fn ghosts(gate: &Gate<'_>) -> Vec<(DeviceId, String)> {
    let site: &Site = gate.site();
    let is_ghost = |spot: &WorkedDevice<'_>| {
        let id = &spot.device.id;
        let disconnected = [Step::Dead, Step::Placed, Step::Joined];
        // That a unit gave out is said by the record, whatever is undone in the plan.
        (spot.takes(Step::Excluded) || gate.record().gave_out(id).is_some())
            && !gate.holds(id, Step::Excluded)
            && disconnected.into_iter().any(|step| gate.holds(id, step))
    };
    let spots = site.devices.iter().filter_map(|d| WorkedDevice::of(site, &d.id)).filter(is_ghost);
    let called = |s: &WorkedDevice<'_>| match (
        s.device.replaces.trim(),
        gate.record().gave_out(&s.device.id),
    ) {
        ("", Some(of)) => {
            let node = of.node.map(|n| format!(", node {n}")).unwrap_or_default();
            format!("the dead {}{node}", s.device.name)
        }
        (replaces, _) => replaces.to_owned(),
    };
    spots.map(|s| (s.device.id.clone(), called(&s))).collect()
}
