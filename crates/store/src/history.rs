//! What was done, and what can be undone and redone.

use dot_reach_core::site::Edit;
use rusqlite::{Connection, Row};

use crate::{JobId, Store, StoreError};

/// What a journal row is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Act {
    /// Someone changed the job.
    Edit,
    /// Someone took a change back.
    Undo,
    /// Someone made a change again.
    Redo,
}

impl Act {
    pub(crate) fn word(self) -> &'static str {
        match self {
            Self::Edit => "edit",
            Self::Undo => "undo",
            Self::Redo => "redo",
        }
    }
    fn of_word(word: &str) -> Self {
        match word {
            "undo" => Self::Undo,
            "redo" => Self::Redo,
            _ => Self::Edit,
        }
    }
}

/// One row of the journal.
#[derive(Clone, Debug)]
pub struct Entry {
    /// The revision that it made.
    pub revision: u64,
    /// Who.
    pub who: String,
    /// When.
    pub at: String,
    /// What kind of act.
    pub act: Act,
    /// The revision that was undone or redone.
    pub of_revision: Option<u64>,
    /// What was done.
    pub edit: Edit,
    /// What it touched.
    pub touched: Vec<String>,
}

impl Store {
    /// The newest rows of the journal, newest first.
    ///
    /// # Errors
    /// The database fails or a row cannot be read.
    pub fn journal(&self, id: &JobId, most: u32) -> Result<Vec<Entry>, StoreError> {
        let inner = self.lock();
        let mut query = inner.db.prepare_cached(
            "SELECT revision, who, at, act, of_revision, edit, touched FROM journal
             WHERE job_id = ?1 ORDER BY revision DESC LIMIT ?2",
        )?;
        let mut rows = query.query((id.as_str(), most))?;
        let mut entries = Vec::new();
        while let Some(row) = rows.next()? {
            entries.push(entry(row)?);
        }
        Ok(entries)
    }

    /// Whether there is something to undo and to redo.
    ///
    /// # Errors
    /// The database fails.
    pub fn can_undo_redo(&self, id: &JobId) -> Result<(bool, bool), StoreError> {
        let (undo, redo) = stacks(&self.lock().db, id)?;
        Ok((!undo.is_empty(), !redo.is_empty()))
    }
}

fn entry(row: &Row<'_>) -> Result<Entry, StoreError> {
    Ok(Entry {
        revision: row.get("revision")?,
        who: row.get("who")?,
        at: row.get("at")?,
        act: Act::of_word(&row.get::<_, String>("act")?),
        of_revision: row.get("of_revision")?,
        edit: serde_json::from_str(&row.get::<_, String>("edit")?)?,
        touched: serde_json::from_str(&row.get::<_, String>("touched")?)?,
    })
}

/// The revisions whose edits can be undone and redone, the next one last.
pub(crate) fn stacks(db: &Connection, id: &JobId) -> Result<(Vec<u64>, Vec<u64>), StoreError> {
    let mut query = db.prepare_cached(
        "SELECT revision, act, of_revision FROM journal WHERE job_id = ?1 ORDER BY revision",
    )?;
    let mut rows = query.query([id.as_str()])?;
    let (mut undo, mut redo) = (Vec::new(), Vec::new());
    while let Some(row) = rows.next()? {
        let revision: u64 = row.get("revision")?;
        let of: Option<u64> = row.get("of_revision")?;
        match Act::of_word(&row.get::<_, String>("act")?) {
            Act::Edit => {
                undo.push(revision);
                redo.clear();
            }
            Act::Undo => {
                undo.pop();
                redo.extend(of);
            }
            Act::Redo => {
                redo.pop();
                undo.extend(of);
            }
        }
    }
    Ok((undo, redo))
}
