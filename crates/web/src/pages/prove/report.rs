//! Before and after, for the client: what was planned, what was found, what was done, how it stands.

use actix_web::{HttpResponse, get};
use askama::Template;
use dot_reach_core::analysis::Analysis;
use dot_reach_core::network::Band;
use dot_reach_core::prove::Proof;
use dot_reach_core::prove::accept::{counts, judged};
use dot_reach_core::prove::stages::{as_it_stands, counts as standing, difference, newest, now};
use dot_reach_core::record::{Stage, Stood};
use dot_reach_core::units::typographic;

use super::acceptance::{class, signed};
use super::{name, or_dash, percent, proved};
use crate::door::{For, See};
use crate::error::WebError;
use crate::pages::Shell;
use crate::pages::house_time::day;

#[derive(Template)]
#[template(path = "prove/report.html")]
struct Page {
    shell: Shell,
    client: String,
    address: String,
    date: String,
    before: Side,
    after: Side,
    off: [String; 2],
    readings: usize,
    counts: [usize; 3],
    rows: Vec<Row>,
    weak: Vec<(String, String)>,
    faults: Vec<[String; 3]>,
    signed: Vec<String>,
}

struct Side {
    title: String,
    at_target: String,
    reached: String,
    deepest: String,
    weakest: String,
}

struct Row {
    name: String,
    before: String,
    after: String,
    hops: [String; 2],
    /// By what it is known over whom it goes now.
    known: &'static str,
    tested: &'static str,
    class: &'static str,
}

#[get("/jobs/{job}/prove/report")]
pub(crate) async fn show(For(job, ..): For<See>) -> Result<HttpResponse, WebError> {
    let shell = job.shell("prove/report");
    proved(job, move |analysis, proof| view(shell, analysis, proof)).await
}

fn side(title: String, devices: &[Stood]) -> Side {
    let [at_target, reached, all] = standing(devices);
    let own = || devices.iter().filter(|s| s.band != "hub");
    let deepest = own().filter_map(|s| s.hops).max();
    let weakest = own().filter_map(|s| s.margin_db).min_by(dot_reach_core::units::Db::total_cmp);
    Side {
        title,
        at_target: format!("{at_target} of {all}"),
        reached: format!("{reached} of {all}"),
        deepest: deepest.map_or_else(|| "–".to_owned(), |h| h.to_string()),
        weakest: or_dash(weakest),
    }
}

fn view(shell: Shell, analysis: &Analysis, proof: &Proof) -> Page {
    let site = &analysis.site;
    let judged = judged(analysis, proof);
    let stands = as_it_stands(analysis, &proof.record);
    let designed = newest(&proof.record, Stage::Designed);
    let was: Vec<Stood> = designed.map_or_else(|| now(analysis), |m| m.devices.clone());
    let titled = designed.map_or_else(|| "As planned now".to_owned(), super::stages::label);
    let told = |s: &Option<Stood>| {
        s.as_ref().map_or_else(
            || "–".to_owned(),
            |s| format!("{} {}", Band::grade_of(&s.band), or_dash(s.margin_db)),
        )
    };
    let hops = |s: &Option<Stood>| {
        s.as_ref().and_then(|s| s.hops).map_or_else(|| "–".to_owned(), |h| h.to_string())
    };
    let rows = difference(&was, &stands)
        .into_iter()
        .filter(|d| d.after.as_ref().or(d.before.as_ref()).is_some_and(|s| s.band != "hub"));
    let rows = rows.map(|d| {
        let tested =
            judged.iter().find(|j| j.device == d.device).map_or("–", |j| j.passed.word());
        Row {
            before: told(&d.before),
            after: told(&d.after),
            hops: [hops(&d.before), hops(&d.after)],
            known: d.after.as_ref().map_or("", |s| s.known.words()),
            tested,
            class: class(tested),
            name: d.name,
        }
    });
    let weak = judged.iter().filter(|j| j.passed.word() == "fails");
    Page {
        client: site.job.client.clone(),
        address: site.job.address.clone(),
        date: day(&crate::app::now()),
        before: side(titled, &was),
        after: side("As it stands".to_owned(), &stands),
        off: [proof.rmse_before, proof.rmse_after].map(|d| typographic(d.get(), 1)),
        readings: proof.comparisons.len(),
        counts: counts(&judged),
        rows: rows.collect(),
        weak: weak
            .map(|j| {
                let why = j.points.iter().filter(|p| p.0.word() == "fails").map(|p| p.1.clone());
                (name(site, &j.device), why.collect::<Vec<_>>().join("; "))
            })
            .collect(),
        faults: proof
            .record
            .faults
            .iter()
            .filter(|f| !f.cure.is_empty())
            .map(|f| [f.symptom.clone(), f.cause.clone(), f.cure.clone()])
            .collect(),
        signed: proof.record.sign_offs.iter().map(signed).collect(),
        shell,
    }
}

/// A share in words, for the template.
pub(super) fn share(part: usize, all: usize) -> String {
    #[expect(clippy::cast_precision_loss, reason = "a count of devices")]
    let share = part as f64 / all.max(1) as f64;
    percent(share)
}
