//! A new router: what comes back in what order.

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::record::Record;
use dot_reach_core::survey::new_router::{BackAt, ComesBack, comes_back, last_round, stays};
use serde::Deserialize;
use serde_json::json;

use crate::door::{For, See};
use crate::error::WebError;
use crate::pages::house_time::day;
use crate::pages::{Shell, printed};

#[derive(Template)]
#[template(path = "prove/router.html")]
struct Page {
    shell: Shell,
    round: u32,
    /// The change after that one; nothing while nothing of this one is on record.
    next: Option<u32>,
    steps: Vec<StepForm>,
    stays: Vec<(String, usize)>,
}

/// A step of the way back, with what of it is on record.
struct StepForm {
    what: &'static str,
    why: &'static str,
    at: Vec<BackForm>,
}

struct BackForm {
    name: String,
    place: String,
    how: String,
    /// The id of its entry.
    id: String,
    /// What says that it came back.
    edit: String,
    /// When it came back, and who says so; empty while it did not.
    back: String,
}

/// Which change of the router is looked at; the last on record where none is asked for.
#[derive(Deserialize)]
pub(crate) struct Ask {
    round: Option<u32>,
}

fn form(record: &Record, round: u32, at: BackAt) -> BackForm {
    let id = at.entry(round);
    let told = record.came_back.entry_of(&id).and_then(|place| record.entries_from(place).next());
    let value = json!({"id": id, "round": round, "name": at.name});
    BackForm {
        edit: json!({"do": "put", "kind": "came-back", "value": value}).to_string(),
        back: told.map_or_else(String::new, |e| format!("back {}, {}", day(&e.said), e.by)),
        id,
        name: at.name,
        place: at.place,
        how: at.how,
    }
}

#[get("/jobs/{job}/prove/router")]
pub(crate) async fn show(
    For(job, ask, ..): For<See, web::Query<Ask>>,
) -> Result<HttpResponse, WebError> {
    printed(job, move |job| {
        let last = last_round(&job.record);
        let round = ask.round.map_or(last, |n| n.clamp(1, last + 1));
        let is_begun = job.record.came_back.iter().any(|back| back.round == round);
        let step = |step: ComesBack| StepForm {
            what: step.what,
            why: step.why,
            at: step.at.into_iter().map(|at| form(&job.record, round, at)).collect(),
        };
        Ok(Page {
            round,
            next: is_begun.then_some(round + 1),
            steps: comes_back(&job.site).into_iter().map(step).collect(),
            stays: stays(&job.site),
            shell: job.shell("prove/router"),
        })
    })
    .await
}
