//! Rules: when they run, what they come to over a year, and what is wrong with them.
//!
//! | file | what it holds |
//! |---|---|
//! | `sun.rs` | when the sun rises and sets |
//! | `day.rs` | when a rule runs on a day |
//! | `year.rs` | what all rules come to over many days |
//! | `senses.rs` | what is wrong with them, each with the date when it first goes wrong |
//! | `from_times.rs` | rules out of what a calendar shows |
//! | `needs.rs` | what a rule needs, and what becomes of it without that |
//! | `said.rs` | a rule in a sentence, to be read back |

mod day;
mod from_times;
mod needs;
mod said;
mod senses;
mod sun;
mod year;

pub use day::{Hours, holds_at, runs_on, suns_of};
pub use from_times::{
    CalendarDeed, CalendarTimes, DayMinute, RulesFromTimes, deed_of, rules_from_times,
};
pub use needs::{RuleNeed, doubles, needs};
pub use said::{in_a_sentence, when_said};
pub use senses::{Sense, SenseOf, never_off, senses};
pub use sun::{Whereabouts, sun_event};
pub use year::{DaySpan, Happening, happenings};
