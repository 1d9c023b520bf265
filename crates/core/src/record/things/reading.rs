//! Readings taken on site.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::moment::Moment;
use crate::site::DeviceId;
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, level, note};
use crate::site::{Kind, Refusal, Wrong};
use crate::units::{Db, Dbm};

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
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rssi_dbm: Option<Dbm>,
    /// The margin over what the hearer needs, where the network tells that instead.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub margin_db: Option<Db>,
    /// How good the hearer calls it, 0 to 255: a scale of its maker.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub lqi: Option<u8>,
    /// Transmit power and both antennas of test radios that stood in place of the devices, in dBm; nothing
    /// where the devices themselves spoke.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub test_radios_dbm: Option<Dbm>,
    /// Software of the hearer, where it is known.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub firmware: String,
    /// Why it does not count any longer: something was changed since. Empty while it does.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub superseded: String,
    /// When, as `2026-03-14T10:05:00Z`.
    pub at: Moment,
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
        if let Some(rssi) = self.rssi_dbm {
            level("rssi_dbm", rssi)?;
            if rssi.get() > 0.0 {
                return Err(Refusal::wrong("rssi_dbm", Wrong::TooLoud { is: rssi }));
            }
        }
        if let Some(sum) = self.test_radios_dbm {
            level("test_radios_dbm", Dbm::new(sum.get() - 40.0))?;
        }
        let margin = self.margin_db.map(Db::get);
        if let Some(is) = margin.filter(|m| !(-40.0..=120.0).contains(m)) {
            let (low, high) = (-40.0, 120.0);
            return Err(Refusal::wrong("margin_db", Wrong::Sheet { is, low, high, unit: "dB" }));
        }
        if self.rssi_dbm.is_none() && margin.is_none() && self.lqi.is_none() {
            return Err(Refusal::wrong("rssi_dbm", Wrong::NothingHeard));
        }
        note("firmware", &self.firmware)?;
        note("superseded", &self.superseded)?;
        note("source", &self.source)
    }
}
