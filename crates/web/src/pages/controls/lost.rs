//! What a lost message leaves behind, as a sequence: two lamps, two controllers, by what the keys send.

use dot_reach_core::keys::{DriftStep, HandEvent, KeySends, sequence};

/// Something that happens, with how both lamps stand after it by what the keys send, and whether that is as wanted.
pub(super) struct LostRow {
    pub(super) event: &'static str,
    pub(super) after: [(String, bool); 3],
}

/// The words of what keys send, in the order of the columns.
pub(super) fn columns() -> [&'static str; 3] {
    KeySends::ALL.map(|(_, name)| name)
}

/// The sequence.
pub(super) fn rows() -> Vec<LostRow> {
    let press = |of, wants, lost| HandEvent::Press { of, wants, lost };
    let events = [
        ("Switched on at the first controller", press(0, true, false)),
        ("Off at the first; one lamp does not hear it", press(0, false, true)),
        ("On at the first", press(0, true, false)),
        ("Off at the second controller", press(1, false, false)),
        ("The power goes and comes back; both lamps come back on", HandEvent::PowerCut),
        ("Off at the second", press(1, false, false)),
    ];
    let all = KeySends::ALL.map(|(sends, _)| sequence(sends, &events.map(|(_, event)| event)));
    let row = |(n, (event, _)): (usize, (&'static str, HandEvent))| LostRow {
        event,
        after: std::array::from_fn(|of| {
            all[of].get(n).copied().map_or_else(Default::default, told)
        }),
    };
    events.into_iter().enumerate().map(row).collect()
}

fn told(step: DriftStep) -> (String, bool) {
    let says = match step.lamps {
        [true, true] => "both on",
        [false, false] => "both off",
        _ => "one on, one off",
    };
    (says.to_owned(), step.is_as_wanted)
}
