//! Faults that were met: what was seen, what was asked, what it was, what helped, and how long it took.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::moment::Moment;
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, note};
use crate::site::{DeviceId, PointId};
use crate::site::{Kind, Refusal, Wrong};

id!(/** A fault. */ FaultId);

/// An answer to a check of the guide.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct CheckAnswer {
    /// The check, by its word.
    pub check: String,
    /// Whether it was so; nothing where nobody could tell.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub so: Option<bool>,
}

/// A fault.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Fault {
    /// Its id.
    pub id: FaultId,
    /// Where.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub point: Option<PointId>,
    /// The device.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub device: Option<DeviceId>,
    /// What was seen, by the word of the guide.
    pub symptom: String,
    /// What was asked, in order.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub asked: Vec<CheckAnswer>,
    /// What it was, by the word of the guide or in free words; empty while nobody knows.
    #[serde(default)]
    pub cause: String,
    /// What helped.
    #[serde(default)]
    pub cure: String,
    /// How long it took, in minutes.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub minutes: Option<f64>,
    /// By whom.
    #[serde(default)]
    pub by: String,
    /// When it was met.
    pub at: Moment,
}

kept_by_id!(Fault, FaultId);
impl Kept for Fault {
    const MOST: Most = Most { count: 5000, why: "two a device" };

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        if let Some(point) = &self.point {
            visit(Tie::new("point", Kind::Point, point, Bond::GoesAlong));
        }
        if let Some(device) = &self.device {
            visit(Tie::new("device", Kind::Device, device, Bond::GoesAlong));
        }
    }

    fn check(&self) -> Result<(), Refusal> {
        if self.symptom.trim().is_empty() {
            return Err(Refusal::wrong("symptom", Wrong::NotSaid));
        }
        let texts = [
            ("symptom", &self.symptom),
            ("cause", &self.cause),
            ("cure", &self.cure),
            ("by", &self.by),
        ];
        texts.into_iter().try_for_each(|(field, text)| note(field, text))?;
        let is = self.asked.len();
        if is > 60 {
            return Err(Refusal::wrong("asked", Wrong::Count { is, least: 0, most: 60 }));
        }
        self.asked.iter().try_for_each(|a| note("asked", &a.check))?;
        if let Some(is) = self.minutes.filter(|m| !(0.0..=10_000.0).contains(m)) {
            let (low, high, unit) = (0.0, 10_000.0, "minutes");
            return Err(Refusal::wrong("minutes", Wrong::Sheet { is, low, high, unit }));
        }
        Ok(())
    }
}
