//! Undo and redo, and the journal.
//!
//! An undo takes back a person's own last change that stands; a redo takes back their own last undo,
//! until they change something anew. Both are rows of the journal like all others: `of_revision` says
//! what they take back, and that row's `undone_by` says by what.

use std::collections::BTreeSet;
use std::sync::Arc;

use dot_reach_core::site::{Edit, Ref, Refusal, Site, Touch, take_back};
use rusqlite::{Connection, Row, Transaction, named_params};

use crate::edits::{Clash, Entry as NewEntry, commit, current, first_clash, receipt, touches};
use crate::{Command, Committed, JobId, Store, StoreError};

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
    /// What was done; nothing for two words of version 0.1.0 that are told by what they touched.
    pub edit: Option<Edit>,
    /// What it touched.
    pub touched: Vec<Touch>,
}

impl Store {
    /// Takes the person's own last change back.
    ///
    /// # Errors
    /// Nothing is left to undo, another has changed it since, or the database fails.
    pub fn undo(&self, id: &JobId, command: &Command) -> Result<Committed, StoreError> {
        self.step(id, command, Act::Undo)
    }

    /// Makes the person's own last undone change again.
    ///
    /// # Errors
    /// Nothing is left to redo, another has changed it since, or the database fails.
    pub fn redo(&self, id: &JobId, command: &Command) -> Result<Committed, StoreError> {
        self.step(id, command, Act::Redo)
    }

    fn step(&self, id: &JobId, command: &Command, act: Act) -> Result<Committed, StoreError> {
        let (id, command, memory) = (id.clone(), command.clone(), Arc::clone(&self.memory));
        self.writer.write(move |db| {
            if let Some(receipt) = receipt(db, &id, &command)? {
                return Ok(receipt);
            }
            let job = current(db, &memory, &id)?;
            let of = match act {
                Act::Undo => last_undoable(db, &id, &command.author)?,
                _ => last_redoable(db, &id, &command.author)?,
            };
            let of = of.ok_or(StoreError::Nothing(act.word()))?;
            let inverse = inverse(db, &id, of)?;
            let mut site = Site::clone(&job.site);
            let change = match take_back(&mut site, &inverse) {
                Ok(change) => change,
                Err(refusal) => return Err(why_not(db, &id, of, refusal, &job.site)?),
            };
            if !command.force {
                // What names a thing that goes would lose it.
                let gone = change.touched.iter().filter(|t| !site.has(&t.thing));
                let users = users_of(&job.site, &gone.map(|t| &t.thing).collect());
                let touched = [change.touched.as_slice(), users.as_slice()].concat();
                if let Some(clash) = changed_after(db, &id, &command, of, &touched)? {
                    return Err(clash.between(&job.site, &site));
                }
            }
            let entry = NewEntry { command: &command, act, of_revision: Some(of) };
            commit(db, &memory, &id, &job, site, &entry, &inverse, change)
        })
    }

    /// The newest rows of the journal, newest first.
    ///
    /// # Errors
    /// The database fails or a row cannot be read.
    pub fn journal(&self, id: &JobId, most: u32) -> Result<Vec<Entry>, StoreError> {
        self.readers.read(|db| {
            let mut query = db.prepare_cached(
                "SELECT revision, who, at, act, of_revision, edit, touched FROM journal
                 WHERE job_id = ?1 ORDER BY revision DESC LIMIT ?2",
            )?;
            let mut rows = query.query((id.as_str(), most))?;
            let mut entries = Vec::new();
            while let Some(row) = rows.next()? {
                entries.push(entry(row)?);
            }
            Ok(entries)
        })
    }

    /// Whether a person has something to undo and to redo.
    ///
    /// # Errors
    /// The database fails.
    pub fn can_undo_redo(&self, id: &JobId, author: &str) -> Result<(bool, bool), StoreError> {
        self.readers.read(|db| {
            let undo = last_undoable(db, id, author)?.is_some();
            Ok((undo, last_redoable(db, id, author)?.is_some()))
        })
    }
}

fn entry(row: &Row<'_>) -> Result<Entry, StoreError> {
    Ok(Entry {
        revision: row.get("revision")?,
        who: row.get("who")?,
        at: row.get("at")?,
        act: Act::of_word(&row.get::<_, String>("act")?),
        of_revision: row.get("of_revision")?,
        edit: serde_json::from_str(&row.get::<_, String>("edit")?).ok(),
        touched: touches(&row.get::<_, String>("touched")?)?,
    })
}

fn last_undoable(db: &Connection, id: &JobId, author: &str) -> Result<Option<u64>, StoreError> {
    let theirs = newest(db, id, Some(author), UNDOABLE)?;
    let anyones = newest(db, id, None, UNDOABLE)?;
    Ok(theirs.max(anyones))
}

fn last_redoable(db: &Connection, id: &JobId, author: &str) -> Result<Option<u64>, StoreError> {
    let theirs = newest(db, id, Some(author), REDOABLE)?;
    let anyones = newest(db, id, None, REDOABLE)?;
    // What they changed anew since leaves nothing to redo.
    let anew = newest(db, id, Some(author), EDITS)?;
    Ok(theirs.max(anyones).filter(|undone| Some(*undone) > anew))
}

