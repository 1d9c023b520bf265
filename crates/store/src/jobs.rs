//! Opening, listing and reading jobs.

use std::collections::BTreeMap;
use std::sync::Arc;

use dot_reach_core::record::{Entry, EntryId, Fault, Record, What};
use dot_reach_core::site::Site;

use rusqlite::{Connection, OptionalExtension, Row, named_params};

use crate::edits::{Command, MOST_TRIES};
use crate::memory::OpenJob;
use crate::{Store, StoreError, entries, images, things};

/// The id of a job: 1 to 64 lower-case letters, digits and hyphens, as it stands in an address.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct JobId(pub(crate) String);

/// The id of the library of the firm.
const LIBRARY: &str = "library";

impl JobId {
    /// An id made of a name; `taken` says which ids are gone.
    pub(crate) fn from_name<E>(
        name: &str,
        taken: impl Fn(&Self) -> Result<bool, E>,
    ) -> Result<Self, E> {
        let stem = match slug::slugify(name) {
            words if words.is_empty() => "job".to_owned(),
            words => words.chars().take(40).collect::<String>().trim_end_matches('-').to_owned(),
        };
        let mut id = Self(stem.clone());
        let mut n = 2;
        while id.is_library() || taken(&id)? {
            id = Self(format!("{stem}-{n}"));
            n += 1;
        }
        Ok(id)
    }
    /// Whether it is the library of the firm: kept as a job is, so that it has edits, undo and a journal.
    pub fn is_library(&self) -> bool {
        self.0 == LIBRARY
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
        self.readers.read(|db| {
            let mut query = db.prepare_cached(
                "SELECT id, name, revision, changed_at FROM job
                 WHERE id <> ?1 AND variant_of IS NULL
                 ORDER BY changed_at DESC, id",
            )?;
            let rows = query.query_map([LIBRARY], summary)?;
            Ok(rows.collect::<Result<_, _>>()?)
        })
    }

    /// Deletes a job with its variants, its journal and its record, and the images that no other job names. There is
    /// no way back.
    ///
    /// # Errors
    /// There is no such job, power is off by its record, or the database fails.
    pub fn delete(&self, id: &JobId) -> Result<(), StoreError> {
        if id.is_library() {
            return Err(StoreError::NoJob(id.to_string()));
        }
        for _ in 0..MOST_TRIES {
            let open = self.open_job(id)?;
            open.record.may_go()?;
            // Power that goes off meanwhile is seen: the job goes only as it was looked at.
            match self.delete_as(id, open.revision) {
                Err(StoreError::Stale) => {}
                done => return done,
            }
        }
        Err(StoreError::Busy)
    }

    fn delete_as(&self, id: &JobId, revision: u64) -> Result<(), StoreError> {
        let (id, memory) = (id.clone(), Arc::clone(&self.memory));
        self.writer.write(move |db| {
            let write = db.transaction()?;
            let mut gone: Vec<JobId> = write
                .prepare("SELECT id FROM job WHERE variant_of = ?1")?
                .query_map([id.as_str()], |row| row.get(0).map(JobId))?
                .collect::<Result<_, _>>()?;
            let sql = "DELETE FROM job WHERE id = ?1 AND revision = ?2";
            if write.execute(sql, (id.as_str(), revision))? == 0 {
                return Err(StoreError::Stale);
            }
            images::free(&write)?;
            write.commit()?;
            gone.push(id);
            for id in &gone {
                memory.forget(id);
            }
            Ok(())
        })
    }

    /// The library of the firm, made as `empty` where there is none yet.
    ///
    /// # Errors
    /// The database fails.
    pub fn library(&self, empty: &Site, at: &str) -> Result<JobId, StoreError> {
        let (empty, at) = (empty.clone(), at.to_owned());
        self.writer.write(move |db| {
            let id = JobId(LIBRARY.to_owned());
            let write = db.transaction()?;
            if !job_exists(&write, &id)? {
                make(&write, &id, &new_uid(), &empty, &at)?;
            }
            write.commit()?;
            Ok(id)
        })
    }

    /// What the firm keeps in its library; nothing while there is none.
    ///
    /// # Errors
    /// The database fails.
    pub fn library_site(&self) -> Result<Option<Arc<Site>>, StoreError> {
        match self.site(&JobId(LIBRARY.to_owned())) {
            Ok((site, _)) => Ok(Some(site)),
            Err(StoreError::NoJob(_)) => Ok(None),
            Err(e) => Err(e),
        }
    }

    /// Makes a job that starts as `site`, of which nothing has happened yet; its id is made of its name.
    ///
    /// # Errors
    /// The database fails.
    pub fn create(&self, site: &Site, at: &str) -> Result<JobId, StoreError> {
        self.create_told(site, &Record::default(), None, at)
    }

