//! How long devices last, and before which day each is replaced: some generations die in a few years.

use crate::moment::Moment;
use crate::record::Record;
use crate::site::{DeviceId, Site};

/// How long a device has been in its place, and how long it lasts.
#[derive(Clone, Debug, PartialEq)]
pub struct Lifetime {
    /// The device.
    pub device: DeviceId,
    /// Since when: by the record, or as somebody said; nothing while nobody knows.
    pub since: Option<Moment>,
    /// How many years its row gives it; nothing while nobody wrote it down.
    pub years: Option<f64>,
    /// Before which day it is replaced.
    pub replace_before: Option<Moment>,
}

/// Every device with its life, the next to be replaced first, and those of which nothing is known last.
pub fn lifetimes(site: &Site, record: &Record) -> Vec<Lifetime> {
    let of = |device: &crate::site::Device| {
        let joined = record.joinings.iter().filter(|j| j.device == device.id).map(|j| &j.at).min();
        let since = joined.or(device.since.as_ref()).cloned();
        let years = site.kind(&device.kind).and_then(|k| k.fit.life_years);
        let replace_before = since.as_ref().zip(years).map(|(since, years)| since.years_on(years));
        Lifetime { device: device.id.clone(), since, years, replace_before }
    };
    let mut all: Vec<_> = site.devices.iter().map(of).collect();
    all.sort_by_key(|l| (l.replace_before.is_none(), l.replace_before.clone()));
    all
}
