//! Finding lines in safe steps: what to do next at a box, what stands on record for each conductor, and
//! what follows from it.

use crate::site::{Conductor, Function, Point, Shows, Site};

/// A step of finding lines.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LineStep {
    /// What to do.
    pub what: String,
    /// What can hurt.
    pub caution: &'static str,
    /// Whether the record says that it was done.
    pub done: bool,
}

/// What follows for one conductor.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ConductorFound {
    /// Its id in the box.
    pub id: String,
    /// What it is.
    pub function: Function,
    /// Why.
    pub why: &'static str,
}

/// The steps at a box, in order. Each is done when the record says so: nothing is ticked.
pub fn steps(site: &Site, point: &Point) -> Vec<LineStep> {
    let circuit = site.circuit_of(point);
    let proven = circuit.is_some_and(|c| c.proven.is_some());
    let shares = circuit.is_some_and(|c| c.shared_neutral);
    let wires = &point.conductors;
    let all = |is: fn(&Conductor) -> bool| !wires.is_empty() && wires.iter().all(is);
    let has_photo = site.photos.iter().any(|p| p.point == point.id && p.shows == Shows::Before);
    let breaker = circuit.map_or_else(
        || "the main, as no breaker is on record here".to_owned(),
        |c| match (&c.proven, shares) {
            (_, true) => "both circuits that share the neutral, or the main".to_owned(),
            (Some(proven), false) => format!("breaker {}", proven.label),
            (None, false) => format!("breaker {}, and see whether its label is right", c.label),
        },
    );
    vec![
        LineStep {
            what: format!("Isolate {breaker}; lock it, and prove every conductor in the box dead."),
            caution: "Try the tester on something live before and after: a dead tester says dead to everything.",
            done: proven,
        },
        LineStep {
            what: "Photograph the wiring before anything is taken off.".to_owned(),
            caution: "Without it the old state cannot be put back.",
            done: has_photo,
        },
        LineStep {
            what: "List every conductor with its size, colour and old terminal.".to_owned(),
            caution: "Colours are a hint and never a proof: the last person may have used what was at hand.",
            done: !wires.is_empty(),
        },
        LineStep {
            what: "Take them off, separate them, and cap each by itself.".to_owned(),
            caution: "No two may touch, nor the metal box, once the circuit is on.",
            done: all(|c| c.capped),
        },
        LineStep {
            what:
                "Keep everyone away, switch the circuit on, and test each conductor: live or not."
                    .to_owned(),
            caution: "The box is live now. Whoever the law does not let work here stops at this step.",
            done: all(|c| c.probe.live.is_some()),
        },
        LineStep {
            what: "Against the one that is live, test which others read full voltage.".to_owned(),
            caution: "One hand; probes by their guards; nobody on a ladder.",
            done: all(|c| c.probe.live == Some(true) || c.probe.to_line.is_some()),
        },
        LineStep {
            what: "Isolate again and prove each dead.".to_owned(),
            caution: "One that stays live is fed by another circuit: isolate the main.",
            done: all(|c| c.probe.dead_after.is_some()),
        },
        LineStep {
            what: "With the load in place, find which conductor leads to it.".to_owned(),
            caution: "Only with the circuit off.",
            done: wires.iter().any(|c| c.probe.to_load == Some(true)),
        },
    ]
}

/// What the record of the tests says of each conductor that it settles.
pub fn found(conductors: &[Conductor]) -> Vec<ConductorFound> {
    let settled = |c: &Conductor| {
        let (function, why) = match (c.probe.live, c.probe.to_line, c.probe.to_load) {
            (Some(true), _, _) => (Function::Line, "live with all others separated from it"),
            (Some(false), Some(true), _) if is_earth_colour(&c.colour) => (
                Function::Earth,
                "full voltage against the line, and marked as earth: verify at the panel",
            ),
            (Some(false), Some(true), _) => {
                (Function::Neutral, "not live, and full voltage against the line")
            }
            (Some(false), Some(false), Some(true)) => {
                (Function::Switched, "not live, no return for the line, and leads to the load")
            }
            (Some(false), Some(false), Some(false)) => (
                Function::Traveller,
                "neither live nor a return, and leads to no load: to another place",
            ),
            _ => return None,
        };
        Some(ConductorFound { id: c.id.clone(), function, why })
    };
    conductors.iter().filter_map(settled).collect()
}

/// What the record warns of.
pub fn warnings(conductors: &[Conductor]) -> Vec<&'static str> {
    let live = conductors.iter().filter(|c| c.probe.live == Some(true)).count();
    let stayed = conductors.iter().any(|c| c.probe.dead_after == Some(false));
    let several = (live > 1).then_some(
        "More than one conductor is live by itself: a second circuit or a feed that goes on is in this box.",
    );
    let stays = stayed.then_some(
        "A conductor stayed live with the circuit off: another circuit feeds it. Isolate the main.",
    );
    several.into_iter().chain(stays).collect()
}

fn is_earth_colour(colour: &str) -> bool {
    let colour = colour.to_lowercase();
    colour.contains("bare") || (colour.contains("green") && !colour.contains("blue"))
}
