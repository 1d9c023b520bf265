//! Steps of the work on a device, and what stands on record of one. Whether it may be taken is for
//! [`crate::gate`] to say.

use std::collections::BTreeSet;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{IsolationId, OpenedBox};
use crate::moment::Moment;
use crate::site::kept::note;
use crate::site::{DeviceId, Refusal, Wrong};

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
    Bench = "bench", "Wired at the bench", "Wired into what hangs on a cord, with its plug in the hand.";
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

impl Step {
    /// Whether it is done with the box open.
    pub fn is_in_box(self) -> bool {
        self.puts_hands_in_box() || self.makes_safe()
    }

    /// Whether it leaves the box open.
    pub fn puts_hands_in_box(self) -> bool {
        matches!(self, Self::Dead | Self::Noted | Self::Wired | Self::Checked)
    }

    /// Whether the box is safe to be energised after it.
    pub fn makes_safe(self) -> bool {
        matches!(self, Self::DryFitted | Self::PutBack)
    }

    /// Whether it is done again when the box has been opened anew.
    pub fn is_done_anew(self) -> bool {
        matches!(self, Self::Powered | Self::Tied | Self::Decoupled | Self::Tested | Self::Closed)
    }
}

/// That a step was taken.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Stepped {
    /// The device.
    pub device: DeviceId,
    /// The step.
    pub step: Step,
    /// The isolation under which it was done, where it is one that opens a box.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub isolation: Option<IsolationId>,
    /// The box as it then was, where it was proved dead.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub opened: Option<OpenedBox>,
    /// What was looked at one by one, by the words of [`crate::gate::checks`].
    #[serde(default, skip_serializing_if = "BTreeSet::is_empty")]
    pub checks: BTreeSet<String>,
    /// Why it was done though something spoke against it; empty where nothing did.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub why: String,
    /// Free words.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub note: String,
}

impl Stepped {
    /// Its own shape.
    ///
    /// # Errors
    /// The first field that cannot stand.
    pub fn check(&self) -> Result<(), Refusal> {
        let is = self.checks.len();
        if is > 40 {
            return Err(Refusal::wrong("checks", Wrong::Count { is, least: 0, most: 40 }));
        }
        note("why", &self.why)?;
        note("note", &self.note)?;
        self.checks.iter().try_for_each(|word| note("checks", word))
    }
}

/// A step of a device as it stands on record.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Mark {
    /// What was looked at.
    pub checks: BTreeSet<String>,
    /// That it was done; nothing while only some of its checks are ticked.
    pub done: Option<Done>,
}

/// That a step stands as done.
#[derive(Clone, Debug, PartialEq)]
pub struct Done {
    /// When, as it was said.
    pub at: Moment,
    /// By whom.
    pub by: String,
    /// The isolation under which it was done.
    pub isolation: Option<IsolationId>,
    /// Why, against a rule; empty where nothing spoke against it.
    pub why: String,
    /// Which entry of the record says so, from nought on.
    pub entry: usize,
}
