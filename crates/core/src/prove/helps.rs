//! What would help, by gain for effort: each was tried on the house as it was learned.

use std::collections::BTreeSet;
use std::sync::Arc;

use super::calibrate::Proof;
use super::diagnose::{Diagnosis, Mechanism, name, rows};
use crate::analysis::{Analysis, analyse, analyse_while};
use crate::cures::cures;
use crate::network::Band;
use crate::pulse::StillWanted;
use crate::site::{DeviceId, Edit, Kind, NetworkId, Site, apply};
use crate::units::Db;

/// What was tried and helps.
#[derive(Clone, Debug, PartialEq)]
pub struct Help {
    /// What it is.
    pub what: String,
    /// The device that it is for; nothing where it is for many.
    pub device: Option<DeviceId>,
    /// How long it takes, in minutes; *planning values*.
    pub minutes: f64,
    /// The edit that plans it; nothing for what is done in the house alone.
    pub edit: Option<Edit>,
    /// How it is done in the house, where readings of before do not count afterwards.
    pub is_done_there: bool,
    /// Its verdict and weakest margin before and after.
    pub before: (Band, Option<Db>),
    /// After.
    pub after: (Band, Option<Db>),
    /// How many devices more are at target.
    pub more_at_target: i64,
}

impl Help {
    /// Gain for effort: 10 for each device that comes to target, 1 a decibel, an hour.
    pub fn worth(&self) -> f64 {
        let gained = match (self.before.1, self.after.1) {
            (Some(before), Some(after)) => (after - before).get().clamp(-20.0, 20.0),
            (None, Some(_)) => 10.0,
            _ => 0.0,
        };
        #[expect(clippy::cast_precision_loss, reason = "a count of devices")]
        let devices = self.more_at_target as f64;
        (10.0 * devices + gained) * 60.0 / self.minutes
    }
}

/// How long things take, in minutes; *planning values*.
const REJOIN: f64 = 8.0;
const OUT_OF_METAL: f64 = 30.0;
const MOVE_HUB: f64 = 20.0;
/// How far a hub is moved at the most, in metres.
const HUB_STEP: f64 = 2.0;
/// For how many weak devices cures are sought.
const MOST_WEAK: usize = 6;

/// The house as it was learned, analysed.
pub fn as_learned(analysis: &Analysis, proof: &Proof) -> Analysis {
    let Some(proposed) = &proof.proposed else { return analysis.clone() };
    let mut site = Site::clone(&analysis.site);
    site.calibration = Some(proposed.clone());
    analyse(&Arc::new(site), &analysis.options)
}

fn at_target(analysis: &Analysis) -> i64 {
    let outcomes = analysis.networks.iter().flat_map(|n| &n.outcomes);
    i64::try_from(outcomes.filter(|o| o.band >= Band::Sound).count()).unwrap_or(i64::MAX)
}

fn standing(analysis: &Analysis, device: &DeviceId) -> (Band, Option<Db>) {
    let found = analysis.find(device).map(|(n, place)| &n.outcomes[place]);
    found.map_or((Band::Out, None), |o| {
        (o.band, o.weakest().map(super::super::network::outcome::Hop::margin))
    })
}

fn with(analysis: &Analysis, edit: &Edit, wanted: &StillWanted<'_>) -> Option<Analysis> {
    let mut site = Site::clone(&analysis.site);
    apply(&mut site, edit).ok()?;
    analyse_while(wanted, Some(analysis), &Arc::new(site), &analysis.options)
}

/// What would help, the most gain for the least effort first. `learned` is the house [`as_learned`].
pub fn helps(
    learned: &Analysis,
    proof: &Proof,
    diagnoses: &[Diagnosis],
    wanted: &StillWanted<'_>,
) -> Vec<Help> {
    let mut all = rejoined(learned, proof);
    let weak = learned.worst_first().into_iter();
    let weak = weak.filter(|(n, place, o)| o.band < Band::Sound && !n.hubs.contains(place));
    let weak: Vec<&DeviceId> = weak.take(MOST_WEAK).map(|(_, _, o)| &o.device).collect();
    for network in &learned.networks {
        // What is tried concerns one network: the others are left out, which takes less time.
        let site = Arc::new(learned.site.narrowed(&network.network));
        let Some(alone) = analyse_while(wanted, Some(learned), &site, &learned.options) else {
            break;
        };
        let own = |device: &&DeviceId| network.place_of(device).is_some();
        for d in diagnoses {
            let (Some(device), Some(cause)) = (&d.device, d.first()) else { continue };
            let weaker = d.off.is_some_and(|o| o < Db::ZERO);
            if cause.why == Mechanism::Metal && weaker && own(&device) {
                all.extend(out_of_metal(&alone, proof, device, wanted));
            }
        }
        for device in weak.iter().copied().filter(own) {
            all.extend(for_the_weak(&alone, device, wanted));
        }
        all.extend(hub_moved(&alone, &network.network, wanted));
    }
    let helps = |h: &Help| h.is_done_there || h.more_at_target > 0 || h.worth() > 1.0;
    all.retain(helps);
    all.sort_by(|a, b| b.worth().total_cmp(&a.worth()).then_with(|| a.what.cmp(&b.what)));
    // The same for several devices of a network is told once, for the one that it helps most.
    let network = |h: &Help| {
        let device = h.device.as_ref().and_then(|d| learned.site.devices.get(d));
        device.map(|d| d.network.clone())
    };
    let mut told = BTreeSet::new();
    all.retain(|h| told.insert((h.what.clone(), network(h))));
    all
}

