//! Codes by which devices are joined. They open a house's network: reports leave them out unless they are
//! asked for.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::moment::Moment;
use crate::site::DeviceId;
use crate::site::kept::{Bond, Kept, Most, Tie, hash, id, kept_by_id, note};
use crate::site::{Kind, Refusal, Wrong};

id!(/** A join code. */ JoinCodeId);

/// How a code was taken.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum CodeTaken {
    /// Typed off the label.
    #[default]
    Typed,
    /// Read by the camera.
    Camera,
    /// Read from a photo.
    Photo,
}

/// A code of a device.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct JoinCode {
    /// Its id.
    pub id: JoinCodeId,
    /// The device.
    pub device: DeviceId,
    /// What stands on the label; empty where only a photo of it is kept.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub text: String,
    /// How it was taken.
    #[serde(default)]
    pub taken: CodeTaken,
    /// The SHA-256 of a photo of the label.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub image: Option<String>,
    /// By whom.
    #[serde(default)]
    pub by: String,
    /// When.
    pub at: Moment,
}

kept_by_id!(JoinCode, JoinCodeId);
impl Kept for JoinCode {
    const MOST: Most = Most { count: 5000, why: "two a device" };

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("device", Kind::Device, &self.device, Bond::GoesAlong));
    }

    fn check(&self) -> Result<(), Refusal> {
        if self.text.trim().is_empty() && self.image.is_none() {
            return Err(Refusal::wrong("text", Wrong::NotSaid));
        }
        note("text", &self.text)?;
        note("by", &self.by)?;
        self.image.as_ref().map_or(Ok(()), |sha| hash("image", sha))
    }
}
