//! Jobs and their journal in `SQLite`.
//!
//! The core decides what may stand; the store keeps it. An edit that was acknowledged is on disk,
//! with its inverse, its author and what it touched. One thread writes, in the order in which it is
//! asked; readers have connections of their own, and jobs in use are kept in memory.
//!
//! | file | what it holds |
//! |---|---|
//! | `open.rs` | opening a file, migrations |
//! | `backups.rs` | copies that were read, bringing one back, so many kept |
//! | `check.rs` | a database held against itself |
//! | `connections.rs` | the writing thread and the reading connections |
//! | `second_copy.rs` | a second copy in another folder, which has all that was acknowledged |
//! | `jobs.rs` | the list of jobs, making one, its site |
//! | `memory.rs` | jobs in use |
//! | `turns.rs` | who works out something that others hinder |
//! | `edits.rs` | what is kept: worked out beside the writer, its receipt, its conflicts |
//! | `entries.rs` | the rows of the record |
//! | `people.rs` | what somebody did, and the deletion of who they were |
//! | `history.rs` | undo, redo, the journal of the plan |
//! | `things.rs` | the rows of walls, points, devices and so on |
//! | `images.rs` | plan images |
//! | `variants.rs` | branches of a job |

mod backups;
mod check;
mod connections;
mod edits;
mod entries;
mod history;
mod images;
mod jobs;
mod memory;
mod open;
mod people;
mod second_copy;
mod things;
mod turns;
mod variants;

use dot_reach_core::site::Refusal;

pub use backups::{Backups, backup, rehearse, restore};
pub use check::check;
pub use edits::{Command, Committed, Conflict, Reads};
pub use history::{JournalAct, JournalRow};
pub use images::Image;
pub use jobs::{JobId, JobSummary};
pub use memory::OpenJob;
pub use open::{lock, read_copy};
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
    /// It is in use in a way that does not let it be copied now.
    #[error("{0} cannot be copied at this moment; try again")]
    NotCopied(String),
    /// The copy would be the file itself.
    #[error("{0} holds the files themselves; name another folder for their second copies")]
    OnItself(String),
    /// There is no such file.
    #[error("there is no file {0}")]
    NoFile(String),
    /// Another program's file.
    #[error("{0} is a database of another program")]
    Foreign(String),
    /// A newer version of this program wrote it.
    #[error(
        "{0} was written by a newer version of this program: use that one, or bring back a backup of before"
    )]
    Newer(String),
    /// A copy with which something is wrong.
    #[error("{file} is no sound copy, {count} things are wrong with it; the first: {first}")]
    Unsound {
        /// The file.
        file: String,
        /// How many things are wrong.
        count: usize,
        /// The first of them.
        first: String,
    },
    /// Another program has it.
    #[error("{0} is in use by another server; stop that first, or choose another file")]
    InUse(String),
    /// What is to be written is there already.
    #[error("{0} is there already; choose a name that is free")]
    Exists(String),
    /// The file is no longer where it was opened.
    #[error("{0} was moved or replaced while the server has it open")]
    Moved(String),
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
    /// Somebody changed what this rests on while it was worked out.
    #[error("somebody changed the same while this was worked out")]
    Stale,
    /// That happened again and again.
    #[error("others are changing the same; wait a moment and do it again")]
    Busy,
    /// A body of a format that this program does not read.
    #[error("a row of the database has format {0}, which this program does not read")]
    Format(u32),
    /// The record contradicts itself.
    #[error("the record of {job} cannot be read at entry {id}: {why}; ask for its last backup")]
    Record {
        /// The job.
        job: String,
        /// The entry.
        id: String,
        /// Why.
        why: Refusal,
    },
    /// An edit needs an id by which it is known when it comes again.
    #[error("an edit_id has 1 to 64 characters; make a new one for each edit")]
    EditId,
}

/// The store of all jobs.
#[derive(Debug)]
pub struct Store {
    /// Closed before the writer, which then leaves one file that holds everything.
    readers: Readers,
    writer: Writer,
    memory: std::sync::Arc<Memory>,
    turns: turns::Turns,
    /// Held as long as this program has the file.
    _lock: Option<std::fs::File>,
    /// Gone with the store, when nothing is kept. Last, so that the connections close before.
    folder: Option<tempfile::TempDir>,
}

impl StoreError {
    /// What is the matter with the disk or the file and what to do, where something failed by that.
    pub fn of_disk(&self) -> Option<&'static str> {
        use rusqlite::ErrorCode;
        let code = match self {
            Self::Database(rusqlite::Error::SqliteFailure(error, _)) => error.code,
            Self::InUse(_) => {
                return Some(
                    "another server has this file open: nothing of this was kept; whoever runs them decides which of them has it",
                );
            }
            Self::Newer(_) => {
                return Some(
                    "a newer version of this program wrote this file: nothing of it is touched; use that version, or bring \
                     back a copy of before",
                );
            }
            Self::Moved(_) => {
                return Some(
                    "the database file was moved or replaced while the server has it open: nothing of this was kept; \
                     stop the server, put the file back, and start it again",
                );
            }
            _ => return None,
        };
        Some(match code {
            ErrorCode::DiskFull => {
                "the disk is full: nothing of this was kept; make room, then do it again"
            }
            ErrorCode::DatabaseBusy | ErrorCode::DatabaseLocked => {
                "another program holds the database: nothing of this was kept; end that program, then do it again"
            }
            ErrorCode::DatabaseCorrupt | ErrorCode::NotADatabase => {
                "the database is damaged: nothing of this was kept; stop the server, keep a copy of the file, run \
                 “dot-reach check” on it and bring back the last backup"
            }
            ErrorCode::ReadOnly
            | ErrorCode::PermissionDenied
            | ErrorCode::CannotOpen
            | ErrorCode::SystemIoFailure => {
                "the database cannot be read or written: nothing of this was kept; look to its disk and who may write \
                 there, then do it again"
            }
            _ => return None,
        })
    }
}

impl Store {
    /// Writes and reads, so that a disk that takes nothing any longer is found out.
    ///
    /// # Errors
    /// It takes or gives nothing; see [`StoreError::of_disk`].
    pub fn probe(&self) -> Result<(), StoreError> {
        self.writer.write(|db| {
            let more = "INSERT INTO probe (one, times) VALUES (1, 1) ON CONFLICT (one) DO UPDATE SET times = times + 1";
            Ok(db.execute(more, []).map(|_| ())?)
        })?;
        self.readers.read(|db| Ok(db.query_row("SELECT times FROM probe", [], |_| Ok(()))?))
    }

    /// Takes nothing more and leaves one file that holds everything that was acknowledged, also where somebody
    /// keeps the store: for a program that ends while long work goes on.
    pub fn close(&self) {
        self.readers.close();
        self.writer.close();
        if let Some(folder) = &self.folder {
            // Nothing was to be kept; what cannot be removed is the machine's to clean up.
            drop(std::fs::remove_dir_all(folder.path()));
        }
    }
}
