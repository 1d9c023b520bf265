//! The one way to change a job. What is wished is worked out beside the writer, on a copy; the writer compares
//! what that rests on with what came in meanwhile, and writes: the journal row, the rows that it touched and the
//! entries of the record in one transaction.

use std::fmt;
use std::sync::{Arc, PoisonError};

use dot_reach_core::record::{Entry, EntryId, Prepared, Record};
use dot_reach_core::site::{
    Change, Edit, Refusal, Site, Touch, apply, field_in_words, in_words, value_at,
};
use rusqlite::{Connection, OptionalExtension, Transaction, named_params};
use serde_json::Value;

use crate::history::JournalAct;
use crate::memory::{Memory, OpenJob};
use crate::{JobId, Store, StoreError, entries, jobs, things};

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

impl Command {
    /// What a job begins with.
    pub(crate) fn brought_in(at: &str) -> Self {
        let word = || "import".to_owned();
        let (base, force) = (None, false);
        Self {
            edit_id: word(),
            client: word(),
            who: word(),
            author: word(),
            at: at.to_owned(),
            base,
            force,
        }
    }
}

/// The receipt of an edit that stands.
#[derive(Clone, Debug)]
pub struct Committed {
    /// The revision it made.
    pub revision: u64,
    /// What it touched.
    pub touched: Vec<Touch>,
    /// What it put on record, each with its place there, from 1 on.
    pub entries: Vec<(u64, EntryId)>,
    /// Whether it had been taken before, so that nothing was done now.
    pub again: bool,
}

/// What a wish rests on: where others changed any of that while it was worked out, it is worked out anew.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Reads {
    /// Nothing: it stands by itself.
    Nothing,
    /// All that a job is, but for names, notes and what is agreed with people.
    House,
    /// Everything.
    All,
}

impl Reads {
    fn is_touched(self, touched: &[Touch]) -> bool {
        let is_word = |touch: &Touch| {
            let words = ["name", "note", "why", "room"];
            let apart = ["visit", "person", "wish", "photo", "rate", "ruling", "platform"];
            apart.contains(&touch.thing.kind.word())
                || touch.field.as_deref().is_some_and(|f| words.contains(&f))
        };
        match self {
            Self::Nothing => false,
            Self::House => !touched.iter().all(is_word),
            Self::All => true,
        }
    }
}

/// How often something is worked out anew before whoever asks is told that others are at the same.
pub(crate) const MOST_TRIES: usize = 12;

/// After how many of them one waits until it has the job alone, but for edits that read nothing.
const FREE_TRIES: usize = 2;

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
        let told = |value: &Option<Value>| in_words(value.as_ref(), self.touch.field.as_deref());
        write!(f, "{who} changed {name}")?;
        if let Some(field) = &self.touch.field {
            write!(f, " ({})", field_in_words(field))?;
        }
        let (theirs, yours) = (told(&self.theirs), told(&self.yours));
        write!(
            f,
            " after you saw it (revision {revision}). Theirs: {theirs}; yours: {yours}. Keep yours or \
             take theirs"
        )
    }
}

/// What a wish comes to on a job as it stood at a revision.
struct Outcome {
    at: u64,
    prepared: Prepared,
    job: OpenJob,
    change: Option<Change>,
    rows: entries::EntryRows,
}

impl Outcome {
    fn of(open: &OpenJob, prepared: Prepared, rows: entries::EntryRows) -> Result<Self, Refusal> {
        let (mut site, mut record) = (Arc::clone(&open.site), Arc::clone(&open.record));
        let change = match &prepared.edit {
            Some(edit) => Some(apply(Arc::make_mut(&mut site), edit)?),
            None => None,
        };
        if !prepared.entries.is_empty() {
            let record = Arc::make_mut(&mut record);
            prepared.entries.iter().try_for_each(|e| record.say(e.clone()))?;
        }
        let job = OpenJob { site, record, revision: open.revision + 1 };
        Ok(Self { at: open.revision, prepared, job, change, rows })
    }

    /// The same on the job as it stands by now.
    fn anew(self, now: &OpenJob) -> Result<Self, Refusal> {
        Self::of(now, self.prepared, self.rows)
    }
}

impl Store {
    /// Makes the edit as it is. One that was taken before gives its receipt again.
    ///
    /// # Errors
    /// As [`Store::keep`].
    pub fn edit(
        &self,
        id: &JobId,
        command: &Command,
        edit: &Edit,
    ) -> Result<Committed, StoreError> {
        let prepare =
            |_: &Site, _: &Record| Ok(Prepared { edit: Some(edit.clone()), entries: Vec::new() });
        self.keep(id, command, Reads::Nothing, prepare)
    }

