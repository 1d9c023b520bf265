//! The gate: which act may be done now, and what the others lack. It folds what the record says ([`Facts`]) and
//! asks it by rows (`rules.rs`); what every act needs and gives stands in [`deeds`], what it comes to on the
//! record in [`acts`]. The plan says which steps a device takes; it opens nothing that the record keeps shut.

pub mod acts;
pub mod checks;
pub mod deeds;
pub mod facts;
mod fixing;
pub mod isolate;
pub mod range_test;
pub mod retest;
mod rules;
pub mod settings;
pub mod work;

use std::collections::BTreeSet;

pub use facts::{Deed, Facts, Need};
pub use rules::{Lacks, Missing};

use crate::fit::{self, Fits};
use crate::moment::Moment;
use crate::record::{
    Entry, Isolation, IsolationId, JoinedAt, Mark, OpenTime, Record, Step, Stepped, What,
};
use crate::site::{DeviceId, NetworkId, Site};
use facts::plain_name;
use work::{WorkKind, WorkedDevice, circuits_of_all};

/// How far a step of a device is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Stand {
    /// Not done.
    Open,
    /// Done.
    Done,
    /// Done against a rule, for a reason.
    Overruled,
}

/// What may be done now in a job.
#[derive(Debug)]
pub struct Gate<'a> {
    site: &'a Site,
    record: &'a Record,
    facts: Facts,
}

/// Folds a record, and says by it what may be done.
pub fn gate<'a>(record: &'a Record, site: &'a Site) -> Gate<'a> {
    Gate { site, record, facts: folded(record, site) }
}

