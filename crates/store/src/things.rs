//! The rows of walls, points, devices and so on.

use dot_reach_core::site::{Keyed, Site, Table};
use rusqlite::{Connection, Transaction, named_params};
use serde::{Serialize, de::DeserializeOwned};

use crate::{JobId, StoreError, jobs};

/// Calls a macro once for each table of a site: the word of its rows, the field.
macro_rules! for_each_table {
    ($do:ident) => {
        $do!("floor", floors);
        $do!("wall", walls);
        $do!("slab", slabs);
        $do!("point", points);
        $do!("network", networks);
        $do!("device", devices);
        $do!("construction", constructions);
        $do!("reading", readings);
        $do!("emitter", emitters);
        $do!("scan", scans);
        $do!("control", controls);
    };
}

/// Writes every thing of a new job.
pub(crate) fn write_all(
    write: &Transaction<'_>,
    job: &JobId,
    site: &Site,
) -> Result<(), StoreError> {
    macro_rules! table {
        ($word:literal, $field:ident) => {
            for thing in &site.$field {
                put(write, job, $word, thing)?;
            }
        };
    }
    for_each_table!(table);
    Ok(())
}

/// Writes what an edit touched: `wall:w1` is put if the site has it and deleted if not.
pub(crate) fn write_touched(
    write: &Transaction<'_>,
    job: &JobId,
    site: &Site,
    touched: &[String],
) -> Result<(), StoreError> {
    for key in touched {
        let Some((word, id)) = key.split_once(':') else { continue };
        macro_rules! table {
            ($word:literal, $field:ident) => {
                if word == $word {
                    match site.$field.named(id) {
                        Some(thing) => put(write, job, $word, thing)?,
                        None => delete(write, job, $word, id)?,
                    }
                }
            };
        }
        for_each_table!(table);
    }
    write.execute(
        "UPDATE job SET name = :name, body = :body WHERE id = :id",
        named_params! {
            ":name": site.job.name, ":body": jobs::body(site).to_string(), ":id": job.as_str(),
        },
    )?;
    Ok(())
}

fn put<T: Keyed + Serialize>(
    write: &Transaction<'_>,
    job: &JobId,
    word: &str,
    thing: &T,
) -> Result<(), StoreError> {
    write
        .prepare_cached(
            "INSERT INTO thing (job_id, kind, id, body) VALUES (:job, :kind, :id, :body)
             ON CONFLICT (job_id, kind, id) DO UPDATE SET body = excluded.body",
        )?
        .execute(named_params! {
            ":job": job.as_str(), ":kind": word, ":id": thing.id().to_string(),
            ":body": serde_json::to_string(thing)?,
        })?;
    Ok(())
}

fn delete(write: &Transaction<'_>, job: &JobId, word: &str, id: &str) -> Result<(), StoreError> {
    write
        .prepare_cached("DELETE FROM thing WHERE job_id = ?1 AND kind = ?2 AND id = ?3")?
        .execute([job.as_str(), word, id])?;
    Ok(())
}

/// Reads every thing of a job into `site`.
pub(crate) fn read_all(db: &Connection, job: &JobId, site: &mut Site) -> Result<(), StoreError> {
    macro_rules! table {
        ($word:literal, $field:ident) => {
            site.$field = read_table(db, job, $word)?;
        };
    }
    for_each_table!(table);
    Ok(())
}

fn read_table<T: Keyed + DeserializeOwned>(
    db: &Connection,
    job: &JobId,
    word: &str,
) -> Result<Table<T>, StoreError> {
    let mut query =
        db.prepare_cached("SELECT body FROM thing WHERE job_id = ?1 AND kind = ?2 ORDER BY id")?;
    let bodies = query.query_map([job.as_str(), word], |row| row.get::<_, String>("body"))?;
    bodies.map(|body| Ok(serde_json::from_str(&body?)?)).collect()
}
