//! How a device was wired in: by which diagram, with what, and how it is put back.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::site::DeviceId;
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, note};
use crate::site::{Kind, Refusal, Wrong};

id!(/** A record of wiring. */ WiringRecordId);

/// How a device was wired in.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct WiringRecord {
    /// Its id.
    pub id: WiringRecordId,
    /// The device.
    pub device: DeviceId,
    /// The diagram of the maker's sheet that was followed, by its name there.
    #[serde(default)]
    pub diagram: String,
    /// How much insulation was taken off, in millimetres.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub strip_mm: Option<f64>,
    /// Settings that nobody reaches once it is closed, as they were set.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub settings: BTreeMap<String, String>,
    /// How the old wiring is put back.
    #[serde(default)]
    pub put_back: String,
    /// Where the old device is kept.
    #[serde(default)]
    pub old_device: String,
    /// Free words.
    #[serde(default)]
    pub note: String,
}

impl WiringRecord {
    /// One of which nothing is said yet.
    pub fn new(id: WiringRecordId, device: DeviceId) -> Self {
        let none = String::new;
        Self {
            id,
            device,
            diagram: none(),
            strip_mm: None,
            settings: BTreeMap::new(),
            put_back: none(),
            old_device: none(),
            note: none(),
        }
    }
}

kept_by_id!(WiringRecord, WiringRecordId);
impl Kept for WiringRecord {
    const MOST: Most = Most { count: 2500, why: "one a device" };

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("device", Kind::Device, &self.device, Bond::GoesAlong));
    }

    fn check(&self) -> Result<(), Refusal> {
        let texts = [
            ("diagram", &self.diagram),
            ("put_back", &self.put_back),
            ("old_device", &self.old_device),
            ("note", &self.note),
        ];
        texts.into_iter().try_for_each(|(field, text)| note(field, text))?;
        let is = self.settings.len();
        if is > 20 {
            return Err(Refusal::wrong("settings", Wrong::Count { is, least: 0, most: 20 }));
        }
        for (name, value) in &self.settings {
            note("settings", name)?;
            note("settings", value)?;
        }
        if let Some(is) = self.strip_mm.filter(|mm| !(2.0..=40.0).contains(mm)) {
            let (low, high, unit) = (2.0, 40.0, "mm");
            return Err(Refusal::wrong("strip_mm", Wrong::Sheet { is, low, high, unit }));
        }
        Ok(())
    }
}
