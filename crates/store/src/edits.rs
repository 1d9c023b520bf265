//! The one way to change a job.

use std::fmt;
use std::sync::Arc;

use dot_reach_core::site::{Change, Edit, Site, apply};
use rusqlite::{Connection, OptionalExtension, Transaction, named_params};

use crate::history::{Act, stacks};
use crate::{JobId, OpenJob, Store, StoreError, things};

/// An edit as a person sends it.
#[derive(Clone, Debug)]
pub struct Command {
    /// What to change.
    pub edit: Edit,
    /// Made by the client; the same id twice is the same edit.
    pub edit_id: String,
    /// The window that sent it.
    pub client: String,
    /// Who.
    pub who: String,
    /// When.
    pub at: String,
    /// The revision that the person saw. What others changed since is not overwritten; without it
    /// the edit is taken as it is.
    pub base: Option<u64>,
}

/// An edit that stands.
#[derive(Clone, Debug)]
pub struct Committed {
    /// The revision it made.
    pub revision: u64,
    /// The job with it.
    pub site: Arc<Site>,
    /// What it touched.
    pub touched: Vec<String>,
}

/// Someone else changed the same thing since the person looked.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Conflict {
    /// What was touched by both, as `point:p1`.
    pub thing: String,
    /// Who changed it.
    pub who: String,
    /// When.
    pub at: String,
    /// The revision that did.
    pub revision: u64,
}

impl fmt::Display for Conflict {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let thing = self.thing.replace(':', " ");
        write!(
            f,
            "{} changed {thing} after you opened it (revision {}); keep yours or take theirs",
            self.who, self.revision
        )
    }
}

impl Store {
    /// Applies an edit: the journal row and the table rows in one transaction.
    ///
    /// # Errors
    /// The core refuses it, someone else changed the same thing, or the database fails; the job is
    /// as it was.
    pub fn edit(&self, id: &JobId, command: &Command) -> Result<Committed, StoreError> {
        let mut inner = self.lock();
        let job = inner.opened(id)?;
        if already_taken(&inner.db, id, &command.edit_id)? {
            return Ok(Committed { revision: job.revision, site: job.site, touched: Vec::new() });
        }
        let (site, change) = applied(&job, &command.edit)?;
        if let Some(conflict) = conflict(&inner.db, id, command, &change.touched)? {
            return Err(StoreError::Conflict(conflict));
        }
        let entry = NewEntry { command, act: Act::Edit, of_revision: None };
        let committed = commit(&mut inner.db, id, &job, site, &entry, &command.edit, change)?;
        inner.remember(id, &committed);
        Ok(committed)
    }

    /// Takes the last edit back, whoever made it.
    ///
    /// # Errors
    /// Nothing is left to undo, or the database fails.
    pub fn undo(&self, id: &JobId, command: &Command) -> Result<Committed, StoreError> {
        self.step(id, command, Act::Undo)
    }

    /// Makes the last undone edit again.
    ///
    /// # Errors
    /// Nothing is left to redo, or the database fails.
    pub fn redo(&self, id: &JobId, command: &Command) -> Result<Committed, StoreError> {
        self.step(id, command, Act::Redo)
    }

    fn step(&self, id: &JobId, command: &Command, act: Act) -> Result<Committed, StoreError> {
        let mut inner = self.lock();
        let job = inner.opened(id)?;
        let (undo, redo) = stacks(&inner.db, id)?;
        let of = if act == Act::Undo { undo.last() } else { redo.last() };
        let Some(&of) = of else { return Err(StoreError::Nothing(act.word())) };
        let column = if act == Act::Undo { "inverse" } else { "edit" };
        let text: String = inner.db.query_row(
            &format!("SELECT {column} FROM journal WHERE job_id = ?1 AND revision = ?2"),
            (id.as_str(), of),
            |row| row.get(0),
        )?;
        let edit: Edit = serde_json::from_str(&text)?;
        let (site, change) = applied(&job, &edit)?;
        let entry = NewEntry { command, act, of_revision: Some(of) };
        let committed = commit(&mut inner.db, id, &job, site, &entry, &edit, change)?;
        inner.remember(id, &committed);
        Ok(committed)
    }
}

