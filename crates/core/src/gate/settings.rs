//! How devices are set: what is kept of each, held against how the house is set and against what its hub tells.

use std::collections::BTreeMap;

use crate::moment::Moment;
use crate::record::Record;
use crate::site::{DeviceId, Site};

/// A device that is set otherwise than the house, or than its hub tells.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SetOtherwise {
    /// The setting.
    pub name: String,
    /// The device.
    pub device: DeviceId,
    /// How it is set by what is on record.
    pub is: String,
    /// How it is by the other.
    pub other: String,
    /// When the hub told that; nothing where the other is the house.
    pub told: Option<Moment>,
}

impl SetOtherwise {
    /// The same as a sentence.
    pub fn sentence(&self, site: &Site) -> String {
        let device = site.devices.get(&self.device);
        let who = device.map_or_else(|| self.device.to_string(), |d| d.name.clone());
        let (name, is, other) = (&self.name, &self.is, &self.other);
        match &self.told {
            None => format!("{who} is set otherwise: {name} {is}, in the house {other}."),
            Some(_) => format!("{who}: {name} is {is} on record, and {other} by its hub."),
        }
    }
}

/// Whether two values are one: letters of one case, numbers by what they are, with their unit or without.
fn is_same(one: &str, other: &str) -> bool {
    let plain = |text: &str| text.trim().to_lowercase();
    let number = |text: &str| {
        let text = text.trim().trim_end_matches(|c: char| c.is_alphabetic() || c == '%').trim_end();
        text.replace(',', ".").parse::<f64>().ok()
    };
    match (number(one), number(other)) {
        (Some(one), Some(other)) => (one - other).abs() < 1e-9,
        _ => plain(one) == plain(other),
    }
}

/// What a hub told last of how a device is set, by the name of the setting, and when.
pub fn told_by_hub<'a>(
    record: &'a Record,
    device: &DeviceId,
) -> BTreeMap<&'a str, (&'a str, &'a Moment)> {
    let own = record.node_reports.numbered().filter(|(_, r)| r.device.as_ref() == Some(device));
    let mut own: Vec<_> =
        own.filter(|(place, _)| record.is_of_this_unit(device, *place)).map(|(_, r)| r).collect();
    own.sort_by(|a, b| a.at.cmp(&b.at));
    let all = own
        .into_iter()
        .flat_map(|r| r.settings.iter().map(|(name, is)| (name.as_str(), (is.as_str(), &r.at))));
    all.collect()
}

/// Devices whose settings on record differ from those of the house, or from what their hub tells.
pub fn set_otherwise(site: &Site, record: &Record) -> Vec<SetOtherwise> {
    let mut all = Vec::new();
    for kept in record.wiring_records.iter() {
        let told = told_by_hub(record, &kept.device);
        for (name, is) in kept.settings.iter().filter(|(_, is)| !is.trim().is_empty()) {
            let mut add = |other: &str, told: Option<&Moment>| {
                if other.trim().is_empty() || is_same(is, other) {
                    return;
                }
                let (name, device) = (name.clone(), kept.device.clone());
                let (is, other) = (is.trim().to_owned(), other.trim().to_owned());
                all.push(SetOtherwise { name, device, is, other, told: told.cloned() });
            };
            if let Some(house) = site.job.settings.get(name) {
                add(house, None);
            }
            if let Some((hub, at)) = told.get(name.as_str()) {
                add(hub, Some(at));
            }
        }
    }
    all.sort_by(|a, b| (a.told.is_some(), &a.name).cmp(&(b.told.is_some(), &b.name)));
    all
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_number_is_the_same_with_its_unit_and_words_in_any_case() {
        assert!(is_same("5", "5.0 %") && is_same("0,5 s", "0.5") && is_same("Off", " off "));
        assert!(!is_same("5", "50") && !is_same("off", "on") && !is_same("as before", "5"));
    }
}
