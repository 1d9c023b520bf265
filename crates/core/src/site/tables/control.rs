//! Who controls what.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::DeviceId;
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id};
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
        Ok(())
    }
}
