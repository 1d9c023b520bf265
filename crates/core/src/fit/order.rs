//! What the order asks of a device: platforms, finish, life, the region, how many a network holds.

use super::FitFinding;
use super::place::Place;
use crate::catalogue::{DeviceKind, Duty};

/// Platforms that must work with everything are hard filters.
pub(super) fn platforms(kind: &DeviceKind, place: &Place<'_>, found: &mut Vec<FitFinding>) {
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

pub(super) fn finish(kind: &DeviceKind, place: &Place<'_>) -> Option<FitFinding> {
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

pub(super) fn life(kind: &DeviceKind, place: &Place<'_>) -> Option<FitFinding> {
    let keep = place.site.job.keep_years?;
    match kind.fit.life_years {
        None => Some(FitFinding::LifeUnknown { keep }),
        Some(lasts) => (lasts < keep).then_some(FitFinding::ShortLife { lasts, keep }),
    }
}

pub(super) fn region(kind: &DeviceKind, place: &Place<'_>) -> Option<FitFinding> {
    let region = place.region();
    let speaks = kind.has_radio && !kind.systems.is_empty();
    let allowed = kind.systems.iter().any(|s| region.allows(*s));
    (speaks && !allowed).then_some(FitFinding::NoFrequencies)
}

/// Whether the network that it would join has room for it; remotes and sensors count as others do.
pub(super) fn count(kind: &DeviceKind, place: &Place<'_>) -> Option<FitFinding> {
    let network = place.network.filter(|n| kind.has_radio && kind.systems.contains(&n.system))?;
    let site = place.site;
    if kind.duty == Duty::Hub {
        return None;
    }
    let members = || {
        let here = site.devices.iter().filter(|d| d.network == network.id);
        here.filter_map(|d| site.kind(&d.kind)).filter(|k| k.has_radio)
    };
    let hubs = members().filter(|k| k.duty == Duty::Hub).count();
    let is = members().count() - hubs;
    let most = network.rule().most_devices * hubs.max(1);
    (is > most).then_some(FitFinding::NetworkFull { is, most })
}
