//! How a device is joined, by what can be seen: from its own row, and from the rules of its system.

use crate::gate::work::{WorkKind, WorkedDevice};
use crate::radio::system::System;
use crate::record::Method;

/// How devices of a system are joined.
struct Way {
    system: System,
    /// Who has to be ready before the gesture.
    opens: &'static str,
    /// From which side the pairing starts.
    direction: &'static str,
    /// For how long the hub asks a new device for what it is, in seconds; *planning value*.
    interview_s: f64,
    /// How it can be included.
    methods: &'static [Method],
    /// Whether an entry must be taken out before a device may join again.
    excludes: bool,
}

use Method::{Classic, Code, ScanAhead};

#[rustfmt::skip]
const WAYS: [Way; 8] = [
    Way { system: System::Zigbee, opens: "The hub first: open the network, then do the gesture at the device",
          direction: "the device asks, the hub lets in", interview_s: 45.0, methods: &[Classic, Code], excludes: false },
    Way { system: System::ZWave, opens: "The hub first: adding is on before the device is pressed",
          direction: "the hub listens, the device announces itself", interview_s: 60.0, methods: &[Classic, ScanAhead, Code], excludes: true },
    Way { system: System::Star, opens: "The hub first: its light shows that it listens",
          direction: "the device calls, the hub answers", interview_s: 5.0, methods: &[Classic], excludes: false },
    Way { system: System::ZWaveLr, opens: "Read its code before it has power: the hub takes it by itself",
          direction: "the hub waits for a device that it knows", interview_s: 60.0, methods: &[ScanAhead], excludes: true },
    Way { system: System::Thread, opens: "The phone beside the device, Bluetooth on, its code at hand",
          direction: "the phone gives the device the network's key", interview_s: 30.0, methods: &[Code], excludes: false },
    Way { system: System::Bluetooth, opens: "The phone beside the device, Bluetooth on",
          direction: "the phone takes the device into the mesh", interview_s: 20.0, methods: &[Classic, Code], excludes: false },
    Way { system: System::Wifi, opens: "The phone on the 2.4 GHz network of the house",
          direction: "the phone gives the device the key of the Wi-Fi", interview_s: 30.0, methods: &[Classic, Code], excludes: false },
    Way { system: System::Kit, opens: "The master first: it opens for the whole kit, and every product shows it",
          direction: "each product answers the master", interview_s: 20.0, methods: &[Classic], excludes: false },
];

/// A rung of the ladder, when joining did not work.
#[derive(Clone, Debug, PartialEq)]
pub struct Rung {
    /// Its word.
    pub word: &'static str,
    /// What to do.
    pub act: &'static str,
    /// Why that may help.
    pub why: &'static str,
    /// For how long to wait then, in seconds.
    pub wait_s: Option<f64>,
}

/// The ladder, from what costs least.
const LADDER: [Rung; 7] = [
    Rung {
        word: "wait",
        act: "Leave it alone until its light is steady",
        why: "an interview takes up to a minute, and a press breaks it off",
        wait_s: Some(60.0),
    },
    Rung {
        word: "wake",
        act: "Wake it: press its button once, and again every few seconds",
        why: "what sleeps hears nothing",
        wait_s: Some(20.0),
    },
    Rung {
        word: "power",
        act: "Take its power away for ten seconds, and give it back",
        why: "its radio starts anew; so does an interview that hangs",
        wait_s: Some(30.0),
    },
    Rung {
        word: "nearer",
        act: "Bring the hub nearer, or put something that repeats in between",
        why: "joining sends longer messages than switching does; a link that is just enough loses them",
        wait_s: None,
    },
    Rung {
        word: "restart",
        act: "Restart the hub, and wait until it says that it is back",
        why: "a hub that is still busy with the last one lets nobody in",
        wait_s: Some(180.0),
    },
    Rung {
        word: "exclude",
        act: "Exclude it, or reset it by its own sheet",
        why: "half of it is in, here or elsewhere, and that half keeps it out",
        wait_s: Some(30.0),
    },
    Rung {
        word: "again",
        act: "Add it anew, from the top of this card",
        why: "now nothing is left of before",
        wait_s: None,
    },
];

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
    pub methods: Vec<Method>,
    /// What to do when it does not work, in order.
    pub ladder: Vec<Rung>,
}

/// The card of a device; nothing where it does not join.
pub fn card(spot: &WorkedDevice<'_>) -> Option<Card> {
    let network = spot.network?;
    let way = WAYS.iter().find(|w| w.system == network.system)?;
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
        opens: way.opens,
        direction: way.direction,
        gesture: or(&join.gesture, "As its leaflet says"),
        sign: or(&join.light, "nobody has written down what its light does: read its leaflet"),
        fails: or(&join.fails, "nothing that anyone has written down"),
        hold_s: join.hold_s,
        timeout_s: join.timeout_s,
        interview_s: way.interview_s,
        code: or(&join.code, "not written down"),
        warnings,
        methods: way.methods.to_vec(),
        ladder: LADDER.iter().filter(applies).cloned().collect(),
    })
}

/// How the old device that it replaces leaves its network, where it has to.
pub fn leaving(spot: &WorkedDevice<'_>) -> Option<&'static str> {
    if spot.device.replaces.trim().is_empty() || spot.work() == WorkKind::Companion {
        return None;
    }
    let system = spot.network?.system;
    let way = WAYS.iter().find(|w| w.system == system)?;
    Some(if way.excludes {
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
        for system in System::ALL {
            assert_eq!(WAYS.iter().filter(|w| w.system == system).count(), 1, "{system:?}");
        }
    }
}
