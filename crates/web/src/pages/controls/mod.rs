//! Who controls what: the matrix of controllers and loads, each checked, and what works in an outage.

mod grid;
pub(crate) mod left_out;
mod lost;

use std::collections::BTreeMap;
use std::sync::Arc;

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::analysis::Analysis;
use dot_reach_core::bill::regroup::{RegroupCost, regroup};
use dot_reach_core::catalogue::{Button, DeviceKind};
use dot_reach_core::control::{Addressing, By, Checked, LoadMeans, Outage, check, means};
use dot_reach_core::keys::{LostWith, OldSwitch, old_switches, press_worth};
use dot_reach_core::rules::in_a_sentence;
use dot_reach_core::site::{
    Action, Control, Device, DeviceId, Edit, Kind, Load, Point, PointKind, Regroup, RegroupBy,
    RuleId, RunsIn, Site, Target, Trigger,
};
use dot_reach_core::survey::natural::{Light, Natural, lights};
use dot_reach_core::units::typographic;
use serde::Deserialize;
use serde_json::json;

use self::grid::GridView;
use self::lost::LostRow;
use crate::door::{For, See};
use crate::error::WebError;
use crate::pages::survey::choices::{Choice, choices};
use crate::pages::{Shell, printed};

#[derive(Template)]
#[template(path = "controls/page.html")]
struct Page {
    shell: Shell,
    controllers: Vec<Named>,
    /// Those of them that a hand presses.
    pressed: Vec<Named>,
    loads: Vec<Named>,
    rows: Vec<Row>,
    groups: Vec<String>,
    outages: [&'static str; 5],
    /// The controller that is looked at.
    of: String,
    grid: Option<GridView>,
    sends: [&'static str; 3],
    lost: Vec<LostRow>,
    /// What becomes of old switches, of how many, and of which.
    old_switches: Vec<(String, usize, String)>,
    loads_of_a_kind: Vec<LoadsRow>,
    stranded: String,
    lights: Vec<LightRow>,
    /// How many lights nothing but a phone works.
    dark: usize,
    regroups: Vec<RegroupForm>,
    /// Loads that could go with another place, each with the value that says it.
    to_regroup: Vec<(String, String)>,
}

/// A load that is to go with another place, with both ways.
struct RegroupForm {
    id: String,
    load: String,
    now: String,
    places: Vec<Choice>,
    by: Vec<Choice>,
    cable: String,
    opening: String,
    ways: [RegroupWay; 2],
    /// The edit that hangs it there on the plan; empty where that is not decided, or done.
    lay: String,
}

struct RegroupWay {
    name: &'static str,
    cost: String,
    parts: Vec<String>,
    open: Vec<String>,
    outage: &'static str,
}

fn regroup_way(name: &'static str, currency: &str, of: RegroupCost) -> RegroupWay {
    let money = |cost: f64| format!("{} {currency}", typographic(cost, 0)).trim().to_owned();
    let part = |(what, cost): (String, Option<f64>)| {
        let cost = cost.map_or_else(|| "price not known".to_owned(), money);
        format!("{what}: {cost}")
    };
    RegroupWay {
        name,
        cost: match of.cost {
            None => "not known".to_owned(),
            Some(cost) if of.is_least => format!("{} or more", money(cost)),
            Some(cost) => money(cost),
        },
        parts: of.parts.into_iter().map(part).collect(),
        open: of.open,
        outage: of.outage,
    }
}

fn regroups(site: &Site) -> Vec<RegroupForm> {
    let form = |of: &Regroup| {
        let (load, costs) = (site.loads.get(&of.load)?, regroup(site, of)?);
        let choice = |p: &Point| Choice {
            value: p.id.to_string(),
            text: p.title(),
            chosen: p.id == of.with,
            system: String::new(),
        };
        let switches =
            site.points.iter().filter(|p| p.kind == PointKind::Switch || p.id == of.with);
        let is_wired = of.by == RegroupBy::Wire && load.switched_at != of.with;
        let hang = || Edit::set(Kind::Load, &load.id, "switched_at", of.with.as_str());
        let currency = site.job.currency.as_str();
        Some(RegroupForm {
            id: of.id.to_string(),
            load: load.name.clone(),
            now: site.points.get(&load.switched_at).map_or_else(String::new, Point::title),
            places: switches.map(choice).collect(),
            by: choices(&RegroupBy::ALL, of.by),
            cable: of.cable_m.map(|m| typographic(m, 1)).unwrap_or_default(),
            opening: of.opening.clone(),
            ways: [
                regroup_way("By command", currency, costs.by_command),
                regroup_way("By wire", currency, costs.by_wire),
            ],
            lay: if is_wired { json!(hang()).to_string() } else { String::new() },
        })
    };
    site.regroups.iter().filter_map(form).collect()
}

/// Loads that could go with another place: the first switch that does not work them.
fn to_regroup(site: &Site) -> Vec<(String, String)> {
    let free = site.loads.iter().filter(|l| !site.regroups.iter().any(|r| r.load == l.id));
    let value = |load: &Load| {
        let others = site.points.iter().filter(|p| p.kind == PointKind::Switch);
        let with = others.into_iter().find(|p| p.id != load.switched_at)?;
        Some((load.name.clone(), json!({"load": load.id, "with": with.id}).to_string()))
    };
    free.filter_map(value).collect()
}

/// A light, and what works it without a phone.
struct LightRow {
    breaker: String,
    name: String,
    place: String,
    by: String,
}

/// Loads that the same means work.
struct LoadsRow {
    names: Vec<String>,
    /// What works them while all is well, then in each outage.
    cells: Vec<String>,
}

struct Named {
    id: String,
    name: String,
}

struct Row {
    id: String,
    controller: String,
    /// What a hand does there.
    key: String,
    gesture: String,
    load: String,
    /// Whether a hand sets it off.
    is_press: bool,
    said: String,
    runs: Vec<Choice>,
    hop: String,
    class: &'static str,
    delay: String,
    success: String,
    wrong: String,
    works: Vec<bool>,
    controller_id: String,
}

/// Which controller is looked at.
#[derive(Deserialize)]
pub(crate) struct Query {
    #[serde(default)]
    of: String,
}

#[get("/jobs/{job}/controls")]
pub(crate) async fn show(
    For(job, query, ..): For<See, web::Query<Query>>,
) -> Result<HttpResponse, WebError> {
    let shell = job.shell("controls");
    let site = Arc::clone(&job.site);
    let analysis = job.analysed().await?;
    printed(job, move |job| {
        let named = |wanted: fn(&Site, &Device) -> bool| {
            let devices = site.devices.iter().filter(|d| wanted(&site, d));
            let mut list: Vec<_> = devices
                .map(|d| {
                    let network = site.networks.get(&d.network).map_or("", |n| n.name.as_str());
                    Named { id: d.id.to_string(), name: format!("{}, {network}", d.name) }
                })
                .collect();
            list.sort_by(|a, b| a.name.cmp(&b.name));
            list
        };
        let (rows, groups) = rows(&analysis);
        let loads_of_a_kind = loads_of_a_kind(&analysis);
        Ok(Page {
            shell,
            controllers: named(|site, d| sides(site, d).0),
            pressed: named(|site, d| sides(site, d).0 && !is_sensor(site, d)),
            loads: named(|site, d| sides(site, d).1),
            rows,
            groups,
            outages: Outage::ALL.map(|(_, name)| name),
            grid: looked_at(&site, &query.of).and_then(|of| grid::view(&analysis, &job.record, of)),
            old_switches: switches(&site),
            sends: lost::columns(),
            lost: lost::rows(),
            of: looked_at(&site, &query.of).map(DeviceId::to_string).unwrap_or_default(),
            stranded: stranded(&loads_of_a_kind),
            dark: lights(&site).iter().filter(|l| l.by.is_empty()).count(),
            lights: lights(&site).iter().map(light).collect(),
            regroups: regroups(&site),
            to_regroup: to_regroup(&site),
            loads_of_a_kind,
        })
    })
    .await
}

fn is_sensor(site: &Site, device: &Device) -> bool {
    site.kind(&device.kind).is_some_and(DeviceKind::is_sensor)
}

/// Old switches by what becomes of them.
fn switches(site: &Site) -> Vec<(String, usize, String)> {
    let mut by: BTreeMap<Vec<OldSwitch>, Vec<String>> = BTreeMap::new();
    for (point, becomes) in old_switches(site) {
        let title = site.points.get(point).map_or_else(String::new, Point::title);
        by.entry(becomes).or_default().push(title);
    }
    let words =
        |all: Vec<OldSwitch>| all.into_iter().map(OldSwitch::name).collect::<Vec<_>>().join(", ");
    by.into_iter().map(|(all, names)| (words(all), names.len(), names.join(", "))).collect()
}

/// The controller that is asked for; where none is, the first that works something, one that is pressed before a sensor.
fn looked_at<'a>(site: &'a Site, of: &str) -> Option<&'a DeviceId> {
    let asked = site.devices.named(of).filter(|d| sides(site, d).0).map(|d| &d.id);
    let no_keys = |id: &DeviceId| site.devices.get(id).is_some_and(|d| is_sensor(site, d));
    asked.or_else(|| site.controls().map(|c| c.controller).min_by_key(|id| no_keys(id)))
}

