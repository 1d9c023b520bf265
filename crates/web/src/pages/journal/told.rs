//! Entries of the record in the words of the day.

use dot_reach_core::gate::checks::checks;
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::record::{Entry, Isolated, IsolationId, OpenTimeId, Record, Step, What};
use dot_reach_core::rules::in_a_sentence;
use dot_reach_core::site::{DeviceId, NetworkId, Site};
use dot_reach_core::units::Dbm;

use super::{Asked, capital};
use crate::pages::house_time::day;
use crate::pages::money;
use dot_reach_core::units::count_of;

/// An entry as a line of the journal.
pub(super) struct Told {
    pub(super) place: usize,
    pub(super) at: String,
    pub(super) by: String,
    pub(super) what: String,
    /// By what it is struck, where it may be.
    pub(super) strikes: Option<String>,
    /// Why it does not count any longer.
    pub(super) struck: Option<String>,
}

impl Told {
    /// Whether it is one of those that are looked for.
    pub(super) fn is_of(&self, asked: &Asked) -> bool {
        let holds =
            |text: &str, part: &str| text.to_lowercase().contains(&part.trim().to_lowercase());
        holds(&self.by, &asked.who)
            && self.at.starts_with(asked.on.trim())
            && holds(&self.what, &asked.of)
    }
}

/// The newest entries first, from one place down.
pub(super) fn lines(record: &Record, site: &Site, below: usize, most: usize) -> Vec<Told> {
    let last = below.min(record.len());
    let first = last.saturating_sub(most);
    let names = Names { record, site };
    let words = |what: &What| names.day(what).or_else(|| names.proof(what)).unwrap_or_default();
    let all: Vec<&Entry> = record.entries_from(first).take(last - first).collect();
    let line = |(n, entry): (usize, &&Entry)| Told {
        place: first + n + 1,
        at: day(&entry.said),
        by: entry.by.clone(),
        what: capital(&words(&entry.what)),
        strikes: record.may_strike(&entry.id).ok().map(|()| entry.id.to_string()),
        struck: record.struck_by(&entry.id).map(|by| match &by.what {
            What::Struck { why, .. } => why.clone(),
            _ => by.by.clone(),
        }),
    };
    all.iter().enumerate().map(line).rev().collect()
}

/// What an isolation has off, as people call it.
fn off(of: &Isolated) -> String {
    if of.means.is_main() {
        return "the main switch".to_owned();
    }
    let word = if of.circuits.len() == 1 { "breaker" } else { "breakers" };
    format!("{word} {}", of.circuits.join(", "))
}

fn because(why: &str) -> String {
    if why.is_empty() { String::new() } else { format!(", because: {why}") }
}

/// The names of what an entry speaks of.
struct Names<'a> {
    record: &'a Record,
    site: &'a Site,
}

