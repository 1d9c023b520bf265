//! How long a battery lasts, and why not longer.

use crate::catalogue::battery::{Draw, Life};
use crate::network::Outcome;
use crate::site::Device;

/// How many events a day a device is planned with: its own, or those of its row.
pub fn events_of(device: &Device, draw: &Draw) -> f64 {
    device.events_a_day.unwrap_or(draw.events)
}

/// Life on a device's own first hop alone, which is all that its battery pays for; nothing when it is
/// not reached.
pub fn life_of(device: &Device, draw: &Draw, outcome: &Outcome) -> Option<Life> {
    let is_reached = !outcome.hops.is_empty();
    is_reached.then(|| draw.life(events_of(device, draw), outcome.own_tries))
}
