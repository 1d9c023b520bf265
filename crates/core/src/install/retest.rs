//! What makes range tests stale: after any of these they are done again.

use serde_json::json;

use super::work::Spot;
use crate::site::{Edit, Kind, Mark, NetworkId, Refusal, RoomId, Site, Step, Wrong};

/// What makes range tests stale: its word, what happened, and which tests it takes along.
pub const TRIGGERS: [(&str, &str, Reach); 6] = [
    ("hub-moved", "the hub was moved", Reach::Network),
    ("repeater-removed", "something that repeats was taken away", Reach::Network),
    ("firmware", "software of the hub or of devices was renewed", Reach::Network),
    ("furniture", "furniture or an appliance was moved", Reach::Room),
    ("plate", "a plate or cover was fitted that was not there at the test", Reach::Room),
    ("building", "something was built: a wall, a floor, a large mirror", Reach::Room),
];

/// Which tests a trigger takes along.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Reach {
    /// All of a network.
    Network,
    /// All in a room.
    Room,
}

/// Takes back the range tests that something made stale.
pub(super) fn unsettled(
    site: &Site,
    trigger: &str,
    network: Option<&NetworkId>,
    room: Option<&RoomId>,
) -> Result<Edit, Refusal> {
    let known = || TRIGGERS.map(|(word, ..)| word).join(", ");
    let row = TRIGGERS.iter().find(|(word, ..)| *word == trigger);
    let text = trigger.to_owned();
    let (_, what, reach) =
        row.ok_or_else(|| Refusal::wrong("trigger", Wrong::NoneOf { text, known: known() }))?;
    let of = |spot: &Spot<'_>| match reach {
        Reach::Network => network.is_some_and(|n| spot.device.network == *n),
        Reach::Room => {
            room.is_some_and(|r| site.room_of(spot.point).is_some_and(|found| found.id == *r))
        }
    };
    let stale = |mark: &&Mark| {
        mark.step == Step::Tested
            && mark.at.is_some()
            && Spot::of(site, &mark.device).is_some_and(|spot| of(&spot))
    };
    let edits = site.marks.iter().filter(stale).flat_map(|mark| {
        let note =
            format!("tested {}; again, since {what}", mark.at.as_deref().unwrap_or("before"));
        [
            Edit::set(Kind::Mark, &mark.id, "at", json!(null)),
            Edit::set(Kind::Mark, &mark.id, "checks", json!([])),
            Edit::set(Kind::Mark, &mark.id, "note", json!(note)),
        ]
    });
    let edits: Vec<Edit> = edits.collect();
    if edits.is_empty() {
        return Err(Refusal::wrong("trigger", Wrong::NothingTested));
    }
    Ok(Edit::batch(edits))
}
