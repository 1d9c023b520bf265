//! The firms of a folder: one file each, opened when somebody of it comes, closed when nobody did for a while. So many at a
//! time are open at the most.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

use actix_web::web;
use dot_reach_accounts::{AccountError, Accounts, FirmId};
use dot_reach_store::Store;

use crate::app::App;
use crate::error::WebError;
use crate::server::Shared;
use crate::settings::Settings;

/// After how long without a request a file is closed.
const IDLE: Duration = Duration::from_mins(10);

/// The firms of a folder.
#[derive(Debug)]
pub(crate) struct Firms {
    folder: PathBuf,
    accounts: Arc<Accounts>,
    most_open: usize,
    sync: Option<PathBuf>,
    held: Arc<Mutex<BTreeMap<FirmId, Arc<Shelf>>>>,
    /// One file is opened at a time, so that never more are open than may be.
    opening: Arc<Mutex<()>>,
}

/// The place of a firm; its file is opened and closed by one at a time.
#[derive(Debug)]
struct Shelf {
    used: Mutex<Instant>,
    app: Mutex<Option<web::Data<App>>>,
}

/// Nothing here panics half way through a change.
fn lock<T>(of: &Mutex<T>) -> MutexGuard<'_, T> {
    of.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Firms {
    pub(crate) fn of(folder: &Path, accounts: Accounts, settings: &Settings) -> Self {
        let (folder, accounts) = (folder.to_owned(), Arc::new(accounts));
        let (most_open, sync) = (settings.most_open, settings.sync.clone());
        let (held, opening) = (Arc::default(), Arc::default());
        Self { folder, accounts, most_open, sync, held, opening }
    }

    /// The file of a firm.
    pub(crate) fn file(&self, firm: &FirmId) -> PathBuf {
        file_of(&self.folder, firm)
    }

    /// Asks the accounts, off the request threads.
    pub(crate) async fn ask<T: Send + 'static>(
        &self,
        question: impl FnOnce(&Accounts) -> Result<T, AccountError> + Send + 'static,
    ) -> Result<T, WebError> {
        let accounts = Arc::clone(&self.accounts);
        let answer = web::block(move || question(&accounts)).await;
        Ok(answer.map_err(|e| WebError::Inside(e.to_string()))??)
    }

    /// A firm, opened if it is not.
    pub(crate) async fn open(
        &self,
        firm: &FirmId,
        shared: &Shared,
    ) -> Result<web::Data<App>, WebError> {
        let shelf = {
            let mut held = lock(&self.held);
            let fresh =
                || Arc::new(Shelf { used: Mutex::new(Instant::now()), app: Mutex::new(None) });
            Arc::clone(held.entry(firm.clone()).or_insert_with(fresh))
        };
        *lock(&shelf.used) = Instant::now();
        if let Ok(app) = shelf.app.try_lock()
            && let Some(app) = app.as_ref()
        {
            return Ok(app.clone());
        }
        let (path, held, most) = (self.file(firm), Arc::clone(&self.held), self.most_open);
        let (shared, opening) = (shared.clone(), Arc::clone(&self.opening));
        let sync = self.sync.clone();
        let opened = web::block(move || {
            let _one = lock(&opening);
            let mut app = lock(&shelf.app);
            if let Some(app) = app.as_ref() {
                return Ok(app.clone());
            }
            make_room(&held, most)?;
            let store = match sync {
                Some(folder) => Store::open_with_copy(&path, &folder)?,
                None => Store::open(&path)?,
            };
            let opened = web::Data::new(App::over(store, &shared));
            *app = Some(opened.clone());
            Ok(opened)
        });
        opened.await.map_err(|e| WebError::Inside(e.to_string()))?
    }

    /// How many are open.
    pub(crate) fn count_open(&self) -> u64 {
        // Who opens or closes one just now holds its lock: it counts.
        let is_open = |shelf: &&Arc<Shelf>| shelf.app.try_lock().map_or(true, |app| app.is_some());
        lock(&self.held).values().filter(is_open).count() as u64
    }

    /// Closes those for which nobody came for a while.
    pub(crate) fn close_idle(&self) {
        let idle: Vec<_> = {
            let held = lock(&self.held);
            held.values().filter(|s| lock(&s.used).elapsed() > IDLE).map(Arc::clone).collect()
        };
        for shelf in idle {
            put_away(&shelf);
        }
    }

    pub(crate) fn close(&self) {
        for shelf in std::mem::take(&mut *lock(&self.held)).into_values() {
            if let Some(app) = lock(&shelf.app).take() {
                app.close();
            }
        }
    }
}

/// Where the file of a firm is, in the folder of a server.
pub fn file_of(folder: &Path, firm: &FirmId) -> PathBuf {
    folder.join("firms").join(format!("{firm}.db"))
}

/// Closes a firm that nobody is at; whether it did.
fn put_away(shelf: &Shelf) -> bool {
    let Ok(mut app) = shelf.app.try_lock() else { return false };
    if app.as_ref().is_none_or(|app| Arc::strong_count(&app.clone().into_inner()) > 2) {
        return false;
    }
    // Nobody else has it: it closes with this, while its place is held.
    drop(app.take());
    true
}

/// Closes those that lie idle longest until one more may be opened.
fn make_room(held: &Mutex<BTreeMap<FirmId, Arc<Shelf>>>, most: usize) -> Result<(), WebError> {
    let mut open: Vec<(Instant, Arc<Shelf>)> = {
        let held = lock(held);
        let is_open = |s: &&Arc<Shelf>| s.app.try_lock().is_ok_and(|app| app.is_some());
        held.values().filter(is_open).map(|s| (*lock(&s.used), Arc::clone(s))).collect()
    };
    let mut too_many = (open.len() + 1).saturating_sub(most);
    open.sort_by_key(|(used, _)| *used);
    for (_, shelf) in open {
        if too_many == 0 {
            return Ok(());
        }
        if put_away(&shelf) {
            too_many -= 1;
        }
    }
    if too_many == 0 { Ok(()) } else { Err(WebError::Full) }
}
