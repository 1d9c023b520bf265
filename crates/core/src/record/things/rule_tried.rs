//! That a rule was run by hand, or read back by a second person.

use std::collections::BTreeSet;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::moment::Moment;
use crate::site::kept::{Kept, Most, Tie, id, kept_by_id, note};
use crate::site::{DeviceId, Refusal, Rule, Wrong};

id!(/** A trial of a rule. */ RuleTriedId);

/// Somebody ran a rule by hand and looked what moved, or a second person read it back.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct RuleTried {
    /// Its id.
    pub id: RuleTriedId,
    /// The rule as it then stood.
    pub rule: Rule,
    /// What it was to move then.
    #[serde(default)]
    pub meant: BTreeSet<DeviceId>,
    /// What moved, where it was run.
    #[serde(default, skip_serializing_if = "BTreeSet::is_empty")]
    pub moved: BTreeSet<DeviceId>,
    /// Who read it back; empty where it was run by hand.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub read_by: String,
    /// When.
    pub at: Moment,
    /// Free words.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub note: String,
}

impl RuleTried {
    /// Whether it was run by hand, rather than read back.
    pub fn was_run(&self) -> bool {
        self.read_by.trim().is_empty()
    }

    /// Whether what moved is what was meant; of a rule that comes to nothing nothing is proven.
    pub fn is_as_meant(&self) -> bool {
        self.was_run() && !self.meant.is_empty() && self.moved == self.meant
    }
}

kept_by_id!(RuleTried, RuleTriedId);
impl Kept for RuleTried {
    const MOST: Most = Most { count: 20_000, why: "every rule, twice" };

    fn ties(&self, _: &mut dyn FnMut(Tie)) {
        // What was tried then stays on record when the rule is gone.
    }

    fn check(&self) -> Result<(), Refusal> {
        note("read_by", &self.read_by)?;
        note("note", &self.note)?;
        let is = self.moved.len().max(self.meant.len());
        if is > MOST_MOVED {
            let (least, most) = (0, MOST_MOVED);
            return Err(Refusal::wrong("moved", Wrong::Count { is, least, most }));
        }
        Kept::check(&self.rule)
    }
}

/// As many as devices of a job.
const MOST_MOVED: usize = 2_500;
