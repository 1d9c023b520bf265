//! What could go to a point, side by side: devices with what each does to the mesh, the schools of its
//! group, the ways for each of its loads.

use std::sync::Arc;

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::analysis::{Analysis, Options};
use dot_reach_core::catalogue::{DeviceKind, Supply};
use dot_reach_core::draw::choose::{advised, planned};
use dot_reach_core::effects::{Effect, effect};
use dot_reach_core::fit::Fits;
use dot_reach_core::fit::candidates::candidates;
use dot_reach_core::fit::lamp_ways::{LampWayAt, lamp_ways};
use dot_reach_core::fit::schools::{GroupSchool, SchoolAt, chosen, schools};
use dot_reach_core::fit::settings::what_follows;
use dot_reach_core::site::{Point, PointId, Site};
use dot_reach_core::systems::{HubAt, SystemAt, systems};
use dot_reach_core::units::{count_of, typographic};
use serde::Deserialize;
use serde_json::json;

use crate::door::{For, See};
use crate::drawing::band_class;
use crate::error::WebError;
use crate::pages::survey::verdict;
use crate::pages::ways::{WayRow, WaysAt};
use crate::pages::{Shell, money, printed};

/// Of so many of the best the effect on the mesh is worked out.
const MOST_TRIED: usize = 8;

#[derive(Deserialize)]
pub(crate) struct Query {
    point: PointId,
    /// Whether the radio systems are tried side by side.
    #[serde(default)]
    systems: bool,
}

#[derive(Template)]
#[template(path = "choices/page.html")]
struct Page {
    shell: Shell,
    point: String,
    tag: String,
    name: String,
    place: String,
    device: Option<(String, String)>,
    /// What works the load itself, the advised one first.
    rows: Vec<Row>,
    /// What stands beside that: a cover, a remote, a companion.
    beside: Vec<Row>,
    rejected: Vec<Row>,
    /// Why the first is advised; empty where none is.
    advised: String,
    group: String,
    schools: Vec<SchoolRow>,
    loads: Vec<LoadRows>,
    systems: Vec<SystemRow>,
}

/// A radio system at the place.
struct SystemRow {
    name: &'static str,
    frequency: String,
    class: &'static str,
    verdict: &'static str,
    device: String,
    hub: String,
    reasons: Vec<String>,
    upkeep: &'static str,
    cost: String,
    is_in_job: bool,
}

#[expect(clippy::struct_excessive_bools, reason = "each is a column of yes or no")]
struct Row {
    name: String,
    /// What follows from what its article is set to.
    set: Vec<String>,
    /// Whether it is what is planned, set otherwise.
    is_other_setting: bool,
    verdict: &'static str,
    class: &'static str,
    reasons: Vec<String>,
    ways: Vec<WayRow>,
    price: String,
    forwards: bool,
    battery: bool,
    dims: bool,
    /// What it does to the mesh; empty where that was not tried.
    mesh: Vec<String>,
    edit: String,
    is_there: bool,
}

struct SchoolRow {
    name: &'static str,
    verdict: &'static str,
    class: &'static str,
    parts: Vec<(String, String)>,
    reasons: Vec<String>,
    conductors: &'static str,
    cost: String,
    facts: String,
    edit: String,
}

struct LoadRows {
    name: String,
    rows: Vec<LampRow>,
}

struct LampRow {
    name: &'static str,
    verdict: &'static str,
    class: &'static str,
    parts: String,
    why: String,
    cost: String,
    wall: &'static str,
    colour: &'static str,
    delay: &'static str,
    mesh: &'static str,
}

#[get("/jobs/{job}/choices")]
pub(crate) async fn show(
    For(job, query, ..): For<See, web::Query<Query>>,
) -> Result<HttpResponse, WebError> {
    let Query { point: wanted, systems: with_systems } = query.into_inner();
    let shell = job.shell("choices");
    let page = job
        .at_bench(Options::default(), move |bench, job| {
            let site = Arc::clone(&job.site);
            let point = site.points.get(&wanted).ok_or(WebError::NotFound("point"))?;
            let analysis = bench.analysis(&site, &Options::default())?;
            let mut page = page(shell, &site, point, &analysis);
            if with_systems {
                let found = systems(&analysis, point, &|| true).unwrap_or_default();
                page.systems = found.iter().map(|at| system(&site, at)).collect();
            }
            Ok(page)
        })
        .await?;
    printed(job, move |_| Ok(page)).await
}

