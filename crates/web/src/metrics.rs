//! What an operator asks: whether it lives, and how much it does.

use std::fmt::Write;
use std::sync::atomic::{AtomicU64, Ordering};

use actix_web::{HttpResponse, get, web};

use crate::commands::Answer;
use crate::door::Anybody;
use crate::server::{Front, Server};

/// Counters since the start.
#[derive(Debug, Default)]
pub(crate) struct Metrics {
    pub(crate) requests: AtomicU64,
    pub(crate) failures: AtomicU64,
    pub(crate) refusals: AtomicU64,
    pub(crate) edits: AtomicU64,
    pub(crate) channels: AtomicU64,
}

impl Metrics {
    pub(crate) fn count(counter: &AtomicU64) {
        counter.fetch_add(1, Ordering::Relaxed);
    }

    pub(crate) fn less(counter: &AtomicU64) {
        counter.fetch_sub(1, Ordering::Relaxed);
    }
}

#[get("/healthz")]
pub(crate) async fn health(_: Anybody, server: web::Data<Server>) -> Answer {
    match &server.front {
        Front::Here(app) => app.ask(dot_reach_store::Store::probe).await?,
        Front::Firms(firms) => firms.ask(dot_reach_accounts::Accounts::probe).await?,
    }
    Ok(HttpResponse::Ok().content_type("text/plain; charset=utf-8").body("ok\n"))
}

/// Whether it takes anybody new: a proxy in front sends nobody to a server that is about to end.
#[get("/readyz")]
pub(crate) async fn ready(_: Anybody, server: web::Data<Server>) -> HttpResponse {
    let (mut answer, word) = if server.is_ready() {
        (HttpResponse::Ok(), "ready\n")
    } else {
        (HttpResponse::ServiceUnavailable(), "ending\n")
    };
    answer.content_type("text/plain; charset=utf-8").body(word)
}

/// Counts, of no firm and no person.
#[get("/metrics")]
pub(crate) async fn metrics(_: Anybody, server: web::Data<Server>) -> HttpResponse {
    let m = &server.shared.metrics;
    let of = |counter: &AtomicU64| counter.load(Ordering::Relaxed);
    let rows = [
        ("requests_total", "counter", "Requests answered.", of(&m.requests)),
        ("failures_total", "counter", "Answers of 500 and above.", of(&m.failures)),
        ("refusals_total", "counter", "Answers of 400 to 499.", of(&m.refusals)),
        ("edits_total", "counter", "Changes taken, undo and redo included.", of(&m.edits)),
        ("live_channels", "gauge", "Pages that listen.", of(&m.channels)),
        ("work_running", "gauge", "Heavy work under way.", server.shared.work.running()),
        ("cache_bytes", "gauge", "Kept of what was computed.", server.shared.room.taken() as u64),
        ("firms_open", "gauge", "Firms of which the file is open.", server.count_open()),
    ];
    let mut text = String::new();
    for (name, kind, help, value) in rows {
        // Writing to a string cannot fail.
        let _infallible = write!(
            text,
            "# HELP dot_reach_{name} {help}\n# TYPE dot_reach_{name} {kind}\ndot_reach_{name} {value}\n"
        );
    }
    HttpResponse::Ok().content_type("text/plain; version=0.0.4; charset=utf-8").body(text)
}