    /// Makes a job that starts as `site` with what is on record of it. It keeps the `uid` that it is known by
    /// elsewhere, unless a job of that is here.
    ///
    /// # Errors
    /// The database fails.
    pub fn create_told(
        &self,
        site: &Site,
        record: &Record,
        uid: Option<&str>,
        at: &str,
    ) -> Result<JobId, StoreError> {
        let told: Vec<Entry> = record.entries().cloned().collect();
        let (site, at, uid) = (site.clone(), at.to_owned(), uid.map(str::to_owned));
        let rows = entries::rows(&told)?;
        self.writer.write(move |db| {
            let write = db.transaction()?;
            let id = JobId::from_name(&site.job.name, |id| job_exists(&write, id))?;
            let uid = match uid {
                Some(uid) if of_uid(&write, &uid)?.is_none() => uid,
                _ => new_uid(),
            };
            make(&write, &id, &uid, &site, &at)?;
            if !rows.is_empty() {
                let command = Command::brought_in(&at);
                entries::add(&write, &id, 1, 0, &command, &rows)?;
            }
            write.commit()?;
            Ok(id)
        })
    }

    /// The job that is known by this id elsewhere, if it is here.
    ///
    /// # Errors
    /// The database fails.
    pub fn job_of_uid(&self, uid: &str) -> Result<Option<JobId>, StoreError> {
        self.readers.read(|db| of_uid(db, uid))
    }

    /// By what a job is known on every machine.
    ///
    /// # Errors
    /// There is no such job; the database fails.
    pub fn uid(&self, id: &JobId) -> Result<String, StoreError> {
        let found = self.readers.read(|db| {
            let mut query = db.prepare_cached("SELECT uid FROM job WHERE id = ?1")?;
            Ok(query.query_row([id.as_str()], |row| row.get(0)).optional()?)
        })?;
        found.ok_or_else(|| StoreError::NoJob(id.to_string()))
    }

    /// The faults that were met on all jobs: what a firm has learned.
    ///
    /// # Errors
    /// The database fails.
    pub fn faults(&self) -> Result<Vec<Fault>, StoreError> {
        let told = self.readers.read(|db| entries::of_words(db, ["met", "struck"]))?;
        let mut found: BTreeMap<(String, String), (EntryId, Fault)> = BTreeMap::new();
        for (job, entry) in told {
            match entry.what {
                What::Met(fault) => {
                    found.insert((job, fault.id.to_string()), (entry.id, fault));
                }
                What::Struck { of, .. } => found.retain(|_, (told, _)| *told != of),
                _ => {}
            }
        }
        Ok(found.into_values().map(|(_, fault)| fault).collect())
    }

    /// The site of a job and its revision, if the job is in use: for who cannot wait.
    pub fn site_in_use(&self, id: &JobId) -> Option<(Arc<Site>, u64)> {
        self.memory.get(id).map(|job| (job.site, job.revision))
    }

    /// The site of a job and its revision.
    ///
    /// # Errors
    /// There is no such job, or its rows cannot be read.
    pub fn site(&self, id: &JobId) -> Result<(Arc<Site>, u64), StoreError> {
        self.open_job(id).map(|job| (job.site, job.revision))
    }

    /// Plan and record of a job, and its revision.
    ///
    /// # Errors
    /// There is no such job, or its rows cannot be read.
    pub fn open_job(&self, id: &JobId) -> Result<OpenJob, StoreError> {
        if let Some(found) = self.memory.get(id) {
            return Ok(found);
        }
        let job = self.readers.read(|db| read(db, id))?;
        self.memory.keep(id, job.clone());
        Ok(job)
    }
}

pub(crate) fn make(
    write: &Connection,
    id: &JobId,
    uid: &str,
    site: &Site,
    at: &str,
) -> Result<(), StoreError> {
    write.execute(
        "INSERT INTO job (id, uid, name, revision, created_at, changed_at)
         VALUES (:id, :uid, :name, 0, :at, :at)",
        named_params! { ":id": id.as_str(), ":uid": uid, ":name": site.job.name, ":at": at },
    )?;
    things::write_all(write, id, site)
}

fn summary(row: &Row<'_>) -> rusqlite::Result<JobSummary> {
    Ok(JobSummary {
        id: JobId(row.get("id")?),
        name: row.get("name")?,
        revision: row.get("revision")?,
        changed_at: row.get("changed_at")?,
    })
}

pub(crate) fn job_exists(db: &Connection, id: &JobId) -> Result<bool, StoreError> {
    Ok(revision(db, id)?.is_some())
}

/// The revision of a job; nothing when there is no such job.
pub(crate) fn revision(db: &Connection, id: &JobId) -> Result<Option<u64>, StoreError> {
    Ok(db
        .prepare_cached("SELECT revision FROM job WHERE id = ?1")?
        .query_row([id.as_str()], |row| row.get(0))
        .optional()?)
}

/// A job from its rows.
pub(crate) fn read(db: &Connection, id: &JobId) -> Result<OpenJob, StoreError> {
    let no_job = || StoreError::NoJob(id.to_string());
    let revision = revision(db, id)?.ok_or_else(no_job)?;
    let site = Site::of_things(things::read_all(db, id)?).ok_or_else(no_job)?;
    let record = Arc::new(entries::read(db, id)?);
    Ok(OpenJob { site: Arc::new(site), record, revision })
}

fn of_uid(db: &Connection, uid: &str) -> Result<Option<JobId>, StoreError> {
    let mut query = db.prepare_cached("SELECT id FROM job WHERE uid = ?1")?;
    Ok(query.query_row([uid], |row| row.get(0).map(JobId)).optional()?)
}

/// An id that no other job has, on any machine.
pub(crate) fn new_uid() -> String {
    uuid::Uuid::new_v4().to_string()
}
