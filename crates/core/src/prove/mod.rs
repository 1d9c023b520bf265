//! Readings against predictions, and what they teach.

pub mod calibrate;

pub use calibrate::{Calibration, Comparison, Proof, prove};
