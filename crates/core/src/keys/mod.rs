//! What each key of a controller does, what a new one takes by itself, and what a lost message leaves behind.
//!
//! | file | what it holds |
//! |---|---|
//! | `grid.rs` | one controller: what a hand can do there against all that it could work |
//! | `taken.rs` | what a new one takes by itself against what was meant, with the steps that correct it |
//! | `worth.rs` | which way a press goes, how long it takes, how surely it arrives, what is left of it |
//! | `old_switches.rs` | place by place what becomes of each old switch |
//! | `drift.rs` | toggle against on and off: after a lost message, a power cut, with two controllers |

mod drift;
mod grid;
mod old_switches;
mod taken;
mod worth;

pub use drift::{DriftStep, HandEvent, KeySends, StandsApart, sequence, stands_apart};
pub use grid::{GridCell, GridRow, KeyGrid, grid};
pub use old_switches::{OldSwitch, old_switches};
pub use taken::{TakenByItself, taken_by};
pub use worth::{LostWith, PressWorth, checked_by, ends_with, lost_with, press_worth};
