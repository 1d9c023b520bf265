//! Job files brought in: read as long work, so that a page sees how far it is and can break it off.

use std::ops::ControlFlow;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Duration;

use actix_multipart::Multipart;
use actix_web::{HttpResponse, ResponseError, delete, get, post, web};
use dot_reach_formats::job_file;
use serde_json::{Value, json};

use crate::app::{App, now};
use crate::commands::{Answer, stored, uploaded};
use crate::error::WebError;
use crate::work::{Found, Question, Ticket};

/// How long an answer waits for the end before it says how far it is.
const AT_ONCE: Duration = Duration::from_secs(2);

/// Every import has its own number: the same file brought in twice makes two jobs.
static NEXT: AtomicU64 = AtomicU64::new(1);

#[post("/jobs/import")]
pub(crate) async fn begin(form: Multipart, app: web::Data<App>) -> Answer {
    let bytes = uploaded(form, job_file::MOST_BYTES, "file").await?;
    let number = NEXT.fetch_add(1, Ordering::Relaxed);
    let shared = app.clone();
    let ticket = app.work.begin(Question::Import(number), move |pulse| {
        let read = import(&shared, &bytes, pulse).transpose()?;
        Some(Found::Import(Arc::new(read)))
    });
    told(number, &ticket).await
}

#[get("/imports/{number}")]
pub(crate) async fn show(number: web::Path<u64>, app: web::Data<App>) -> Answer {
    let ticket = app.work.ticket(&Question::Import(*number)).ok_or(WebError::NotFound("import"))?;
    told(*number, &ticket).await
}

#[delete("/imports/{number}")]
pub(crate) async fn stop(number: web::Path<u64>, app: web::Data<App>) -> Answer {
    let ticket = app.work.ticket(&Question::Import(*number)).ok_or(WebError::NotFound("import"))?;
    ticket.stop();
    Ok(HttpResponse::NoContent().finish())
}

/// The new job, or why there is none; how far it is, while it is not over.
async fn told(number: u64, ticket: &Arc<Ticket>) -> Answer {
    let found = ticket.within(AT_ONCE).await;
    if let Some(Found::Import(read)) = found {
        return Ok(match &*read {
            Ok(made) => HttpResponse::Ok().json(made),
            Err(error) => error.error_response(),
        });
    }
    if ticket.is_over() {
        let stopped = "it was stopped: nothing was brought in";
        return Err(WebError::field("file", stopped));
    }
    let (done, of) = ticket.progress();
    let body = json!({ "import": format!("/imports/{number}"), "done": done, "of": of });
    Ok(HttpResponse::Accepted().json(body))
}

/// Reads a job file and keeps its job; nothing when it is broken off.
fn import(
    app: &App,
    bytes: &[u8],
    pulse: &mut dyn FnMut(usize, usize) -> ControlFlow<()>,
) -> Result<Option<Value>, WebError> {
    let Some(read) = job_file::read_while(bytes, pulse)? else { return Ok(None) };
    let findings: Vec<_> =
        read.findings.iter().map(|f| format!("{}: {}", f.place, f.reason)).collect();
    let id = app.ask_here(|store| {
        for image in read.value.images.into_values() {
            store.keep_image(&stored(image))?;
        }
        store.create(&read.value.site, &now())
    })?;
    Ok(Some(json!({ "location": format!("/jobs/{id}/reach"), "findings": findings })))
}
