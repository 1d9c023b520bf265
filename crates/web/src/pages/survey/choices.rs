//! What can be chosen in the forms of the survey, and how a value is written in them.

use std::collections::BTreeMap;

use dot_reach_core::materials::construction::{CONSTRUCTIONS, Heft, Use};
use dot_reach_core::radio::system::System;
use dot_reach_core::site::Site;
use dot_reach_core::speech::{length_in_field, local};
use serde::Serialize;

pub(crate) struct Choice {
    pub(crate) value: String,
    pub(crate) text: String,
    pub(crate) chosen: bool,
    /// The system of a network; empty for other choices.
    pub(crate) system: String,
}

pub(crate) struct Group {
    pub(crate) name: &'static str,
    pub(crate) choices: Vec<Choice>,
}

pub(super) struct KindChoice {
    pub(super) value: String,
    pub(super) text: String,
    pub(super) systems: String,
}

/// The word by which a plain enum is written in the job file.
pub(crate) fn word(value: &impl Serialize) -> String {
    serde_json::to_value(value).ok().and_then(|v| v.as_str().map(str::to_owned)).unwrap_or_default()
}

pub(crate) fn choices<T: Serialize + PartialEq + Copy>(
    all: &[(T, &str)],
    chosen: T,
) -> Vec<Choice> {
    let choice = |(value, text): &(T, &str)| Choice {
        value: word(value),
        text: local(text).into_owned(),
        chosen: *value == chosen,
        system: String::new(),
    };
    all.iter().map(choice).collect()
}

/// Yes, no, or what stands for that nobody has said.
pub(crate) fn yes_no(is: Option<bool>, unsaid: &str) -> Vec<Choice> {
    let all = [("null", unsaid, None), ("true", "yes", Some(true)), ("false", "no", Some(false))];
    let choice = |(value, text, what): (&str, &str, Option<bool>)| Choice {
        value: value.to_owned(),
        text: text.to_owned(),
        chosen: is == what,
        system: String::new(),
    };
    all.map(choice).into()
}

pub(crate) fn groups(site: &Site, uses: &[Use]) -> Vec<Group> {
    let name = |used_for: Use| match used_for {
        Use::Wall => "Walls",
        Use::Floor => "Floors",
        Use::Roof => "Roofs",
        Use::Door => "Doors",
        Use::Window => "Windows",
        Use::Obstacle => "Obstacles",
    };
    uses.iter()
        .map(|used_for| {
            let own = site.constructions.iter();
            let rows = own.chain(CONSTRUCTIONS.iter()).filter(|c| c.used_for == *used_for);
            let choices = rows
                .map(|c| Choice {
                    value: c.id.clone(),
                    text: c.name.clone(),
                    chosen: false,
                    system: String::new(),
                })
                .collect();
            Group { name: name(*used_for), choices }
        })
        .collect()
}

pub(super) fn kinds(site: &Site) -> Vec<KindChoice> {
    site.all_kinds()
        .map(|k| KindChoice {
            value: k.id.clone(),
            text: k.name.clone(),
            systems: k.systems.iter().map(word).collect::<Vec<_>>().join(" "),
        })
        .collect()
}

pub(super) fn networks(site: &Site, chosen: &str) -> Vec<Choice> {
    let choice = |n: &dot_reach_core::site::Network| Choice {
        value: n.id.to_string(),
        text: if n.name == n.system.name() {
            n.name.clone()
        } else {
            format!("{} ({})", n.name, n.system.name())
        },
        chosen: n.id.as_str() == chosen,
        system: word(&n.system),
    };
    site.networks.iter().map(choice).collect()
}

/// The networks of the job, those with the most devices first; then the systems that it has none of
/// yet.
pub(super) fn network_groups(site: &Site) -> Vec<Group> {
    let is_new = |s: &&System| !site.networks.iter().any(|n| n.system == **s);
    let new = System::ALL.iter().filter(is_new).map(|s| Choice {
        value: format!("new:{}", word(s)),
        text: s.name().to_owned(),
        chosen: false,
        system: word(s),
    });
    let devices = |id: &str| site.devices.iter().filter(|d| d.network.as_str() == id).count();
    let mut in_use = networks(site, "");
    in_use.sort_by_cached_key(|c| {
        let order = System::ALL.iter().position(|s| word(s) == c.system);
        (std::cmp::Reverse(devices(&c.value)), order)
    });
    vec![
        Group { name: "in this job", choices: in_use },
        Group { name: "not yet used", choices: new.collect() },
    ]
}

/// The construction that most walls of this heft on the plan are of; the given one where there are
/// none.
pub(super) fn usual_wall(site: &Site, heft: Heft, otherwise: &str) -> String {
    let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
    for wall in site.walls.iter() {
        let of = site.construction(&wall.construction);
        if of.is_some_and(|c| c.heft() == heft) {
            *counts.entry(&wall.construction).or_default() += 1;
        }
    }
    let most = counts.into_iter().max_by_key(|(_, count)| *count);
    most.map_or(otherwise, |(id, _)| id).to_owned()
}

pub(super) fn metres(value: f64) -> String {
    length_in_field(value)
}