/// A condition and the index that holds for it.
type Indexed = (&'static str, &'static str);
const UNDOABLE: Indexed = ("undone_by IS NULL AND act <> 'undo'", "journal_undoable");
const REDOABLE: Indexed = ("undone_by IS NULL AND act = 'undo'", "journal_redoable");
const EDITS: Indexed = ("act = 'edit'", "journal_edits");

/// The newest revision of an author, or of those of before who are not known.
fn newest(
    db: &Connection,
    id: &JobId,
    author: Option<&str>,
    (condition, index): Indexed,
) -> Result<Option<u64>, StoreError> {
    let sql = format!(
        "SELECT max(revision) FROM journal INDEXED BY {index}
         WHERE job_id = ?1 AND author IS ?2 AND {condition}"
    );
    Ok(db.prepare_cached(&sql)?.query_row((id.as_str(), author), |row| row.get(0))?)
}

fn inverse(db: &Connection, id: &JobId, of: u64) -> Result<Edit, StoreError> {
    let text: String = db
        .prepare_cached("SELECT inverse FROM journal WHERE job_id = ?1 AND revision = ?2")?
        .query_row((id.as_str(), of), |row| row.get(0))?;
    Ok(serde_json::from_str(&text)?)
}

/// The newest change by another since `of` that stands and touches the same.
fn changed_after(
    db: &Connection,
    id: &JobId,
    command: &Command,
    of: u64,
    touched: &[Touch],
) -> Result<Option<Clash>, StoreError> {
    let mut query = db.prepare_cached(
        "SELECT revision, who, at, touched FROM journal
         WHERE job_id = :job AND revision > :of AND author IS NOT :author
         AND undone_by IS NULL AND (act <> 'undo' OR of_revision < :of) ORDER BY revision DESC",
    )?;
    let rows =
        query.query(named_params! { ":job": id.as_str(), ":of": of, ":author": command.author })?;
    first_clash(rows, touched)
}

/// An inverse that does not apply: another took away, or built upon, what it is about. That is told
/// as a conflict.
fn why_not(
    db: &Connection,
    id: &JobId,
    of: u64,
    refusal: Refusal,
    now: &Site,
) -> Result<StoreError, StoreError> {
    let Some(about) = refusal.about() else { return Ok(refusal.into()) };
    let mut about_it = vec![Touch { thing: about.clone(), field: None }];
    // Another took it away, or what uses it came after.
    about_it.extend(users_of(now, &BTreeSet::from([about])));
    let mut query = db.prepare_cached(
        "SELECT revision, who, at, touched FROM journal
         WHERE job_id = ?1 AND revision > ?2 ORDER BY revision DESC",
    )?;
    let clash = first_clash(query.query((id.as_str(), of))?, &about_it)?;
    Ok(clash.map_or_else(|| refusal.into(), |clash| clash.between(now, now)))
}

/// The things that name one of these.
fn users_of(site: &Site, named: &BTreeSet<&Ref>) -> Vec<Touch> {
    let mut users = Vec::new();
    if named.is_empty() {
        return users;
    }
    for thing in site.things() {
        thing.ties(&mut |tie| {
            if named.contains(&tie.to) {
                users.push(Touch { thing: thing.of(), field: None });
            }
        });
    }
    users
}

/// Journals of before did not say what was taken back by what: it follows from their order.
pub(crate) fn tell_old_undos_apart(write: &Transaction<'_>) -> rusqlite::Result<()> {
    let jobs: Vec<String> = {
        let mut query = write.prepare("SELECT DISTINCT job_id FROM journal")?;
        query.query_map([], |row| row.get(0))?.collect::<Result<_, _>>()?
    };
    for job in jobs {
        let rows: Vec<(u64, String)> = {
            let mut query = write
                .prepare("SELECT revision, act FROM journal WHERE job_id = ?1 ORDER BY revision")?;
            let row = |row: &Row<'_>| Ok((row.get(0)?, row.get(1)?));
            query.query_map([&job], row)?.collect::<Result<_, _>>()?
        };
        let (mut done, mut undone) = (Vec::new(), Vec::new());
        for (revision, act) in rows {
            let taken_back: Option<u64> = match Act::of_word(&act) {
                Act::Edit => {
                    // Anew: what was undone before stays so.
                    for dead in undone.drain(..) {
                        mark(write, &job, dead, revision)?;
                    }
                    None
                }
                Act::Undo => done.pop(),
                Act::Redo => undone.pop(),
            };
            match Act::of_word(&act) {
                Act::Undo => undone.push(revision),
                Act::Edit | Act::Redo => done.push(revision),
            }
            if let Some(of) = taken_back {
                mark(write, &job, of, revision)?;
            }
        }
    }
    Ok(())
}

fn mark(write: &Transaction<'_>, job: &str, of: u64, by: u64) -> rusqlite::Result<()> {
    write.execute(
        "UPDATE journal SET undone_by = ?3 WHERE job_id = ?1 AND revision = ?2",
        (job, of, by),
    )?;
    Ok(())
}
