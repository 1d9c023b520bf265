//! How long a battery lasts, and why not longer.

use crate::catalogue::battery::Draw;
use crate::network::Outcome;

/// Life in years on a device's own first hop; nothing when it is not reached.
pub fn years_of(draw: &Draw, outcome: &Outcome) -> Option<f64> {
    let hops = u32::try_from(outcome.hops.len()).ok().filter(|h| *h > 0)?;
    // Only the first hop costs the device itself.
    Some(draw.years(outcome.tries / f64::from(hops)))
}
