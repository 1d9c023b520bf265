//! Jobs in use, so that a page need not read one from its rows.

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use dot_reach_core::record::Record;
use dot_reach_core::site::Site;

use crate::JobId;

/// How many jobs are kept; those not asked for longest go first.
const MOST: usize = 64;

/// A job as it stands.
#[derive(Clone, Debug)]
pub struct OpenJob {
    /// The plan.
    pub site: Arc<Site>,
    /// What happened.
    pub record: Arc<Record>,
    /// How often the one was changed or the other grew.
    pub revision: u64,
}

#[derive(Debug, Default)]
pub(crate) struct Memory {
    held: Mutex<Held>,
}

#[derive(Debug, Default)]
struct Held {
    jobs: BTreeMap<JobId, (u64, OpenJob)>,
    /// The newest revision written since the start: a reader that was overtaken puts nothing in.
    written: BTreeMap<JobId, u64>,
    clock: u64,
}

impl Memory {
    pub(crate) fn get(&self, id: &JobId) -> Option<OpenJob> {
        let mut held = self.lock();
        held.clock += 1;
        let clock = held.clock;
        let (used, job) = held.jobs.get_mut(id)?;
        *used = clock;
        Some(job.clone())
    }

    /// Knows nothing any longer.
    pub(crate) fn clear(&self) {
        self.lock().jobs.clear();
    }

    /// Knows nothing of a job any longer.
    pub(crate) fn forget(&self, id: &JobId) {
        let mut held = self.lock();
        held.jobs.remove(id);
        held.written.remove(id);
    }

    /// Keeps a job that was read.
    pub(crate) fn keep(&self, id: &JobId, job: OpenJob) {
        let mut held = self.lock();
        if held.written.get(id).is_some_and(|written| *written > job.revision) {
            return;
        }
        held.clock += 1;
        let clock = held.clock;
        held.jobs.insert(id.clone(), (clock, job));
        if held.jobs.len() > MOST
            && let Some(oldest) = held.jobs.iter().min_by_key(|(_, (used, _))| *used)
        {
            let oldest = oldest.0.clone();
            held.jobs.remove(&oldest);
        }
    }

    /// Keeps a job that was written.
    pub(crate) fn wrote(&self, id: &JobId, job: OpenJob) {
        self.lock().written.insert(id.clone(), job.revision);
        self.keep(id, job);
    }

    fn lock(&self) -> MutexGuard<'_, Held> {
        // Nothing here panics half way through a change.
        self.held.lock().unwrap_or_else(PoisonError::into_inner)
    }
}
