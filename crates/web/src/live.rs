//! The live channel of one open job: previews while something is dragged, snapping while a wall is
//! drawn, and news of edits made elsewhere.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use actix_web::{HttpRequest, HttpResponse, get, rt, web};
use actix_ws::{AggregatedMessage, Session};
use dot_reach_core::geometry::snap;
use dot_reach_core::simulate::Budget;
use dot_reach_core::site::{Edit, FloorId, Site, Spot, apply};
use dot_reach_core::units::Metres;
use dot_reach_store::JobId;
use futures_util::StreamExt;
use serde::Deserialize;
use serde_json::{Value, json};
use tokio::sync::broadcast::error::RecvError;
use tokio::sync::mpsc::{UnboundedSender, unbounded_channel};

use crate::app::App;
use crate::error::WebError;
use crate::pages::reach;

/// The largest message of a page.
const MOST_BYTES: usize = 256 * 1024;

/// What a page asks.
#[derive(Deserialize)]
#[serde(tag = "ask", rename_all = "kebab-case")]
enum Ask {
    /// The Reach page as it would be after an edit that is not made.
    Preview { seq: u64, edit: Box<Edit>, view: reach::Query },
    /// Draw many houses: how sure is each device, and are all.
    Chances { view: reach::Query },
    /// Stop drawing.
    Stop,
    /// Where a drawn place comes to lie.
    Snap {
        seq: u64,
        floor: FloorId,
        at: Spot,
        #[serde(default)]
        start: Option<Spot>,
        #[serde(default)]
        length_m: Option<Metres>,
        reach_m: Metres,
    },
}

#[get("/jobs/{job}/live")]
pub(crate) async fn live(
    request: HttpRequest,
    body: web::Payload,
    job: web::Path<String>,
    app: web::Data<App>,
) -> Result<HttpResponse, actix_web::Error> {
    let job: JobId = job.parse().map_err(WebError::Store)?;
    app.store.site(&job).map_err(WebError::Store)?;
    let (response, session, stream) = actix_ws::handle(&request, body)?;
    let stream = stream.max_frame_size(MOST_BYTES).aggregate_continuations();
    rt::spawn(talk(app, job, session, stream.max_continuation_size(MOST_BYTES)));
    Ok(response)
}

async fn talk(
    app: web::Data<App>,
    job: JobId,
    mut session: Session,
    mut stream: actix_ws::AggregatedMessageStream,
) {
    let mut news = app.listen();
    let (teller, mut tidings) = unbounded_channel();
    let drawing = Drawing { teller, stop: Arc::new(AtomicBool::new(false)) };
    loop {
        let text = tokio::select! {
            told = news.recv() => match told {
                Ok(told) if told.job == job => json!({
                    "tell": "revision", "revision": told.revision,
                    "client": told.client, "who": told.who,
                }).to_string(),
                Ok(_) => continue,
                // A page that fell behind looks at the newest revision.
                Err(RecvError::Lagged(_)) => json!({ "tell": "revision" }).to_string(),
                Err(RecvError::Closed) => break,
            },
            Some(told) = tidings.recv() => told,
            message = stream.next() => match message {
                Some(Ok(AggregatedMessage::Text(text))) => match answer(&app, &job, &text, &drawing).await {
                    Some(told) => told,
                    None => continue,
                },
                Some(Ok(AggregatedMessage::Ping(bytes))) => {
                    if session.pong(&bytes).await.is_err() { break }
                    continue;
                }
                Some(Ok(AggregatedMessage::Close(_)) | Err(_)) | None => break,
                Some(Ok(_)) => continue,
            },
        };
        if session.text(text).await.is_err() {
            break;
        }
    }
    drawing.stop.store(true, Ordering::Relaxed);
    // The page has gone already when closing fails.
    let _gone = session.close(None).await;
}

/// The houses being drawn for a page.
struct Drawing {
    teller: UnboundedSender<String>,
    stop: Arc<AtomicBool>,
}

async fn answer(
    app: &web::Data<App>,
    job: &JobId,
    text: &str,
    drawing: &Drawing,
) -> Option<String> {
    let ask: Ask = match serde_json::from_str(text) {
        Ok(ask) => ask,
        Err(error) => {
            return Some(json!({ "tell": "error", "message": error.to_string() }).to_string());
        }
    };
    let answer = match ask {
        Ask::Chances { view } => {
            draw(app, job, &view, drawing);
            return None;
        }
        Ask::Stop => {
            drawing.stop.store(true, Ordering::Relaxed);
            return None;
        }
        Ask::Preview { seq, edit, view } => preview(app, job, seq, &edit, view).await,
        Ask::Snap { seq, floor, at, start, length_m, reach_m } => app
            .store
            .site(job)
            .map_err(WebError::Store)
            .map(|(site, _)| snapped(&site, seq, &floor, at, start, length_m, reach_m)),
    };
    let told =
        answer.unwrap_or_else(|error| json!({ "tell": "error", "message": error.to_string() }));
    Some(told.to_string())
}

/// Starts drawing houses beside the channel; it tells how far it is and when it is done.
fn draw(app: &web::Data<App>, job: &JobId, view: &reach::Query, drawing: &Drawing) {
    let (teller, stop) = (drawing.teller.clone(), Arc::clone(&drawing.stop));
    let (shared, job, options) = (app.clone(), job.clone(), reach::options(view));
    stop.store(false, Ordering::Relaxed);
    rt::spawn(async move {
        let app = shared.clone();
        let work = move || {
            // A page that has gone hears nothing and needs nothing.
            let tell = |value: Value| drop(teller.send(value.to_string()));
            let Ok((site, _)) = app.store.site(&job) else { return };
            let analysis = app.analysis(&job, &site, &options);
            let mut go_on = |done: u32| {
                tell(json!({ "tell": "drawing", "done": done, "of": Budget::default().draws }));
                !stop.load(Ordering::Relaxed)
            };
            let found = app.find_chances(&job, &analysis, &mut go_on);
            tell(json!({ "tell": "chances", "draws": found.draws }));
        };
        // A drawing that broke off has told nothing: the page asks again.
        let _broken = shared.compute(work).await;
    });
}

async fn preview(
    app: &web::Data<App>,
    job: &JobId,
    seq: u64,
    edit: &Edit,
    view: reach::Query,
) -> Result<Value, WebError> {
    let (site, revision) = app.store.site(job)?;
    let mut site = Site::clone(&site);
    apply(&mut site, edit).map_err(dot_reach_store::StoreError::Refused)?;
    let (shared, job) = (app.clone(), job.clone());
    let work = move || reach::parts(&shared, &job, &Arc::new(site), revision, &view);
    let html = app.compute(work).await??;
    Ok(json!({ "tell": "preview", "seq": seq, "html": html }))
}

fn snapped(
    site: &Site,
    seq: u64,
    floor: &FloorId,
    at: Spot,
    start: Option<Spot>,
    length: Option<Metres>,
    reach: Metres,
) -> Value {
    let (mut spot, to) = snap::snap(site, floor, start, at, reach);
    if let (Some(start), Some(length)) = (start, length) {
        spot = snap::at_length(start, spot, length);
    }
    let drawn = start.map(|[x, y]| (spot[0] - x).hypot(spot[1] - y));
    json!({
        "tell": "snap", "seq": seq, "at": spot, "to": to.name(),
        "length": drawn.map(Metres::new).map(|m| format!("{m:.2}")),
    })
}
