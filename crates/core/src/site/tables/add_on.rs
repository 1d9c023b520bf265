//! What was added to a platform by hand: where it comes from, and the version under which it was tried.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::PlatformId;
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, name, note};
use crate::site::{Kind, Refusal};

id!(/** Something that was added to a platform. */ AddOnId);

/// Something that was added to a platform, and is tried again when that changes under it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct AddOn {
    /// Its id.
    pub id: AddOnId,
    /// The platform.
    pub platform: PlatformId,
    /// What it is called.
    pub name: String,
    /// What the house needs it for.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub purpose: String,
    /// Where it comes from; empty while nobody said.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub source: String,
    /// Its own version; empty while nobody said.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub version: String,
    /// Under which version of the platform it was tried last; empty while it was not.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub tried_under: String,
}

kept_by_id!(AddOn, AddOnId);
impl Kept for AddOn {
    const MOST: Most = Most { count: 300, why: "ten a platform" };

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("platform", Kind::Platform, &self.platform, Bond::GoesAlong));
    }

    fn check(&self) -> Result<(), Refusal> {
        name(&self.name)?;
        note("purpose", &self.purpose)?;
        note("source", &self.source)?;
        note("version", &self.version)?;
        note("tried_under", &self.tried_under)
    }
}
