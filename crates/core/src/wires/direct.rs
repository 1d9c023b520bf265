//! A unit whose wiring follows from its own box alone: an outlet that is its own load, and a unit of several channels at
//! one place, each with its own switched line.

use super::boxes::{BoxPlan, ConductorPlan, earth, letter_for, load_letter, rest};
use super::carries::Carries;
use super::layout::{CableEnd, LAYOUTS};
use super::matching::each;
use super::plan::{Scheme, UnitAt, plan};
use super::possible::SeenBox;
use super::standing::{Wired, mixed_circuits};
use super::{ControlWiring, WiringMethod, WiringState};
use crate::catalogue::{Button, Supply};
use crate::site::{Function, Load, Neutral, Point, PointKind, Site};

/// Whether the wiring of a unit follows from its box alone.
pub(super) fn is_direct(w: Wired<'_>, point: &Point) -> bool {
    point.kind == PointKind::Socket || w.kind.fit.channels > 1
}

/// The wiring of one, put into what is known of its control.
pub(super) fn direct(site: &Site, point: &Point, w: Wired<'_>, found: &mut ControlWiring) {
    found.method = Some(WiringMethod::OneUnit);
    let seen = SeenBox::of(site, point);
    found.open = held_back(site, point, w, &seen);
    if !found.open.is_empty() {
        return;
    }
    let channels = if point.kind == PointKind::Socket { 1 } else { w.kind.fit.channels };
    let outputs = match outputs(site, point, w, &seen) {
        Ok(outputs) => outputs,
        Err(asked) => {
            found.open.push(asked);
            return;
        }
    };
    let mut conductors = Vec::new();
    rest(site, &seen, each(&seen.own), &mut conductors);
    let neutral = w.kind.supply == Supply::MainsNeutral;
    for (of, is_wanted) in [(Function::Line, true), (Function::Neutral, neutral)] {
        if is_wanted && !conductors.iter().any(|c: &ConductorPlan| is_own(found, c) && c.was == of)
        {
            conductors.push(unlisted(site, point, of));
        }
    }
    for c in conductors.iter_mut().filter(|c| is_own(found, c)) {
        let name = match c.was {
            Function::Line => Some(letter_for(w.kind, Carries::Line)),
            Function::Neutral if neutral => Some(letter_for(w.kind, Carries::Neutral)),
            Function::Switched => {
                let output =
                    outputs.iter().find(|(id, _)| *id == c.id).map(|(_, channel)| *channel);
                output.map(|channel| load_letter(w.kind, channel))
            }
            _ => None,
        };
        if let Some(name) = name {
            if c.was == Function::Switched {
                "load".clone_into(&mut c.becomes);
            }
            c.terminals.push((Some(w.device.id.clone()), name));
        }
    }
    // Loads of one channel are one joint.
    for (id, channel) in &outputs {
        let of = outputs.iter().filter(|(other, of)| of == channel && other != id);
        let with: Vec<String> = of.map(|(other, _)| other.clone()).collect();
        if let Some(c) = conductors.iter_mut().find(|c| c.id == *id) {
            c.joins = with;
        }
    }
    let mut leads = Vec::new();
    earth(site.box_of(point).back_box, &[w], &mut conductors, &mut leads);
    let lines = conductors.iter().filter(|c| is_own(found, c) && c.was == Function::Line).count();
    found.boxes = vec![BoxPlan {
        point: point.id.clone(),
        devices: vec![w.device.id.clone()],
        conductors,
        leads,
        feeds_on: lines.saturating_sub(1),
    }];
    found.works = tried(neutral, channels);
    if found.works.is_empty() {
        found.boxes.clear();
        found.open.push("Tried out, it does not work: an electrician decides.".to_owned());
    }
}

fn is_own(found: &ControlWiring, c: &ConductorPlan) -> bool {
    c.circuit == found.circuit
}

