//! What changes a job: edits, undo and redo, uploads.

use std::collections::BTreeMap;
use std::fs::File;
use std::io::{Seek, Write};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

use actix_multipart::Multipart;
use actix_web::http::header::{CACHE_CONTROL, CONTENT_DISPOSITION, LOCATION};
use actix_web::{HttpResponse, get, post, web};
use dot_reach_core::confidence::Confidence;
use dot_reach_core::radio::region::Region;
use dot_reach_core::record::{Prepared, Record, Sender, Telling, What};
use dot_reach_core::site::{
    Edit, Job as JobFields, Provenance, Ref, Refusal, Site, Underlay, Wrong, beside,
};
use dot_reach_core::survey::facts::{FactStamp, stamped};
use dot_reach_core::wish::PageRequest;
use dot_reach_formats::told::{Came, ToldReadings};
use dot_reach_formats::{
    ImportFinding, Imported, job_file, ledger_csv, plan_image, readings_csv, tables,
};
use dot_reach_store::{Command, Committed, Image, Reads, Store, StoreError};
use futures_util::TryStreamExt;
use serde::Deserialize;
use serde_json::json;

use crate::app::{News, moment, now};
use crate::door::{AskedJob, Change, ComeTo, Day, For, Keep, Of, Prove, See, Show, TakeAlong};
use crate::error::WebError;
use crate::metrics::Metrics;
use crate::pages::reach;
use crate::trace;

pub(crate) type Answer = Result<HttpResponse, WebError>;

/// By what a change is known: sent with every change.
#[derive(Clone, Debug, Deserialize)]
pub(crate) struct ChangeMark {
    pub(crate) edit_id: String,
    #[serde(default)]
    pub(crate) client: String,
}

/// An edit as a page sends it.
#[derive(Deserialize)]
pub(crate) struct SentEdit {
    edit: PageRequest,
    #[serde(flatten)]
    mark: ChangeMark,
    #[serde(default)]
    base: Option<u64>,
    /// How what is recorded is known; nothing says no more than that it was seen.
    #[serde(default)]
    how: Option<Provenance>,
    /// What the page looks at: the answer then brings its parts along.
    #[serde(default)]
    look: Option<reach::Query>,
}

/// A step through the history.
#[derive(Deserialize)]
pub(crate) struct SentStep {
    #[serde(flatten)]
    mark: ChangeMark,
    #[serde(default)]
    force: bool,
    /// The revision whose change is taken back; one's own last where none is named.
    #[serde(default)]
    of: Option<u64>,
}

pub(crate) fn command(job: &AskedJob, mark: ChangeMark) -> Command {
    Command {
        edit_id: mark.edit_id,
        who: job.caller.person.who.clone(),
        author: job.caller.person.author(&mark.client),
        client: mark.client.chars().take(64).collect(),
        at: now(),
        base: None,
        force: false,
    }
}

/// Keeps what `prepare` makes of the job as it stands, and tells everyone on it.
pub(crate) async fn keep(
    job: &AskedJob,
    command: Command,
    reads: Reads,
    prepare: impl Fn(&Site, &Record) -> Result<Prepared, Refusal> + Send + 'static,
) -> Result<Committed, WebError> {
    let (id, asked) = (job.id.clone(), command.clone());
    let signed = job.caller.signed_in().map(|signed| signed.account.clone());
    let own = job.own_devices().await?;
    let of_another = Arc::new(AtomicBool::new(false));
    let seen = Arc::clone(&of_another);
    let speech = job.speech();
    let entitled = move |site: &Site, record: &Record| {
        let prepared = prepare(site, record)?;
        own.as_ref().map_or(Ok(()), |own| prepared.is_at(own))?;
        if let Some(account) = &signed {
            prepared.entitled(site, account.licence.as_ref().map(|l| l.country.as_str()))?;
            // By whatever door: work on the mains is said by whoever did it. A client signs on another's machine.
            if prepared.entries.iter().any(|e| e.what.is_mains_work() && e.by != account.name) {
                seen.store(true, Ordering::Relaxed);
                return Err(Refusal::Wrong { field: "by".to_owned(), why: Wrong::NotSaid });
            }
        }
        Ok(prepared)
    };
    let keeps = move |store: &Store| store.keep(&id, &asked, reads, entitled);
    let kept = job.app.ask_saying(speech, keeps).await;
    if of_another.load(Ordering::Relaxed) && kept.is_err() {
        let reason =
            format!("you are signed in as {}; what others did, they say themselves", command.who);
        return Err(WebError::field("by", reason));
    }
    let committed = kept?;
    told(job, command, &committed);
    Ok(committed)
}

