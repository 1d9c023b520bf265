//! What differs from the plan, why, what would help, and what to read next.

use actix_web::{HttpResponse, get};
use askama::Template;
use dot_reach_core::analysis::Analysis;
use dot_reach_core::prove::Proof;
use dot_reach_core::prove::diagnose::{Diagnosis, rows};
use dot_reach_core::prove::next::NextReading;
use dot_reach_core::site::{DeviceId, FloorId, Site};
use dot_reach_core::units::{Db, typographic};

use super::{bare, name, percent, proved, tag};
use crate::door::{For, Looked, See};
use crate::drawing::plan::{Plan, RouteShape, sheet};
use crate::error::WebError;
use crate::pages::Shell;

#[derive(Template)]
#[template(path = "prove/page.html")]
struct Page {
    shell: Shell,
    nothing: bool,
    headline: String,
    in_force: String,
    can_accept: bool,
    found: Vec<Finding>,
    next: NextCard,
    learned: Vec<(String, String, String)>,
    ways: Vec<WayRow>,
    plan: Option<(String, Plan)>,
}

struct Finding {
    tag: String,
    what: String,
    causes: Vec<(String, String, u32)>,
    test: String,
    cured: String,
}

/// How a device goes, as planned and in truth.
struct WayRow {
    name: String,
    planned: String,
    actual: String,
    differs: bool,
}

struct NextCard {
    undecided: usize,
    readings: Vec<(String, String, String, String)>,
    settled: bool,
}

#[get("/jobs/{job}/prove")]
pub(crate) async fn show(For(job, ..): For<See>) -> Result<HttpResponse, WebError> {
    let shell = job.shell("prove");
    let looked = job.looked().await?;
    proved(job, move |analysis, proof| view(shell, analysis, proof, &looked)).await
}

fn view(shell: Shell, analysis: &Analysis, proof: &Proof, looked: &Looked) -> Page {
    let site = &analysis.site;
    let Looked { learned, diagnoses, next } = looked;
    let found: Vec<Finding> = diagnoses.iter().take(MOST).map(|d| finding(site, d)).collect();
    let job = shell.job.clone();
    Page {
        nothing: proof.comparisons.is_empty(),
        headline: headline(proof),
        in_force: in_force(site),
        can_accept: proof.proposed.is_some(),
        next: next_card(site, &job, next),
        learned: learned_rows(analysis, proof),
        ways: ways(analysis, proof),
        plan: plan(learned, proof, next),
        shell,
        found,
    }
}

/// How many are told.
const MOST: usize = 30;

fn headline(proof: &Proof) -> String {
    let count = proof.comparisons.len();
    let aside = proof.comparisons.iter().filter(|c| c.slip.is_some()).count();
    let aside = match aside {
        0 => String::new(),
        n => format!(" {n} excluded."),
    };
    format!(
        "{count} reading{}: {} off the plan (RMS), {} off what all the others teach.{aside}",
        if count == 1 { "" } else { "s" },
        proof.rmse_before,
        proof.rmse_after
    )
}

fn in_force(site: &Site) -> String {
    site.calibration.as_ref().map_or_else(String::new, |c| {
        let at = c.at.get(..10).map_or(String::new(), |day| format!(" on {day}"));
        format!(
            "The plan stands on {} readings, accepted{at}; ± {} on a link that was not read.",
            c.readings, c.sigma_db
        )
    })
}

fn finding(site: &Site, d: &Diagnosis) -> Finding {
    let causes = d.causes.iter().take(4).map(|c| {
        #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "0 to 100")]
        let width = (c.probability * 100.0).round() as u32;
        (c.why.to_string(), percent(c.probability), width)
    });
    let device = d.device.as_ref();
    let done = device.zip(d.first().and_then(|c| c.why.done())).map(|(id, what)| {
        serde_json::json!({"do": "cured", "device": id, "what": what}).to_string()
    });
    Finding {
        tag: device.map(|id| tag(site, id)).unwrap_or_default(),
        what: d.what.clone(),
        causes: causes.collect(),
        test: d.test(),
        cured: done.unwrap_or_default(),
    }
}

fn next_card(site: &Site, job: &str, next: &NextReading) -> NextCard {
    let of = |w: &dot_reach_core::prove::next::ReadingWorth| {
        let share = percent((w.lowers / next.variance.max(1e-9)).min(1.0));
        let href = format!("/jobs/{job}/walk?from={}&to={}", w.from, w.to);
        (name(site, &w.from), name(site, &w.to), share, href)
    };
    NextCard {
        undecided: next.undecided.len(),
        readings: next.readings.iter().map(of).collect(),
        settled: next.readings.is_empty(),
    }
}

