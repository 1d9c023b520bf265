//! What a request is about, read before its handler begins: who asks, and which job.

mod job;
mod may;
mod person;

pub(crate) use job::{AskedJob, Looked, Planned, Proved};
pub(crate) use may::{Change, Day, For, Prove, See};
pub(crate) use person::{Visitor, is_marked, mark};
