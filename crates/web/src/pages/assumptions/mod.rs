//! What the numbers rest on that nobody has measured.

use actix_web::{HttpResponse, get};
use askama::Template;
use dot_reach_core::assumptions::{Assumption, assumptions};
use dot_reach_core::units::typographic;

use crate::door::{For, See};
use crate::error::WebError;
use crate::pages::{Shell, printed};

#[derive(Template)]
#[template(path = "assumptions/page.html")]
struct Page {
    shell: Shell,
    job: String,
    rows: Vec<AssumptionRow>,
}

/// A line of what is assumed.
pub(crate) struct AssumptionRow {
    pub(crate) what: String,
    pub(crate) range: String,
    pub(crate) settled_by: String,
    /// The first places, by name, and how many more.
    pub(crate) places: Vec<String>,
    pub(crate) more: usize,
}

/// So many places are named in a line.
const NAMED: usize = 4;

/// A line of what is assumed, worded.
pub(crate) fn assumption_row(assumption: Assumption) -> AssumptionRow {
    let Assumption { what, range, settled_by, mut places, count } = assumption;
    places.truncate(NAMED);
    let more = if places.is_empty() { 0 } else { count - places.len() };
    let range = range.map_or_else(
        || "no number".to_owned(),
        |[down, up]| {
            let off = |v: dot_reach_core::units::Db| typographic(v.get().abs(), 0);
            if up.get() > 0.0 {
                format!("± {}", off(up))
            } else {
                format!("up to {} less", off(down))
            }
        },
    );
    AssumptionRow { what, range, settled_by, places, more }
}

#[get("/jobs/{job}/assumptions")]
pub(crate) async fn show(For(job, ..): For<See>) -> Result<HttpResponse, WebError> {
    let shell = job.shell("assumptions");
    let analysis = job.analysed().await?;
    printed(job, move |job| {
        let rows = assumptions(&analysis).into_iter().map(assumption_row).collect();
        Ok(Page { shell, job: job.id.to_string(), rows })
    })
    .await
}
