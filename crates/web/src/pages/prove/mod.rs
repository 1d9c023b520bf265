//! Prove: what differs and what helps, readings, acceptance, the states of the plan, what has changed since.

pub(crate) mod acceptance;
pub(crate) mod findings;
pub(crate) mod helps;
pub(crate) mod names;
pub(crate) mod readings;
pub(crate) mod report;
pub(crate) mod round;
pub(crate) mod router;
pub(crate) mod since;
pub(crate) mod stages;
pub(crate) mod walk;

use std::sync::Arc;

use actix_web::HttpResponse;
use askama::Template;
use dot_reach_core::analysis::Analysis;
use dot_reach_core::prove::Proof;
use dot_reach_core::site::{DeviceId, Site};
use dot_reach_core::units::{Db, Dbm, typographic};

use crate::door::AskedJob;
use crate::drawing::stairs::signed;
use crate::error::WebError;
use crate::pages::printed;

/// A page of a job's analysis and what its readings say.
async fn proved<T: Template>(
    job: AskedJob,
    view: impl FnOnce(&Arc<Analysis>, &Proof) -> T + Send + 'static,
) -> Result<HttpResponse, WebError> {
    let (analysis, proof) = job.proved().await?;
    printed(job, move |_| Ok(view(&analysis, &proof))).await
}

fn name(site: &Site, id: &DeviceId) -> String {
    site.devices.get(id).map_or_else(|| id.to_string(), |d| d.name.clone())
}

/// A number that may be missing, without its unit.
fn or_dash(value: Option<Db>) -> String {
    value.map_or_else(|| "–".to_owned(), bare)
}

/// A difference with its sign, where the unit stands above.
fn bare(value: Db) -> String {
    signed(value).trim_end_matches(" dB").to_owned()
}

/// A level as it was read: half decibels stay.
pub(crate) fn as_read(level: Dbm) -> String {
    typographic(level.get(), usize::from(level.get().fract().abs() > 0.0))
}

fn percent(share: f64) -> String {
    format!("{:.0} %", share * 100.0)
}

/// The tag of the point that a device is at.
fn tag(site: &Site, id: &DeviceId) -> String {
    let point = site.devices.get(id).and_then(|d| site.point_of(d));
    point.map(|p| p.tag.clone()).unwrap_or_default()
}
