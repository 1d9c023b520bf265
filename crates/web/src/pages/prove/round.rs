//! A round with two test radios on the phone: where the one stays, where the other goes, what is read.

use actix_web::{HttpResponse, get, web};
use askama::Template;
use dot_reach_core::prove::round::{RoundStand, RoundStop, SUMS, round};
use dot_reach_core::site::{DeviceId, Site};
use dot_reach_core::units::{Dbm, typographic};
use serde::Deserialize;

use super::name;
use crate::door::{For, See};
use crate::error::WebError;
use crate::pages::{Shell, printed};

#[derive(Deserialize)]
pub(crate) struct Asked {
    /// Transmit power and both antennas, in dBm.
    #[serde(default)]
    sum: String,
}

#[derive(Template)]
#[template(path = "prove/round.html")]
struct Page {
    shell: Shell,
    sum: String,
    /// What is wrong with the sum.
    wrong: &'static str,
    stands: Vec<StandRow>,
    read: usize,
    all: usize,
}

struct StandRow {
    name: String,
    at: String,
    stops: Vec<StopRow>,
}

struct StopRow {
    from: String,
    to: String,
    name: String,
    at: String,
    expected: String,
    read: String,
}

#[get("/jobs/{job}/round")]
pub(crate) async fn show(
    For(job, asked, ..): For<See, web::Query<Asked>>,
) -> Result<HttpResponse, WebError> {
    let shell = job.shell("round");
    let analysis = job.analysed().await?;
    printed(job, move |job| {
        let site = &analysis.site;
        let text = asked.sum.trim().replace('−', "-").replace(',', ".");
        let sum = text.parse().ok().filter(|sum| SUMS.contains(sum)).map(Dbm::new);
        let stands: Vec<StandRow> =
            round(&analysis, &job.record).iter().map(|of| stand(site, of, sum)).collect();
        let stops = || stands.iter().flat_map(|s| &s.stops);
        Ok(Page {
            sum: sum.map(|sum| typographic(sum.get(), 1)).unwrap_or_default(),
            wrong: if sum.is_none() && !text.is_empty() { "give −40 to 60 dBm" } else { "" },
            read: stops().filter(|s| !s.read.is_empty()).count(),
            all: stops().count(),
            stands,
            shell,
        })
    })
    .await
}

fn stand(site: &Site, of: &RoundStand, sum: Option<Dbm>) -> StandRow {
    let stop = |stop: &RoundStop| StopRow {
        from: of.stays.to_string(),
        to: stop.at.to_string(),
        name: name(site, &stop.at),
        at: place(site, &stop.at),
        expected: sum.map_or_else(String::new, |sum| {
            let level = typographic(stop.expected(sum).get(), 0);
            format!("{level} ± {} dBm expected", typographic(stop.sigma.get(), 0))
        }),
        read: stop
            .read
            .map(|level| format!("{} dBm read", typographic(level.get(), 0)))
            .unwrap_or_default(),
    };
    StandRow {
        name: name(site, &of.stays),
        at: place(site, &of.stays),
        stops: of.stops.iter().map(stop).collect(),
    }
}

/// Where a device is planned, as people find it.
fn place(site: &Site, device: &DeviceId) -> String {
    let point = site.devices.get(device).and_then(|d| site.point_of(d));
    point.map_or_else(String::new, |p| {
        let floor = site.floors.get(&p.floor).map_or("", |f| f.name.as_str());
        let room = site.room_name(p);
        let parts = [p.name.as_str(), room, floor];
        parts.into_iter().filter(|part| !part.is_empty()).collect::<Vec<_>>().join(", ")
    })
}
