//! The work on site. [`work`] says which steps a device takes, [`state`] which of them hold and what each
//! rests on, [`checks`] what is looked at, [`acts`] what is tapped. [`isolate`] says what is switched off and
//! why, [`order`] in which order devices are joined.

pub mod acts;
pub mod cards;
pub mod checks;
pub mod clock;
pub mod guide;
pub mod isolate;
pub mod order;
pub mod pack;
pub mod record;
pub mod retest;
mod rules;
pub mod schedule;
pub mod state;
mod visits;
pub mod walk;
pub mod work;

pub use order::{MAINS_CAUTIONS, Stage, Task, run_sheet};
