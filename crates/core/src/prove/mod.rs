//! Readings and tests against the plan, and what they teach.
//!
//! | module | what it answers |
//! |---|---|
//! | [`calibrate`], `proposal` | what each reading says beside the plan; what all teach, as it is kept |
//! | [`gains`] | the same with the radios left out |
//! | [`house`], [`regression`], [`outliers`] | how: the house as it is learned, the sums, what is set aside |
//! | [`diagnose`], [`helps`] | what differs and why; what would help |
//! | [`next`] | which reading tells most |
//! | [`round`] | where two test radios stand before anything is bought |
//! | [`press`], [`accept`] | what presses prove, and whether it is what was agreed |
//! | [`rules_tried`] | rules that were run by hand and read back |
//! | [`stages`] | as designed, as installed, as proven |
//! | [`drift`] | what has changed since |
//! | [`firm`] | what a firm learns over its jobs |

pub mod accept;
pub mod acts;
pub mod calibrate;
pub mod diagnose;
pub mod drift;
pub mod firm;
pub mod gains;
pub mod handed_over;
pub mod helps;
pub mod house;
pub mod next;
pub mod outliers;
pub mod press;
mod proposal;
pub mod regression;
pub mod round;
pub mod rules_tried;
pub mod stages;

pub use calibrate::{Comparison, Proof, Verdict, prove, prove_without};
