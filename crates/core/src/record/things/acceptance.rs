//! What counts as accepted, agreed before the day.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::catalogue::Duty;
use crate::moment::Moment;
use crate::site::kept::{Kept, Most, Tie, id, kept_by_id, note};
use crate::site::{Refusal, Wrong};
use crate::units::Db;

id!(/** An agreement on acceptance. */ AcceptanceId);

/// What devices of one kind must show.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Acceptance {
    /// Its id.
    pub id: AcceptanceId,
    /// For which duty; nothing stands for all that have no line of their own.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub duty: Option<Duty>,
    /// The least margin over what the hearer needs, in the worse direction.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub margin_db: Option<Db>,
    /// How many must be sent at the least.
    pub count: u32,
    /// The share of them that must arrive, 0 to 1.
    pub rate: f64,
    /// The longest that one may take, in milliseconds.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub delay_ms: Option<f64>,
    /// Who agreed.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub agreed_by: String,
    /// When.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub agreed_at: Option<Moment>,
}

kept_by_id!(Acceptance, AcceptanceId);
impl Kept for Acceptance {
    const MOST: Most = Most { count: 50, why: "one a duty, and for the whole house" };

    fn ties(&self, _: &mut dyn FnMut(Tie)) {}

    fn check(&self) -> Result<(), Refusal> {
        let values = [
            ("margin_db", self.margin_db.map_or(0.0, Db::get), 0.0, 60.0, "dB"),
            ("count", f64::from(self.count), 1.0, 1000.0, ""),
            ("rate", self.rate, 0.0, 1.0, ""),
            ("delay_ms", self.delay_ms.unwrap_or(0.0), 0.0, 600_000.0, "ms"),
        ];
        for (field, is, low, high, unit) in values {
            if !(low..=high).contains(&is) {
                return Err(Refusal::wrong(field, Wrong::Sheet { is, low, high, unit }));
            }
        }
        note("agreed_by", &self.agreed_by)
    }
}
