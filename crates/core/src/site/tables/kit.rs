//! Kits and sets: articles that hold several devices.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::site::kept::{Kept, Most, Tie, id, kept_by_id, name, note};
use crate::site::{Refusal, Wrong};

id!(/** A kit that is bought. */ KitId);

/// A kit or set that is bought, with what is in its box.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Kit {
    /// Its id.
    pub id: KitId,
    /// What it is called.
    pub name: String,
    /// What one costs; nothing while nobody knows.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub price: Option<f64>,
    /// How many are bought.
    #[serde(default = "one")]
    pub count: u16,
    /// How many of which row of the library are in one.
    #[serde(default)]
    pub contents: BTreeMap<String, u16>,
}

fn one() -> u16 {
    1
}

kept_by_id!(Kit, KitId);
impl Kept for Kit {
    const MOST: Most = Most { count: 200, why: "more than a house is fitted from" };

    fn ties(&self, _: &mut dyn FnMut(Tie)) {}

    fn check(&self) -> Result<(), Refusal> {
        name(&self.name)?;
        for kind in self.contents.keys() {
            note("contents", kind)?;
        }
        let counts = self.contents.values().chain([&self.count]);
        if let Some(is) = counts.map(|n| usize::from(*n)).find(|n| !(1..=200).contains(n)) {
            return Err(Refusal::wrong("count", Wrong::Count { is, least: 1, most: 200 }));
        }
        if let Some(is) = self.price.filter(|p| !(0.0..=1e6).contains(p)) {
            let (low, high, unit) = (0.0, 1e6, "");
            return Err(Refusal::wrong("price", Wrong::Sheet { is, low, high, unit }));
        }
        Ok(())
    }
}
