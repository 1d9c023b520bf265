//! Things that are carried about: how each is reached from every place where it may stand.

use std::sync::Arc;

use crate::analysis::{Analysis, analyse_while};
use crate::network::Outcome;
use crate::pulse::StillWanted;
use crate::site::{DeviceId, Edit, Kind, PointId, apply};

/// How a device is reached from each further place of its, found by putting it there on a copy; nothing of a place where it
/// is in no network, and an end where that is not `wanted` any longer.
pub fn elsewhere(
    analysis: &Analysis,
    device: &DeviceId,
    wanted: &StillWanted<'_>,
) -> Vec<(PointId, Outcome)> {
    let Some(of) = analysis.site.devices.get(device) else { return Vec::new() };
    let at = |point: &PointId| {
        let mut there = analysis.site.narrowed(&of.network);
        let moved = Edit::set(Kind::Device, device, "point", point.as_str());
        apply(&mut there, &moved).ok()?;
        let then = analyse_while(wanted, Some(analysis), &Arc::new(there), &analysis.options)?;
        let (network, place) = then.find(device)?;
        Some((point.clone(), network.outcomes[place].clone()))
    };
    of.also_at.iter().filter_map(at).collect()
}
