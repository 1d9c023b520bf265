//! What a press is worth: which way it goes, how long it takes, how surely it arrives, and what is left of it.

use std::collections::{BTreeMap, BTreeSet};

use crate::analysis::Analysis;
use crate::control::{Checked, Outage, check, is_companion, works_in};
use crate::network::Band;
use crate::site::{Control, DeviceId, RunsIn};
use crate::units::Db;

/// What all that one press tells is worth together.
#[derive(Clone, Debug, PartialEq)]
pub struct PressWorth {
    /// Which way it goes.
    pub runs: RunsIn,
    /// How good the direct hop is, where it is one hop to one load.
    pub hop: Option<(Band, Db)>,
    /// Until the last has it, in milliseconds; nothing where one cannot.
    pub delay_ms: Option<f64>,
    /// The chance that all of them have it.
    pub success: f64,
    /// The first that is wrong, if anything.
    pub wrong: Option<String>,
    /// In which of [`Outage::ALL`] all of them still work.
    pub works: [bool; 5],
    /// The breakers that end one of them.
    pub ends_with: Vec<String>,
}

/// For each breaker of a house the devices that are lost with it.
pub type LostWith = BTreeMap<String, BTreeSet<DeviceId>>;

/// The devices that are lost with each breaker, over all networks.
pub fn lost_with(analysis: &Analysis) -> LostWith {
    let labels = analysis.site.points.iter().map(|p| p.circuit.as_str());
    let labels: BTreeSet<&str> = labels.filter(|label| !label.is_empty()).collect();
    let lost = |label: &str| {
        analysis
            .lost_with_breaker(label)
            .into_iter()
            .map(|outcome| outcome.device.clone())
            .collect()
    };
    labels.into_iter().map(|label| (label.to_owned(), lost(label))).collect()
}

/// What the controls of one press are worth together, each with what was checked of it; nothing of none.
pub fn press_worth(
    analysis: &Analysis,
    controls: &[(Control<'_>, Checked)],
    lost: &LostWith,
) -> Option<PressWorth> {
    let (first, checked) = controls.first()?;
    let delays: Option<Vec<f64>> = controls.iter().map(|(_, checked)| checked.delay_ms).collect();
    let ends =
        |label: &str| controls.iter().any(|(control, _)| ends_with(analysis, control, label, lost));
    Some(PressWorth {
        runs: first.runs,
        hop: checked.direct.filter(|_| controls.len() == 1),
        delay_ms: delays.map(|delays| delays.into_iter().fold(0.0, f64::max)),
        success: controls.iter().map(|(_, checked)| checked.success).product(),
        wrong: controls.iter().find_map(|(_, checked)| checked.wrong.clone()),
        works: Outage::ALL
            .map(|(outage, _)| controls.iter().all(|(c, _)| works_in(analysis, c, outage))),
        ends_with: lost.keys().filter(|label| ends(label)).cloned().collect(),
    })
}

/// Whether a control that works ends with a breaker: what feeds either end, and by a hub whatever either is reached over.
pub fn ends_with(analysis: &Analysis, control: &Control<'_>, label: &str, lost: &LostWith) -> bool {
    if check(analysis, control).success <= 0.0 {
        return false;
    }
    let is_fed = |id: &DeviceId| {
        analysis.find(id).is_some_and(|(network, place)| network.nodes[place].circuit == label)
    };
    let by_wire = analysis
        .site
        .devices
        .get(control.controller)
        .is_some_and(|d| is_companion(&analysis.site, d));
    let (controller, load) = (control.controller, control.load);
    match control.runs {
        _ if by_wire => is_fed(load),
        RunsIn::Direct => is_fed(load) || is_fed(controller),
        _ => lost.get(label).is_some_and(|lost| lost.contains(load) || lost.contains(controller)),
    }
}

/// What each control of a controller is, checked.
pub fn checked_by<'a>(
    analysis: &'a Analysis,
    controller: &'a DeviceId,
) -> Vec<(Control<'a>, Checked)> {
    let all = analysis.site.controls_by(controller);
    all.map(|control| (control, check(analysis, &control))).collect()
}
