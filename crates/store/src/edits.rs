//! The one way to change a job: an edit, its receipt, and what others changed meanwhile.

use std::fmt;
use std::sync::Arc;

use dot_reach_core::site::{Change, Edit, Refusal, Site, Touch, apply, value_at};
use rusqlite::{Connection, OptionalExtension, Transaction, named_params};
use serde_json::Value;

use crate::history::Act;
use crate::memory::{Memory, OpenJob};
use crate::{JobId, Store, StoreError, jobs, things};

/// Who asks for a change, from where, and how they will know it again.
#[derive(Clone, Debug)]
pub struct Command {
    /// Made by the client; the same id twice is the same edit.
    pub edit_id: String,
    /// The window that sent it.
    pub client: String,
    /// Who, as others read it.
    pub who: String,
    /// Whose it is to undo.
    pub author: String,
    /// When.
    pub at: String,
    /// The revision that the window showed. What others changed since is not overwritten; without it
    /// the edit is taken as it is.
    pub base: Option<u64>,
    /// Undo or redo also what another has changed since.
    pub force: bool,
}

/// The receipt of an edit that stands.
#[derive(Clone, Debug)]
pub struct Committed {
    /// The revision it made.
    pub revision: u64,
    /// What it touched.
    pub touched: Vec<Touch>,
    /// Whether it had been taken before, so that nothing was done now.
    pub again: bool,
}

/// Someone else changed the same thing since the person looked.
#[derive(Clone, Debug, PartialEq)]
pub struct Conflict {
    /// What was touched by both.
    pub touch: Touch,
    /// The name of the thing, as people call it.
    pub name: String,
    /// Who changed it.
    pub who: String,
    /// When.
    pub at: String,
    /// The revision that did.
    pub revision: u64,
    /// What stands there now; nothing when it is gone.
    pub theirs: Option<Value>,
    /// What this edit would put there; nothing when it would go.
    pub yours: Option<Value>,
}

impl fmt::Display for Conflict {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Self { who, name, revision, .. } = self;
        let told = |value: &Option<Value>| match value {
            None => "gone".to_owned(),
            Some(Value::String(text)) => format!("“{text}”"),
            Some(Value::Object(_)) => "there".to_owned(),
            Some(other) => other.to_string(),
        };
        write!(f, "{who} changed {name}")?;
        if let Some(field) = &self.touch.field {
            write!(f, " ({})", field.replace(['_', '.'], " "))?;
        }
        let (theirs, yours) = (told(&self.theirs), told(&self.yours));
        write!(
            f,
            " after you saw it (revision {revision}). Theirs: {theirs}; yours: {yours}. Keep yours or \
             take theirs"
        )
    }
}

impl Store {
    /// Applies the edit that `wish` comes to on the site as it stands: the journal row and the table
    /// rows in one transaction. An edit that was taken before gives its receipt again.
    ///
    /// # Errors
    /// The core refuses it, someone else changed the same thing, or the database fails; the job is
    /// as it was.
    pub fn edit(
        &self,
        id: &JobId,
        command: &Command,
        wish: impl FnOnce(&Site) -> Result<Edit, Refusal> + Send + 'static,
    ) -> Result<Committed, StoreError> {
        let (id, command, memory) = (id.clone(), command.clone(), Arc::clone(&self.memory));
        self.writer.write(move |db| {
            if let Some(receipt) = receipt(db, &id, &command)? {
                return Ok(receipt);
            }
            let job = current(db, &memory, &id)?;
            let edit = wish(&job.site)?;
            let mut site = Site::clone(&job.site);
            let change = apply(&mut site, &edit)?;
            if let Some(first) = changed_since(db, &id, &command, &change.touched)? {
                return Err(first.between(&job.site, &site));
            }
            let entry = Entry { command: &command, act: Act::Edit, of_revision: None };
            commit(db, &memory, &id, &job, site, &entry, &edit, change)
        })
    }
}

/// The job as the database has it.
pub(crate) fn current(db: &Connection, memory: &Memory, id: &JobId) -> Result<OpenJob, StoreError> {
    let known = memory.get(id);
    match known.filter(|job| jobs::revision(db, id).is_ok_and(|now| now == Some(job.revision))) {
        Some(job) => Ok(job),
        None => jobs::read(db, id),
    }
}

/// The receipt of an edit that was taken before.
pub(crate) fn receipt(
    db: &Connection,
    id: &JobId,
    command: &Command,
) -> Result<Option<Committed>, StoreError> {
    if !(1..=64).contains(&command.edit_id.chars().count()) {
        return Err(StoreError::EditId);
    }
    let found = db
        .prepare_cached("SELECT revision, touched FROM journal WHERE job_id = ?1 AND edit_id = ?2")?
        .query_row([id.as_str(), &command.edit_id], |row| {
            Ok((row.get("revision")?, row.get::<_, String>("touched")?))
        })
        .optional()?;
    let Some((revision, text)) = found else { return Ok(None) };
    Ok(Some(Committed { revision, touched: touches(&text)?, again: true }))
}

