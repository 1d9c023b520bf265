//! Which moves of a stretch stand on one card: what is done at one box in one go, with one tap at its end.

use super::stretch::{Move, WalkAct};
use crate::record::Step;

/// Steps of one device that are done in one go, each set a card.
const IN_ONE_GO: [&[Step]; 6] = [
    &[Step::Dead, Step::Noted],
    &[Step::Code, Step::Wired, Step::Checked, Step::DryFitted],
    &[Step::Code, Step::Bench, Step::Placed, Step::Powered],
    &[Step::Placed, Step::Powered, Step::Phone, Step::Firmware, Step::Clock],
    &[Step::Code, Step::Joined, Step::Identified, Step::Settings, Step::Tied, Step::Decoupled],
    &[Step::Tested, Step::Closed],
];

/// What is done for all devices of a stretch once the last is in: named and shown in one go.
pub(super) fn is_of_end(of: &Move) -> bool {
    matches!(of.act, WalkAct::Step { step: Step::Named | Step::Shown, .. })
}

/// Numbers the cards of some moves, from one.
pub(super) fn number(moves: &mut [Move]) {
    let (mut card, mut first) = (0, 0);
    for at in 0..moves.len() {
        if card == 0 || !belongs(&moves[first..at], &moves[at]) {
            card += 1;
            first = at;
        }
        moves[at].card = card;
    }
}

/// Whether a move stands on the card of those before it.
fn belongs(card: &[Move], next: &Move) -> bool {
    let Some(last) = card.last() else { return false };
    match (&last.act, &next.act) {
        (WalkAct::Isolate { further: a, .. }, WalkAct::ProveTester { further: b, .. }) => a == b,
        (WalkAct::Close { network: a, .. }, WalkAct::Rebuild { network: b, .. }) => a == b,
        // What one act lets in is one card, closing with it.
        (WalkAct::Step { step: Step::Joined, .. }, WalkAct::Step { step: Step::Joined, .. })
        | (WalkAct::Step { step: Step::Joined, .. }, WalkAct::Close { .. }) => {
            matches!(card.first().map(|m| &m.act), Some(WalkAct::Open { at_once: true, .. }))
        }
        // Whoever opens a network for a single device does the rest of it at once.
        (WalkAct::Open { expected, at_once, .. }, WalkAct::Step { device, .. }) => {
            *at_once || matches!(expected.as_slice(), [one] if one == device)
        }
        (WalkAct::Energise { further: false, .. }, WalkAct::Step { step: Step::Powered, .. }) => {
            true
        }

        (WalkAct::Step { device: a, step: of }, WalkAct::Step { device: b, step }) => {
            let is_on = matches!(card.first().map(|m| &m.act), Some(WalkAct::Energise { .. }));
            if is_on || is_of_end(last) {
                return is_on && *step == Step::Powered || is_of_end(next);
            }
            let so_far = || {
                card.iter().filter_map(|m| match &m.act {
                    WalkAct::Step { step, .. } => Some(*step),
                    _ => None,
                })
            };
            let go = |set: &&[Step]| {
                set.contains(of) && set.contains(step) && so_far().all(|s| set.contains(&s))
            };
            a == b && IN_ONE_GO.iter().any(go)
        }
        _ => false,
    }
}
