//! A round with two test radios, before anything is bought: one stays where the plan has what carries, the other goes to
//! each place that hangs on it. What is read that way teaches as any reading does.

use std::collections::{BTreeMap, BTreeSet};
use std::ops::RangeInclusive;

use crate::analysis::Analysis;
use crate::network::NetworkAnalysis;
use crate::record::Record;
use crate::site::DeviceId;
use crate::units::{Db, Dbm};

/// One radio's place, with those that the other one visits meanwhile.
#[derive(Clone, Debug, PartialEq)]
pub struct RoundStand {
    /// Where the one stays: at the place of this device.
    pub stays: DeviceId,
    /// Where the other goes, in the order of the walk.
    pub stops: Vec<RoundStop>,
}

/// A place that the other radio is taken to.
#[derive(Clone, Debug, PartialEq)]
pub struct RoundStop {
    /// The place of this device.
    pub at: DeviceId,
    /// The loss from the one radio to the other by the plan,
    pub loss: Db,
    /// and what that may be off by.
    pub sigma: Db,
    /// The last level that test radios read there; nothing while none did.
    pub read: Option<Dbm>,
}

/// What transmit power and both antennas of two test radios can add up to, in dBm.
pub const SUMS: RangeInclusive<f64> = -40.0..=60.0;

impl RoundStop {
    /// The level that is expected there of test radios whose transmit power and antennas make this sum.
    pub fn expected(&self, sum: Dbm) -> Dbm {
        sum - self.loss
    }
}

/// The round: over every hop that the plan rests on, those at the hub first, each stand walked from near to far.
pub fn round(analysis: &Analysis, record: &Record) -> Vec<RoundStand> {
    let mut all: Vec<RoundStand> = Vec::new();
    let mut read: BTreeMap<(&DeviceId, &DeviceId), Dbm> = BTreeMap::new();
    for reading in record.readings.iter().filter(|r| r.test_radios_dbm.is_some()) {
        if let Some(level) = reading.rssi_dbm {
            read.insert((&reading.from, &reading.to), level);
            read.insert((&reading.to, &reading.from), level);
        }
    }
    for network in &analysis.networks {
        for (stays, visited) in hops(network) {
            let mut left: BTreeSet<usize> = visited.into_iter().collect();
            let (mut here, mut stops) = (stays, Vec::new());
            let far = |a: usize, b: usize| network.nodes[a].place.distance(network.nodes[b].place);
            while let Some(next) =
                left.iter().copied().min_by(|a, b| far(here, *a).total_cmp(&far(here, *b)))
            {
                left.remove(&next);
                here = next;
                let link = network.link(stays, next);
                let (own, at) = (&network.nodes[stays].device, &network.nodes[next].device);
                let (loss, sigma) = (link.path_loss, link.sigma);
                stops.push(RoundStop {
                    at: at.clone(),
                    loss,
                    sigma,
                    read: read.get(&(own, at)).copied(),
                });
            }
            all.push(RoundStand { stays: network.nodes[stays].device.clone(), stops });
        }
    }
    all
}

/// Each place from which others are carried, with those: as planned, and what is not reached from what comes nearest to
/// it. The nearer to the hub, the earlier.
fn hops(network: &NetworkAnalysis) -> Vec<(usize, Vec<usize>)> {
    let mut by_stand: BTreeMap<(usize, usize), Vec<usize>> = BTreeMap::new();
    for (place, outcome) in network.outcomes.iter().enumerate() {
        if network.is_hub(place) {
            continue;
        }
        let last = outcome.hops.last().map(|hop| (outcome.hops.len(), &hop.from));
        let nearest = outcome.best_link.as_ref().map(|best| (usize::MAX, best));
        let Some((depth, stays)) = last.or(nearest) else { continue };
        if let Some(stays) = network.place_of(stays) {
            by_stand.entry((depth, stays)).or_default().push(place);
        }
    }
    by_stand.into_iter().map(|((_, stays), visited)| (stays, visited)).collect()
}
