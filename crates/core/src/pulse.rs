//! The pulse of long work: who waits for it is told how far it is, and may break it off.

use std::ops::ControlFlow;

/// Told how much is done of how much; what it answers goes on or breaks off.
pub type Pulse<'a> = dyn FnMut(usize, usize) -> ControlFlow<()> + 'a;

/// Asked between pieces of work, from any thread: whether anybody still wants the answer.
pub type StillWanted<'a> = dyn Fn() -> bool + Sync + 'a;

/// A pulse that never breaks off, for who can wait.
pub fn to_the_end(_done: usize, _of: usize) -> ControlFlow<()> {
    ControlFlow::Continue(())
}