fn rows(analysis: &Analysis) -> (Vec<Row>, Vec<String>) {
    let site = &analysis.site;
    let name = |id: &DeviceId| site.devices.get(id).map_or_else(String::new, |d| d.name.clone());
    let mut by_rule: BTreeMap<&RuleId, Vec<(Control<'_>, Checked)>> = BTreeMap::new();
    // One press of one key tells all that any rule has of it.
    let mut by_press: BTreeMap<(&DeviceId, String), Vec<f64>> = BTreeMap::new();
    for control in site.controls() {
        let checked = check(analysis, &control);
        let press = by_press.entry((control.controller, control.by_hand())).or_default();
        press.extend(checked.delay_ms);
        by_rule.entry(&control.rule.id).or_default().push((control, checked));
    }
    let mut rows: Vec<Row> = by_rule.values().filter_map(|of| row(analysis, of)).collect();
    rows.sort_by(|a, b| (&a.controller, &a.load).cmp(&(&b.controller, &b.load)));
    // Where groups of all networks are said to go at once, nothing is to be done.
    let at_once = |controller: &DeviceId| {
        let mut of = site.controls_by(controller).filter_map(|c| site.devices.get(c.load));
        of.all(|d| site.networks.get(&d.network).is_some_and(|n| n.groups_at_once == Some(true)))
    };
    let groups = by_press.into_iter().filter_map(|((controller, by_hand), delays)| {
        let group = Addressing::of(&delays);
        let by = if by_hand.is_empty() { String::new() } else { format!(" by {by_hand}") };
        (group.needs_multicast() && !at_once(controller)).then(|| {
            format!(
                "{} tells {} loads{by}: one by one the last follows after {:.0} ms, as a group or a scene of the system \
                 after {:.0}.",
                name(controller),
                group.members,
                group.one_by_one_ms,
                group.at_once_ms
            )
        })
    });
    (rows, groups.collect())
}

/// A rule that a hand or a sensor sets off, with all that it comes to.
fn row(analysis: &Analysis, all: &[(Control<'_>, Checked)]) -> Option<Row> {
    let site = &analysis.site;
    let of: Vec<&Control<'_>> = all.iter().map(|(control, _)| control).collect();
    let first = *of.first()?;
    let worth = press_worth(analysis, all, &LostWith::new())?;
    let (hop, class) = match worth.hop {
        Some((band, margin)) => (format!("{margin}"), band.name()),
        None => (first.runs.name().to_owned(), ""),
    };
    let is_press = matches!(first.rule.when, Trigger::Press { .. });
    Some(Row {
        id: first.rule.id.to_string(),
        controller: site.devices.get(first.controller)?.name.clone(),
        is_press,
        said: in_a_sentence(site, first.rule),
        key: first.key.map(|key| key.to_string()).unwrap_or_default(),
        gesture: first.gesture.to_owned(),
        load: load_of(site, &of),
        runs: choices(&RunsIn::ALL, first.runs),
        hop,
        class,
        delay: worth.delay_ms.map_or_else(|| "–".to_owned(), |d| format!("{d:.0}")),
        success: format!("{:.0}", worth.success * 100.0),
        wrong: worth.wrong.unwrap_or_default(),
        works: worth.works.into(),
        controller_id: first.controller.to_string(),
    })
}

/// What a rule works: its one load, its scene, or how many.
fn load_of(site: &Site, of: &[&Control<'_>]) -> String {
    let name = |c: &Control<'_>| site.devices.get(c.load).map_or("", |d| d.name.as_str());
    match of {
        [] => String::new(),
        [one] => name(one).to_owned(),
        [first, ..] => match &first.rule.does[..] {
            [Action { what: Target::Scene(scene), .. }] => {
                let called = site.rules.get(scene).map_or("", |s| s.name.as_str());
                format!("Scene {called}, {} loads", of.len())
            }
            _ => format!("{} and {} more", name(first), of.len() - 1),
        },
    }
}

fn light(light: &Light<'_>) -> LightRow {
    let by = light.by.iter().map(|by| match by {
        Natural::Button(at) => format!("button at {at}"),
        Natural::WallSwitch(at) => format!("wall switch at {at}"),
        Natural::Companion(at) => format!("companion at {at}"),
        Natural::Remote(name) => name.clone(),
    });
    LightRow {
        breaker: light.breaker.clone(),
        name: light.name.clone(),
        place: light.point.title(),
        by: by.collect::<Vec<_>>().join(", "),
    }
}

fn words(by: &By) -> &str {
    match by {
        By::Button(Button::Own) => "own button",
        By::Button(Button::Wired) => "wired switch",
        By::Controller(name) => name,
        By::PhoneAtHome => "phone at home",
        By::PhoneAway => "phone away",
    }
}

/// Every load by what works it, those with the least first.
fn loads_of_a_kind(analysis: &Analysis) -> Vec<LoadsRow> {
    let mut rows: BTreeMap<Vec<String>, Vec<String>> = BTreeMap::new();
    for device in analysis.site.devices.iter().filter(|d| sides(&analysis.site, d).1) {
        let means = means(analysis, &device.id);
        let listed = |works: &dyn Fn(&LoadMeans) -> bool| {
            let list: Vec<_> = means.iter().filter(|m| works(m)).map(|m| words(&m.by)).collect();
            list.join(", ")
        };
        let outages = (0..Outage::ALL.len()).map(|o| listed(&|m| m.works[o]));
        let cells = std::iter::once(listed(&|_| true)).chain(outages).collect();
        rows.entry(cells).or_default().push(device.name.clone());
    }
    let mut rows: Vec<_> = rows
        .into_iter()
        .map(|(cells, mut names)| {
            names.sort();
            LoadsRow { names, cells }
        })
        .collect();
    let dead = |r: &LoadsRow| r.cells.iter().filter(|c| c.is_empty()).count();
    rows.sort_by(|a, b| dead(b).cmp(&dead(a)).then(a.names.cmp(&b.names)));
    rows
}

/// What stands without any means in some outage.
fn stranded(rows: &[LoadsRow]) -> String {
    let count: usize =
        rows.iter().filter(|r| r.cells.iter().any(String::is_empty)).map(|r| r.names.len()).sum();
    match count {
        0 => String::new(),
        1 => {
            "One load has nothing left in one outage or another: bind a remote to it directly, or \
              keep a wired switch."
                .to_owned()
        }
        n => format!(
            "{n} loads have nothing left in one outage or another: bind a remote to them directly, \
             or keep a wired switch."
        ),
    }
}

/// Whether a device can be a controller, and whether a load; neither when the library lost it.
fn sides(site: &Site, device: &Device) -> (bool, bool) {
    site.kind(&device.kind).map(DeviceKind::sides).unwrap_or_default()
}
