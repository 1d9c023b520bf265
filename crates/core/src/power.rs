//! How long a battery lasts, and why not longer.

use std::collections::BTreeMap;

use crate::catalogue::battery::{Draw, Life};
use crate::network::Outcome;
use crate::site::{Device, RunsIn, Site};

/// How many events a day a device is planned with: its own, or those of its row.
pub fn events_of(device: &Device, draw: &Draw) -> f64 {
    device.events_a_day.unwrap_or(draw.events)
}

/// How many messages an event of a device takes, by the press or state of it that tells most: one to its hub, or one to each
/// load that it works directly, as long as nobody said that its network tells groups at once.
pub fn messages_of(site: &Site, device: &Device) -> f64 {
    let tells_at_once =
        site.networks.get(&device.network).is_some_and(|n| n.groups_at_once == Some(true));
    if tells_at_once {
        return 1.0;
    }
    let mut by_press: BTreeMap<String, u32> = BTreeMap::new();
    for control in site.controls_by(&device.id).filter(|c| c.runs == RunsIn::Direct) {
        *by_press.entry(control.by_hand()).or_default() += 1;
    }
    f64::from(by_press.into_values().max().unwrap_or(1))
}

/// Life on a device's own first hop alone, which is all that its battery pays for; nothing when it is
/// not reached.
pub fn life_of(site: &Site, device: &Device, draw: &Draw, outcome: &Outcome) -> Option<Life> {
    let is_reached = !outcome.hops.is_empty();
    let life =
        || draw.life_telling(events_of(device, draw), messages_of(site, device), outcome.own_tries);
    is_reached.then(life)
}
