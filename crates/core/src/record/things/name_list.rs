//! How a platform names what it holds, as its list was found.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::site::kept::{Kept, Most, Tie, id, kept_by_id, name, note};
use crate::site::{Refusal, Wrong};

id!(/** A list of names as it was found. */ NameListId);

/// What stands in a platform, or in the list of a hub, name by name.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NameList {
    /// Its id.
    pub id: NameListId,
    /// The platform, or the network of the hub.
    pub of: String,
    /// What stands in it, in its order.
    pub rows: Vec<NamedThere>,
}

/// An entry of such a list.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NamedThere {
    /// What it is called.
    pub name: String,
    /// The room it stands in; empty where none is said.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub room: String,
}

/// As many as devices of a job.
const MOST_ROWS: usize = 2_500;

kept_by_id!(NameList, NameListId);
impl Kept for NameList {
    const MOST: Most = Most { count: 300, why: "each platform's list ten times over" };

    const WHOLES: &'static [&'static str] = &["rows"];

    fn ties(&self, _: &mut dyn FnMut(Tie)) {
        // What was found there stays on record when the platform is given up.
    }

    fn check(&self) -> Result<(), Refusal> {
        name(&self.of)?;
        let is = self.rows.len();
        if !(1..=MOST_ROWS).contains(&is) {
            return Err(Refusal::wrong("rows", Wrong::Count { is, least: 1, most: MOST_ROWS }));
        }
        self.rows.iter().try_for_each(|row| {
            note("name", &row.name)?;
            note("room", &row.room)
        })
    }
}
