//! The demo houses. All of them, their people and their addresses are invented.

pub mod builder;
pub mod larkfield_mill;

pub use larkfield_mill::larkfield_mill;
