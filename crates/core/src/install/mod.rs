//! The work on site as it is planned and told: visits, times without power, the walk, cards, reports. What may be
//! done when is for [`crate::gate`] to say.

pub mod cards;
pub mod clock;
pub mod dark;
pub mod guide;
pub mod order;
pub mod pack;
pub mod record;
pub mod schedule;
mod stretch;
mod visits;
pub mod walk;
mod walk_cards;

pub use order::{JoinStage, MAINS_CAUTIONS, Task, run_sheet};