/// Who puts something on record with a command.
pub(crate) fn caller(command: &Command) -> Sender {
    Sender { name: command.who.clone(), taken: moment(), stem: command.edit_id.clone() }
}

/// Tells everyone on the job, but for what had been taken before.
fn told(job: &AskedJob, command: Command, committed: &Committed) {
    if committed.again {
        return;
    }
    trace::revision(committed.revision);
    Metrics::count(&job.app.metrics.edits);
    let (client, who) = (command.client, command.who);
    job.app.announce(News { job: job.id.clone(), revision: committed.revision, client, who });
}

/// The receipt of a change.
pub(crate) fn receipt(committed: &Committed) -> serde_json::Value {
    let touched: Vec<_> = committed.touched.iter().map(ToString::to_string).collect();
    let entries: Vec<_> =
        committed.entries.iter().map(|(seq, id)| json!({ "seq": seq, "id": id })).collect();
    json!({ "revision": committed.revision, "touched": touched, "entries": entries,
        "again": committed.again })
}

#[post("/jobs/{job}/edits")]
pub(crate) async fn edits(For(job, sent, ..): For<Day, web::Json<SentEdit>>) -> Answer {
    make_edit(job, sent.into_inner()).await
}

async fn make_edit(job: AskedJob, sent: SentEdit) -> Answer {
    let SentEdit { edit, mark, base, how, look } = sent;
    job.may_wish(&edit)?;
    let command = Command { base, ..command(&job, mark) };
    // What is taken out, and how people call it, while it is still there.
    let gone = match &edit {
        PageRequest::Edit(Edit::Remove { kind, id }) => {
            Some(Ref { kind: *kind, id: id.clone().into() })
        }
        _ => None,
    };
    let gone = gone.and_then(|of| Some((job.site.thing(&of)?.name()?, of)));
    let stamp = FactStamp { how, by: command.who.clone(), at: command.at.clone() };
    let committed = keep_wish(&job, command, edit, Some(stamp)).await?;
    let mut answer = receipt(&committed);
    if let Some((name, of)) = gone {
        answer["removed"] = name.into();
        answer["with_it"] = beside(&committed.touched, &of).into();
    }
    if let Some(look) = look {
        let (html, shown) = reach::parts_now(&job, look).await?;
        answer["html"] = html.into();
        answer["shown"] = shown.into();
    }
    Ok(HttpResponse::Ok().json(answer))
}

/// Keeps what is wished. What a house taught is learned before, once, and beside the store.
async fn keep_wish(
    job: &AskedJob,
    command: Command,
    wish: PageRequest,
    stamp: Option<FactStamp>,
) -> Result<Committed, WebError> {
    let caller = caller(&command);
    let reads = match &wish {
        PageRequest::Edit(_) => Reads::Nothing,
        PageRequest::Proving(act) if act.asks_what_is_taught() => Reads::House,
        _ => Reads::All,
    };
    let known = match &wish {
        PageRequest::Proving(act) if act.asks_what_is_taught() => Some(job.proved().await?),
        _ => None,
    };
    keep(job, command, reads, move |site, record| {
        if let (PageRequest::Proving(act), Some(known)) = (&wish, &known) {
            // Somebody changed the job since it was learned: it is learned anew.
            let is_of = *known.0.site == *site && known.1.record == *record;
            return act.clone().prepare(site, record, &caller, Some(known).filter(|_| is_of));
        }
        let mut prepared = wish.clone().prepare(site, record, &caller)?;
        if let Some(stamp) = &stamp {
            prepared.edit = prepared.edit.map(|edit| stamped(edit, stamp));
        }
        Ok(prepared)
    })
    .await
}

