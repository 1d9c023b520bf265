//! The rows of walls, points, devices and so on: each as the job file writes it.

use std::collections::BTreeSet;

use dot_reach_core::site::{Kind, Ref, Site, Thing, Touch};
use rusqlite::{Connection, Transaction, named_params};
use serde_json::Value;

use crate::{JobId, StoreError};

/// The format that bodies are written in; each that was ever written has one reader.
const FORMAT: u32 = 1;

/// Writes every thing of a new job.
pub(crate) fn write_all(write: &Connection, job: &JobId, site: &Site) -> Result<(), StoreError> {
    site.things().try_for_each(|thing| put(write, job, &thing))
}

/// Writes what an edit touched: what the site has is put, what it has no longer is deleted.
pub(crate) fn write_touched(
    write: &Transaction<'_>,
    job: &JobId,
    site: &Site,
    touched: &[Touch],
) -> Result<(), StoreError> {
    let things: BTreeSet<&Ref> = touched.iter().map(|touch| &touch.thing).collect();
    for of in things {
        match site.thing(of) {
            Some(thing) => put(write, job, &thing)?,
            None => delete(write, job, of)?,
        }
    }
    Ok(())
}

fn put(write: &Connection, job: &JobId, thing: &Thing) -> Result<(), StoreError> {
    let of = thing.of();
    write
        .prepare_cached(
            "INSERT INTO thing (job_id, kind, id, format, body)
             VALUES (:job, :kind, :id, :format, :body)
             ON CONFLICT (job_id, kind, id)
             DO UPDATE SET format = excluded.format, body = excluded.body",
        )?
        .execute(named_params! {
            ":job": job.as_str(), ":kind": of.kind.word(), ":id": &*of.id, ":format": FORMAT,
            ":body": thing.to_value()?.to_string(),
        })?;
    Ok(())
}

fn delete(write: &Transaction<'_>, job: &JobId, of: &Ref) -> Result<(), StoreError> {
    write
        .prepare_cached("DELETE FROM thing WHERE job_id = ?1 AND kind = ?2 AND id = ?3")?
        .execute([job.as_str(), of.kind.word(), &of.id])?;
    Ok(())
}

/// Every thing of a job, the job's own fields first.
pub(crate) fn read_all(db: &Connection, job: &JobId) -> Result<Vec<Thing>, StoreError> {
    let mut query = db.prepare_cached(
        "SELECT format, body FROM thing WHERE job_id = ?1 AND kind = ?2 ORDER BY id",
    )?;
    let mut things = Vec::new();
    for kind in [Kind::Job, Kind::Calibration].into_iter().chain(Kind::TABLES) {
        let mut rows = query.query([job.as_str(), kind.word()])?;
        while let Some(row) = rows.next()? {
            let body: Value = match row.get("format")? {
                FORMAT => serde_json::from_str(&row.get::<_, String>("body")?)?,
                other => return Err(StoreError::Format(other)),
            };
            things.push(Thing::from_value(kind, body)?);
        }
    }
    Ok(things)
}
