//! What can be chosen in the forms of the survey, and how a value is written in them.

use dot_reach_core::catalogue::{self, KINDS};
use dot_reach_core::materials::construction::{CONSTRUCTIONS, Use};
use dot_reach_core::site::Site;
use serde::Serialize;

pub(crate) struct Choice {
    pub(crate) value: String,
    pub(crate) text: String,
    pub(crate) chosen: bool,
    /// The system of a network; empty for other choices.
    pub(crate) system: String,
}

pub(super) struct Group {
    pub(super) name: &'static str,
    pub(super) choices: Vec<Choice>,
}

pub(super) struct KindChoice {
    pub(super) value: String,
    pub(super) text: String,
    pub(super) systems: String,
    /// The fields of the point where such a device usually stands, as the job file writes them.
    pub(super) usual: String,
    pub(super) easily_cut: bool,
}

/// The word by which a plain enum is written in the job file.
pub(super) fn word(value: &impl Serialize) -> String {
    serde_json::to_value(value).ok().and_then(|v| v.as_str().map(str::to_owned)).unwrap_or_default()
}

pub(super) fn choices<T: Serialize + PartialEq + Copy>(
    all: &[(T, &str)],
    chosen: T,
) -> Vec<Choice> {
    let choice = |(value, text): &(T, &str)| Choice {
        value: word(value),
        text: (*text).to_owned(),
        chosen: *value == chosen,
        system: String::new(),
    };
    all.iter().map(choice).collect()
}

pub(super) fn groups(site: &Site, uses: &[Use]) -> Vec<Group> {
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

pub(super) fn kinds() -> Vec<KindChoice> {
    KINDS
        .iter()
        .map(|k| KindChoice {
            value: k.id.clone(),
            text: k.name.clone(),
            systems: k.systems.iter().map(word).collect::<Vec<_>>().join(" "),
            usual: usual(k),
            easily_cut: k.easily_cut,
        })
        .collect()
}

pub(super) fn usual(kind: &catalogue::DeviceKind) -> String {
    let (place, height, back_box) = kind.usual_place();
    serde_json::json!({ "kind": place, "height_m": height, "box": back_box }).to_string()
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

pub(super) fn metres(value: f64) -> String {
    format!("{value:.2}")
}