#[post("/jobs/{job}/undo")]
pub(crate) async fn undo(For(job, sent, ..): For<Change, web::Json<SentStep>>) -> Answer {
    step(job, sent.into_inner(), false).await
}

#[post("/jobs/{job}/redo")]
pub(crate) async fn redo(For(job, sent, ..): For<Change, web::Json<SentStep>>) -> Answer {
    step(job, sent.into_inner(), true).await
}

async fn step(job: AskedJob, SentStep { mark, force, of }: SentStep, again: bool) -> Answer {
    let command = Command { force, ..command(&job, mark) };
    let (id, asked) = (job.id.clone(), command.clone());
    let committed = job
        .app
        .ask(move |store| match (again, of) {
            (true, _) => store.redo(&id, &asked),
            (false, Some(of)) => store.put_back(&id, &asked, of),
            (false, None) => store.undo(&id, &asked),
        })
        .await?;
    told(&job, command, &committed);
    Ok(HttpResponse::Ok().json(receipt(&committed)))
}

/// A new job as the form sends it.
#[derive(Deserialize)]
pub(crate) struct NewJob {
    name: String,
    region: Region,
    confidence: f64,
}

#[post("/jobs")]
pub(crate) async fn new_job(Of(caller, form, ..): Of<Keep, web::Json<NewJob>>) -> Answer {
    let app = caller.app.clone();
    let NewJob { name, region, confidence } = form.into_inner();
    let confidence =
        Confidence::new(confidence).map_err(|e| WebError::field("confidence", e.to_string()))?;
    let mut site = Site::first(JobFields::new(name.trim(), region, confidence))
        .map_err(StoreError::Refused)?;
    let id = app
        .ask(move |store| {
            // What the firm keeps in its library, the job keeps from now on itself.
            if let Some(library) = store.library_site()? {
                site.kinds = library.kinds.clone();
                site.rates = library.rates.clone();
                site.constructions = library.constructions.clone();
                site.job.currency.clone_from(&library.job.currency);
            }
            store.create(&site, &now())
        })
        .await?;
    Ok(HttpResponse::Ok().json(json!({ "location": format!("/jobs/{id}/brief") })))
}

/// The library of the firm; made when it is first asked for.
#[get("/library")]
pub(crate) async fn open_library(of: Of<See>) -> Answer {
    let app = of.0.app.clone();
    let sure = Confidence::new(0.95).map_err(|e| WebError::Inside(e.to_string()))?;
    let empty = Site::new(JobFields::new("Library of the firm", Region::Eu, sure));
    let id = app.ask(move |store| store.library(&empty, &now())).await?;
    let there = format!("/jobs/{id}/library");
    Ok(HttpResponse::SeeOther().insert_header((LOCATION, there)).finish())
}

/// The bytes of the first file of a form, at most `most` of them.
pub(crate) async fn uploaded(
    mut form: Multipart,
    most: usize,
    field: &'static str,
) -> Result<Vec<u8>, WebError> {
    let broken = |e: &dyn std::fmt::Display| WebError::field(field, e.to_string());
    let Some(mut part) = form.try_next().await.map_err(|e| broken(&e))? else {
        return Err(WebError::field(field, "choose a file"));
    };
    let mut bytes = Vec::new();
    while let Some(chunk) = part.try_next().await.map_err(|e| broken(&e))? {
        if bytes.len() + chunk.len() > most {
            let reason = format!("the file is larger than {} MB", most / 1024 / 1024);
            return Err(WebError::field(field, reason));
        }
        bytes.extend_from_slice(&chunk);
    }
    Ok(bytes)
}