    /// Keeps what `prepare` makes of the job as it stands: what it changes on the plan and what it puts on
    /// record, all of it or nothing. It is worked out here, beside the writer; where somebody changed what it
    /// `reads` meanwhile, it is worked out anew. What was taken before gives its receipt again.
    ///
    /// # Errors
    /// The core refuses it, someone else changed the same thing, or the database fails; the job is
    /// as it was.
    pub fn keep(
        &self,
        id: &JobId,
        command: &Command,
        reads: Reads,
        prepare: impl Fn(&Site, &Record) -> Result<Prepared, Refusal>,
    ) -> Result<Committed, StoreError> {
        let taken = self.readers.read(|db| receipt(db, id, command, &[]))?;
        if let Some(receipt) = taken {
            self.writer.catch_up()?;
            return Ok(receipt);
        }
        let turn = self.turns.of(id);
        let among = || turn.read().unwrap_or_else(PoisonError::into_inner);
        let mut among = (reads != Reads::Nothing).then(among);
        let mut alone = None;
        for tried in 0..MOST_TRIES {
            if tried == FREE_TRIES {
                drop(among.take());
                alone = Some(turn.write().unwrap_or_else(PoisonError::into_inner));
            }
            let open = self.open_job(id)?;
            let prepared = prepare(&open.site, &open.record)?;
            let rows = entries::rows(&prepared.entries)?;
            if !prepared.entries.is_empty() && self.is_variant(id)? {
                let why = dot_reach_core::site::Wrong::VariantHasNoRecord;
                return Err(Refusal::Wrong { field: "do".to_owned(), why }.into());
            }
            let sent: Vec<EntryId> = prepared.entries.iter().map(|e| e.id.clone()).collect();
            let outcome = match Outcome::of(&open, prepared, rows) {
                Ok(outcome) => outcome,
                // What is on record already under the same ids was taken before.
                Err(refusal) => {
                    let taken = self.readers.read(|db| receipt(db, id, command, &sent))?;
                    self.writer.catch_up()?;
                    return taken.ok_or_else(|| refusal.into());
                }
            };
            match self.commit(id, command, reads, outcome) {
                Err(StoreError::Stale) => {}
                done => return done,
            }
        }
        drop(alone);
        Err(StoreError::Busy)
    }

