//! What a rule needs to run, and what becomes of it when that is out.

use std::collections::BTreeSet;

use crate::radio::system::System;
use crate::site::{Condition, DayTime, Device, DeviceId, NetworkId, Rule, RunsIn, Site, Trigger};

/// Something that a rule needs.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum RuleNeed {
    /// A hub that has power.
    Hub,
    /// The router of the house.
    Router,
    /// A line to the outside.
    Internet,
    /// A phone that is in the house and on.
    Phone,
    /// A clock that is right.
    Clock,
    /// Where the house stands: the sun.
    Whereabouts,
}

impl RuleNeed {
    /// Each with its word, and what becomes of a rule without it.
    pub const ALL: [(Self, &'static str, &'static str); 6] = [
        (
            Self::Hub,
            "the hub",
            "without the hub nothing runs; what was due meanwhile is not done later",
        ),
        (Self::Router, "the router", "without the router it does not reach what it works"),
        (Self::Internet, "the internet", "without the internet it does not run"),
        (Self::Phone, "a phone", "without that phone, or away from home, it does not run"),
        (
            Self::Clock,
            "a clock",
            "after a power cut it runs at the wrong time, or not, until the clock is set",
        ),
        (
            Self::Whereabouts,
            "the place of the house",
            "without the place the sun is not known, and it does not run",
        ),
    ];

    /// Its word.
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(need, ..)| *need == self).map_or("", |(_, word, _)| word)
    }

    /// What becomes of a rule without it.
    pub fn without(self) -> &'static str {
        Self::ALL.iter().find(|(need, ..)| *need == self).map_or("", |(.., without)| without)
    }
}

/// What a rule needs beside power for what it works.
pub fn needs(site: &Site, rule: &Rule) -> BTreeSet<RuleNeed> {
    let mut needs = BTreeSet::new();
    let networks = networks(site, rule);
    let is_wifi =
        |id: &&NetworkId| site.networks.get(*id).is_some_and(|n| n.system == System::Wifi);
    match rule.runs {
        RunsIn::Direct | RunsIn::Device => {}
        RunsIn::Hub => {
            needs.insert(RuleNeed::Hub);
        }
        RunsIn::Phone => needs.extend([RuleNeed::Phone, RuleNeed::Router, RuleNeed::Hub]),
        RunsIn::Server | RunsIn::Voice => {
            needs.extend([RuleNeed::Hub, RuleNeed::Router, RuleNeed::Internet]);
        }
    }
    let goes_about = !matches!(rule.runs, RunsIn::Direct | RunsIn::Device);
    if goes_about && (networks.len() > 1 || networks.iter().any(is_wifi)) {
        needs.insert(RuleNeed::Router);
    }
    let times = match &rule.when {
        Trigger::Time { at } => vec![*at],
        _ => Vec::new(),
    };
    let between = rule.only.iter().filter_map(|condition| match condition {
        Condition::Between { from, to } => Some([*from, *to]),
        _ => None,
    });
    for at in times.into_iter().chain(between.flatten()) {
        needs.insert(RuleNeed::Clock);
        if matches!(at, DayTime::Sun(..)) {
            needs.insert(RuleNeed::Whereabouts);
        }
    }
    let days = rule.only.iter().any(|c| matches!(c, Condition::Days { .. }));
    let home = rule.only.iter().any(|c| matches!(c, Condition::Home { .. }));
    needs.extend(days.then_some(RuleNeed::Clock));
    needs.extend(home.then_some(RuleNeed::Phone));
    needs
}

/// The networks that a rule goes through: of what sets it off, and of what it works.
fn networks<'a>(site: &'a Site, rule: &'a Rule) -> BTreeSet<&'a NetworkId> {
    let device = |id: &DeviceId| site.devices.get(id);
    let own = rule.controller().and_then(device).into_iter();
    let worked = site.reached_by(rule).into_iter().filter_map(|r| device(r.device));
    own.chain(worked).map(|d: &Device| &d.network).collect()
}

/// Rules that do the same from two places: what one forgets to switch off in one of them goes on in the other.
pub fn doubles(site: &Site) -> Vec<(&Rule, &Rule)> {
    let rules: Vec<&Rule> = site.rules.iter().filter(|rule| rule.when != Trigger::Called).collect();
    let reached = |rule: &Rule| -> BTreeSet<(DeviceId, String)> {
        let all = site.reached_by(rule).into_iter();
        all.map(|r| (r.device.clone(), r.action.to.word().to_owned())).collect()
    };
    let mut all = Vec::new();
    for (n, one) in rules.iter().enumerate() {
        for other in &rules[n + 1..] {
            if one.when != other.when || one.only != other.only {
                continue;
            }
            let does = reached(one);
            if one.does == other.does || !does.is_empty() && does == reached(other) {
                all.push((*one, *other));
            }
        }
    }
    all
}
