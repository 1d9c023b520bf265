//! One on trial first: what waits for it, what came of it, and the two purchases that it makes of one.

use crate::catalogue::DeviceKind;
use crate::site::{Device, Site, Trial, TrialVerdict};

/// Devices on trial of the same article as a row, each with its trial.
fn of_article<'a>(
    site: &'a Site,
    kind: &'a DeviceKind,
) -> impl Iterator<Item = (&'a Device, &'a Trial)> {
    let article = kind.bought_as();
    let trials = site.devices.iter().filter_map(|d| Some((d, d.trial.as_ref()?)));
    trials.filter(move |(d, _)| site.kind(&d.kind).is_some_and(|k| k.bought_as() == article))
}

/// What a device waits for before it is bought and put in: another of its article that is on trial and not judged yet.
pub fn waits(site: &Site, device: &Device) -> Option<String> {
    if device.is_there() || device.trial.is_some() {
        return None;
    }
    let kind = site.kind(&device.kind)?;
    let (tried, trial) = of_article(site, kind).find(|(_, t)| t.judged == TrialVerdict::Open)?;
    let until = trial.until.as_ref().map_or_else(String::new, |at| {
        format!(" until {}", at.split('T').next().unwrap_or_default())
    });
    Some(format!("{} is on trial{until}: this one is bought when that is kept.", tried.name))
}

/// Where one of a row was tried and not kept.
pub fn not_kept<'a>(site: &'a Site, kind: &'a DeviceKind) -> Option<&'a Device> {
    of_article(site, kind)
        .find(|(_, t)| t.judged == TrialVerdict::NotKept)
        .map(|(device, _)| device)
}

/// The job with what is bought now alone; nothing where nothing waits.
pub fn first_purchase(site: &Site) -> Option<Site> {
    let waiting: Vec<_> = site.devices.iter().filter(|d| waits(site, d).is_some()).collect();
    let mut first = (!waiting.is_empty()).then(|| site.clone())?;
    for device in waiting {
        first.forget_device(&device.id);
    }
    Some(first)
}
