//! What readings taught about the house, once accepted.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{Refusal, Wrong};
use crate::units::Db;

/// What readings taught about this house.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Correction {
    /// The path-loss exponent.
    pub exponent: f64,
    /// A loss added to every path; negative when the house is better than assumed.
    pub offset_db: Db,
    /// Deviation of the model with these values.
    pub sigma_db: Db,
    /// Root mean square residual before.
    pub rmse_before_db: Db,
    /// Root mean square residual after.
    pub rmse_after_db: Db,
    /// How many readings it rests on.
    pub readings: usize,
}

impl Correction {
    pub(super) fn check(&self) -> Result<(), Refusal> {
        let sound = (1.0..=5.0).contains(&self.exponent)
            && self.offset_db.get().abs() <= 40.0
            && (0.5..=20.0).contains(&self.sigma_db.get());
        if sound { Ok(()) } else { Err(Refusal::wrong("calibration", Wrong::Correction)) }
    }
}
