//! One ranking of the places for a hub: the adviser's, by what it takes until all are at target, with what each place gives
//! as the plan is now. Where the two do not agree, that is said, and why.

use super::advice::{Advice, Needs};
use super::{Places, Position};
use crate::units::{Db, count_of};

/// A place for the hub as it is ranked.
#[derive(Clone, Debug, PartialEq)]
pub struct RankedPlace {
    /// The place, and what it gives as the plan is.
    pub position: Position,
    /// What it takes with the hub there; nothing for a place that is not to choose from.
    pub needs: Option<Needs>,
    /// Whether it is the one that is advised.
    pub is_advised: bool,
}

/// By so much more to spare a move is worth a word when nothing is needed.
const WORTH_A_WORD: Db = Db::new(3.0);

/// All places, the advised one first, then by what each takes; those that nobody advises last, as they are ranked by what
/// they give now.
pub fn ranked(advice: &Advice, places: &Places) -> Vec<RankedPlace> {
    let of = |position: &Position| {
        advice
            .sites
            .iter()
            .position(|s| s.site.edit == position.edit && s.site.name == position.name)
    };
    let mut all: Vec<_> = places.positions.iter().enumerate().collect();
    all.sort_by_key(|(now, position)| (of(position).unwrap_or(usize::MAX), *now));
    let row = |(_, position): (usize, &Position)| {
        let score = of(position).map(|at| &advice.sites[at]);
        RankedPlace {
            position: position.clone(),
            needs: score.and_then(|s| s.needs),
            is_advised: score.is_some_and(|s| s.is_chosen),
        }
    };
    all.into_iter().map(row).collect()
}

/// What is said beside the advice: where the place that gives most as the plan is now is another one, which and why; and
/// what is worth doing where nothing is needed. Nothing where both agree.
pub fn beside_the_advice(
    advice: &Advice,
    ranked: &[RankedPlace],
    money: &dyn Fn(f64) -> String,
) -> Option<String> {
    let advised = ranked.iter().find(|r| r.is_advised)?;
    let can = ranked.iter().filter(|r| r.position.against.is_empty());
    let first_now = can.min_by(|a, b| a.position.score.cmp_reach(&b.position.score))?;
    if first_now.is_advised {
        return None;
    }
    let (here, there) = (&advised.position.score, &first_now.position.score);
    let (name, other) = (&advised.position.name, &first_now.position.name);
    let below = |score: &super::Score| score.out + score.thin;
    if below(here) == below(there) {
        // Both reach as many: what is left is spare margin, which is bought with a move.
        let more = there.worst.zip(here.worst).map(|(there, here)| there - here)?;
        let cost = advice.sites.iter().find(|s| s.site.name == *other).map_or(0.0, |s| s.site.cost);
        return (more > WORTH_A_WORD).then(|| {
            format!(
                "Worth doing beyond what is needed: at {other} the weakest device has {more} more to spare. That \
                 costs {}.",
                money(cost)
            )
        });
    }
    let takes = |needs: Option<Needs>| {
        needs.map_or_else(
            || "it is not among the places to choose from".to_owned(),
            |n| match n.left {
                0 => format!("it takes {} until all are at target", money(n.cost)),
                left => format!("it takes {} and leaves {left} below target", money(n.cost)),
            },
        )
    };
    let hops = if there.deepest < here.deepest {
        format!(
            " It reaches in {} what {name} reaches in {}.",
            count_of(there.deepest, "hop", "hops"),
            count_of(here.deepest, "hop", "hops")
        )
    } else {
        String::new()
    };
    Some(format!(
        "With nothing bought {other} comes first: {} below target there, {} at {name}.{hops} It is not advised: {}; at \
         {name} {}.",
        below(there),
        below(here),
        takes(first_now.needs),
        takes(advised.needs),
    ))
}
