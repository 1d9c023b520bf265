//! The Reach page in words and shapes.

use std::collections::BTreeSet;
use std::sync::Arc;

use dot_reach_core::analysis::{Analysis, NetworkAnalysis, Options};
use dot_reach_core::catalogue;
use dot_reach_core::coverage::{self, Coverage, Handset, Quantity, Request, contours_of};
use dot_reach_core::findings::{Finding, Screen};
use dot_reach_core::geometry::structure::Doors;
use dot_reach_core::network::{Band, Node, Outcome, Role};
use dot_reach_core::simulate::Chances;
use dot_reach_core::site::{DeviceId, FloorId, Site};
use dot_reach_core::staircase::staircase;
use dot_reach_core::units::{Db, Metres, typographic};
use dot_reach_formats::surface;
use dot_reach_store::JobId;

use super::Query;
use crate::app::App;
use crate::drawing::path::path;
use crate::drawing::plan::{Plan, blank, sheet};
use crate::drawing::section::{Section, section};
use crate::drawing::stairs::{Measured, StairPanel, panel};
use crate::drawing::{band_class, glyph};

/// Everything the page shows, ready to print.
pub(crate) struct View {
    pub(crate) job: String,
    pub(crate) floor: String,
    pub(crate) floor_name: String,
    pub(crate) network: String,
    pub(crate) select: String,
    pub(crate) down: String,
    pub(crate) doors: String,
    pub(crate) tabs: Vec<Tab>,
    pub(crate) frequency: String,
    pub(crate) target: String,
    pub(crate) sigma: String,
    pub(crate) confidence: String,
    pub(crate) plan: Plan,
    pub(crate) section: Section,
    pub(crate) rows: Vec<LedgerRow>,
    pub(crate) stairs: Vec<StairPanel>,
    pub(crate) stairs_heading: String,
    pub(crate) whatifs: Vec<WhatIf>,
    pub(crate) findings: Vec<FindingRow>,
    pub(crate) column: &'static str,
    pub(crate) empty: &'static str,
    pub(crate) shows: Vec<Choice>,
    pub(crate) carried: &'static str,
    pub(crate) height: String,
    pub(crate) legend: Vec<(&'static str, String)>,
    pub(crate) export: String,
    pub(crate) house_chance: String,
    pub(crate) chance: String,
    pub(crate) draws: u32,
    pub(crate) q: String,
    pub(crate) sort: &'static str,
    pub(crate) count: String,
    pub(crate) breakers: Vec<String>,
}

/// Something worth looking at, with the screen where it is cured.
pub(crate) struct FindingRow {
    pub(crate) text: String,
    pub(crate) cure: String,
    pub(crate) href: String,
}

pub(crate) struct Choice {
    pub(crate) value: &'static str,
    pub(crate) text: &'static str,
    pub(crate) chosen: bool,
}

pub(crate) struct Tab {
    pub(crate) id: String,
    pub(crate) name: String,
    pub(crate) system: &'static str,
    pub(crate) needs: usize,
    pub(crate) chosen: bool,
}

pub(crate) struct LedgerRow {
    pub(crate) id: String,
    pub(crate) name: String,
    pub(crate) glyph: &'static str,
    pub(crate) band: &'static str,
    pub(crate) hops: String,
    pub(crate) margin: String,
    pub(crate) selected: bool,
    pub(crate) details: Option<Details>,
}

pub(crate) struct Details {
    pub(crate) reason: String,
    pub(crate) route: String,
    pub(crate) hops: Vec<HopRow>,
    pub(crate) hops_words: String,
    pub(crate) role: String,
    pub(crate) place: String,
    pub(crate) success: String,
    pub(crate) parents: String,
    pub(crate) hangs_on: String,
    pub(crate) takes_down: Vec<String>,
    pub(crate) can_fail: bool,
    pub(crate) is_down: bool,
    pub(crate) point: String,
    pub(crate) findings: Vec<FindingRow>,
    pub(crate) hub: String,
    pub(crate) chance: String,
    pub(crate) second: String,
    pub(crate) breakers: String,
    pub(crate) battery: String,
    pub(crate) circuit: String,
    pub(crate) circuit_off: bool,
}

pub(crate) struct HopRow {
    pub(crate) to: String,
    pub(crate) out: String,
    pub(crate) back: String,
    pub(crate) class: &'static str,
}

pub(crate) struct WhatIf {
    pub(crate) id: String,
    pub(crate) text: String,
}

/// The side of a cell of the surface.
const CELL: Metres = Metres::new(0.25);
/// The height at which the surface is computed: a switch or a hand.
const HEIGHT: Metres = Metres::new(1.1);

/// What a query assumes beside the site.
pub(crate) fn options(query: &Query) -> Options {
    let down: BTreeSet<DeviceId> = query.down.split(',').filter_map(|id| id.parse().ok()).collect();
    let doors = match query.doors.as_str() {
        "open" => Doors::Open,
        "shut" => Doors::Shut,
        _ => Doors::AsDrawn,
    };
    let breakers_off = query.off.split(',').filter(|b| !b.is_empty()).map(str::to_owned).collect();
    Options { doors, down, breakers_off, ..Options::default() }
}

/// Computes and words the page.
pub(crate) fn view(app: &App, job: &JobId, site: &Arc<Site>, query: &Query) -> View {
    let options = options(query);
    let analysis = app.analysis(job, site, &options);
    let wanted: Option<DeviceId> = query.select.parse().ok();
    let wanted = wanted.filter(|id| analysis.find(id).is_some());
    let network = chosen_network(&analysis, query, wanted.as_ref());
    let selected = wanted.or_else(|| network.and_then(worst));
    let floor = chosen_floor(site, query, selected.as_ref());
    let request = floor.as_ref().map(|f| request(f, query));
    let quantity = Quantity::named(&query.show);
    let mut plan = floor.as_ref().map_or_else(blank, |f| sheet(site, f, None));
    if let Some((network, request)) = network.zip(request.as_ref()) {
        if let Some(surface) = app.surface(job, &analysis, network, request) {
            cover(&mut plan, &surface, quantity, network, &analysis);
        }
        plan.radios(&analysis, network, &request.floor, selected.as_ref());
    }
    let floor_name = floor
        .as_ref()
        .and_then(|f| site.floors.get(f))
        .map_or_else(String::new, |f| f.name.clone());
    let section = floor
        .as_ref()
        .map(|f| section(&analysis, network, f, selected.as_ref()))
        .unwrap_or_default();
    let at_spot = network.zip(request.as_ref()).and_then(|(network, request)| {
        let spot = spot(&query.spot)?;
        plan.spot = Some(((spot[0] * 100.0).round(), (spot[1] * 100.0).round()));
        let (carrier, node) = coverage::at_spot(&analysis, network, request, spot)?;
        Some(spot_stairs(&analysis, network, carrier, &node))
    });
    let of_device =
        || network.zip(selected.as_ref()).map(|(n, s)| stairs(&analysis, n, s)).unwrap_or_default();
    let (stairs_heading, stairs) = at_spot.unwrap_or_else(of_device);
    plan.bent = floor.as_ref().map(|f| bent(&analysis, f, &stairs)).unwrap_or_default();
    let shown = network.map(|n| shown(&analysis, n, query)).unwrap_or_default();
    if let Some(network) = network
        && !query.q.trim().is_empty()
    {
        // What the filter leaves out steps back, so that what it leaves in can be read.
        let kept: BTreeSet<String> =
            shown.iter().map(|p| network.nodes[*p].device.to_string()).collect();
        plan.isolate(&kept);
    }
    let chances = app.chances(job, &analysis);
    View {
        job: job.to_string(),
        floor: floor.map(|f| f.to_string()).unwrap_or_default(),
        floor_name,
        network: network.map(|n| n.network.to_string()).unwrap_or_default(),
        select: query.select.clone(),
        down: query.down.clone(),
        doors: query.doors.clone(),
        tabs: tabs(&analysis, network),
        frequency: network.map(|n| format!("{:.2}", n.medium.frequency())).unwrap_or_default(),
        target: analysis.target.to_string(),
        sigma: analysis.sigma.to_string(),
        confidence: format!("{:.0} %", site.job.confidence.get() * 100.0),
        plan,
        section,
        rows: network
            .map(|n| {
                rows(job, &analysis, n, &shown, &query.col, selected.as_ref(), chances.as_deref())
            })
            .unwrap_or_default(),
        stairs,
        stairs_heading,
        whatifs: whatifs(&analysis, query),
        findings: analysis
            .findings
            .iter()
            .filter(|f| f.device.is_none() && f.network.as_ref() == network.map(|n| &n.network))
            .map(|f| finding_row(job, f))
            .collect(),
        column: column_word(&query.col),
        empty: empty(site, network),
        shows: Quantity::ALL
            .iter()
            .map(|(q, value, text)| Choice { value, text, chosen: *q == quantity })
            .collect(),
        carried: if query.carried == "remote" { "remote" } else { "sensor" },
        height: format!("{:.1}", request.map_or(HEIGHT, |r| r.height).get()),
        legend: legend(quantity),
        export: export(network, query),
        chance: chances
            .as_ref()
            .and_then(|c| c.of_network(&network?.network))
            .map(|c| percent(c.all))
            .unwrap_or_default(),
        // With one network the house is that network.
        house_chance: chances
            .as_ref()
            .filter(|c| c.networks.len() > 1)
            .map(|c| percent(c.all))
            .unwrap_or_default(),
        draws: chances.as_ref().map_or(0, |c| c.draws),
        q: query.q.clone(),
        sort: sort_word(&query.sort),
        count: network.map_or_else(String::new, |n| count_words(shown.len(), n.nodes.len())),
        breakers: network.map(breakers).unwrap_or_default(),
    }
}

fn finding_row(job: &JobId, finding: &Finding) -> FindingRow {
    let of = |key: &str, id: Option<&str>| id.map_or_else(String::new, |id| format!("?{key}={id}"));
    let point = of("point", finding.point.as_ref().map(dot_reach_core::site::PointId::as_str));
    let network =
        of("network", finding.network.as_ref().map(dot_reach_core::site::NetworkId::as_str));
    let device = of("select", finding.device.as_ref().map(DeviceId::as_str));
    let href = match finding.screen {
        Screen::Brief => format!("/jobs/{job}/brief"),
        Screen::Survey => format!("/jobs/{job}/survey{point}"),
        Screen::Reach => {
            format!("/jobs/{job}/reach{}", if device.is_empty() { network } else { device })
        }
        Screen::Air => format!("/jobs/{job}/air{network}"),
    };
    FindingRow { text: finding.text.clone(), cure: finding.cure.clone(), href }
}

/// What the last column of the ledger shows.
fn column_word(word: &str) -> &'static str {
    ["success", "delay", "parents", "via"].into_iter().find(|w| *w == word).unwrap_or("margin")
}

