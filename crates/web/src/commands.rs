//! What changes a job: edits, undo and redo, uploads.

use std::collections::BTreeMap;

use actix_multipart::Multipart;
use actix_web::http::header::{CACHE_CONTROL, CONTENT_DISPOSITION, LOCATION};
use actix_web::{HttpRequest, HttpResponse, get, post, web};
use dot_reach_core::confidence::Confidence;
use dot_reach_core::radio::region::Region;
use dot_reach_core::radio::system::System;
use dot_reach_core::site::{Edit, Network, Site, Underlay};
use dot_reach_formats::{Imported, job_file, ledger_csv, plan_image, readings_csv};
use dot_reach_store::{Command, Committed, Image, JobId, StoreError};
use futures_util::TryStreamExt;
use serde::Deserialize;
use serde_json::json;

use crate::app::{App, News, now};
use crate::error::WebError;
use crate::pages::analysed;

pub(crate) type Answer = Result<HttpResponse, WebError>;

/// An edit as a page sends it.
#[derive(Deserialize)]
pub(crate) struct SentEdit {
    edit: Edit,
    edit_id: String,
    client: String,
    #[serde(default)]
    base: Option<u64>,
}

/// The name that the person gave on the jobs page.
pub(crate) fn who(request: &HttpRequest) -> String {
    let name = request.cookie("who").map(|c| c.value().to_owned()).unwrap_or_default();
    let name: String =
        percent_decoded(&name).chars().filter(|c| !c.is_control()).take(40).collect();
    if name.trim().is_empty() { "planner".to_owned() } else { name }
}

fn percent_decoded(text: &str) -> String {
    let mut bytes = Vec::new();
    let mut rest = text.bytes();
    while let Some(byte) = rest.next() {
        let hex = |b: Option<u8>| b.and_then(|b| char::from(b).to_digit(16));
        if byte == b'%'
            && let (Some(high), Some(low)) = (hex(rest.next()), hex(rest.next()))
        {
            bytes.push(u8::try_from(high * 16 + low).unwrap_or(b'?'));
        } else {
            bytes.push(byte);
        }
    }
    String::from_utf8_lossy(&bytes).into_owned()
}

fn command(request: &HttpRequest, sent: SentEdit) -> Command {
    Command {
        edit: sent.edit,
        edit_id: sent.edit_id.chars().take(64).collect(),
        client: sent.client.chars().take(64).collect(),
        who: who(request),
        at: now(),
        base: sent.base,
    }
}

pub(crate) fn done(
    app: &App,
    job: &JobId,
    command: &Command,
    committed: &Committed,
) -> HttpResponse {
    let (client, who) = (command.client.clone(), command.who.clone());
    app.announce(News { job: job.clone(), revision: committed.revision, client, who });
    HttpResponse::Ok().json(json!({ "revision": committed.revision, "touched": committed.touched }))
}

#[post("/jobs/{job}/edits")]
pub(crate) async fn make_edit(
    request: HttpRequest,
    job: web::Path<String>,
    sent: web::Json<SentEdit>,
    app: web::Data<App>,
) -> Answer {
    let job: JobId = job.parse()?;
    let command = command(&request, sent.into_inner());
    let committed = app.store.edit(&job, &command)?;
    Ok(done(&app, &job, &command, &committed))
}

/// A step through the history.
#[derive(Deserialize)]
pub(crate) struct SentStep {
    client: String,
    edit_id: String,
}

#[post("/jobs/{job}/undo")]
pub(crate) async fn undo(
    request: HttpRequest,
    job: web::Path<String>,
    sent: web::Json<SentStep>,
    app: web::Data<App>,
) -> Answer {
    let (job, command) = step(&request, &job, sent.into_inner())?;
    let committed = app.store.undo(&job, &command)?;
    Ok(done(&app, &job, &command, &committed))
}

#[post("/jobs/{job}/redo")]
pub(crate) async fn redo(
    request: HttpRequest,
    job: web::Path<String>,
    sent: web::Json<SentStep>,
    app: web::Data<App>,
) -> Answer {
    let (job, command) = step(&request, &job, sent.into_inner())?;
    let committed = app.store.redo(&job, &command)?;
    Ok(done(&app, &job, &command, &committed))
}