/// The file of a form, put down on the disk as it comes: a job file is large, and waits for its turn.
pub(crate) async fn spooled(
    mut form: Multipart,
    most: usize,
    field: &'static str,
) -> Result<File, WebError> {
    let broken = |e: &dyn std::fmt::Display| WebError::field(field, e.to_string());
    let full = |e: std::io::Error| WebError::Inside(format!("no room for an upload: {e}"));
    let Some(mut part) = form.try_next().await.map_err(|e| broken(&e))? else {
        return Err(WebError::field(field, "choose a file"));
    };
    let mut file = tempfile::tempfile().map_err(full)?;
    let mut length = 0;
    while let Some(chunk) = part.try_next().await.map_err(|e| broken(&e))? {
        length += chunk.len();
        if length > most {
            let reason = format!("the file is larger than {} MB", most / 1024 / 1024);
            return Err(WebError::field(field, reason));
        }
        file.write_all(&chunk).map_err(full)?;
    }
    file.rewind().map_err(full)?;
    Ok(file)
}

#[post("/jobs/{job}/images")]
pub(crate) async fn upload_image(For(job, form, ..): For<Change, Multipart>) -> Answer {
    let bytes = uploaded(form, plan_image::MOST_BYTES, "image").await?;
    let image = job.compute(move || plan_image::plan(&bytes)).await??;
    let (width, height) = (image.width_px, image.height_px);
    let sha = job.app.ask(move |store| store.keep_image(&stored(image))).await?;
    let underlay = Underlay::first_guess(sha, width, height);
    Ok(HttpResponse::Ok().json(json!({ "underlay": underlay })))
}

/// Keeps a photo, made anew from its pixels alone: what a camera writes beside them stays out.
#[post("/jobs/{job}/photos")]
pub(crate) async fn upload_photo(For(job, form, ..): For<Change, Multipart>) -> Answer {
    let bytes = uploaded(form, plan_image::MOST_BYTES, "image").await?;
    let image = job.compute(move || plan_image::photo(&bytes)).await??;
    let sha = job.app.ask(move |store| store.keep_image(&stored(image))).await?;
    Ok(HttpResponse::Ok().json(json!({ "image": sha, "at": now(), "by": job.caller.person.who })))
}

/// What an edit holds where the photo that comes with it is to be named.
const THE_PHOTO: &str = "the-photo";

/// Keeps a photo and makes the edit that names it, as one: whoever was without a connection sends both when
/// it is back, and sent twice they are taken once.
#[post("/jobs/{job}/photo-edits")]
pub(crate) async fn photo_edit(For(job, mut form, ..): For<Day, Multipart>) -> Answer {
    let broken = |e: &dyn std::fmt::Display| WebError::field("image", e.to_string());
    let (mut image, mut sent) = (Vec::new(), Vec::new());
    while let Some(mut part) = form.try_next().await.map_err(|e| broken(&e))? {
        let into = match part.name() {
            Some("image") => &mut image,
            Some("edit") => &mut sent,
            _ => continue,
        };
        while let Some(chunk) = part.try_next().await.map_err(|e| broken(&e))? {
            if into.len() + chunk.len() > plan_image::MOST_BYTES {
                return Err(WebError::field("image", "the photo is too large"));
            }
            into.extend_from_slice(&chunk);
        }
    }
    let text = String::from_utf8(sent).map_err(|e| WebError::field("edit", e.to_string()))?;
    let image = job.compute(move || plan_image::photo(&image)).await??;
    let sha = job.app.ask(move |store| store.keep_image(&stored(image))).await?;
    let sent: SentEdit = serde_json::from_str(&text.replace(THE_PHOTO, &sha))
        .map_err(|e| WebError::field("edit", e.to_string()))?;
    make_edit(job, sent).await
}

pub(crate) fn stored(image: plan_image::CheckedImage) -> Image {
    Image {
        media_type: image.media_type.to_owned(),
        width_px: image.width_px,
        height_px: image.height_px,
        bytes: image.bytes,
    }
}

