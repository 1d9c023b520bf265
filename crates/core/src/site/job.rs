//! What the whole job rests on.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::Refusal;
use super::kept::{name, note};
use crate::confidence::Confidence;
use crate::radio::region::Region;

/// What the whole job rests on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Job {
    /// The name of the job.
    pub name: String,
    /// For whom.
    #[serde(default)]
    pub client: String,
    /// Where.
    #[serde(default)]
    pub address: String,
    /// Sets frequencies and transmit limits.
    pub region: Region,
    /// How sure a single link must be.
    pub confidence: Confidence,
    /// What to keep in mind, in free words.
    #[serde(default)]
    pub note: String,
}

impl Job {
    /// A job of which nothing more is known.
    pub fn new(name: &str, region: Region, confidence: Confidence) -> Self {
        let none = String::new;
        let name = name.to_owned();
        Self { name, client: none(), address: none(), region, confidence, note: none() }
    }

    pub(super) fn check(&self) -> Result<(), Refusal> {
        name(&self.name)?;
        note("note", &self.note)?;
        note("client", &self.client)?;
        note("address", &self.address)
    }
}
