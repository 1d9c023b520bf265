//! What makes range tests stale: after any of these they are done again.

use std::collections::BTreeSet;

use super::work::WorkedDevice;
use crate::record::{RangeTest, Record, Step, What};
use crate::site::{DeviceId, NetworkId, Refusal, RoomId, Site, Wrong};

/// What makes range tests stale: its word, what happened, and which tests it takes along.
pub const TRIGGERS: [(&str, &str, RetestScope); 6] = [
    ("hub-moved", "the hub was moved", RetestScope::Network),
    ("repeater-removed", "something that repeats was taken away", RetestScope::Network),
    ("firmware", "software of the hub or of devices was renewed", RetestScope::Network),
    ("furniture", "furniture or an appliance was moved", RetestScope::Room),
    ("plate", "a plate or cover was fitted that was not there at the test", RetestScope::Room),
    ("building", "something was built: a wall, a floor, a large mirror", RetestScope::Room),
];

/// Which tests a trigger takes along.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum RetestScope {
    /// All of a network.
    Network,
    /// All in a room.
    Room,
}

/// The range tests that something made stale.
pub(super) fn unsettled(
    site: &Site,
    record: &Record,
    trigger: &str,
    network: Option<&NetworkId>,
    room: Option<&RoomId>,
) -> Result<What, Refusal> {
    let known = || TRIGGERS.map(|(word, ..)| word).join(", ");
    let row = TRIGGERS.iter().find(|(word, ..)| *word == trigger);
    let text = trigger.to_owned();
    let (_, _, reach) =
        row.ok_or_else(|| Refusal::wrong("trigger", Wrong::NoneOf { text, known: known() }))?;
    let of = |spot: &WorkedDevice<'_>| match reach {
        RetestScope::Network => network.is_some_and(|n| spot.device.network == *n),
        RetestScope::Room => {
            room.is_some_and(|r| site.room_of(spot.point).is_some_and(|found| found.id == *r))
        }
    };
    let stepped = record.marks().filter(|(_, step, m)| *step == Step::Tested && m.done.is_some());
    // What something made stale already is not made so again.
    let still_counts = |(entry, test): &(usize, &RangeTest)| {
        record.stale_since(&test.device).is_none_or(|since| *entry > since)
    };
    let tested: BTreeSet<&DeviceId> = stepped
        .map(|(device, ..)| device)
        .chain(record.range_tests.numbered().filter(still_counts).map(|(_, t)| &t.device))
        .collect();
    let stale =
        tested.into_iter().filter(|device| WorkedDevice::of(site, device).is_some_and(|s| of(&s)));
    let devices: BTreeSet<_> = stale.cloned().collect();
    if devices.is_empty() {
        return Err(Refusal::wrong("trigger", Wrong::NothingTested));
    }
    let (network, room) = (network.cloned(), room.cloned());
    Ok(What::Unsettled { trigger: trigger.to_owned(), network, room, devices })
}
