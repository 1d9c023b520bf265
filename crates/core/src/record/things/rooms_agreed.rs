//! That the household agreed which rooms there are, and what each is called.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::moment::Moment;
use crate::site::kept::{Kept, Most, Tie, id, kept_by_id, name, note};
use crate::site::{Refusal, Wrong};

id!(/** An agreement on the rooms. */ RoomsAgreedId);

/// The rooms of the house as somebody of the household agreed to them.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct RoomsAgreed {
    /// Its id.
    pub id: RoomsAgreedId,
    /// Who agreed.
    pub name: String,
    /// The rooms by their names.
    pub rooms: Vec<String>,
    /// When.
    pub at: Moment,
    /// Free words: how an open room was split.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub note: String,
}

/// More rooms than a hotel has.
const MOST_ROOMS: usize = 2_000;

kept_by_id!(RoomsAgreed, RoomsAgreedId);
impl Kept for RoomsAgreed {
    const MOST: Most = Most { count: 300, why: "more often than a household changes its mind" };

    fn ties(&self, _: &mut dyn FnMut(Tie)) {
        // What was agreed then stays on record whatever becomes of the rooms.
    }

    fn check(&self) -> Result<(), Refusal> {
        name(&self.name)?;
        note("note", &self.note)?;
        let is = self.rooms.len();
        if !(1..=MOST_ROOMS).contains(&is) {
            return Err(Refusal::wrong("rooms", Wrong::Count { is, least: 1, most: MOST_ROOMS }));
        }
        self.rooms.iter().try_for_each(|room| note("rooms", room))
    }
}
