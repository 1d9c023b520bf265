//! Three ways of reckoning, side by side, for every link in use.

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::network::Band;
use dot_reach_core::network::NetworkAnalysis;
use dot_reach_core::network::link::worse_margin;
use dot_reach_core::propagation::schools::PathLossSchool;
use dot_reach_core::units::{Db, typographic};
use serde::Deserialize;

use crate::door::{For, See};
use crate::error::WebError;
use crate::pages::{Shell, printed};
use dot_reach_core::units::count_of;

#[derive(Deserialize)]
pub(crate) struct Query {
    #[serde(default)]
    network: String,
}

#[derive(Template)]
#[template(path = "schools/page.html")]
struct Page {
    shell: Shell,
    job: String,
    networks: Vec<(String, String, bool)>,
    schools: Vec<SchoolCard>,
    rows: Vec<Row>,
    apart: usize,
}

struct SchoolCard {
    name: &'static str,
    assumes: &'static str,
    counts: String,
}

struct Row {
    from: String,
    to: String,
    length: String,
    losses: Vec<String>,
    margins: Vec<(String, &'static str)>,
    spread: String,
    far_apart: bool,
}

/// Schools that differ by more than this are worth a look.
const APART: f64 = 10.0;

#[get("/jobs/{job}/schools")]
pub(crate) async fn show(
    For(job, query, ..): For<See, web::Query<Query>>,
) -> Result<HttpResponse, WebError> {
    let shell = job.shell("schools");
    let analysis = job.analysed().await?;
    printed(job, move |job| {
        let found = analysis.networks.iter().position(|n| n.network.as_str() == query.network);
        let place = found.unwrap_or(0);
        let networks = analysis
            .networks
            .iter()
            .enumerate()
            .map(|(i, n)| (n.network.to_string(), n.name.clone(), i == place))
            .collect();
        let links = analysis.networks.get(place).map(links).unwrap_or_default();
        let band = |m: &Db| Band::of(*m, analysis.target);
        let schools = PathLossSchool::ALL.iter().enumerate().map(|(i, school)| {
            let sound = links.iter().filter(|l| band(&l.margins[i]) >= Band::Sound).count();
            let out = links.iter().filter(|l| band(&l.margins[i]) == Band::Out).count();
            let counts = format!(
                "{sound} of {} at target, {out} not reached",
                count_of(links.len(), "link", "links")
            );
            SchoolCard { name: school.name(), assumes: school.assumes(), counts }
        });
        let mut rows: Vec<_> = links.iter().map(|l| row(l, analysis.target)).collect();
        rows.sort_by(|a, b| b.0.total_cmp(&a.0));
        Ok(Page {
            shell,
            job: job.id.to_string(),
            networks,
            schools: schools.collect(),
            apart: rows.iter().filter(|(spread, _)| *spread > APART).count(),
            rows: rows.into_iter().map(|(_, row)| row).collect(),
        })
    })
    .await
}

struct Compared {
    from: String,
    to: String,
    length: f64,
    losses: [Db; 3],
    margins: [Db; 3],
}

/// The links in use, by each school.
fn links(network: &NetworkAnalysis) -> Vec<Compared> {
    let hops = network.outcomes.iter().filter_map(|o| o.hops.last());
    hops.filter_map(|hop| {
        let (a, b) = (network.place_of(&hop.from)?, network.place_of(&hop.to)?);
        let (one, other) = (&network.nodes[a], &network.nodes[b]);
        let losses = PathLossSchool::ALL.map(|s| s.loss(&network.medium, one.place, other.place));
        let margins = losses.map(|loss| worse_margin(one, other, loss));
        Some(Compared {
            from: one.name.clone(),
            to: other.name.clone(),
            length: one.place.distance(other.place),
            losses,
            margins,
        })
    })
    .collect()
}

fn row(link: &Compared, target: Db) -> (f64, Row) {
    let all = link.losses.map(Db::get);
    let (low, high) =
        all.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), v| (l.min(*v), h.max(*v)));
    let spread = high - low;
    let margin = |m: Db| (typographic(m.get(), 1), Band::of(m, target).name());
    let row = Row {
        from: link.from.clone(),
        to: link.to.clone(),
        length: format!("{:.1}", link.length),
        losses: all.iter().map(|l| format!("{l:.1}")).collect(),
        margins: link.margins.map(margin).to_vec(),
        spread: format!("{spread:.1}"),
        far_apart: spread > APART,
    };
    (spread, row)
}
