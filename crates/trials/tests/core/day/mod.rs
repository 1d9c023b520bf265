//! The work on site: what holds, what goes off when, what a code says.
#![expect(clippy::unwrap_used, reason = "a house that lacks what it was given has failed its test")]
#![expect(clippy::panic, reason = "what was tapped stands in the failure")]

mod already_there;
mod behind;
mod bench;
mod codes;
mod doors;
mod finding;
mod found_live;
mod gave_out;
mod guide_parity;
mod joining;
mod kit;
pub(crate) mod machine;
mod open_boxes;
mod packing;
mod parity;
mod range;
mod steps;
mod two_phones;
