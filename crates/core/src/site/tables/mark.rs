//! Marks: that a step of the work on a device was done, by whom, and what was checked with it. What a
//! mark is worth depends on the others: [`crate::install::state`] says which of them hold.

use std::collections::BTreeSet;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{DeviceId, IsolationId};
use crate::site::kept::{Bond, Kept, Most, Tie, id, kept_by_id, note, time};
use crate::site::{Kind, Refusal, Wrong};

id!(/** A mark. */ MarkId);

macro_rules! steps {
    ($($step:ident = $word:literal, $name:literal, $doc:literal;)*) => {
        /// A step of the work on a device, in the order in which it is done.
        #[derive(
            Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
        )]
        pub enum Step {
            $(
                #[doc = $doc]
                #[serde(rename = $word)]
                $step,
            )*
        }

        impl Step {
            /// All of them, in order.
            pub const ALL: [Self; [$($word),*].len()] = [$(Self::$step),*];

            /// Its word in an edit.
            pub fn word(self) -> &'static str {
                match self { $(Self::$step => $word,)* }
            }

            /// What it is called.
            pub fn name(self) -> &'static str {
                match self { $(Self::$step => $name,)* }
            }
        }
    };
}

// Step = its word, what it is called, what it says.
steps! {
    Excluded = "excluded", "Old device out", "The device that was here before is out of the network's list.";
    Dead = "dead", "Proved dead", "The circuit is isolated and every conductor of the box proved dead.";
    Noted = "noted", "Photographed and noted", "The old wiring is photographed and noted.";
    Code = "code", "Code kept", "The join code is photographed or typed before a cover hides it.";
    Wired = "wired", "Wired", "Wired in, with the circuit dead.";
    Checked = "checked", "Connections checked", "Each joint looked at and tugged.";
    DryFitted = "dry-fitted", "Dry-fitted", "In its box, nothing pinched, no plate: safe to be energised.";
    PutBack = "put-back", "Put back", "The old wiring is back, or each conductor capped by itself: the box is safe.";
    Placed = "placed", "In place", "Plugged in, screwed in or stuck where it will live; battery in.";
    Powered = "powered", "Power test", "It works its load by its own button, without any radio.";
    Phone = "phone", "Phone ready", "The phone is on the hub's network, with the owner's account.";
    Firmware = "firmware", "Up to date", "The hub's own software is up to date.";
    Clock = "clock", "Time and place", "Time and place are set on the hub, before any schedule by the sun.";
    Joined = "joined", "Joined", "Joined to its network.";
    Identified = "identified", "Identified", "The one that answers is the one that was meant.";
    Settings = "settings", "Settings", "Set up after joining.";
    Tied = "tied", "Tied to its master", "It works the load of its master.";
    Decoupled = "decoupled", "Decoupled", "The relay stays closed and the button sends commands.";
    Tested = "tested", "Range-tested in place", "Range-tested where it stays, door shut.";
    Closed = "closed", "Closed", "Plate, cover or glue is on.";
    Named = "named", "Named", "Name and room stand in every platform.";
    Shown = "shown", "Shown", "The household has worked it.";
}

/// That a step was done.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Mark {
    /// Its id.
    pub id: MarkId,
    /// The device.
    pub device: DeviceId,
    /// The step.
    pub step: Step,
    /// What was looked at one by one, by the words of [`crate::install::checks`].
    #[serde(default, skip_serializing_if = "BTreeSet::is_empty")]
    pub checks: BTreeSet<String>,
    /// When it was done; nothing while only some of its checks are ticked.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at: Option<String>,
    /// By whom.
    #[serde(default)]
    pub by: String,
    /// The isolation under which it was done, where it is one that opens a box.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub isolation: Option<IsolationId>,
    /// Why it was done though something spoke against it; empty where nothing did.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub why: String,
    /// Free words.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub note: String,
}

impl Mark {
    /// One of which nothing is done yet.
    pub fn new(id: MarkId, device: DeviceId, step: Step) -> Self {
        let (by, why, note) = (String::new(), String::new(), String::new());
        let (checks, at, isolation) = (BTreeSet::new(), None, None);
        Self { id, device, step, checks, at, by, isolation, why, note }
    }
}

kept_by_id!(Mark, MarkId);
impl Kept for Mark {
    const MOST: Most = Most { count: 40_000, why: "sixteen steps for each device" };

    const SETS: &'static [&'static str] = &["checks"];

    fn ties(&self, visit: &mut dyn FnMut(Tie)) {
        visit(Tie::new("device", Kind::Device, &self.device, Bond::GoesAlong));
        if let Some(isolation) = &self.isolation {
            visit(Tie::new("isolation", Kind::Isolation, isolation, Bond::Blocks));
        }
    }

    fn check(&self) -> Result<(), Refusal> {
        let is = self.checks.len();
        if is > 40 {
            return Err(Refusal::wrong("checks", Wrong::Count { is, least: 0, most: 40 }));
        }
        let texts = [("by", &self.by), ("why", &self.why), ("note", &self.note)];
        texts.into_iter().try_for_each(|(field, text)| note(field, text))?;
        self.checks.iter().try_for_each(|word| note("checks", word))?;
        self.at.as_ref().map_or(Ok(()), |at| time("at", at))
    }
}
