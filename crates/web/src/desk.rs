//! What is known of jobs in use: the last analysis and surfaces of each, so that the next answer
//! starts from them. Bounded in bytes; who was not asked for longest goes first.
//!
//! A [`Bench`] is where one answer is worked out. A page takes one from the desk and puts it back; a
//! live channel keeps its own, so that a preview evicts nobody's base. That nothing stale is shown
//! rests on the core: an analysis says what it is of, and a surface drops what another building,
//! frequency or model has computed.

use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use dot_reach_core::analysis::{Analysis, Options, analyse_while};
use dot_reach_core::coverage::{Coverage, Request, coverage};
use dot_reach_core::needed::Needed;
use dot_reach_core::network::NetworkAnalysis;
use dot_reach_core::prove::helps::Help;
use dot_reach_core::record::Record;
use dot_reach_core::site::{NetworkId, Site};
use dot_reach_store::JobId;

use crate::door::{Looked, Planned, Proved};
use crate::error::WebError;
use crate::pages::jobs::Standing;
use crate::work::Asker;

/// How many surfaces one bench keeps.
const MOST_SURFACES: usize = 6;
/// How many standings are kept: one a job, a hundred bytes each.
const MOST_STANDINGS: usize = 2000;
/// Of how many jobs it is kept what their readings teach, and how their days are planned.
const MOST_PROOFS: usize = 4;

/// An analysis and surfaces that belong to it, or nearly.
#[derive(Clone, Debug, Default)]
pub(crate) struct Bench {
    analysis: Option<Arc<Analysis>>,
    surfaces: Vec<(NetworkId, Arc<Coverage>)>,
    /// Whoever waits for the answer.
    asker: Asker,
}

impl Bench {
    /// The same bench, where work stops when `asker` has left.
    pub(crate) fn for_asker(self, asker: Asker) -> Self {
        Self { asker, ..self }
    }

    /// Whether who asked still waits.
    pub(crate) fn is_wanted(&self) -> bool {
        self.asker.waits()
    }

    /// The analysis of a site: only what changed since the last one is computed.
    ///
    /// # Errors
    /// Who asked for it has left.
    pub(crate) fn analysis(
        &mut self,
        site: &Arc<Site>,
        options: &Options,
    ) -> Result<Arc<Analysis>, WebError> {
        if let Some(same) = self.analysis.as_ref().filter(|a| is_of(a, site, options)) {
            return Ok(Arc::clone(same));
        }
        let waits = || self.asker.waits();
        let analysis = analyse_while(&waits, self.analysis.as_deref(), site, options);
        let analysis = Arc::new(analysis.ok_or(WebError::Left)?);
        self.analysis = Some(Arc::clone(&analysis));
        Ok(analysis)
    }

    /// The surface of one network and storey; layers of radios that did not move are kept.
    pub(crate) fn surface(
        &mut self,
        analysis: &Analysis,
        network: &NetworkAnalysis,
        request: &Request,
    ) -> Option<Arc<Coverage>> {
        let fits = |n: &NetworkId, c: &Coverage| *n == network.network && c.request == *request;
        let earlier = self.surfaces.iter().find(|(n, c)| fits(n, c)).map(|(_, c)| Arc::clone(c));
        let surface = Arc::new(coverage(analysis, network, request, earlier.as_deref())?);
        self.surfaces.retain(|(n, c)| !fits(n, c));
        self.surfaces.push((network.network.clone(), Arc::clone(&surface)));
        if self.surfaces.len() > MOST_SURFACES {
            self.surfaces.remove(0);
        }
        Some(surface)
    }

    fn bytes(&self) -> usize {
        let surfaces = self.surfaces.iter().map(|(_, c)| c.bytes()).sum::<usize>();
        surfaces + self.analysis.as_ref().map_or(0, |a| a.bytes())
    }
}

/// Whether an analysis is of this very site; one that holds the same is as good.
fn is_of(analysis: &Analysis, site: &Arc<Site>, options: &Options) -> bool {
    analysis.options == *options && (Arc::ptr_eq(&analysis.site, site) || *analysis.site == **site)
}

