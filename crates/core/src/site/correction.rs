//! What readings taught about the house, once accepted.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::kept::note;
use super::{DeviceId, NetworkId, Refusal, Wrong};
use crate::materials::construction::FrequencyBand;
use crate::units::Db;

/// What readings taught about this house.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Correction {
    /// The path-loss exponent.
    pub exponent: f64,
    /// A loss added to every path; negative when the house is better than assumed.
    pub offset_db: Db,
    /// Deviation of the model with these values, on a link that was not read; of surfaces.
    pub sigma_db: Db,
    /// Root mean square residual before, each reading left out of what predicts it.
    pub rmse_before_db: Db,
    /// Root mean square residual after, each reading left out of what predicts it.
    pub rmse_after_db: Db,
    /// How many readings it rests on.
    pub readings: usize,
    /// When it was accepted; empty in old jobs.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub at: String,
    /// What was learned, each beside its plan.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub learned: Vec<LearnedRow>,
    /// Their covariance in dB²: the lower triangle, row by row.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub spread: Vec<f64>,
    /// What the links that were read have of their own.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub links: Vec<LearnedLink>,
    /// Deviations of what a link, and of what a reading, has of its own.
    #[serde(default)]
    pub noise_db: [Db; 2],
}

/// What was learned about.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "of", rename_all = "kebab-case", deny_unknown_fields)]
pub enum LearnedOf {
    /// What a decade of distance costs; ten times the exponent.
    Exponent,
    /// What the receivers of a network tell.
    Network {
        /// Which.
        id: NetworkId,
    },
    /// A construction in a band.
    Construction {
        /// Which.
        id: String,
        /// Where.
        band: FrequencyBand,
    },
    /// A radio and what is around it.
    Device {
        /// Which.
        id: DeviceId,
    },
}

/// How much more than planned something costs.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct LearnedRow {
    /// What.
    #[serde(flatten)]
    pub of: LearnedOf,
    /// How much more.
    pub db: Db,
}

/// What a link that was read has of its own.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct LearnedLink {
    /// The network.
    pub network: NetworkId,
    /// One end.
    pub from: DeviceId,
    /// The other.
    pub to: DeviceId,
    /// How much more it loses than all else says.
    pub db: Db,
    /// How much of what it has of its own is known: 0 to 1.
    pub share: f64,
}

impl Correction {
    pub(super) fn check(&self) -> Result<(), Refusal> {
        let count = self.learned.len();
        let within = |db: Db| db.get().is_finite() && db.get().abs() <= 200.0;
        let sound = (1.0..=5.0).contains(&self.exponent)
            && self.offset_db.get().abs() <= 40.0
            && (0.5..=20.0).contains(&self.sigma_db.get())
            && count <= 2000
            && self.spread.len() == count * (count + 1) / 2
            && self.spread.iter().all(|v| v.is_finite() && v.abs() <= 1e4)
            && self.learned.iter().all(|r| within(r.db))
            && self.links.iter().all(|l| within(l.db) && (0.0..=1.0).contains(&l.share))
            && self.noise_db.iter().all(|n| (0.0..=20.0).contains(&n.get()));
        if !sound {
            return Err(Refusal::wrong("calibration", Wrong::Correction));
        }
        note("at", &self.at)
    }
}
