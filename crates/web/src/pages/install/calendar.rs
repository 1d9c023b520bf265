//! Visits that are agreed, as a calendar.

use actix_web::{HttpResponse, get};
use dot_reach_core::install::schedule::Schedule;
use dot_reach_core::site::Site;
use dot_reach_formats::calendar_ics::{self, CalendarEvent};
use dot_reach_store::JobId;

use super::visit_name;
use crate::app::now;
use crate::commands::download;
use crate::door::{For, Wiring};
use crate::error::WebError;
use crate::pages::install::overview::{labels, why};

#[get("/jobs/{job}/install/visits.ics")]
pub(crate) async fn show(For(job, ..): For<Wiring>) -> Result<HttpResponse, WebError> {
    let (analysis, plan) = job.planned().await?;
    let name = format!("{}-visits.ics", job.id);
    let id = job.id.clone();
    let text = job.compute(move || written(&id, &analysis.site, &plan)).await?;
    Ok(download(&name, "text/calendar; charset=utf-8", text))
}

fn written(job: &JobId, site: &Site, plan: &Schedule) -> String {
    let events = plan.visits.iter().filter_map(|visit| {
        let agreed = site.visits.iter().find(|v| v.of == visit.key)?;
        let (_, high) = visit.minutes.range();
        let mut text = visit.before.clone();
        text.extend(visit.outages.iter().map(|o| {
            let title = dot_reach_core::install::walk::title(o);
            format!("{title}: {}. {}", labels(site, o), why(o))
        }));
        Some(CalendarEvent {
            uid: format!("{job}-{}", agreed.id),
            from: agreed.from.clone(),
            minutes: high,
            title: format!("{}: {}", site.job.name, visit_name(visit)),
            place: site.job.address.clone(),
            text: text.join("\n"),
        })
    });
    calendar_ics::write(&events.collect::<Vec<_>>(), &now())
}
