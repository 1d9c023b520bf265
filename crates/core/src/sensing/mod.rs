//! What a sensor sees of the plan: the sector of its data sheet, with the walls that stand in its way.

mod field;

pub use field::{SeenField, SeenRoom, seen};
