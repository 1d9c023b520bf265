//! The plans against an exhaustive twin: a plan is found wherever there is one, and none is wrong.

use super::{layouts, schemes};
use dot_reach_core::site::Function;
use dot_reach_core::wires::carries::{Carries, Parts};
use dot_reach_core::wires::layout::{Cable, CableEnd};
use dot_reach_core::wires::plan::{Beside, Scheme, neutral_is_past, plan};

/// A set of cable ends.
type Ends = u32;

fn bit(end: CableEnd) -> Ends {
    match end {
        CableEnd::Panel => 1,
        CableEnd::Fitting => 2,
        CableEnd::Place(n) => 4 << n,
        CableEnd::Onward(n) => 1024 << n,
    }
}

/// The ends that are reached from some by conductors with a part.
fn reached(cables: &[Cable], parts: &Parts, part: Carries, from: Ends) -> Ends {
    let mut all = from;
    loop {
        let before = all;
        for (cable, of) in cables.iter().zip(parts) {
            let ends = bit(cable.from) | bit(cable.to);
            if all & ends != 0 && of.contains(&Some(part)) {
                all |= ends;
            }
        }
        if all == before {
            return all;
        }
    }
}

/// Whether a hand-out of parts does what a scheme asks, by who is reached from where. Electricity of its own: it knows no
/// pins and no joints.
fn is_right(cables: &[Cable], parts: &Parts, scheme: &Scheme) -> bool {
    let panel = bit(CableEnd::Panel);
    let line = reached(cables, parts, Carries::Line, panel);
    let neutral = reached(cables, parts, Carries::Neutral, panel);
    let fitting = bit(CableEnd::Fitting);
    // Where the lamp has a neutral of its own, it is none of the control's.
    if !neutral_is_past(cables) && neutral & fitting == 0 {
        return false;
    }
    let has = |ends: Ends, at: CableEnd| ends & bit(at) != 0;
    let tells = |b: &Beside| matches!(b, Beside::Contact { .. } | Beside::Follower { .. });
    let is_fed = |at: CableEnd, wants: bool| {
        has(line, at)
            && (!wants
                || has(neutral, at)
                    && at != CableEnd::Panel
                    && at_panel_or_by_wire(cables, parts, at))
    };
    let works = match scheme.unit {
        None => line & fitting != 0,
        Some(unit) => {
            let load = reached(cables, parts, Carries::Load, bit(unit.at));
            let signal = reached(cables, parts, Carries::Signal, bit(unit.at));
            let told = scheme.beside.iter().all(|(at, b)| !tells(b) || has(signal, *at));
            load & fitting != 0 && told && is_fed(unit.at, unit.neutral)
        }
    };
    // A toggle beside another on one wire changes nothing while that is closed.
    let count = |of: &dyn Fn(&Beside) -> bool| scheme.beside.iter().filter(|(_, b)| of(b)).count();
    let toggles = count(&|b| *b == Beside::Contact { momentary: false });
    let told_once = toggles == 0 || toggles == 1 && count(&tells) == 1;
    works
        && told_once
        && scheme.beside.iter().all(|(at, beside)| match beside {
            Beside::Contact { .. } => is_fed(*at, false),
            Beside::Follower { neutral } | Beside::Fed { neutral } => is_fed(*at, *neutral),
            Beside::Stays | Beside::Nothing => true,
        })
}

/// Whether a neutral is there by a conductor, and not only because the walk began there.
fn at_panel_or_by_wire(cables: &[Cable], parts: &Parts, at: CableEnd) -> bool {
    let here = cables.iter().zip(parts).filter(|(c, _)| c.from == at || c.to == at);
    here.flat_map(|(_, of)| of).any(|part| *part == Some(Carries::Neutral))
}

/// What a conductor may carry: a rule of colours, and what comes from the panel stays what it is.
fn may(cable: &Cable, was: Function, part: Carries) -> bool {
    let same = Carries::as_it_was(was) == Some(part);
    same || cable.from != CableEnd::Panel && part != Carries::Neutral
}

/// Every hand-out of the conductors from one on; whether the visit has seen enough.
fn go(
    at: usize,
    cores: &[(usize, usize)],
    cables: &[Cable],
    parts: &[Option<Carries>],
    handed: &mut Parts,
    visit: &mut dyn FnMut(&Parts) -> bool,
) -> bool {
    let Some((c, k)) = cores.get(at) else { return visit(handed) };
    for part in parts {
        if part.is_none_or(|p| may(&cables[*c], cables[*c].cores[*k], p)) {
            handed[*c][*k] = *part;
            if go(at + 1, cores, cables, parts, handed, visit) {
                return true;
            }
        }
    }
    handed[*c][*k] = None;
    false
}

/// Every hand-out that there is.
fn every(cables: &[Cable], visit: &mut dyn FnMut(&Parts) -> bool) {
    let cores: Vec<(usize, usize)> = cables
        .iter()
        .enumerate()
        .flat_map(|(c, of)| (0..of.cores.len()).map(move |k| (c, k)))
        .collect();
    let parts = [
        None,
        Some(Carries::Line),
        Some(Carries::Neutral),
        Some(Carries::Load),
        Some(Carries::Signal),
    ];
    let mut handed: Parts = cables.iter().map(|c| vec![None; c.cores.len()]).collect();
    go(0, &cores, cables, &parts, &mut handed, visit);
}

#[test]
fn a_plan_is_found_wherever_there_is_one_and_none_is_wrong() {
    let (mut found, mut none) = (0, 0);
    for (id, places, cables) in layouts() {
        // With more free conductors there are too many hand-outs to try; their shapes are tried with fewer places.
        let free: usize =
            cables.iter().filter(|c| c.from != CableEnd::Panel).map(|c| c.cores.len()).sum();
        if free > 7 {
            continue;
        }
        for scheme in schemes(places) {
            let planned = plan(&cables, &scheme);
            let mut exists = false;
            every(&cables, &mut |parts| {
                exists = is_right(&cables, parts, &scheme);
                exists
            });
            match planned {
                Ok(plan) => {
                    found += 1;
                    assert!(
                        is_right(&cables, &plan.parts, &scheme),
                        "{id} {places} {scheme:?}: {plan:?}"
                    );
                    assert!(!plan.works.is_empty());
                    // No conductor that was no neutral has become one, and what comes from the panel is what it was.
                    for (cable, of) in cables.iter().zip(&plan.parts) {
                        for (was, part) in cable.cores.iter().zip(of) {
                            assert!(
                                part.is_none_or(|p| may(cable, *was, p)),
                                "{id}: {was:?} {part:?}"
                            );
                        }
                    }
                }
                Err(why) => {
                    none += 1;
                    assert!(!exists, "{id} {places} {scheme:?}: {why:?}");
                }
            }
        }
    }
    assert!(found > 100 && none > 100, "{found} found, {none} not");
}