/// How many bytes all desks of a server hold together, and how many they may.
#[derive(Debug)]
pub(crate) struct CacheRoom {
    most: usize,
    taken: AtomicUsize,
}

impl CacheRoom {
    pub(crate) fn of(most: usize) -> Arc<Self> {
        Arc::new(Self { most, taken: AtomicUsize::new(0) })
    }

    /// How much is kept.
    pub(crate) fn taken(&self) -> usize {
        self.taken.load(Ordering::Relaxed)
    }
}

/// The benches of the jobs of a firm that are in use.
#[derive(Debug)]
pub(crate) struct Desk {
    room: Arc<CacheRoom>,
    held: Mutex<Held>,
}

impl Drop for Desk {
    fn drop(&mut self) {
        let bytes = total(&self.lock().benches);
        self.room.taken.fetch_sub(bytes, Ordering::Relaxed);
    }
}

#[derive(Debug, Default)]
struct Held {
    clock: u64,
    benches: Vec<Entry>,
    standings: Vec<(JobId, u64, Arc<Standing>)>,
    proofs: Vec<(JobId, Proved)>,
    days: Vec<(JobId, u64, Planned)>,
    looked: Vec<(JobId, u64, Arc<Looked>)>,
    needed: Vec<(JobId, u64, Needed)>,
    helps: Vec<(JobId, u64, Arc<Vec<Help>>)>,
}

/// What is known of a job at a revision.
fn at<T: Clone>(all: &[(JobId, u64, T)], job: &JobId, revision: u64) -> Option<T> {
    all.iter().find(|(j, r, _)| j == job && *r == revision).map(|(.., known)| known.clone())
}

/// Notes it in place of what was known of another revision; the oldest goes where there are many.
fn note<T>(all: &mut Vec<(JobId, u64, T)>, most: usize, (job, revision): (&JobId, u64), known: T) {
    all.retain(|(j, ..)| j != job);
    all.push((job.clone(), revision, known));
    if all.len() > most {
        all.remove(0);
    }
}

#[derive(Debug)]
struct Entry {
    job: JobId,
    /// The what-if; previews have a place of their own.
    slot: Slot,
    used: u64,
    bytes: usize,
    bench: Bench,
}

/// Where a bench lies.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Slot {
    /// A job as it stands, under a what-if.
    Base(Options),
    /// The last preview of a job: where a drag ended is often just what it showed.
    Preview,
}

impl Desk {
    pub(crate) fn within(room: &Arc<CacheRoom>) -> Self {
        Self { room: Arc::clone(room), held: Mutex::new(Held::default()) }
    }

    /// A bench to work out an answer on: one that holds it already, or one of this what-if, or one of
    /// the job at all.
    pub(crate) fn bench(&self, job: &JobId, site: &Arc<Site>, options: &Options) -> Bench {
        let mut held = self.lock();
        held.clock += 1;
        let clock = held.clock;
        let mut of_job: Vec<&mut Entry> =
            held.benches.iter_mut().filter(|e| e.job == *job).collect();
        let holds = |e: &Entry| e.bench.analysis.as_ref().is_some_and(|a| is_of(a, site, options));
        let rank = |e: &Entry| (holds(e), e.slot == Slot::Base(options.clone()), e.used);
        of_job.sort_by(|a, b| {
            let (a, b) = (rank(a), rank(b));
            b.cmp(&a)
        });
        let Some(entry) = of_job.into_iter().next() else { return Bench::default() };
        entry.used = clock;
        entry.bench.clone()
    }