fn column(network: &NetworkAnalysis, outcome: &Outcome, word: &str) -> String {
    if outcome.hops.is_empty() {
        return "–".to_owned();
    }
    match column_word(word) {
        "success" => format!("{:.0}", outcome.success * 100.0),
        "delay" => format!("{:.0}", outcome.delay_ms),
        "parents" => outcome.parents.to_string(),
        "via" => outcome.hops.last().map_or_else(String::new, |h| name(network, &h.from)),
        _ => outcome.weakest().map_or_else(|| "–".to_owned(), |h| typographic(h.margin().get(), 1)),
    }
}

fn count_words(shown: usize, all: usize) -> String {
    if shown == all { format!("{all} devices") } else { format!("{shown} of {all} devices") }
}

/// The query of an export of the surface that is looked at.
fn export(network: Option<&NetworkAnalysis>, query: &Query) -> String {
    format!(
        "network={}&show={}&carried={}&height={}&down={}&off={}&doors={}",
        network.map_or("", |n| n.network.as_str()),
        query.show,
        query.carried,
        query.height,
        query.down,
        query.off,
        query.doors
    )
}

/// Draws a surface by what it shows.
fn cover(
    plan: &mut Plan,
    surface: &Arc<Coverage>,
    quantity: Quantity,
    network: &NetworkAnalysis,
    analysis: &Analysis,
) {
    match steps(quantity) {
        None => plan.cover(surface, analysis.target),
        Some(steps) => {
            let values = shown_values(surface, quantity, network, analysis.sigma);
            plan.cover_steps(&surface.grid, &values, &steps);
        }
    }
}

