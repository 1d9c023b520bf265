//! Where the hub could stand: candidates analysed in full, and where on the floor to look.

use std::sync::Arc;

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::placement::backhaul::{LEAST_WIFI, MOST_CABLE_M, MOST_LEAD_M};
use dot_reach_core::placement::{hub_heat, hub_positions, reason};
use dot_reach_core::site::FloorId;
use dot_reach_core::units::{Metres, typographic};
use dot_reach_store::StoreError;
use serde::Deserialize;

use crate::app::App;
use crate::drawing::plan::{Plan, blank, sheet};
use crate::drawing::stairs::signed;
use crate::error::WebError;
use crate::pages::{Opened, Shell, analysed, html};

#[derive(Deserialize)]
pub(crate) struct Query {
    #[serde(default)]
    network: String,
    #[serde(default)]
    floor: String,
}

#[derive(Template)]
#[template(path = "hub/page.html")]
struct Page {
    shell: Shell,
    job: String,
    network: String,
    networks: Vec<(String, String, bool)>,
    floors: Vec<(String, String, bool)>,
    reason: String,
    rows: Vec<Row>,
    plan: Plan,
    legend: Vec<(&'static str, String)>,
    hubs: usize,
    knows_router: bool,
    /// The longest lead, the longest cable and the weakest Wi-Fi of a hub.
    wants: (String, String, String),
}

struct Row {
    name: String,
    /// The surveyed point; nothing where the move itself makes it.
    point: String,
    edit_json: String,
    as_it_is: bool,
    repeaters: usize,
    cable: String,
    wifi: String,
    sound: usize,
    thin: usize,
    out: usize,
    worst: String,
    deepest: usize,
    against: String,
}

#[get("/jobs/{job}/hub")]
pub(crate) async fn show(
    job: web::Path<String>,
    query: web::Query<Query>,
    app: web::Data<App>,
) -> Result<HttpResponse, WebError> {
    let Opened { job, site, shell, .. } = Opened::of(&app, &job, "Reach")?;
    let analysis = analysed(&app, &job, &site).await?;
    let place = analysis
        .networks
        .iter()
        .position(|n| n.network.as_str() == query.network)
        .or_else(|| analysis.networks.iter().position(|n| !n.hubs.is_empty()))
        .unwrap_or(0);
    let floors = site.floors_upward();
    let floor: Option<FloorId> = query
        .floor
        .parse()
        .ok()
        .filter(|f| site.floors.get(f).is_some())
        .or_else(|| {
            let network = analysis.networks.get(place)?;
            let hub = site.devices.get(&network.nodes[*network.hubs.first()?].device)?;
            Some(site.point_of(hub)?.floor.clone())
        })
        .or_else(|| floors.first().map(|f| f.id.clone()));
    let shared = Arc::clone(&analysis);
    let asked = floor.clone();
    let (positions, heat) = app
        .compute(move || {
            let Some(network) = shared.networks.get(place) else { return Default::default() };
            let heat = asked
                .and_then(|f| hub_heat(&shared, network, &f, Metres::new(1.2), Metres::new(0.5)));
            (hub_positions(&shared, network), heat)
        })
        .await?;
    let network = analysis.networks.get(place);
    let devices = network.map_or(0, |n| n.nodes.len().saturating_sub(n.hubs.len()));
    #[expect(clippy::cast_precision_loss, reason = "a count of devices")]
    let all = devices.max(1) as f64;
    let shares = [(0.5, "half"), (0.75, "three quarters"), (0.9, "nine in ten")];
    let mut plan = floor.as_ref().map_or_else(blank, |f| sheet(&site, f, None));
    if let Some((grid, heard)) = &heat {
        let steps = shares.map(|(share, name)| (share * all, name.to_owned()));
        plan.cover_steps(grid, heard, &steps);
    }
    if let (Some(network), Some(floor)) = (network, &floor) {
        plan.radios(&analysis, network, floor, None);
        plan.routes.clear();
    }
    let rows = positions.iter().map(|p| {
        let none = || "–".to_owned();
        let cable = p.backhaul.cable.as_ref();
        Ok(Row {
            name: p.name.clone(),
            point: site.points.get(&p.point).map(|p| p.id.to_string()).unwrap_or_default(),
            edit_json: serde_json::to_string(&p.edit).map_err(StoreError::Row)?,
            as_it_is: p.as_it_is,
            sound: p.sound,
            thin: p.thin,
            out: p.out,
            worst: p.worst.map_or_else(none, signed),
            deepest: p.deepest,
            repeaters: p.repeaters,
            cable: cable.map_or_else(none, |(length, _)| format!("{:.0}", length.get())),
            wifi: p.backhaul.wifi.map_or_else(none, |w| typographic(w.get(), 0)),
            against: p.against.join("; "),
        })
    });
    let knows_router = positions.iter().any(|p| p.backhaul.cable.is_some());
    html(&Page {
        shell,
        job: job.to_string(),
        network: network.map(|n| n.network.to_string()).unwrap_or_default(),
        networks: analysis
            .networks
            .iter()
            .enumerate()
            .map(|(i, n)| (n.network.to_string(), n.name.clone(), i == place))
            .collect(),
        floors: floors
            .iter()
            .map(|f| (f.id.to_string(), f.name.clone(), Some(&f.id) == floor.as_ref()))
            .collect(),
        reason: reason(&positions),
        rows: rows.collect::<Result<_, WebError>>()?,
        plan,
        legend: vec![
            ("ground-solid", "with the hub here nine in ten devices are at target".to_owned()),
            ("ground-sound", "three quarters".to_owned()),
            ("ground-thin", "half".to_owned()),
            ("ground-out", "fewer".to_owned()),
        ],
        hubs: network.map_or(0, |n| n.hubs.len()),
        knows_router,
        wants: (
            format!("{MOST_LEAD_M:.0} m"),
            format!("{MOST_CABLE_M:.0} m"),
            format!("{LEAST_WIFI:.0}"),
        ),
    })
}