impl Names<'_> {
    fn device(&self, id: &DeviceId) -> String {
        self.site.devices.get(id).map_or_else(|| format!("{id}, removed since"), |d| d.name.clone())
    }

    fn network(&self, id: &NetworkId) -> String {
        self.site
            .networks
            .get(id)
            .map_or_else(|| format!("{id}, removed since"), |n| n.name.clone())
    }

    fn off(&self, id: &IsolationId) -> String {
        self.record.isolations.get(id).map_or_else(|| id.to_string(), |i| off(&i.of))
    }

    fn opened(&self, id: &OpenTimeId) -> String {
        self.record.open_times.get(id).map_or_else(|| id.to_string(), |o| self.network(&o.network))
    }

    fn check(&self, device: &DeviceId, step: Step, word: &str) -> String {
        let spot = WorkedDevice::of(self.site, device);
        let known = spot.and_then(|s| checks(&s, step).into_iter().find(|c| c.word == word));
        known.map_or_else(|| word.replace('-', " "), |c| c.text)
    }

    fn day(&self, what: &What) -> Option<String> {
        Some(match what {
            What::Isolated(of) => format!("switched off {}{}", off(of), because(&of.why)),
            What::TesterShown { isolation, after } => {
                let when = if *after { "after" } else { "before" };
                format!("showed that the tester works, {when} the tests on {}", self.off(isolation))
            }
            What::HandedOver { isolation, to } => {
                format!("handed {} over to {to}", self.off(isolation))
            }
            What::Energised { isolation, why } => {
                format!("switched on {}{}", self.off(isolation), because(why))
            }
            What::FindingBegun { isolation, why, .. } => {
                let because =
                    if why.is_empty() { String::new() } else { format!(", because {why}") };
                format!("Power on for finding lines under {}{because}", self.off(isolation))
            }
            What::FindingOver { isolation } => {
                format!("Power off again after finding lines under {}", self.off(isolation))
            }
            What::FoundLive(of) => format!(
                "{}: found live with {} off: {}; {}{}",
                of.name,
                of.isolations.iter().map(|i| self.off(i)).collect::<Vec<_>>().join(" and "),
                of.found,
                of.next.name(),
                if of.decides.is_empty() {
                    String::new()
                } else {
                    format!(", {} decides", of.decides)
                }
            ),
            What::Ticked { device, step, check, on } => {
                let done = if *on { "ticked" } else { "took the tick away from" };
                format!("{}: {done} “{}”", self.device(device), self.check(device, *step, check))
            }
            What::Stepped(of) => {
                format!("{}: {}{}", self.device(&of.device), of.step.name(), because(&of.why))
            }
            What::TakenBack { device, step } => {
                format!("{}: took back {}", self.device(device), step.name())
            }
            What::Unsettled { trigger, devices, .. } => {
                let tests = count_of(devices.len(), "device is", "devices are");
                format!("{}: {tests} to be tested again", trigger.replace('-', " "))
            }
            What::CodeKept(code) => format!("kept the code of {}", self.device(&code.device)),
            What::NetworkOpened(open) => {
                format!("opened {} for joining", self.network(&open.network))
            }
            What::NetworkClosed { open, why } if why.is_empty() => {
                format!("closed {}", self.opened(open))
            }
            What::NetworkClosed { open, why } => {
                format!("closed {} with something missing, because {why}", self.opened(open))
            }
            What::RoutesRebuilt { open } => format!("rebuilt the routes of {}", self.opened(open)),
            What::Joined(of) => format!("joined {}", self.device(&of.device)),
            What::Tied(of) => {
                let master = of.master.as_ref().map(|m| self.device(m)).unwrap_or_default();
                format!("tied {} to {master}", self.device(&of.device))
            }
            What::WiredIn(of) => format!("noted how {} is wired in", self.device(&of.device)),
            _ => return None,
        })
    }

    /// What was measured, met, agreed or corrected.
    fn proof(&self, what: &What) -> Option<String> {
        Some(match what {
            What::Read(of) => {
                let level = |l: Dbm| format!(", {}\u{a0}dBm", l.get().round()).replace('-', "−");
                let level = of.rssi_dbm.map(level).unwrap_or_default();
                format!("read {} from {}{level}", self.device(&of.to), self.device(&of.from))
            }
            What::Pressed(of) => {
                let device = self.device(&of.device);
                format!("tested {device}: {} of {} arrived", of.arrived, of.count)
            }
            What::Reported(of) => {
                let node = of.device.as_ref().map(|d| self.device(d));
                format!("a hub told of {}", node.unwrap_or_else(|| "a node".to_owned()))
            }
            What::Met(of) => {
                let place = of.device.as_ref().map(|d| format!(" at {}", self.device(d)));
                let symptom = of.symptom.replace('-', " ");
                format!("met a fault{}: {symptom}", place.unwrap_or_default())
            }
            What::CameBack(of) => format!("{} is back after router {}", of.name, of.round),
            What::NamesFound(of) => {
                let site = self.site;
                let platform = site.platforms.named(&of.of).map(|p| p.name.as_str());
                let network = || site.networks.named(&of.of).map(|n| n.name.as_str());
                let name = platform.or_else(network).unwrap_or("a platform removed since");
                format!(
                    "looked at the names in {name}: {}",
                    count_of(of.rows.len(), "entry", "entries")
                )
            }
            What::RuleTried(of) => {
                let sentence = in_a_sentence(self.site, &of.rule);
                if of.was_run() {
                    let moved = count_of(of.moved.len(), "thing", "things");
                    let verdict = if of.is_as_meant() { "as meant" } else { "not as meant" };
                    format!("ran by hand: {sentence} {moved} moved, {verdict}")
                } else {
                    format!("{} read back: {sentence}", of.read_by)
                }
            }
            What::RoomsAgreed(of) => {
                format!("{} agreed to {}", of.name, count_of(of.rooms.len(), "room", "rooms"))
            }
            What::Agreed(_) => "agreed what counts as accepted".to_owned(),
            What::LinkFollowed { name, role } => format!("{name} followed the link for the {role}"),
            What::Cured { device, what } => format!("{}: {what}", self.device(device)),
            What::GaveOut(of) => {
                let hung = match of.hung.len() {
                    0 => String::new(),
                    n => format!(
                        "; {} to be tested again",
                        count_of(n, "device that hung on it is", "devices that hung on it are")
                    ),
                };
                let name = self.device(&of.device);
                format!("{name}: the unit gave out, another takes its place ({}){hung}", of.why)
            }
            What::Stage(of) => format!("kept the plan {}", of.stage.words()),
            What::OfferSigned(of) => {
                let devices = count_of(of.devices as usize, "device", "devices");
                format!(
                    "{} signed the offer: {devices}, {}",
                    of.name,
                    money(of.total, 2, &of.currency)
                )
            }
            What::Signed(of) => {
                let (passed, failed, left) = (of.passed, of.failed, of.untested);
                format!("{} signed: {passed} passed, {failed} failed, {left} not tested", of.name)
            }
            What::Struck { of, why } => {
                let place = self.record.place_of(of).map(|place| format!(" {}", place + 1));
                format!("struck entry{}: {why}", place.unwrap_or_default())
            }
            _ => return None,
        })
    }
}
