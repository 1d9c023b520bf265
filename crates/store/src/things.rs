//! The rows of walls, points, devices and so on: each as the job file writes it.

use std::collections::BTreeSet;

use dot_reach_core::site::{Kind, Ref, Site, Thing, Touch};
use rusqlite::{Connection, Transaction, named_params};
use serde_json::Value;

use crate::{JobId, StoreError};

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
            "INSERT INTO thing (job_id, kind, id, body) VALUES (:job, :kind, :id, :body)
             ON CONFLICT (job_id, kind, id) DO UPDATE SET body = excluded.body",
        )?
        .execute(named_params! {
            ":job": job.as_str(), ":kind": of.kind.word(), ":id": &*of.id,
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
    let mut query =
        db.prepare_cached("SELECT body FROM thing WHERE job_id = ?1 AND kind = ?2 ORDER BY id")?;
    let mut things = Vec::new();
    for kind in [Kind::Job, Kind::Calibration].into_iter().chain(Kind::TABLES) {
        let mut rows = query.query([job.as_str(), kind.word()])?;
        while let Some(row) = rows.next()? {
            let body: Value = serde_json::from_str(&row.get::<_, String>("body")?)?;
            things.push(Thing::from_value(kind, body)?);
        }
    }
    Ok(things)
}

/// Every thing of a kind, of all jobs that are no variants.
pub(crate) fn read_kind(db: &Connection, kind: Kind) -> Result<Vec<Thing>, StoreError> {
    let mut query = db.prepare_cached(
        "SELECT thing.body FROM thing JOIN job ON job.id = thing.job_id
         WHERE thing.kind = ?1 AND job.variant_of IS NULL ORDER BY thing.job_id, thing.id",
    )?;
    let mut rows = query.query([kind.word()])?;
    let mut things = Vec::new();
    while let Some(row) = rows.next()? {
        let body: Value = serde_json::from_str(&row.get::<_, String>("body")?)?;
        things.push(Thing::from_value(kind, body)?);
    }
    Ok(things)
}
