//! Every change ever made to the plan of a job, and all that is on record of it.

mod changed;
mod told;

use std::collections::BTreeSet;

use actix_web::{HttpResponse, get, post, web};
use askama::Template;
use dot_reach_core::site::Site;
use dot_reach_store::{JournalAct, JournalRow};
use serde::Deserialize;
use serde_json::json;

use crate::commands::Answer;
use crate::door::{For, Keep, See};
use crate::error::WebError;
use crate::pages::house_time::day;
use crate::pages::{Shell, printed};
use crate::server::Server;
use changed::Named;

#[derive(Template)]
#[template(path = "journal/page.html")]
struct Page {
    shell: Shell,
    asked: Asked,
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

/// From which entry of the record down, from which change of the plan, and of what, by whom and on which day.
#[derive(Clone, Default, Deserialize)]
pub(crate) struct Asked {
    below: Option<usize>,
    before: Option<u64>,
    #[serde(default)]
    of: String,
    #[serde(default)]
    who: String,
    #[serde(default)]
    on: String,
}

struct Line {
    revision: u64,
    at: String,
    who: String,
    what: String,
    touched: String,
    /// Whether it may be put back.
    can_go: bool,
}

impl Line {
    /// Whether it is one of those that are looked for.
    fn is_of(&self, asked: &Asked) -> bool {
        let holds =
            |text: &str, part: &str| text.to_lowercase().contains(&part.trim().to_lowercase());
        holds(&self.who, &asked.who)
            && self.at.starts_with(asked.on.trim())
            && (holds(&self.what, &asked.of) || holds(&self.touched, &asked.of))
    }
}

/// How many entries one page shows.
const MOST: u32 = 500;

#[get("/jobs/{job}/journal")]
pub(crate) async fn show(
    For(job, query, ..): For<See, web::Query<Asked>>,
) -> Result<HttpResponse, WebError> {
    let shell = job.shell("journal");
    let id = job.id.clone();
    let asked = query.into_inner();
    let (below, before) = (asked.below, asked.before.unwrap_or(u64::MAX));
    let entries = job.app.ask(move |store| store.journal(&id, before, MOST)).await?;
    printed(job, move |job| {
        let changes = shell.changes();
        let words = |entry| line(&job.site, changes, entry);
        let mut entries: Vec<Line> = entries.into_iter().map(words).collect();
        let below = below.unwrap_or(usize::MAX);
        let mut told = told::lines(&job.record, &job.site, below, MOST as usize);
        let earlier = told.last().map(|t| t.place - 1).filter(|place| *place > 0);
        let is_full = entries.len() == MOST as usize;
        let before = entries.last().filter(|_| is_full).map(|e| e.revision);
        entries.retain(|line| line.is_of(&asked));
        told.retain(|told| told.is_of(&asked));
        let name = job.site.job.name.clone();
        let can_go = job.variant.is_none() && !job.id.is_library() && shell.keeps();
        Ok(Page { shell, asked, entries, told, earlier, before, name, can_go })
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

fn line(site: &Site, can_put_back: bool, entry: JournalRow) -> Line {
    let named = Named { site, inverse: entry.inverse.as_ref() };
    let done =
        entry.edit.as_ref().map_or_else(|| named.touched(&entry.touched), |e| named.words(e));
    let what = match (entry.act, entry.of_revision) {
        (JournalAct::Undo, Some(of)) => format!("Took back change {of}: {done}"),
        (JournalAct::Redo, Some(of)) => format!("Made change {of} again: {done}"),
        _ => capital(&done),
    };
    let things: BTreeSet<_> = entry.touched.iter().map(|touch| &touch.thing).collect();
    let touched = if things.len() <= 3 {
        things.iter().map(|of| named.thing(of)).collect::<Vec<_>>().join(", ")
    } else {
        format!("{} things", things.len())
    };
    let can_go = can_put_back && entry.stands && entry.act != JournalAct::Undo;
    Line { revision: entry.revision, at: day(&entry.at), who: entry.who, what, touched, can_go }
}

pub(crate) fn capital(text: &str) -> String {
    let mut letters = text.chars();
    letters
        .next()
        .map(|c| c.to_uppercase().collect::<String>() + letters.as_str())
        .unwrap_or_default()
}
