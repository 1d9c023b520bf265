//! Heavy work: off the request threads, in turns, so that no job holds up the others; and long work
//! as tickets, which are shared by all who ask the same, tell how far they are, and stop when nobody
//! waits any longer.

use std::collections::BTreeMap;
use std::future::Future;
use std::ops::ControlFlow;
use std::sync::atomic::{AtomicBool, AtomicU64, AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, OnceLock, PoisonError};
use std::time::{Duration, Instant};

use actix_web::web;
use dot_reach_core::analysis::Options;
use dot_reach_core::placement::advice::{Advice, Ask};
use dot_reach_core::placement::{HubSearch, Places};
use dot_reach_core::simulate::Chances;
use dot_reach_core::site::NetworkId;
use dot_reach_store::JobId;
use serde_json::Value;
use tokio::sync::{Notify, Semaphore};

use crate::error::WebError;

/// Heavy work and its turns.
#[derive(Debug)]
pub(crate) struct Work {
    /// One turn a core.
    turns: Arc<Semaphore>,
    /// One turn a job: what one job asks for queues up behind itself.
    jobs: Mutex<BTreeMap<JobId, Arc<Semaphore>>>,
    /// One turn for all jobs that take seconds: however many there are, others have a turn left.
    slow: Arc<Semaphore>,
    /// Pages of small jobs are worded beside what their job has worked out: one a core.
    words: Arc<Semaphore>,
    /// Long work takes one core at most, so that the others answer.
    long: Arc<Semaphore>,
    running: Arc<AtomicU64>,
    tickets: Mutex<Vec<Arc<Ticket>>>,
}

impl Default for Work {
    fn default() -> Self {
        let cores = std::thread::available_parallelism().map_or(2, std::num::NonZero::get);
        Self {
            turns: Arc::new(Semaphore::new(cores)),
            jobs: Mutex::default(),
            slow: Arc::new(Semaphore::new(1)),
            words: Arc::new(Semaphore::new(cores)),
            long: Arc::new(Semaphore::new(1)),
            running: Arc::default(),
            tickets: Mutex::default(),
        }
    }
}

impl Work {
    /// For the jobs of another firm: they take turns with these, and see nothing of each other.
    pub(crate) fn beside(&self) -> Self {
        Self {
            turns: Arc::clone(&self.turns),
            jobs: Mutex::default(),
            slow: Arc::clone(&self.slow),
            words: Arc::clone(&self.words),
            long: Arc::clone(&self.long),
            running: Arc::clone(&self.running),
            tickets: Mutex::default(),
        }
    }
}

/// Among whom work takes its turn.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Lane {
    Quick,
    /// With all other work that takes seconds.
    Slow,
}

/// How many jobs have a queue of their own remembered.
const MOST_QUEUES: usize = 256;
/// How many results of long work are kept.
const MOST_RESULTS: usize = 24;
/// How long a ticket goes on before anyone has come to wait for it, or after all have gone.
const PATIENCE: Duration = Duration::from_secs(4);

