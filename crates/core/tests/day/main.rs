//! The work on site: what holds, what goes off when, what a code says.
#![expect(clippy::unwrap_used, reason = "a house that lacks what it was given has failed its test")]
#![expect(clippy::panic, reason = "what was tapped stands in the failure")]

#[path = "../common/mod.rs"]
mod common;

mod codes;
mod machine;
mod packing;
mod steps;
