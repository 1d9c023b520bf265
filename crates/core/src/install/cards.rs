//! How a device is joined, by what can be seen: from its own row, and from the rules of its system.

use std::sync::LazyLock;

use serde::Deserialize;

use crate::catalogue::by_hand::TiedFrom;
use crate::gate::work::{self, WorkKind, WorkedDevice};
use crate::radio::system::System;
use crate::record::Method;
use crate::site::{Control, Device, NetworkId, RunsIn, Site};

/// How devices of a system are joined.
#[derive(Deserialize)]
struct Joins {
    system: System,
    /// Who has to be ready before the gesture.
    opens: String,
    /// From which side the pairing starts.
    direction: String,
    /// For how long the hub asks a new device for what it is, in seconds; *planning value*.
    interview_s: f64,
    /// How it can be included.
    methods: Vec<Method>,
    /// Whether an entry must be taken out before a device may join again.
    excludes: bool,
    /// What people in the house notice meanwhile.
    notice: String,
    /// Whether one act lets in all that waits.
    #[serde(default)]
    at_once: bool,
}

/// A rung of the ladder, when joining did not work.
#[derive(Clone, Debug, PartialEq, Deserialize)]
pub struct Rung {
    /// Its word.
    pub word: String,
    /// What to do.
    pub act: String,
    /// Why that may help.
    pub why: String,
    /// For how long to wait then, in seconds.
    pub wait_s: Option<f64>,
}

#[derive(Default, Deserialize)]
struct JoinRows {
    joins: Vec<Joins>,
    rung: Vec<Rung>,
}

impl JoinRows {
    fn of(&self, system: System) -> Option<&Joins> {
        self.joins.iter().find(|row| row.system == system)
    }
}

/// The rows. A broken file is a defect that the tests catch.
static ROWS: LazyLock<JoinRows> =
    LazyLock::new(|| toml::from_str(include_str!("../../data/day.toml")).unwrap_or_default());

/// How a device is joined.
#[derive(Clone, Debug, PartialEq)]
pub struct Card {
    /// Who has to be ready before the gesture.
    pub opens: &'static str,
    /// From which side the pairing starts.
    pub direction: &'static str,
    /// What to press.
    pub gesture: String,
    /// The sign to go by.
    pub sign: String,
    /// The sign that it was not taken.
    pub fails: String,
    /// For how long it is held, in seconds; the sign counts, not the seconds.
    pub hold_s: Option<f64>,
    /// For how long it waits, in seconds.
    pub timeout_s: Option<f64>,
    /// For how long it is left alone afterwards, in seconds.
    pub interview_s: f64,
    /// Where its code is.
    pub code: String,
    /// What to beware of.
    pub warnings: Vec<String>,
    /// How it can be included.
    pub methods: &'static [Method],
    /// What to do when it does not work, in order.
    pub ladder: Vec<&'static Rung>,
}

/// How a remote is tied to each of what it works directly, and whether that goes on without a hub; a line a load.
pub fn ties(spot: &WorkedDevice<'_>) -> Vec<String> {
    let gesture = match spot.kind.join.ties.trim() {
        "" => "its gesture, which stands in its sheet".to_owned(),
        gesture => gesture.to_owned(),
    };
    let own = &spot.device.name;
    let of = |control: Control<'_>| {
        let load = spot.site.devices.get(control.load).map_or("", |d| d.name.as_str());
        if control.runs != RunsIn::Direct {
            return format!("{load}: by a rule of the hub. Without the hub it does not move.");
        }
        let how = match spot.kind.hand.tied_from {
            Some(TiedFrom::Controller) => {
                format!("hold {own} within a hand of it, and do this at {own}: {gesture}")
            }
            Some(TiedFrom::Load) => {
                format!("make {load} listen ({gesture}), then press the key of {own}")
            }
            Some(TiedFrom::Hub) => {
                format!("at the hub tie {own} to it, and keep {own} awake meanwhile: {gesture}")
            }
            None => format!(
                "nobody wrote down from which side: look into the sheet of {own} before you begin. To tie it: {gesture}"
            ),
        };
        format!("{load}: {how}. It goes on without the hub.")
    };
    spot.binds().map(of).collect()
}

