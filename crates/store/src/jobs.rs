//! Opening, listing and reading jobs.

use std::sync::Arc;

use dot_reach_core::prove::Calibration;
use dot_reach_core::site::{Job, Site};
use rusqlite::{Connection, OptionalExtension, Row, named_params};
use serde_json::{Value, json};

use crate::{Inner, OpenJob, Store, StoreError, things};

/// The id of a job: 1 to 64 lower-case letters, digits and hyphens, as it stands in an address.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct JobId(String);

impl JobId {
    /// An id made of a name; `taken` says which ids are gone.
    pub fn from_name(name: &str, taken: impl Fn(&Self) -> bool) -> Self {
        let letters = name.chars().map(|c| match c {
            c if c.is_ascii_alphanumeric() => c.to_ascii_lowercase(),
            _ => '-',
        });
        let words: String = letters.take(40).collect();
        let words: Vec<_> = words.split('-').filter(|w| !w.is_empty()).collect();
        let stem = if words.is_empty() { "job".to_owned() } else { words.join("-") };
        let mut id = Self(stem.clone());
        let mut n = 2;
        while taken(&id) {
            id = Self(format!("{stem}-{n}"));
            n += 1;
        }
        id
    }
    /// The text of the id.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl std::fmt::Display for JobId {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.0)
    }
}

impl std::str::FromStr for JobId {
    type Err = StoreError;
    fn from_str(text: &str) -> Result<Self, StoreError> {
        let sign = |b: u8| b.is_ascii_lowercase() || b.is_ascii_digit() || b == b'-';
        if (1..=64).contains(&text.len()) && text.bytes().all(sign) {
            Ok(Self(text.to_owned()))
        } else {
            Err(StoreError::NoJob(text.to_owned()))
        }
    }
}

/// A job as a list shows it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct JobSummary {
    /// Its id.
    pub id: JobId,
    /// Its name.
    pub name: String,
    /// How many changes were made to it.
    pub revision: u64,
    /// When it was last changed.
    pub changed_at: String,
}

impl Store {
    /// Every job, the last changed first.
    ///
    /// # Errors
    /// The database fails.
    pub fn jobs(&self) -> Result<Vec<JobSummary>, StoreError> {
        let inner = self.lock();
        let mut query = inner.db.prepare_cached(
            "SELECT id, name, revision, changed_at FROM job ORDER BY changed_at DESC, id",
        )?;
        let rows = query.query_map([], summary)?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Makes a job that starts as `site`; its id is made of its name.
    ///
    /// # Errors
    /// The database fails.
    pub fn create(&self, site: &Site, at: &str) -> Result<JobId, StoreError> {
        let mut inner = self.lock();
        let exists = |id: &JobId| job_exists(&inner.db, id).unwrap_or(false);
        let id = JobId::from_name(&site.job.name, exists);
        let write = inner.db.transaction()?;
        write.execute(
            "INSERT INTO job (id, name, body, revision, created_at, changed_at)
             VALUES (:id, :name, :body, 0, :at, :at)",
            named_params! {
                ":id": id.as_str(), ":name": site.job.name, ":body": body(site).to_string(), ":at": at,
            },
        )?;
        things::write_all(&write, &id, site)?;
        write.commit()?;
        Ok(id)
    }

    /// The site of a job and its revision.
    ///
    /// # Errors
    /// There is no such job, or its rows cannot be read.
    pub fn site(&self, id: &JobId) -> Result<(Arc<Site>, u64), StoreError> {
        let mut inner = self.lock();
        let job = inner.opened(id)?;
        Ok((Arc::clone(&job.site), job.revision))
    }
}

impl Inner {
    /// The job in memory; read from its rows at first use.
    pub(crate) fn opened(&mut self, id: &JobId) -> Result<OpenJob, StoreError> {
        if let Some(job) = self.open.get(id) {
            return Ok(job.clone());
        }
        let job = read(&self.db, id)?;
        self.open.insert(id.clone(), job.clone());
        Ok(job)
    }
}

fn summary(row: &Row<'_>) -> rusqlite::Result<JobSummary> {
    Ok(JobSummary {
        id: JobId(row.get("id")?),
        name: row.get("name")?,
        revision: row.get("revision")?,
        changed_at: row.get("changed_at")?,
    })
}

fn job_exists(db: &Connection, id: &JobId) -> Result<bool, StoreError> {
    Ok(db
        .query_row("SELECT 1 FROM job WHERE id = ?1", [id.as_str()], |_| Ok(()))
        .optional()?
        .is_some())
}

/// The job's own fields as its row keeps them.
pub(crate) fn body(site: &Site) -> Value {
    json!({ "job": site.job, "calibration": site.calibration })
}

fn read(db: &Connection, id: &JobId) -> Result<OpenJob, StoreError> {
    let row = db
        .query_row("SELECT body, revision FROM job WHERE id = ?1", [id.as_str()], |row| {
            Ok((row.get::<_, String>("body")?, row.get::<_, u64>("revision")?))
        })
        .optional()?;
    let Some((body, revision)) = row else { return Err(StoreError::NoJob(id.to_string())) };
    let mut body: Value = serde_json::from_str(&body)?;
    let job: Job = serde_json::from_value(body["job"].take())?;
    let calibration: Option<Calibration> = serde_json::from_value(body["calibration"].take())?;
    let mut site = Site::new(&job.name, job.region, job.confidence);
    (site.job, site.calibration) = (job, calibration);
    things::read_all(db, id, &mut site)?;
    Ok(OpenJob { site: Arc::new(site), revision })
}
