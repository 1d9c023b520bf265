//! The Reach page in words and shapes.

use std::collections::BTreeSet;
use std::sync::Arc;

use dot_reach_core::analysis::{Analysis, Options};
use dot_reach_core::building::structure::Doors;
use dot_reach_core::coverage;
use dot_reach_core::findings::{Finding, Mends, grouped};
use dot_reach_core::network::{Band, NetworkAnalysis};
use dot_reach_core::record::Record;
use dot_reach_core::simulate::Chances;
use dot_reach_core::site::{DeviceId, FloorId, NetworkId, PointId, Site};
use dot_reach_core::survey::next::next_steps;
use dot_reach_store::JobId;
use percent_encoding::percent_decode_str;

use super::Query;
use super::facts::{Fact, facts};
use super::ground::{self, HEIGHT};
use super::hops::{bent, spot_stairs, stairs};
use super::ledger::{Ledger, ledger, shown, worst};
use crate::desk::Bench;
use crate::drawing::plan::{Plan, blank, sheet};
use crate::drawing::section::{Section, section};
use crate::drawing::stairs::StairPanel;
use crate::error::WebError;

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
    pub(crate) job_name: String,
    pub(crate) network_name: String,
    /// What the numbers rest on, each with what it means.
    pub(crate) facts: Vec<Fact>,
    /// Other networks in which the filter finds something.
    pub(crate) elsewhere: Vec<Elsewhere>,
    pub(crate) plan: Plan,
    pub(crate) section: Section,
    pub(crate) ledger: Ledger,
    pub(crate) stairs: Vec<StairPanel>,
    pub(crate) stairs_heading: String,
    pub(crate) whatifs: Vec<WhatIf>,
    /// By who must act.
    pub(crate) findings: Vec<FindingGroup>,
    /// What comes next where there is nothing to analyse: words and address.
    pub(crate) next: Vec<(&'static str, String)>,
    pub(crate) empty: &'static str,
    pub(crate) shows: Vec<Choice>,
    pub(crate) carried: &'static str,
    pub(crate) height: String,
    pub(crate) legend: Vec<(&'static str, String)>,
    pub(crate) export: String,
    pub(crate) q: String,
    pub(crate) sort: String,
    pub(crate) breakers: Vec<String>,
}

/// What one must act on.
pub(crate) struct FindingGroup {
    pub(crate) who: &'static str,
    /// Each with its place, said once.
    pub(crate) rows: Vec<(String, FindingRow)>,
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

/// What a filter finds in another network.
pub(crate) struct Elsewhere {
    pub(crate) id: String,
    pub(crate) name: String,
    pub(crate) count: usize,
}

pub(crate) struct WhatIf {
    pub(crate) id: String,
    pub(crate) text: String,
}

/// What a query assumes beside the site.
pub(crate) fn options(query: &Query) -> Options {
    let down: BTreeSet<DeviceId> = query.down.split(',').filter_map(|id| id.parse().ok()).collect();
    let doors = match query.doors.as_str() {
        "open" => Doors::Open,
        "shut" => Doors::Shut,
        _ => Doors::AsDrawn,
    };
    let named = |b: &str| percent_decode_str(b).decode_utf8_lossy().into_owned();
    let breakers_off = query.off.split(',').filter(|b| !b.is_empty()).map(named).collect();
    Options { doors, down, breakers_off, ..Options::default() }
}

/// Computes and words the page; without the ground of the plan while a hand moves something.
pub(crate) fn view(
    bench: &mut Bench,
    job: &JobId,
    (site, record): (&Arc<Site>, &Record),
    query: &Query,
    (chances, moves): (Option<&Chances>, bool),
) -> Result<View, WebError> {
    let analysis = bench.analysis(site, &options(query))?;
    let wanted: Option<DeviceId> = query.select.parse().ok();
    let wanted = wanted.filter(|id| analysis.find(id).is_some());
    let network = chosen_network(&analysis, query, wanted.as_ref());
    let selected = wanted.or_else(|| network.and_then(worst));
    let floor = chosen_floor(site, query, selected.as_ref());
    let request = floor.as_ref().map(|f| ground::request(f, query));
    let quantity = ground::named(&query.show);
    let mut plan = floor.as_ref().map_or_else(blank, |f| sheet(site, f, None));
    if let Some((network, request)) = network.zip(request.as_ref()) {
        plan.keeps_ground = moves;
        if let Some(surface) =
            (!moves).then(|| bench.surface(&analysis, network, request)).flatten()
        {
            let target = (analysis.target, analysis.sigma);
            ground::cover(&mut plan, &surface, quantity, target);
        }
        plan.radios(&analysis, network, &request.floor, selected.as_ref());
    }
    if let Some(floor) = &floor {
        plan.emitters(site, floor, None);
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
        let spot = ground::spot(&query.spot)?;
        plan.spot = Some(((spot[0] * 100.0).round(), (spot[1] * 100.0).round()));
        let (way, node) = coverage::at_spot(&analysis, network, request, spot)?;
        let handset = if query.carried == "remote" { "remote in a hand" } else { "sensor" };
        Some(spot_stairs(&analysis, network, &way, &node, handset))
    });
    let of_device = || {
        network
            .zip(selected.as_ref())
            .map(|(n, s)| stairs(&analysis, record, n, s))
            .unwrap_or_default()
    };
    let (stairs_heading, stairs) = at_spot.unwrap_or_else(of_device);
    plan.bent = floor.as_ref().map(|f| bent(&analysis, f, &stairs)).unwrap_or_default();
    let shown = network.map(|n| shown(&analysis, n, chances, query)).unwrap_or_default();
    if let Some(network) = network
        && !query.q.trim().is_empty()
    {
        // What the filter leaves out steps back, so that what it leaves in can be read.
        let kept: BTreeSet<String> =
            shown.iter().map(|p| network.nodes[*p].device.to_string()).collect();
        plan.isolate(&kept);
    }
    Ok(View {
        job: job.to_string(),
        floor: floor.as_ref().map(FloorId::to_string).unwrap_or_default(),
        floor_name,
        network: network.map(|n| n.network.to_string()).unwrap_or_default(),
        select: query.select.clone(),
        down: query.down.clone(),
        doors: query.doors.clone(),
        tabs: tabs(&analysis, network),
        job_name: site.job.name.clone(),
        network_name: network.map(|n| n.name.clone()).unwrap_or_default(),
        facts: facts(&analysis, network, chances),
        elsewhere: elsewhere(&analysis, network, chances, query),
        plan,
        section,
        ledger: network
            .map(|n| ledger(job, &analysis, n, chances, &shown, query, selected.as_ref()))
            .unwrap_or_default(),
        stairs,
        stairs_heading,
        whatifs: whatifs(&analysis, query),
        findings: by_who(job, &analysis, network),
        next: next_steps(site, network.and_then(|n| site.networks.get(&n.network)))
            .into_iter()
            .map(|n| (n.words, format!("/jobs/{job}/{}", n.page)))
            .collect(),
        empty: empty(site, network),
        shows: ground::QUANTITIES
            .iter()
            .map(|(q, value, text)| Choice { value, text, chosen: *q == quantity })
            .collect(),
        carried: if query.carried == "remote" { "remote" } else { "sensor" },
        height: format!("{:.1}", request.map_or(HEIGHT, |r| r.height).get()),
        legend: ground::legend(quantity),
        export: ground::export(floor.as_ref(), network, query),
        q: query.q.clone(),
        sort: query.sort.clone(),
        breakers: network
            .map(|n| n.breakers_in_order().into_iter().map(str::to_owned).collect())
            .unwrap_or_default(),
    })
}

/// Findings that are of no device, of this network or of none, by who must act.
fn by_who(
    job: &JobId,
    analysis: &Analysis,
    network: Option<&NetworkAnalysis>,
) -> Vec<FindingGroup> {
    let is_mine =
        |f: &&Finding| f.network.is_none() || f.network.as_ref() == network.map(|n| &n.network);
    let here = analysis.findings.iter().filter(|f| f.device.is_none()).filter(is_mine);
    let groups = grouped(&analysis.site, here).into_iter();
    let rows = |(place, all): (String, Vec<&Finding>)| {
        let row = |(n, f): (usize, &&Finding)| {
            (if n == 0 { place.clone() } else { String::new() }, finding_row(job, f))
        };
        all.iter().enumerate().map(row).collect::<Vec<_>>()
    };
    groups
        .map(|g| FindingGroup {
            who: g.acts.name(),
            rows: g.places.into_iter().flat_map(rows).collect(),
        })
        .collect()
}

fn elsewhere(
    analysis: &Analysis,
    here: Option<&NetworkAnalysis>,
    chances: Option<&Chances>,
    query: &Query,
) -> Vec<Elsewhere> {
    if query.q.trim().is_empty() {
        return Vec::new();
    }
    let others = analysis.networks.iter().filter(|n| here.is_none_or(|h| h.network != n.network));
    let found = others.map(|n| Elsewhere {
        id: n.network.to_string(),
        name: n.name.clone(),
        count: shown(analysis, n, chances, query).len(),
    });
    found.filter(|e| e.count > 0).collect()
}

pub(crate) fn finding_row(job: &JobId, finding: &Finding) -> FindingRow {
    let of = |key: &str, id: Option<&str>| id.map_or_else(String::new, |id| format!("?{key}={id}"));
    let point = of("point", finding.point.as_ref().map(PointId::as_str));
    let network = of("network", finding.network.as_ref().map(NetworkId::as_str));
    let device = of("select", finding.device.as_ref().map(DeviceId::as_str));
    let href = match finding.found.mends() {
        Mends::Network => format!("/jobs/{job}/brief"),
        Mends::Point => format!("/jobs/{job}/survey{point}"),
        Mends::Route => {
            format!("/jobs/{job}/reach{}", if device.is_empty() { network } else { device })
        }
        Mends::Channel => format!("/jobs/{job}/air{network}"),
        Mends::Control => format!("/jobs/{job}/controls"),
    };
    FindingRow { text: finding.found.to_string(), cure: finding.found.cure(), href }
}

/// What to do next where there is nothing to show.
fn empty(site: &Site, network: Option<&NetworkAnalysis>) -> &'static str {
    if site.walls.is_empty() {
        "Nothing is drawn yet. What comes next:"
    } else if network.is_none_or(|n| n.nodes.is_empty()) {
        "No devices in this network yet. What comes next:"
    } else if network.is_some_and(|n| n.hubs.is_empty()) {
        "This network has no hub yet. What comes next:"
    } else {
        ""
    }
}

pub(crate) fn chosen_network<'a>(
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

pub(crate) fn chosen_floor(
    site: &Site,
    query: &Query,
    selected: Option<&DeviceId>,
) -> Option<FloorId> {
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