fn page(shell: Shell, site: &Site, point: &Point, analysis: &Analysis) -> Page {
    let device = site.devices_at(&point.id).into_iter().next();
    let [rows, beside, rejected] = all_rows(site, point, analysis);
    let group = site.group_of(&point.id).filter(|g| g.places.len() > 1);
    Page {
        systems: Vec::new(),
        shell,
        point: point.id.to_string(),
        tag: point.tag.clone(),
        name: point.name.clone(),
        place: site.room_name(point).to_owned(),
        device: device.map(|d| (d.id.to_string(), d.why.clone())),
        advised: why_advised(site, point),
        rows,
        beside,
        rejected,
        group: group.map(|g| g.name.clone()).unwrap_or_default(),
        schools: group
            .map(|g| schools(site, g).iter().map(|s| school(site, g, s)).collect())
            .unwrap_or_default(),
        loads: site
            .loads_of(&point.id)
            .map(|l| LoadRows {
                name: match l.count {
                    Some(count) => format!("{}, {count} {}", l.name, l.kind.name()),
                    None => format!("{}, {}, nobody counted", l.name, l.kind.name()),
                },
                rows: lamp_ways(site, l).iter().map(|way| lamp(site, way)).collect(),
            })
            .collect(),
    }
}

/// What works the load, what stands beside that, and what does not fit.
fn all_rows(site: &Site, point: &Point, analysis: &Analysis) -> [Vec<Row>; 3] {
    let device = site.devices_at(&point.id).into_iter().next();
    let all = candidates(site, point, device);
    let mut tried = 0;
    let (mut rows, mut beside, mut rejected) = (Vec::new(), Vec::new(), Vec::new());
    let has_load = site.loads_of(&point.id).next().is_some();
    let leads = WaysAt::new(site, point);
    for candidate in all {
        let kind = candidate.kind;
        let edit = planned(site, point, kind);
        let is_there = device.is_some_and(|d| d.kind == kind.id);
        let speaks = device
            .and_then(|d| site.networks.get(&d.network))
            .is_none_or(|n| kind.systems.contains(&n.system));
        let mut mesh = Vec::new();
        if candidate.fits < Fits::No && speaks && !is_there && tried < MOST_TRIED {
            tried += 1;
            let found = edit.as_ref().and_then(|e| effect(analysis, e, &|| true));
            mesh = found.map(|e| told(&e)).unwrap_or_default();
        }
        let (word, class) = verdict(candidate.fits);
        let later = candidate.later.map(|k| format!("{} is a later generation of it.", k.name));
        let row = Row {
            name: kind.name.clone(),
            set: what_follows(kind),
            is_other_setting: device
                .and_then(|d| site.kind(&d.kind))
                .is_some_and(|now| kind.is_other_setting_of(now)),
            verdict: word,
            class,
            reasons: candidate.reasons.iter().map(ToString::to_string).chain(later).collect(),
            ways: {
                let first = candidate.reasons.first();
                let ways = first.map_or_else(Vec::new, |r| r.ways_out(&site.job));
                leads.rows(ways)
            },
            price: kind.fit.price.map(|p| money(p, 0, &site.job.currency)).unwrap_or_default(),
            forwards: candidate.forwards,
            battery: kind.supply == Supply::Battery,
            dims: kind.fit.is_dimmer(),
            mesh,
            edit: edit.filter(|_| speaks).map(|e| json!(e).to_string()).unwrap_or_default(),
            is_there,
        };
        match (candidate.fits == Fits::No && !is_there, kind.works_a_load() || !has_load) {
            (true, _) => rejected.push(row),
            (false, true) => rows.push(row),
            (false, false) => beside.push(row),
        }
    }
    [rows, beside, rejected]
}

fn system(site: &Site, at: &SystemAt<'_>) -> SystemRow {
    let hub = match &at.hub {
        HubAt::Planned { name } => format!("{name} is there"),
        HubAt::Bought { beside, price } => match price {
            Some(price) => format!("to be bought, {}, beside {beside}", cost(Some(*price), site)),
            None => format!("to be bought, beside {beside}"),
        },
        HubAt::NotNeeded => "needs none".to_owned(),
        HubAt::Nowhere => "no hub in the library, or no place for one".to_owned(),
    };
    // However well it would be reached: what does not fit, or nobody knows whether it does, is no way.
    let (word, class) = match at.device {
        Some((_, fits)) if fits >= Fits::NotKnown => verdict(fits),
        _ => at.band().map_or(("not tried", "open"), |band| (band.grade(), band_class(band))),
    };
    SystemRow {
        name: at.system.name(),
        frequency: typographic(at.frequency.get(), 1),
        class,
        verdict: word,
        device: at
            .device
            .map_or_else(String::new, |(kind, fits)| format!("{}: {}", kind.name, verdict(fits).0)),
        hub,
        reasons: at.reasons(),
        upkeep: at.system.rule().upkeep,
        cost: cost(at.cost, site),
        is_in_job: at.is_in_job,
    }
}

