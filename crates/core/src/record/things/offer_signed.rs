//! Who signed the offer, and what it then came to.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::moment::Moment;
use crate::site::kept::{Kept, Most, Tie, id, kept_by_id, note};
use crate::site::{Refusal, Wrong};

id!(/** A signature under an offer. */ OfferSignedId);

/// Somebody signed the offer as it then was.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct OfferSigned {
    /// Its id.
    pub id: OfferSignedId,
    /// Who signed.
    pub name: String,
    /// When.
    pub at: Moment,
    /// What it came to,
    pub total: f64,
    /// in which currency; empty where the job names none.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub currency: String,
    /// How many devices it was for.
    pub devices: u32,
    /// How many lines had no price then: the sum did not hold them.
    #[serde(default)]
    pub without_price: u32,
    /// How many of the devices did not fit then, or were not known to.
    #[serde(default)]
    pub open: u32,
    /// What was signed with reservations.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub note: String,
}

kept_by_id!(OfferSigned, OfferSignedId);
impl Kept for OfferSigned {
    const MOST: Most = Most { count: 200, why: "every addition of a long job" };

    fn ties(&self, _: &mut dyn FnMut(Tie)) {}

    fn check(&self) -> Result<(), Refusal> {
        if self.name.trim().is_empty() {
            return Err(Refusal::wrong("name", Wrong::NoName));
        }
        if !self.total.is_finite() {
            return Err(Refusal::wrong(
                "total",
                Wrong::Unreadable { text: self.total.to_string() },
            ));
        }
        note("name", &self.name)?;
        note("currency", &self.currency)?;
        note("note", &self.note)
    }
}
