//! Turns: of wishes that hinder each other on one job, each comes through in the end.

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError, RwLock};

use crate::JobId;

/// For each job, who works something out on it: many beside each other, or one alone.
#[derive(Debug, Default)]
pub(crate) struct Turns(Mutex<BTreeMap<JobId, Arc<RwLock<()>>>>);

impl Turns {
    /// The turn of a job. Those that nobody holds any longer are forgotten.
    pub(crate) fn of(&self, id: &JobId) -> Arc<RwLock<()>> {
        let mut turns = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        turns.retain(|_, turn| Arc::strong_count(turn) > 1);
        Arc::clone(turns.entry(id.clone()).or_default())
    }
}
