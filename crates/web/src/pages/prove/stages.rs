//! As designed, as installed, as proven: the kept states of the plan and what differs between two.

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::analysis::Analysis;
use dot_reach_core::network::Band;
use dot_reach_core::prove::stages::{Differs, as_it_stands, counts, difference};
use dot_reach_core::record::{Milestone, Record, Stage, Stood};
use dot_reach_core::site::{DeviceId, FloorId, Site};
use dot_reach_core::units::typographic;
use serde::Deserialize;

use super::{name, or_dash};
use crate::door::{For, See};
use crate::drawing::plan::{Plan, PlanMark, RouteShape, sheet};
use crate::error::WebError;
use crate::pages::house_time::day;
use crate::pages::{Shell, printed};

#[derive(Deserialize, Default)]
pub(crate) struct Asked {
    #[serde(default)]
    before: String,
    #[serde(default)]
    after: String,
    #[serde(default)]
    floor: String,
}

#[derive(Template)]
#[template(path = "prove/stages.html")]
struct Page {
    shell: Shell,
    kept: Vec<(String, String, [usize; 3])>,
    choices: [Vec<(String, String, bool)>; 2],
    query: [String; 2],
    rows: Vec<Row>,
    alike: usize,
    floors: Vec<(String, String, bool)>,
    plan: Option<(String, Plan)>,
}

struct Row {
    name: String,
    before: String,
    after: String,
    class: [String; 2],
    gained: String,
    what: String,
}

#[get("/jobs/{job}/prove/stages")]
pub(crate) async fn show(
    For(job, asked, ..): For<See, web::Query<Asked>>,
) -> Result<HttpResponse, WebError> {
    let shell = job.shell("prove/stages");
    let analysis = job.analysed().await?;
    printed(job, move |job| Ok(view(shell, &analysis, &job.record, &asked))).await
}

pub(super) fn label(m: &Milestone) -> String {
    let by = if m.by.is_empty() { String::new() } else { format!(", {}", m.by) };
    format!("{}, {}{by}", m.stage.words(), day(&m.at))
}

fn view(shell: Shell, analysis: &Analysis, record: &Record, asked: &Asked) -> Page {
    let site = &analysis.site;
    let kept: Vec<&Milestone> = record.milestones.iter().collect();
    let first = kept.first().map(|m| m.id.to_string()).unwrap_or_default();
    let before = if asked.before.is_empty() { first } else { asked.before.clone() };
    let of = |id: &str| -> Vec<Stood> {
        record
            .milestones
            .named(id)
            .map_or_else(|| as_it_stands(analysis, record), |m| m.devices.clone())
    };
    let all = difference(&of(&before), &of(&asked.after));
    let choices = |chosen: &str| {
        let mut all: Vec<_> =
            kept.iter().map(|m| (m.id.to_string(), label(m), m.id.as_str() == chosen)).collect();
        all.push((
            "now".to_owned(),
            "as it stands now".to_owned(),
            record.milestones.named(chosen).is_none(),
        ));
        all
    };
    let floors = site.floors_upward();
    let floor =
        floors.iter().find(|f| f.id.as_str() == asked.floor).or_else(|| floors.first()).copied();
    Page {
        kept: kept.iter().map(|m| (m.id.to_string(), label(m), counts(&m.devices))).collect(),
        choices: [choices(&before), choices(&asked.after)],
        query: [before.clone(), asked.after.clone()],
        rows: all.iter().filter(|d| d.is_any()).map(|d| row(site, d)).collect(),
        alike: all.iter().filter(|d| !d.is_any()).count(),
        floors: floors
            .iter()
            .map(|f| (f.id.to_string(), f.name.clone(), Some(&f.id) == floor.map(|f| &f.id)))
            .collect(),
        plan: floor.map(|f| (f.name.clone(), drawn(site, &f.id, &all))),
        shell,
    }
}

fn row(site: &Site, d: &Differs) -> Row {
    let told = |s: &Option<Stood>| match s {
        None => "not there".to_owned(),
        Some(s) if s.band == "hub" => "hub".to_owned(),
        Some(s) => format!("{} {}", Band::grade_of(&s.band), or_dash(s.margin_db)),
    };
    let class = |s: &Option<Stood>| s.as_ref().map(|s| s.band.clone()).unwrap_or_default();
    let mut what = Vec::new();
    if let Some(metres) = d.moved_m() {
        what.push(format!("moved {} m", typographic(metres, 1)));
    }
    if let (Some(before), Some(after)) = (&d.before, &d.after) {
        if before.kind != after.kind {
            what.push("another device".to_owned());
        }
        if before.via != after.via {
            let over = |via: &[DeviceId]| match via {
                [] => "straight".to_owned(),
                via => via.iter().map(|v| name(site, v)).collect::<Vec<_>>().join(", "),
            };
            what.push(format!("was {}, now {}", over(&before.via), over(&after.via)));
        }
        if before.known != after.known {
            what.push(format!("way {}", after.known.words()));
        }
    }
    Row {
        name: d.name.clone(),
        before: told(&d.before),
        after: told(&d.after),
        class: [class(&d.before), class(&d.after)],
        gained: or_dash(d.gained()),
        what: what.join("; "),
    }
}

/// A storey with what was moved on it, and where devices differ.
fn drawn(site: &Site, floor: &FloorId, all: &[Differs]) -> Plan {
    let mut plan = sheet(site, floor, None);
    let low = site.floors.get(floor).map_or(0.0, |f| f.elevation_m.get());
    let high = site.floors.get(floor).map_or(0.0, |f| (f.elevation_m + f.height_m).get());
    let here = |s: &Stood| s.at[2] >= low - 0.2 && s.at[2] < high;
    let cm = |v: f64| (v * 100.0).round();
    for d in all.iter().filter(|d| d.is_any()) {
        if let (Some(before), Some(after), Some(_)) = (&d.before, &d.after, d.moved_m())
            && here(after)
        {
            plan.routes.push(RouteShape {
                d: format!(
                    "M{} {}L{} {}",
                    cm(before.at[0]),
                    cm(before.at[1]),
                    cm(after.at[0]),
                    cm(after.at[1])
                ),
                to: d.device.to_string(),
                class: "read next".to_owned(),
            });
        }
        if let Some(s) = d.after.as_ref().or(d.before.as_ref()).filter(|s| here(s)) {
            let text = d.gained().map_or_else(|| "±".to_owned(), |g| typographic(g.get(), 0));
            plan.marks.push(PlanMark {
                x: cm(s.at[0]),
                y: cm(s.at[1]),
                text,
                title: d.name.clone(),
            });
        }
    }
    plan
}

/// The stages that can be kept, with the edit of each.
pub(super) fn keeps() -> Vec<(&'static str, String)> {
    let edit = |stage: Stage| {
        serde_json::json!({"do": "keep-stage", "stage": stage, "by": ""}).to_string()
    };
    Stage::ALL.iter().map(|(stage, words)| (*words, edit(*stage))).collect()
}
