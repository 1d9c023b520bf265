//! Tests in place: so many presses or pings, so many arrived.

use std::collections::BTreeSet;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::moment::Moment;
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, note, spot};
use crate::site::{DeviceId, FloorId};
use crate::site::{Kind, Refusal, Spot, Wrong};

id!(/** A test in place. */ RangeTestId);

/// What was sent.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Sent {
    /// Presses, watched at what they work.
    #[default]
    Presses,
    /// Pings from the hub.
    Pings,
}

/// A test in place.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct RangeTest {
    /// Its id.
    pub id: RangeTestId,
    /// The device that was tested.
    pub device: DeviceId,
    /// What was sent.
    #[serde(default)]
    pub sent: Sent,
    /// How many.
    pub count: u32,
    /// How many of them arrived.
    pub arrived: u32,
    /// How long one took, in milliseconds; the middle of those that arrived.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub delay_ms: Option<f64>,
    /// The quality of the link as the hub showed it, 0 to 255; nothing where it shows none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub lqi: Option<u8>,
    /// How it was: the words of [`crate::prove::press::CONDITIONS`] that held.
    #[serde(default, skip_serializing_if = "BTreeSet::is_empty")]
    pub conditions: BTreeSet<String>,
    /// Where a remote was, or where one stood with a phone.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub floor: Option<FloorId>,
    /// The spot there.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub spot: Option<Spot>,
    /// By whom.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub by: String,
    /// When.
    pub at: Moment,
    /// Free words.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub note: String,
}

kept_by_id!(RangeTest, RangeTestId);
impl Kept for RangeTest {
    const MOST: Most = Most { count: 50_000, why: "every device a hundred times over" };

    const SETS: &'static [&'static str] = &["conditions"];
    const WHOLES: &'static [&'static str] = &["spot"];

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("device", Kind::Device, &self.device, Bond::GoesAlong));
        if let Some(floor) = &self.floor {
            visit(Tie::new("floor", Kind::Floor, floor, Bond::GoesAlong));
        }
    }

    fn check(&self) -> Result<(), Refusal> {
        let values = [
            ("count", f64::from(self.count), 1.0, 10_000.0, ""),
            ("arrived", f64::from(self.arrived), 0.0, f64::from(self.count), ""),
            ("delay_ms", self.delay_ms.unwrap_or(0.0), 0.0, 600_000.0, "ms"),
        ];
        for (field, is, low, high, unit) in values {
            if !(low..=high).contains(&is) {
                return Err(Refusal::wrong(field, Wrong::Sheet { is, low, high, unit }));
            }
        }
        if let Some(at) = self.spot {
            spot("spot", at)?;
        }
        self.conditions.iter().try_for_each(|c| note("conditions", c))?;
        note("by", &self.by)?;
        note("note", &self.note)
    }
}
