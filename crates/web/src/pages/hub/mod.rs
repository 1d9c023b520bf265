//! Where the hub could stand: candidates analysed in full, and where on the floor to look.

use std::sync::Arc;
use std::time::Duration;

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::analysis::Analysis;
use dot_reach_core::coverage::Grid;
use dot_reach_core::placement::advice::Advice;
use dot_reach_core::placement::backhaul::{LEAST_WIFI, MOST_CABLE_M, MOST_LEAD_M};
use dot_reach_core::placement::ranking::{RankedPlace, beside_the_advice, ranked};
use dot_reach_core::placement::{
    HubSearch, Places, Radios, hub_heat, hub_positions, radios_at_hub,
};
use dot_reach_core::site::{FloorId, Site};
use dot_reach_core::units::{Metres, typographic};
use dot_reach_store::StoreError;
use serde::Deserialize;
use serde_json::json;

use crate::door::{AskedJob, For, See};
use crate::drawing::plan::{Plan, blank, sheet};
use crate::drawing::stairs::signed;
use crate::error::WebError;
use crate::pages::{Shell, advice, money, printed};
use crate::work::{About, Question, Ticket, WorkFound};

#[derive(Deserialize)]
pub(crate) struct Query {
    #[serde(default)]
    network: String,
    #[serde(default)]
    floor: String,
    /// `alone` for this radio by itself; else all that stand together.
    #[serde(default)]
    radios: String,
    /// Places that a person marked: `storey@right,down`, parted by spaces.
    #[serde(default)]
    spots: String,
}

/// What is looked for, by the words of an address.
pub(crate) fn search(radios: &str, spots: &str) -> HubSearch {
    let radios = if radios == "alone" { Radios::Alone } else { Radios::Together };
    let spot = |text: &str| {
        let (floor, at) = text.split_once('@')?;
        let (x, y) = at.split_once(',')?;
        let at = [x.parse().ok()?, y.parse().ok()?];
        Some((floor.parse().ok()?, at)).filter(|_| at.iter().all(|v: &f64| v.abs() < 1000.0))
    };
    HubSearch { radios, spots: spots.split_whitespace().filter_map(spot).collect() }
}

