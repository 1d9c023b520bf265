//! Who controls what.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::DeviceId;
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, note};
use crate::site::{Kind, Refusal, Wrong};

id!(/** A control. */ ControlId);

/// How a press reaches its load.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Path {
    /// The controller is bound to the load itself.
    Direct,
    /// By a rule in the hub.
    #[default]
    Hub,
}

/// A controller and a load that it controls.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Control {
    /// Its id.
    pub id: ControlId,
    /// The switch, remote or sensor.
    pub controller: DeviceId,
    /// What it controls.
    pub load: DeviceId,
    /// How a press gets there.
    #[serde(default)]
    pub path: Path,
    /// Which of its keys or channels, counted as its maker does; nothing where it has one, or nobody said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub key: Option<u8>,
    /// What a hand does there: two presses, held, turned left; empty for a press.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub gesture: String,
}

impl Control {
    /// What a hand does: “key 2, two presses”; empty for a press on what has one key.
    pub fn by_hand(&self) -> String {
        let key = self.key.map(|key| format!("key {key}")).unwrap_or_default();
        let parts = [key.as_str(), self.gesture.trim()];
        let said: Vec<&str> = parts.into_iter().filter(|p| !p.is_empty()).collect();
        said.join(", ")
    }
}

kept_by_id!(Control, ControlId);
impl Kept for Control {
    const MOST: Most = Most { count: 10_000, why: "three a device" };

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("controller", Kind::Device, &self.controller, Bond::GoesAlong));
        visit(Tie::new("load", Kind::Device, &self.load, Bond::GoesAlong));
    }

    fn check(&self) -> Result<(), Refusal> {
        if self.controller == self.load {
            return Err(Refusal::wrong("load", Wrong::Itself));
        }
        note("gesture", &self.gesture)?;
        if let Some(key) = self.key.filter(|key| !(1..=16).contains(key)) {
            let (is, low, high, unit) = (f64::from(key), 1.0, 16.0, "keys");
            return Err(Refusal::wrong("key", Wrong::Sheet { is, low, high, unit }));
        }
        Ok(())
    }
}
