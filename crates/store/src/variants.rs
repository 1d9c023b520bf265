//! Variants: branches of a job, each with a name. A variant is kept as a job is, so that all that can be done
//! to a job can be done to it; what it was branched off from is kept beside it, so that what it changes can
//! be taken over into the job, whatever was done to that meanwhile.

use std::sync::Arc;

use dot_reach_core::site::Site;
use rusqlite::{OptionalExtension, named_params};

use crate::jobs::{JobId, job_exists, make, new_uid};
use crate::{Store, StoreError};

/// How many variants a job may have.
pub const MOST_VARIANTS: usize = 12;

/// A variant as a list shows it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Variant {
    /// Its id as a job.
    pub id: JobId,
    /// The job that it is a branch of.
    pub of: JobId,
    /// Its name.
    pub name: String,
    /// How many changes were made to it.
    pub revision: u64,
    /// Whether it was put aside.
    pub is_aside: bool,
}

impl Store {
    /// Branches a job off under a name, as `site`, which is `base` with what makes the variant.
    ///
    /// # Errors
    /// The job has as many as it may have; the database fails.
    pub fn branch(
        &self,
        of: &JobId,
        name: &str,
        base: &Site,
        site: &Site,
        at: &str,
    ) -> Result<JobId, StoreError> {
        self.has_room(of)?;
        let body = serde_json::to_string(base).map_err(StoreError::Row)?;
        let (of, name, site, at) = (of.clone(), name.to_owned(), site.clone(), at.to_owned());
        self.writer.write(move |db| {
            let write = db.transaction()?;
            let id = JobId::from_name(&format!("{of} {name}"), |id| job_exists(&write, id))?;
            make(&write, &id, &new_uid(), &site, &at)?;
            write.execute(
                "UPDATE job SET variant_of = :of, variant_name = :name, branched_off = :body
                 WHERE id = :id",
                named_params! { ":of": of.as_str(), ":name": name, ":body": body, ":id": id.as_str() },
            )?;
            write.commit()?;
            Ok(id)
        })
    }

    /// The variants of a job, in the order in which they were made.
    ///
    /// # Errors
    /// The database fails.
    pub fn variants(&self, of: &JobId) -> Result<Vec<Variant>, StoreError> {
        self.readers.read(|db| {
            let mut query = db.prepare_cached(
                "SELECT id, variant_name, revision, put_aside FROM job WHERE variant_of = ?1
                 ORDER BY created_at, rowid",
            )?;
            let rows = query.query_map([of.as_str()], |row| {
                Ok(Variant {
                    id: JobId(row.get(0)?),
                    of: of.clone(),
                    name: row.get(1)?,
                    revision: row.get(2)?,
                    is_aside: row.get(3)?,
                })
            })?;
            Ok(rows.collect::<Result<_, _>>()?)
        })
    }

    /// Puts a variant aside, or brings it back.
    ///
    /// # Errors
    /// It is no variant; as many as there may be stand already; the database fails.
    pub fn put_aside(&self, id: &JobId, aside: bool) -> Result<(), StoreError> {
        let variant = self.variant(id)?.ok_or_else(|| StoreError::NoJob(id.to_string()))?;
        if !aside && variant.is_aside {
            self.has_room(&variant.of)?;
        }
        let id = id.clone();
        self.writer.write(move |db| {
            let put = "UPDATE job SET put_aside = ?2 WHERE id = ?1";
            db.execute(put, rusqlite::params![id.as_str(), aside])?;
            Ok(())
        })
    }

    fn has_room(&self, of: &JobId) -> Result<(), StoreError> {
        let standing = self.variants(of)?.iter().filter(|v| !v.is_aside).count();
        if standing < MOST_VARIANTS { Ok(()) } else { Err(StoreError::ManyVariants(MOST_VARIANTS)) }
    }

    pub(crate) fn is_variant(&self, id: &JobId) -> Result<bool, StoreError> {
        Ok(self.variant(id)?.is_some())
    }

    /// What variant a job is; nothing for one that is none.
    ///
    /// # Errors
    /// The database fails.
    pub fn variant(&self, id: &JobId) -> Result<Option<Variant>, StoreError> {
        self.readers.read(|db| {
            let mut query = db.prepare_cached(
                "SELECT variant_of, variant_name, revision, put_aside FROM job
                 WHERE id = ?1 AND variant_of IS NOT NULL",
            )?;
            let row = query.query_row([id.as_str()], |row| {
                Ok(Variant {
                    id: id.clone(),
                    of: JobId(row.get(0)?),
                    name: row.get(1)?,
                    revision: row.get(2)?,
                    is_aside: row.get(3)?,
                })
            });
            Ok(row.optional()?)
        })
    }

    /// The job as it was when a variant was branched off.
    ///
    /// # Errors
    /// It is no variant; its rows cannot be read.
    pub fn branched_off(&self, id: &JobId) -> Result<Arc<Site>, StoreError> {
        let body: Option<String> = self.readers.read(|db| {
            let mut query = db.prepare_cached(
                "SELECT branched_off FROM job WHERE id = ?1 AND variant_of IS NOT NULL",
            )?;
            Ok(query.query_row([id.as_str()], |row| row.get(0)).optional()?)
        })?;
        let body = body.ok_or_else(|| StoreError::NoJob(id.to_string()))?;
        Ok(Arc::new(serde_json::from_str(&body).map_err(StoreError::Row)?))
    }
}
