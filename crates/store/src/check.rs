//! Holds a database against itself: what its rows say, what its journal says that they come from, and what is on
//! record.

use std::path::Path;
use std::sync::Arc;

use dot_reach_core::site::{Edit, Site, gather, take_back};
use rusqlite::Connection;

use crate::open::read_copy;
use crate::{JobId, StoreError, entries, jobs, things};

/// Everything that is wrong with a database, a line each; none where nothing is.
///
/// # Errors
/// There is no such database, or it cannot be read at all.
pub fn check(path: &Path) -> Result<Vec<String>, StoreError> {
    let store = read_copy(path)?;
    store.readers.read(|db| {
        let mut found: Vec<String> = Vec::new();
        let mut integrity = db.prepare("PRAGMA integrity_check(100)")?;
        let lines = integrity.query_map([], |row| row.get::<_, String>(0))?;
        found.extend(lines.collect::<Result<Vec<_>, _>>()?.into_iter().filter(|l| l != "ok"));
        let mut hanging = db.prepare("PRAGMA foreign_key_check")?;
        let lines = hanging.query_map([], |row| row.get::<_, String>(0))?;
        let lines = lines.collect::<Result<Vec<_>, _>>()?.into_iter();
        found.extend(lines.map(|table| format!("a row of {table} belongs to no job")));
        let mut query = db.prepare("SELECT id FROM job ORDER BY id")?;
        let ids = query.query_map([], |row| row.get(0).map(JobId))?;
        for id in ids.collect::<Result<Vec<_>, _>>()? {
            match of_job(db, &id) {
                Ok(lines) => found.extend(lines),
                Err(why) => found.push(format!("{id}: {why}")),
            }
        }
        Ok(found)
    })
}

fn of_job(db: &Connection, id: &JobId) -> Result<Vec<String>, StoreError> {
    let mut found = Vec::new();
    let read = things::read_all(db, id)?;
    let Some((site, refused)) = gather(read) else {
        return Ok(vec![format!("{id}: it has no fields of its own")]);
    };
    found.extend(refused.iter().map(|(of, why)| format!("{id}: {of}: {why}")));
    found.extend(entries::faults(db, id)?);
    let revision = jobs::revision(db, id)?.unwrap_or_default();
    let newest = |sql: &str| db.query_row(sql, [id.as_str()], |row| row.get::<_, Option<u64>>(0));
    let made = newest("SELECT max(revision) FROM journal WHERE job_id = ?1")?
        .max(newest("SELECT max(revision) FROM entry WHERE job_id = ?1")?);
    if made.unwrap_or(0) > revision {
        let made = made.unwrap_or(0);
        found.push(format!("{id}: its rows are of revision {made}, it says {revision}"));
    }
    found.extend(journal(db, id, site)?);
    Ok(found)
}

/// The journal, walked from its newest row back and forth again: every inverse must apply to what the rows say, and
/// every change made again must come to what they say.
fn journal(db: &Connection, id: &JobId, now: Site) -> Result<Vec<String>, StoreError> {
    let mut found = Vec::new();
    let mut query = db.prepare(
        "SELECT revision, edit, inverse FROM journal WHERE job_id = ?1 ORDER BY revision DESC",
    )?;
    let mut rows = query.query([id.as_str()])?;
    let (mut site, mut back) = (now.clone(), Vec::new());
    while let Some(row) = rows.next()? {
        let revision: u64 = row.get("revision")?;
        let read = |text: String| serde_json::from_str::<Edit>(&text);
        let (edit, inverse) = (read(row.get("edit")?), read(row.get("inverse")?));
        let (Ok(edit), Ok(inverse)) = (edit, inverse) else {
            found.push(format!("{id}: journal: revision {revision} cannot be read"));
            return Ok(found);
        };
        if let Err(why) = take_back(&mut site, &inverse) {
            found.push(format!(
                "{id}: journal: revision {revision} does not lead to its rows: {why}"
            ));
            return Ok(found);
        }
        back.push((revision, edit));
    }
    for (revision, edit) in back.into_iter().rev() {
        if let Err(why) = take_back(&mut site, &edit) {
            found.push(format!("{id}: journal: revision {revision} cannot be made again: {why}"));
            return Ok(found);
        }
    }
    if Arc::new(site) != Arc::new(now) {
        found
            .push(format!("{id}: journal: made again, it comes to another plan than its rows say"));
    }
    Ok(found)
}
