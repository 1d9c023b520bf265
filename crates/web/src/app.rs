//! What every request shares, and how the server starts.

use std::collections::BTreeMap;
use std::net::TcpListener;
use std::sync::{Arc, Mutex, PoisonError};

use actix_web::dev::Server;
use actix_web::{App as ActixApp, HttpServer, middleware, web};
use dot_reach_core::analysis::{Analysis, NetworkAnalysis, Options, analyse_after};
use dot_reach_core::coverage::{Coverage, Request, coverage};
use dot_reach_core::simulate::{Budget, Chances, chances};
use dot_reach_core::site::{NetworkId, Site};
use dot_reach_store::{JobId, Store};
use tokio::sync::{Semaphore, broadcast};

use crate::error::WebError;
use crate::{guard, pages};

/// What every request shares.
#[derive(Debug)]
pub struct App {
    /// The jobs.
    pub store: Store,
    working: Semaphore,
    memory: Mutex<BTreeMap<JobId, Memory>>,
    news: broadcast::Sender<News>,
}

/// What was computed last for a job: the next answer starts from it.
#[derive(Clone, Debug, Default)]
struct Memory {
    analysis: Option<Arc<Analysis>>,
    surfaces: Vec<(NetworkId, Arc<Coverage>)>,
    chances: Option<(Arc<Analysis>, Arc<Chances>)>,
}

/// A job has a new revision.
#[derive(Clone, Debug)]
pub(crate) struct News {
    pub(crate) job: JobId,
    pub(crate) revision: u64,
    pub(crate) client: String,
    pub(crate) who: String,
}

/// How many surfaces of a job are kept.
const MOST_SURFACES: usize = 8;

impl App {
    /// Everything around a store.
    pub fn new(store: Store) -> Self {
        let cores = std::thread::available_parallelism().map_or(2, std::num::NonZero::get);
        let (news, _) = broadcast::channel(64);
        let memory = Mutex::new(BTreeMap::new());
        Self { store, working: Semaphore::new(cores), memory, news }
    }

    /// Runs heavy work off the request threads, at most one a core.
    pub(crate) async fn compute<T: Send + 'static>(
        &self,
        work: impl FnOnce() -> T + Send + 'static,
    ) -> Result<T, WebError> {
        let inside = |e: &dyn std::fmt::Display| WebError::Inside(e.to_string());
        let _turn = self.working.acquire().await.map_err(|e| inside(&e))?;
        web::block(work).await.map_err(|e| inside(&e))
    }

    fn memory(&self, job: &JobId) -> Memory {
        let memory = self.memory.lock().unwrap_or_else(PoisonError::into_inner);
        memory.get(job).cloned().unwrap_or_default()
    }

    /// The analysis of a site of this job: only what changed since the last one is computed.
    pub(crate) fn analysis(
        &self,
        job: &JobId,
        site: &Arc<Site>,
        options: &Options,
    ) -> Arc<Analysis> {
        let earlier = self.memory(job).analysis;
        if let Some(same) =
            earlier.as_ref().filter(|e| Arc::ptr_eq(&e.site, site) && e.options == *options)
        {
            return Arc::clone(same);
        }
        let analysis = Arc::new(analyse_after(earlier.as_deref(), site, options));
        let mut memory = self.memory.lock().unwrap_or_else(PoisonError::into_inner);
        let entry = memory.entry(job.clone()).or_default();
        if let Some(old) = &entry.analysis
            && !Arc::ptr_eq(&old.structure, &analysis.structure)
        {
            entry.surfaces.clear();
        }
        entry.analysis = Some(Arc::clone(&analysis));
        analysis
    }

    /// The surface of one network and storey; layers of radios that did not move are kept.
    pub(crate) fn surface(
        &self,
        job: &JobId,
        analysis: &Analysis,
        network: &NetworkAnalysis,
        request: &Request,
    ) -> Option<Arc<Coverage>> {
        let fits = |n: &NetworkId, c: &Coverage| *n == network.network && c.request == *request;
        let known = self.memory(job);
        // Layers hold for the building they were computed in.
        let same_building =
            known.analysis.is_some_and(|a| Arc::ptr_eq(&a.structure, &analysis.structure));
        let earlier = known.surfaces.into_iter().find(|(n, c)| same_building && fits(n, c));
        let surface =
            Arc::new(coverage(analysis, network, request, earlier.as_ref().map(|(_, c)| &**c))?);
        let mut memory = self.memory.lock().unwrap_or_else(PoisonError::into_inner);
        let surfaces = &mut memory.entry(job.clone()).or_default().surfaces;
        surfaces.retain(|(n, c)| !fits(n, c));
        surfaces.push((network.network.clone(), Arc::clone(&surface)));
        if surfaces.len() > MOST_SURFACES {
            surfaces.remove(0);
        }
        Some(surface)
    }

    /// Draws many houses and keeps the chances; `go_on` is told how far it is and may stop it.
    pub(crate) fn find_chances(
        &self,
        job: &JobId,
        analysis: &Arc<Analysis>,
        go_on: &mut dyn FnMut(u32) -> bool,
    ) -> Arc<Chances> {
        let found = Arc::new(chances(analysis, Budget::default(), go_on));
        let mut memory = self.memory.lock().unwrap_or_else(PoisonError::into_inner);
        memory.entry(job.clone()).or_default().chances =
            Some((Arc::clone(analysis), Arc::clone(&found)));
        found
    }

    /// The chances found for this very analysis, if any.
    pub(crate) fn chances(&self, job: &JobId, analysis: &Arc<Analysis>) -> Option<Arc<Chances>> {
        let (of, found) = self.memory(job).chances?;
        let same = Arc::ptr_eq(&of.site, &analysis.site) && of.options == analysis.options;
        same.then_some(found)
    }

    pub(crate) fn announce(&self, news: News) {
        // Nobody listening is no failure.
        let _listeners = self.news.send(news);
    }

    pub(crate) fn listen(&self) -> broadcast::Receiver<News> {
        self.news.subscribe()
    }
}

/// The present moment, as the journal writes it.
pub(crate) fn now() -> String {
    let now = jiff::Timestamp::now();
    now.round(jiff::Unit::Second).unwrap_or(now).to_string()
}

/// Serves the application on a listener that is bound already.
///
/// # Errors
/// The listener cannot be used.
pub fn serve(listener: TcpListener, app: web::Data<App>) -> std::io::Result<Server> {
    let server = HttpServer::new(move || {
        ActixApp::new()
            .app_data(app.clone())
            .app_data(web::JsonConfig::default().limit(8 * 1024 * 1024).error_handler(|e, _| {
                WebError::Field { field: "edit", reason: e.to_string() }.into()
            }))
            .app_data(web::FormConfig::default().limit(256 * 1024))
            .wrap(middleware::from_fn(guard::guard))
            .configure(pages::routes)
    })
    .workers(2)
    .tcp_nodelay(true)
    .shutdown_timeout(2)
    .listen(listener)?;
    Ok(server.run())
}
