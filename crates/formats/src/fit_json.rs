//! What fits where as JSON, for scripts: the same reasons as on the screen. Key names stay stable.

use dot_reach_core::fit::candidates::candidates;
use dot_reach_core::fit::{FitFinding, FitPlace, findings, verdict};
use dot_reach_core::site::{Point, Site};
use serde_json::{Value, json};

/// Every point with its devices and what could stand there.
pub fn value(site: &Site) -> Value {
    let points: Vec<_> = site.points.iter().map(|point| of_point(site, point)).collect();
    json!({ "job": site.job.name, "region": site.job.region, "points": points })
}

fn of_point(site: &Site, point: &Point) -> Value {
    let place = FitPlace::of(site, point, None);
    let devices = site.devices_at(&point.id);
    let first = devices.first().copied();
    let because = |found: &FitFinding| reason(site, found);
    let told = devices.iter().map(|device| {
        let kind = site.kind(&device.kind);
        let reasons = kind.map(|k| findings(site, k, point, Some(device))).unwrap_or_default();
        json!({
            "id": device.id, "name": device.name, "kind": device.kind,
            "kind_name": kind.map(|k| k.name.as_str()),
            "verdict": verdict(&reasons).name(), "reasons": reasons.iter().map(because).collect::<Vec<_>>(),
        })
    });
    let could = candidates(site, point, first).into_iter().map(|c| {
        json!({
            "kind": c.kind.id, "kind_name": c.kind.name, "verdict": c.fits.name(),
            "forwards": c.forwards, "price": c.kind.fit.price,
            "reasons": c.reasons.iter().map(because).collect::<Vec<_>>(),
        })
    });
    let circuit = place.circuit.map(|c| {
        json!({
            "label": c.label, "proven": c.proven.as_ref().map(|p| &p.label),
            "mislabelled": c.mislabelled().is_some(), "shared_neutral": c.shared_neutral,
            "neutral_with": c.neutral_with,
        })
    });
    json!({
        "id": point.id, "name": point.name, "room": site.room_name(point), "tag": point.tag,
        "breaker": point.circuit, "circuit": circuit, "box_of": place.lead.id,
        "depth_mm": place.depth_mm(), "neutral": place.neutral(), "earth": place.earth(),
        "watts": place.loads.iter().map(|l| l.total()).sum::<Option<f64>>(),
        "devices": told.collect::<Vec<_>>(), "candidates": could.collect::<Vec<_>>(),
    })
}

fn reason(site: &Site, found: &FitFinding) -> Value {
    let ways = found.ways_out(&site.job).into_iter().map(|way| way.says);
    json!({
        "rule": found.rule(), "verdict": found.fits().name(),
        "text": found.to_string(), "ways_out": ways.collect::<Vec<_>>(),
    })
}
