//! Readings taken on site.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::DeviceId;
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, level, note, time};
use crate::site::{Kind, Refusal, Wrong};
use crate::units::Dbm;

id!(/** A reading taken on site. */ ReadingId);

/// A reading of one link in one direction.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Reading {
    /// Its id.
    pub id: ReadingId,
    /// The device that sent.
    pub from: DeviceId,
    /// The device that heard.
    pub to: DeviceId,
    /// The level heard.
    pub rssi_dbm: Dbm,
    /// When, as `2026-03-14T10:05:00Z`.
    pub at: String,
    /// With what, or by whom.
    #[serde(default)]
    pub source: String,
}

kept_by_id!(Reading, ReadingId);
impl Kept for Reading {
    const MOST: Most = Most { count: 50_000, why: "every link of a house ten times over" };

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("from", Kind::Device, &self.from, Bond::GoesAlong));
        visit(Tie::new("to", Kind::Device, &self.to, Bond::GoesAlong));
    }

    fn check(&self) -> Result<(), Refusal> {
        if self.from == self.to {
            return Err(Refusal::wrong("to", Wrong::OneEnd));
        }
        level("rssi_dbm", self.rssi_dbm)?;
        time("at", &self.at)?;
        note("source", &self.source)
    }
}