impl Work {
    /// Does heavy work for a job.
    pub(crate) async fn compute<T: Send + 'static>(
        &self,
        job: &JobId,
        lane: Lane,
        work: impl FnOnce() -> T + Send + 'static,
    ) -> Result<T, WebError> {
        let own_turn = self.queue(job).acquire_owned().await.map_err(inside)?;
        let slow = match lane {
            Lane::Slow => Some(Arc::clone(&self.slow).acquire_owned().await.map_err(inside)?),
            Lane::Quick => None,
        };
        let turn = Arc::clone(&self.turns).acquire_owned().await.map_err(inside)?;
        let running = Running::begun(&self.running);
        // Held until the work has really ended, also where nobody waits for it any longer.
        let held = (own_turn, slow, turn, running);
        let done = web::block(move || {
            let _held = held;
            work()
        });
        done.await.map_err(inside)
    }

    /// Words a page of a job: that of a small one does not wait for what else is worked out for it.
    pub(crate) async fn word<T: Send + 'static>(
        &self,
        job: &JobId,
        lane: Lane,
        work: impl FnOnce() -> T + Send + 'static,
    ) -> Result<T, WebError> {
        if lane == Lane::Slow {
            return self.compute(job, lane, work).await;
        }
        let turn = Arc::clone(&self.words).acquire_owned().await.map_err(inside)?;
        let done = web::block(move || {
            let _held = turn;
            work()
        });
        done.await.map_err(inside)
    }

    fn queue(&self, job: &JobId) -> Arc<Semaphore> {
        let mut queues = self.jobs.lock().unwrap_or_else(PoisonError::into_inner);
        if queues.len() > MOST_QUEUES {
            // Those that somebody waits in stay.
            queues.retain(|_, queue| Arc::strong_count(queue) > 1);
        }
        Arc::clone(queues.entry(job.clone()).or_insert_with(|| Arc::new(Semaphore::new(1))))
    }

    /// How much heavy work is under way.
    pub(crate) fn running(&self) -> u64 {
        self.running.load(Ordering::Relaxed)
    }

    /// The ticket of a question, if somebody asked it and it was not broken off.
    pub(crate) fn ticket(&self, question: &Question) -> Option<Arc<Ticket>> {
        let tickets = self.held();
        tickets.iter().find(|t| t.question == *question && !t.is_stopped()).map(Arc::clone)
    }

    /// The ticket of a question; `work` is begun when nobody asked it before.
    pub(crate) fn begin(
        &self,
        question: Question,
        work: impl FnOnce(&mut dyn FnMut(usize, usize) -> ControlFlow<()>) -> Option<WorkFound>
        + Send
        + 'static,
    ) -> Arc<Ticket> {
        if let Some(ticket) = self.ticket(&question) {
            return ticket;
        }
        let ticket = Arc::new(Ticket::of(question));
        {
            let mut tickets = self.held();
            tickets.retain(|t| t.question != ticket.question);
            tickets.push(Arc::clone(&ticket));
            if tickets.len() > MOST_RESULTS
                && let Some(over) = tickets.iter().position(|t| t.is_over())
            {
                tickets.remove(over);
            }
        }
        let (mine, long) = (Arc::clone(&ticket), Arc::clone(&self.long));
        actix_web::rt::spawn(async move {
            let Ok(_turn) = long.acquire().await else { return };
            let inner = Arc::clone(&mine);
            // Work that panicked has found nothing; who waits is told that it is over.
            let _done = web::block(move || inner.run(work)).await;
            mine.close();
        });
        ticket
    }

    fn held(&self) -> MutexGuard<'_, Vec<Arc<Ticket>>> {
        self.tickets.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

fn inside(e: impl std::fmt::Display) -> WebError {
    WebError::Inside(e.to_string())
}

/// Heavy work under way, as long as this lives.
struct Running(Arc<AtomicU64>);

impl Running {
    fn begun(count: &Arc<AtomicU64>) -> Self {
        count.fetch_add(1, Ordering::Relaxed);
        Self(Arc::clone(count))
    }
}

impl Drop for Running {
    fn drop(&mut self) {
        self.0.fetch_sub(1, Ordering::Relaxed);
    }
}

/// Whoever waits for heavy work: it goes on as long as they do.
#[derive(Clone, Debug, Default)]
pub(crate) struct Asker(Arc<AtomicBool>);

impl Asker {
    /// Whether they still wait.
    pub(crate) fn waits(&self) -> bool {
        !self.0.load(Ordering::Relaxed)
    }

    /// They leave when what this gives is dropped: keep it beside what waits.
    pub(crate) fn stays(&self) -> Stay {
        Stay(self.clone())
    }
}

/// As long as this lives, an [`Asker`] waits.
#[derive(Debug)]
pub(crate) struct Stay(Asker);

impl Drop for Stay {
    fn drop(&mut self) {
        self.0.0.store(true, Ordering::Relaxed);
    }
}

/// What long work is asked.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Question {
    /// Of a job at a revision.
    Job { job: JobId, revision: u64, about: About },
    /// To bring in a job file; each has a number.
    Import(u64),
}

#[derive(Clone, Debug, PartialEq)]
pub(crate) enum About {
    /// Where the hub of a network could stand.
    HubPlaces(NetworkId, HubSearch),
    /// The least that is enough.
    Advice(Ask),
    /// How sure all of it is, under a what-if.
    Chances(Options),
}

/// What long work found.
#[derive(Clone, Debug)]
pub(crate) enum WorkFound {
    HubPlaces(Arc<Places>),
    Advice(Arc<Advice>),
    Chances(Arc<Chances>),
    /// The address of the new job and what was left out, or why there is none.
    Import(Arc<Result<Value, WebError>>),
}