fn step(request: &HttpRequest, job: &str, sent: SentStep) -> Result<(JobId, Command), WebError> {
    let edit = Edit::Batch { edits: Vec::new() };
    let sent = SentEdit { edit, edit_id: sent.edit_id, client: sent.client, base: None };
    Ok((job.parse()?, command(request, sent)))
}

/// A new job as the form sends it.
#[derive(Deserialize)]
pub(crate) struct NewJob {
    name: String,
    region: Region,
    confidence: f64,
}

#[post("/jobs")]
pub(crate) async fn new_job(form: web::Json<NewJob>, app: web::Data<App>) -> Answer {
    let NewJob { name, region, confidence } = form.into_inner();
    if name.trim().is_empty() || name.chars().count() > 120 {
        let reason = "give the job a name of at most 120 characters".to_owned();
        return Err(WebError::Field { field: "name", reason });
    }
    let confidence = Confidence::new(confidence)
        .map_err(|e| WebError::Field { field: "confidence", reason: e.to_string() })?;
    let mut site = Site::new(name.trim(), region, confidence);
    // A network a system, so that the first hub has one to belong to.
    for (id, system) in
        [("zigbee", System::Zigbee), ("zwave", System::ZWave), ("star", System::Star)]
    {
        if let Ok(id) = id.parse() {
            site.networks.put(Network::new(id, system.name(), system));
        }
    }
    let id = app.store.create(&site, &now())?;
    Ok(HttpResponse::Ok().json(json!({ "location": format!("/jobs/{id}/survey") })))
}

/// The bytes of the first file of a form, at most `most` of them.
async fn uploaded(
    mut form: Multipart,
    most: usize,
    field: &'static str,
) -> Result<Vec<u8>, WebError> {
    let broken = |e: &dyn std::fmt::Display| WebError::Field { field, reason: e.to_string() };
    let Some(mut part) = form.try_next().await.map_err(|e| broken(&e))? else {
        return Err(WebError::Field { field, reason: "choose a file".to_owned() });
    };
    let mut bytes = Vec::new();
    while let Some(chunk) = part.try_next().await.map_err(|e| broken(&e))? {
        if bytes.len() + chunk.len() > most {
            let reason = format!("the file is larger than {} MB", most / 1024 / 1024);
            return Err(WebError::Field { field, reason });
        }
        bytes.extend_from_slice(&chunk);
    }
    Ok(bytes)
}

#[post("/jobs/{job}/images")]
pub(crate) async fn upload_image(
    job: web::Path<String>,
    form: Multipart,
    app: web::Data<App>,
) -> Answer {
    let job: JobId = job.parse()?;
    app.store.site(&job)?;
    let bytes = uploaded(form, plan_image::MOST_BYTES, "image").await?;
    let image = app.compute(move || plan_image::check(bytes)).await??;
    let (width, height) = (image.width_px, image.height_px);
    let sha = app.store.keep_image(&stored(image))?;
    let underlay = Underlay::first_guess(sha, width, height);
    Ok(HttpResponse::Ok().json(json!({ "underlay": underlay })))
}

fn stored(image: plan_image::CheckedImage) -> Image {
    Image {
        media_type: image.media_type.to_owned(),
        width_px: image.width_px,
        height_px: image.height_px,
        bytes: image.bytes,
    }
}

#[get("/images/{sha}")]
pub(crate) async fn show_image(sha: web::Path<String>, app: web::Data<App>) -> Answer {
    let image = app.store.image(&sha)?.ok_or(WebError::NotFound("image"))?;
    Ok(HttpResponse::Ok()
        .content_type(image.media_type)
        .insert_header((CACHE_CONTROL, "private, max-age=31536000, immutable"))
        .body(image.bytes))
}

#[post("/jobs/import")]
pub(crate) async fn import(form: Multipart, app: web::Data<App>) -> Answer {
    let bytes = uploaded(form, job_file::MOST_BYTES, "file").await?;
    let read = app.compute(move || job_file::read(&bytes)).await??;
    for image in read.value.images.into_values() {
        app.store.keep_image(&stored(image))?;
    }
    let id = app.store.create(&read.value.site, &now())?;
    let findings: Vec<_> =
        read.findings.iter().map(|f| format!("{}: {}", f.place, f.reason)).collect();
    Ok(HttpResponse::Ok()
        .json(json!({ "location": format!("/jobs/{id}/reach"), "findings": findings })))
}