fn sort_word(word: &str) -> &'static str {
    ["name", "room", "hops"].into_iter().find(|w| *w == word).unwrap_or("worst")
}

/// The breakers that feed devices of a network.
fn breakers(network: &NetworkAnalysis) -> Vec<String> {
    let circuits: BTreeSet<&str> =
        network.nodes.iter().map(|n| n.circuit.as_str()).filter(|c| !c.is_empty()).collect();
    circuits.into_iter().map(str::to_owned).collect()
}

/// The nodes that the ledger shows, in its order.
fn shown(analysis: &Analysis, network: &NetworkAnalysis, query: &Query) -> Vec<usize> {
    let room = |p: usize| {
        let device = analysis.site.devices.get(&network.nodes[p].device);
        let point = device.and_then(|d| analysis.site.point_of(d));
        let floor = point.and_then(|p| analysis.site.floors.get(&p.floor));
        let floor = floor.map_or("", |f| f.name.as_str());
        point.map_or_else(String::new, |p| format!("{} {floor}", p.room))
    };
    let words: Vec<String> = query.q.to_lowercase().split_whitespace().map(str::to_owned).collect();
    let holds = |p: &usize| {
        let (node, outcome) = (&network.nodes[*p], &network.outcomes[*p]);
        let way: Vec<_> = outcome.hops.iter().map(|h| name(network, &h.to)).collect();
        let text = format!(
            "{} {} {} {} {}",
            node.name,
            room(*p),
            outcome.band.name(),
            node.role.role.name(),
            way.join(" ")
        );
        let text = text.to_lowercase();
        words.iter().all(|w| text.contains(w))
    };
    let mut places: Vec<_> = worst_first(network).into_iter().filter(holds).collect();
    match sort_word(&query.sort) {
        "name" => places.sort_by_key(|p| network.nodes[*p].name.to_lowercase()),
        "room" => places.sort_by_key(|p| room(*p).to_lowercase()),
        "hops" => places.sort_by_key(|p| std::cmp::Reverse(network.outcomes[*p].hops.len())),
        _ => {}
    }
    places
}