/// Those of which a hub told, or a record of joining, what differs first.
fn ways(analysis: &Analysis, proof: &Proof) -> Vec<WayRow> {
    let site = &analysis.site;
    let told = |via: &[DeviceId], margin: Option<Db>| {
        let over = via.iter().map(|v| name(site, v)).collect::<Vec<_>>().join(", ");
        let over = if over.is_empty() { "straight".to_owned() } else { over };
        margin.map_or_else(|| over.clone(), |m| format!("{over} ({} dB)", bare(m)))
    };
    let of = |row: dot_reach_core::prove::diagnose::ParentRow| {
        let actual = row.actual.as_ref()?;
        Some(WayRow {
            name: name(site, &row.device),
            planned: row
                .planned
                .as_ref()
                .map_or_else(|| "not reached".to_owned(), |via| told(via, row.planned_margin)),
            actual: told(&actual.via, row.actual_margin),
            differs: row.differs,
        })
    };
    rows(analysis, proof).into_iter().filter_map(of).collect()
}

/// What was learned of constructions and the exponent, where it is more than its own deviation.
fn learned_rows(analysis: &Analysis, proof: &Proof) -> Vec<(String, String, String)> {
    let site = &analysis.site;
    let told = proof.corrections.iter().filter(|c| c.readings > 0 && c.db.abs() > c.sigma_db);
    let mut rows: Vec<_> = told
        .map(|c| {
            let at = c.mhz.map_or(String::new(), |m| format!(", {} MHz", typographic(m, 0)));
            let what = match c.kind {
                "exponent" => "A decade of distance".to_owned(),
                "offset" => {
                    let network = site.networks.named(&c.id).map_or("", |n| n.name.as_str());
                    format!("Receivers of {network}")
                }
                "device" => {
                    site.devices.named(&c.id).map_or_else(|| c.id.clone(), |d| d.name.clone())
                }
                _ => {
                    let made = site.construction(&c.id).map_or(c.id.as_str(), |k| k.name.as_str());
                    format!("{made}{at}")
                }
            };
            (c.db, what, typographic(c.sigma_db, 1))
        })
        .collect();
    rows.sort_by(|a, b| b.0.abs().total_cmp(&a.0.abs()));
    rows.into_iter().map(|(db, what, sigma)| (what, bare(Db::new(db)), sigma)).collect()
}

/// The storey of the best next reading, with the links that were read and the one to read.
fn plan(analysis: &Analysis, proof: &Proof, next: &NextReading) -> Option<(String, Plan)> {
    let site = &analysis.site;
    let floor_of = |id: &DeviceId| {
        site.devices.get(id).and_then(|d| site.point_of(d)).map(|p| p.floor.clone())
    };
    let wanted = next.readings.first().and_then(|w| floor_of(&w.to));
    let worst = || proof.comparisons.iter().find_map(|c| floor_of(&c.to));
    let floor: FloorId = wanted.or_else(worst)?;
    let mut plan = sheet(site, &floor, None);
    for network in &analysis.networks {
        plan.radios(analysis, network, &floor, None);
    }
    let at = |id: &DeviceId| {
        let point = site.devices.get(id).and_then(|d| site.point_of(d))?;
        (point.floor == floor).then_some(point.at.map(|v| (v * 100.0).round()))
    };
    let line = |from: &DeviceId, to: &DeviceId| {
        let ([a, b], [c, d]) = (at(from)?, at(to)?);
        Some(format!("M{a} {b}L{c} {d}"))
    };
    for c in &proof.comparisons {
        let class = match (c.weight > 0.0, c.differs()) {
            (false, _) => "read aside",
            (_, true) => "read differs",
            _ => "read",
        };
        if let Some(d) = line(&c.from, &c.to) {
            plan.routes.push(RouteShape { d, to: c.to.to_string(), class: class.to_owned() });
        }
    }
    if let Some(w) = next.readings.first()
        && let Some(d) = line(&w.from, &w.to)
    {
        plan.routes.push(RouteShape { d, to: w.to.to_string(), class: "read next".to_owned() });
    }
    let name = site.floors.get(&floor).map(|f| f.name.clone())?;
    Some((name, plan))
}
