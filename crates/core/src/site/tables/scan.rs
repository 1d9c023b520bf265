//! What a scan at the hub heard, line by line.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::moment::Moment;
use crate::radio::coexistence::Emission;
use crate::site::Refusal;
use crate::site::kept::{Kept, Most, Tie, busy, carrier, id, kept_by_id, level};
use crate::units::Dbm;

id!(/** A line of a scan. */ ScanId);

/// One line of a scan: what was heard at the hub.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Scan {
    /// Its id.
    pub id: ScanId,
    /// What was heard.
    pub carrier: Emission,
    /// How strong.
    pub level_dbm: Dbm,
    /// The share of time that it sends, 0 to 1.
    pub busy: f64,
    /// When.
    pub at: Moment,
}

kept_by_id!(Scan, ScanId);
impl Kept for Scan {
    const MOST: Most = Most { count: 10_000, why: "a scan a minute for a week" };

    const WHOLES: &'static [&'static str] = &["carrier"];

    fn ties(&self, _: &mut dyn FnMut(Tie)) {}

    fn check(&self) -> Result<(), Refusal> {
        carrier(self.carrier)?;
        level("level_dbm", self.level_dbm)?;
        busy(self.busy)
    }
}
