//! Finding lines in safe steps: what to do next at a box, what stands on record for each conductor, and
//! what follows from it.

use crate::site::{Conductor, Function, Point, Probe, Shows, Site};

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

/// The steps at a box, in order; `off` is what goes off for it, and `is_dead` whether the record says that it is dead now,
/// by a tester that was shown to work. Each is done when the record says so: nothing is ticked.
pub fn steps(site: &Site, point: &Point, off: &str, is_dead: bool) -> Vec<LineStep> {
    let wires = &point.conductors;
    let all = |is: fn(&Conductor) -> bool| !wires.is_empty() && wires.iter().all(is);
    let has_photo = site.photos.iter().any(|p| p.point == point.id && p.shows == Shows::Before);
    vec![
        LineStep {
            what: format!(
                "Today, isolate {off}; lock it, and prove every conductor in the box dead."
            ),
            caution: "Try the tester on something live before and after: a dead tester says dead to everything. What was \
                      dead on another day says nothing of today.",
            done: is_dead,
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
            what:
                "Take them off, separate them, and cap each by itself; prove each dead once more."
                    .to_owned(),
            caution: "No two may touch, nor the metal box, once the circuit is on.",
            done: all(|c| c.capped),
        },
        LineStep {
            what: "Still with the circuit off, find which conductor leads to the load.".to_owned(),
            caution: "By a continuity tester, the load in place. What leads to the load is the switched line, whatever a \
                      voltage tester shows of it later.",
            done: all(|c| c.probe.to_load.is_some()),
        },
        LineStep {
            what: "Take the lamps out, or take a tester of low impedance.".to_owned(),
            caution: "Through a lamp, a tester of high impedance reads full voltage on a switched line as on a neutral.",
            done: all(|c| c.probe.live == Some(true) || c.probe.to_line.is_some()),
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
    ]
}

/// What the tests of one conductor come to.
enum TestsSay {
    Is(Function, &'static str),
    /// They speak against each other: it stays open.
    Against(&'static str),
    Open,
}

/// What leads to the load is the switched line. What reads full voltage against the line and is not known to lead
/// elsewhere than to the load may do so through a lamp.
fn read(conductor: &Conductor) -> TestsSay {
    let Probe { live, dead_after, to_line, to_load, .. } = conductor.probe;
    let is_earth = is_earth_colour(&conductor.colour);
    if dead_after == Some(false) {
        return TestsSay::Against("stays live with the circuit off: another circuit feeds it");
    }
    match (live, to_line, to_load) {
        (Some(true), _, Some(true)) => TestsSay::Against(
            "is live by itself and leads to the load: something else switches that load, or feeds it",
        ),
        (Some(true), ..) => TestsSay::Is(Function::Line, "live with all others separated from it"),
        (_, _, Some(true)) if is_earth => TestsSay::Against(
            "is marked as earth and leads to the load: find out at the fitting what it is",
        ),
        (Some(false), _, Some(true)) => TestsSay::Is(
            Function::Switched,
            "leads to the load, and is not live by itself; full voltage against the line would be through the lamp",
        ),
        (Some(false), Some(true), Some(false)) if is_earth => TestsSay::Is(
            Function::Earth,
            "full voltage against the line, leads to no load, and marked as earth: verify at the panel",
        ),
        (Some(false), Some(true), Some(false)) => TestsSay::Is(
            Function::Neutral,
            "not live, full voltage against the line, and leads to no load",
        ),
        (Some(false), Some(false), Some(false)) => TestsSay::Is(
            Function::Traveller,
            "neither live nor a return, and leads to no load: to another place",
        ),
        _ => TestsSay::Open,
    }
}

/// What the record of the tests says of each conductor that it settles.
pub fn found(conductors: &[Conductor]) -> Vec<ConductorFound> {
    let settled = |c: &Conductor| match read(c) {
        TestsSay::Is(function, why) => Some(ConductorFound { id: c.id.clone(), function, why }),
        TestsSay::Against(_) | TestsSay::Open => None,
    };
    conductors.iter().filter_map(settled).collect()
}

/// Conductors whose tests speak against each other, or against what they are taken for.
pub fn contradicted(conductors: &[Conductor]) -> Vec<String> {
    let is = |c: &&Conductor| match read(c) {
        TestsSay::Against(_) => true,
        TestsSay::Is(function, _) => c.found != function && c.found != Function::Unknown,
        // It is called a neutral or an earth, and leads to the load.
        TestsSay::Open => {
            c.probe.to_load == Some(true) && matches!(c.found, Function::Neutral | Function::Earth)
        }
    };
    conductors.iter().filter(is).map(|c| c.id.clone()).collect()
}

/// The conductors with what the tests speak against open again: nothing is joined, capped or counted by it.
pub fn as_tested(conductors: &[Conductor]) -> Vec<Conductor> {
    let wrong = contradicted(conductors);
    let mut all = conductors.to_vec();
    for one in all.iter_mut().filter(|c| wrong.contains(&c.id)) {
        one.found = Function::Unknown;
    }
    all
}

/// What the record warns of.
pub fn warnings(conductors: &[Conductor]) -> Vec<String> {
    let live = conductors.iter().filter(|c| c.probe.live == Some(true)).count();
    let stayed = conductors.iter().any(|c| c.probe.dead_after == Some(false));
    let name =
        |c: &Conductor| if c.colour.trim().is_empty() { c.id.clone() } else { c.colour.clone() };
    let mut all = Vec::new();
    if live > 1 {
        all.push(
            "More than one conductor is live by itself: a second circuit or a feed that goes on is in this box."
                .to_owned(),
        );
    }
    if stayed {
        all.push(
            "A conductor stayed live with the circuit off: another circuit feeds it. Isolate the main.".to_owned(),
        );
    }
    for conductor in conductors {
        match read(conductor) {
            TestsSay::Against(why) if conductor.probe.dead_after != Some(false) => {
                all.push(format!("{} {why}. It stays open.", name(conductor)));
            }
            TestsSay::Is(function, _)
                if conductor.found != function && conductor.found != Function::Unknown =>
            {
                all.push(format!(
                    "{} stands on record as {}, and the tests say {}.",
                    name(conductor),
                    function_name(conductor.found),
                    function_name(function)
                ));
            }
            TestsSay::Open
                if conductor.probe.to_line == Some(true) && conductor.probe.to_load.is_none() =>
            {
                all.push(format!(
                    "{} reads full voltage against the line: a neutral, or a switched line through a lamp. Find out \
                     whether it leads to the load.",
                    name(conductor)
                ));
            }
            _ => {}
        }
    }
    all
}

fn function_name(of: Function) -> &'static str {
    Function::ALL.iter().find(|(f, _)| *f == of).map_or("", |(_, name)| name)
}

fn is_earth_colour(colour: &str) -> bool {
    let colour = colour.to_lowercase();
    colour.contains("bare") || (colour.contains("green") && !colour.contains("blue"))
}
