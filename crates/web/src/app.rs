//! What every request shares, and how the server starts.

use std::net::TcpListener;
use std::sync::Arc;
use std::time::Duration;

use actix_web::body::MessageBody;
use actix_web::dev::{Server, ServiceFactory, ServiceRequest, ServiceResponse};
use actix_web::{App as ActixApp, HttpServer, middleware, web};
use dot_reach_core::moment::Moment;
use dot_reach_store::{JobId, Store, StoreError};
use tokio::sync::broadcast;

use crate::desk::Desk;
use crate::error::{self, WebError};
use crate::metrics::Metrics;
use crate::presence::Presence;
use crate::settings::Settings;
use crate::work::Work;
use crate::{guard, pages};

/// What every request shares.
#[derive(Debug)]
pub struct App {
    store: Arc<Store>,
    /// What is known of jobs in use.
    pub(crate) desk: Desk,
    /// Heavy work and its turns.
    pub(crate) work: Work,
    /// What the operator may ask.
    pub(crate) metrics: Metrics,
    /// How it was started.
    pub(crate) settings: Settings,
    /// Who has a page open.
    pub(crate) presence: Arc<Presence>,
    news: broadcast::Sender<News>,
}

/// A job has a new revision.
#[derive(Clone, Debug)]
pub(crate) struct News {
    pub(crate) job: JobId,
    pub(crate) revision: u64,
    pub(crate) client: String,
    pub(crate) who: String,
}

impl App {
    /// Everything around a store.
    pub fn new(store: Store, settings: Settings) -> Self {
        let (news, _) = broadcast::channel(64);
        let desk = Desk::of(settings.cache_bytes);
        let (work, metrics) = (Work::default(), Metrics::default());
        let presence = Arc::default();
        Self { store: Arc::new(store), desk, work, metrics, settings, presence, news }
    }

    /// Takes nothing more, and leaves one file that holds everything that was acknowledged.
    pub fn close(&self) {
        self.store.close();
    }

    /// Asks the store, off the request threads: whoever waits for the disk holds nobody up.
    pub(crate) async fn ask<T: Send + 'static>(
        &self,
        question: impl FnOnce(&Store) -> Result<T, StoreError> + Send + 'static,
    ) -> Result<T, WebError> {
        let store = Arc::clone(&self.store);
        let answer = web::block(move || question(&store)).await;
        Ok(answer.map_err(|e| WebError::Inside(e.to_string()))??)
    }

    /// Asks the store on this thread, which may wait.
    pub(crate) fn ask_here<T>(
        &self,
        question: impl FnOnce(&Store) -> Result<T, StoreError>,
    ) -> Result<T, StoreError> {
        question(&self.store)
    }

    pub(crate) fn announce(&self, news: News) {
        // Nobody listening is no failure.
        let _listeners = self.news.send(news);
    }

    pub(crate) fn listen(&self) -> broadcast::Receiver<News> {
        self.news.subscribe()
    }
}

/// The present moment.
pub(crate) fn moment() -> Moment {
    // What a clock tells is a time.
    Moment::read(&now()).unwrap_or_else(|_| Moment::first())
}

/// The present moment, as the journal writes it.
pub fn now() -> String {
    let now = jiff::Timestamp::now();
    now.round(jiff::Unit::Second).unwrap_or(now).to_string()
}

/// The routes with all that every request meets on its way to them.
fn configure(app: &web::Data<App>, config: &mut web::ServiceConfig) {
    let settings = &app.settings;
    config
        .app_data(app.clone())
        .app_data(web::JsonConfig::default().limit(settings.most_body).error_handler(|e, _| {
            WebError::Field { field: "edit".into(), reason: error::of_json(&e) }.into()
        }))
        .app_data(web::QueryConfig::default().error_handler(|e, _| {
            WebError::Field { field: "address".into(), reason: e.to_string() }.into()
        }))
        .configure(pages::routes);
}

/// The application: its routes, and all that every request meets on its way to them.
pub fn application(
    app: &web::Data<App>,
) -> ActixApp<
    impl ServiceFactory<
        ServiceRequest,
        Config = (),
        Response = ServiceResponse<impl MessageBody + use<>>,
        Error = actix_web::Error,
        InitError = (),
    > + use<>,
> {
    let inner = app.clone();
    ActixApp::new()
        .configure(move |config| configure(&inner, config))
        .default_service(web::to(error::nothing_there))
        .wrap(middleware::from_fn(guard::guard))
        .wrap(middleware::Compress::default())
        .wrap(tracing_actix_web::TracingLogger::<crate::trace::Span>::new())
}

/// Serves the application on a listener that is bound already, until it is told to stop.
///
/// # Errors
/// The listener cannot be used.
pub fn serve(listener: TcpListener, app: web::Data<App>) -> std::io::Result<Server> {
    let workers = app.settings.workers;
    let server = HttpServer::new(move || application(&app))
        .workers(workers)
        .tcp_nodelay(true)
        // Who hangs up wants no answer: its work is broken off.
        .h1_allow_half_closed(false)
        .client_request_timeout(Duration::from_secs(20))
        // With what the store needs to close its file, less than three seconds.
        .shutdown_timeout(1)
        .listen(listener)?;
    Ok(server.run())
}
