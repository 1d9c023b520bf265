//! From a hand on the sheet or in the survey to edits: where a place comes to lie, and what a gesture
//! means.

pub mod at_fitting;
pub mod choose;
pub mod gesture;
pub mod naming;
mod openings;
pub mod orders;
pub mod rooms;
pub mod rows;
pub mod shift;
pub mod snap;
mod storeys;
pub mod tags;
mod wiring;

pub use gesture::Gesture;
