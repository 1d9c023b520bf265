//! How a device was wired in: by which diagram, with what, and how it is put back.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::site::DeviceId;
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, note};
use crate::site::{Kind, Refusal, Wrong};

id!(/** A record of wiring. */ WiringRecordId);

/// What became of a conductor, as it was planned when the box was wired, and whether it is done.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Connected {
    /// What it is called in its box.
    pub name: String,
    /// Its colour.
    pub colour: String,
    /// What it was, and where it leads.
    pub was: String,
    /// The terminal that it was taken from.
    pub was_at: String,
    /// What it carries from now on.
    pub becomes: String,
    /// Where it goes: terminals, joints, a cap.
    pub goes: String,
    /// Whether it is done.
    pub done: bool,
}

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
    /// Each conductor of the box by its id, as it was planned then.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub connected: BTreeMap<String, Connected>,
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

/// As many as a box has conductors.
const MOST_CONNECTED: usize = 120;

impl WiringRecord {
    /// How the old wiring comes back, conductor by conductor: each to the terminal that it was taken from, or to what it was.
    pub fn put_back_plan(&self) -> Vec<String> {
        let back = |c: &Connected| {
            if c.was_at.trim().is_empty() {
                format!("{}: again {}", c.name, c.was)
            } else {
                format!("{} to {}", c.name, c.was_at)
            }
        };
        self.connected.values().map(back).collect()
    }
    /// One of which nothing is said yet.
    pub fn new(id: WiringRecordId, device: DeviceId) -> Self {
        let none = String::new;
        Self {
            id,
            device,
            diagram: none(),
            strip_mm: None,
            settings: BTreeMap::new(),
            connected: BTreeMap::new(),
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
        let is = self.connected.len();
        if is > MOST_CONNECTED {
            return Err(Refusal::wrong(
                "connected",
                Wrong::Count { is, least: 0, most: MOST_CONNECTED },
            ));
        }
        for (id, c) in &self.connected {
            [id, &c.name, &c.colour, &c.was, &c.was_at, &c.becomes, &c.goes]
                .into_iter()
                .try_for_each(|text| note("connected", text))?;
        }
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
