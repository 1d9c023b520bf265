//! The thread that writes, one thing after the other, and the connections that read.

use std::path::{Path, PathBuf};
use std::sync::mpsc::{RecvTimeoutError, Sender, channel, sync_channel};
use std::sync::{Mutex, PoisonError};
use std::thread::JoinHandle;
use std::time::Duration;

use rusqlite::{Connection, OpenFlags};

use crate::StoreError;

type Work = Box<dyn FnOnce(&mut Connection) + Send>;

/// The one connection that writes. Work queues up and is done in its order.
#[derive(Debug)]
pub(crate) struct Writer {
    queue: Option<Sender<Work>>,
    thread: Option<JoinHandle<()>>,
}

impl Writer {
    pub(crate) fn over(mut db: Connection) -> Result<Self, StoreError> {
        let (queue, work) = channel::<Work>();
        let write = move || {
            // What was written is brought into the one file when nobody writes for a while, and at the end.
            let mut is_clean = false;
            loop {
                match work.recv_timeout(IDLE) {
                    Ok(work) => {
                        is_clean = false;
                        // Work that panics is rolled back with its transaction; the next goes on.
                        let work = std::panic::AssertUnwindSafe(|| work(&mut db));
                        drop(std::panic::catch_unwind(work));
                    }
                    Err(RecvTimeoutError::Timeout) if !is_clean => {
                        is_clean = checkpoint(&db, "PASSIVE");
                    }
                    Err(RecvTimeoutError::Timeout) => {}
                    Err(RecvTimeoutError::Disconnected) => break,
                }
            }
            checkpoint(&db, "TRUNCATE");
        };
        let thread = std::thread::Builder::new().name("writer".to_owned()).spawn(write)?;
        Ok(Self { queue: Some(queue), thread: Some(thread) })
    }

    /// Does some work in its turn and waits for it.
    pub(crate) fn write<T: Send + 'static>(
        &self,
        work: impl FnOnce(&mut Connection) -> Result<T, StoreError> + Send + 'static,
    ) -> Result<T, StoreError> {
        let (tell, told) = sync_channel(1);
        let work: Work = Box::new(move |db| {
            // Who asked waits below until it is told.
            let _listener = tell.send(work(db));
        });
        let queue = self.queue.as_ref().ok_or(StoreError::Closing)?;
        queue.send(work).map_err(|_gone| StoreError::Closing)?;
        told.recv().map_err(|_panicked| StoreError::Closing)?
    }
}

impl Drop for Writer {
    fn drop(&mut self) {
        self.queue = None;
        if let Some(thread) = self.thread.take() {
            // Nothing is left to do when it panicked.
            let _ended = thread.join();
        }
    }
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
}

/// How many are kept for later.
const MOST_IDLE: usize = 4;

impl Readers {
    pub(crate) fn of(path: &Path) -> Self {
        Self { path: path.to_owned(), idle: Mutex::new(Vec::new()) }
    }

    /// Reads what was true at one moment, without waiting for anyone who writes.
    pub(crate) fn read<T>(
        &self,
        work: impl FnOnce(&Connection) -> Result<T, StoreError>,
    ) -> Result<T, StoreError> {
        let idle = self.idle.lock().unwrap_or_else(PoisonError::into_inner).pop();
        let db = match idle {
            Some(db) => db,
            None => self.connect()?,
        };
        db.execute_batch("BEGIN")?;
        let found = work(&db);
        db.execute_batch("COMMIT")?;
        let mut idle = self.idle.lock().unwrap_or_else(PoisonError::into_inner);
        if idle.len() < MOST_IDLE {
            idle.push(db);
        }
        found
    }

    fn connect(&self) -> Result<Connection, StoreError> {
        let flags = OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_NO_MUTEX;
        let db = Connection::open_with_flags(&self.path, flags)?;
        db.busy_timeout(Duration::from_secs(5))?;
        Ok(db)
    }
}
