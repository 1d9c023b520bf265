//! What only an opened box can tell, gathered into one visit before the day; and the sheet for the
//! first fix of a new build.

use std::sync::Arc;

use actix_web::{HttpResponse, get};
use askama::Template;
use dot_reach_core::site::{Circuit, JobKind, PointKind, Residual, Site, breaker_order};
use dot_reach_core::survey::brief::{FIRST_FIX, first_fix_depth_mm, who_may};
use dot_reach_core::survey::delivered::{DeliveredAt, delivered, keep_asked};
use dot_reach_core::survey::previsit::{looks, spots};
use dot_reach_core::units::typographic;
use dot_reach_core::wires::wiring;
use serde_json::json;

use crate::door::{For, See};
use crate::error::WebError;
use crate::pages::house_time::day;
use crate::pages::{Shell, printed};

#[derive(Template)]
#[template(path = "previsit/page.html")]
struct Page {
    shell: Shell,
    job: String,
    looks: Vec<Row>,
    /// Controls of which it is open how they are wired: the name, and what is asked or decided.
    controls: Vec<(String, Vec<String>)>,
    /// Places that are hard for radio: id, name, why, what to find out.
    spots: Vec<[String; 4]>,
    minutes: String,
    entitled: Vec<String>,
    who_may: String,
    first_fix: Vec<&'static str>,
    is_new: bool,
    agreed: String,
    positions: Vec<[String; 4]>,
    /// The edit that keeps what the sheet asks for; empty where all is kept.
    keep_asked: String,
    delivered: Vec<DeliveredRow>,
    circuits: Vec<CircuitRow>,
}

/// A breaker of the panel: as printed, as proven, and what it feeds.
struct CircuitRow {
    label: String,
    proven: String,
    by: String,
    residual: &'static str,
    /// What is known of its neutral, where that is not that it has its own.
    neutral: &'static str,
    wrong: bool,
    /// Tags or names of the points that name it.
    feeds: Vec<(String, String)>,
}

fn circuits(site: &Site) -> Vec<CircuitRow> {
    let mut labels: Vec<&str> = site
        .points
        .iter()
        .map(|p| p.circuit.trim())
        .chain(site.circuits.iter().map(|c| c.label.trim()))
        .filter(|label| !label.is_empty())
        .collect();
    labels.sort_by_key(|label| breaker_order(label));
    labels.dedup();
    let row = |label: &str| {
        let circuit = site.circuits.iter().find(|c| c.label.trim() == label);
        let proven = circuit.and_then(|c| c.proven.as_ref());
        let fed = site.points.iter().filter(|p| p.circuit.trim() == label);
        let words =
            |r: Residual| Residual::ALL.iter().find(|(of, _)| *of == r).map_or("", |(_, w)| w);
        CircuitRow {
            label: label.to_owned(),
            proven: proven.map(|p| p.label.clone()).unwrap_or_default(),
            by: proven.map(|p| format!("{}, {}, {}", p.by, p.with, day(&p.at))).unwrap_or_default(),
            residual: circuit.map_or("", |c| words(c.residual)),
            neutral: neutral(circuit),
            wrong: circuit.is_some_and(|c| c.mislabelled().is_some()),
            feeds: fed.map(|p| (p.id.to_string(), p.label().to_owned())).collect(),
        }
    };
    labels.into_iter().map(row).collect()
}

/// A place of which something was asked, and what came of it.
struct DeliveredRow {
    asked: String,
    point: String,
    title: String,
    lacks: Vec<String>,
    open: Vec<&'static str>,
    outcome: String,
    /// Loads that hang elsewhere, each with the edit that says that they are to go with this place.
    regroup: Vec<(String, String)>,
}

fn delivered_rows(site: &Site) -> Vec<DeliveredRow> {
    let row = |at: DeliveredAt| {
        Some(DeliveredRow {
            outcome: site.asked.get(&at.asked)?.outcome.clone(),
            asked: at.asked.to_string(),
            title: site.points.get(&at.point)?.title(),
            point: at.point.to_string(),
            lacks: at.lacks,
            open: at.open,
            regroup: at.regroup.into_iter().map(|(n, e)| (n, json!(e).to_string())).collect(),
        })
    };
    delivered(site).into_iter().filter_map(row).collect()
}

struct Row {
    id: String,
    tag: String,
    name: String,
    room: String,
    breaker: String,
    wrong_label: String,
    /// What is known of its neutral, where that is not that it has its own.
    neutral: &'static str,
    ask: Vec<&'static str>,
    settles: usize,
}

fn neutral(circuit: Option<&Circuit>) -> &'static str {
    match circuit.map(|c| c.shared_neutral) {
        Some(Some(true)) => "shares its neutral: all that share it go off together",
        Some(None) => "nobody has looked whether it shares its neutral: the main",
        Some(Some(false)) | None => "",
    }
}

#[get("/jobs/{job}/previsit")]
pub(crate) async fn show(For(job, ..): For<See>) -> Result<HttpResponse, WebError> {
    printed(job, move |job| {
        let site = Arc::clone(&job.site);
        let found = looks(&site);
        let minutes: f64 = found.iter().map(|l| l.minutes).sum();
        let rows = found.into_iter().filter_map(|look| {
            let point = site.points.get(&look.point)?;
            let circuit = site.circuit_of(point);
            Some(Row {
                id: point.id.to_string(),
                tag: point.tag.clone(),
                name: point.name.clone(),
                room: site.room_name(point).to_owned(),
                breaker: point.circuit.clone(),
                wrong_label: circuit.and_then(|c| c.mislabelled()).unwrap_or_default().to_owned(),
                neutral: neutral(circuit),
                ask: look.ask,
                settles: look.settles,
            })
        });
        let positions = site.points.iter().filter(|p| p.kind == PointKind::Switch).map(|p| {
            let loads: Vec<_> = site.loads_of(&p.id).map(|l| l.name.clone()).collect();
            let depth = typographic(first_fix_depth_mm(p), 0);
            [p.tag.clone(), format!("{}, {}", p.name, site.room_name(p)), depth, loads.join(", ")]
        });
        let hard = spots(&site).into_iter().filter_map(|(id, spot)| {
            let point = site.points.get(&id)?;
            Some([id.to_string(), point.title(), spot.is.to_owned(), spot.ask.to_owned()])
        });
        let hard = hard.collect();
        Ok(Page {
            shell: job.shell("previsit"),
            job: site.job.name.clone(),
            looks: rows.collect(),
            spots: hard,
            controls: wiring(&site)
                .into_iter()
                .filter(|c| !c.open.is_empty())
                .map(|c| (c.name, c.open))
                .collect(),
            minutes: typographic(minutes, 0),
            entitled: site
                .people
                .iter()
                .filter(|p| p.may_mains)
                .map(|p| {
                    if p.licence.is_empty() {
                        format!("{}, no licence on record", p.name)
                    } else {
                        format!("{}, {}", p.name, p.licence)
                    }
                })
                .collect(),
            who_may: who_may(&site.job),
            first_fix: FIRST_FIX.to_vec(),
            is_new: site.job.work == JobKind::New,
            agreed: site.job.first_fix.clone(),
            positions: positions.collect(),
            keep_asked: keep_asked(&site).map_or_else(String::new, |e| json!(e).to_string()),
            delivered: delivered_rows(&site),
            circuits: circuits(&site),
        })
    })
    .await
}
