//! Who gets the house on which phone, with which rights, since when and until when.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{PersonId, PlatformId};
use crate::moment::Moment;
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, note};
use crate::site::{Kind, Refusal};

id!(/** A person's access to the house. */ AccessId);

/// What somebody may do with the house by a platform.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Rights {
    /// Everything, other people's access too: the account is theirs.
    Owner,
    /// Everything but other people's access.
    #[default]
    Household,
    /// What is shown to them alone, and no settings.
    Child,
    /// Some devices, for a time.
    Guest,
    /// Sets up, and is out of it when that is done.
    Fitter,
}

impl Rights {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 5] = [
        (Self::Owner, "owns the account"),
        (Self::Household, "household"),
        (Self::Child, "child"),
        (Self::Guest, "guest, for a time"),
        (Self::Fitter, "sets it up, then is out"),
    ];
}

/// A person's access to the house by a platform.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct HouseAccess {
    /// Its id.
    pub id: AccessId,
    /// Who.
    pub person: PersonId,
    /// By which platform.
    pub platform: PlatformId,
    /// What they may do.
    #[serde(default)]
    pub rights: Rights,
    /// Since when they are in; nothing while they are not.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub invited: Option<Moment>,
    /// Since when they are out again.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub withdrawn: Option<Moment>,
    /// By when they are to be out, as was agreed; nothing for who stays.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub due: Option<Moment>,
    /// What of theirs is in it: their account, their mail, a card that is charged; empty for nothing.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub holds: String,
}

kept_by_id!(HouseAccess, AccessId);
impl Kept for HouseAccess {
    const MOST: Most = Most { count: 1000, why: "five platforms a person" };

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("person", Kind::Person, &self.person, Bond::GoesAlong));
        visit(Tie::new("platform", Kind::Platform, &self.platform, Bond::GoesAlong));
    }

    fn check(&self) -> Result<(), Refusal> {
        note("holds", &self.holds)
    }
}
