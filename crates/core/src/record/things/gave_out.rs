//! That a unit gave out, and another of its kind takes its place.

use std::collections::BTreeSet;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::site::kept::note;
use crate::site::{DeviceId, Refusal, Wrong};

/// A unit is dead: what was done on it counts no longer, and is done again on the one that takes its place.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct GaveOut {
    /// The device.
    pub device: DeviceId,
    /// What it was, as far as anybody knows.
    pub why: String,
    /// The number that the network had given it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub node: Option<u32>,
    /// What hung on it, as the hub's list or else the plan has it: it is tested again.
    #[serde(default, skip_serializing_if = "BTreeSet::is_empty")]
    pub hung: BTreeSet<DeviceId>,
}

impl GaveOut {
    /// Its own shape.
    ///
    /// # Errors
    /// Nobody says what it was.
    pub fn check(&self) -> Result<(), Refusal> {
        if self.why.trim().is_empty() {
            return Err(Refusal::wrong("why", Wrong::NotSaid));
        }
        note("why", &self.why)
    }
}