/// Readings as text, typed or from a file.
#[derive(Deserialize)]
pub(crate) struct SentReadings {
    csv: String,
    #[serde(default)]
    source: String,
    client: String,
    edit_id: String,
}

#[post("/jobs/{job}/readings")]
pub(crate) async fn readings(
    request: HttpRequest,
    job: web::Path<String>,
    sent: web::Json<SentReadings>,
    app: web::Data<App>,
) -> Answer {
    let job: JobId = job.parse()?;
    let sent = sent.into_inner();
    if sent.csv.len() > readings_csv::MOST_BYTES {
        let reason = "more than 4 MB of readings at once; send fewer".to_owned();
        return Err(WebError::Field { field: "csv", reason });
    }
    let (site, _) = app.store.site(&job)?;
    let source = if sent.source.is_empty() { "typed".to_owned() } else { sent.source };
    let read = readings_csv::read(&site, &sent.csv, &source);
    take_lines(&request, &job, &app, read, (sent.client, sent.edit_id))
}

/// Makes one edit of the lines that could be read, and names those that could not.
pub(crate) fn take_lines(
    request: &HttpRequest,
    job: &JobId,
    app: &App,
    read: Imported<Vec<Edit>>,
    (client, edit_id): (String, String),
) -> Answer {
    let findings: Vec<_> =
        read.findings.iter().map(|f| json!({ "place": f.place, "reason": f.reason })).collect();
    let taken = read.value.len();
    if taken > 0 {
        let edit = Edit::Batch { edits: read.value };
        let command = command(request, SentEdit { edit, edit_id, client, base: None });
        let committed = app.store.edit(job, &command)?;
        done(app, job, &command, &committed);
    }
    Ok(HttpResponse::Ok().json(json!({ "taken": taken, "findings": findings })))
}

pub(crate) fn download(name: &str, media: &'static str, body: impl Into<Vec<u8>>) -> HttpResponse {
    HttpResponse::Ok()
        .content_type(media)
        .insert_header((CONTENT_DISPOSITION, format!("attachment; filename=\"{name}\"")))
        .body(body.into())
}

#[get("/jobs/{job}/{file}.json")]
pub(crate) async fn export(path: web::Path<(String, String)>, app: web::Data<App>) -> Answer {
    let job: JobId = path.0.parse()?;
    let (site, _) = app.store.site(&job)?;
    let mut images = BTreeMap::new();
    for underlay in site.floors.iter().filter_map(|f| f.underlay.as_ref()) {
        if let Some(image) = app.store.image(&underlay.image)? {
            images.insert(underlay.image.clone(), image.bytes);
        }
    }
    let bytes = job_file::write(&site, &images).map_err(StoreError::Row)?;
    Ok(download(&format!("{job}.json"), "application/json", bytes))
}

#[get("/jobs/{job}/ledger.csv")]
pub(crate) async fn ledger(job: web::Path<String>, app: web::Data<App>) -> Answer {
    let job: JobId = job.parse()?;
    let (site, _) = app.store.site(&job)?;
    let analysis = analysed(&app, &job, &site).await?;
    let text = ledger_csv::write(&analysis).map_err(|e| WebError::Inside(e.to_string()))?;
    Ok(download(&format!("{job}-ledger.csv"), "text/csv; charset=utf-8", text))
}

#[get("/jobs/{job}/readings.csv")]
pub(crate) async fn readings_out(job: web::Path<String>, app: web::Data<App>) -> Answer {
    let job: JobId = job.parse()?;
    let (site, _) = app.store.site(&job)?;
    let text = readings_csv::write(&site).map_err(|e| WebError::Inside(e.to_string()))?;
    Ok(download(&format!("{job}-readings.csv"), "text/csv; charset=utf-8", text))
}

#[get("/job-file.schema.json")]
pub(crate) async fn schema() -> HttpResponse {
    HttpResponse::Ok().json(job_file::schema())
}

#[get("/jobs/{job}")]
pub(crate) async fn open(job: web::Path<String>, app: web::Data<App>) -> Answer {
    let job: JobId = job.parse()?;
    let (site, _) = app.store.site(&job)?;
    let page = if site.devices.is_empty() { "survey" } else { "reach" };
    Ok(HttpResponse::SeeOther().insert_header((LOCATION, format!("/jobs/{job}/{page}"))).finish())
}
