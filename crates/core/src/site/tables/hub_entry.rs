//! What a hub lists and is on no plan yet: the house as it is lived in, before it is laid on the plan.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::NetworkId;
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, name, note};
use crate::site::{Kind, Refusal};

id!(/** An entry of a hub's list. */ HubEntryId);

/// An entry of a hub's list that is on no plan yet.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct HubEntry {
    /// Its id.
    pub id: HubEntryId,
    /// The network of the hub.
    pub network: NetworkId,
    /// What the hub calls it.
    pub name: String,
    /// The number it has there; nothing where the list had none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub number: Option<u32>,
    /// What the list says that it is, word for word.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub model: String,
    /// The row of the library that it is taken for; empty while nobody knows.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub taken_for: String,
    /// The room that the hub has it in.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub room: String,
    /// Whether it forwards, as the hub says; nothing where it does not say.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub forwards: Option<bool>,
}

kept_by_id!(HubEntry, HubEntryId);
impl Kept for HubEntry {
    const MOST: Most = Most { count: 2500, why: "as many as devices" };

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("network", Kind::Network, &self.network, Bond::GoesAlong));
    }

    fn check(&self) -> Result<(), Refusal> {
        name(&self.name)?;
        note("model", &self.model)?;
        note("taken_for", &self.taken_for)?;
        note("room", &self.room)
    }
}
