//! Undo and redo of the plan, and its journal. What happened is on record, which neither touches.
//!
//! An undo takes back a person's own last change that stands, or any that is named and that nothing since built upon; a redo takes back their own last undo,
//! until they change something anew. Both are rows of the journal like all others: `of_revision` says
//! what they take back, and that row's `undone_by` says by what.

use std::collections::BTreeSet;
use std::sync::Arc;

use dot_reach_core::site::{Change, Edit, Ref, Refusal, Site, Touch, take_back};
use rusqlite::{Connection, Row, named_params};

use crate::edits::{Clash, MOST_TRIES, NewRow, current, first_clash, receipt, touches, write};
use crate::memory::OpenJob;
use crate::{Command, Committed, JobId, Store, StoreError};

/// What a journal row is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum JournalAct {
    /// Someone changed the job.
    Edit,
    /// Someone took a change back.
    Undo,
    /// Someone made a change again.
    Redo,
}

impl JournalAct {
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
pub struct JournalRow {
    /// The revision that it made.
    pub revision: u64,
    /// Who.
    pub who: String,
    /// When.
    pub at: String,
    /// What kind of act.
    pub act: JournalAct,
    /// The revision that was undone or redone.
    pub of_revision: Option<u64>,
    /// What was done.
    pub edit: Option<Edit>,
    /// What takes it back.
    pub inverse: Option<Edit>,
    /// What it touched.
    pub touched: Vec<Touch>,
    /// Whether it stands: nobody took it back.
    pub stands: bool,
}

impl Store {
    /// Takes the person's own last change back.
    ///
    /// # Errors
    /// Nothing is left to undo, another has changed it since, or the database fails.
    pub fn undo(&self, id: &JobId, command: &Command) -> Result<Committed, StoreError> {
        self.step(id, command, JournalAct::Undo, None)
    }

    /// Takes the change of a revision back, whoever made it.
    ///
    /// # Errors
    /// It was taken back already, something since changed the same or was built upon it, or the database fails.
    pub fn put_back(
        &self,
        id: &JobId,
        command: &Command,
        of: u64,
    ) -> Result<Committed, StoreError> {
        self.step(id, command, JournalAct::Undo, Some(of))
    }

    /// Makes the person's own last undone change again.
    ///
    /// # Errors
    /// Nothing is left to redo, another has changed it since, or the database fails.
    pub fn redo(&self, id: &JobId, command: &Command) -> Result<Committed, StoreError> {
        self.step(id, command, JournalAct::Redo, None)
    }

    fn step(
        &self,
        id: &JobId,
        command: &Command,
        act: JournalAct,
        named: Option<u64>,
    ) -> Result<Committed, StoreError> {
        for _ in 0..MOST_TRIES {
            let taken = self.readers.read(|db| receipt(db, id, command, &[]))?;
            if let Some(receipt) = taken {
                self.writer.catch_up()?;
                return Ok(receipt);
            }
            let open = self.open_job(id)?;
            let step = self.readers.read(|db| Step::of(db, id, command, (act, named), &open))?;
            let (id, command, memory) = (id.clone(), command.clone(), Arc::clone(&self.memory));
            let done = self.writer.write(move |db| {
                if let Some(receipt) = receipt(db, &id, &command, &[])? {
                    return Ok(receipt);
                }
                if current(db, &memory, &id)?.revision != open.revision {
                    return Err(StoreError::Stale);
                }
                let row = NewRow { command: &command, act, of_revision: Some(step.of) };
                let plan = Some((&step.inverse, &step.change));
                write(db, &memory, &id, step.job, &row, plan, &Vec::new())
            });
            match done {
                Err(StoreError::Stale) => {}
                done => return done,
            }
        }
        Err(StoreError::Busy)
    }

