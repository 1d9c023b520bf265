//! What entries of the record are about: each its own file, with what it may hold.

mod acceptance;
mod came_back;
mod fault;
mod gave_out;
mod isolation;
mod join_code;
mod joining;
mod mark;
mod milestone;
mod name_list;
mod node_report;
mod offer_signed;
mod open_time;
mod range_test;
mod reading;
mod rule_tried;
mod sign_off;
mod wiring_record;

pub use acceptance::*;
pub use came_back::*;
pub use fault::*;
pub use gave_out::*;
pub use isolation::*;
pub use join_code::*;
pub use joining::*;
pub use mark::*;
pub use milestone::*;
pub use name_list::*;
pub use node_report::*;
pub use offer_signed::*;
pub use open_time::*;
pub use range_test::*;
pub use reading::*;
pub use rule_tried::*;
pub use sign_off::*;
pub use wiring_record::*;
