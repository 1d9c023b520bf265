//! The run sheet: what is joined when, with ticks and cautions; made for a phone.

use std::sync::Arc;

use actix_web::{HttpResponse, get};
use askama::Template;
use dot_reach_core::fit::Fits;
use dot_reach_core::install::{MAINS_CAUTIONS, run_sheet};
use dot_reach_core::site::Step;
use dot_reach_core::summary::fit_findings;

use crate::door::Job;
use crate::error::WebError;
use crate::pages::{Shell, html};

#[derive(Template)]
#[template(path = "install/page.html")]
struct Page {
    shell: Shell,
    cautions: [&'static str; 5],
    stages: Vec<StageCard>,
    done: usize,
    total: usize,
}

struct StageCard {
    name: &'static str,
    done: usize,
    tasks: Vec<TaskCard>,
}

struct TaskCard {
    number: usize,
    device: String,
    tag: String,
    name: String,
    place: String,
    kind: String,
    network: String,
    way: String,
    cautions: Vec<&'static str>,
    /// Why it does not fit, where it does not: no work on it is settled.
    unfit: Vec<String>,
    steps: Vec<StepTick>,
    complete: bool,
    next: bool,
}

struct StepTick {
    word: &'static str,
    text: &'static str,
    done: bool,
}

fn step_words(step: Step) -> (&'static str, &'static str) {
    match step {
        Step::Code => ("code", "Code kept"),
        Step::Wired => ("wired", "Wired, circuit dead"),
        Step::Joined => ("joined", "Joined in place"),
        Step::Tested => ("tested", "Tested, plate on"),
    }
}

#[get("/jobs/{job}/install")]
pub(crate) async fn show(job: Job) -> Result<HttpResponse, WebError> {
    let shell = job.shell("Install");
    let site = Arc::clone(&job.site);
    let analysis = job.analysed().await?;
    let mut stages: Vec<StageCard> = Vec::new();
    let (mut done, mut total) = (0, 0);
    let mut next_is_open = true;
    for task in run_sheet(&analysis) {
        let Some(device) = site.devices.get(&task.device) else { continue };
        let Some(point) = site.point_of(device) else { continue };
        let complete = task.steps.iter().all(|s| device.done.contains(s));
        total += 1;
        done += usize::from(complete);
        let steps = task.steps.iter().map(|s| {
            let (word, text) = step_words(*s);
            StepTick { word, text, done: device.done.contains(s) }
        });
        let by = task.by_way_of.and_then(|d| site.devices.get(&d)).map(|d| d.name.clone());
        let circuit = if point.circuit.is_empty() {
            String::new()
        } else {
            // Whoever goes to the panel reads there what is printed: where that is wrong, it is said here.
            let wrong = site.circuit_of(point).and_then(|c| c.mislabelled());
            let wrong =
                wrong.map(|really| format!(", labelled wrong: breaker {really} makes it dead"));
            format!(" · breaker {}{}", point.circuit, wrong.unwrap_or_default())
        };
        let floor = site.floors.get(&point.floor).map_or("", |f| f.name.as_str());
        let card = TaskCard {
            number: total,
            device: device.id.to_string(),
            tag: point.tag.clone(),
            name: device.name.clone(),
            place: format!("{floor} · {}{circuit}", site.room_name(point)),
            kind: site.kind(&device.kind).map_or_else(String::new, |k| k.name.clone()),
            network: site.networks.get(&task.network).map(|n| n.name.clone()).unwrap_or_default(),
            way: match (by, task.hops) {
                (Some(by), hops) if hops > 1 => format!("{hops} hops, by way of {by}"),
                (Some(_), _) => "direct to the hub".to_owned(),
                (None, _) => String::new(),
            },
            cautions: task.cautions,
            unfit: fit_findings(&site, &device.id)
                .iter()
                .filter(|f| f.fits() == Fits::No)
                .map(|f| format!("{f} Ways out: {}.", f.ways_out().join("; ")))
                .collect(),
            steps: steps.collect(),
            complete,
            next: next_is_open && !complete,
        };
        next_is_open &= complete;
        match stages.last_mut() {
            Some(stage) if stage.name == task.stage.name() => {
                stage.done += usize::from(complete);
                stage.tasks.push(card);
            }
            _ => stages.push(StageCard {
                name: task.stage.name(),
                done: usize::from(complete),
                tasks: vec![card],
            }),
        }
    }
    html(&Page { shell, cautions: MAINS_CAUTIONS, stages, done, total })
}
