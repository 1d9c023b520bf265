//! Platforms that the house is worked from: one in charge, the others each with a purpose.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub use crate::catalogue::FittingWay;

use crate::site::Refusal;
use crate::site::kept::{Kept, Most, Tie, id, kept_by_id, name, note};

id!(/** A platform. */ PlatformId);

/// A platform.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Platform {
    /// Its id.
    pub id: PlatformId,
    /// What the household calls it.
    pub name: String,
    /// How it reaches devices.
    #[serde(default)]
    pub way: FittingWay,
    /// Whether it is the one in charge.
    #[serde(default)]
    pub in_charge: bool,
    /// Whether every device that is chosen must work with it.
    #[serde(default)]
    pub required: bool,
    /// What it is for, beside the one in charge.
    #[serde(default)]
    pub purpose: String,
    /// The version of its software that runs now, as it says itself; empty while nobody looked.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub version: String,
}

kept_by_id!(Platform, PlatformId);
impl Kept for Platform {
    const MOST: Most = Most { count: 30, why: "more than anyone keeps" };

    fn ties(&self, _: &mut dyn FnMut(Tie)) {}

    fn check(&self) -> Result<(), Refusal> {
        name(&self.name)?;
        note("purpose", &self.purpose)?;
        note("version", &self.version)
    }
}
