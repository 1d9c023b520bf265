//! People: who lives there, who asks, who may do which work.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::site::Refusal;
use crate::site::kept::{Kept, Most, Tie, id, kept_by_id, name, note};

id!(/** A person of the job. */ PersonId);

/// What a person has to do with the job.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Part {
    /// Gives the order and signs.
    #[default]
    Client,
    /// Lives there.
    Household,
    /// A child of the house.
    Child,
    /// Comes and goes: a guest, a tenant, a carer.
    Guest,
    /// Plans.
    Planner,
    /// Puts in and joins.
    Installer,
    /// Does the mains work.
    Electrician,
}

impl Part {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 7] = [
        (Self::Client, "client"),
        (Self::Household, "lives there"),
        (Self::Child, "child of the house"),
        (Self::Guest, "guest or tenant"),
        (Self::Planner, "planner"),
        (Self::Installer, "installer"),
        (Self::Electrician, "electrician"),
    ];

    /// Whether they use the house, rather than work on it.
    pub fn uses_the_house(self) -> bool {
        matches!(self, Self::Client | Self::Household | Self::Child | Self::Guest)
    }
}

/// A person of the job.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Person {
    /// Their id.
    pub id: PersonId,
    /// What they are called.
    pub name: String,
    /// What they have to do with the job.
    #[serde(default)]
    pub part: Part,
    /// Whether local law lets them work on the mains.
    #[serde(default)]
    pub may_mains: bool,
    /// Their licence or registration; empty while nobody has seen one.
    #[serde(default)]
    pub licence: String,
    /// By what they are known who sign in; empty for whoever does not.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub account: String,
    /// Free words.
    #[serde(default)]
    pub note: String,
}

kept_by_id!(Person, PersonId);
impl Kept for Person {
    const MOST: Most = Most { count: 200, why: "a large household and five firms" };

    fn ties(&self, _: &mut dyn FnMut(Tie)) {}

    fn check(&self) -> Result<(), Refusal> {
        name(&self.name)?;
        note("licence", &self.licence)?;
        note("account", &self.account)?;
        note("note", &self.note)
    }
}
