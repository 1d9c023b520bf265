//! As designed, as installed, as proven: kept states of the plan, and what differs between two.

use std::collections::BTreeMap;

use super::diagnose::parents::{actual, via};
use crate::analysis::Analysis;
use crate::moment::Moment;
use crate::network::Band;
use crate::record::{KnownBy, Milestone, MilestoneId, Record, Stage, Stood};
use crate::site::DeviceId;
use crate::units::Db;

/// How the plan stands now, as planned.
pub fn now(analysis: &Analysis) -> Vec<Stood> {
    let mut all = Vec::new();
    for network in &analysis.networks {
        for (place, (node, outcome)) in network.nodes.iter().zip(&network.outcomes).enumerate() {
            let is_hub = network.hubs.contains(&place);
            let weakest = outcome.weakest();
            let sigma = weakest.and_then(|hop| {
                let (a, b) = (network.place_of(&hop.from)?, network.place_of(&hop.to)?);
                Some(network.link(a, b).sigma)
            });
            let hops = u32::try_from(outcome.hops.len()).unwrap_or(u32::MAX);
            all.push(Stood {
                device: node.device.clone(),
                name: node.name.clone(),
                kind: node.kind.clone(),
                at: [node.place.x, node.place.y, node.place.z],
                via: via(outcome),
                known: KnownBy::Planned,
                hops: (is_hub || hops > 0).then_some(hops),
                margin_db: weakest.map(super::super::network::outcome::Hop::margin),
                sigma_db: sigma,
                band: if is_hub { "hub" } else { outcome.band.name() }.to_owned(),
            });
        }
    }
    all
}

/// How the house stands now: over whom each device goes is what its hub lists, else what was heard when it was joined,
/// else what is planned, and says which.
pub fn as_it_stands(analysis: &Analysis, record: &Record) -> Vec<Stood> {
    let mut all = now(analysis);
    for stood in all.iter_mut().filter(|s| s.band != "hub") {
        let Some(actual) = actual(&analysis.site, record, &stood.device) else { continue };
        let Some((network, place)) = analysis.find(&stood.device) else { continue };
        stood.known = actual.known;
        if actual.via == stood.via && stood.hops.is_some() {
            continue;
        }
        stood.hops = u32::try_from(actual.via.len() + 1).ok();
        // From the hub that is one end of it, hop by hop; a way over what is on no plan has no margin here.
        let hub = network.hubs.first().copied();
        let ends = actual.via.iter().map(|via| network.place_of(via)).chain([Some(place)]);
        let chain: Option<Vec<usize>> = std::iter::once(hub).chain(ends).collect();
        let mut links = chain.unwrap_or_default();
        // A list that names a place twice in a row tells of no hop there.
        links.dedup();
        let links = links.windows(2).map(|hop| network.link(hop[0], hop[1]));
        let weakest =
            links.min_by(|a, b| (a.margin() - a.target).total_cmp(&(b.margin() - b.target)));
        stood.margin_db = weakest.map(|link| link.margin());
        stood.sigma_db = weakest.map(|link| link.sigma);
        let band = weakest.map_or("not known", |link| Band::of(link.margin(), link.target).name());
        band.clone_into(&mut stood.band);
        stood.via = actual.via;
    }
    all
}

/// Keeps how it stands now: as planned where it is designed, else as the house is.
pub fn keep(
    analysis: &Analysis,
    record: &Record,
    id: MilestoneId,
    stage: Stage,
    by: &str,
    at: &Moment,
) -> Milestone {
    let (by, at) = (by.to_owned(), at.clone());
    let devices = match stage {
        Stage::Designed => now(analysis),
        Stage::Installed | Stage::Proven => as_it_stands(analysis, record),
    };
    Milestone { id, stage, at, by, devices }
}

/// The newest kept state of a stage.
pub fn newest(record: &Record, stage: Stage) -> Option<&Milestone> {
    record.milestones.iter().rev().find(|m| m.stage == stage)
}

/// A device in two states.
#[derive(Clone, Debug, PartialEq)]
pub struct Differs {
    /// The device.
    pub device: DeviceId,
    /// Its name.
    pub name: String,
    /// How it stood before; nothing where it was not there.
    pub before: Option<Stood>,
    /// How it stands after; nothing where it is gone.
    pub after: Option<Stood>,
}

impl Differs {
    /// By how far it was moved, in metres.
    pub fn moved_m(&self) -> Option<f64> {
        let (before, after) = (self.before.as_ref()?, self.after.as_ref()?);
        Some(before.place().distance(after.place())).filter(|d| *d > 0.05)
    }

    /// What its weakest hop gained.
    pub fn gained(&self) -> Option<Db> {
        let margin = |s: &Option<Stood>| s.as_ref()?.margin_db;
        Some(margin(&self.after)? - margin(&self.before)?)
    }

    /// Whether anything that people would notice differs: place, kind, route, verdict, or 1 dB of margin.
    pub fn is_any(&self) -> bool {
        let (Some(before), Some(after)) = (&self.before, &self.after) else { return true };
        self.moved_m().is_some()
            || before.kind != after.kind
            || before.via != after.via
            || before.band != after.band
            || self.gained().is_some_and(|g| g.get().abs() >= 1.0)
    }
}

/// Every device of two states side by side, what lost most first.
pub fn difference(before: &[Stood], after: &[Stood]) -> Vec<Differs> {
    let mut both: BTreeMap<&DeviceId, (Option<&Stood>, Option<&Stood>)> = BTreeMap::new();
    for stood in before {
        both.entry(&stood.device).or_default().0 = Some(stood);
    }
    for stood in after {
        both.entry(&stood.device).or_default().1 = Some(stood);
    }
    let of = |(device, (before, after)): (&DeviceId, (Option<&Stood>, Option<&Stood>))| Differs {
        device: device.clone(),
        name: after.or(before).map(|s| s.name.clone()).unwrap_or_default(),
        before: before.cloned(),
        after: after.cloned(),
    };
    let mut all: Vec<Differs> = both.into_iter().map(of).collect();
    let key = |d: &Differs| d.gained().map_or(0.0, Db::get);
    all.sort_by(|a, b| b.is_any().cmp(&a.is_any()).then(key(a).total_cmp(&key(b))));
    all
}

/// A state in numbers: devices at target, those reached, and all; hubs left out.
pub fn counts(devices: &[Stood]) -> [usize; 3] {
    let own = || devices.iter().filter(|s| s.band != "hub");
    let of = |bands: &[&str]| own().filter(|s| bands.contains(&s.band.as_str())).count();
    [of(&["sound", "solid"]), of(&["thin", "sound", "solid"]), own().count()]
}
