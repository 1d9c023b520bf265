//! What is looked at one by one before a step counts as done. The cautions of the work stand here, where the
//! work is.

use super::work::WorkedDevice;
use crate::catalogue::{Far, PointKind};
use crate::radio::system::System;
use crate::record::Step;
use crate::site::{Earth, Function};

/// A check of a step.
#[derive(Clone, Debug, PartialEq)]
pub struct StepCheck {
    /// Its word in a mark.
    pub word: String,
    /// What is looked at.
    pub text: String,
}

type Applies = fn(&WorkedDevice<'_>) -> bool;

/// Each check: its step, its word, what is looked at, and where it applies.
const ROWS: [(Step, &str, &str, Applies); 63] = [
    (Step::Firmware, "updated", "The hub says that its software is up to date", always),
    (
        Step::Phone,
        "same-wifi",
        "The phone is on the network of the house, not on mobile data",
        always,
    ),
    (Step::Phone, "bluetooth", "Bluetooth is on", always),
    (Step::Phone, "system", "The phone's own software is up to date", always),
    (Step::Phone, "mail", "The owner can read the code that comes by mail", always),
    (Step::Phone, "owner", "The account is the owner's; no password is kept here", always),
    (Step::Clock, "time", "Time zone and clock are right", always),
    (Step::Clock, "place", "The place is set: sunrise follows from it", always),
    (
        Step::Excluded,
        "still-powered",
        "The old device still has power: it hears the exclusion",
        always,
    ),
    (
        Step::Excluded,
        "gone",
        "It is gone from the hub's list; what cannot be excluded is removed as failed",
        always,
    ),
    (
        Step::Dead,
        "own-terminals",
        "Dead at the terminals of what is in the box, before it is taken off",
        always,
    ),
    (
        Step::Dead,
        "every-conductor",
        "Every conductor of the box tested against each other and against earth",
        always,
    ),
    (
        Step::Dead,
        "neighbours",
        "The neighbours in the box are dead too: another circuit may share it",
        always,
    ),
    (Step::Dead, "after-removal", "Tested again with the old device off its wires", always),
    (
        Step::Dead,
        "tester-after",
        "The tester was shown to work again on the known source, after the tests",
        always,
    ),
    (Step::Dead, "rested", "Water kept away, ladder on firm ground and held", high_or_wet),
    (Step::Noted, "photo", "The wiring is photographed before anything is taken off", always),
    (Step::Noted, "terminals", "Which conductor was at which terminal is written down", always),
    (Step::Noted, "old-kept", "The old device is kept, marked with its place", always),
    (Step::Noted, "tape", "Painter's tape under the box against dust", in_box),
    (Step::Wired, "diagram", "The maker's diagram lies open, and is the one for this box", always),
    (Step::Wired, "strip", "Insulation taken off as the maker says, all conductors alike", always),
    (Step::Wired, "gauge", "Size of the conductors goes with terminal and connector", always),
    (Step::Wired, "earth", "Earth is connected, through to the box", has_earth),
    (Step::Wired, "no-bare", "No bare copper outside a connector", always),
    (
        Step::Wired,
        "capped",
        "Each unused conductor is capped by itself, and written down",
        has_unused,
    ),
    (
        Step::Wired,
        "family",
        "Everything on these wires is of one family: others flicker or are damaged",
        several_places,
    ),
    (Step::Checked, "tug", "Each joint tugged by itself", always),
    (Step::Checked, "terminals", "Terminals are tight, and not over-tightened", always),
    (
        Step::Checked,
        "connector",
        "Connectors are of the size for what meets in them; tape where the maker asks for it",
        always,
    ),
    (
        Step::Checked,
        "tabs",
        "Tabs are broken off only where its lower limit allows it",
        in_wide_box,
    ),
    (
        Step::DryFitted,
        "folded",
        "Conductors folded without pinch, cross, kink or nick; none on a sharp edge",
        always,
    ),
    (Step::DryFitted, "screws", "Screws turned in turn, level and flush", in_box),
    (Step::DryFitted, "indicator", "Its light is at the bottom, safety plugs are in", in_box),
    (Step::DryFitted, "nothing-left", "No tool, no strand, no bare end is left in it", always),
    (Step::PutBack, "capped", "Each conductor is back at its terminal or capped by itself", always),
    (Step::PutBack, "covered", "The box is covered and marked", always),
    (Step::Placed, "where", "It stands where it will live, not where it was convenient", always),
    (Step::Placed, "battery", "Battery in, strip pulled", battery),
    (Step::Powered, "on-off", "On and off by its own button", switches),
    (Step::Powered, "dim", "Up and down without flicker, at the lowest too", dims),
    (Step::Powered, "hold", "Hold, double and triple press do what the sheet says", own_button),
    (Step::Powered, "light", "Its light means what the sheet says", always),
    (Step::Identified, "right-one", "Identify makes this one answer, and no other", always),
    (
        Step::Identified,
        "press",
        "A press by hand shows in the app, a tap in the app shows here",
        has_radio,
    ),
    (Step::Identified, "app", "The app switches it", switches),
    (Step::Settings, "power-loss", "What it does after power comes back", mains),
    (Step::Settings, "type", "Kind of switch and contact of the wall switch", wired_button),
    (Step::Settings, "indicator", "Sense of its light", own_button),
    (Step::Settings, "fade", "Fade, and lowest and highest level", dims),
    (Step::Settings, "remote", "What each button sends", remote),
    (Step::Tied, "works", "It works the load of its master, from here", always),
    (Step::Tied, "right-one", "It works no other", always),
    (Step::Decoupled, "lamp-on", "The lamp is ON before the relay is given up", always),
    (Step::Decoupled, "disabled", "The button sends commands and no longer switches", always),
    (
        Step::Decoupled,
        "closed-after",
        "The relay stands CLOSED afterwards: the lamp answers the app",
        always,
    ),
    (Step::Tested, "door-shut", "Door shut, cabinet shut, people where they usually are", always),
    (Step::Tested, "in-place", "At the place where it stays", always),
    (Step::Tested, "answers", "Ten presses, ten answers", always),
    (Step::Closed, "works-closed", "Works with the plate on: metal and depth cost signal", always),
    (
        Step::Named,
        "default-room",
        "Nothing of it is left in a default room, and nothing stands there twice",
        always,
    ),
    (Step::Named, "link", "The right link of each platform was chosen", several_platforms),
    (Step::Shown, "household", "Somebody of the household has worked it", always),
];

fn always(_: &WorkedDevice<'_>) -> bool {
    true
}
fn high_or_wet(spot: &WorkedDevice<'_>) -> bool {
    spot.point.height_m.get() > 2.1 || spot.point.kind == PointKind::Outdoor
}
fn in_box(spot: &WorkedDevice<'_>) -> bool {
    spot.point.kind == PointKind::Switch
}
fn in_wide_box(spot: &WorkedDevice<'_>) -> bool {
    spot.kind.fit.derated.is_some() && spot.site.box_of(spot.point).gangs > 1
}
fn has_earth(spot: &WorkedDevice<'_>) -> bool {
    spot.kind.fit.earth || spot.site.box_of(spot.point).earth == Earth::Conductor
}
fn has_unused(spot: &WorkedDevice<'_>) -> bool {
    let conductors = &spot.site.box_of(spot.point).conductors;
    conductors.is_empty() || conductors.iter().any(|c| c.capped || c.found == Function::Spare)
}
fn several_places(spot: &WorkedDevice<'_>) -> bool {
    spot.site.group_of(&spot.point.id).is_some_and(|g| g.places.len() > 1)
}
fn battery(spot: &WorkedDevice<'_>) -> bool {
    !spot.kind.is_on_mains()
}
fn mains(spot: &WorkedDevice<'_>) -> bool {
    spot.kind.is_on_mains()
}
fn switches(spot: &WorkedDevice<'_>) -> bool {
    spot.kind.fit.switches() || spot.kind.fit.gives_light
}
fn dims(spot: &WorkedDevice<'_>) -> bool {
    spot.kind.fit.dims
}
fn own_button(spot: &WorkedDevice<'_>) -> bool {
    spot.kind.button == Some(crate::catalogue::Button::Own)
}
fn wired_button(spot: &WorkedDevice<'_>) -> bool {
    spot.kind.button == Some(crate::catalogue::Button::Wired)
}
fn has_radio(spot: &WorkedDevice<'_>) -> bool {
    spot.kind.has_radio
}
fn remote(spot: &WorkedDevice<'_>) -> bool {
    spot.kind.is_hand_held() || spot.kind.fit.far == Far::Remote
}
fn several_platforms(spot: &WorkedDevice<'_>) -> bool {
    spot.site.platforms.len() > 1
}

/// The checks of a step at a device, in order: the rows, then what its own sheet, its system and the
/// platforms of the house ask for.
pub fn checks(spot: &WorkedDevice<'_>, step: Step) -> Vec<StepCheck> {
    let rows = ROWS.iter().filter(|(of, _, _, applies)| *of == step && applies(spot));
    let mut all: Vec<StepCheck> = rows
        .map(|(_, word, text, _)| StepCheck { word: (*word).to_owned(), text: (*text).to_owned() })
        .collect();
    let mut add = |word: String, text: String| all.push(StepCheck { word, text });
    match step {
        Step::Wired => {
            // Nobody reaches these once it is closed.
            for (n, hidden) in spot.kind.wiring.hidden.iter().enumerate() {
                add(format!("hidden-{n}"), format!("Set before it is closed: {hidden}"));
            }
        }
        Step::Named => {
            for platform in &spot.site.platforms {
                let text = format!("Name and room stand in {}", platform.name);
                add(format!("in-{}", platform.id), text);
            }
        }
        Step::Joined => {
            if spot.kind.join.deletes_too {
                add(
                    "once".to_owned(),
                    "Pressed once only: the same press takes it out again when it is in".to_owned(),
                );
            }
            if spot.network.is_some_and(|n| n.system == System::ZWave) {
                add("class".to_owned(), "Its security class stands in the record".to_owned());
            }
        }
        _ => {}
    }
    all
}

/// What can hurt at a step: its caution, and where it applies.
const CAUTIONS: [(Step, &str, Applies); 12] = [
    (
        Step::Dead,
        "Only a tester says that it is dead: labels can be wrong, and a shared neutral can be live with its breaker off.",
        always,
    ),
    (
        Step::Dead,
        "Fixed wiring is for those who are licensed for it, where local law asks for that. Local code and the maker's sheet overrule this page.",
        always,
    ),
    (Step::Dead, "Above reach: a ladder on firm ground, held by a second person.", is_high),
    (Step::Dead, "Outdoors: work in the dry; residual-current protection.", is_outdoors),
    (
        Step::Noted,
        "A conductor that is taken off by itself can still belong to another circuit: test it again.",
        several_places,
    ),
    (Step::Wired, "Keep the earth. No edge of metal on a conductor of the mains.", always),
    (
        Step::Wired,
        "One family on these wires: a plain switch or a companion of another family damages the unit.",
        several_places,
    ),
    (Step::DryFitted, "The plate stays off: it goes on after the range test.", always),
    (
        Step::Powered,
        "It is live from here on: hands out of the box, the cover held before it.",
        opens_box,
    ),
    (Step::Placed, "Not into a socket that gets wet, nor behind what gets hot.", always),
    (
        Step::Decoupled,
        "Lamp on first. A relay that is given up while it is open leaves the lamp dark for good.",
        always,
    ),
    (Step::Closed, "Plate screws by hand, in turn: a cracked plate shows what is live.", opens_box),
];

fn is_high(spot: &WorkedDevice<'_>) -> bool {
    spot.point.height_m.get() > 2.1
}
fn is_outdoors(spot: &WorkedDevice<'_>) -> bool {
    spot.point.kind == PointKind::Outdoor
}
fn opens_box(spot: &WorkedDevice<'_>) -> bool {
    spot.opens_box()
}

/// What can hurt at a step of a device.
pub fn cautions(spot: &WorkedDevice<'_>, step: Step) -> Vec<&'static str> {
    let rows = CAUTIONS.iter().filter(|(of, _, applies)| *of == step && applies(spot));
    rows.map(|(_, text, _)| *text).collect()
}

/// What can hurt when power is switched off or on.
pub const POWER_CAUTIONS: [&str; 3] = [
    "Tell everyone in the house what goes off and for how long; ask about machines, medicine and alarms that need power.",
    "Lock it and hang a notice on it: whoever finds it off switches it on again.",
    "Whoever switches it on is whoever switched it off, or took it over by name.",
];