/// What is advised, and why; empty where nothing is.
fn why_advised(site: &Site, point: &Point) -> String {
    let Some(first) = advised(site, point) else { return String::new() };
    let fits = if first.fits == Fits::Yes { "It fits" } else { "It fits on the condition below" };
    let forwards = if first.forwards { " and forwards for others" } else { "" };
    format!("{}. {fits}{forwards}; of those that do, it costs least.", first.kind.name)
}

/// What a change does to the mesh, in a few words each.
fn told(effect: &Effect) -> Vec<String> {
    let list = |names: &[String]| match names {
        [first, second, third, _, ..] => {
            format!("{first}, {second}, {third} and {} more", names.len() - 3)
        }
        _ => names.join(", "),
    };
    let mut words = Vec::new();
    if !effect.gain.is_empty() {
        words.push(format!("gains {}", list(&effect.gain)));
    }
    if !effect.lose.is_empty() {
        words.push(format!("loses {}", list(&effect.lose)));
    }
    if let (Some(was), Some(is)) = effect.worst
        && (was - is).get().abs() >= 0.5
    {
        words.push(format!("worst margin {was} → {is}"));
    }
    if words.is_empty() {
        words.push("the mesh stays as it is".to_owned());
    }
    words
}

fn cost(cost: Option<f64>, site: &Site) -> String {
    cost.map_or_else(|| "not known".to_owned(), |c| money(c, 0, &site.job.currency))
}

fn school(site: &Site, group: &dot_reach_core::site::Group, found: &SchoolAt<'_>) -> SchoolRow {
    let at = |id: &PointId| site.points.get(id).map_or_else(String::new, Point::title);
    let part = |(kind, point): &(&DeviceKind, PointId)| (at(point), kind.name.clone());
    let (word, class) = verdict(found.fits);
    let mut reasons: Vec<String> =
        found.reasons.iter().map(|(p, r)| format!("{}: {r}", at(p))).collect();
    if found.master.is_none() {
        reasons
            .push("No powered unit of the library in a system of this job does it so.".to_owned());
    }
    let dims = match found.dims {
        (false, _) => "on and off only",
        (true, true) => "dims from every place",
        (true, false) => "dims from the powered unit alone",
    };
    SchoolRow {
        name: GroupSchool::ALL.iter().find(|(s, _)| *s == found.school).map_or("", |(_, n)| n),
        verdict: word,
        class,
        parts: found.master.iter().chain(&found.far).map(part).collect(),
        reasons,
        conductors: found.school.conductors(),
        cost: cost(found.cost, site),
        facts: format!(
            "{} opened, {}, {} forward, {dims}",
            count_of(found.boxes, "box", "boxes"),
            count_of(found.batteries, "battery to change", "batteries to change"),
            found.forward,
        ),
        edit: chosen(site, group, found)
            .filter(|_| found.fits != Fits::No)
            .map(|e| json!(e).to_string())
            .unwrap_or_default(),
    }
}

fn lamp(site: &Site, found: &LampWayAt<'_>) -> LampRow {
    let (word, class) = verdict(found.fits);
    let first = found.reasons.iter().max_by_key(|r| r.fits()).map(ToString::to_string);
    LampRow {
        name: found.row.name,
        verdict: word,
        class,
        parts: found
            .kinds
            .iter()
            .map(|(k, n)| if *n > 1 { format!("{n} × {}", k.name) } else { k.name.clone() })
            .collect::<Vec<_>>()
            .join(" + "),
        why: if found.ruled_out.is_empty() {
            first.unwrap_or_default()
        } else {
            format!("Not for it: {}.", found.ruled_out)
        },
        cost: cost(found.cost, site),
        wall: found.row.wall,
        colour: found.row.colour,
        delay: found.row.delay,
        mesh: found.row.mesh,
    }
}
