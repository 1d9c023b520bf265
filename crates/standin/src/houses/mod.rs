//! The demo houses. All of them, their people and their addresses are invented.

use dot_reach_core::record::Folder;

pub mod builder;
mod household;
pub mod larkfield_mill;
mod larkfield_survey;
pub mod practice;
pub mod quay_court;
pub mod tern_row;
pub mod tower;

pub use larkfield_mill::{larkfield_mill, larkfield_mill_read};
pub use quay_court::quay_court;
pub use tern_row::tern_row;
pub use tower::tower;

/// The names of the demo houses, the main one first.
pub const NAMES: [&str; 3] = ["larkfield-mill", "quay-court", "tern-row"];
/// Houses to practise on, with something hidden.
pub const PRACTICE: [&str; 2] = ["practice-flat", "practice-mill"];

/// The demo house of this name, or the tower, which is for measuring speed and memory.
pub fn named(name: &str) -> Option<Folder> {
    match name {
        "larkfield-mill" => Some(larkfield_mill_read()),
        "quay-court" => Some(Folder::planned(quay_court())),
        "tern-row" => Some(Folder::planned(tern_row())),
        "practice-flat" => {
            let heavier = [("stud-wall", 5.0), ("concrete-200", 6.0), ("low-e-glazing", 5.0)];
            Some(practice::practice(&quay_court(), "Practice: a heavier flat", &heavier, 12))
        }
        "practice-mill" => {
            let heavier = [("rubble-stone-600", 5.0), ("oak-boarded", 4.0), ("oak-floor", 5.0)];
            Some(practice::practice(&larkfield_mill(), "Practice: a heavier mill", &heavier, 7))
        }
        "tower" => Some(Folder::planned(tower())),
        _ => None,
    }
}
