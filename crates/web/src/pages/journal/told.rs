//! Entries of the record in the words of the day.

use dot_reach_core::record::{Entry, Record, What};
use dot_reach_core::site::{DeviceId, Site};

use super::capital;
use crate::pages::jobs::day;
use crate::pages::reach::details::plural;

/// An entry as a line of the journal.
pub(super) struct Told {
    pub(super) place: usize,
    pub(super) at: String,
    pub(super) by: String,
    pub(super) what: String,
    /// Why it does not count any longer.
    pub(super) struck: Option<String>,
}

/// The newest entries first, from one place down.
pub(super) fn lines(record: &Record, site: &Site, below: usize, most: usize) -> Vec<Told> {
    let last = below.min(record.len());
    let first = last.saturating_sub(most);
    let all: Vec<&Entry> = record.entries_from(first).take(last - first).collect();
    let line = |(n, entry): (usize, &&Entry)| Told {
        place: first + n + 1,
        at: day(&entry.said),
        by: entry.by.clone(),
        what: capital(&words(&entry.what, site)),
        struck: record.struck_by(&entry.id).map(|by| match &by.what {
            What::Struck { why, .. } => why.clone(),
            _ => by.by.clone(),
        }),
    };
    all.iter().enumerate().map(line).rev().collect()
}

fn words(what: &What, site: &Site) -> String {
    let device = |id: &DeviceId| {
        site.devices.iter().find(|d| d.id == *id).map_or_else(|| id.to_string(), |d| d.name.clone())
    };
    let because =
        |why: &str| if why.is_empty() { String::new() } else { format!(", because: {why}") };
    match what {
        What::Isolated(of) => {
            let circuits = of.circuits.join(", ");
            let off = if of.means.is_main() {
                "the main switch".to_owned()
            } else {
                format!("breaker {circuits}")
            };
            format!("switched off {off}, {}{}", of.id, because(&of.why))
        }
        What::TesterShown { isolation, after } => {
            let when = if *after { "after" } else { "before" };
            format!("showed that the tester works, {when} the tests under {isolation}")
        }
        What::HandedOver { isolation, to } => format!("handed {isolation} over to {to}"),
        What::Energised { isolation, why } => {
            format!("switched on what {isolation} had off{}", because(why))
        }
        What::Ticked { device: of, step, check, on } => {
            let done = if *on { "looked at" } else { "took back the tick at" };
            format!("{done} {check} of {} in {}", device(of), step.name())
        }
        What::Stepped(of) => {
            format!("{}: {}{}", device(&of.device), of.step.name(), because(&of.why))
        }
        What::TakenBack { device: of, step } => {
            format!("{}: took back {}", device(of), step.name())
        }
        What::Unsettled { trigger, devices, .. } => {
            let tests = plural(devices.len(), "device is", "devices are");
            format!("{}: {tests} to be tested again", trigger.replace('-', " "))
        }
        What::CodeKept(code) => format!("kept the code of {}", device(&code.device)),
        What::NetworkOpened(open) => format!("opened {}", open.network),
        What::NetworkClosed { open } => format!("closed the network, {open}"),
        What::RoutesRebuilt { open } => format!("had routes rebuilt, {open}"),
        What::Joined(of) => format!("joined {}", device(&of.device)),
        What::Tied(of) => {
            let master = of.master.as_ref().map(device).unwrap_or_default();
            format!("tied {} to {master}", device(&of.device))
        }
        What::WiredIn(of) => format!("noted how {} is wired in", device(&of.device)),
        What::Read(of) => {
            let level = of
                .rssi_dbm
                .map(|l| format!(", {}\u{a0}dBm", l.get().round()).replace('-', "−"))
                .unwrap_or_default();
            format!("read {} from {}{level}", device(&of.to), device(&of.from))
        }
        What::Pressed(of) => {
            format!("tested {}: {} of {} arrived", device(&of.device), of.arrived, of.count)
        }
        What::Reported(of) => {
            format!(
                "a hub told of {}",
                of.device.as_ref().map_or_else(|| "a node".to_owned(), device)
            )
        }
        What::Met(of) => {
            let place =
                of.device.as_ref().map(|d| format!(" at {}", device(d))).unwrap_or_default();
            format!("met a fault{place}: {}", of.symptom.replace('-', " "))
        }
        What::Agreed(_) => "agreed what counts as accepted".to_owned(),
        What::Cured { device: of, what } => format!("{}: {what}", device(of)),
        What::Stage(of) => format!("kept the plan {}", of.stage.words()),
        What::Signed(of) => format!(
            "{} signed: {} passed, {} failed, {} not tested",
            of.name, of.passed, of.failed, of.untested
        ),
        What::Struck { of, why } => format!("struck entry {of}: {why}"),
    }
}