/// What a record and a plan come to as facts.
fn folded(record: &Record, site: &Site) -> Facts {
    let mut facts = Facts::default();
    for person in &site.people {
        let name = plain_name(&person.name);
        if person.may_mains {
            facts.add(format!("may:{name}"));
        }
        facts.add(format!("known:{name}"));
    }
    let all: Vec<(WorkedDevice<'_>, Vec<String>)> =
        if record.in_force().next().is_some() { circuits_of_all(site) } else { Vec::new() };
    for of in record.isolations.iter() {
        let id = &of.of.id;
        if !of.is_in_force() {
            facts.add(format!("on:{id}"));
            continue;
        }
        facts.add(format!("off:{id}"));
        facts.add(format!("holder:{id}:{}", plain_name(of.holder())));
        if of.proven_before.is_some() {
            facts.add(format!("tester:{id}"));
        }
        for fact in deeds::reached(site, of, &all) {
            facts.add(fact);
        }
        if of.is_of_whole_house() {
            facts.add(format!("whole:{id}"));
        }
        for device in of.live.keys().filter(|d| record.is_found_live(d)) {
            facts.add(format!("live:{device}"));
        }
        if of.is_finding() {
            facts.add(format!("finding:{id}"));
        }
        for (device, under) in &of.boxes {
            if !under.is_safe && !under.is_proved {
                facts.add(format!("anew:{device}"));
            }
            let word = if under.is_safe { "safe" } else { "open" };
            facts.add(format!("{word}:{id}:{device}"));
            if under.is_safe {
                continue;
            }
            // As it was known when it was opened, whatever is known by now.
            for other in record.in_force().filter(|i| i.touches(&under.of.circuits)) {
                facts.add(format!("dark:{}:{device}", other.of.id));
            }
        }
        let kits = of
            .boxes
            .keys()
            .filter_map(|d| WorkedDevice::of(site, d))
            .filter(WorkedDevice::is_of_kit);
        let begun: BTreeSet<String> =
            kits.map(|s| format!("begun:{}:{id}", s.device.network)).collect();
        for fact in begun {
            facts.add(fact);
        }
    }
    for (device, step, mark) in record.marks() {
        let word = step.word();
        for check in &mark.checks {
            facts.add(format!("tick:{device}:{word}:{check}"));
        }
        let Some(done) = &mark.done else { continue };
        facts.add(format!("done:{device}:{word}"));
        if let Some(under) = &done.isolation {
            match step {
                Step::Dead if !is_unproved(record, device, under) => {
                    facts.add(format!("under:{device}:{under}"));
                }
                Step::DryFitted => facts.add(format!("fitted:{device}:{under}")),
                _ => {}
            }
        }
    }
    for network in &site.networks {
        let id = &network.id;
        let Some(last) = record.open_times.iter().rev().find(|o| o.network == *id) else {
            continue;
        };
        let open = record.open_times.iter().rev();
        if let Some(open) = open.filter(|o| o.network == *id).find(|o| o.closed.is_none()) {
            facts.add(format!("net:{id}"));
            open.expected.iter().for_each(|d| facts.add(format!("expects:{id}:{d}")));
        } else {
            facts.add(format!("shut:{id}"));
            if last.rebuilt.is_some() {
                facts.add(format!("rebuilt:{id}"));
            }
        }
    }
    facts
}

/// Whether power was on in a box since it was proved dead under an isolation that is in force.
fn is_unproved(record: &Record, device: &DeviceId, under: &IsolationId) -> bool {
    let of = record.isolations.get(under).filter(|i| i.is_in_force());
    of.and_then(|i| i.boxes.get(device)).is_some_and(|own| !own.is_proved)
}

impl<'a> Gate<'a> {
    /// The plan.
    pub fn site(&self) -> &'a Site {
        self.site
    }

    /// The record.
    pub fn record(&self) -> &'a Record {
        self.record
    }

    /// What holds.
    pub fn facts(&self) -> &Facts {
        &self.facts
    }

    /// A step of a device on record, done or begun.
    pub fn mark(&self, device: &DeviceId, step: Step) -> Option<&'a Mark> {
        self.record.mark(device, step)
    }

    /// How far a step is.
    pub fn stand(&self, device: &DeviceId, step: Step) -> Stand {
        match self.record.done(device, step) {
            None => Stand::Open,
            Some(done) if done.why.trim().is_empty() => Stand::Done,
            Some(_) => Stand::Overruled,
        }
    }

    /// Whether a step is done.
    pub fn holds(&self, device: &DeviceId, step: Step) -> bool {
        self.record.done(device, step).is_some()
    }

    /// Whether its box stands open under an isolation in force.
    pub fn is_open(&self, device: &DeviceId) -> bool {
        self.record.in_force().any(|i| i.boxes.get(device).is_some_and(|b| !b.is_safe))
    }

    /// Whether it has power where it stays.
    pub fn is_live(&self, spot: &WorkedDevice<'_>) -> bool {
        let live = deeds::live(spot);
        let named = Vec::new();
        live.iter().all(|q| self.facts.newest(&q.all, &named).is_some() != q.not)
    }

    /// The isolation in force that makes a box dead; of several, the last.
    pub fn isolation(&self, spot: &WorkedDevice<'_>) -> Option<&'a Isolation> {
        let device = &spot.device.id;
        let dead = |i: &&Isolation| self.facts.has(&format!("covers:{}:{device}", i.of.id));
        self.record.in_force().rev().find(dead)
    }

    /// What is missing before somebody may take a step now.
    pub fn missing(
        &self,
        spot: &WorkedDevice<'_>,
        step: Step,
        elsewhere: bool,
        me: &str,
    ) -> Vec<Missing> {
        self.lacking(&deeds::step(self, spot, step, elsewhere), me)
    }

    /// What a deed lacks for somebody.
    pub fn lacking(&self, deed: &Deed, me: &str) -> Vec<Missing> {
        let lacks = deed.lacks(&self.facts, me).into_iter();
        lacks.map(|need| Missing { what: need.what.clone(), yields: need.yields }).collect()
    }

    /// Whether it was last joined elsewhere than where it lives.
    pub fn joined_elsewhere(&self, device: &DeviceId) -> bool {
        self.record.joined(device).is_some_and(|j| j.joined == JoinedAt::Elsewhere)
    }

    /// The time for which a network stands open now.
    pub fn open_time(&self, network: &NetworkId) -> Option<&'a OpenTime> {
        let mut of = self.record.open_times.iter().rev();
        of.find(|o| o.network == *network && o.closed.is_none())
    }

    /// Whether all steps of a device are done.
    pub fn is_complete(&self, spot: &WorkedDevice<'_>) -> bool {
        spot.steps().into_iter().all(|step| self.holds(&spot.device.id, step))
    }

    /// The first step of a device that is not done.
    pub fn next_step(&self, spot: &WorkedDevice<'_>) -> Option<Step> {
        spot.steps().into_iter().find(|step| !self.holds(&spot.device.id, *step))
    }

    /// Steps that were taken against a rule, with the reason: they stand in the report.
    pub fn overruled(&self) -> Vec<(DeviceId, Step, String)> {
        let marks = self.record.marks().filter_map(|(device, step, mark)| {
            let why = mark.done.as_ref()?.why.trim();
            (!why.is_empty()).then(|| (device.clone(), step, why.to_owned()))
        });
        marks.collect()
    }

    /// Every box that was opened while this was off, in the order in which that was said: whoever switches on looks at each.
    pub fn opened_since(&self, of: &IsolationId) -> Vec<OpenedSince> {
        let mut all: Vec<OpenedSince> = Vec::new();
        for (place, entry) in self.record.entries().enumerate() {
            let What::Stepped(Stepped { device, step, isolation, opened, .. }) = &entry.what else {
                continue;
            };
            if *step != Step::Dead || isolation.as_ref() != Some(of) {
                continue;
            }
            let safe = [Step::DryFitted, Step::PutBack]
                .iter()
                .filter_map(|step| self.record.done(device, *step))
                .filter(|done| done.entry > place)
                .max_by_key(|done| done.entry);
            all.retain(|before| before.device != *device);
            all.push(OpenedSince {
                device: device.clone(),
                name: opened.as_ref().map_or_else(|| device.to_string(), |o| o.name.clone()),
                by: entry.by.clone(),
                at: entry.said.clone(),
                is_open: self.is_open(device),
                safe: safe.map(|done| (done.by.clone(), done.at.clone())),
            });
        }
        all
    }

    /// Who put anything on record since this went off, each with when the server heard of them last: what they did after
    /// that, on a phone without a line, nobody knows here.
    pub fn heard_since(&self, of: &IsolationId) -> Vec<(String, Moment)> {
        let began = |e: &&Entry| matches!(&e.what, What::Isolated(off) if off.id == *of);
        let since = self.record.entries().skip_while(|e| !began(e));
        let mut heard: Vec<(String, Moment)> = Vec::new();
        for entry in since {
            heard.retain(|(by, _)| !Entry::is_name(by, &entry.by));
            heard.push((entry.by.clone(), entry.taken.clone()));
        }
        heard
    }

    /// What a life hangs on that the plan asks for by now and that was not ticked when its step was taken: for a finding,
    /// never for permission. That a box is dead is asked again only while it stands open.
    pub fn asked_since(&self) -> Vec<(DeviceId, Step, String)> {
        let taken = self.record.marks().filter(|(device, step, mark)| {
            mark.done.is_some() && (*step != Step::Dead || self.is_open(device))
        });
        let asked = taken.filter_map(|(device, step, mark)| {
            let spot = WorkedDevice::of(self.site, device).filter(|spot| spot.takes(step))?;
            let open = checks::checks(&spot, step).into_iter();
            let open = open.filter(|check| check.alone && !mark.checks.contains(&check.word));
            Some(open.map(|check| (device.clone(), step, check.text)).collect::<Vec<_>>())
        });
        asked.flatten().collect()
    }

    /// What the plan says by now otherwise than the record of a box that stands open: for a finding, never for
    /// permission.
    pub fn changed_since_opened(&self) -> Vec<(DeviceId, String)> {
        let mut found = Vec::new();
        for (device, opened) in self.record.in_force().flat_map(Isolation::open_boxes) {
            let words = match WorkedDevice::of(self.site, device) {
                None => "is not on the plan any longer".to_owned(),
                Some(spot) if !spot.opens_box() => {
                    "is planned as something that opens no box by now".to_owned()
                }
                Some(spot) => {
                    let now = isolate::labels(self.site, &spot.circuits());
                    if now == opened.circuits {
                        continue;
                    }
                    let told = |labels: &[String]| {
                        let word =
                            |l: &String| if l.is_empty() { "not known".into() } else { l.clone() };
                        labels.iter().map(word).collect::<Vec<_>>().join(", ")
                    };
                    format!(
                        "was opened as of breaker {}, is {} on the plan by now",
                        told(&opened.circuits),
                        told(&now)
                    )
                }
            };
            found.push((device.clone(), format!("{} {words}; its box is still open", opened.name)));
        }
        found
    }
}

/// A box that was opened while something was off.
#[derive(Clone, Debug, PartialEq)]
pub struct OpenedSince {
    /// The device for which it was opened.
    pub device: DeviceId,
    /// What that was called then.
    pub name: String,
    /// Who proved it dead,
    pub by: String,
    /// and when.
    pub at: Moment,
    /// Whether it stands open still.
    pub is_open: bool,
    /// Who made it safe, and when; nothing where nobody did.
    pub safe: Option<(String, Moment)>,
}

/// Why it is not settled that a device fits; nothing where it is.
pub fn unsettled(spot: &WorkedDevice<'_>) -> Option<String> {
    if !matches!(spot.work(), WorkKind::Wired | WorkKind::Companion | WorkKind::Hub) {
        return None;
    }
    let found = fit::findings(spot.site, spot.kind, spot.point, Some(spot.device));
    let open = found.iter().find(|f| f.fits() >= Fits::NotKnown)?;
    Some(open.to_string())
}
