//! A new router: what comes back in what order.

use actix_web::{HttpResponse, get};
use askama::Template;
use dot_reach_core::survey::new_router::{ComesBack, comes_back, stays};

use super::{Tabs, tabs};
use crate::door::{For, See};
use crate::error::WebError;
use crate::pages::{Shell, printed};

#[derive(Template)]
#[template(path = "prove/router.html")]
struct Page {
    shell: Shell,
    tabs: Tabs,
    steps: Vec<ComesBack>,
    stays: Vec<(String, usize)>,
}

#[get("/jobs/{job}/prove/router")]
pub(crate) async fn show(For(job, ..): For<See>) -> Result<HttpResponse, WebError> {
    printed(job, move |job| {
        Ok(Page {
            tabs: tabs(&job.id, "/router"),
            steps: comes_back(&job.site),
            stays: stays(&job.site),
            shell: job.shell("Prove"),
        })
    })
    .await
}
