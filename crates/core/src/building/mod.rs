//! The building as a ray meets it: read out of a site once, then asked by every ray.

pub mod fan;
pub mod structure;

pub use structure::{Crossing, Doors, Structure, Surface};
