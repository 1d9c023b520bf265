//! Readings against predictions, and what they teach.

pub mod calibrate;

pub use calibrate::{Comparison, Proof, prove};
