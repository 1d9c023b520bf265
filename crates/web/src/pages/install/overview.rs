//! All visits at a glance: what is known before, what goes off when and why, how far it is.

use std::collections::{BTreeMap, BTreeSet};

use actix_web::{HttpResponse, get};
use askama::Template;
use dot_reach_core::gate::retest::{RetestScope, TRIGGERS};
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::gate::{Gate, gate};
use dot_reach_core::install::clock::{Clock, minute};
use dot_reach_core::install::order::MAINS_CAUTIONS;
use dot_reach_core::install::record;
use dot_reach_core::install::schedule::{
    Panel, PlannedVisit, PowerOff, Schedule, changes_in_order_of_joining,
};
use dot_reach_core::install::walk::{self, Walks};
use dot_reach_core::record::{Record, Stage, Step};
use dot_reach_core::site::{DeviceId, Site};
use dot_reach_core::units::typographic;
use percent_encoding::{NON_ALPHANUMERIC, utf8_percent_encode};
use serde_json::json;

use super::{about, lasting, visit_name};
use crate::door::{For, Wiring};
use crate::error::WebError;
use crate::pages::house_time::day;
use crate::pages::region::say;
use crate::pages::{Shell, printed};

#[derive(Template)]
#[template(path = "install/page.html")]
struct Page {
    shell: Shell,
    cautions: [String; 5],
    done: usize,
    total: usize,
    off: Vec<Off>,
    open_networks: Vec<String>,
    next: Option<(String, String)>,
    visits: Vec<Visit>,
    left_out: Vec<(String, String, String)>,
    proof: String,
    panel: String,
    units: Vec<(String, String, String)>,
    irregular: Vec<(String, String)>,
    triggers: Vec<Trigger>,
    nothing: bool,
    /// The act that keeps the plan as designed, where that is not done and no box was opened yet.
    keep: Option<String>,
    collector: String,
}

/// Of more visits than these the one that comes next is open, the others are folded.
const MOST_OPEN: usize = 4;

/// What is switched off now.
struct Off {
    what: String,
    by: String,
    since: String,
}

struct Visit {
    key: String,
    /// Whether it is the one in hand, or the only one: the others are folded.
    is_open: bool,
    name: String,
    long: String,
    agreed: Option<Agreed>,
    looks: usize,
    stretches: Vec<StretchRow>,
    licensed: String,
    installers: String,
    take: Vec<(String, String)>,
    before: Vec<String>,
    people: Vec<(String, String, bool)>,
}

struct Agreed {
    id: String,
    from: String,
    day: String,
    until: String,
}

struct StretchRow {
    href: String,
    name: String,
    what: String,
    why: String,
    off: String,
    done: usize,
    total: usize,
    rehearsal: bool,
}

/// Of each stretch its title, how many of its cards are done, and how many there are.
type Progress = BTreeMap<String, (String, usize, usize)>;

/// Something after which range tests are done again.
struct Trigger {
    word: &'static str,
    what: &'static str,
    of: Vec<(String, String, String)>,
}

/// The act that keeps the plan as designed: it is asked for before the first box is opened, and not after.
fn keep_as_designed(site: &Site, told: &Record) -> Option<String> {
    let is_kept = told.milestones.iter().any(|m| m.stage == Stage::Designed);
    let is_late = is_kept || told.marks().next().is_some() || site.devices.is_empty();
    (!is_late).then(|| json!({"do": "keep-stage", "stage": Stage::Designed, "by": ""}).to_string())
}

/// The address of a stretch.
pub(crate) fn href(job: &str, key: &str) -> String {
    format!("/jobs/{job}/install/work?of={}", utf8_percent_encode(key, NON_ALPHANUMERIC))
}

#[get("/jobs/{job}/install")]
pub(crate) async fn show(For(job, ..): For<Wiring>) -> Result<HttpResponse, WebError> {
    let shell = job.shell("install");
    let (analysis, plan) = job.planned().await?;
    printed(job, move |job| Ok(view(shell, &analysis, &job.record, &plan))).await
}

