//! When something does not work: symptom, causes by how likely they are, the next thing to look at.

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::Analysis;
use dot_reach_core::gate::gate;
use dot_reach_core::gate::work::{WorkKind, WorkedDevice};
use dot_reach_core::install::guide::{GuideKit, Guided, ROWS, SURE, guide, hints};
use dot_reach_core::prove::acts::hangs_on;
use dot_reach_core::record::{CheckAnswer, Fault, Record, Step};
use dot_reach_core::site::DeviceId;
use dot_reach_store::Store;
use serde::Deserialize;
use serde_json::json;

use crate::door::{For, See};
use crate::error::WebError;
use crate::pages::house_time::day;
use crate::pages::{Shell, printed};

/// Where the search stands.
#[derive(Clone, Deserialize)]
pub(crate) struct Query {
    #[serde(default)]
    device: String,
    #[serde(default)]
    symptom: String,
    /// Answers so far: `own-light:no,tab-in:yes`.
    #[serde(default)]
    a: String,
}

#[derive(Template)]
#[template(path = "install/fault.html")]
struct Page {
    shell: Shell,
    /// Id, name, and the place it is at.
    devices: Vec<(String, String, String)>,
    device: String,
    /// Answers so far, as they stand in the address.
    answers: String,
    symptoms: Vec<(String, String, String)>,
    symptom: String,
    said: String,
    causes: Vec<CauseRow>,
    next: Option<Asked>,
    asked: Vec<(String, &'static str, String)>,
    met: Vec<String>,
    put: String,
    found: bool,
    log: Vec<(String, String, String, String)>,
    gave_out: Option<InItsPlace>,
}

/// What follows where another of its kind takes the place of a dead unit.
struct InItsPlace {
    is_listed: bool,
    opens_box: bool,
    /// How many loads it is tied to.
    ties: usize,
    /// What is reached over it.
    hung: Vec<String>,
    /// How it was set.
    set: Vec<String>,
}

fn in_its_place(analysis: &Analysis, record: &Record, spot: &WorkedDevice<'_>) -> InItsPlace {
    let own = &spot.device.id;
    let name = |id: &DeviceId| spot.site.devices.get(id).map(|d| d.name.clone());
    let kept = record.wiring_records.iter().find(|r| r.device == *own);
    let set = kept.into_iter().flat_map(|kept| &kept.settings);
    InItsPlace {
        is_listed: spot.takes(Step::Joined),
        opens_box: spot.opens_box(),
        ties: if spot.takes(Step::Tied) { spot.masters().len() } else { 0 },
        hung: hangs_on(analysis, record, own).iter().filter_map(name).collect(),
        set: set.map(|(name, is)| format!("{name}: {is}")).collect(),
    }
}

struct CauseRow {
    text: String,
    cure: String,
    share: u32,
    whys: Vec<String>,
    id: String,
}

struct Asked {
    text: String,
    yes: String,
    no: String,
    unknown: String,
    minutes: f64,
}

#[get("/jobs/{job}/install/fault")]
pub(crate) async fn show(
    For(job, query, ..): For<See, web::Query<Query>>,
) -> Result<HttpResponse, WebError> {
    let query = query.into_inner();
    let analysis = job.analysed().await?;
    let known: Vec<Fault> = job.app.ask(Store::faults).await?;
    printed(job, move |job| {
        let site = &analysis.site;
        let device: Option<DeviceId> = query.device.parse().ok();
        let spot = device.as_ref().and_then(|d| WorkedDevice::of(site, d));
        let gate = gate(&job.record, site);
        let told = spot.as_ref().map(|s| hints(&analysis, &gate, s)).unwrap_or_default();
        let answers = answers(&query.a);
        let guided = guide(&query.symptom, &answers, &told, &known);
        let mut devices: Vec<(String, String, String)> = site
            .devices
            .iter()
            .map(|d| {
                (
                    d.id.to_string(),
                    format!("{} {}", site.point_of(d).map_or("", |p| p.label()), d.name),
                    d.point.to_string(),
                )
            })
            .collect();
        devices.sort_by(|a, b| a.1.cmp(&b.1));
        let address = |q: &Query| {
            let query = [("device", &q.device), ("symptom", &q.symptom), ("a", &q.a)];
            let text = serde_urlencoded::to_string(query).unwrap_or_default();
            format!("/jobs/{}/install/fault?{text}", job.id)
        };
        let symptoms = ROWS.symptom.iter().map(|s| {
            let with = Query { symptom: s.id.clone(), a: String::new(), ..query.clone() };
            (s.id.clone(), s.text.clone(), address(&with))
        });
        let answer = |check: &str, so: &str| {
            let a = [query.a.as_str(), &format!("{check}:{so}")];
            let a = a.iter().filter(|t| !t.is_empty()).copied().collect::<Vec<_>>().join(",");
            address(&Query { a, ..query.clone() })
        };
        let next = guided.as_ref().and_then(|g| g.next.as_ref()).and_then(|id| ROWS.check(id));
        let next = next.map(|check| Asked {
            text: check.ask.clone(),
            yes: answer(&check.id, "yes"),
            no: answer(&check.id, "no"),
            unknown: answer(&check.id, "unknown"),
            minutes: check.minutes,
        });
        let asked = answers.iter().enumerate().filter_map(|(n, a)| {
            let so = match a.so {
                Some(true) => "yes",
                Some(false) => "no",
                None => "cannot tell",
            };
            // Taking an answer back takes along those that followed from it.
            let before: Vec<&str> = query.a.split(',').take(n).collect();
            let back = address(&Query { a: before.join(","), ..query.clone() });
            Some((ROWS.check(&a.check)?.ask.clone(), so, back))
        });
        let logged = job.record.faults.iter().map(|f| {
            let what = ROWS.symptom(&f.symptom).map_or(f.symptom.clone(), |s| s.text.clone());
            let cause = ROWS.cause(&f.cause).map_or(f.cause.clone(), |c| c.text.clone());
            let minutes = f.minutes.map(|m| format!("{m:.0} min")).unwrap_or_default();
            (day(&f.at), what, cause, format!("{} {minutes}", f.cure))
        });
        let put = json!({ "device": spot.as_ref().map(|s| &s.device.id), "symptom": query.symptom,
        "point": spot.as_ref().map(|s| &s.point.id), "asked": answers, "by": job.caller.person.who });
        Ok(Page {
            devices,
            symptoms: symptoms.collect(),
            said: ROWS.symptom(&query.symptom).map(|s| s.text.clone()).unwrap_or_default(),
            causes: guided.as_ref().map(causes).unwrap_or_default(),
            met: guided.as_ref().map(met).unwrap_or_default(),
            found: guided
                .as_ref()
                .is_some_and(|g| g.ranked.first().is_some_and(|r| r.share >= SURE)),
            next,
            asked: asked.collect(),
            gave_out: spot.as_ref().filter(|s| s.work() != WorkKind::Hub).map(|s| in_its_place(&analysis, &job.record, s)),
            put: put.to_string(),
            log: logged.collect(),
            device: query.device,
            answers: query.a,
            symptom: query.symptom,
            shell: job.shell("install/fault"),
        })
    })
    .await
}

/// What a phone takes along, to go on with the guide where there is no line.
#[get("/jobs/{job}/install/guide.json")]
pub(crate) async fn kit(For(job, ..): For<See>) -> Result<HttpResponse, WebError> {
    let analysis = job.analysed().await?;
    let known: Vec<Fault> = job.app.ask(Store::faults).await?;
    let record = job.record.clone();
    let kit = job.word(move || {
        let gate = gate(&record, &analysis.site);
        let of = |id: &DeviceId| {
            let spot = WorkedDevice::of(&analysis.site, id)?;
            Some((id.clone(), hints(&analysis, &gate, &spot)))
        };
        let all = analysis.site.devices.iter().filter_map(|d| of(&d.id)).collect();
        GuideKit::of(&known, all)
    });
    Ok(HttpResponse::Ok().json(kit.await?))
}

fn answers(text: &str) -> Vec<CheckAnswer> {
    let one = |part: &str| {
        let (check, so) = part.split_once(':')?;
        ROWS.check(check)?;
        let so = match so {
            "yes" => Some(true),
            "no" => Some(false),
            _ => None,
        };
        Some(CheckAnswer { check: check.to_owned(), so })
    };
    text.split(',').filter_map(one).take(60).collect()
}

fn causes(guided: &Guided) -> Vec<CauseRow> {
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a share of 100")]
    let share = |r: f64| (r * 100.0).round() as u32;
    let rows = guided.ranked.iter().filter_map(|r| {
        let cause = ROWS.cause(&r.cause)?;
        Some(CauseRow {
            text: cause.text.clone(),
            cure: cause.cure.clone(),
            share: share(r.share),
            whys: r.whys.clone(),
            id: cause.id.clone(),
        })
    });
    rows.filter(|r| r.share > 0).take(6).collect()
}

fn met(guided: &Guided) -> Vec<String> {
    let rows = guided.met.iter().filter_map(|(cause, times, minutes)| {
        let text = &ROWS.cause(cause)?.text;
        let times = if *times == 1 { "once".to_owned() } else { format!("{times} times") };
        Some(format!("{text}: met {times} before, {minutes:.0} min each"))
    });
    rows.collect()
}