#[derive(Template)]
#[template(path = "hub/page.html")]
struct Page {
    shell: Shell,
    job: String,
    network: String,
    networks: Vec<(String, String, bool)>,
    floors: Vec<(String, String, bool)>,
    /// The places are being scored; what the page asks meanwhile.
    working: bool,
    question: String,
    reason: String,
    of_hub: Option<String>,
    beside: Option<String>,
    rows: Vec<Row>,
    plan: Plan,
    legend: Vec<(&'static str, String)>,
    currency: String,
    hubs: usize,
    /// How many radios stand at the hub's place, and whether this one is looked at by itself.
    together: usize,
    alone: bool,
    floor: String,
    spots: String,
    /// What was analysed: how many places, for which networks, and which were not.
    analysed: usize,
    scored_for: String,
    left_out: String,
    left_out_count: usize,
    knows_router: bool,
    /// The longest lead, the longest cable and the weakest Wi-Fi of a hub.
    wants: (String, String, String),
}

struct Row {
    /// Its number in the list and on the plan.
    rank: usize,
    name: String,
    /// The surveyed point; nothing where the move itself makes it.
    point: String,
    edit_json: String,
    as_it_is: bool,
    is_advised: bool,
    /// Repeaters to buy with the hub there, what all of it costs, and how many it leaves below target.
    bought: String,
    cost: String,
    left: String,
    cable: String,
    wifi: String,
    sound: usize,
    thin: usize,
    out: usize,
    worst: String,
    deepest: usize,
    against: String,
}

/// How long a page waits for the places before it is shown without them.
const AT_ONCE: Duration = Duration::from_millis(150);

/// Scores every place where the hub of a network could stand, for a job as it stands.
pub(crate) async fn ticket(
    job: &AskedJob,
    network: &str,
    search: HubSearch,
) -> Result<Arc<Ticket>, WebError> {
    let analysis = job.analysed().await?;
    let place = chosen(&analysis, network);
    let network = analysis.networks.get(place).ok_or(WebError::NotFound("network"))?;
    let about = About::HubPlaces(network.network.clone(), search.clone());
    let question = Question::Job { job: job.id.clone(), revision: job.revision, about };
    let shared = Arc::clone(&analysis);
    Ok(job.app.work.begin(question, move |pulse| {
        let network = shared.networks.get(place)?;
        let mut broken = false;
        let positions = hub_positions(&shared, network, &search, &mut |done, of| {
            let goes_on = pulse(done, of);
            broken |= goes_on.is_break();
            goes_on
        });
        (!broken).then(|| WorkFound::HubPlaces(Arc::new(positions)))
    }))
}

fn chosen(analysis: &Analysis, network: &str) -> usize {
    let named = analysis.networks.iter().position(|n| n.network.as_str() == network);
    let with_hub = || analysis.networks.iter().position(|n| !n.hubs.is_empty());
    named.or_else(with_hub).unwrap_or(0)
}

/// The storey that was asked for, or that of the hub, or the lowest.
fn chosen_floor(analysis: &Analysis, place: usize, asked: &str) -> Option<FloorId> {
    let site = &analysis.site;
    let of_hub = || {
        let network = analysis.networks.get(place)?;
        let hub = site.devices.get(&network.nodes[*network.hubs.first()?].device)?;
        Some(site.point_of(hub)?.floor.clone())
    };
    let named = asked.parse().ok().filter(|f| site.floors.get(f).is_some());
    named.or_else(of_hub).or_else(|| site.floors_upward().first().map(|f| f.id.clone()))
}

#[get("/jobs/{job}/hub")]
pub(crate) async fn show(
    For(job, query, ..): For<See, web::Query<Query>>,
) -> Result<HttpResponse, WebError> {
    let analysis = job.analysed().await?;
    let place = chosen(&analysis, &query.network);
    let floor = chosen_floor(&analysis, place, &query.floor);
    let shared = (Arc::clone(&analysis), floor.clone());
    let heat = move || {
        let (analysis, floor) = shared;
        let network = analysis.networks.get(place)?;
        hub_heat(&analysis, network, &floor?, Metres::new(1.2), Metres::new(0.5))
    };
    let heat = job.compute(heat).await?;
    let search = search(&query.radios, &query.spots);
    let found = match ticket(&job, &query.network, search.clone()).await {
        Ok(ticket) => ticket.within(AT_ONCE).await,
        Err(_) => None,
    };
    let places = match found {
        Some(WorkFound::HubPlaces(places)) => Some(places),
        _ => None,
    };
    // The ranking is the adviser's: both are needed for it.
    let question = advice::Query::of_hub(&query.network, &query.radios, &query.spots);
    let advice = match advice::ticket(&job, &question).await {
        Ok(ticket) if places.is_some() => match ticket.within(AT_ONCE).await {
            Some(WorkFound::Advice(advice)) => Some(advice),
            _ => None,
        },
        _ => None,
    };
    printed(job, move |job| {
        let asked = Asked {
            advice: &question,
            has_places: places.is_some(),
            place,
            floor: floor.as_ref(),
            search: &search,
            spots: &query.spots,
        };
        let known = places.as_deref().zip(advice.as_deref());
        page(job, &analysis, asked, heat.as_ref(), known)
    })
    .await
}

/// What is looked at: the network by its place, the storey, what is looked for, what the adviser is asked.
struct Asked<'a> {
    advice: &'a advice::Query,
    /// Whether the places are analysed, and the adviser is waited for.
    has_places: bool,
    place: usize,
    floor: Option<&'a FloorId>,
    search: &'a HubSearch,
    spots: &'a str,
}

