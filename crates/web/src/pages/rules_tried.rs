//! A rule as it was run by hand and read back, with what is asked of whoever does so next.

use dot_reach_core::prove::rules_tried::{meant, rule_proof};
use dot_reach_core::record::{Record, RuleTried};
use dot_reach_core::rules::{RuleNeed, in_a_sentence, needs};
use dot_reach_core::site::{DeviceId, Rule, Site, Trigger};

use crate::pages::house_time::day;

/// What the part `rules_tried.html` shows.
pub(crate) struct TriedView {
    pub(crate) rule: String,
    pub(crate) said: String,
    pub(crate) state: String,
    pub(crate) class: &'static str,
    pub(crate) read: String,
    /// What it needs, and what becomes of it without that.
    pub(crate) needs: Vec<&'static str>,
    /// What may have moved: with its id, name, and whether it is meant to.
    pub(crate) meant: Vec<(String, String)>,
    /// Whatever else could have moved.
    pub(crate) others: Vec<(String, String)>,
}

/// How a rule stands by the record.
pub(crate) fn tried(site: &Site, record: &Record, rule: &Rule) -> TriedView {
    let proof = rule_proof(site, record, rule);
    let name = |id: &DeviceId| site.devices.get(id).map_or_else(String::new, |d| d.name.clone());
    let names = |ids: &std::collections::BTreeSet<DeviceId>| {
        ids.iter().map(name).collect::<Vec<_>>().join(", ")
    };
    let on = |tried: &RuleTried| day(&tried.at.to_string());
    let (state, class) = match proof.run {
        None if proof.is_changed => {
            ("Changed since it was run by hand: run it again.".to_owned(), "warn")
        }
        None => ("Not run by hand yet.".to_owned(), ""),
        Some(run) if run.is_as_meant() => (format!("Run by hand {}: as meant.", on(run)), "sound"),
        Some(run) if run.meant.is_empty() => (
            format!("Run by hand {}, but it comes to nothing: nothing is proven.", on(run)),
            "warn",
        ),
        Some(run) => {
            let also = if proof.also.is_empty() {
                String::new()
            } else {
                format!(" {} moved too: take it off, and run it again.", names(&proof.also))
            };
            let stayed = if proof.stayed.is_empty() {
                String::new()
            } else {
                format!(" {} did not move.", names(&proof.stayed))
            };
            (format!("Run by hand {}.{also}{stayed}", on(run)), "warn")
        }
    };
    let meant = meant(site, rule);
    let loads = site.switched_but(&meant).into_iter();
    let controller = rule.controller();
    let mut others: Vec<(String, String)> = loads
        .filter(|d| Some(&d.id) != controller)
        .map(|d| (d.id.to_string(), d.name.clone()))
        .collect();
    others.sort_by(|a, b| a.1.cmp(&b.1));
    let read = proof.read.map(|read| format!("Read back by {}, {}.", read.read_by, on(read)));
    let by_clock = matches!(rule.when, Trigger::Time { .. });
    TriedView {
        needs: needs(site, rule).into_iter().map(RuleNeed::without).collect(),
        rule: rule.id.to_string(),
        said: in_a_sentence(site, rule),
        state,
        class,
        read: read.unwrap_or_else(|| {
            if by_clock { "Not read back yet.".to_owned() } else { String::new() }
        }),
        meant: meant.iter().map(|id| (id.to_string(), name(id))).collect(),
        others,
    }
}