#[get("/images/{sha}")]
pub(crate) async fn show_image(of: Of<Show>, sha: web::Path<String>) -> Answer {
    let found = of.0.app.clone().ask(move |store| store.image(&sha)).await?;
    let image = found.ok_or(WebError::NotFound("image"))?;
    Ok(HttpResponse::Ok()
        .content_type(image.media_type)
        .insert_header((CACHE_CONTROL, "private, max-age=31536000, immutable"))
        .body(image.bytes))
}

/// Readings as text, typed or from a file.
#[derive(Deserialize)]
pub(crate) struct SentReadings {
    csv: String,
    #[serde(default)]
    source: String,
    #[serde(flatten)]
    mark: ChangeMark,
}

#[post("/jobs/{job}/readings")]
pub(crate) async fn readings(For(job, sent, ..): For<Prove, web::Json<SentReadings>>) -> Answer {
    let SentReadings { csv, source, mark } = sent.into_inner();
    let source = if source.is_empty() { "typed".to_owned() } else { source };
    let now = moment();
    let stem = drawn("r");
    take_told(&job, mark, move |site, record| {
        let came = Came { source: &source, now: &now, stem: &stem };
        let read = if tables::is_meant(&csv) { tables::read } else { readings_csv::read };
        read(site, record, &csv, came).map(ToSay::from)
    })
    .await
}

/// A word that nobody else draws, for ids.
pub(crate) fn drawn(stem: &str) -> String {
    let drawn = uuid::Uuid::new_v4().simple().to_string();
    format!("{stem}{}", &drawn[..10])
}

/// Makes an edit that was worked out here.
pub(crate) async fn take_edit(
    job: &AskedJob,
    mark: ChangeMark,
    edit: Edit,
) -> Result<(), WebError> {
    keep(job, command(job, mark), Reads::Nothing, move |_, _| {
        Ok(Prepared { edit: Some(edit.clone()), entries: Vec::new() })
    })
    .await?;
    Ok(())
}

/// What was read of a table, once it is kept.
type Read = Arc<Mutex<(usize, usize, Vec<ImportFinding>)>>;

fn note_read(read: &Read, taken: usize, again: usize, findings: Vec<ImportFinding>) {
    // Of several tries the last counts.
    *read.lock().unwrap_or_else(PoisonError::into_inner) = (taken, again, findings);
}

fn read_told(read: &Read, committed: &Committed) -> serde_json::Value {
    let (taken, again, findings) = &*read.lock().unwrap_or_else(PoisonError::into_inner);
    let findings: Vec<_> =
        findings.iter().map(|f| json!({ "place": f.place, "reason": f.reason })).collect();
    // A receipt tells what was taken then.
    let taken = if committed.again { committed.entries.len() } else { *taken };
    json!({ "taken": taken, "again": again, "findings": findings })
}

/// Makes one edit of the lines that could be read, and names those that could not: how many were taken,
/// and what was wrong. Where others change the job meanwhile, they are read anew.
pub(crate) async fn take_lines(
    job: &AskedJob,
    mark: ChangeMark,
    read: impl Fn(&Site, &Record) -> Imported<Vec<Edit>> + Send + 'static,
) -> Result<serde_json::Value, WebError> {
    let told = Read::default();
    let note = Arc::clone(&told);
    let committed = keep(job, command(job, mark), Reads::All, move |site, record| {
        let Imported { value, findings } = read(site, record);
        note_read(&note, value.len(), 0, findings);
        let edit = (!value.is_empty()).then(|| Edit::batch(value));
        Ok(Prepared { edit, entries: Vec::new() })
    })
    .await?;
    Ok(read_told(&told, &committed))
}

/// What was read to be put on record: what happened, and how many rows that is of, new and known before.
pub(crate) struct ToSay {
    pub(crate) what: Vec<What>,
    pub(crate) new: usize,
    pub(crate) again: usize,
}

