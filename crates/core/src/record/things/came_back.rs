//! What came back after the router, or the name or key of the Wi-Fi, was changed.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::site::kept::{Kept, Most, Tie, id, kept_by_id, name};
use crate::site::{Refusal, Wrong};

id!(/** Something that came back. */ CameBackId);

/// Something is in the network of the house again.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct CameBack {
    /// Its id.
    pub id: CameBackId,
    /// The how manyth change of the router it is, from one on.
    pub round: u32,
    /// What came back, as it is called.
    pub name: String,
}

kept_by_id!(CameBack, CameBackId);
impl Kept for CameBack {
    const MOST: Most = Most { count: 5000, why: "every device, with each new router" };

    fn ties(&self, _: &mut dyn FnMut(Tie)) {
        // Routers and platforms come back too; what came back then stays on record when it is gone.
    }

    fn check(&self) -> Result<(), Refusal> {
        name(&self.name)?;
        if (1..=100).contains(&self.round) {
            return Ok(());
        }
        let is = usize::try_from(self.round).unwrap_or(usize::MAX);
        Err(Refusal::wrong("round", Wrong::Count { is, least: 1, most: 100 }))
    }
}