    /// The newest rows of the journal, newest first.
    ///
    /// # Errors
    /// The database fails or a row cannot be read.
    pub fn journal(
        &self,
        id: &JobId,
        below: u64,
        most: u32,
    ) -> Result<Vec<JournalRow>, StoreError> {
        self.readers.read(|db| {
            let mut query = db.prepare_cached(
                "SELECT revision, who, at, act, of_revision, edit, inverse, touched, undone_by FROM journal
                 WHERE job_id = ?1 AND revision < ?2 ORDER BY revision DESC LIMIT ?3",
            )?;
            let mut rows =
                query.query((id.as_str(), i64::try_from(below).unwrap_or(i64::MAX), most))?;
            let mut found = Vec::new();
            while let Some(row) = rows.next()? {
                found.push(journal_row(row)?);
            }
            Ok(found)
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

/// A step through the history, as it would be on a job as it stood.
struct Step {
    of: u64,
    inverse: Edit,
    change: Change,
    job: OpenJob,
}

impl Step {
    fn of(
        db: &Connection,
        id: &JobId,
        command: &Command,
        (act, named): (JournalAct, Option<u64>),
        open: &OpenJob,
    ) -> Result<Self, StoreError> {
        let of = match (act, named) {
            (_, Some(named)) => standing(db, id, named)?,
            (JournalAct::Undo, None) => last_undoable(db, id, &command.author)?,
            (_, None) => last_redoable(db, id, &command.author)?,
        };
        let of = of.ok_or(StoreError::Nothing(act.word()))?;
        let inverse = inverse(db, id, of)?;
        let mut site = Site::clone(&open.site);
        let change = match take_back(&mut site, &inverse) {
            Ok(change) => change,
            Err(refusal) => return Err(why_not(db, id, of, refusal, &open.site)?),
        };
        if !command.force {
            // What names a thing that goes would lose it.
            let gone = change.touched.iter().filter(|t| !site.has(&t.thing));
            let users = users_of(&open.site, &gone.map(|t| &t.thing).collect());
            let touched = [change.touched.as_slice(), users.as_slice()].concat();
            // Of one's own last change nothing of one's own came after.
            let but = named.is_none().then_some(command.author.as_str());
            if let Some(clash) = changed_after(db, id, but, of, &touched)? {
                return Err(clash.between(&open.site, &site));
            }
        }
        let (site, revision) = (Arc::new(site), open.revision + 1);
        let job = OpenJob { site, record: Arc::clone(&open.record), revision };
        Ok(Self { of, inverse, change, job })
    }
}

fn journal_row(row: &Row<'_>) -> Result<JournalRow, StoreError> {
    Ok(JournalRow {
        revision: row.get("revision")?,
        who: row.get("who")?,
        at: row.get("at")?,
        act: JournalAct::of_word(&row.get::<_, String>("act")?),
        of_revision: row.get("of_revision")?,
        edit: serde_json::from_str(&row.get::<_, String>("edit")?).ok(),
        inverse: serde_json::from_str(&row.get::<_, String>("inverse")?).ok(),
        stands: row.get::<_, Option<u64>>("undone_by")?.is_none(),
        touched: touches(&row.get::<_, String>("touched")?)?,
    })
}

/// A change by its revision, where it stands.
fn standing(db: &Connection, id: &JobId, of: u64) -> Result<Option<u64>, StoreError> {
    let sql = "SELECT max(revision) FROM journal
         WHERE job_id = ?1 AND revision = ?2 AND undone_by IS NULL AND act <> 'undo'";
    Ok(db.prepare_cached(sql)?.query_row((id.as_str(), of), |row| row.get(0))?)
}

fn last_undoable(db: &Connection, id: &JobId, author: &str) -> Result<Option<u64>, StoreError> {
    newest(db, id, author, UNDOABLE)
}

fn last_redoable(db: &Connection, id: &JobId, author: &str) -> Result<Option<u64>, StoreError> {
    // What they changed anew since leaves nothing to redo.
    let anew = newest(db, id, author, EDITS)?;
    Ok(newest(db, id, author, REDOABLE)?.filter(|undone| Some(*undone) > anew))
}

/// A condition and the index that holds for it.
type Indexed = (&'static str, &'static str);
const UNDOABLE: Indexed = ("undone_by IS NULL AND act <> 'undo'", "journal_undoable");
const REDOABLE: Indexed = ("undone_by IS NULL AND act = 'undo'", "journal_redoable");
const EDITS: Indexed = ("act = 'edit'", "journal_edits");

/// The newest revision of an author.
fn newest(
    db: &Connection,
    id: &JobId,
    author: &str,
    (condition, index): Indexed,
) -> Result<Option<u64>, StoreError> {
    let sql = format!(
        "SELECT max(revision) FROM journal INDEXED BY {index}
         WHERE job_id = ?1 AND author = ?2 AND {condition}"
    );
    Ok(db.prepare_cached(&sql)?.query_row((id.as_str(), author), |row| row.get(0))?)
}

fn inverse(db: &Connection, id: &JobId, of: u64) -> Result<Edit, StoreError> {
    let text: String = db
        .prepare_cached("SELECT inverse FROM journal WHERE job_id = ?1 AND revision = ?2")?
        .query_row((id.as_str(), of), |row| row.get(0))?;
    Ok(serde_json::from_str(&text)?)
}

/// The newest change since `of`, but for those of one author, that stands and touches the same.
fn changed_after(
    db: &Connection,
    id: &JobId,
    but: Option<&str>,
    of: u64,
    touched: &[Touch],
) -> Result<Option<Clash>, StoreError> {
    let mut query = db.prepare_cached(
        "SELECT revision, who, at, touched FROM journal
         WHERE job_id = :job AND revision > :of AND (:author IS NULL OR author IS NOT :author)
         AND undone_by IS NULL AND (act <> 'undo' OR of_revision < :of) ORDER BY revision DESC",
    )?;
    let rows = query.query(named_params! { ":job": id.as_str(), ":of": of, ":author": but })?;
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
