//! Who signed that the house is accepted.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::moment::Moment;
use crate::site::kept::{Kept, Most, Tie, id, kept_by_id, note};
use crate::site::{Refusal, Wrong};

id!(/** A signature. */ SignOffId);

/// Somebody signed that the house is accepted as it then was.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SignOff {
    /// Its id.
    pub id: SignOffId,
    /// Who signed.
    pub name: String,
    /// As what: the client, the installer.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub role: String,
    /// When.
    pub at: Moment,
    /// How many devices passed then,
    pub passed: u32,
    /// how many did not,
    pub failed: u32,
    /// and how many were not tested to the end.
    pub untested: u32,
    /// What was signed with reservations.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub note: String,
}

kept_by_id!(SignOff, SignOffId);
impl Kept for SignOff {
    const MOST: Most = Most { count: 200, why: "every year for each who signs" };

    fn ties(&self, _: &mut dyn FnMut(Tie)) {}

    fn check(&self) -> Result<(), Refusal> {
        if self.name.trim().is_empty() {
            return Err(Refusal::wrong("name", Wrong::NoName));
        }
        note("name", &self.name)?;
        note("role", &self.role)?;
        note("note", &self.note)
    }
}
