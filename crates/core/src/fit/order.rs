//! What the order asks of a device: platforms, finish, life, the region, how many a network holds.

use super::FitFinding;
use super::place::FitPlace;
use crate::catalogue::{DeviceKind, Duty};
use crate::site::Network;

/// Platforms that must work with everything are hard filters.
pub(super) fn platforms(kind: &DeviceKind, place: &FitPlace<'_>, found: &mut Vec<FitFinding>) {
    if !kind.has_radio {
        return;
    }
    for platform in place.site.platforms.iter().filter(|p| p.required) {
        let name = platform.name.clone();
        if kind.fit.platforms.is_empty() {
            found.push(FitFinding::PlatformUnknown { platform: name });
        } else if !kind.fit.platforms.contains(&platform.way) {
            found.push(FitFinding::PlatformLacks { platform: name });
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