    fn commit(
        &self,
        id: &JobId,
        command: &Command,
        reads: Reads,
        outcome: Outcome,
    ) -> Result<Committed, StoreError> {
        let (id, command, memory) = (id.clone(), command.clone(), Arc::clone(&self.memory));
        self.writer.write(move |db| {
            let ids: Vec<EntryId> = outcome.prepared.entries.iter().map(|e| e.id.clone()).collect();
            if let Some(receipt) = receipt(db, &id, &command, &ids)? {
                return Ok(receipt);
            }
            let now = current(db, &memory, &id)?;
            let outcome = if now.revision == outcome.at {
                outcome
            } else {
                let since = touched_since(db, &id, outcome.at)?;
                let told = reads != Reads::Nothing && grew(db, &id, outcome.at)?;
                if told || reads.is_touched(&since) {
                    return Err(StoreError::Stale);
                }
                outcome.anew(&now)?
            };
            let touched = outcome.change.as_ref().map(|c| c.touched.clone()).unwrap_or_default();
            if let Some(first) = changed_since(db, &id, &command, &touched)? {
                return Err(first.between(&now.site, &outcome.job.site));
            }
            let row = NewRow { command: &command, act: JournalAct::Edit, of_revision: None };
            let plan = outcome.prepared.edit.as_ref().zip(outcome.change.as_ref());
            write(db, &memory, &id, outcome.job, &row, plan, &outcome.rows)
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

/// The receipt of a request, or of entries, that were taken before.
pub(crate) fn receipt(
    db: &Connection,
    id: &JobId,
    command: &Command,
    ids: &[EntryId],
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
    let told = entries::of_request(db, id, &command.edit_id, ids)?;
    match (found, told) {
        (None, None) => Ok(None),
        (Some((revision, text)), told) => {
            let entries = told.map(|(_, entries)| entries).unwrap_or_default();
            Ok(Some(Committed { revision, touched: touches(&text)?, entries, again: true }))
        }
        (None, Some((revision, entries))) => {
            Ok(Some(Committed { revision, touched: Vec::new(), entries, again: true }))
        }
    }
}

/// What a journal row says it touched.
pub(crate) fn touches(text: &str) -> Result<Vec<Touch>, StoreError> {
    let words: Vec<String> = serde_json::from_str(text)?;
    Ok(words.iter().filter_map(|word| Touch::read(word)).collect())
}

/// All that was touched since a revision.
fn touched_since(db: &Connection, id: &JobId, since: u64) -> Result<Vec<Touch>, StoreError> {
    let mut query =
        db.prepare_cached("SELECT touched FROM journal WHERE job_id = ?1 AND revision > ?2")?;
    let mut rows = query.query((id.as_str(), since))?;
    let mut all = Vec::new();
    while let Some(row) = rows.next()? {
        all.extend(touches(&row.get::<_, String>(0)?)?);
    }
    Ok(all)
}

/// Whether the record grew since a revision.
fn grew(db: &Connection, id: &JobId, since: u64) -> Result<bool, StoreError> {
    let sql = "SELECT count(*) FROM entry WHERE job_id = ?1 AND revision > ?2";
    Ok(db.prepare_cached(sql)?.query_row((id.as_str(), since), |row| row.get::<_, u64>(0))? > 0)
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
    let Some(base) = command.base.filter(|_| !touched.is_empty()) else { return Ok(None) };
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
pub(crate) struct NewRow<'a> {
    pub(crate) command: &'a Command,
    pub(crate) act: JournalAct,
    pub(crate) of_revision: Option<u64>,
}

/// Writes what a job has become, in one transaction.
pub(crate) fn write(
    db: &mut Connection,
    memory: &Memory,
    id: &JobId,
    job: OpenJob,
    row: &NewRow<'_>,
    plan: Option<(&Edit, &Change)>,
    rows: &entries::EntryRows,
) -> Result<Committed, StoreError> {
    let revision = job.revision;
    let write = db.transaction()?;
    if let Some((edit, change)) = plan {
        write_journal(&write, id, revision, row, edit, change)?;
        things::write_touched(&write, id, &job.site, &change.touched)?;
    }
    let first = job.record.len() as u64 - rows.len() as u64 + 1;
    let told = entries::add(&write, id, first, revision, row.command, rows)?;
    write.execute(
        "UPDATE job SET name = :name, revision = :revision, changed_at = :at WHERE id = :id",
        named_params! {
            ":name": job.site.job.name, ":revision": revision, ":at": row.command.at,
            ":id": id.as_str(),
        },
    )?;
    write.commit()?;
    memory.wrote(id, job);
    let touched = plan.map(|(_, change)| change.touched.clone()).unwrap_or_default();
    Ok(Committed { revision, touched, entries: told, again: false })
}

fn write_journal(
    write: &Transaction<'_>,
    id: &JobId,
    revision: u64,
    row: &NewRow<'_>,
    edit: &Edit,
    change: &Change,
) -> Result<(), StoreError> {
    let command = row.command;
    let touched: Vec<_> = change.touched.iter().map(ToString::to_string).collect();
    write.execute(
        "INSERT INTO journal
         (job_id, revision, edit_id, client, who, author, at, act, of_revision, edit, inverse, touched)
         VALUES
         (:job, :revision, :edit_id, :client, :who, :author, :at, :act, :of, :edit, :inverse, :touched)",
        named_params! {
            ":job": id.as_str(), ":revision": revision, ":edit_id": command.edit_id,
            ":client": command.client, ":who": command.who, ":author": command.author,
            ":at": command.at, ":act": row.act.word(), ":of": row.of_revision,
            ":edit": serde_json::to_string(edit)?,
            ":inverse": serde_json::to_string(&change.inverse)?,
            ":touched": serde_json::to_string(&touched)?,
        },
    )?;
    if let Some(of) = row.of_revision {
        write.execute(
            "UPDATE journal SET undone_by = ?3 WHERE job_id = ?1 AND revision = ?2",
            (id.as_str(), of, revision),
        )?;
    }
    Ok(())
}

impl Store {
    /// The record of a job from an entry on: each with its number, from 1 on.
    ///
    /// # Errors
    /// There is no such job, or its rows cannot be read.
    pub fn entries_after(&self, id: &JobId, after: u64) -> Result<Vec<(u64, Entry)>, StoreError> {
        let open = self.open_job(id)?;
        let from = usize::try_from(after).unwrap_or(usize::MAX);
        let numbered = open.record.entries_from(from.min(open.record.len())).cloned();
        Ok((after + 1..).zip(numbered).collect())
    }
}
