//! What a conductor carries once a unit is in: its new part, and which new part costs least.

use serde::Serialize;

use super::layout::{Cable, CableEnd};
use crate::site::Function;

/// What a conductor carries.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Carries {
    /// Permanent line.
    Line,
    /// Neutral.
    Neutral,
    /// The load: line as the unit switches it.
    Load,
    /// What far places tell the unit by wire.
    Signal,
    /// One of two travellers between switches that stay as they were.
    Traveller,
}

impl Carries {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 5] = [
        (Self::Line, "line"),
        (Self::Neutral, "neutral"),
        (Self::Load, "load"),
        (Self::Signal, "signal"),
        (Self::Traveller, "traveller"),
    ];

    /// Its words.
    pub fn name(self) -> &'static str {
        Self::ALL.iter().find(|(of, _)| *of == self).map_or("", |(_, name)| name)
    }

    /// What a conductor carries as the house was wired; nothing for a spare one.
    pub fn as_it_was(was: Function) -> Option<Self> {
        match was {
            Function::Line => Some(Self::Line),
            Function::Neutral => Some(Self::Neutral),
            Function::Switched => Some(Self::Load),
            Function::Traveller => Some(Self::Traveller),
            Function::Unknown | Function::Earth | Function::Spare => None,
        }
    }
}

/// The new part of each conductor of each cable; nothing where it is capped at both ends.
pub type Parts = Vec<Vec<Option<Carries>>>;

/// A part and all the places that it has to join.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PartDemand {
    /// The part.
    pub part: Carries,
    /// Where it is needed, its source with them.
    pub at: Vec<CableEnd>,
}

/// Why the conductors that are there are not enough.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TooFew {
    /// Between which ends; nothing where no cable leads there at all.
    pub between: Option<(CableEnd, CableEnd)>,
    /// What would have to pass there.
    pub needs: Vec<Carries>,
}

/// What a conductor costs in a new part: nought as it was, more where it is marked anew. A conductor that was no neutral
/// never becomes one (NFPA 70, 200.6 and 310.6; IEC 60445, 6.2.2: blue is for the neutral).
fn cost(was: Function, part: Carries) -> Option<u32> {
    if Carries::as_it_was(was) == Some(part) {
        return Some(0);
    }
    match (was, part) {
        (Function::Earth, _) | (_, Carries::Neutral | Carries::Traveller) => None,
        (Function::Traveller, Carries::Signal) => Some(1),
        (Function::Traveller | Function::Spare, _) => Some(2),
        (Function::Switched, _) => Some(3),
        (Function::Line, _) => Some(4),
        (Function::Neutral, _) => Some(8),
        (Function::Unknown, _) => Some(20),
    }
}

/// The new part of every conductor, so that all demands are met with the fewest changes; or where it is short.
///
/// The cables are a tree, or one ring: along each way the set of parts is fixed by what lies on either side, and within a
/// cable all ways to hand out its conductors are tried. O(ways × cables × conductors!), a cable having five at most.
///
/// # Errors
/// Where the conductors that are there are not enough.
pub fn hand_out(cables: &[Cable], demands: &[PartDemand]) -> Result<Parts, TooFew> {
    let ways: Vec<Vec<Vec<bool>>> = demands
        .iter()
        .map(|demand| {
            let all = ways(cables, &demand.at);
            let none = TooFew { between: None, needs: vec![demand.part] };
            if all.is_empty() { Err(none) } else { Ok(all) }
        })
        .collect::<Result<_, _>>()?;
    let mut best: Option<(u32, Parts)> = None;
    let mut short = None;
    let mut chosen = vec![0; demands.len()];
    loop {
        match along(cables, demands, &ways, &chosen) {
            Ok((cost, parts)) => {
                if best.as_ref().is_none_or(|(least, _)| cost < *least) {
                    best = Some((cost, parts));
                }
            }
            Err(why) => short = short.or(Some(why)),
        }
        if !next(&mut chosen, &ways) {
            break;
        }
    }
    match (best, short) {
        (Some((_, parts)), _) => Ok(parts),
        (None, Some(why)) => Err(why),
        (None, None) => Err(TooFew { between: None, needs: Vec::new() }),
    }
}

/// The next of all combinations.
fn next(chosen: &mut [usize], ways: &[Vec<Vec<bool>>]) -> bool {
    for (at, all) in chosen.iter_mut().zip(ways) {
        *at += 1;
        if *at < all.len() {
            return true;
        }
        *at = 0;
    }
    false
}