/// What a journal row says it touched.
pub(crate) fn touches(text: &str) -> Result<Vec<Touch>, StoreError> {
    let words: Vec<String> = serde_json::from_str(text)?;
    Ok(words.iter().filter_map(|word| Touch::read(word)).collect())
}

/// A change by another to something that this one touches.
pub(crate) struct Clash {
    pub(crate) touch: Touch,
    pub(crate) who: String,
    pub(crate) at: String,
    pub(crate) revision: u64,
}

impl Clash {
    /// As it is told: what stands now, and what would stand after.
    pub(crate) fn between(self, now: &Site, after: &Site) -> StoreError {
        let Self { touch, who, at, revision } = self;
        let value = |site: &Site| {
            let whole = site.thing(&touch.thing)?.to_value().ok()?;
            match &touch.field {
                Some(field) => value_at(&whole, field).cloned().or(Some(Value::Null)),
                None => Some(whole),
            }
        };
        let named = |site: &Site| site.thing(&touch.thing)?.name();
        let plain = || format!("{} {}", touch.thing.kind.called(), touch.thing.id);
        let name = named(now).or_else(|| named(after)).unwrap_or_else(plain);
        let (theirs, yours) = (value(now), value(after));
        let conflict = Conflict { touch, name, who, at, revision, theirs, yours };
        StoreError::Conflict(Box::new(conflict))
    }
}

/// The newest change by another window, since the person looked, to something this edit touches.
fn changed_since(
    db: &Connection,
    id: &JobId,
    command: &Command,
    touched: &[Touch],
) -> Result<Option<Clash>, StoreError> {
    let Some(base) = command.base else { return Ok(None) };
    let mut query = db.prepare_cached(
        "SELECT revision, who, at, touched FROM journal
         WHERE job_id = :job AND revision > :base AND client <> :client ORDER BY revision DESC",
    )?;
    let rows = query
        .query(named_params! { ":job": id.as_str(), ":base": base, ":client": command.client })?;
    first_clash(rows, touched)
}

/// The first of the rows that touches what `touched` does.
pub(crate) fn first_clash(
    mut rows: rusqlite::Rows<'_>,
    touched: &[Touch],
) -> Result<Option<Clash>, StoreError> {
    while let Some(row) = rows.next()? {
        let theirs = touches(&row.get::<_, String>("touched")?)?;
        let mine = touched.iter().find(|mine| theirs.iter().any(|their| mine.meets(their)));
        if let Some(touch) = mine.cloned() {
            let (who, at, revision) = (row.get("who")?, row.get("at")?, row.get("revision")?);
            return Ok(Some(Clash { touch, who, at, revision }));
        }
    }
    Ok(None)
}

/// A row that the journal is to have.
pub(crate) struct Entry<'a> {
    pub(crate) command: &'a Command,
    pub(crate) act: Act,
    pub(crate) of_revision: Option<u64>,
}

#[expect(clippy::too_many_arguments, reason = "all that one transaction writes")]
pub(crate) fn commit(
    db: &mut Connection,
    memory: &Memory,
    id: &JobId,
    job: &OpenJob,
    site: Site,
    entry: &Entry<'_>,
    edit: &Edit,
    change: Change,
) -> Result<Committed, StoreError> {
    let revision = job.revision + 1;
    let write = db.transaction()?;
    write_entry(&write, id, revision, entry, edit, &change)?;
    things::write_touched(&write, id, &site, &change.touched)?;
    write.execute(
        "UPDATE job SET name = :name, revision = :revision, changed_at = :at WHERE id = :id",
        named_params! {
            ":name": site.job.name, ":revision": revision, ":at": entry.command.at,
            ":id": id.as_str(),
        },
    )?;
    write.commit()?;
    memory.wrote(id, OpenJob { site: Arc::new(site), revision });
    Ok(Committed { revision, touched: change.touched, again: false })
}

fn write_entry(
    write: &Transaction<'_>,
    id: &JobId,
    revision: u64,
    entry: &Entry<'_>,
    edit: &Edit,
    change: &Change,
) -> Result<(), StoreError> {
    let command = entry.command;
    let touched: Vec<_> = change.touched.iter().map(ToString::to_string).collect();
    write.execute(
        "INSERT INTO journal
         (job_id, revision, edit_id, client, who, author, at, act, of_revision, edit, inverse, touched)
         VALUES
         (:job, :revision, :edit_id, :client, :who, :author, :at, :act, :of, :edit, :inverse, :touched)",
        named_params! {
            ":job": id.as_str(), ":revision": revision, ":edit_id": command.edit_id,
            ":client": command.client, ":who": command.who, ":author": command.author,
            ":at": command.at, ":act": entry.act.word(), ":of": entry.of_revision,
            ":edit": serde_json::to_string(edit)?,
            ":inverse": serde_json::to_string(&change.inverse)?,
            ":touched": serde_json::to_string(&touched)?,
        },
    )?;
    if let Some(of) = entry.of_revision {
        write.execute(
            "UPDATE journal SET undone_by = ?3 WHERE job_id = ?1 AND revision = ?2",
            (id.as_str(), of, revision),
        )?;
    }
    Ok(())
}
