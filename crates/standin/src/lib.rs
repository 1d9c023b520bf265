//! Made-up houses with a hidden truth: the demo jobs, practice and tests.
//!
//! [`houses`] draws them; [`truth`] knows what their walls are really like and takes readings.

pub mod houses;
pub mod truth;