fn view(shell: Shell, analysis: &dot_reach_core::Analysis, told: &Record, plan: &Schedule) -> Page {
    let site: &Site = &analysis.site;
    let gate = gate(told, site);
    let is_complete =
        |d: &DeviceId| WorkedDevice::of(site, d).is_some_and(|spot| gate.is_complete(&spot));
    let devices: BTreeSet<&DeviceId> = plan.visits.iter().flat_map(PlannedVisit::devices).collect();
    let off = told.isolations.iter().filter(|i| i.is_in_force()).map(|i| Off {
        what: if i.means.is_main() {
            "The main switch".to_owned()
        } else {
            format!("Breaker {}", i.circuits.join(", "))
        },
        by: i.holder().to_owned(),
        since: day(&i.at),
    });
    let open = told.open_times.iter().filter(|o| o.closed.is_none());
    let open = open.filter_map(|o| site.networks.get(&o.network)).map(|n| n.name.clone());
    let walks = Walks::of(analysis, plan, &gate);
    let stretches: Progress = walk::stretches(plan)
        .into_iter()
        .filter_map(|(key, title)| {
            let (done, all) = walks.stretch(&key)?.cards();
            Some((key, (title, done, all)))
        })
        .collect();
    // In the order of the plan, not of the keys.
    let undone = walk::stretches(plan)
        .into_iter()
        .find(|(key, _)| stretches.get(key).is_some_and(|(_, done, all)| done < all));
    let next = undone.map(|(key, title)| (href(&shell.job, &key), title));
    let is_next =
        |v: &Visit| v.stretches.iter().any(|s| next.as_ref().is_some_and(|n| n.0 == s.href));
    let is_open = |v: &Visit| plan.visits.len() <= MOST_OPEN || is_next(v);
    let left_out = plan.left_out.iter().filter_map(|l| {
        let device = site.devices.get(&l.device)?;
        let point = site.point_of(device)?;
        Some((point.id.to_string(), format!("{} {}", point.tag, device.name), l.why.clone()))
    });
    let units = Clock::of(site, told).units().iter().filter(|u| u.done > 0).map(unit).collect();
    let ghosts = record::ghosts(&gate).into_iter().filter_map(|(device, old)| {
        let name = site.devices.get(&device)?.name.clone();
        Some((
            old,
            format!("a dead entry in the list, in whose place {name} stands: remove it as failed"),
        ))
    });
    let visits = plan
        .visits
        .iter()
        .map(|v| visit(&shell.job, site, plan, v, &gate, &stretches))
        .map(|v| Visit { is_open: is_open(&v), ..v })
        .collect();
    Page {
        cautions: MAINS_CAUTIONS.map(say),
        done: devices.iter().filter(|d| is_complete(d)).count(),
        total: devices.len(),
        off: off.collect(),
        open_networks: open.collect(),
        next,
        visits,
        left_out: left_out.collect(),
        proof: proof(analysis, plan),
        panel: panel(site, &plan.panel),
        units,
        irregular: ghosts.chain(super::irregular(&gate)).collect(),
        triggers: triggers(site, told),
        nothing: site.devices.is_empty(),
        keep: keep_as_designed(site, told),
        collector: site.job.collector.clone(),
        shell,
    }
}

fn unit(unit: &dot_reach_core::install::clock::Unit) -> (String, String, String) {
    let row = dot_reach_core::catalogue::rates::row(unit.row);
    (
        row.map_or_else(String::new, |r| r.name.clone()),
        format!("{} min planned", typographic(unit.planned, 0)),
        format!("{} min after {} done", typographic(unit.time.likely, 0), unit.done),
    )
}

fn proof(analysis: &dot_reach_core::Analysis, plan: &Schedule) -> String {
    let now = plan.outages().count();
    if now == 0 {
        return String::new();
    }
    let times = if now == 1 { "once".to_owned() } else { format!("{now} times") };
    let before = changes_in_order_of_joining(analysis);
    let walk = typographic(plan.walk, 0);
    let joining = if before > now {
        format!(" In the order of joining alone a breaker would change {before} times.")
    } else {
        String::new()
    };
    format!(
        "Power goes off {times}, with some {walk} m of walking in all. {}{joining}",
        plan.proof()
    )
}

fn panel(site: &Site, panel: &Panel) -> String {
    let name = |id| site.points.get(id).map_or_else(String::new, |p| p.name.clone());
    match panel {
        Panel::Seen(point) => {
            format!("Walking times are counted from the panel at {}.", name(point))
        }
        Panel::Named(point) => format!(
            "Walking times are counted from {}, by its name; a photo of the panel at its place settles where it is.",
            name(point)
        ),
        Panel::Guessed => {
            "Nobody said where the panel is: walking times are counted from the middle of the \
                           lowest storey. A photo of the panel at its place settles it."
                .to_owned()
        }
    }
}

fn triggers(site: &Site, told: &Record) -> Vec<Trigger> {
    let by_step = told.marks().filter(|(_, step, m)| *step == Step::Tested && m.done.is_some());
    let walked = told.range_tests.iter().map(|t| &t.device);
    let tested: BTreeSet<&DeviceId> = by_step.map(|(device, ..)| device).chain(walked).collect();
    let spots: Vec<WorkedDevice<'_>> =
        tested.into_iter().filter_map(|d| WorkedDevice::of(site, d)).collect();
    let networks = site.networks.iter().filter(|n| spots.iter().any(|s| s.device.network == n.id));
    let networks: Vec<_> =
        networks.map(|n| ("network".to_owned(), n.id.to_string(), n.name.clone())).collect();
    let in_room = |id| spots.iter().any(|s| site.room_of(s.point).is_some_and(|r| r.id == id));
    let rooms = site.rooms.iter().filter(|r| in_room(r.id.clone()));
    let rooms: Vec<_> =
        rooms.map(|r| ("room".to_owned(), r.id.to_string(), r.name.clone())).collect();
    if spots.is_empty() {
        return Vec::new();
    }
    let row = |(word, what, reach): (&'static str, &'static str, RetestScope)| Trigger {
        word,
        what,
        of: if reach == RetestScope::Network { networks.clone() } else { rooms.clone() },
    };
    TRIGGERS.map(row).into_iter().filter(|t| !t.of.is_empty()).collect()
}