fn percent(share: f64) -> String {
    format!("{:.0} %", share * 100.0)
}

fn request(floor: &FloorId, query: &Query) -> Request {
    let height = query.height.replace(',', ".").parse::<f64>().unwrap_or(HEIGHT.get());
    Request {
        floor: floor.clone(),
        handset: if query.carried == "remote" { Handset::Remote } else { Handset::Sensor },
        height: Metres::new(if height.is_finite() { height.clamp(0.0, 5.0) } else { HEIGHT.get() }),
        cell: CELL,
    }
}

fn spot(text: &str) -> Option<[f64; 2]> {
    let (x, y) = text.split_once(',')?;
    let metres = |t: &str| t.parse::<f64>().ok().filter(|v| v.abs() < 2000.0);
    Some([metres(x)?, metres(y)?])
}

/// The three steps in which a quantity other than margin is drawn, the second the one to have.
fn steps(quantity: Quantity) -> Option<[(f64, String); 3]> {
    let named = |level: f64, name: &str| (level, name.to_owned());
    match quantity {
        Quantity::Margin => None,
        // Hops are drawn by how few they are.
        Quantity::Hops => {
            Some([named(-3.5, "3 hops"), named(-2.5, "2 hops"), named(-1.5, "1 hop")])
        }
        Quantity::Parents => Some([named(0.5, "1"), named(1.5, "2"), named(2.5, "3")]),
        Quantity::Success => Some([named(0.8, "80 %"), named(0.95, "95 %"), named(0.99, "99 %")]),
    }
}

