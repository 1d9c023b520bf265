//! What an old device did beside switching its load: it is pointed at the new one, or ends with it.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::DeviceId;
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, name, note};
use crate::site::{Kind, Refusal};

id!(/** Something that an old device did. */ OldUseId);

/// Where an old device is named beside its own entry.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum UseKind {
    /// A rule or a schedule.
    #[default]
    Rule,
    /// A scene.
    Scene,
    /// What a voice answers to.
    VoiceName,
    /// A group or a room.
    Group,
    /// Its entry in an account of its maker.
    AccountEntry,
}

impl UseKind {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 5] = [
        (Self::Rule, "rule or schedule"),
        (Self::Scene, "scene"),
        (Self::VoiceName, "name for the voice"),
        (Self::Group, "group or room"),
        (Self::AccountEntry, "entry in an account"),
    ];

    /// Its words.
    pub fn name(self) -> &'static str {
        Self::ALL.iter().find(|(kind, _)| *kind == self).map_or("", |(_, name)| name)
    }
}

/// What becomes of it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Becomes {
    /// Nobody has decided.
    #[default]
    Open,
    /// It names the new device from then on.
    Pointed,
    /// It is deleted.
    Deleted,
}

impl Becomes {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 3] = [
        (Self::Open, "not decided"),
        (Self::Pointed, "points to the new one"),
        (Self::Deleted, "is deleted"),
    ];
}

/// Something that an old device did, and what becomes of it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct OldUse {
    /// Its id.
    pub id: OldUseId,
    /// The new device, which takes the old one's place.
    pub device: DeviceId,
    /// What it is.
    #[serde(default)]
    pub what: UseKind,
    /// What it is called there.
    pub name: String,
    /// In which platform or account; empty where there is one alone.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub place: String,
    /// What becomes of it.
    #[serde(default)]
    pub becomes: Becomes,
}

impl OldUse {
    /// What it is and what it is called: “rule or schedule “Porch at dusk”, in the old app”.
    pub fn title(&self) -> String {
        let place = self.place.trim();
        let place = if place.is_empty() { String::new() } else { format!(", in {place}") };
        format!("{} “{}”{place}", self.what.name(), self.name)
    }
}

kept_by_id!(OldUse, OldUseId);
impl Kept for OldUse {
    const MOST: Most = Most { count: 5000, why: "two a device" };

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("device", Kind::Device, &self.device, Bond::GoesAlong));
    }

    fn check(&self) -> Result<(), Refusal> {
        name(&self.name)?;
        note("place", &self.place)
    }
}
