//! Jobs and their journal in `SQLite`.
//!
//! The core decides what may stand; the store keeps it. An edit that was acknowledged is on disk,
//! with its inverse, its author and what it touched. One thread writes, in the order in which it is
//! asked; readers have connections of their own, and jobs in use are kept in memory.
//!
//! | file | what it holds |
//! |---|---|
//! | `open.rs` | opening a file, migrations, copies of a file |
//! | `connections.rs` | the writing thread and the reading connections |
//! | `jobs.rs` | the list of jobs, making one, its site |
//! | `memory.rs` | jobs in use |
//! | `edits.rs` | an edit, its receipt, its conflicts |
//! | `history.rs` | undo, redo, the journal |
//! | `things.rs` | the rows of walls, points, devices and so on |
//! | `images.rs` | plan images |
//! | `variants.rs` | branches of a job |

mod connections;
mod edits;
mod history;
mod images;
mod jobs;
mod memory;
mod open;
mod things;
mod variants;

use dot_reach_core::site::Refusal;

pub use edits::{Command, Committed, Conflict};
pub use history::{Act, Entry};
pub use images::Image;
pub use jobs::{JobId, JobSummary};
pub use open::{backup, read_copy};
pub use variants::{MOST_VARIANTS, Variant};

use connections::{Readers, Writer};
use memory::Memory;

/// What stopped the store.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum StoreError {
    /// `SQLite` failed.
    #[error("the database failed: {0}")]
    Database(#[from] rusqlite::Error),
    /// The file could not be brought up to date.
    #[error("the database could not be brought up to date: {0}")]
    Migration(#[from] rusqlite_migration::Error),
    /// A row does not hold what it should.
    #[error("a row of the database cannot be read: {0}")]
    Row(#[from] serde_json::Error),
    /// There is no such file.
    #[error("there is no file {0}")]
    NoFile(String),
    /// Another program's file.
    #[error("{0} is a database of another program")]
    Foreign(String),
    /// A folder for a database that is not kept could not be made.
    #[error("there is no room for a database that is not kept: {0}")]
    Folder(#[from] std::io::Error),
    /// The writing thread has gone.
    #[error("the database is closing")]
    Closing,
    /// No such job.
    #[error("there is no job “{0}”")]
    NoJob(String),
    /// A job has as many variants as it may have.
    #[error("a job has at most {0} variants; put one aside that nobody looks at any longer")]
    ManyVariants(usize),
    /// The core refused the edit.
    #[error(transparent)]
    Refused(#[from] Refusal),
    /// Someone else changed the same thing meanwhile.
    #[error("{0}")]
    Conflict(Box<Conflict>),
    /// Nothing left to undo or redo.
    #[error("there is nothing of yours to {0}")]
    Nothing(&'static str),
    /// An edit needs an id by which it is known when it comes again.
    #[error("an edit_id has 1 to 64 characters; make a new one for each edit")]
    EditId,
}

/// The store of all jobs.
#[derive(Debug)]
pub struct Store {
    writer: Writer,
    readers: Readers,
    memory: std::sync::Arc<Memory>,
    /// Gone with the store, when nothing is kept. Last, so that the connections close before.
    _folder: Option<tempfile::TempDir>,
}