fn shown_values(
    surface: &Coverage,
    quantity: Quantity,
    network: &NetworkAnalysis,
    sigma: Db,
) -> Vec<f64> {
    let values = surface.values(quantity, network, sigma);
    if quantity != Quantity::Hops {
        return values;
    }
    values.into_iter().map(|v| if v.is_nan() { -99.0 } else { -v }).collect()
}

/// What the tints mean, strongest first.
fn legend(quantity: Quantity) -> Vec<(&'static str, String)> {
    let words = match quantity {
        Quantity::Margin => {
            ["solid, 10 dB over target", "sound, at target", "thin", "out of reach"]
        }
        Quantity::Hops => ["1 hop", "2 hops", "3 hops", "more, or out of reach"],
        Quantity::Parents => ["3 parents or more", "2 parents", "1 parent", "none at target"],
        Quantity::Success => ["99 % or more", "95 %", "80 %", "less"],
    };
    let classes = ["ground-solid", "ground-sound", "ground-thin", "ground-out"];
    classes.into_iter().zip(words.map(str::to_owned)).collect()
}

/// The surface and network that a query looks at, for an export.
fn looked_at(
    app: &App,
    job: &JobId,
    site: &Arc<Site>,
    query: &Query,
) -> Option<(Arc<Analysis>, Arc<Coverage>, usize)> {
    let analysis = app.analysis(job, site, &options(query));
    let network = chosen_network(&analysis, query, None)?;
    let place = analysis.networks.iter().position(|n| n.network == network.network)?;
    let floor = chosen_floor(site, query, None)?;
    let surface = app.surface(job, &analysis, network, &request(&floor, query))?;
    Some((analysis, surface, place))
}

/// The surface as CSV.
pub(crate) fn surface_csv(
    app: &App,
    job: &JobId,
    site: &Arc<Site>,
    query: &Query,
) -> Option<String> {
    let (analysis, surface, place) = looked_at(app, job, site, query)?;
    let quantity = Quantity::named(&query.show);
    let values = surface.values(quantity, &analysis.networks[place], analysis.sigma);
    let word = Quantity::ALL.iter().find(|(q, ..)| *q == quantity).map_or("margin", |(_, w, _)| w);
    Some(surface::csv(&surface.grid, &values, word))
}

/// Its contours.
pub(crate) fn surface_geojson(
    app: &App,
    job: &JobId,
    site: &Arc<Site>,
    query: &Query,
) -> Option<serde_json::Value> {
    let (analysis, surface, place) = looked_at(app, job, site, query)?;
    let quantity = Quantity::named(&query.show);
    let values = surface.values(quantity, &analysis.networks[place], analysis.sigma);
    let levels: Vec<f64> = match quantity {
        Quantity::Margin => (0..=10).map(|k| f64::from(k) * 5.0).collect(),
        Quantity::Hops | Quantity::Parents => (0..6).map(|k| f64::from(k) + 0.5).collect(),
        Quantity::Success => vec![0.5, 0.8, 0.9, 0.95, 0.99],
    };
    let word = Quantity::ALL.iter().find(|(q, ..)| *q == quantity).map_or("margin", |(_, w, _)| w);
    let values: Vec<f64> = values.into_iter().map(|v| if v.is_nan() { 99.0 } else { v }).collect();
    Some(surface::geojson(&contours_of(&surface.grid, &values, &levels), word))
}

/// The corners of ways that bounce or bend on the storey shown.
fn bent(analysis: &Analysis, floor: &FloorId, stairs: &[StairPanel]) -> String {
    let Some(floor) = analysis.site.floors.get(floor) else { return String::new() };
    let (low, high) = (floor.elevation_m.get() - 0.3, (floor.elevation_m + floor.height_m).get());
    let lines: Vec<Vec<[f64; 2]>> = stairs
        .iter()
        .filter(|s| s.corners.len() > 2)
        .filter(|s| s.corners.iter().any(|c| (low..=high).contains(&c.z)))
        .map(|s| s.corners.iter().map(|c| [c.x, c.y]).collect())
        .collect();
    path(&lines, false)
}

