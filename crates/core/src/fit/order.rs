//! What the order asks of a device: platforms, finish, life, the region, how many a network holds.

use std::collections::BTreeSet;

use super::FitFinding;
use super::place::FitPlace;
use crate::catalogue::{DeviceKind, Duty, FittingWay};
use crate::site::{Network, NetworkId, Point, Refused, Site};
use crate::trial;

/// What the brief refuses, at whatever place.
pub(super) fn refused(kind: &DeviceKind, place: &FitPlace<'_>) -> Option<FitFinding> {
    let job = &place.site.job;
    let opens = job.refused.contains(&Refused::OpenedWalls)
        && kind.is_wired_in()
        && place.lead.to_make.is_some();
    let what = if opens { Some(Refused::OpenedWalls) } else { job.refuses_kind(kind) };
    what.map(|refused| FitFinding::RefusedInBrief { what: refused.name() })
}

/// What was tried, and not kept.
pub(super) fn tried(kind: &DeviceKind, place: &FitPlace<'_>) -> Option<FitFinding> {
    let device = trial::not_kept(place.site, kind)?;
    let at = place.site.point_of(device).map_or_else(|| device.name.clone(), Point::title);
    Some(FitFinding::NotKept { at })
}

/// Whether a platform of such a way reaches a device of a network: by itself, or what speaks by voice through the hub.
/// Nothing while nobody has looked.
pub fn is_reached(
    site: &Site,
    kind: &DeviceKind,
    network: Option<&NetworkId>,
    way: FittingWay,
) -> Option<bool> {
    let ways = |of: &DeviceKind| (!of.fit.platforms.is_empty()).then(|| of.fit.platforms.clone());
    let own = ways(kind)?;
    if own.contains(&way) || way != FittingWay::Voice || !own.contains(&FittingWay::Hub) {
        return Some(own.contains(&way));
    }
    // Of a device that is in no network yet, any hub that speaks its system counts.
    let speaks =
        |n: &&Network| network.map_or(kind.systems.contains(&n.system), |own| n.id == *own);
    let networks = site.networks.iter().filter(speaks);
    let hubs: Vec<_> =
        networks.flat_map(|n| site.hubs_of(&n.id)).map(|(_, hub)| ways(hub)).collect();
    let by_hub = |ways: &Option<BTreeSet<FittingWay>>| {
        ways.as_ref().is_some_and(|w| w.contains(&FittingWay::Voice))
    };
    if hubs.iter().any(by_hub) {
        return Some(true);
    }
    hubs.iter().all(Option::is_some).then_some(false)
}

/// Platforms that must work with everything are hard filters; a hub is what they reach others by.
pub(super) fn platforms(kind: &DeviceKind, place: &FitPlace<'_>, found: &mut Vec<FitFinding>) {
    if !kind.has_radio || kind.duty == Duty::Hub {
        return;
    }
    for platform in place.site.platforms.iter().filter(|p| p.required) {
        let name = platform.name.clone();
        match is_reached(place.site, kind, place.network.as_ref(), platform.way) {
            Some(true) => {}
            Some(false) => found.push(FitFinding::PlatformLacks { platform: name }),
            None => found.push(FitFinding::PlatformUnknown { platform: name }),
        }
    }
}

pub(super) fn finish(kind: &DeviceKind, place: &FitPlace<'_>) -> Option<FitFinding> {
    let wanted = place.point.finish.trim();
    let is_seen = kind.button.is_some() || kind.fit.far.is_wired();
    if wanted.is_empty() || !is_seen {
        return None;
    }
    let (wanted, comes) = (wanted.to_owned(), kind.fit.finishes.clone());
    if comes.is_empty() {
        return Some(FitFinding::FinishUnknown { wanted });
    }
    let has = comes.iter().any(|c| c.to_lowercase() == wanted.to_lowercase());
    (!has).then_some(FitFinding::OtherFinish { wanted, comes })
}

pub(super) fn life(kind: &DeviceKind, place: &FitPlace<'_>) -> Option<FitFinding> {
    let keep = place.site.job.keep_years?;
    match kind.fit.life_years {
        None => Some(FitFinding::LifeUnknown { keep }),
        Some(lasts) => (lasts < keep).then_some(FitFinding::ShortLife { lasts, keep }),
    }
}

pub(super) fn region(kind: &DeviceKind, place: &FitPlace<'_>) -> Option<FitFinding> {
    let region = place.region();
    let speaks = kind.has_radio && !kind.systems.is_empty();
    let allowed = kind.systems.iter().any(|s| region.allows(*s));
    (speaks && !allowed).then_some(FitFinding::NoFrequencies)
}

/// Whether a network has room for one more; remotes and sensors count as others do. Of those that are in
/// one already the network's own verdict speaks.
pub(super) fn count(kind: &DeviceKind, place: &FitPlace<'_>) -> Option<FitFinding> {
    if place.is_there || !kind.has_radio || kind.duty == Duty::Hub {
        return None;
    }
    let site = place.site;
    let full = |network: &Network| {
        let here = site.devices.iter().filter(|d| d.network == network.id);
        let radios = here.filter_map(|d| site.kind(&d.kind)).filter(|k| k.has_radio);
        let (hubs, others): (Vec<_>, Vec<_>) = radios.partition(|k| k.duty == Duty::Hub);
        let (is, most) = (others.len(), network.rule().most_devices * hubs.len().max(1));
        (is >= most).then_some(FitFinding::NetworkFull { is, most })
    };
    let spoken = site.networks.iter().filter(|n| kind.systems.contains(&n.system));
    let found: Vec<Option<FitFinding>> = spoken.map(full).collect();
    // One with room is enough.
    found.iter().all(Option::is_some).then(|| found.into_iter().flatten().next()).flatten()
}