fn page(
    job: &AskedJob,
    analysis: &Analysis,
    Asked { advice: query, has_places, place, floor, search, spots }: Asked<'_>,
    heat: Option<&(Grid, Vec<f64>)>,
    known: Option<(&Places, &Advice)>,
) -> Result<Page, WebError> {
    let site = &job.site;
    let network = analysis.networks.get(place);
    let places = known.map(|(places, _)| places);
    let ranked = known.map(|(places, advice)| ranked(advice, places)).unwrap_or_default();
    let rows = ranked.iter().enumerate().map(|(n, place)| row(site, n + 1, place));
    let cost = |amount: f64| money(amount, 2, &site.job.currency);
    let sentences = known.map(|(_, advice)| advice.sentences(&cost)).unwrap_or_default();
    let no_hub = network.is_none_or(|n| n.hubs.is_empty() || n.is_hubless);
    let no_hub = no_hub.then(|| "There is no hub to move: put one on the plan.".to_owned());
    let knows_router =
        places.is_none_or(|all| all.positions.iter().any(|p| p.backhaul.knows_uplink));
    let floors = site.floors_upward();
    Ok(Page {
        shell: job.shell("hub"),
        job: job.id.to_string(),
        network: network.map(|n| n.network.to_string()).unwrap_or_default(),
        networks: analysis
            .networks
            .iter()
            .enumerate()
            .map(|(i, n)| (n.network.to_string(), n.name.clone(), i == place))
            .collect(),
        floors: floors
            .iter()
            .map(|f| (f.id.to_string(), f.name.clone(), Some(&f.id) == floor))
            .collect(),
        working: known.is_none() && no_hub.is_none(),
        question: if has_places {
            query.question()
        } else {
            json!({
                "ask": "hub-places", "network": network.map(|n| &n.network), "spots": spots,
                "radios": if search.radios == Radios::Alone { "alone" } else { "" },
            })
            .to_string()
        },
        reason: no_hub.or_else(|| sentences.first().cloned()).unwrap_or_default(),
        of_hub: sentences.get(1).filter(|s| s.starts_with("The hub is best")).cloned(),
        beside: known.and_then(|(_, advice)| beside_the_advice(advice, &ranked, &cost)),
        together: network.map_or(0, |n| radios_at_hub(analysis, n)),
        alone: search.radios == Radios::Alone,
        floor: floor.map(ToString::to_string).unwrap_or_default(),
        spots: spots.to_owned(),
        analysed: places.map_or(0, |p| p.positions.len()),
        scored_for: places.map(|p| p.networks.join(", ")).unwrap_or_default(),
        left_out: places.map(|p| p.left_out.join(", ")).unwrap_or_default(),
        left_out_count: places.map_or(0, |p| p.left_out.len()),
        rows: rows.collect::<Result<_, WebError>>()?,
        plan: heat_sheet(analysis, place, floor, heat, &ranked),
        legend: vec![
            ("ground-solid", "with the hub here nine in ten devices are at target".to_owned()),
            ("ground-sound", "three quarters".to_owned()),
            ("ground-thin", "half".to_owned()),
            ("ground-out", "fewer".to_owned()),
        ],
        currency: site.job.currency.clone(),
        hubs: network.map_or(0, |n| n.hubs.len()),
        knows_router,
        wants: (
            format!("{MOST_LEAD_M:.0} m"),
            format!("{MOST_CABLE_M:.0} m"),
            format!("{LEAST_WIFI:.0}"),
        ),
    })
}

/// The storey, tinted by how many devices a hub at each place would have at target.
fn heat_sheet(
    analysis: &Analysis,
    place: usize,
    floor: Option<&FloorId>,
    heat: Option<&(Grid, Vec<f64>)>,
    ranked: &[RankedPlace],
) -> Plan {
    let network = analysis.networks.get(place);
    let devices = network.map_or(0, |n| n.nodes.len().saturating_sub(n.hubs.len()));
    #[expect(clippy::cast_precision_loss, reason = "a count of devices")]
    let all = devices.max(1) as f64;
    let shares = [(0.5, "half"), (0.75, "three quarters"), (0.9, "nine in ten")];
    let mut plan = floor.map_or_else(blank, |f| sheet(&analysis.site, f, None));
    if let Some((grid, heard)) = heat {
        let steps = shares.map(|(share, name)| (share * all, name.to_owned()));
        plan.cover_steps(grid, heard, &steps);
    }
    if let Some((network, floor)) = network.zip(floor) {
        plan.radios(analysis, network, floor, None);
        plan.routes.clear();
        let ranked = ranked.iter().map(|r| &r.position).enumerate();
        let here = ranked.filter(|(_, p)| p.floor == *floor);
        plan.marks(here.map(|(n, p)| (p.at, (n + 1).to_string(), p.name.clone())));
    }
    plan
}

fn row(site: &Site, rank: usize, ranked: &RankedPlace) -> Result<Row, WebError> {
    let p = &ranked.position;
    let none = || "–".to_owned();
    let cable = p.backhaul.cable.as_ref();
    Ok(Row {
        rank,
        name: p.name.clone(),
        point: site.points.get(&p.point).map(|p| p.id.to_string()).unwrap_or_default(),
        edit_json: serde_json::to_string(&p.edit).map_err(StoreError::Row)?,
        as_it_is: p.as_it_is,
        is_advised: ranked.is_advised,
        bought: ranked.needs.map_or_else(none, |n| n.repeaters.to_string()),
        cost: ranked.needs.map_or_else(none, |n| typographic(n.cost, 0)),
        left: ranked.needs.map_or_else(none, |n| n.left.to_string()),
        sound: p.score.sound,
        thin: p.score.thin,
        out: p.score.out,
        worst: p.score.worst.map_or_else(none, |w| signed(w).trim_end_matches(" dB").to_owned()),
        deepest: p.score.deepest,
        cable: cable.map_or_else(none, |(length, _)| format!("{:.0}", length.get())),
        wifi: p.backhaul.wifi.map_or_else(none, |w| typographic(w.get(), 0)),
        against: p.against.join("; "),
    })
}
