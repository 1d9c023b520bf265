//! What a rule that works everything leaves out, for keys and for scenes.

use std::collections::BTreeSet;

use dot_reach_core::rules::in_a_sentence;
use dot_reach_core::site::{Device, DeviceId, Edit, Rule, Site, Target};
use serde_json::json;

/// A rule that works everything but for some.
pub(crate) struct LeftOut {
    pub(crate) said: String,
    /// Each that is left out, with the edit that takes it along.
    pub(crate) but: Vec<(String, String)>,
    /// Each that could be left out, with the edit that does so.
    pub(crate) others: Vec<(String, String)>,
}

/// What a rule that works everything leaves out.
pub(crate) fn left_out(site: &Site, rule: &Rule) -> Option<LeftOut> {
    let (place, but) = rule.does.iter().enumerate().find_map(|(n, action)| match &action.what {
        Target::AllBut(but) => Some((n, but)),
        _ => None,
    })?;
    let with = |but: BTreeSet<DeviceId>| {
        let mut changed = rule.clone();
        changed.does[place].what = Target::AllBut(but);
        json!(Edit::put(changed)).to_string()
    };
    let named = |device: &Device, edit: String| (device.name.clone(), edit);
    let without = |id: &DeviceId| but.iter().filter(|of| *of != id).cloned().collect();
    let left = but.iter().filter_map(|id| Some(named(site.devices.get(id)?, with(without(id)))));
    let all = site.switched_but(but).into_iter();
    let mut others: Vec<(String, String)> =
        all.map(|d| named(d, with(but.iter().chain([&d.id]).cloned().collect()))).collect();
    others.sort();
    Some(LeftOut { said: in_a_sentence(site, rule), but: left.collect(), others })
}