/// Puts on record what a table tells, and names what could not be read.
pub(crate) async fn take_told(
    job: &AskedJob,
    mark: ChangeMark,
    read: impl Fn(&Site, &Record) -> Imported<ToSay> + Send + 'static,
) -> Answer {
    let told = Read::default();
    let note = Arc::clone(&told);
    let command = command(job, mark);
    let caller = caller(&command);
    let committed = keep(job, command, Reads::All, move |site, record| {
        let Imported { value, findings } = read(site, record);
        note_read(&note, value.new, value.again, findings);
        let tellings = value.what.into_iter().map(|what| Telling::new(what, None, None));
        Ok(Prepared { edit: None, entries: caller.entries(site, tellings) })
    })
    .await?;
    Ok(HttpResponse::Ok().json(read_told(&told, &committed)))
}

/// Of readings each is a row.
impl From<ToldReadings> for ToSay {
    fn from(ToldReadings { new, again }: ToldReadings) -> Self {
        Self { new: new.len(), what: new, again }
    }
}

pub(crate) fn download(name: &str, media: &'static str, body: impl Into<Vec<u8>>) -> HttpResponse {
    HttpResponse::Ok()
        .content_type(media)
        .insert_header((CONTENT_DISPOSITION, format!("attachment; filename=\"{name}\"")))
        .body(body.into())
}

/// What a file is to hold beside the usual: join codes open the network of the house, and go along where they are asked for.
#[derive(Deserialize)]
pub(crate) struct With {
    #[serde(default)]
    codes: u8,
}

#[get("/jobs/{job}/{file}.json")]
pub(crate) async fn export(For(job, with, ..): For<TakeAlong, web::Query<With>>) -> Answer {
    let (id, site, record) = (job.id.clone(), Arc::clone(&job.site), Arc::clone(&job.record));
    let has_codes = with.codes == 1 && job.caller.may_see_codes();
    let written = job
        .app
        .ask(move |store| {
            let record = if has_codes { record } else { Arc::new(record.without_codes()) };
            let mut images = BTreeMap::new();
            for sha in job_file::images_named(&site, &record) {
                if let Some(image) = store.image(sha)? {
                    images.insert(sha.clone(), image.bytes);
                }
            }
            Ok(job_file::write(Some(&store.uid(&id)?), &site, &record, &images)?)
        })
        .await?;
    Ok(download(&format!("{}.json", job.id), "application/json", written))
}

#[get("/jobs/{job}/ledger.csv")]
pub(crate) async fn ledger(For(job, ..): For<See>) -> Answer {
    let analysis = job.analysed().await?;
    let text = job.compute(move || ledger_csv::write(&analysis)).await?;
    let text = text.map_err(|e| WebError::Inside(e.to_string()))?;
    Ok(download(&format!("{}-ledger.csv", job.id), "text/csv; charset=utf-8", text))
}

#[get("/jobs/{job}/readings.csv")]
pub(crate) async fn readings_out(For(job, ..): For<See>) -> Answer {
    let record = Arc::clone(&job.record);
    let text = job.compute(move || readings_csv::write(&record)).await?;
    let text = text.map_err(|e| WebError::Inside(e.to_string()))?;
    Ok(download(&format!("{}-readings.csv", job.id), "text/csv; charset=utf-8", text))
}

#[get("/jobs/{job}/tables.json")]
pub(crate) async fn tables_out(For(job, ..): For<See>) -> Answer {
    let record = Arc::clone(&job.record);
    let text = job.compute(move || tables::write(&record).to_string()).await?;
    Ok(download(&format!("{}-tables.json", job.id), "application/json", text))
}

#[get("/job-file.schema.json")]
pub(crate) async fn schema() -> HttpResponse {
    HttpResponse::Ok().json(job_file::schema())
}

#[get("/jobs/{job}")]
pub(crate) async fn open(For(job, ..): For<ComeTo>) -> Answer {
    let there = job.caller.first_page(job.id.as_str(), job.site.devices.is_empty());
    Ok(HttpResponse::SeeOther().insert_header((LOCATION, there)).finish())
}