/// The staircase from the best radio to a place that was asked about, worse direction in front.
fn spot_stairs(
    analysis: &Analysis,
    network: &NetworkAnalysis,
    carrier: usize,
    node: &Node,
) -> (String, Vec<StairPanel>) {
    let serving = &network.nodes[carrier];
    let both = [(serving, node), (node, serving)]
        .map(|(a, b)| staircase(&network.medium, a, b, analysis.target));
    let [out, back] = both;
    let (front, behind) = if back.margin() < out.margin() { (back, out) } else { (out, back) };
    let f = network.medium.frequency();
    let heading = format!("Where the decibels go: {} and a handset at this spot", serving.name);
    (heading, vec![panel(1, &front, &behind, f, &[])])
}

/// What to do next where there is nothing to show.
fn empty(site: &Site, network: Option<&NetworkAnalysis>) -> &'static str {
    if site.walls.is_empty() {
        "Nothing is drawn yet. Go to Survey, put the plan image of a storey under the sheet or draw its walls."
    } else if network.is_none_or(|n| n.nodes.is_empty()) {
        "No devices in this network yet. Go to Survey and place a hub, then what it shall reach."
    } else if network.is_some_and(|n| n.hubs.is_empty()) {
        "This network has no hub yet. Go to Survey and place one where it can really stand."
    } else {
        ""
    }
}

fn chosen_network<'a>(
    analysis: &'a Analysis,
    query: &Query,
    selected: Option<&DeviceId>,
) -> Option<&'a NetworkAnalysis> {
    let of_device = selected.and_then(|s| analysis.find(s)).map(|(n, _)| n);
    let named = || analysis.networks.iter().find(|n| n.network.as_str() == query.network);
    // Of several, the one with the most that needs someone.
    let neediest = || analysis.networks.iter().rev().max_by_key(|n| (needs(n), n.nodes.len()));
    of_device.or_else(named).or_else(neediest)
}

fn chosen_floor(site: &Site, query: &Query, selected: Option<&DeviceId>) -> Option<FloorId> {
    let named = query.floor.parse().ok().filter(|f| site.floors.get(f).is_some());
    let of_device = || {
        let device = site.devices.get(selected?)?;
        site.point_of(device).map(|p| p.floor.clone())
    };
    named.or_else(of_device).or_else(|| site.floors_upward().first().map(|f| f.id.clone()))
}

fn needs(network: &NetworkAnalysis) -> usize {
    network.outcomes.iter().filter(|o| o.band <= Band::Thin).count()
}

fn sort_key(outcome: &Outcome) -> (Band, f64) {
    (outcome.band, outcome.weakest().map_or(f64::INFINITY, |h| h.margin().get()))
}

fn worst_first(network: &NetworkAnalysis) -> Vec<usize> {
    let mut places: Vec<_> = (0..network.nodes.len()).collect();
    places.sort_by(|a, b| {
        let (a, b) = (sort_key(&network.outcomes[*a]), sort_key(&network.outcomes[*b]));
        a.0.cmp(&b.0).then(a.1.total_cmp(&b.1))
    });
    places
}

fn worst(network: &NetworkAnalysis) -> Option<DeviceId> {
    worst_first(network)
        .into_iter()
        .find(|p| !network.hubs.contains(p))
        .map(|p| network.nodes[p].device.clone())
}

fn tabs(analysis: &Analysis, chosen: Option<&NetworkAnalysis>) -> Vec<Tab> {
    let tab = |n: &NetworkAnalysis| Tab {
        id: n.network.to_string(),
        name: n.name.clone(),
        system: n.system.name(),
        needs: needs(n),
        chosen: chosen.is_some_and(|c| c.network == n.network),
    };
    analysis.networks.iter().map(tab).collect()
}

fn name(network: &NetworkAnalysis, id: &DeviceId) -> String {
    network.place_of(id).map_or_else(String::new, |p| network.nodes[p].name.clone())
}

