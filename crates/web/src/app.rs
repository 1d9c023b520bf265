//! What every request shares, and how the server starts.

use std::net::TcpListener;
use std::sync::Arc;
use std::time::Duration;

use actix_web::body::MessageBody;
use actix_web::dev::{ServiceFactory, ServiceRequest, ServiceResponse};
use actix_web::{App as ActixApp, HttpServer, middleware, web};
use dot_reach_accounts::{AccountId, LinkId, SessionId};
use dot_reach_core::moment::Moment;
use dot_reach_core::speech::{Speech, speaking};
use dot_reach_store::{JobId, Store, StoreError};
use rustls::ServerConfig;
use tokio::sync::broadcast;

use crate::desk::Desk;
use crate::error::{self, WebError};
use crate::metrics::Metrics;
use crate::presence::Presence;
use crate::server::{Server, Shared};
use crate::settings::Settings;
use crate::work::Work;
use crate::{guard, pages};

/// What every request of a firm shares: its jobs, and what is known of them.
#[derive(Debug)]
pub(crate) struct App {
    store: Arc<Store>,
    /// What is known of jobs in use.
    pub(crate) desk: Desk,
    /// Heavy work and its turns.
    pub(crate) work: Work,
    /// What the operator may ask.
    pub(crate) metrics: Arc<Metrics>,
    /// How it was started.
    pub(crate) settings: Arc<Settings>,
    /// Who has a page open.
    pub(crate) presence: Arc<Presence>,
    news: broadcast::Sender<News>,
    away: broadcast::Sender<Away>,
}

/// Who is no longer let in, so that their channels close at once.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Away {
    /// Somebody, wherever they are signed in.
    Person(AccountId),
    /// Somebody, but for where they are signed in by this.
    Elsewhere(AccountId, SessionId),
    /// Somebody who signed out there.
    Session(SessionId),
    /// Whoever followed a link.
    Link(LinkId),
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
    /// Everything around a store; what all firms share comes from the server.
    pub(crate) fn over(store: Store, shared: &Shared) -> Self {
        let (news, _) = broadcast::channel(64);
        let (settings, metrics) = (Arc::clone(&shared.settings), Arc::clone(&shared.metrics));
        let (desk, work) = (Desk::within(&shared.room), shared.work.beside());
        let ((away, _), presence) = (broadcast::channel(64), Arc::default());
        Self { store: Arc::new(store), desk, work, metrics, settings, presence, news, away }
    }

    /// Takes nothing more, and leaves one file that holds everything that was acknowledged.
    pub(crate) fn close(&self) {
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

    /// The same, where what it refuses is said as a region does.
    pub(crate) async fn ask_saying<T: Send + 'static>(
        &self,
        speech: Speech,
        question: impl FnOnce(&Store) -> Result<T, StoreError> + Send + 'static,
    ) -> Result<T, WebError> {
        let store = Arc::clone(&self.store);
        let said = move || speaking(speech, || question(&store).map_err(WebError::from));
        web::block(said).await.map_err(|e| WebError::Inside(e.to_string()))?
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

    /// Closes the channels of whoever is no longer let in.
    pub(crate) fn send_away(&self, who: &Away) {
        let _listeners = self.away.send(who.clone());
    }

    /// Tells who is no longer let in.
    pub(crate) fn departures(&self) -> broadcast::Receiver<Away> {
        self.away.subscribe()
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
fn configure(server: &web::Data<Server>, config: &mut web::ServiceConfig) {
    let settings = &server.shared.settings;
    config
        .app_data(server.clone())
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
    server: &web::Data<Server>,
) -> ActixApp<
    impl ServiceFactory<
        ServiceRequest,
        Config = (),
        Response = ServiceResponse<impl MessageBody + use<>>,
        Error = actix_web::Error,
        InitError = (),
    > + use<>,
> {
    let inner = server.clone();
    ActixApp::new()
        .configure(move |config| configure(&inner, config))
        .default_service(web::to(error::nothing_there))
        .wrap(middleware::from_fn(guard::guard))
        .wrap(middleware::Compress::default())
        .wrap(tracing_actix_web::TracingLogger::<crate::trace::Span>::new())
}

/// Serves the application on a listener that is bound already, until it is told to stop: by the signals of the system, or by
/// its handle alone.
///
/// # Errors
/// The listener cannot be used.
pub fn serve(
    listener: TcpListener,
    server: web::Data<Server>,
    tls: Option<ServerConfig>,
    hears_signals: bool,
) -> std::io::Result<actix_web::dev::Server> {
    let workers = server.shared.settings.workers;
    let http = HttpServer::new(move || application(&server))
        .workers(workers)
        .tcp_nodelay(true)
        // Who hangs up wants no answer: its work is broken off.
        .h1_allow_half_closed(false)
        .client_request_timeout(Duration::from_secs(20))
        // Longer than whoever asks, a proxy before it too, keeps a connection that rests: it is not closed under a question.
        .keep_alive(Duration::from_secs(75))
        // With what the store needs to close its file, less than three seconds.
        .shutdown_timeout(1);
    let http = if hears_signals { http } else { http.disable_signals() };
    let http = match tls {
        Some(config) => http.listen_rustls_0_23(listener, config)?,
        None => http.listen(listener)?,
    };
    Ok(http.run())
}
