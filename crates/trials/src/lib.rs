//! What tests of several crates do alike: a small house as a page sends it, every door to what was done in it, and
//! the hands that see whether a box is open. The tests of the core stand in `tests/core`.

pub mod acts;
pub mod doors;
