//! What a request is about, read before its handler begins: who asks, which firm and which job, and what they may do.

mod caller;
mod job;
mod may;
mod person;

pub(crate) use caller::{Caller, let_in, let_in_by_link, renew, server_name, show_out, whence};
pub(crate) use job::{AskedJob, Looked, Planned, Proved};
pub(crate) use may::{
    Agree, Anybody, Change, ComeTo, Day, For, Handover, Keep, Manage, Of, Own, Prove, See, Show,
    TakeAlong, Wiring,
};
pub(crate) use person::{Visitor, is_marked, mark};
