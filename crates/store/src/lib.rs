//! Jobs and their journal in `SQLite`.
//!
//! | file | what it holds |
//! |---|---|
//! | [`jobs`] | opening, listing, reading a job back from its rows |
//! | [`edits`] | the one way to change a job: journal row and table rows in one transaction |
//! | [`history`] | what can be undone and redone |
//! | [`images`] | plan images by their hash |
//! | [`things`] | the rows of walls, points, devices … |

pub mod edits;
pub mod history;
pub mod images;
pub mod jobs;
mod things;

use std::collections::BTreeMap;
use std::path::Path;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use dot_reach_core::site::{Refusal, Site};
use rusqlite::Connection;
use rusqlite_migration::{M, Migrations};

pub use edits::{Command, Committed, Conflict};
pub use history::{Act, Entry};
pub use images::Image;
pub use jobs::{JobId, JobSummary};

/// Every migration in order. Append only.
const MIGRATIONS: [&str; 2] =
    [include_str!("../migrations/0001_jobs.sql"), include_str!("../migrations/0002_kinds.sql")];

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
    /// No such job.
    #[error("there is no job {0}")]
    NoJob(String),
    /// The core refused the edit.
    #[error(transparent)]
    Refused(#[from] Refusal),
    /// Someone else changed the same thing meanwhile.
    #[error("{0}")]
    Conflict(Conflict),
    /// Nothing left to undo or redo.
    #[error("there is nothing to {0}")]
    Nothing(&'static str),
}

/// A job in memory.
#[derive(Clone, Debug)]
struct OpenJob {
    site: Arc<Site>,
    revision: u64,
}

/// The store: one connection, and the jobs that were opened.
#[derive(Debug)]
pub struct Store {
    inner: Mutex<Inner>,
}

#[derive(Debug)]
struct Inner {
    db: Connection,
    open: BTreeMap<JobId, OpenJob>,
}

impl Store {
    /// Opens or makes the database file.
    ///
    /// # Errors
    /// The file cannot be opened or brought up to date.
    pub fn open(path: &Path) -> Result<Self, StoreError> {
        Self::over(Connection::open(path)?)
    }

    /// A database that lives as long as the value.
    ///
    /// # Errors
    /// Only if `SQLite` itself fails.
    pub fn in_memory() -> Result<Self, StoreError> {
        Self::over(Connection::open_in_memory()?)
    }

    fn over(mut db: Connection) -> Result<Self, StoreError> {
        db.pragma_update(None, "journal_mode", "WAL")?;
        // An acknowledged edit survives a power cut too.
        db.pragma_update(None, "synchronous", "FULL")?;
        db.pragma_update(None, "foreign_keys", true)?;
        db.busy_timeout(std::time::Duration::from_secs(5))?;
        Migrations::new(MIGRATIONS.map(M::up).to_vec()).to_latest(&mut db)?;
        Ok(Self { inner: Mutex::new(Inner { db, open: BTreeMap::new() }) })
    }

    fn lock(&self) -> MutexGuard<'_, Inner> {
        // A panic in another thread leaves the transaction rolled back and the map as it was.
        self.inner.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Writes a copy of the whole database to a new file, while work goes on.
    ///
    /// # Errors
    /// The file cannot be written.
    pub fn backup(&self, to: &Path) -> Result<(), StoreError> {
        let inner = self.lock();
        let mut copy = Connection::open(to)?;
        let backup = rusqlite::backup::Backup::new(&inner.db, &mut copy)?;
        backup.run_to_completion(256, std::time::Duration::ZERO, None)?;
        Ok(())
    }
}
