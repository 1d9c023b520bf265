//! The thread that writes, one thing after the other, and the connections that read.

use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{RecvTimeoutError, Sender, channel, sync_channel};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::thread::JoinHandle;
use std::time::Duration;

use rusqlite::{Connection, OpenFlags};

use crate::StoreError;
use crate::second_copy::SecondCopy;

type Work = Box<dyn FnOnce(&mut Connection, Option<&mut SecondCopy>) + Send>;

/// The one connection that writes. Work queues up and is done in its order.
#[derive(Debug)]
pub(crate) struct Writer {
    queue: Mutex<Option<Sender<Work>>>,
    thread: Mutex<Option<JoinHandle<()>>>,
    file: Opened,
    /// Whether something was written that the second copy has not.
    is_behind: Arc<AtomicBool>,
}

/// A file as it was when it was opened.
#[derive(Debug)]
struct Opened {
    path: PathBuf,
    mark: Option<(u64, u64)>,
}

impl Opened {
    fn of(path: &Path) -> Self {
        Self { path: path.to_owned(), mark: mark(path) }
    }

    /// What is written into a file that was moved, nobody finds again.
    fn is_there(&self) -> Result<(), StoreError> {
        if mark(&self.path) == self.mark {
            Ok(())
        } else {
            Err(StoreError::Moved(self.path.display().to_string()))
        }
    }
}

/// By what the system knows a file, whatever it is called; nothing where it tells nothing of it.
fn mark(path: &Path) -> Option<(u64, u64)> {
    #[cfg(unix)]
    {
        use std::os::unix::fs::MetadataExt;
        let of = std::fs::metadata(path).ok()?;
        Some((of.dev(), of.ino()))
    }
    #[cfg(not(unix))]
    {
        path.exists().then_some((0, 0))
    }
}

impl Writer {
    pub(crate) fn over(
        mut db: Connection,
        path: &Path,
        mut copy: Option<SecondCopy>,
    ) -> Result<Self, StoreError> {
        let (queue, work) = channel::<Work>();
        let write = move || {
            // What was written is brought into the one file when nobody writes for a while, and at the end.
            let mut is_clean = false;
            loop {
                match work.recv_timeout(IDLE) {
                    Ok(work) => {
                        is_clean = false;
                        // Work that panics is rolled back with its transaction; the next goes on.
                        let work = std::panic::AssertUnwindSafe(|| work(&mut db, copy.as_mut()));
                        drop(std::panic::catch_unwind(work));
                    }
                    Err(RecvTimeoutError::Timeout) if !is_clean => {
                        is_clean = checkpoint(&db, "PASSIVE");
                    }
                    Err(RecvTimeoutError::Timeout) => {}
                    Err(RecvTimeoutError::Disconnected) => break,
                }
            }
            // Who still reads is waited for a moment only: the file and its log are whole beside each other too.
            drop(db.busy_timeout(Duration::from_millis(700)));
            checkpoint(&db, "TRUNCATE");
        };
        let thread = std::thread::Builder::new().name("writer".to_owned()).spawn(write)?;
        Ok(Self {
            queue: Mutex::new(Some(queue)),
            thread: Mutex::new(Some(thread)),
            file: Opened::of(path),
            is_behind: Arc::default(),
        })
    }

    /// Whatever is told of as taken before is in the second copy too.
    pub(crate) fn catch_up(&self) -> Result<(), StoreError> {
        if self.is_behind.load(Ordering::SeqCst) { self.write(|_| Ok(())) } else { Ok(()) }
    }

    /// Does some work in its turn and waits for it.
    pub(crate) fn write<T: Send + 'static>(
        &self,
        work: impl FnOnce(&mut Connection) -> Result<T, StoreError> + Send + 'static,
    ) -> Result<T, StoreError> {
        self.file.is_there()?;
        let (tell, told) = sync_channel(1);
        let is_behind = Arc::clone(&self.is_behind);
        let work: Work = Box::new(move |db, copy| {
            let Some(copy) = copy else {
                let _listener = tell.send(work(db));
                return;
            };
            // What is in one place alone is not acknowledged, nor told of as taken before.
            is_behind.store(true, Ordering::SeqCst);
            let done = work(db);
            let followed = copy.follow(db);
            is_behind.store(followed.is_err(), Ordering::SeqCst);
            let done = done.and_then(|done| followed.map(|()| done));
            // Who asked waits below until it is told.
            let _listener = tell.send(done);
        });
        let queue = held(&self.queue).clone().ok_or(StoreError::Closing)?;
        queue.send(work).map_err(|_gone| StoreError::Closing)?;
        drop(queue);
        told.recv().map_err(|_panicked| StoreError::Closing)?
    }
}

impl Writer {
    /// Takes nothing more, does what is queued, and leaves one file that holds all of it.
    pub(crate) fn close(&self) {
        *held(&self.queue) = None;
        let thread = held(&self.thread).take();
        if let Some(thread) = thread {
            // Nothing is left to do when it panicked.
            let _ended = thread.join();
        }
    }
}

impl Drop for Writer {
    fn drop(&mut self) {
        self.close();
    }
}

/// Nothing here panics half way through a change.
fn held<T>(of: &Mutex<T>) -> MutexGuard<'_, T> {
    of.lock().unwrap_or_else(PoisonError::into_inner)
}

/// How long nobody writes before what was written is brought into the one file.
const IDLE: Duration = Duration::from_millis(500);

/// Brings what was written into the one file; whether all of it is there.
fn checkpoint(db: &Connection, how: &str) -> bool {
    let sql = format!("PRAGMA wal_checkpoint({how})");
    let told = db.query_row(&sql, [], |row| {
        Ok((row.get::<_, i64>(0)?, row.get::<_, i64>(1)?, row.get::<_, i64>(2)?))
    });
    matches!(told, Ok((0, log, done)) if log == done)
}

/// Connections that read.
#[derive(Debug)]
pub(crate) struct Readers {
    path: PathBuf,
    idle: Mutex<Vec<Connection>>,
    is_closed: AtomicBool,
}

/// How many are kept for later.
const MOST_IDLE: usize = 4;

impl Readers {
    pub(crate) fn of(path: &Path) -> Self {
        Self {
            path: path.to_owned(),
            idle: Mutex::new(Vec::new()),
            is_closed: AtomicBool::new(false),
        }
    }

    /// Reads what was true at one moment, without waiting for anyone who writes.
    pub(crate) fn read<T>(
        &self,
        work: impl FnOnce(&Connection) -> Result<T, StoreError>,
    ) -> Result<T, StoreError> {
        if self.is_closed.load(Ordering::Relaxed) {
            return Err(StoreError::Closing);
        }
        let idle = held(&self.idle).pop();
        let db = match idle {
            Some(db) => db,
            None => self.connect()?,
        };
        db.execute_batch("BEGIN")?;
        let found = work(&db);
        db.execute_batch("COMMIT")?;
        let mut idle = held(&self.idle);
        if idle.len() < MOST_IDLE && !self.is_closed.load(Ordering::Relaxed) {
            idle.push(db);
        }
        found
    }

    /// Lets go of the file; whoever still reads does so when they are done.
    pub(crate) fn close(&self) {
        self.is_closed.store(true, Ordering::Relaxed);
        held(&self.idle).clear();
    }

    fn connect(&self) -> Result<Connection, StoreError> {
        let flags = OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_NO_MUTEX;
        let db = Connection::open_with_flags(&self.path, flags)?;
        db.busy_timeout(Duration::from_secs(5))?;
        Ok(db)
    }
}
