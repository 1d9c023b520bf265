//! Power: off, handed over, on for finding lines, found on where it was to be off, and on again.

use std::collections::BTreeSet;

use super::steps::{lacks_nothing, reasoned, refuse};
use crate::gate::facts::plain_name;
use crate::gate::rules::Lacks;
use crate::gate::{Deed, Gate, checks, deeds};
use crate::moment::Moment;
use crate::record::{FoundLive, Isolation, IsolationId, NextCut, Telling, What};
use crate::site::{DeviceId, Refusal, Wrong};

/// Whoever holds what is off, and nobody who is not of the job, may get it.
pub(super) fn handed_over(
    gate: &Gate<'_>,
    id: &IsolationId,
    by: &str,
    to: &str,
) -> Result<(), Refusal> {
    gate.record().held_by(id, by)?;
    let names = [("me", plain_name(by)), ("to", plain_name(to)), ("iso", id.to_string())];
    let named = names.map(|(name, is)| (name.to_owned(), is)).into();
    let deed = deeds::hand_over();
    refuse(&deed.lacks_by(gate.facts(), &named), "to")
}

/// What no reason overrules is told beside the isolation, before a reason is asked for.
fn nothing_hard(gate: &Gate<'_>, deed: &Deed, by: &str) -> Result<(), Refusal> {
    let hard = deed.lacks(gate.facts(), by).into_iter().filter(|need| !need.yields);
    refuse(&hard.collect::<Vec<_>>(), "isolation")
}

pub(super) fn energised(
    gate: &Gate<'_>,
    id: &IsolationId,
    by: &str,
    at: &Moment,
    why: &str,
) -> Result<Vec<Telling>, Refusal> {
    gate.record().held_by(id, by)?;
    let deed = deeds::energise(gate, id.as_str(), Some(id), &[]);
    nothing_hard(gate, &deed, by)?;
    let why = reasoned(gate.facts(), &deed, by, why)?;
    let what = What::Energised { isolation: id.clone(), why };
    Ok(vec![Telling::new(what, Some(by), Some(at))])
}

/// Power is let in for finding lines, once everything is as it has to be for that.
pub(super) fn finding(
    gate: &Gate<'_>,
    id: &IsolationId,
    ticked: &BTreeSet<String>,
    by: &str,
    at: &Moment,
    why: &str,
) -> Result<Vec<Telling>, Refusal> {
    gate.record().held_by(id, by)?;
    let deed = deeds::find(gate, id.as_str(), Some(id), &[]);
    nothing_hard(gate, &deed, by)?;
    let left: Vec<String> = checks::finding()
        .filter(|check| !ticked.contains(&check.word))
        .map(|check| Lacks::NotTicked { text: check.text }.to_string())
        .collect();
    if !left.is_empty() {
        return Err(Refusal::wrong("checks", Wrong::NotYet { missing: left.join("; ") }));
    }
    let why = reasoned(gate.facts(), &deed, by, why)?;
    let (isolation, checks) = (id.clone(), ticked.clone());
    Ok(vec![Telling::new(What::FindingBegun { isolation, checks, why }, Some(by), Some(at))])
}

/// Power goes off again after lines were found.
pub(super) fn finding_over(
    gate: &Gate<'_>,
    id: &IsolationId,
    by: &str,
    at: &Moment,
) -> Result<Vec<Telling>, Refusal> {
    let deed = deeds::find_over(gate, id.as_str(), Some(id), &[]);
    lacks_nothing(gate, &deed, "isolation", by)?;
    let what = What::FindingOver { isolation: id.clone() };
    Ok(vec![Telling::new(what, Some(by), Some(at))])
}

/// A box that was found live, with every isolation that should make it dead and does not.
pub(super) fn found_live(
    gate: &Gate<'_>,
    device: &DeviceId,
    by: &str,
) -> Result<FoundLive, Refusal> {
    lacks_nothing(gate, &deeds::found_live(device), "device", by)?;
    let is_of = |i: &&Isolation| {
        gate.facts().has(&format!("covers:{}:{device}", i.of.id))
            || i.live.contains_key(device)
            || i.boxes.get(device).is_some_and(|b| !b.is_safe)
    };
    let record = gate.record();
    // As it was called when its box was opened, where it is planned no longer.
    let opened = record.in_force().find_map(|i| Some(&i.boxes.get(device)?.of.name));
    let name = gate.site().devices.get(device).map(|d| &d.name).or(opened);
    Ok(FoundLive {
        isolations: record.in_force().filter(is_of).map(|i| i.of.id.clone()).collect(),
        device: device.clone(),
        name: name.cloned().unwrap_or_default(),
        found: String::new(),
        next: NextCut::default(),
        decides: String::new(),
    })
}
