//! The record over HTTP: what happened, told from outside, and read from an entry on.

use std::sync::Arc;

use actix_web::{HttpResponse, get, post, web};
use dot_reach_core::moment::Moment;
use dot_reach_core::record::{Entry, EntryId, Folder, Prepared, Sender, What};
use dot_reach_core::site::Edit;
use dot_reach_core::wish::PageRequest;
use dot_reach_store::Reads;
use serde::Deserialize;
use serde_json::json;

use crate::app::moment;
use crate::commands::{Answer, ChangeMark, command, keep, receipt};
use crate::door::{Day, For, See};
use crate::error::WebError;

/// Entries of the record as a script or a phone sends them.
#[derive(Deserialize)]
pub(crate) struct SentEntries {
    entries: Vec<SentEntry>,
    #[serde(default)]
    client: String,
}

/// One of them: an act, or a thing that is told of, with who says so and when.
#[derive(Deserialize)]
struct SentEntry {
    id: EntryId,
    #[serde(default)]
    said: Option<Moment>,
    #[serde(default)]
    by: Option<String>,
    what: serde_json::Value,
}

/// The most entries that are taken at a time.
const MOST_ENTRIES: usize = 20_000;

/// Puts entries on record, all of them or none; those that were taken before are answered with their receipts.
#[post("/jobs/{job}/record")]
pub(crate) async fn tell(For(job, sent, ..): For<Day, web::Json<SentEntries>>) -> Answer {
    let SentEntries { entries: sent, client } = sent.into_inner();
    let Some(first) = sent.first() else {
        return Err(WebError::field("entries", "name at least one entry"));
    };
    if sent.len() > MOST_ENTRIES {
        let reason = format!("{MOST_ENTRIES} at a time are the most");
        return Err(WebError::field("entries", reason));
    }
    let mark =
        ChangeMark { edit_id: format!("rec.{}", first.id).chars().take(64).collect(), client };
    let command = command(&job, mark);
    let mut wishes = Vec::new();
    for (n, mut entry) in sent.into_iter().enumerate() {
        // Whoever signed in says what they say themselves: nobody puts words into another's mouth.
        if job.caller.signed_in().is_some() {
            entry.by = Some(command.who.clone());
        }
        let mut what = entry.what;
        // Who and when stand on the entry; an act asks for them too.
        if let Some(fields) = what.as_object_mut().filter(|f| f.contains_key("do")) {
            let is_thing =
                matches!(fields["do"].as_str(), Some("put" | "set" | "remove" | "batch"));
            if !is_thing {
                if let Some(said) = &entry.said {
                    fields.entry("at").or_insert_with(|| json!(said));
                }
                let by = entry.by.clone().unwrap_or_else(|| command.who.clone());
                if job.caller.signed_in().is_some() {
                    fields.insert("by".to_owned(), json!(by));
                }
                fields.entry("by").or_insert_with(|| json!(by));
            }
        }
        let wish: PageRequest = serde_json::from_value(what)
            .map_err(|e| WebError::field("entries", format!("entry {}: {e}", n + 1)))?;
        if !wish.is_of_record() {
            let reason = format!("entry {}: changes the plan; send it to edits", n + 1);
            return Err(WebError::field("entries", reason));
        }
        job.may_wish(&wish)?;
        wishes.push((entry.id, entry.said, entry.by, wish));
    }
    let taken = moment();
    let who = command.who.clone();
    let committed = keep(&job, command, Reads::All, move |site, record| {
        let mut folder = Folder { site: site.clone(), record: record.clone() };
        let (mut changes, mut all) = (Vec::new(), Vec::new());
        for (id, said, by, wish) in &wishes {
            let name = by.clone().unwrap_or_else(|| who.clone());
            let caller = Sender { name, taken: taken.clone(), stem: id.to_string() };
            let mut prepared = wish.clone().prepare(&folder.site, &folder.record, &caller)?;
            for entry in &mut prepared.entries {
                entry.said = said.clone().unwrap_or_else(|| entry.said.clone());
            }
            folder.keep(&prepared)?;
            changes.extend(prepared.edit);
            all.extend(prepared.entries);
        }
        let edit = (!changes.is_empty()).then(|| Edit::batch(changes));
        Ok(Prepared { edit, entries: all })
    })
    .await?;
    Ok(HttpResponse::Ok().json(receipt(&committed)))
}

/// From which entry on.
#[derive(Deserialize)]
pub(crate) struct After {
    #[serde(default)]
    after: u64,
}

/// The record, in order, from an entry on.
#[get("/jobs/{job}/record.json")]
pub(crate) async fn entries(For(job, query, ..): For<See, web::Query<After>>) -> Answer {
    let from = usize::try_from(query.after).unwrap_or(usize::MAX).min(job.record.len());
    let (record, sees_codes) = (Arc::clone(&job.record), job.caller.may_see_codes());
    let text = job.compute(move || {
        let is_shown = |entry: &Entry| sees_codes || !matches!(entry.what, What::CodeKept(_));
        let all = (from + 1..).zip(record.entries_from(from)).filter(|(_, entry)| is_shown(entry));
        let told = all.map(|(seq, entry)| {
            let mut value = serde_json::to_value(entry).unwrap_or_default();
            value["seq"] = seq.into();
            value
        });
        json!({ "entries": told.collect::<Vec<_>>(), "last": record.len() }).to_string()
    });
    Ok(HttpResponse::Ok().content_type("application/json").body(text.await?))
}
