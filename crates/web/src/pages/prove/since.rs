//! Since then: readings after the house was proven, and what probably changed.

use actix_web::{HttpResponse, get};
use askama::Template;
use dot_reach_core::lifetimes::{Lifetime, lifetimes};
use dot_reach_core::moment::Moment;
use dot_reach_core::prove::drift::{Changed, changed, next_check, trends};
use dot_reach_core::prove::stages::newest;
use dot_reach_core::record::Stage;
use dot_reach_core::site::Site;
use dot_reach_core::units::typographic;

use super::{name, or_dash};
use crate::app::moment;
use crate::door::{For, See};
use crate::error::WebError;
use crate::pages::house_time::day;
use crate::pages::{Shell, printed};

#[derive(Template)]
#[template(path = "prove/since.html")]
struct Page {
    shell: Shell,
    proven: String,
    /// Every how many months it is read again, and when that is due; whether it is over.
    check_months: String,
    check: String,
    is_due: bool,
    changed: Vec<String>,
    rows: Vec<[String; 6]>,
    lives: Vec<LifeRow>,
    /// How many devices nothing is known of: since when, or how long they last.
    unknown: usize,
}

/// A device that is replaced before a day.
struct LifeRow {
    name: String,
    since: String,
    years: String,
    before: String,
    is_due: bool,
}

#[get("/jobs/{job}/prove/since")]
pub(crate) async fn show(For(job, ..): For<See>) -> Result<HttpResponse, WebError> {
    printed(job, move |job| {
        let (site, record) = (&job.site, &job.record);
        let trends = trends(record);
        let rows = trends.iter().map(|t| {
            [
                name(site, &t.from),
                name(site, &t.to),
                t.readings.to_string(),
                or_dash(Some(t.change)),
                or_dash(t.a_year),
                if t.is_alarm { "look" } else { "" }.to_owned(),
            ]
        });
        let lives = lifetimes(site, record);
        let now = moment();
        let check = next_check(site, record);
        Ok(Page {
            unknown: lives.iter().filter(|l| l.replace_before.is_none()).count(),
            lives: lives.iter().filter_map(|l| life(site, l, &now)).collect(),
            proven: newest(record, Stage::Proven).map(|m| day(&m.at)).unwrap_or_default(),
            changed: changed(&trends).iter().map(|c| words(site, c)).collect(),
            check_months: site.job.check_months.map(|m| typographic(m, 0)).unwrap_or_default(),
            is_due: check.as_ref().is_some_and(|at| *at <= now),
            check: check.map(|at| at.chars().take(10).collect()).unwrap_or_default(),
            rows: rows.collect(),
            shell: job.shell("prove/since"),
        })
    })
    .await
}

fn life(site: &Site, life: &Lifetime, now: &Moment) -> Option<LifeRow> {
    let before = life.replace_before.as_ref()?;
    let date = |at: &Moment| at.chars().take(10).collect::<String>();
    Some(LifeRow {
        name: name(site, &life.device),
        since: life.since.as_ref().map(date).unwrap_or_default(),
        years: typographic(life.years.unwrap_or_default(), 0),
        before: date(before),
        is_due: before <= now,
    })
}

fn words(site: &Site, c: &Changed) -> String {
    match c {
        Changed::AtDevice(id, by) => format!(
            "{}: all its links changed, by {by} on the mean. Something at it: moved, put into or behind \
             metal, a new plate, a failing supply.",
            name(site, id)
        ),
        Changed::Between(a, b, by) => format!(
            "{} to {}: this link alone changed by {by}. Something between: furniture, an appliance, a door, \
             a wall.",
            name(site, a),
            name(site, b)
        ),
        Changed::Everything(by) => format!(
            "Nearly all links changed, by {by} on the mean: the hub was moved or covered, or its software \
             counts in another way."
        ),
    }
}
