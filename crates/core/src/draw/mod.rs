//! From a hand on the sheet to edits: where a place comes to lie, and what a gesture means.

pub mod gesture;
pub mod naming;
mod openings;
pub mod shift;
pub mod snap;
mod storeys;

pub use gesture::Gesture;
