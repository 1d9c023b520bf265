//! What would help, by gain for effort: tried on the server while the page is there already.

use std::sync::Arc;

use actix_web::{HttpResponse, get};
use askama::Template;
use dot_reach_core::analysis::Options;
use dot_reach_core::network::Band;
use dot_reach_core::prove::helps::{Help, best, helps};
use dot_reach_core::units::{Db, typographic};

use super::or_dash;
use crate::desk::Bench;
use crate::door::{AskedJob, For, See};
use crate::error::WebError;
use crate::pages::printed;

#[derive(Template)]
#[template(path = "prove/helps.html")]
struct Helps {
    best: Option<Card>,
    all: Vec<Card>,
}

struct Card {
    what: String,
    before: String,
    after: String,
    class: &'static str,
    effect: String,
    minutes: String,
    edit: String,
}

/// How many are told.
const MOST: usize = 12;

#[get("/jobs/{job}/prove/helps")]
pub(crate) async fn show(For(job, ..): For<See>) -> Result<HttpResponse, WebError> {
    let ((_, proof), looked) = (job.proved().await?, job.looked().await?);
    let work = move |bench: &mut Bench, job: &AskedJob| {
        let all = job.app.desk.helps(&job.id, job.revision).unwrap_or_else(|| {
            let found = &looked.diagnoses;
            let all = Arc::new(helps(&looked.learned, &proof, found, &|| bench.is_wanted()));
            // What was broken off is not all that would help.
            if bench.is_wanted() {
                job.app.desk.note_helps(&job.id, job.revision, Arc::clone(&all));
            }
            all
        });
        Ok(Helps { best: best(&all).map(card), all: all.iter().take(MOST).map(card).collect() })
    };
    let page = job.at_bench(Options::default(), work).await?;
    printed(job, move |_| Ok(page)).await
}

fn card(help: &Help) -> Card {
    let standing = |(band, margin): (Band, Option<Db>)| {
        let margin = margin.map_or_else(String::new, |m| format!(" {} dB", or_dash(Some(m))));
        format!("{}{margin}", band.grade())
    };
    let effect = match help.more_at_target {
        0 => String::new(),
        1 => "1 device more at target".to_owned(),
        n => format!("{n} devices more at target"),
    };
    let edit = help.edit.as_ref().and_then(|e| serde_json::to_string(e).ok());
    Card {
        what: help.what.clone(),
        before: standing(help.before),
        after: standing(help.after),
        class: help.after.0.name(),
        effect,
        minutes: format!("about {} min", typographic(help.minutes, 0)),
        edit: edit.unwrap_or_default(),
    }
}
