//! What a device in place of another does to the mesh: who gains a way and who loses one, found by
//! trying.

use std::sync::Arc;

use crate::analysis::{Analysis, analyse_while};
use crate::network::Band;
use crate::network::outcome::Hop;
use crate::pulse::StillWanted;
use crate::site::{DeviceId, Edit, apply};
use crate::units::Db;

/// What an edit does to the mesh.
#[derive(Clone, Debug, PartialEq)]
pub struct Effect {
    /// Devices that come to target, or are reached at all, by name.
    pub gain: Vec<String>,
    /// Devices that fall below target, or are lost, by name.
    pub lose: Vec<String>,
    /// The weakest margin over all that are reached, before and after.
    pub worst: (Option<Db>, Option<Db>),
    /// How many of all are at target, before and after.
    pub at_target: (usize, usize),
}

/// What an edit does to the mesh; nothing when it is refused, or no longer wanted.
pub fn effect(before: &Analysis, edit: &Edit, wanted: &StillWanted<'_>) -> Option<Effect> {
    let mut site = (*before.site).clone();
    apply(&mut site, edit).ok()?;
    let after = analyse_while(wanted, Some(before), &Arc::new(site), &before.options)?;
    let bands = |analysis: &Analysis| -> Vec<(DeviceId, String, Band)> {
        let rows = analysis.networks.iter().flat_map(|n| n.nodes.iter().zip(&n.outcomes));
        rows.map(|(node, o)| (o.device.clone(), node.name.clone(), o.band)).collect()
    };
    let (was, is) = (bands(before), bands(&after));
    let (mut gain, mut lose) = (Vec::new(), Vec::new());
    for (device, name, band) in &is {
        let Some((_, _, old)) = was.iter().find(|(d, ..)| d == device) else { continue };
        let step = |band: &Band| (*band >= Band::Sound, *band > Band::Out);
        match step(band).cmp(&step(old)) {
            std::cmp::Ordering::Greater => gain.push(name.clone()),
            std::cmp::Ordering::Less => lose.push(name.clone()),
            std::cmp::Ordering::Equal => {}
        }
    }
    let worst = |analysis: &Analysis| {
        let all = analysis.networks.iter().flat_map(|n| &n.outcomes);
        all.filter_map(|o| o.weakest().map(Hop::margin)).min_by(Db::total_cmp)
    };
    let at_target =
        |rows: &[(DeviceId, String, Band)]| rows.iter().filter(|r| r.2 >= Band::Sound).count();
    Some(Effect {
        gain,
        lose,
        worst: (worst(before), worst(&after)),
        at_target: (at_target(&was), at_target(&is)),
    })
}
