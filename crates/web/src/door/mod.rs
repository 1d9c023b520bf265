//! What a request is about, read before its handler begins: who asks, and which job.

mod job;
mod may;
mod person;

pub(crate) use job::{Job, Looked, Planned, Proved};
pub(crate) use may::{Change, Day, For, Prove, See};
pub(crate) use person::{Person, is_marked, mark};