    /// Puts a bench back.
    pub(crate) fn keep(&self, job: &JobId, slot: Slot, bench: Bench) {
        let mut held = self.lock();
        held.clock += 1;
        let (used, bytes, bench) = (held.clock, bench.bytes(), bench.for_asker(Asker::default()));
        let before = total(&held.benches);
        held.benches.retain(|e| !(e.job == *job && e.slot == slot));
        held.benches.push(Entry { job: job.clone(), slot, used, bytes, bench });
        let others = self.room.taken().saturating_sub(before);
        // The newest stays, however large.
        while held.benches.len() > 1 && others + total(&held.benches) > self.room.most {
            let oldest = held.benches.iter().enumerate().min_by_key(|(_, e)| e.used);
            let Some((oldest, _)) = oldest else { break };
            held.benches.swap_remove(oldest);
        }
        let after = total(&held.benches);
        self.room.taken.fetch_add(after, Ordering::Relaxed);
        self.room.taken.fetch_sub(before, Ordering::Relaxed);
    }

    /// The standing of a job at a revision, if it is known.
    pub(crate) fn standing(&self, job: &JobId, revision: u64) -> Option<Arc<Standing>> {
        at(&self.lock().standings, job, revision)
    }

    /// Notes the standing of a job.
    pub(crate) fn note(&self, job: &JobId, revision: u64, standing: Arc<Standing>) {
        note(&mut self.lock().standings, MOST_STANDINGS, (job, revision), standing);
    }

    /// What the readings of a job teach, if that is known of this plan and record.
    pub(crate) fn proof(&self, job: &JobId, site: &Arc<Site>, record: &Record) -> Option<Proved> {
        let held = self.lock();
        let of = |(j, (analysis, proof)): &&(JobId, Proved)| {
            j == job && is_of(analysis, site, &Options::default()) && proof.record == *record
        };
        held.proofs.iter().find(of).map(|(_, proved)| proved.clone())
    }

    /// Notes what the readings of a job teach.
    pub(crate) fn note_proof(&self, job: &JobId, proved: Proved) {
        let mut held = self.lock();
        held.proofs.retain(|(j, _)| j != job);
        held.proofs.push((job.clone(), proved));
        if held.proofs.len() > MOST_PROOFS {
            held.proofs.remove(0);
        }
    }

    /// The visits of a job at a revision, if they are known.
    pub(crate) fn days(&self, job: &JobId, revision: u64) -> Option<Planned> {
        at(&self.lock().days, job, revision)
    }

    /// Notes the visits of a job.
    pub(crate) fn note_days(&self, job: &JobId, revision: u64, planned: Planned) {
        note(&mut self.lock().days, MOST_PROOFS, (job, revision), planned);
    }

    /// What a job needs now, worked out by `known` once a revision.
    pub(crate) fn needed(
        &self,
        job: &JobId,
        revision: u64,
        known: impl FnOnce() -> Needed,
    ) -> Needed {
        if let Some(needed) = at(&self.lock().needed, job, revision) {
            return needed;
        }
        let needed = known();
        note(&mut self.lock().needed, MOST_STANDINGS, (job, revision), needed.clone());
        needed
    }

    /// What differs in a job at a revision, if that is known.
    pub(crate) fn looked(&self, job: &JobId, revision: u64) -> Option<Arc<Looked>> {
        at(&self.lock().looked, job, revision)
    }

    /// Notes what differs in a job.
    pub(crate) fn note_looked(&self, job: &JobId, revision: u64, looked: Arc<Looked>) {
        note(&mut self.lock().looked, MOST_PROOFS, (job, revision), looked);
    }

    /// What would help a job at a revision, if that is known.
    pub(crate) fn helps(&self, job: &JobId, revision: u64) -> Option<Arc<Vec<Help>>> {
        at(&self.lock().helps, job, revision)
    }

    /// Notes what would help a job.
    pub(crate) fn note_helps(&self, job: &JobId, revision: u64, helps: Arc<Vec<Help>>) {
        note(&mut self.lock().helps, MOST_PROOFS, (job, revision), helps);
    }

    fn lock(&self) -> MutexGuard<'_, Held> {
        // Nothing here panics half way through a change.
        self.held.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

fn total(benches: &[Entry]) -> usize {
    benches.iter().map(|e| e.bytes).sum()
}
