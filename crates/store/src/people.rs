//! Whose a change is: what somebody did in the jobs of a firm, and the deletion of who they were.

use std::collections::BTreeSet;

use rusqlite::{Connection, Transaction};
use serde_json::Value;

use crate::{Store, StoreError};

/// What stands in the place of a name that was deleted.
const NOBODY: &str = "somebody whose name was deleted";

/// Texts that hold names, each with what tells its row.
const TEXTS: [(&str, &str); 4] =
    [("thing", "body"), ("journal", "edit"), ("journal", "inverse"), ("entry", "body")];

impl Store {
    /// What somebody did, by job: how many changes of the plan and entries of the record.
    ///
    /// # Errors
    /// The database fails.
    pub fn done_by(&self, author: &str) -> Result<Vec<(String, u64, u64)>, StoreError> {
        self.readers.read(|db| {
            let mut query = db.prepare_cached(
                "SELECT name, (SELECT count(*) FROM journal WHERE job_id = job.id AND author = ?1) AS changes,
                 (SELECT count(*) FROM entry WHERE job_id = job.id AND author = ?1) AS entries
                 FROM job WHERE changes + entries > 0 ORDER BY name, id",
            )?;
            let rows = query.query_map([author], |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)))?;
            Ok(rows.collect::<Result<_, _>>()?)
        })
    }

    /// Deletes who somebody was from every job: what they did stays, by an id that leads to nobody. It is the one thing that
    /// is ever done to what is on record, and changes nothing of what that says was done.
    ///
    /// # Errors
    /// The database fails; then nothing was changed.
    pub fn forget_person(&self, account: &str) -> Result<(), StoreError> {
        let (author, memory) = (format!("person:{account}"), std::sync::Arc::clone(&self.memory));
        self.writer.write(move |db| {
            let write = db.transaction()?;
            let names = names(&write, &author)?;
            if !names.is_empty() {
                write
                    .execute("UPDATE journal SET who = ?1 WHERE author = ?2", [NOBODY, &author])?;
                write.execute_batch("DROP TRIGGER entry_stays")?;
                for (table, column) in TEXTS {
                    forget(&write, table, column, &names)?;
                }
                write.execute_batch(STAYS)?;
            }
            write.commit()?;
            memory.clear();
            Ok(())
        })
    }
}

/// The trigger of the first migration, word for word.
const STAYS: &str = "CREATE TRIGGER entry_stays BEFORE UPDATE ON entry
BEGIN
    SELECT RAISE(ABORT, 'what is on record is never changed');
END;";

/// The names under which somebody did something.
fn names(db: &Connection, author: &str) -> Result<BTreeSet<String>, StoreError> {
    let mut query = db.prepare(
        "SELECT who FROM journal WHERE author = ?1
         UNION SELECT json_extract(body, '$.by') FROM entry WHERE author = ?1",
    )?;
    let rows = query.query_map([author], |row| row.get::<_, Option<String>>(0))?;
    let all = rows.collect::<Result<Vec<_>, _>>()?.into_iter().flatten();
    Ok(all.filter(|name| !name.is_empty() && name != NOBODY).collect())
}

fn forget(
    write: &Transaction<'_>,
    table: &str,
    column: &str,
    names: &BTreeSet<String>,
) -> Result<(), StoreError> {
    // Both tables without a rowid have a key; a text that says none of the names is not even read.
    let key = match table {
        "thing" => "job_id, kind, id",
        "journal" => "job_id, revision, ''",
        _ => "job_id, seq, ''",
    };
    let change = match table {
        "thing" => {
            format!("UPDATE thing SET {column} = ?1 WHERE job_id = ?2 AND kind = ?3 AND id = ?4")
        }
        "journal" => format!(
            "UPDATE journal SET {column} = ?1 WHERE job_id = ?2 AND revision = ?3 AND '' = ?4"
        ),
        _ => format!("UPDATE entry SET {column} = ?1 WHERE job_id = ?2 AND seq = ?3 AND '' = ?4"),
    };
    let mut query = write.prepare(&format!("SELECT {key}, {column} FROM {table}"))?;
    let mut change = write.prepare(&change)?;
    let mut rows = query.query([])?;
    let mut changed = Vec::new();
    while let Some(row) = rows.next()? {
        let text: String = row.get(3)?;
        if !names.iter().any(|name| text.contains(name.as_str())) {
            continue;
        }
        let mut value: Value = serde_json::from_str(&text)?;
        if unnamed(&mut value, names) {
            let key = (
                row.get::<_, String>(0)?,
                row.get::<_, rusqlite::types::Value>(1)?,
                row.get::<_, String>(2)?,
            );
            changed.push((value.to_string(), key));
        }
    }
    for (text, (job, second, third)) in changed {
        change.execute(rusqlite::params![text, job, second, third])?;
    }
    Ok(())
}

/// Takes the names out of the fields that say who; whether any was there.
fn unnamed(value: &mut Value, names: &BTreeSet<String>) -> bool {
    let mut any = false;
    match value {
        Value::Object(fields) => {
            for (key, value) in fields {
                let says_who =
                    key == "by" || key.ends_with("_by") || matches!(key.as_str(), "who" | "to");
                match value {
                    Value::String(name) if says_who && names.contains(name) => {
                        NOBODY.clone_into(name);
                        any = true;
                    }
                    inner => any |= unnamed(inner, names),
                }
            }
        }
        Value::Array(all) => {
            for inner in all {
                any |= unnamed(inner, names);
            }
        }
        _ => {}
    }
    any
}