fn rows(
    job: &JobId,
    analysis: &Analysis,
    network: &NetworkAnalysis,
    shown: &[usize],
    col: &str,
    selected: Option<&DeviceId>,
    chances: Option<&Chances>,
) -> Vec<LedgerRow> {
    let row = |place: usize| {
        let (node, outcome) = (&network.nodes[place], &network.outcomes[place]);
        let is_selected = selected == Some(&node.device);
        LedgerRow {
            id: node.device.to_string(),
            name: node.name.clone(),
            glyph: glyph(node),
            band: band_class(outcome.band),
            hops: match outcome.hops.len() {
                0 if network.hubs.contains(&place) => "hub".to_owned(),
                0 => "–".to_owned(),
                n => n.to_string(),
            },
            margin: column(network, outcome, col),
            selected: is_selected,
            details: is_selected.then(|| details(job, analysis, network, place, chances)),
        }
    };
    shown.iter().copied().map(row).collect()
}

fn plural(count: usize, one: &str, many: &str) -> String {
    if count == 1 { format!("1 {one}") } else { format!("{count} {many}") }
}

fn details(
    job: &JobId,
    analysis: &Analysis,
    network: &NetworkAnalysis,
    place: usize,
    chances: Option<&Chances>,
) -> Details {
    let site = &analysis.site;
    let (node, outcome) = (&network.nodes[place], &network.outcomes[place]);
    let route: Vec<_> = outcome
        .hops
        .first()
        .map(|h| name(network, &h.from))
        .into_iter()
        .chain(outcome.hops.iter().map(|h| name(network, &h.to)))
        .collect();
    let hops = outcome.hops.iter().map(|h| HopRow {
        to: name(network, &h.to),
        out: typographic(h.margin_out.get(), 1),
        back: typographic(h.margin_back.get(), 1),
        class: band_class(Band::of(h.margin(), h.target)),
    });
    let device = site.devices.get(&node.device);
    let point = device.and_then(|d| site.point_of(d));
    let place_words = point.map_or_else(String::new, |p| {
        let circuit =
            if p.circuit.is_empty() { String::new() } else { format!(", breaker {}", p.circuit) };
        let room = if p.room.is_empty() { "no room".to_owned() } else { p.room.clone() };
        format!("{room}, {} up{circuit}", p.height_m)
    });
    let is_reached = !outcome.hops.is_empty();
    let chance = chances.and_then(|c| Some((c.of(&node.device)?, c.draws)));
    let second = || match network.second_route(place) {
        Some(way) if way.len() > 2 => {
            let names: Vec<_> = way.iter().map(|p| network.nodes[*p].name.as_str()).collect();
            format!("Second way, sharing no device: {}.", names.join(" › "))
        }
        Some(_) => "Second way: straight from the hub.".to_owned(),
        None if outcome.hops.len() > 1 => "There is no second way round.".to_owned(),
        None => String::new(),
    };
    let battery = catalogue::kind(&node.kind).and_then(|k| k.draw).and_then(|draw| {
        let years = draw.years_of(outcome)?;
        Some(format!(
            "Its {} last about {years:.1} years here; {:.1} with no message sent twice.",
            draw.cell.name(),
            draw.years(1.0)
        ))
    });
    Details {
        battery: battery.unwrap_or_default(),
        circuit: node.circuit.clone(),
        circuit_off: analysis.options.breakers_off.contains(&node.circuit),
        chance: chance
            .map(|(p, draws)| format!("Reached in {} of {draws} houses drawn.", percent(p)))
            .unwrap_or_default(),
        second: if is_reached { second() } else { String::new() },
        breakers: outcome.hangs_on_breakers.join(", "),
        reason: outcome.reason.to_string(),
        route: route.join(" › "),
        hops_words: if is_reached {
            format!(
                "{}, {}",
                plural(outcome.hops.len(), "hop", "hops"),
                plural(outcome.repeaters(), "repeater", "repeaters")
            )
        } else {
            String::new()
        },
        hops: hops.collect(),
        role: format!("{}: {}", node.role.role.name(), node.role.why),
        place: place_words,
        success: if is_reached {
            format!(
                "{:.0} % of messages, about {:.0} ms from the hub",
                outcome.success * 100.0,
                outcome.delay_ms
            )
        } else {
            String::new()
        },
        parents: plural(outcome.parents, "parent at target", "parents at target"),
        hangs_on: outcome.hangs_on.iter().map(|d| name(network, d)).collect::<Vec<_>>().join(", "),
        takes_down: analysis
            .lost_without(&node.device)
            .into_iter()
            .map(|o| name(network, &o.device))
            .collect(),
        can_fail: node.role.role == Role::Forwards,
        is_down: analysis.options.down.contains(&node.device),
        point: point.map(|p| p.id.to_string()).unwrap_or_default(),
        findings: analysis
            .findings
            .iter()
            .filter(|f| f.device.as_ref() == Some(&node.device))
            .map(|f| finding_row(job, f))
            .collect(),
        hub: if network.hubs.len() > 1 {
            outcome.hub.as_ref().map(|h| name(network, h)).unwrap_or_default()
        } else {
            String::new()
        },
    }
}