fn along(
    cables: &[Cable],
    demands: &[PartDemand],
    ways: &[Vec<Vec<bool>>],
    chosen: &[usize],
) -> Result<(u32, Parts), TooFew> {
    let mut sum = 0;
    let mut parts = Vec::with_capacity(cables.len());
    for (n, cable) in cables.iter().enumerate() {
        let passes = |(demand, at): (usize, &usize)| ways[demand][*at][n];
        let of = chosen.iter().enumerate().filter(|pick| passes((pick.0, pick.1)));
        let needs: Vec<Carries> = of.map(|(demand, _)| demands[demand].part).collect();
        let Some((cost, handed)) = within(cable, &needs) else {
            return Err(TooFew { between: Some((cable.from, cable.to)), needs });
        };
        sum += cost;
        parts.push(handed);
    }
    Ok((sum, parts))
}

/// What the conductors of one cable carry, with the fewest changes.
fn within(cable: &Cable, needs: &[Carries]) -> Option<(u32, Vec<Option<Carries>>)> {
    let is_fixed = matches!(cable.from, CableEnd::Panel) || matches!(cable.to, CableEnd::Onward(_));
    let mut best: Option<(u32, Vec<Option<Carries>>)> = None;
    let mut handed = vec![None; cable.cores.len()];
    try_each(cable, needs, is_fixed, 0, &mut handed, &mut best);
    // What nobody needs there: a neutral stays where it is, at a fixed end all does, the rest is capped.
    best.map(|(cost, mut handed)| {
        for (part, was) in handed.iter_mut().zip(&cable.cores) {
            if part.is_none() && (is_fixed || *was == Function::Neutral) {
                *part = Carries::as_it_was(*was);
            }
        }
        (cost, handed)
    })
}

fn try_each(
    cable: &Cable,
    needs: &[Carries],
    is_fixed: bool,
    so_far: u32,
    handed: &mut Vec<Option<Carries>>,
    best: &mut Option<(u32, Vec<Option<Carries>>)>,
) {
    let Some((part, rest)) = needs.split_first() else {
        if best.as_ref().is_none_or(|(least, _)| so_far < *least) {
            *best = Some((so_far, handed.clone()));
        }
        return;
    };
    for core in 0..cable.cores.len() {
        let Some(more) = cost(cable.cores[core], *part).filter(|more| *more == 0 || !is_fixed)
        else {
            continue;
        };
        if handed[core].is_none() {
            handed[core] = Some(*part);
            try_each(cable, rest, is_fixed, so_far + more, handed, best);
            handed[core] = None;
        }
    }
}

/// Every way to join some ends: by which cables. One in a tree; in a ring, one for each cable that is left out.
fn ways(cables: &[Cable], at: &[CableEnd]) -> Vec<Vec<bool>> {
    let mut all: Vec<Vec<bool>> = Vec::new();
    for left_out in std::iter::once(None).chain((0..cables.len()).map(Some)) {
        let there = |n: usize| Some(n) != left_out;
        let Some(found) = span(cables, at, there) else { continue };
        if !all.contains(&found) {
            all.push(found);
        }
    }
    // A way that holds another is longer than it has to be.
    let holds = |a: &[bool], b: &[bool]| a != b && a.iter().zip(b).all(|(a, b)| *a || !*b);
    let keep: Vec<bool> = all.iter().map(|a| !all.iter().any(|b| holds(a, b))).collect();
    all.into_iter().zip(keep).filter_map(|(way, keep)| keep.then_some(way)).collect()
}

/// The cables between some ends: all that are there, less those beyond which nothing is wanted.
fn span(cables: &[Cable], at: &[CableEnd], there: impl Fn(usize) -> bool) -> Option<Vec<bool>> {
    let mut used: Vec<bool> = (0..cables.len()).map(there).collect();
    let first = *at.first()?;
    let mut reached = vec![first];
    let mut grows = true;
    while grows {
        grows = false;
        for (cable, _) in cables.iter().zip(&used).filter(|(_, used)| **used) {
            for (a, b) in [(cable.from, cable.to), (cable.to, cable.from)] {
                if reached.contains(&a) && !reached.contains(&b) {
                    reached.push(b);
                    grows = true;
                }
            }
        }
    }
    if !at.iter().all(|node| reached.contains(node)) {
        return None;
    }
    // Loose ends that nobody asks for fall off, one after the other.
    loop {
        let degree = |node: CableEnd| {
            let ends = cables.iter().zip(&used).filter(|(_, used)| **used);
            ends.filter(|(c, _)| c.from == node || c.to == node).count()
        };
        let is_loose = |c: &Cable| {
            [c.from, c.to]
                .into_iter()
                .any(|end| !reached.contains(&end) || degree(end) == 1 && !at.contains(&end))
        };
        let loose = cables.iter().zip(&used).position(|(c, used)| *used && is_loose(c));
        let Some(loose) = loose else { return Some(used) };
        used[loose] = false;
    }
}