impl crate::Inner {
    fn remember(&mut self, id: &JobId, committed: &Committed) {
        let site = Arc::clone(&committed.site);
        self.open.insert(id.clone(), OpenJob { site, revision: committed.revision });
    }
}

struct NewEntry<'a> {
    command: &'a Command,
    act: Act,
    of_revision: Option<u64>,
}

fn applied(job: &OpenJob, edit: &Edit) -> Result<(Site, Change), StoreError> {
    let mut site = (*job.site).clone();
    let change = apply(&mut site, edit)?;
    Ok((site, change))
}

fn already_taken(db: &Connection, id: &JobId, edit_id: &str) -> Result<bool, StoreError> {
    let found = db
        .prepare_cached("SELECT 1 FROM journal WHERE job_id = ?1 AND edit_id = ?2")?
        .query_row([id.as_str(), edit_id], |_| Ok(()))
        .optional()?;
    Ok(found.is_some())
}

/// The newest change by another window, since the person looked, to something this edit touches.
fn conflict(
    db: &Connection,
    id: &JobId,
    command: &Command,
    touched: &[String],
) -> Result<Option<Conflict>, StoreError> {
    let Some(base) = command.base else { return Ok(None) };
    let mut query = db.prepare_cached(
        "SELECT revision, who, at, touched FROM journal
         WHERE job_id = :job AND revision > :base AND client <> :client ORDER BY revision DESC",
    )?;
    let mut rows = query
        .query(named_params! { ":job": id.as_str(), ":base": base, ":client": command.client })?;
    while let Some(row) = rows.next()? {
        let theirs: Vec<String> = serde_json::from_str(&row.get::<_, String>("touched")?)?;
        if let Some(thing) = theirs.into_iter().find(|t| touched.contains(t)) {
            let (who, at, revision) = (row.get("who")?, row.get("at")?, row.get("revision")?);
            return Ok(Some(Conflict { thing, who, at, revision }));
        }
    }
    Ok(None)
}

fn commit(
    db: &mut Connection,
    id: &JobId,
    job: &OpenJob,
    site: Site,
    entry: &NewEntry<'_>,
    edit: &Edit,
    change: Change,
) -> Result<Committed, StoreError> {
    let revision = job.revision + 1;
    let write = db.transaction()?;
    write_entry(&write, id, revision, entry, edit, &change)?;
    things::write_touched(&write, id, &site, &change.touched)?;
    write.execute(
        "UPDATE job SET revision = :revision, changed_at = :at WHERE id = :id",
        named_params! { ":revision": revision, ":at": entry.command.at, ":id": id.as_str() },
    )?;
    write.commit()?;
    Ok(Committed { revision, site: Arc::new(site), touched: change.touched })
}

fn write_entry(
    write: &Transaction<'_>,
    id: &JobId,
    revision: u64,
    entry: &NewEntry<'_>,
    edit: &Edit,
    change: &Change,
) -> Result<(), StoreError> {
    let command = entry.command;
    write.execute(
        "INSERT INTO journal
         (job_id, revision, edit_id, client, who, at, act, of_revision, edit, inverse, touched)
         VALUES
         (:job, :revision, :edit_id, :client, :who, :at, :act, :of, :edit, :inverse, :touched)",
        named_params! {
            ":job": id.as_str(), ":revision": revision, ":edit_id": command.edit_id,
            ":client": command.client, ":who": command.who, ":at": command.at,
            ":act": entry.act.word(), ":of": entry.of_revision,
            ":edit": serde_json::to_string(edit)?,
            ":inverse": serde_json::to_string(&change.inverse)?,
            ":touched": serde_json::to_string(&change.touched)?,
        },
    )?;
    Ok(())
}