/// The card of a device; nothing where it does not join.
pub fn card(spot: &WorkedDevice<'_>) -> Option<Card> {
    let network = spot.network?;
    let way = ROWS.of(network.system)?;
    let join = &spot.kind.join;
    let mut warnings = Vec::new();
    if join.deletes_too {
        warnings.push(
            "The same press takes it out again once it is in: press once, and then not again."
                .to_owned(),
        );
    }
    if join.hold_s.is_some() {
        warnings.push(
            "Units of one family want different times: let go when the light says so.".to_owned(),
        );
    }
    if way.excludes {
        warnings.push(
            "Whatever was in any network before is excluded first; else it does not answer."
                .to_owned(),
        );
    }
    if !spot.kind.is_on_mains() {
        warnings
            .push("Keep it awake while it is asked what it is: press it now and then.".to_owned());
    }
    let applies = |rung: &&Rung| rung.word != "wake" || !spot.kind.is_on_mains();
    let or = |text: &str, or: &str| if text.is_empty() { or.to_owned() } else { text.to_owned() };
    Some(Card {
        opens: &way.opens,
        direction: &way.direction,
        gesture: or(&join.gesture, "As its leaflet says"),
        sign: or(&join.light, "nobody has written down what its light does: read its leaflet"),
        fails: or(&join.fails, "nothing that anyone has written down"),
        hold_s: join.hold_s,
        timeout_s: join.timeout_s,
        interview_s: way.interview_s,
        code: or(&join.code, "not written down"),
        warnings,
        methods: &way.methods,
        ladder: ROWS.rung.iter().filter(applies).collect(),
    })
}

/// Whether one act lets in everything of a system that waits.
pub fn lets_in_at_once(system: System) -> bool {
    ROWS.of(system).is_some_and(|row| row.at_once)
}

/// What people in the house notice while something of a system is joined.
pub fn notice(system: System) -> &'static str {
    ROWS.of(system).map_or("", |row| &row.notice)
}

/// How a network is opened: by what stands on the plan for it, or as its system does.
pub fn opening(site: &Site, network: &NetworkId, way: &Card) -> String {
    match work::opener(site, network) {
        Some((device, by)) => format!(
            "Wake {}, then: {}. Open is when it {}.",
            whereabouts(site, device),
            by.gesture,
            by.light
        ),
        None => format!("{}; {}.", way.opens, way.direction),
    }
}

/// How it is closed again: at what opened it.
pub fn closing(site: &Site, network: &NetworkId) -> String {
    const WHY: &str = "what stands open lets in whatever asks";
    if let Some((device, by)) = work::opener(site, network) {
        let at = whereabouts(site, device);
        return format!("At {at}: {}. Closed is when it {}: {WHY}.", by.closes, by.closed);
    }
    if site.hubs_of(network).next().is_some() {
        return format!("Close it at the hub, and look that the hub says so: {WHY}.");
    }
    format!("Close it at what opened it, and look that it says so: {WHY}.")
}

fn whereabouts(site: &Site, device: &Device) -> String {
    let point = site.point_of(device);
    point.map_or_else(|| device.name.clone(), |p| format!("{} ({})", device.name, p.title()))
}

/// How the old device that it replaces leaves its network, where it has to.
pub fn leaving(spot: &WorkedDevice<'_>) -> Option<&'static str> {
    if spot.device.replaces.trim().is_empty() || spot.work() == WorkKind::Companion {
        return None;
    }
    let system = spot.network?.system;
    let way = ROWS.of(system)?;
    Some(if spot.device.replaces_dead {
        "It answers nothing any more: remove it as failed in the hub's list"
    } else if way.excludes {
        "Start exclusion at the hub, then do the old device's gesture while it still has power"
    } else {
        "Delete it in the hub's list while it still has power, so that it hears it and forgets the network"
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_system_has_a_way_of_joining() {
        assert_eq!(ROWS.rung.len(), 7);
        for system in System::ALL {
            assert_eq!(
                ROWS.joins.iter().filter(|row| row.system == system).count(),
                1,
                "{system:?}"
            );
        }
    }
}
