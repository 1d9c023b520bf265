//! What readings say, as JSON: `dot-reach prove --json`; docs/ANALYSE.md says how.

use std::collections::BTreeSet;

use dot_reach_core::analysis::Analysis;
use dot_reach_core::prove::diagnose::{Diagnosis, ParentRow, diagnose, rows};
use dot_reach_core::prove::helps::{Help, as_learned, best, helps};
use dot_reach_core::prove::next::{NextReading, next};
use dot_reach_core::prove::{Comparison, Proof};
use dot_reach_core::site::DeviceId;
use serde_json::{Value, json};

fn reading(c: &Comparison) -> Value {
    json!({
        "id": c.reading, "network": c.network, "from": c.from, "to": c.to,
        "distance_m": c.distance_m, "measured_dbm": c.measured, "predicted_dbm": c.predicted,
        "residual_db": c.residual(), "others_say_dbm": c.others_say, "calibrated_dbm": c.calibrated,
        "sigma_db": c.sigma, "weight": c.weight, "verdict": c.verdict.word(),
        "reason": c.slip.as_ref().map(ToString::to_string),
    })
}

fn diagnosis(d: &Diagnosis) -> Value {
    let causes: Vec<_> = d
        .causes
        .iter()
        .map(|c| {
            json!({ "cause": c.why.word(), "words": c.why.to_string(),
                "probability": c.probability, "test": c.why.test() })
        })
        .collect();
    json!({ "device": d.device, "what": d.what, "off_db": d.off, "causes": causes, "test": d.test() })
}

fn help(h: &Help) -> Value {
    let standing = |(band, margin): (dot_reach_core::network::Band, Option<_>)| json!({ "band": band.name(), "margin_db": margin });
    json!({
        "what": h.what, "device": h.device, "minutes": h.minutes, "before": standing(h.before),
        "after": standing(h.after), "more_at_target": h.more_at_target, "worth": h.worth(),
        "edit": h.edit, "done_in_the_house": h.is_done_there,
    })
}

fn row(r: &ParentRow) -> Value {
    json!({
        "device": r.device, "planned_via": r.planned, "planned_margin_db": r.planned_margin,
        "actual_via": r.actual.as_ref().map(|a| &a.via), "told_at": r.actual.as_ref().map(|a| &a.at),
        "actual_margin_db": r.actual_margin, "differs": r.differs,
    })
}

fn next_readings(next: &NextReading) -> Vec<Value> {
    let of = |w: &dot_reach_core::prove::next::ReadingWorth| json!({ "from": w.from, "to": w.to, "lowers_db2": w.lowers, "most_for": w.most_for });
    next.readings.iter().map(of).collect()
}

/// Links that were not read, in both directions: the level that is to be expected, and its deviation.
fn unread(analysis: &Analysis, proof: &Proof) -> Vec<Value> {
    let read: BTreeSet<(DeviceId, DeviceId)> = proof
        .comparisons
        .iter()
        .filter(|c| c.weight > 0.0)
        .map(|c| (c.from.clone().min(c.to.clone()), c.from.clone().max(c.to.clone())))
        .collect();
    let mut all = Vec::new();
    for network in &analysis.networks {
        for link in &network.links.all {
            let (a, b) = (&network.nodes[link.a].device, &network.nodes[link.b].device);
            if read.contains(&(a.min(b).clone(), a.max(b).clone())) {
                continue;
            }
            let Some(key) = proof.proven.link(a, b) else { continue };
            let there = proof.proven.house.expected(key);
            for (from, to) in [(a, b), (b, a)] {
                let level = proof.proven.level(from, to, there.gain);
                all.push(json!({ "network": network.network, "from": from, "to": to,
                    "rssi_dbm": level, "sigma_db": there.sigma }));
            }
        }
    }
    all
}

/// All that the readings of an analysed job say.
pub fn value(analysis: &Analysis, proof: &Proof) -> Value {
    let learned = as_learned(analysis, proof);
    let diagnoses = diagnose(analysis, proof);
    let helps = helps(&learned, proof, &diagnoses, &|| true);
    let next = next(&learned, proof);
    let links = unread(analysis, proof);
    let rows = rows(analysis, proof);
    let corrections: Vec<_> = proof
        .corrections
        .iter()
        .map(|c| {
            json!({ "kind": c.kind, "id": c.id, "mhz": c.mhz, "db": c.db, "sigma_db": c.sigma_db,
                "readings": c.readings })
        })
        .collect();
    let ranks: Vec<_> = proof
        .ranks
        .iter()
        .map(|r| json!({ "hearer": r.hearer, "readings": r.readings, "agreement": r.agreement }))
        .collect();
    let told = next_readings(&next);
    json!({
        "readings": proof.comparisons.iter().map(reading).collect::<Vec<_>>(),
        "strangers": proof.strangers,
        "ranks": ranks,
        "rmse_before_db": proof.rmse_before,
        "rmse_after_db": proof.rmse_after,
        "corrections": corrections,
        "diagnoses": diagnoses.iter().map(diagnosis).collect::<Vec<_>>(),
        "devices": rows.iter().map(row).collect::<Vec<_>>(),
        "helps": helps.iter().map(help).collect::<Vec<_>>(),
        "best_single_change": best(&helps).map(help),
        "undecided": next.undecided,
        "undecided_variance_db2": next.variance,
        "next_reading": told.first(),
        "next_readings": told,
        "links": links,
    })
}