/// Long work under way, or its result.
#[derive(Debug)]
pub(crate) struct Ticket {
    pub(crate) question: Question,
    begun: Instant,
    done: AtomicUsize,
    of: AtomicUsize,
    waiting: AtomicUsize,
    /// When the last one who waited has gone, in milliseconds after it began.
    left_at: AtomicU64,
    stop: AtomicBool,
    over: AtomicBool,
    found: OnceLock<WorkFound>,
    news: Notify,
}

impl Ticket {
    fn of(question: Question) -> Self {
        Self {
            question,
            begun: Instant::now(),
            done: AtomicUsize::new(0),
            of: AtomicUsize::new(0),
            waiting: AtomicUsize::new(0),
            left_at: AtomicU64::new(0),
            stop: AtomicBool::new(false),
            over: AtomicBool::new(false),
            found: OnceLock::new(),
            news: Notify::new(),
        }
    }

    fn run(
        &self,
        work: impl FnOnce(&mut dyn FnMut(usize, usize) -> ControlFlow<()>) -> Option<WorkFound>,
    ) {
        let mut pulse = |done: usize, of: usize| {
            self.done.store(done, Ordering::Relaxed);
            self.of.store(of, Ordering::Relaxed);
            self.news.notify_waiters();
            if self.stop.load(Ordering::Relaxed) || self.is_abandoned() {
                self.stop.store(true, Ordering::Relaxed);
                return ControlFlow::Break(());
            }
            ControlFlow::Continue(())
        };
        if pulse(0, 0).is_break() {
            return;
        }
        if let Some(found) = work(&mut pulse) {
            // Set once: this is the only run.
            let _first = self.found.set(found);
        }
    }

    fn is_abandoned(&self) -> bool {
        let left = Duration::from_millis(self.left_at.load(Ordering::Relaxed));
        self.waiting.load(Ordering::Relaxed) == 0 && self.begun.elapsed() > left + PATIENCE
    }

    fn close(&self) {
        self.over.store(true, Ordering::Relaxed);
        self.news.notify_waiters();
    }

    /// What it found, once it has.
    pub(crate) fn found(&self) -> Option<WorkFound> {
        self.found.get().cloned()
    }

    /// How much is done of how much.
    pub(crate) fn progress(&self) -> (usize, usize) {
        (self.done.load(Ordering::Relaxed), self.of.load(Ordering::Relaxed))
    }

    /// Whether it is done with, one way or the other.
    pub(crate) fn is_over(&self) -> bool {
        self.over.load(Ordering::Relaxed)
    }

    fn is_stopped(&self) -> bool {
        self.stop.load(Ordering::Relaxed)
    }

    /// Breaks it off.
    pub(crate) fn stop(&self) {
        self.stop.store(true, Ordering::Relaxed);
    }

    /// Waits beside it: it goes on as long as someone does.
    pub(crate) fn wait(self: &Arc<Self>) -> Waiting {
        self.waiting.fetch_add(1, Ordering::Relaxed);
        Waiting(Arc::clone(self))
    }

    /// Waits until it is over, but no longer than this.
    pub(crate) async fn within(self: &Arc<Self>, time: Duration) -> Option<WorkFound> {
        let waiting = self.wait();
        let end = async {
            while !waiting.0.is_over() {
                waiting.news().await;
            }
        };
        // Found or not, the answer is the same.
        let _late = tokio::time::timeout(time, end).await;
        self.found()
    }
}

/// Someone who waits for a ticket.
#[derive(Debug)]
pub(crate) struct Waiting(pub(crate) Arc<Ticket>);

impl Waiting {
    /// The next news of it, or a moment later: a beat between asking and listening is not missed for
    /// long.
    pub(crate) fn news(&self) -> impl Future<Output = ()> {
        let ticket = Arc::clone(&self.0);
        async move {
            let _late =
                tokio::time::timeout(Duration::from_millis(200), ticket.news.notified()).await;
        }
    }
}

impl Drop for Waiting {
    fn drop(&mut self) {
        let now = u64::try_from(self.0.begun.elapsed().as_millis()).unwrap_or(u64::MAX);
        self.0.left_at.store(now, Ordering::Relaxed);
        self.0.waiting.fetch_sub(1, Ordering::Relaxed);
    }
}
