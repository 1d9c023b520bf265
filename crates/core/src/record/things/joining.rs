//! How a device was joined.

use std::collections::BTreeSet;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::moment::Moment;
use crate::site::DeviceId;
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, level, note};
use crate::site::{Kind, Refusal, Wrong};
use crate::units::Dbm;

id!(/** A record of joining. */ JoiningId);

/// Where a device was joined.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum JoinedAt {
    /// Where it will live.
    #[default]
    InPlace,
    /// Elsewhere: beside the hub, on a bench.
    Elsewhere,
}

/// How it was included.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Method {
    /// Nobody said.
    #[default]
    Unsaid,
    /// By a press on hub and device.
    Classic,
    /// Its code was read before; the hub took it by itself.
    ScanAhead,
    /// Its code was read by the phone beside it.
    Code,
}

impl Method {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 4] = [
        (Self::Unsaid, "not said"),
        (Self::Classic, "press on hub and device"),
        (Self::ScanAhead, "scanned ahead"),
        (Self::Code, "code read beside it"),
    ];
}

/// How a device was joined.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Joining {
    /// Its id.
    pub id: JoiningId,
    /// The device.
    pub device: DeviceId,
    /// Where.
    #[serde(default)]
    pub joined: JoinedAt,
    /// How.
    #[serde(default)]
    pub method: Method,
    /// The number that the network gave it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub node: Option<u32>,
    /// The device that it took as its parent, where the hub told.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub parent: Option<DeviceId>,
    /// The level at which it was heard, where the hub told.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rssi_dbm: Option<Dbm>,
    /// The master that it follows, where it follows one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub master: Option<DeviceId>,
    /// Of what is done over when it did not work at first: the rungs that were tried.
    #[serde(default, skip_serializing_if = "BTreeSet::is_empty")]
    pub tried: BTreeSet<String>,
    /// By whom.
    #[serde(default)]
    pub by: String,
    /// When.
    pub at: Moment,
}

kept_by_id!(Joining, JoiningId);
impl Kept for Joining {
    const MOST: Most = Most { count: 5000, why: "two a device" };

    const SETS: &'static [&'static str] = &["tried"];

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("device", Kind::Device, &self.device, Bond::GoesAlong));
        // Parent and master are what was so then; it stays on record when they are gone.
    }

    fn check(&self) -> Result<(), Refusal> {
        if self.master.as_ref() == Some(&self.device) {
            return Err(Refusal::wrong("master", Wrong::OwnMaster));
        }
        self.tried.iter().try_for_each(|rung| note("tried", rung))?;
        note("by", &self.by)?;
        if let Some(rssi) = self.rssi_dbm {
            level("rssi_dbm", rssi)?;
        }
        Ok(())
    }
}
