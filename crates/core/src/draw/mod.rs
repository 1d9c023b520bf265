//! From a hand on the sheet to edits: where a place comes to lie, and what a gesture means.

pub mod gesture;
pub mod snap;

pub use gesture::Gesture;
