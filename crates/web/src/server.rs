//! What all requests share: one file that nobody signs in to, or the firms of a folder.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use actix_web::web;
use dot_reach_accounts::Accounts;
use dot_reach_store::Store;

use crate::app::App;
use crate::desk::CacheRoom;
use crate::error::WebError;
use crate::firms::Firms;
use crate::metrics::Metrics;
use crate::settings::Settings;
use crate::work::Work;

/// What the firms of a server share.
#[derive(Clone, Debug)]
pub(crate) struct Shared {
    pub(crate) settings: Arc<Settings>,
    pub(crate) metrics: Arc<Metrics>,
    /// Turns of all heavy work.
    pub(crate) work: Arc<Work>,
    /// How much may be kept of what was computed.
    pub(crate) room: Arc<CacheRoom>,
}

/// The whole of it.
#[derive(Debug)]
pub struct Server {
    pub(crate) shared: Shared,
    pub(crate) front: Front,
    is_leaving: AtomicBool,
}

/// Who comes in.
#[derive(Debug)]
pub(crate) enum Front {
    /// Whoever sits at this machine: nobody signs in.
    Here(web::Data<App>),
    /// The people of firms, and those whom these gave a link.
    Firms(Firms),
}

impl Server {
    /// One file, for whoever sits at this machine.
    pub fn here(store: Store, settings: Settings) -> Self {
        let shared = Shared::of(settings);
        let front = Front::Here(web::Data::new(App::over(store, &shared)));
        Self { shared, front, is_leaving: AtomicBool::new(false) }
    }

    /// The firms of a folder, for those who sign in.
    pub fn of_firms(folder: &std::path::Path, accounts: Accounts, settings: Settings) -> Self {
        let shared = Shared::of(settings);
        let front = Front::Firms(Firms::of(folder, accounts, &shared.settings));
        Self { shared, front, is_leaving: AtomicBool::new(false) }
    }

    /// Those of the folder, where people sign in.
    pub(crate) fn firms(&self) -> Result<&Firms, WebError> {
        match &self.front {
            Front::Firms(firms) => Ok(firms),
            Front::Here(_) => Err(WebError::NotFound("page: nobody signs in here")),
        }
    }

    /// How many files are open.
    pub(crate) fn count_open(&self) -> u64 {
        match &self.front {
            Front::Here(_) => 1,
            Front::Firms(firms) => firms.count_open(),
        }
    }

    /// Whether it takes anybody new.
    pub(crate) fn is_ready(&self) -> bool {
        !self.is_leaving.load(Ordering::Relaxed)
    }

    /// From now on it says that it takes nobody new; who is here goes on.
    pub fn leave(&self) {
        self.is_leaving.store(true, Ordering::Relaxed);
    }

    /// Closes what lies idle. To be called now and then.
    pub fn tidy(&self) {
        if let Front::Firms(firms) = &self.front {
            firms.close_idle();
        }
    }

    /// Takes nothing more, and leaves one file a firm that holds everything that was acknowledged.
    pub fn close(&self) {
        match &self.front {
            Front::Here(app) => app.close(),
            Front::Firms(firms) => firms.close(),
        }
    }
}

impl Shared {
    fn of(settings: Settings) -> Self {
        let room = CacheRoom::of(settings.cache_bytes);
        Self { settings: Arc::new(settings), metrics: Arc::default(), work: Arc::default(), room }
    }
}
