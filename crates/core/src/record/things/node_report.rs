//! What a hub tells of its nodes: who is in its list, over whom it goes.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::moment::Moment;
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, note};
use crate::site::{DeviceId, NetworkId};
use crate::site::{Kind, Refusal, Wrong};

id!(/** What a hub tells of a node. */ NodeReportId);

/// What a hub tells of a node.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NodeReport {
    /// Its id.
    pub id: NodeReportId,
    /// The network.
    pub network: NetworkId,
    /// What the network calls it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub node: Option<u32>,
    /// The device behind it; nothing where none is known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub device: Option<DeviceId>,
    /// The devices over which it goes, from the hub on; empty where it goes straight. Nothing where the hub
    /// did not tell.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub via: Option<Vec<DeviceId>>,
    /// Whether that is the route that worked last, not the one in use.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub last_working: bool,
    /// Whether it answers; nothing where nobody asked.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub answers: Option<bool>,
    /// Its software.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub firmware: String,
    /// How it is set, by the names of settings; what is not told is not known.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub settings: BTreeMap<String, String>,
    /// When.
    pub at: Moment,
    /// With what, or by whom.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub source: String,
}

/// More than any device of the trade lets a fitter set.
const MOST_SETTINGS: usize = 60;

/// No system forwards more often: a longer way is no way.
const MOST_HOPS: usize = 64;

kept_by_id!(NodeReport, NodeReportId);
impl Kept for NodeReport {
    const MOST: Most = Most { count: 20_000, why: "every node of a house fifty times over" };

    const WHOLES: &'static [&'static str] = &["via"];

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("network", Kind::Network, &self.network, Bond::GoesAlong));
        if let Some(device) = &self.device {
            visit(Tie::new("device", Kind::Device, device, Bond::GoesAlong));
        }
        // Over whom it went is what was so then; it stays on record when they are gone.
    }

    fn check(&self) -> Result<(), Refusal> {
        if let Some(via) = self.via.as_ref().filter(|via| via.len() > MOST_HOPS) {
            return Err(Refusal::wrong(
                "via",
                Wrong::Count { is: via.len(), least: 0, most: MOST_HOPS },
            ));
        }
        let is = self.settings.len();
        if is > MOST_SETTINGS {
            return Err(Refusal::wrong(
                "settings",
                Wrong::Count { is, least: 0, most: MOST_SETTINGS },
            ));
        }
        for (name, value) in &self.settings {
            note("settings", name)?;
            note("settings", value)?;
        }
        note("firmware", &self.firmware)?;
        note("source", &self.source)
    }
}