/// The single change that brings most devices to target, then most margin.
pub fn best(helps: &[Help]) -> Option<&Help> {
    let gained = |h: &Help| match (h.before.1, h.after.1) {
        (Some(before), Some(after)) => (after - before).get(),
        (None, Some(_)) => 20.0,
        _ => 0.0,
    };
    helps.iter().max_by(|a, b| {
        a.more_at_target.cmp(&b.more_at_target).then(gained(a).total_cmp(&gained(b)))
    })
}

fn out_of_metal(
    learned: &Analysis,
    proof: &Proof,
    device: &DeviceId,
    wanted: &StillWanted<'_>,
) -> Option<Help> {
    let (found, ..) = proof.proven.device(device)?;
    let own = learned.site.devices.get(device)?;
    let so_far = own.sheet.extra_loss_db.unwrap_or_default();
    let mut sheet = serde_json::to_value(own.sheet).ok()?;
    sheet["extra_loss_db"] = (so_far - found).get().into();
    let edit = Edit::set(Kind::Device, device, "sheet", sheet);
    let after = with(learned, &edit, wanted)?;
    Some(Help {
        what: format!("Take {} out of the metal around it", own.name),
        device: Some(device.clone()),
        minutes: OUT_OF_METAL,
        edit: None,
        is_done_there: true,
        before: standing(learned, device),
        after: standing(&after, device),
        more_at_target: at_target(&after) - at_target(learned),
    })
}

fn rejoined(learned: &Analysis, proof: &Proof) -> Vec<Help> {
    let rows = rows(learned, proof);
    let of = |row: super::diagnose::ParentRow| {
        let (planned, actual) = (row.planned_margin?, row.actual_margin?);
        if !row.differs || (planned - actual) < Db::new(3.0) {
            return None;
        }
        let (network, place) = learned.find(&row.device)?;
        let target = network.outcomes[place].weakest().map_or(learned.target, |h| h.target);
        let (before, after) = (Band::of(actual, target), Band::of(planned, target));
        Some(Help {
            what: format!("Re-join {} in its place", name(&learned.site, &row.device)),
            device: Some(row.device),
            minutes: REJOIN,
            edit: None,
            is_done_there: false,
            before: (before, Some(actual)),
            after: (after, Some(planned)),
            more_at_target: i64::from(after >= Band::Sound) - i64::from(before >= Band::Sound),
        })
    };
    rows.into_iter().filter_map(of).collect()
}

fn for_the_weak(learned: &Analysis, device: &DeviceId, wanted: &StillWanted<'_>) -> Vec<Help> {
    let of = |cure: crate::cures::Cure| {
        let after = with(learned, &cure.edit, wanted)?;
        Some(Help {
            what: cure.what.to_string(),
            device: Some(device.clone()),
            minutes: cure.what.minutes(),
            before: standing(learned, device),
            after: standing(&after, device),
            more_at_target: at_target(&after) - at_target(learned),
            is_done_there: false,
            edit: Some(cure.edit),
        })
    };
    cures(learned, device, wanted).into_iter().filter_map(of).collect()
}

/// The hub of a network moved by up to two metres, where that brings more devices to target.
fn hub_moved(learned: &Analysis, network: &NetworkId, wanted: &StillWanted<'_>) -> Vec<Help> {
    let mut all = Vec::new();
    for network in learned.networks.iter().filter(|n| n.network == *network && !n.is_hubless) {
        let Some(hub) = network.hubs.first().map(|h| &network.nodes[*h].device) else { continue };
        let Some(point) = learned.site.devices.get(hub).and_then(|d| learned.site.point_of(d))
        else {
            continue;
        };
        let room = learned.site.room_of(point).map(|r| r.id.clone());
        let mut best: Option<Help> = None;
        for step in 0..8u8 {
            let angle = f64::from(step) * std::f64::consts::FRAC_PI_4;
            let at = [
                ((point.at[0] + HUB_STEP * angle.cos()) * 100.0).round() / 100.0,
                ((point.at[1] + HUB_STEP * angle.sin()) * 100.0).round() / 100.0,
            ];
            let mut there = point.clone();
            there.at = at;
            if room.is_some() && learned.site.room_of(&there).map(|r| r.id.clone()) != room {
                continue;
            }
            let edit = Edit::set(Kind::Point, &point.id, "at", serde_json::json!(at));
            let Some(after) = with(learned, &edit, wanted) else { continue };
            let gained = at_target(&after) - at_target(learned);
            if gained > best.as_ref().map_or(0, |b| b.more_at_target) {
                let worst = |a: &Analysis| {
                    let n = a.networks.iter().find(|n| n.network == network.network);
                    let hops = n.into_iter().flat_map(|n| &n.outcomes).filter_map(|o| o.weakest());
                    let margin =
                        hops.map(super::super::network::outcome::Hop::margin).min_by(Db::total_cmp);
                    (margin.map_or(Band::Out, |m| Band::of(m, a.target)), margin)
                };
                let way = [
                    "right",
                    "down and right",
                    "down",
                    "down and left",
                    "left",
                    "up and left",
                    "up",
                    "up and right",
                ][usize::from(step)];
                best = Some(Help {
                    what: format!("Move {} 2 m {way} on the plan", name(&learned.site, hub)),
                    device: None,
                    minutes: MOVE_HUB,
                    edit: Some(edit),
                    is_done_there: false,
                    before: worst(learned),
                    after: worst(&after),
                    more_at_target: gained,
                });
            }
        }
        all.extend(best);
    }
    all
}
