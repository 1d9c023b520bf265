//! Job files brought in: read as long work, so that a page sees how far it is and can break it off.

use std::io::Read;
use std::ops::ControlFlow;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

use actix_multipart::Multipart;
use actix_web::{HttpResponse, ResponseError, delete, get, post, web};
use dot_reach_accounts::Account;
use dot_reach_core::record::Folder;
use dot_reach_formats::Imported;
use dot_reach_formats::job_file::{self, ReadJob};
use dot_reach_store::{Command, JobId, Reads, Store};
use serde::Deserialize;
use serde_json::{Value, json};

use crate::app::{App, News, now};
use crate::commands::{Answer, spooled, stored};
use crate::door::{Keep, Of};
use crate::error::WebError;
use crate::work::{Question, Ticket, WorkFound};

/// How long an answer waits for the end before it says how far it is.
const AT_ONCE: Duration = Duration::from_secs(2);

/// Every import has its own number: the same file brought in twice makes two jobs.
static NEXT: AtomicU64 = AtomicU64::new(1);

/// What is to be done where a job of the file's name is here already.
#[derive(Clone, Copy, Default, Deserialize)]
#[serde(rename_all = "lowercase")]
enum Known {
    /// Another job beside it.
    #[default]
    Copy,
    /// The answer says so, and nothing is brought in.
    Ask,
    /// That job becomes what the file holds, as one change.
    Update,
}

#[derive(Deserialize)]
pub(crate) struct Query {
    #[serde(default)]
    known: Known,
    /// By what the change is known where a job is brought up to date; made where none is given.
    #[serde(default)]
    edit_id: String,
    #[serde(default)]
    client: String,
}

/// Who brings a file in: as whom they do, and who signed in.
struct Bearer {
    command: Command,
    account: Option<Account>,
}

#[post("/jobs/import")]
pub(crate) async fn begin(
    Of(caller, (query, form), ..): Of<Keep, (web::Query<Query>, Multipart)>,
) -> Answer {
    let account = caller.signed_in().map(|signed| signed.account.clone());
    let (app, person) = (caller.app.clone(), caller.person);
    let mut file = spooled(form, job_file::MOST_BYTES, "file").await?;
    let number = NEXT.fetch_add(1, Ordering::Relaxed);
    let shared = app.clone();
    let Query { known, edit_id, client } = query.into_inner();
    let edit_id = if edit_id.is_empty() { format!("import-{number}-{}", now()) } else { edit_id };
    let author = person.author(&client);
    let at = now();
    let command =
        Command { edit_id, who: person.who, author, client, at, base: None, force: false };
    let bearer = Bearer { command, account };
    let ticket = app.work.begin(Question::Import(number), move |pulse| {
        let mut bytes = Vec::new();
        let read = file.read_to_end(&mut bytes).map_err(|e| WebError::Inside(e.to_string()));
        let read = read.and_then(|_| import(&shared, &bytes, known, &bearer, pulse)).transpose()?;
        Some(WorkFound::Import(Arc::new(read)))
    });
    told(number, &ticket).await
}

#[get("/imports/{number}")]
pub(crate) async fn show(of: Of<Keep>, number: web::Path<u64>) -> Answer {
    let app = of.0.app.clone();
    let ticket = app.work.ticket(&Question::Import(*number)).ok_or(WebError::NotFound("import"))?;
    told(*number, &ticket).await
}

#[delete("/imports/{number}")]
pub(crate) async fn stop(of: Of<Keep>, number: web::Path<u64>) -> Answer {
    let app = of.0.app.clone();
    let ticket = app.work.ticket(&Question::Import(*number)).ok_or(WebError::NotFound("import"))?;
    ticket.stop();
    Ok(HttpResponse::NoContent().finish())
}

/// The new job, or why there is none; how far it is, while it is not over.
async fn told(number: u64, ticket: &Arc<Ticket>) -> Answer {
    let found = ticket.within(AT_ONCE).await;
    if let Some(WorkFound::Import(read)) = found {
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
    known: Known,
    bearer: &Bearer,
    pulse: &mut dyn FnMut(usize, usize) -> ControlFlow<()>,
) -> Result<Option<Value>, WebError> {
    let Some(Imported { value, findings }) = job_file::read_while(bytes, pulse)? else {
        return Ok(None);
    };
    let findings: Vec<_> = findings.iter().map(|f| format!("{}: {}", f.place, f.reason)).collect();
    let ReadJob { id: uid, site, record, images } = value;
    let here = match &uid {
        Some(uid) => app.ask_here(|store| store.job_of_uid(uid))?,
        None => None,
    };
    if let (Known::Ask, Some(here)) = (known, &here) {
        let now = app.ask_here(|store| store.open_job(here))?;
        let is_same =
            *now.site == site && (*now.record == record || now.record.without_codes() == record);
        let changed = app.ask_here(Store::jobs)?.into_iter().find(|j| j.id == *here);
        return Ok(Some(json!({ "known": {
            "name": now.site.job.name, "same": is_same,
            "changed": changed.map(|j| j.changed_at.chars().take(10).collect::<String>()).unwrap_or_default(),
            "location": format!("/jobs/{here}/reach"),
        } })));
    }
    app.ask_here(|store| {
        images.into_values().try_for_each(|i| store.keep_image(&stored(i)).map(|_| ()))
    })?;
    let mut findings = findings;
    let id = match (known, here) {
        (Known::Update, Some(here)) => {
            findings.extend(update(app, &here, &Folder { site, record }, bearer)?);
            here
        }
        (_, here) => {
            // A copy of a job that is here is another job.
            let uid = uid.filter(|_| here.is_none());
            app.ask_here(|store| store.create_told(&site, &record, uid.as_deref(), &now()))?
        }
    };
    Ok(Some(json!({ "location": format!("/jobs/{id}/reach"), "findings": findings })))
}

/// Brings a job up to date with a file, as one change of its plan that can be undone. What of the record could not be
/// added is told.
fn update(app: &App, id: &JobId, file: &Folder, bearer: &Bearer) -> Result<Vec<String>, WebError> {
    let Bearer { command, account } = bearer;
    let refused = Mutex::new(Vec::new());
    let committed = app.ask_here(|store| {
        store.keep(id, command, Reads::All, |site, record| {
            let (prepared, left) = file.up_to_date(site, record);
            // A file puts no work on the mains on record here that its bearer could not.
            if let Some(account) = account {
                prepared.entitled(site, account.licence.as_ref().map(|l| l.country.as_str()))?;
            }
            let left = left.into_iter().map(|(id, why)| format!("entry {id} of the record: {why}"));
            *refused.lock().unwrap_or_else(PoisonError::into_inner) = left.collect();
            Ok(prepared)
        })
    })?;
    let (job, revision) = (id.clone(), committed.revision);
    app.announce(News { job, revision, client: command.client.clone(), who: command.who.clone() });
    Ok(refused.into_inner().unwrap_or_else(PoisonError::into_inner))
}
