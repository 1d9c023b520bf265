//! The bill: what is bought, what the work takes, what bundling the visits saves.

use std::sync::Arc;

use actix_web::{HttpResponse, get};
use askama::Template;
use dot_reach_core::bill::{Bill, LineKind, bill, energy};
use dot_reach_core::units::typographic;
use dot_reach_formats::bill_csv;

use crate::commands::{Answer, download};
use crate::door::{For, See};
use crate::error::WebError;
use crate::pages::{Shell, printed};

#[derive(Template)]
#[template(path = "bill/page.html")]
struct Page {
    shell: Shell,
    tool: &'static str,
    job: String,
    currency: String,
    total: String,
    headline: Vec<(String, String)>,
    parts: Vec<PartRows>,
    shares: Vec<[String; 4]>,
    warnings: Vec<String>,
    /// Breaker, kilowatt-hours a year, cost, and what is to be said of it.
    energy: Vec<[String; 4]>,
}

struct PartRows {
    name: &'static str,
    sum: String,
    lines: Vec<Row>,
}

struct Row {
    what: String,
    count: String,
    each: String,
    cost: String,
    at: String,
}

fn money(value: f64) -> String {
    typographic(value, 2)
}

#[get("/jobs/{job}/bill")]
pub(crate) async fn show(For(job, ..): For<See>) -> Result<HttpResponse, WebError> {
    let (_, plan) = job.planned().await?;
    printed(job, move |job| {
        let found = bill(&job.site, plan.visits.len());
        let fields = &job.site.job;
        Ok(Page {
            shell: job.shell("Survey"),
            tool: "bill",
            job: fields.name.clone(),
            currency: fields.currency.clone(),
            total: money(found.total),
            headline: headline(&found),
            parts: [LineKind::Devices, LineKind::Plates, LineKind::Small, LineKind::Labour]
                .into_iter()
                .map(|part| rows(&found, part))
                .filter(|p| !p.lines.is_empty())
                .collect(),
            shares: shares(&found),
            warnings: warnings(&found),
            energy: energy(&job.site)
                .into_iter()
                .map(|e| {
                    let without = (e.without > 0).then(|| {
                        format!("without {} whose watts or hours are not known", e.without)
                    });
                    let metered = e.metered.then(|| "metered".to_owned());
                    let said: Vec<_> = metered.into_iter().chain(without).collect();
                    [e.circuit, typographic(e.kwh, 0), money(e.cost), said.join(", ")]
                })
                .collect(),
        })
    })
    .await
}

fn headline(found: &Bill) -> Vec<(String, String)> {
    let per_load = if found.loads == 0 {
        String::from("–")
    } else {
        money(found.total / as_f64(found.loads))
    };
    let mut told = vec![
        ("for each load that is worked".to_owned(), format!("{per_load} ({} loads)", found.loads)),
        ("hours of wiring".to_owned(), typographic(found.wiring_hours, 1)),
        (
            "visits, all bundled".to_owned(),
            format!("{} instead of {}, circuit by circuit", found.visits.0, found.visits.1),
        ),
        ("saved in call-outs".to_owned(), money(found.saved)),
    ];
    told.extend(found.left.map(|left| {
        let words = if left < 0.0 { "over the budget" } else { "left of the budget" };
        (words.to_owned(), money(left.abs()))
    }));
    told
}

fn as_f64(count: usize) -> f64 {
    f64::from(u32::try_from(count).unwrap_or(u32::MAX))
}

fn rows(found: &Bill, part: LineKind) -> PartRows {
    let lines: Vec<_> = found.lines.iter().filter(|l| l.part == part).collect();
    let sum: f64 = lines.iter().filter_map(|l| l.cost()).sum();
    let row = |l: &&dot_reach_core::bill::BillLine| Row {
        what: l.what.clone(),
        count: typographic(l.count, usize::from(l.count.fract().abs() > 0.0)),
        each: l.each.map_or_else(|| "not known".to_owned(), money),
        cost: l.cost().map(money).unwrap_or_default(),
        at: l.at.join(" "),
    };
    PartRows { name: part.name(), sum: money(sum), lines: lines.iter().map(row).collect() }
}

fn shares(found: &Bill) -> Vec<[String; 4]> {
    let row = |s: &dot_reach_core::bill::Share| {
        let each = if s.loads == 0 { "–".to_owned() } else { money(s.cost / as_f64(s.loads)) };
        [s.name.clone(), money(s.cost), s.loads.to_string(), each]
    };
    found.shares.iter().filter(|s| s.cost > 0.0).map(row).collect()
}

fn warnings(found: &Bill) -> Vec<String> {
    let mut told = Vec::new();
    let (misfits, unknown) = found.open;
    if misfits > 0 {
        let (devices, they) =
            if misfits == 1 { ("device does", "it is") } else { ("devices do", "they are") };
        told.push(format!(
            "{misfits} {devices} not fit where {they} planned: the bill will change."
        ));
    }
    if unknown > 0 {
        told.push(format!(
            "Of {unknown} more it is not known yet whether {} fit{}.",
            if unknown == 1 { "it" } else { "they" },
            if unknown == 1 { "s" } else { "" }
        ));
    }
    if found.without_price > 0 {
        told.push(format!("Lines without a price, not in the sum: {}.", found.without_price));
    }
    if !found.not_listed.is_empty() {
        told.push(format!(
            "In {} boxes conductors are not listed; connectors for them are the most that is usual: {}.",
            found.not_listed.len(),
            found.not_listed.join(" ")
        ));
    }
    told
}

#[get("/jobs/{job}/bill.csv")]
pub(crate) async fn csv(For(job, ..): For<See>) -> Answer {
    let (_, plan) = job.planned().await?;
    let site = Arc::clone(&job.site);
    let text = job.compute(move || bill_csv::write(&bill(&site, plan.visits.len()))).await?;
    let text = text.map_err(|e| WebError::Inside(e.to_string()))?;
    Ok(download(&format!("{}-bill.csv", job.id), "text/csv; charset=utf-8", text))
}
