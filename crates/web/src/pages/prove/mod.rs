//! Prove: readings in, predicted against measured, a first calibration.

use std::sync::Arc;

use actix_web::{HttpResponse, get};
use askama::Template;
use dot_reach_core::prove::{Comparison, prove};
use dot_reach_core::site::{Correction, DeviceId, Site};
use dot_reach_core::units::{Db, typographic};
use dot_reach_store::StoreError;

use crate::door::Job;
use crate::drawing::stairs::signed;
use crate::error::WebError;
use crate::pages::jobs::day;
use crate::pages::{Shell, html};

#[derive(Template)]
#[template(path = "prove/page.html")]
struct Page {
    shell: Shell,
    job: String,
    devices: Vec<(String, String)>,
    rows: Vec<Row>,
    strangers: usize,
    proposed: Option<CalibrationCard>,
    in_force: Option<CalibrationCard>,
    sigma: String,
    findings: Vec<String>,
    plot: Plot,
}

struct Row {
    reading: String,
    from: String,
    to: String,
    at: String,
    source: String,
    measured: String,
    predicted: String,
    residual: String,
    after: String,
    differs: bool,
}

struct CalibrationCard {
    json: String,
    exponent: String,
    offset: String,
    sigma: String,
    before: String,
    after: String,
    readings: usize,
}

/// Predicted across, measured up, in its own pixels.
struct Plot {
    size: f64,
    ticks: Vec<(f64, f64, String)>,
    dots: Vec<PlotDot>,
    band: [String; 2],
}

struct PlotDot {
    x: f64,
    y: f64,
    class: &'static str,
    title: String,
}

const SIZE: f64 = 300.0;
const FROM: f64 = -110.0;
const TO: f64 = -20.0;

fn card(calibration: &Correction) -> Result<CalibrationCard, WebError> {
    Ok(CalibrationCard {
        json: serde_json::to_string(calibration).map_err(StoreError::Row)?,
        exponent: format!("{:.2}", calibration.exponent),
        offset: signed(calibration.offset_db),
        sigma: calibration.sigma_db.to_string(),
        before: calibration.rmse_before_db.to_string(),
        after: calibration.rmse_after_db.to_string(),
        readings: calibration.readings,
    })
}

#[get("/jobs/{job}/prove")]
pub(crate) async fn show(job: Job) -> Result<HttpResponse, WebError> {
    let shell = job.shell("Prove");
    let site = Arc::clone(&job.site);
    let analysis = job.analysed().await?;
    let proof = job.compute(move || prove(&analysis)).await?;
    let mut devices: Vec<_> = site
        .devices
        .iter()
        .map(|d| {
            let network = site.networks.get(&d.network).map_or("", |n| n.name.as_str());
            (d.id.to_string(), format!("{}, {network}", d.name))
        })
        .collect();
    devices.sort_by(|a, b| a.1.cmp(&b.1));
    let mut comparisons: Vec<_> = proof.comparisons.iter().collect();
    comparisons.sort_by(|a, b| b.residual().get().abs().total_cmp(&a.residual().get().abs()));
    let sigma = proof.sigma;
    let findings = comparisons.iter().filter(|c| c.differs).map(|c| finding(&site, c, sigma));
    html(&Page {
        shell,
        job: job.id.to_string(),
        devices,
        rows: comparisons.iter().map(|c| row(&site, c)).collect(),
        strangers: proof.strangers.len(),
        proposed: proof.proposed.as_ref().map(card).transpose()?,
        in_force: site.calibration.as_ref().map(card).transpose()?,
        sigma: sigma.to_string(),
        findings: findings.collect(),
        plot: plot(&site, &comparisons, sigma),
    })
}

fn name(site: &Site, id: &DeviceId) -> String {
    site.devices.get(id).map_or_else(|| id.to_string(), |d| d.name.clone())
}

fn finding(site: &Arc<Site>, c: &Comparison, sigma: Db) -> String {
    let (from, to) = (name(site, &c.from), name(site, &c.to));
    let residual = c.residual();
    let size = Db::new(residual.get().abs());
    let way = if residual < Db::ZERO { "weaker" } else { "stronger" };
    let cause = if residual < Db::ZERO {
        "Look for metal at either end, or a wall that is worse than drawn."
    } else {
        "A wall may be lighter than drawn, or a door stood open."
    };
    format!("{from} to {to} is {size} {way} than planned, more than 2σ ({}). {cause}", sigma * 2.0)
}

fn row(site: &Site, c: &Comparison) -> Row {
    let reading = site.readings.get(&c.reading);
    Row {
        reading: c.reading.to_string(),
        from: name(site, &c.from),
        to: name(site, &c.to),
        at: reading.map(|r| day(&r.at)).unwrap_or_default(),
        source: reading.map(|r| r.source.clone()).unwrap_or_default(),
        measured: typographic(c.measured.get(), 0),
        predicted: typographic(c.predicted.get(), 1),
        residual: signed(c.residual()),
        after: signed(c.measured - c.calibrated),
        differs: c.differs,
    }
}

fn plot(site: &Site, comparisons: &[&Comparison], sigma: Db) -> Plot {
    let place =
        |level: f64| (((level - FROM) / (TO - FROM)).clamp(0.0, 1.0) * SIZE * 10.0).round() / 10.0;
    let ticks = [-100.0, -80.0, -60.0, -40.0];
    let edge = |by: f64| {
        format!(
            "M{} {}L{} {}",
            place(FROM),
            SIZE - place(FROM + by),
            place(TO),
            SIZE - place(TO + by)
        )
    };
    let dot = |c: &&Comparison| PlotDot {
        x: place(c.predicted.get()),
        y: SIZE - place(c.measured.get()),
        class: if c.differs { "reading differs" } else { "reading" },
        title: format!(
            "{} to {}: {}",
            name(site, &c.from),
            name(site, &c.to),
            signed(c.residual())
        ),
    };
    Plot {
        size: SIZE,
        ticks: ticks.map(|t| (place(t), SIZE - place(t), typographic(t, 0))).to_vec(),
        dots: comparisons.iter().map(dot).collect(),
        band: [edge(2.0 * sigma.get()), edge(-2.0 * sigma.get())],
    }
}
