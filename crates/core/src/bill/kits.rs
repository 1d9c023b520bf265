//! Kits and sets: which devices of the plan they bring, what of them is left over, and what that costs against singles.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::LazyLock;

use serde::Deserialize;

use super::bought;
use crate::catalogue::{DeviceKind, Duty};
use crate::draw::naming;
use crate::fit::candidates::is_for;
use crate::site::{Device, DeviceId, Edit, Kit, Point, PointId, Site};

/// A kit as it falls on the plan.
#[derive(Clone, Debug, PartialEq)]
pub struct KitLaid {
    /// The kit.
    pub kit: Kit,
    /// The devices that it brings.
    pub brings: Vec<DeviceId>,
    /// What of it no place takes: row of the library, its name, how many.
    pub left: Vec<(String, String, usize)>,
    /// Whether a hub is among what is left: one too many.
    pub hub_too_many: bool,
    /// What all of them cost; nothing where the price is not known.
    pub costs: Option<f64>,
    /// What the devices that it brings cost singly; nothing where a price is not known.
    pub singles: Option<f64>,
}

#[derive(Deserialize)]
struct Rows {
    kit: Vec<Kit>,
}

/// Kits that are shipped as examples, to begin from. A broken file is a defect that the tests catch.
pub static SHIPPED: LazyLock<Vec<Kit>> = LazyLock::new(|| {
    let rows = toml::from_str::<Rows>(include_str!("../../data/kits.toml"));
    rows.map(|rows| rows.kit).unwrap_or_default()
});

/// The kits of a job as they fall on its plan, in their order.
pub fn kits(site: &Site) -> Vec<KitLaid> {
    laid(site, site.kits.iter())
}

/// A kit as it would fall on the plan beside those that are bought.
pub fn with(site: &Site, kit: &Kit) -> Option<KitLaid> {
    laid(site, site.kits.iter().chain([kit])).pop()
}

fn laid<'a>(site: &Site, kits: impl Iterator<Item = &'a Kit>) -> Vec<KitLaid> {
    // One box on a shelf may keep several networks: it comes once.
    let mut hubs: BTreeSet<(&PointId, &str)> = BTreeSet::new();
    let mut open: Vec<(&Device, &DeviceKind)> = Vec::new();
    for (device, kind, _) in bought(site) {
        if kind.duty != Duty::Hub || hubs.insert((&device.point, &kind.id)) {
            open.push((device, kind));
        }
    }
    let mut all = Vec::new();
    for kit in kits {
        let (mut brings, mut singles) = (Vec::new(), Some(0.0));
        let mut left = BTreeMap::new();
        for (id, in_one) in &kit.contents {
            let mut count = usize::from(*in_one) * usize::from(kit.count);
            let row = site.kind(id);
            open.retain(|(device, kind)| {
                let is_it = row.is_some_and(|row| row.bought_as() == kind.bought_as());
                if count == 0 || !is_it {
                    return true;
                }
                count -= 1;
                singles = singles.zip(kind.fit.price).map(|(sum, price)| sum + price);
                brings.push(device.id.clone());
                false
            });
            if count > 0 {
                let name = row.map_or_else(|| id.clone(), |row| row.bought_as().to_owned());
                left.insert(id.clone(), (name, count));
            }
        }
        let is_hub = |id: &String| site.kind(id).is_some_and(|row| row.duty == Duty::Hub);
        all.push(KitLaid {
            hub_too_many: left.keys().any(is_hub),
            left: left.into_iter().map(|(id, (name, count))| (id, name, count)).collect(),
            costs: kit.price.map(|price| price * f64::from(kit.count)),
            kit: kit.clone(),
            brings,
            singles,
        });
    }
    all
}

/// Places without a device that such a row is for, each with the edit that lays one there; none where no network of the job
/// speaks its system.
pub fn places<'a>(site: &'a Site, id: &str) -> Vec<(&'a Point, Edit)> {
    let Some(kind) = site.kind(id) else { return Vec::new() };
    let network = site.networks.iter().find(|n| kind.systems.contains(&n.system));
    let free =
        |n: &u32| format!("kit-{n}").parse().ok().filter(|id| site.devices.get(id).is_none());
    let Some((network, device)) = network.zip((1..).find_map(|n| free(&n))) else {
        return Vec::new();
    };
    let lay = |point: &'a Point| {
        let device: DeviceId = device.clone();
        let name = naming::of_device(site, kind, &point.floor, point.at);
        let new = Device::new(device, &name, point.id.clone(), id, network.id.clone());
        (point, Edit::put(new))
    };
    let is_free = |p: &&Point| site.devices_at(&p.id).is_empty() && is_for(kind, p);
    site.points.iter().filter(is_free).map(lay).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_shipped_kit_holds_rows_of_the_library() {
        assert!(SHIPPED.len() >= 3);
        for kit in SHIPPED.iter() {
            assert!(kit.contents.len() > 1, "{}", kit.id);
            for id in kit.contents.keys() {
                assert!(crate::catalogue::kind(id).is_some(), "{id} of {}", kit.id);
            }
        }
    }
}