/// What keeps a plan from being made; a sentence each.
fn held_back(site: &Site, point: &Point, w: Wired<'_>, seen: &SeenBox<'_>) -> Vec<String> {
    let mut open: Vec<String> = mixed_circuits(site, point).into_iter().collect();
    let (name, at) = (&w.device.name, point.title());
    let lead = site.box_of(point);
    if w.kind.supply == Supply::MainsNeutral && lead.neutral == Neutral::Absent {
        open.push(format!("{name} needs a neutral, and in the box of {at} is none."));
    }
    let is_told_apart =
        !seen.own.is_empty() && seen.own.iter().all(|(c, _)| c.found != Function::Unknown);
    let wanted =
        [(Function::Line, true), (Function::Neutral, w.kind.supply == Supply::MainsNeutral)];
    for (of, words) in Function::ALL {
        let lacks = wanted.contains(&(of, true)) && seen.count(of) == 0;
        if is_told_apart && lacks {
            open.push(format!("No {words} was found in the box of {at}: find the lines there."));
        }
    }
    if point.kind == PointKind::Socket && seen.count(Function::Switched) > 0 {
        open.push(format!(
            "A switched line comes to the box of {at}: which half of the outlet it feeds, and whether the link between the \
             halves comes off, an electrician decides."
        ));
    }
    if w.kind.fit.channels > 1
        && w.kind.button == Some(Button::Wired)
        && point.kind == PointKind::Switch
    {
        open.push(format!(
            "Which wall switch tells which channel of {name}, an electrician decides by the maker’s diagram."
        ));
    }
    open
}

/// The channel of each switched line, by the id of the conductor.
///
/// # Errors
/// What has to be said first; a sentence.
fn outputs(
    site: &Site,
    point: &Point,
    w: Wired<'_>,
    seen: &SeenBox<'_>,
) -> Result<Vec<(String, u8)>, String> {
    if point.kind == PointKind::Socket {
        return Ok(Vec::new());
    }
    let loads: Vec<&Load> = site.loads_of(&point.id).collect();
    let name = &w.device.name;
    let unsaid: Vec<&str> =
        loads.iter().filter(|l| l.channel == 0).map(|l| l.name.as_str()).collect();
    if !unsaid.is_empty() {
        return Err(format!("Say on which channel of {name} {} hangs.", unsaid.join(" and ")));
    }
    let leads_to = |from: &str, load: &Load| {
        let (from, own) = (from.trim().to_lowercase(), load.name.trim().to_lowercase());
        !from.is_empty() && (own == from || load.id.as_str() == from)
    };
    let own = each(&seen.own);
    let switched = own.iter().filter(|l| l.found == Function::Switched);
    let mut found: Vec<(String, u8)> = Vec::new();
    for l in switched {
        let named: Vec<u8> = loads
            .iter()
            .filter(|load| leads_to(&l.noted.from, load))
            .map(|load| load.channel)
            .collect();
        let channel = match (named.as_slice(), l.noted.gang) {
            ([channel], _) => *channel,
            ([], gang) if gang > 0 => gang,
            _ => {
                return Err(format!(
                    "Say of each switched line in the box of {} to which load it leads: by that it comes to its channel.",
                    point.title()
                ));
            }
        };
        if usize::from(channel) > usize::from(w.kind.fit.channels) {
            return Err(format!("{name} has no channel {channel}."));
        }
        found.push((l.id.clone(), channel));
    }
    let lacks =
        loads.iter().find(|load| !found.iter().any(|(_, channel)| *channel == load.channel));
    match lacks {
        Some(load) => Err(format!(
            "Which conductor in the box of {} leads to {} is not listed: find the lines there.",
            point.title(),
            load.name
        )),
        None => Ok(found),
    }
}

/// A conductor that nobody listed.
fn unlisted(site: &Site, point: &Point, was: Function) -> ConductorPlan {
    let (n, becomes) = if was == Function::Line { (1, "line") } else { (2, "neutral") };
    ConductorPlan {
        becomes: becomes.to_owned(),
        ..ConductorPlan::of(site, point, format!("unlisted-{n}"), was, None)
    }
}

/// Every channel by itself, tried as a unit between line and its load.
fn tried(neutral: bool, channels: u8) -> Vec<WiringState> {
    let Some(row) = LAYOUTS.iter().find(|row| row.id == "at-switch") else { return Vec::new() };
    let unit = Some(UnitAt { at: CableEnd::Place(0), neutral, sensing: false });
    let Ok(made) = plan(&row.cables(1), &Scheme { unit, beside: Vec::new() }) else {
        return Vec::new();
    };
    let states = |channel: u8| {
        let of = made.works.iter().map(move |state| WiringState {
            positions: Vec::new(),
            unit: if state.unit == 0 { 0 } else { usize::from(channel) },
            lamp: state.lamp,
        });
        of.collect::<Vec<_>>()
    };
    (1..=channels).flat_map(states).collect()
}
