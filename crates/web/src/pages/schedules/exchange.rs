//! Rules and schedules out and in: the rules as JSON, a year of them as a calendar, rules and days off out of a calendar.

use std::sync::Arc;

use actix_multipart::Multipart;
use actix_web::{HttpResponse, get, post, web};
use dot_reach_core::rules::DaySpan;
use dot_reach_core::site::{Edit, Kind};
use dot_reach_formats::{calendar_ics, points_csv, rules_json};

use super::DAYS;
use crate::app::now;
use crate::commands::{Answer, ChangeMark, download, take_lines, uploaded};
use crate::door::{Change, For, See};
use crate::error::WebError;

/// The text of a file that is brought in.
async fn text_of(form: Multipart) -> Result<String, WebError> {
    let bytes = uploaded(form, rules_json::MOST_BYTES, "file").await?;
    points_csv::text_of(&bytes).map_err(|reason| WebError::field("file", reason))
}

#[get("/jobs/{job}/rules.json")]
pub(crate) async fn rules(For(job, ..): For<See>) -> Answer {
    let site = Arc::clone(&job.site);
    let text = job.compute(move || rules_json::write(&site).to_string()).await?;
    Ok(download(&format!("{}-rules.json", job.id), "application/json", text))
}

#[post("/jobs/{job}/rules.json")]
pub(crate) async fn bring_rules(
    For(job, (query, form), ..): For<Change, (web::Query<ChangeMark>, Multipart)>,
) -> Answer {
    let text = text_of(form).await?;
    let mark = query.into_inner();
    let told = take_lines(&job, mark, move |site, _| rules_json::read(site, &text)).await?;
    Ok(HttpResponse::Ok().json(told))
}

#[get("/jobs/{job}/schedule.ics")]
pub(crate) async fn calendar(For(job, ..): For<See>) -> Answer {
    let (site, id) = (Arc::clone(&job.site), job.id.to_string());
    let written = move || {
        let from = site.job.clock().shows(jiff::Timestamp::now()).0;
        calendar_ics::write(
            &calendar_ics::of_rules(&site, &id, DaySpan { from, days: DAYS }),
            &now(),
        )
    };
    let text = job.compute(written).await?;
    Ok(download(&format!("{}-schedule.ics", job.id), "text/calendar; charset=utf-8", text))
}

#[post("/jobs/{job}/schedule.ics")]
pub(crate) async fn bring_calendar(
    For(job, (query, form), ..): For<Change, (web::Query<ChangeMark>, Multipart)>,
) -> Answer {
    let text = text_of(form).await?;
    let mark = query.into_inner();
    let told = take_lines(&job, mark, move |site, _| calendar_ics::rules_in(site, &text)).await?;
    Ok(HttpResponse::Ok().json(told))
}

#[post("/jobs/{job}/holidays.ics")]
pub(crate) async fn bring_holidays(
    For(job, (query, form), ..): For<Change, (web::Query<ChangeMark>, Multipart)>,
) -> Answer {
    let text = text_of(form).await?;
    let mark = query.into_inner();
    let read = calendar_ics::days_off(&text);
    let told = take_lines(&job, mark, move |site, _| {
        read.clone().map(|days| {
            let mut all = site.job.holidays.clone();
            let before = all.len();
            all.extend(days);
            let edit = || {
                Edit::set(Kind::Job, &"job", "holidays", all.iter().cloned().collect::<Vec<_>>())
            };
            if all.len() > before { vec![edit()] } else { Vec::new() }
        })
    })
    .await?;
    Ok(HttpResponse::Ok().json(told))
}
