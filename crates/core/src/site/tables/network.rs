//! Radio networks: a hub and what talks to it by one system.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::radio::system::{Limits, System, SystemRules};
use crate::site::kept::{Kept, Most, Tie, id, kept_by_id, name};
use crate::site::{Refusal, Wrong};

id!(/** A radio network. */ NetworkId);

/// A radio network: a hub and what talks to it by one system.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Network {
    /// Its id.
    pub id: NetworkId,
    /// Its name.
    pub name: String,
    /// The radio system whose rules it follows.
    pub system: System,
    /// Its channel, where the system has channels and one is chosen.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub channel: Option<u8>,
    /// Limits in place of the system's defaults.
    #[serde(default, skip_serializing_if = "Limits::is_empty")]
    pub limits: Limits,
    /// Whether a group or scene of it is told by one message that all of it hear; nothing while nobody looked, and lamp by
    /// lamp is counted then.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub groups_at_once: Option<bool>,
}

impl Network {
    /// A network by its system's defaults.
    pub fn new(id: NetworkId, name: &str, system: System) -> Self {
        let (name, channel, limits) = (name.to_owned(), None, Limits::default());
        Self { id, name, system, channel, limits, groups_at_once: None }
    }

    /// The rules that bind here.
    pub fn rule(&self) -> SystemRules {
        self.limits.applied_to(self.system.rule())
    }
}

kept_by_id!(Network, NetworkId);
impl Kept for Network {
    const MOST: Most = Most { count: 60, why: "one a system and storey of a large hotel" };

    fn ties(&self, _: &mut dyn FnMut(Tie)) {}

    fn check(&self) -> Result<(), Refusal> {
        name(&self.name)?;
        if let Some(is) = self.channel {
            let Some(channels) = self.system.channels() else {
                let system = self.system.name();
                return Err(Refusal::wrong("channel", Wrong::NoChannels { system }));
            };
            if !channels.has(is) {
                let (first, last) = (channels.first, channels.last);
                return Err(Refusal::wrong("channel", Wrong::Channel { is, first, last }));
            }
        }
        for (field, value) in self.limits.each() {
            if let Some(is) = value.filter(|v| !(1..=10_000).contains(v)) {
                return Err(Refusal::wrong(field, Wrong::Count { is, least: 1, most: 10_000 }));
            }
        }
        Ok(())
    }
}
