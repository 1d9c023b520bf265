//! What the switch that is there is, from what can be seen of it: the reasoning is part of the answer.

use crate::site::Signs;

/// What a switch is taken for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SwitchKind {
    /// Works its load alone.
    OneWay,
    /// One of two places, or an end of several.
    TwoWay,
    /// Between the two ends of three or more places.
    Intermediate,
    /// Cuts line and neutral together.
    DoublePole,
    /// The signs do not say, or speak against each other.
    Unsure,
}

/// What was made of the signs, and why.
#[derive(Clone, Debug, PartialEq)]
pub struct Deduced {
    /// What it is taken for.
    pub kind: SwitchKind,
    /// How that follows, a sentence each.
    pub because: Vec<&'static str>,
    /// What to look at next; empty when nothing is open.
    pub next: &'static str,
}

impl SwitchKind {
    /// Its words, where the first region calls it so; North America counts the places otherwise.
    pub fn name(self, counts_from_three: bool) -> &'static str {
        match (self, counts_from_three) {
            (Self::OneWay, false) => "one-way switch",
            (Self::OneWay, true) => "single-pole switch",
            (Self::TwoWay, false) => "two-way switch",
            (Self::TwoWay, true) => "three-way switch",
            (Self::Intermediate, false) => "intermediate switch",
            (Self::Intermediate, true) => "four-way switch",
            (Self::DoublePole, _) => "double-pole switch",
            (Self::Unsure, _) => "not settled",
        }
    }
}

const MARKED: &str =
    "On and off are marked: only a switch that works its load alone has a fixed on.";
const UNMARKED: &str = "On and off are not marked: up can be on or off, as with several places.";
const ODD: &str =
    "One screw has another colour: it is the common one, which a switch of several places has.";

/// What the signs say.
///
/// ```
/// # use dot_reach_core::{site::Signs, survey::signs::{SwitchKind, deduced}};
/// let signs = Signs { marked: Some(false), terminals: 4, ..Signs::default() };
/// assert_eq!(deduced(signs).kind, SwitchKind::Intermediate);
/// ```
pub fn deduced(signs: Signs) -> Deduced {
    let unsure = |because, next| Deduced { kind: SwitchKind::Unsure, because, next };
    let is = |kind, because| Deduced { kind, because, next: "" };
    let Signs { marked, terminals, odd_screw, another } = signs;
    match (terminals, marked, another) {
        (0, _, _) => unsure(
            Vec::new(),
            "take the plate off, leave the switch in, and count its terminals beside the earth",
        ),
        (2, _, Some(true)) => unsure(
            vec![
                "It has two terminals, which can only open and close one line.",
                "Yet another switch works the same load: one of the two was seen wrongly, or a relay stands between.",
            ],
            "press both, one after the other, and count the terminals again",
        ),
        (2, _, _) => is(
            SwitchKind::OneWay,
            std::iter::once("It has two terminals: it opens and closes one line.")
                .chain((marked == Some(true)).then_some(MARKED))
                .collect(),
        ),
        (3, Some(true), _) => unsure(
            vec!["It has three terminals, as a switch of several places has.", MARKED],
            "see whether the third terminal feeds a pilot lamp, which then needs neutral",
        ),
        (3, _, Some(false)) => Deduced {
            kind: SwitchKind::TwoWay,
            because: std::iter::once("It has three terminals: a common one and two travellers.")
                .chain((odd_screw == Some(true)).then_some(ODD))
                .chain(["No other switch works the load: it is used as one for a single place."])
                .collect(),
            next: "see that its third terminal is empty; a wire on it leads to a place not found yet",
        },
        (3, _, _) => Deduced {
            kind: SwitchKind::TwoWay,
            because: std::iter::once("It has three terminals: a common one and two travellers.")
                .chain((odd_screw == Some(true)).then_some(ODD))
                .chain((marked == Some(false)).then_some(UNMARKED))
                .collect(),
            next: if another.is_none() {
                "find the other place that works the same load"
            } else {
                ""
            },
        },
        (4, Some(true), _) => is(
            SwitchKind::DoublePole,
            vec![
                "It has four terminals and on and off are marked: it cuts both conductors of one load.",
            ],
        ),
        (4, Some(false), _) => is(
            SwitchKind::Intermediate,
            vec![
                "It has four terminals: two travellers come in and two go on.",
                UNMARKED,
                "So there are two more places, one at each end of it.",
            ],
        ),
        (4, None, _) => unsure(
            vec!["It has four terminals: between two others, or one that cuts both conductors."],
            "see whether on and off are marked on it",
        ),
        _ => unsure(
            vec!["No single switch has so many terminals."],
            "see whether two switches sit on one frame, and record each as a gang",
        ),
    }
}
