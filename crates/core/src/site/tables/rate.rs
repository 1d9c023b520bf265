//! What things and time cost, in place of the shipped planning values.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::site::kept::{Kept, Most, Tie, id_text};
use crate::site::{Keyed, Refusal, Wrong};

/// A price or a time, in place of the shipped one of the same id.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Rate {
    /// The id of the row, such as `labour-hour` or `plate-2`.
    pub id: String,
    /// What it is, in the row's unit.
    pub value: f64,
}

impl Keyed for Rate {
    type Id = String;
    fn id(&self) -> &String {
        &self.id
    }
}

impl Kept for Rate {
    const MOST: Most = Most { count: 200, why: "several times the shipped rows" };

    fn ties(&self, _: &mut dyn FnMut(Tie)) {}

    fn check(&self) -> Result<(), Refusal> {
        id_text(&self.id)?;
        if crate::catalogue::rates::row(&self.id).is_none() {
            return Err(Refusal::wrong("id", Wrong::NoRate));
        }
        let is = self.value;
        if !(0.0..=1_000_000.0).contains(&is) {
            let (low, high, unit) = (0.0, 1_000_000.0, "");
            return Err(Refusal::wrong("value", Wrong::Sheet { is, low, high, unit }));
        }
        Ok(())
    }
}