fn visit(
    job: &str,
    site: &Site,
    plan: &Schedule,
    visit: &PlannedVisit,
    gate: &Gate<'_>,
    progress: &Progress,
) -> Visit {
    let agreed = site.visits.iter().find(|v| v.of == visit.key);
    let row = |key: &str, name: String, what: String, outage: Option<&PowerOff>| {
        let (done, total) = progress.get(key).map_or((0, 0), |(_, done, all)| (*done, *all));
        let has =
            |d: &DeviceId| outage.is_some_and(|o| o.boxes.iter().any(|b| b.devices.contains(d)));
        StretchRow {
            href: href(job, key),
            name,
            what,
            why: outage.map(why).unwrap_or_default(),
            off: outage.map(|o| format!("off for {}", about(o.off))).unwrap_or_default(),
            done,
            total,
            rehearsal: plan.rehearsal.as_ref().is_some_and(has),
        }
    };
    let mut stretches = Vec::new();
    if !visit.first.is_empty() {
        let what = names(site, visit.first.iter());
        stretches.push(row("hubs", "Hub first".to_owned(), what, None));
    }
    for outage in &visit.outages {
        let what = labels(site, outage);
        stretches.push(row(&outage.key, walk::title(outage), what, Some(outage)));
    }
    if !visit.after.is_empty() {
        let count = visit.after.len();
        let left = visit
            .after
            .iter()
            .filter(|d| WorkedDevice::of(site, d).is_some_and(|spot| !gate.is_complete(&spot)));
        let what = format!("{count} in the order of joining, {} to do", left.count());
        stretches.push(row(
            &walk::rest_of(visit),
            "Plugs, batteries, remotes".to_owned(),
            what,
            None,
        ));
    }
    let people = site.people.iter().filter(|p| !p.part.uses_the_house() || p.may_mains);
    let comes = |p: &dot_reach_core::site::PersonId| agreed.is_some_and(|v| v.people.contains(p));
    Visit {
        is_open: true,
        key: visit.key.clone(),
        name: visit_name(visit),
        long: if visit.left == visit.minutes {
            about(visit.minutes)
        } else {
            format!("{}, of that left {}", about(visit.minutes), about(visit.left))
        },
        agreed: agreed.map(|v| Agreed {
            id: v.id.to_string(),
            from: v.from.clone(),
            day: day(&v.from),
            until: until(&v.from, visit),
        }),
        looks: visit.looks.len(),
        stretches,
        licensed: visit.licensed.join(", "),
        installers: visit.installers.join(", "),
        take: visit.take.iter().map(|(what, n)| (what.clone(), typographic(*n, 0))).collect(),
        before: visit.before.clone(),
        people: people.map(|p| (p.id.to_string(), p.name.clone(), comes(&p.id))).collect(),
    }
}

/// When a visit that begins at a time is over: likely, and at the latest of nine in ten.
fn until(from: &str, visit: &PlannedVisit) -> String {
    let Some(begins) = minute(from).map(|m| m.rem_euclid(1440.0)) else { return String::new() };
    let (low, high) = visit.minutes.range();
    let clock = |minutes: f64| {
        let at = ((begins + minutes) / 5.0).round() * 5.0;
        let (hours, rest) = ((at / 60.0).floor(), at % 60.0);
        if hours < 24.0 { format!("{hours:02.0}:{rest:02.0}") } else { "the next day".to_owned() }
    };
    format!("{} to {}", clock(low), clock(high))
}

fn names<'a>(site: &Site, devices: impl Iterator<Item = &'a DeviceId>) -> String {
    let names = devices.filter_map(|d| site.devices.get(d)).map(|d| d.name.clone());
    names.collect::<Vec<_>>().join(", ")
}

/// The boxes of a time without power, in the order of the walk.
pub(super) fn labels(site: &Site, outage: &PowerOff) -> String {
    let boxes = outage.boxes.iter().filter_map(|b| site.points.get(&b.point));
    let rooms = boxes.map(|p| {
        let room = site.room_name(p);
        if room.is_empty() { p.label().to_owned() } else { format!("{} {room}", p.label()) }
    });
    rooms.collect::<Vec<_>>().join(" → ")
}

/// Why it goes off so, in a sentence.
pub(super) fn why(outage: &PowerOff) -> String {
    let whys: Vec<String> = outage.cut.whys.iter().map(ToString::to_string).collect();
    let text = whys.join("; ");
    let mut signs = text.chars();
    signs
        .next()
        .map_or_else(String::new, |first| format!("{}{}.", first.to_uppercase(), signs.as_str()))
}

/// A time in words, for other pages of the day.
pub(super) fn long(minutes: f64) -> String {
    lasting(minutes)
}
