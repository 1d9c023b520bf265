//! Made-up houses with a hidden truth: the demo jobs, practice and tests.
//!
//! [`houses`] draws them; [`truth`] knows what their walls are really like and takes readings; [`hub`] answers
//! as the hubs of such a house would.

pub mod drawn;
pub mod houses;
pub mod hub;
pub mod story;
pub mod truth;
