//! Readings in, and each beside what was planned and what all others say.

use actix_web::{HttpResponse, get};
use askama::Template;
use dot_reach_core::analysis::Analysis;
use dot_reach_core::prove::{Comparison, Proof};
use dot_reach_core::record::Record;
use dot_reach_core::site::Site;
use dot_reach_core::units::typographic;

use super::{as_read, name, proved};
use crate::door::{For, See};
use crate::drawing::stairs::signed;
use crate::error::WebError;
use crate::pages::Shell;
use crate::pages::house_time::day;

#[derive(Template)]
#[template(path = "prove/readings.html")]
struct Page {
    shell: Shell,
    job: String,
    devices: Vec<(String, String)>,
    rows: Vec<Row>,
    strangers: usize,
    ranks: Vec<(String, usize, String)>,
    superseded: Vec<(String, String, String)>,
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
    others: String,
    sigma: String,
    verdict: &'static str,
    reason: String,
    aside: bool,
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

#[get("/jobs/{job}/prove/readings")]
pub(crate) async fn show(For(job, ..): For<See>) -> Result<HttpResponse, WebError> {
    let (shell, id) = (job.shell("prove/readings"), job.id.to_string());
    proved(job, move |analysis, proof| view(shell, id, analysis, proof)).await
}

fn view(shell: Shell, job: String, analysis: &Analysis, proof: &Proof) -> Page {
    let site = &analysis.site;
    let mut devices: Vec<_> = site
        .devices
        .iter()
        .map(|d| {
            let network = site.networks.get(&d.network).map_or("", |n| n.name.as_str());
            let tag = site.point_of(d).map(|p| p.tag.clone()).unwrap_or_default();
            (format!("{tag} {}", d.name).trim().to_owned(), network.to_owned())
        })
        .collect();
    devices.sort();
    let mut comparisons: Vec<&Comparison> = proof.comparisons.iter().collect();
    let key = |c: &&Comparison| (c.measured - c.others_say).get().abs() / c.sigma.get();
    comparisons
        .sort_by(|a, b| a.weight.total_cmp(&b.weight).then_with(|| key(b).total_cmp(&key(a))));
    let ranks = proof.ranks.iter();
    let gone = proof.record.readings.iter().filter(|r| !r.superseded.is_empty());
    Page {
        rows: comparisons.iter().map(|c| row(site, &proof.record, c)).collect(),
        strangers: proof.strangers.len(),
        ranks: ranks
            .map(|r| (name(site, &r.hearer), r.readings, typographic(r.agreement, 2)))
            .collect(),
        superseded: gone
            .map(|r| (name(site, &r.from), name(site, &r.to), r.superseded.clone()))
            .collect(),
        plot: plot(site, &comparisons),
        shell,
        job,
        devices,
    }
}

fn row(site: &Site, record: &Record, c: &Comparison) -> Row {
    let reading = record.readings.get(&c.reading);
    Row {
        reading: c.reading.to_string(),
        from: name(site, &c.from),
        to: name(site, &c.to),
        at: reading.map(|r| day(&r.at)).unwrap_or_default(),
        source: reading.map(|r| r.source.clone()).unwrap_or_default(),
        measured: as_read(c.measured),
        predicted: typographic(c.predicted.get(), 1),
        residual: signed(c.residual()),
        others: typographic(c.others_say.get(), 1),
        sigma: typographic(c.sigma.get(), 1),
        verdict: match c.verdict.word() {
            "as-planned" => "as planned",
            "learned" => "differs, learned",
            "aside" => "excluded",
            _ => "left out",
        },
        reason: c.slip.as_ref().map(ToString::to_string).unwrap_or_default(),
        aside: c.slip.is_some(),
    }
}

fn plot(site: &Site, comparisons: &[&Comparison]) -> Plot {
    let place =
        |level: f64| (((level - FROM) / (TO - FROM)).clamp(0.0, 1.0) * SIZE * 10.0).round() / 10.0;
    let ticks = [-100.0, -80.0, -60.0, -40.0];
    let edge = |by: f64| {
        let (low, high) = (SIZE - place(FROM + by), SIZE - place(TO + by));
        format!("M{} {low}L{} {high}", place(FROM), place(TO))
    };
    let dot = |c: &&Comparison| PlotDot {
        x: place(c.predicted.get()),
        y: SIZE - place(c.measured.get()),
        class: match (c.slip.is_some(), c.differs()) {
            (true, _) => "reading aside",
            (_, true) => "reading differs",
            _ => "reading",
        },
        title: format!(
            "{} to {}: {}",
            name(site, &c.from),
            name(site, &c.to),
            signed(c.residual())
        ),
    };
    let two = 2.0 * dot_reach_core::analysis::PLANNING_SIGMA.get();
    Plot {
        size: SIZE,
        ticks: ticks.map(|t| (place(t), SIZE - place(t), typographic(t, 0))).to_vec(),
        dots: comparisons.iter().map(dot).collect(),
        band: [edge(two), edge(-two)],
    }
}
