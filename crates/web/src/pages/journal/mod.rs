//! Every change ever made to the plan of a job, and all that is on record of it.

mod told;

use std::collections::BTreeSet;

use actix_web::{HttpResponse, get, post, web};
use askama::Template;
use dot_reach_core::site::{Edit, Kind, Ref, Thing, Touch, field_in_words};
use dot_reach_store::{JournalAct, JournalRow};
use serde::Deserialize;
use serde_json::{Value, json};

use crate::commands::Answer;
use crate::door::{For, Keep, See};
use crate::error::WebError;
use crate::pages::house_time::day;
use crate::pages::reach::details::plural;
use crate::pages::{Shell, printed};
use crate::server::Server;

#[derive(Template)]
#[template(path = "journal/page.html")]
struct Page {
    shell: Shell,
    entries: Vec<Line>,
    told: Vec<told::Told>,
    /// The place from which earlier entries of the record go on; nothing where these are all.
    earlier: Option<usize>,
    /// The revision before which earlier changes of the plan go on.
    before: Option<u64>,
    /// What the job is called, and whether it may be deleted here: a variant is put aside instead.
    name: String,
    can_go: bool,
}

/// From which entry of the record down, and from which change of the plan.
#[derive(Deserialize)]
pub(crate) struct Below {
    below: Option<usize>,
    before: Option<u64>,
}

struct Line {
    revision: u64,
    at: String,
    who: String,
    what: String,
    touched: String,
}

/// How many entries one page shows.
const MOST: u32 = 500;

#[get("/jobs/{job}/journal")]
pub(crate) async fn show(
    For(job, query, ..): For<See, web::Query<Below>>,
) -> Result<HttpResponse, WebError> {
    let shell = job.shell("journal");
    let id = job.id.clone();
    let (below, before) = (query.below, query.before.unwrap_or(u64::MAX));
    let entries = job.app.ask(move |store| store.journal(&id, before, MOST)).await?;
    printed(job, move |job| {
        let entries: Vec<Line> = entries.into_iter().map(line).collect();
        let below = below.unwrap_or(usize::MAX);
        let told = told::lines(&job.record, &job.site, below, MOST as usize);
        let earlier = told.last().map(|t| t.place - 1).filter(|place| *place > 0);
        let is_full = entries.len() == MOST as usize;
        let before = entries.last().filter(|_| is_full).map(|e| e.revision);
        let name = job.site.job.name.clone();
        let can_go = job.variant.is_none() && !job.id.is_library() && shell.keeps();
        Ok(Page { shell, entries, told, earlier, before, name, can_go })
    })
    .await
}

/// Under which name a job goes.
#[derive(Deserialize)]
pub(crate) struct SentName {
    name: String,
}

/// Deletes a job with all that hangs on it, for who writes its name.
#[post("/jobs/{job}/delete")]
pub(crate) async fn delete(
    For(job, sent, ..): For<Keep, web::Json<SentName>>,
    server: web::Data<Server>,
) -> Answer {
    if sent.name.trim() != job.site.job.name.trim() {
        return Err(WebError::field("name", "write the name of the job, as it stands above"));
    }
    let id = job.id.clone();
    job.app.ask(move |store| store.delete(&id)).await?;
    // Links to it go with it.
    if let Some(signed) = job.caller.signed_in() {
        let (firm, uid) = (signed.account.firm.clone(), job.uid.clone());
        server.firms()?.ask(move |accounts| accounts.delete_links(&firm, &uid)).await?;
    }
    Ok(HttpResponse::Ok().json(json!({ "location": "/" })))
}

fn line(entry: JournalRow) -> Line {
    let done = entry.edit.as_ref().map_or_else(|| told_by(&entry.touched), words);
    let what = match (entry.act, entry.of_revision) {
        (JournalAct::Undo, Some(of)) => format!("Took back change {of}: {done}"),
        (JournalAct::Redo, Some(of)) => format!("Made change {of} again: {done}"),
        _ => capital(&done),
    };
    let things: BTreeSet<_> = entry.touched.iter().map(|touch| &touch.thing).collect();
    let touched = if things.len() <= 3 {
        let named = |of: &&Ref| format!("{} {}", of.kind.called(), of.id);
        things.iter().map(named).collect::<Vec<_>>().join(", ")
    } else {
        format!("{} things", things.len())
    };
    Line { revision: entry.revision, at: day(&entry.at), who: entry.who, what, touched }
}

/// What was done, told by what it touched.
fn told_by(touched: &[Touch]) -> String {
    match touched {
        [] => "nothing".to_owned(),
        [one] => format!("changed {}", a(one.thing.kind)),
        [first, ..] => format!("changed {}, and {} more", a(first.thing.kind), touched.len() - 1),
    }
}

fn capital(text: &str) -> String {
    let mut letters = text.chars();
    letters
        .next()
        .map(|c| c.to_uppercase().collect::<String>() + letters.as_str())
        .unwrap_or_default()
}

fn a(kind: Kind) -> String {
    match kind {
        Kind::Job | Kind::Calibration => format!("the {}", kind.called()),
        _ => format!("a {}", kind.called()),
    }
}

/// An edit in a few words.
fn words(edit: &Edit) -> String {
    match edit {
        Edit::Put(thing) => put_words(thing),
        Edit::Set { kind, field, value, .. } => set_words(*kind, field, value),
        Edit::Remove { kind, .. } => format!("removed {}", a(*kind)),
        Edit::Batch { edits } => match edits.as_slice() {
            [] => "nothing".to_owned(),
            [one] => words(one),
            [first, ..] => format!("{}, and {} more", words(first), edits.len() - 1),
        },
    }
}

fn put_words(thing: &Thing) -> String {
    match thing {
        Thing::Job(_) => "changed the brief".to_owned(),
        Thing::Calibration(taught) => {
            format!("calibrated by {}", plural(taught.readings, "reading", "readings"))
        }
        Thing::Wall(wall) => format!("set a wall of {}", wall.construction),
        Thing::Slab(slab) => format!("set a floor of {}", slab.construction),
        Thing::Scan(scan) => format!("recorded {} in a scan", scan.carrier.name()),
        Thing::Control(_) => "set a control".to_owned(),
        Thing::Emitter(emitter) => format!("set {} on the air", emitter.name),
        other => match other.name() {
            Some(name) => format!("set {} {name}", other.of().kind.called()),
            None => format!("set {}", a(other.of().kind)),
        },
    }
}

fn set_words(kind: Kind, field: &str, value: &Value) -> String {
    let of = kind.called();
    let field = field_in_words(field);
    match value {
        Value::Null => format!("cleared the {field} of a {of}"),
        Value::Bool(true) => format!("ticked {field} of a {of}"),
        Value::Bool(false) => format!("unticked {field} of a {of}"),
        Value::String(text) => format!("set the {field} of a {of} to {text}"),
        Value::Number(number) => format!("set the {field} of a {of} to {number}"),
        Value::Array(_) if field == "at" => format!("moved a {of}"),
        _ => format!("set the {field} of a {of}"),
    }
}
