//! How the plan stood at a time: as designed, as installed, as proven. It is never written over.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::geometry::Place;
use crate::moment::Moment;
use crate::site::DeviceId;
use crate::site::kept::{Kept, Most, Tie, id, kept_by_id, note};
use crate::site::{Refusal, Wrong};
use crate::units::Db;

id!(/** How the plan stood at a time. */ MilestoneId);

/// Which.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum Stage {
    /// As it was planned.
    Designed,
    /// As it was built.
    Installed,
    /// As it was measured and accepted.
    Proven,
}

impl Stage {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 3] = [
        (Self::Designed, "as designed"),
        (Self::Installed, "as installed"),
        (Self::Proven, "as proven"),
    ];

    /// Its words.
    pub fn words(self) -> &'static str {
        Self::ALL[self as usize].1
    }
}

/// By what it is known over whom a device goes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum KnownBy {
    /// By the plan alone.
    #[default]
    Planned,
    /// By what was heard when it was joined.
    Joining,
    /// By the hub's own list.
    Hub,
}

impl KnownBy {
    #[expect(clippy::trivially_copy_pass_by_ref, reason = "as serde asks")]
    fn is_planned(&self) -> bool {
        *self == Self::Planned
    }

    /// Its words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Planned => "planned",
            Self::Joining => "heard at joining",
            Self::Hub => "by the hub’s list",
        }
    }
}

/// How a device stood.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Stood {
    /// The device.
    pub device: DeviceId,
    /// Its name then.
    pub name: String,
    /// Its row in the catalogue then.
    pub kind: String,
    /// Where it was: metres right, down and up.
    pub at: [f64; 3],
    /// Over whom it went, from the hub on.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub via: Vec<DeviceId>,
    /// By what that is known.
    #[serde(default, skip_serializing_if = "KnownBy::is_planned")]
    pub known: KnownBy,
    /// How many hops; nothing where nothing reached it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hops: Option<u32>,
    /// The margin of its weakest hop.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub margin_db: Option<Db>,
    /// The deviation there.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sigma_db: Option<Db>,
    /// Its verdict: out, thin, sound or solid.
    pub band: String,
}

impl Stood {
    /// Where it was.
    pub fn place(&self) -> Place {
        Place::new(self.at[0], self.at[1], self.at[2])
    }
}

/// How the plan stood at a time.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Milestone {
    /// Its id.
    pub id: MilestoneId,
    /// Which.
    pub stage: Stage,
    /// When.
    pub at: Moment,
    /// By whom.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub by: String,
    /// How each device stood.
    pub devices: Vec<Stood>,
}

kept_by_id!(Milestone, MilestoneId);
impl Kept for Milestone {
    const MOST: Most = Most { count: 100, why: "every stage again after each building work" };

    const WHOLES: &'static [&'static str] = &["devices"];

    fn ties(&self, _: &mut dyn FnMut(Tie)) {
        // What stood then stays on record when it is gone.
    }

    fn check(&self) -> Result<(), Refusal> {
        if self.devices.len() > 5000 {
            return Err(Refusal::wrong(
                "devices",
                Wrong::LongText { is: self.devices.len(), most: 5000 },
            ));
        }
        note("by", &self.by)
    }
}
