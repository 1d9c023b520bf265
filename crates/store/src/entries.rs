//! The rows of the record: added in their order, and never changed.

use dot_reach_core::record::{Entry, EntryId, Record};
use rusqlite::{Connection, OptionalExtension, Transaction, named_params};
use serde_json::Value;

use crate::{Command, JobId, StoreError};

/// The format that bodies are written in; each that was ever written has one reader.
const FORMAT: u32 = 1;

/// Entries as they are written, worked out before their turn comes.
pub(crate) type EntryRows = Vec<EntryRow>;

/// An entry as it is written.
#[derive(Debug)]
pub(crate) struct EntryRow {
    id: EntryId,
    did: String,
    body: String,
}

pub(crate) fn rows(entries: &[Entry]) -> Result<EntryRows, StoreError> {
    let row = |entry: &Entry| {
        let value = serde_json::to_value(entry)?;
        let did = value["what"]["did"].as_str().unwrap_or_default().to_owned();
        Ok(EntryRow { id: entry.id.clone(), did, body: value.to_string() })
    };
    entries.iter().map(row).collect()
}

/// Adds entries behind those that are there; `first` is the number of the first.
pub(crate) fn add(
    write: &Transaction<'_>,
    job: &JobId,
    first: u64,
    revision: u64,
    command: &Command,
    rows: &EntryRows,
) -> Result<Vec<(u64, EntryId)>, StoreError> {
    let mut insert = write.prepare_cached(
        "INSERT INTO entry (job_id, seq, id, edit_id, revision, client, author, did, format, body)
         VALUES (:job, :seq, :id, :edit_id, :revision, :client, :author, :did, :format, :body)",
    )?;
    let mut told = Vec::new();
    for (seq, row) in (first..).zip(rows) {
        insert.execute(named_params! {
            ":job": job.as_str(), ":seq": seq, ":id": row.id.as_str(), ":edit_id": command.edit_id,
            ":revision": revision, ":client": command.client, ":author": command.author, ":did": row.did,
            ":format": FORMAT, ":body": row.body,
        })?;
        told.push((seq, row.id.clone()));
    }
    Ok(told)
}

/// The record of a job.
pub(crate) fn read(db: &Connection, job: &JobId) -> Result<Record, StoreError> {
    let mut query =
        db.prepare_cached("SELECT format, body FROM entry WHERE job_id = ?1 ORDER BY seq")?;
    let mut rows = query.query([job.as_str()])?;
    let mut entries = Vec::new();
    while let Some(row) = rows.next()? {
        entries.push(parsed(row.get("format")?, &row.get::<_, String>("body")?)?);
    }
    let (record, refused) = Record::of(entries);
    match refused.into_iter().next() {
        None => Ok(record),
        Some((id, why)) => {
            Err(StoreError::Record { job: job.to_string(), id: id.to_string(), why })
        }
    }
}

fn parsed(format: u32, body: &str) -> Result<Entry, StoreError> {
    match format {
        FORMAT => Ok(serde_json::from_str(body)?),
        other => Err(StoreError::Format(other)),
    }
}

/// The revision that a request made on the record, with its entries; or that of the first of some ids, where all
/// of them are there.
#[expect(clippy::type_complexity, reason = "a revision and the entries that it made")]
pub(crate) fn of_request(
    db: &Connection,
    job: &JobId,
    edit_id: &str,
    ids: &[EntryId],
) -> Result<Option<(u64, Vec<(u64, EntryId)>)>, StoreError> {
    let mut by_request = db.prepare_cached(
        "SELECT seq, id, revision FROM entry WHERE job_id = ?1 AND edit_id = ?2 ORDER BY seq",
    )?;
    let mut rows = by_request.query([job.as_str(), edit_id])?;
    let (mut revision, mut told) = (0, Vec::new());
    while let Some(row) = rows.next()? {
        revision = row.get("revision")?;
        let id: String = row.get("id")?;
        told.extend(id.parse().ok().map(|id| (row.get("seq").unwrap_or_default(), id)));
    }
    if !told.is_empty() {
        return Ok(Some((revision, told)));
    }
    let mut by_id =
        db.prepare_cached("SELECT seq, revision FROM entry WHERE job_id = ?1 AND id = ?2")?;
    for id in ids {
        let found = by_id
            .query_row([job.as_str(), id.as_str()], |row| Ok((row.get(0)?, row.get(1)?)))
            .optional()?;
        let Some((seq, made)) = found else { return Ok(None) };
        revision = made;
        told.push((seq, id.clone()));
    }
    Ok((!told.is_empty()).then_some((revision, told)))
}

/// Every entry of some words, of all jobs, by job and in order.
pub(crate) fn of_words(
    db: &Connection,
    words: [&str; 2],
) -> Result<Vec<(String, Entry)>, StoreError> {
    let mut query = db.prepare_cached(
        "SELECT job_id, format, body FROM entry WHERE did IN (?1, ?2) ORDER BY job_id, seq",
    )?;
    let mut rows = query.query(words)?;
    let mut all = Vec::new();
    while let Some(row) = rows.next()? {
        all.push((row.get(0)?, parsed(row.get("format")?, &row.get::<_, String>("body")?)?));
    }
    Ok(all)
}

/// What is wrong with the rows of a record, in words.
pub(crate) fn faults(db: &Connection, job: &JobId) -> Result<Vec<String>, StoreError> {
    let mut found = Vec::new();
    let mut query =
        db.prepare("SELECT seq, id, did, format, body FROM entry WHERE job_id = ?1 ORDER BY seq")?;
    let mut rows = query.query([job.as_str()])?;
    let (mut next, mut record) = (1u64, Record::default());
    while let Some(row) = rows.next()? {
        let seq: u64 = row.get("seq")?;
        if seq != next {
            found.push(format!("{job}: record: entry {next} is missing before {seq}"));
        }
        next = seq + 1;
        let (id, did): (String, String) = (row.get("id")?, row.get("did")?);
        let body: String = row.get("body")?;
        let entry = match parsed(row.get("format")?, &body) {
            Ok(entry) => entry,
            Err(why) => {
                found.push(format!("{job}: record: entry {seq} ({id}) cannot be read: {why}"));
                continue;
            }
        };
        let value: Value = serde_json::from_str(&body)?;
        if entry.id.as_str() != id || value["what"]["did"] != did {
            found.push(format!("{job}: record: entry {seq} ({id}) is another than its row says"));
        }
        if let Err(why) = record.say(entry) {
            found
                .push(format!("{job}: record: entry {seq} ({id}) contradicts those before: {why}"));
        }
    }
    Ok(found)
}
