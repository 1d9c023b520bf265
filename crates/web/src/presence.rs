//! Who has a page of a job open, and which: as long as its live channel stands.

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use dot_reach_store::JobId;
use serde::Serialize;
use tokio::sync::broadcast;

/// How many comings and goings wait for a slow page; one that fell behind is told how it stands now.
const MOST_WAITING: usize = 64;

/// Somebody with a page open.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub(crate) struct Here {
    /// By name; empty for whoever gave none.
    pub(crate) who: String,
    /// The stage whose page it is.
    pub(crate) at: String,
    #[serde(skip)]
    window: String,
}

/// All who have a page open, by job.
#[derive(Debug)]
pub(crate) struct Presence {
    here: Mutex<BTreeMap<JobId, BTreeMap<u64, Here>>>,
    next: std::sync::atomic::AtomicU64,
    changed: broadcast::Sender<JobId>,
}

impl Default for Presence {
    fn default() -> Self {
        let (changed, _) = broadcast::channel(MOST_WAITING);
        Self { here: Mutex::default(), next: 0.into(), changed }
    }
}

impl Presence {
    fn all(&self) -> MutexGuard<'_, BTreeMap<JobId, BTreeMap<u64, Here>>> {
        self.here.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Somebody opens a page; they are gone with what this gives.
    pub(crate) fn enter(
        self: &Arc<Self>,
        job: &JobId,
        who: &str,
        at: &str,
        window: &str,
    ) -> Attending {
        let key = self.next.fetch_add(1, std::sync::atomic::Ordering::Relaxed);
        let short = |text: &str| text.chars().filter(|c| !c.is_control()).take(40).collect();
        let here = Here { who: short(who), at: short(at), window: short(window) };
        self.all().entry(job.clone()).or_default().insert(key, here);
        self.tell(job);
        Attending { of: Arc::clone(self), job: job.clone(), key }
    }

    /// Who else is there: each person once a stage, and not the one who asks in another window of theirs.
    pub(crate) fn others(&self, stay: &Attending) -> Vec<Here> {
        let all = self.all();
        let Some(of_job) = all.get(&stay.job) else { return Vec::new() };
        let Some(own) = of_job.get(&stay.key) else { return Vec::new() };
        let is_own = |h: &Here| h.window == own.window || !h.who.is_empty() && h.who == own.who;
        let mut others: Vec<Here> = of_job.values().filter(|h| !is_own(h)).cloned().collect();
        others.sort_by(|a, b| {
            (a.who.is_empty(), &a.who, &a.at).cmp(&(b.who.is_empty(), &b.who, &b.at))
        });
        others.dedup_by(|a, b| !a.who.is_empty() && a.who == b.who && a.at == b.at);
        others
    }

    /// Tells of every coming and going, by its job.
    pub(crate) fn listen(&self) -> broadcast::Receiver<JobId> {
        self.changed.subscribe()
    }

    fn tell(&self, job: &JobId) {
        // Nobody listening is no failure.
        let _listeners = self.changed.send(job.clone());
    }
}

/// A page that is open.
#[derive(Debug)]
pub(crate) struct Attending {
    of: Arc<Presence>,
    pub(crate) job: JobId,
    key: u64,
}

impl Drop for Attending {
    fn drop(&mut self) {
        let mut all = self.of.all();
        if let Some(of_job) = all.get_mut(&self.job) {
            of_job.remove(&self.key);
            if of_job.is_empty() {
                all.remove(&self.job);
            }
        }
        drop(all);
        self.of.tell(&self.job);
    }
}
