//! Times at which networks stood open for new devices.

use std::collections::BTreeSet;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::moment::Moment;
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, note};
use crate::site::{DeviceId, NetworkId};
use crate::site::{Kind, Refusal, Wrong};

id!(/** A time at which a network stood open. */ OpenTimeId);

/// A time at which a network stood open, and which devices were expected.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct OpenTime {
    /// Its id.
    pub id: OpenTimeId,
    /// The network.
    pub network: NetworkId,
    /// When it was opened.
    pub at: Moment,
    /// By whom.
    #[serde(default)]
    pub by: String,
    /// The devices that are expected.
    #[serde(default, skip_serializing_if = "BTreeSet::is_empty")]
    pub expected: BTreeSet<DeviceId>,
    /// When it was closed again; nothing while it stands open.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub closed: Option<Moment>,
    /// By whom it was closed.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub closed_by: String,
    /// Why it was closed although something that was expected is missing.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub closed_without: String,
    /// When the routes were rebuilt after the last that was added.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rebuilt: Option<Moment>,
}

kept_by_id!(OpenTime, OpenTimeId);
impl Kept for OpenTime {
    const MOST: Most = Most { count: 5000, why: "one a device" };

    const SETS: &'static [&'static str] = &["expected"];

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("network", Kind::Network, &self.network, Bond::GoesAlong));
    }

    fn check(&self) -> Result<(), Refusal> {
        let is = self.expected.len();
        if is > 2500 {
            return Err(Refusal::wrong("expected", Wrong::Count { is, least: 0, most: 2500 }));
        }
        note("by", &self.by)?;
        note("closed_by", &self.closed_by)?;
        note("closed_without", &self.closed_without)
    }
}