/// One panel a hop along the route; for what is not reached, the best link it has.
fn stairs(
    analysis: &Analysis,
    network: &NetworkAnalysis,
    selected: &DeviceId,
) -> (String, Vec<StairPanel>) {
    let Some(place) = network.place_of(selected) else { return Default::default() };
    let outcome = &network.outcomes[place];
    let mut pairs: Vec<(usize, usize)> = outcome
        .hops
        .iter()
        .filter_map(|h| Some((network.place_of(&h.from)?, network.place_of(&h.to)?)))
        .collect();
    let heading = if !pairs.is_empty() {
        format!("Where the decibels go: hub to {}", network.nodes[place].name)
    } else if network.hubs.contains(&place) {
        "This is the hub: choose a device to see where the decibels go.".to_owned()
    } else {
        pairs.extend(network.best_carrier(place).map(|n| (n, place)));
        format!("Not reached. The best link that {} has", network.nodes[place].name)
    };
    let medium = &network.medium;
    let target =
        |a: usize, b: usize| network.links.between(a, b).map_or(analysis.target, |l| l.target);
    let count = pairs.len();
    let panels = pairs.into_iter().map(|(a, b)| {
        let stairs = |from: usize, to: usize| {
            staircase(medium, &network.nodes[from], &network.nodes[to], target(from, to))
        };
        let (out, back) = (stairs(a, b), stairs(b, a));
        // The worse direction stands in front.
        let worse_back = back.margin() < out.margin();
        let (front, behind) = if worse_back { (back, out) } else { (out, back) };
        let (from, to) = if worse_back { (b, a) } else { (a, b) };
        let (from, to) = (&network.nodes[from].device, &network.nodes[to].device);
        let readings = analysis.site.readings.iter();
        let measured: Vec<_> = readings
            .filter(|r| r.from == *from && r.to == *to)
            .map(|r| Measured { level: r.rssi_dbm })
            .collect();
        panel(count, &front, &behind, network.medium.frequency(), &measured)
    });
    (heading, panels.collect())
}

fn whatifs(analysis: &Analysis, query: &Query) -> Vec<WhatIf> {
    let device = |id: &DeviceId| {
        let name = analysis.site.devices.get(id).map_or(id.as_str(), |d| d.name.as_str());
        WhatIf { id: id.to_string(), text: format!("{name} is off") }
    };
    let mut whatifs: Vec<_> = analysis.options.down.iter().map(device).collect();
    whatifs.extend(
        analysis
            .options
            .breakers_off
            .iter()
            .map(|b| WhatIf { id: format!("breaker:{b}"), text: format!("breaker {b} is off") }),
    );
    if matches!(query.doors.as_str(), "open" | "shut") {
        let text = format!("all doors {}", query.doors);
        whatifs.push(WhatIf { id: "doors".to_owned(), text });
    }
    whatifs
}
