//! The computation of Dot Reach: pure, without clock, files, environment or hash order. The same
//! site and options give the same bits.
//!
//! | module | what it holds |
//! |---|---|
//! | [`units`], [`confidence`] | quantities; the normal distribution |
//! | [`geometry`] | crossings of rays with walls and slabs; snapping |
//! | [`materials`] | layered slabs, constructions |
//! | [`site`] | the job as a value, and [`site::Edit`], the one way to change it |
//! | [`catalogue`], [`fit`] | generic devices; whether one fits a place |
//! | [`radio`] | systems, regions, profiles, mounting, packet success |
//! | [`propagation`] | path loss and its terms |
//! | [`network`] | roles, links, routes, verdicts |
//! | [`findings`] | what is worth looking at, with its cure |
//! | [`control`] | who controls what, and what works in an outage |
//! | [`placement`] | where the hub could stand |
//! | [`power`] | how long batteries last |
//! | [`coverage`] | margin over a storey, contours |
//! | [`simulate`] | how sure the whole house is, by drawing many |
//! | [`staircase`] | a hop's budget, step by step |
//! | [`install`] | the order of joining |
//! | [`prove`] | readings against predictions, calibration |
//! | [`analysis`] | all of it together: [`analyse`] |

pub mod analysis;
pub mod catalogue;
pub mod confidence;
pub mod control;
pub mod coverage;
pub mod findings;
pub mod fit;
pub mod geometry;
pub mod install;
pub mod materials;
pub mod network;
pub mod placement;
pub mod power;
pub mod propagation;
pub mod prove;
pub mod radio;
pub mod simulate;
pub mod site;
pub mod staircase;
pub mod units;

pub use analysis::{Analysis, Options, analyse, analyse_after};
