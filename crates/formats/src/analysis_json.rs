//! The whole analysis as JSON, for scripts: the same numbers as on the screen.
//!
//! Key names stay stable. Levels are dBm, losses and margins dB, lengths metres.

use dot_reach_core::Analysis;
use dot_reach_core::analysis::NetworkAnalysis;
use dot_reach_core::network::{Hop, Outcome};
use dot_reach_core::staircase::{Staircase, StepOf, staircase};
use serde_json::{Value, json};

/// The analysis as one value.
pub fn value(analysis: &Analysis) -> Value {
    let findings: Vec<_> = analysis
        .findings
        .iter()
        .map(|f| json!({ "weight": format!("{:?}", f.weight).to_lowercase(), "rule": f.rule, "text": f.text, "cure": f.cure, "network": f.network, "device": f.device, "point": f.point }))
        .collect();
    json!({
        "job": analysis.site.job.name,
        "confidence": analysis.site.job.confidence,
        "sigma_db": analysis.sigma,
        "target_margin_db": analysis.target,
        "networks": analysis.networks.iter().map(|n| network(analysis, n)).collect::<Vec<_>>(),
        "findings": findings,
    })
}

fn network(analysis: &Analysis, network: &NetworkAnalysis) -> Value {
    let medium = &network.medium;
    let links: Vec<_> = network
        .links
        .all
        .iter()
        .map(|link| {
            let (a, b) = (&network.nodes[link.a], &network.nodes[link.b]);
            let out = staircase(medium, a, b, analysis.target);
            let back = staircase(medium, b, a, analysis.target);
            json!({
                "a": a.device, "b": b.device,
                "distance_m": out.length, "path_loss_db": link.path_loss,
                "a_to_b": direction(&out), "b_to_a": direction(&back),
            })
        })
        .collect();
    let devices: Vec<_> = network
        .outcomes
        .iter()
        .enumerate()
        .map(|(place, outcome)| device(network, place, outcome))
        .collect();
    json!({
        "id": network.network, "name": network.name, "system": network.system,
        "frequency_mhz": network.medium.frequency(), "devices": devices, "links": links,
    })
}

fn device(network: &NetworkAnalysis, place: usize, outcome: &Outcome) -> Value {
    let node = &network.nodes[place];
    let weakest = outcome.weakest().map(Hop::margin);
    json!({
        "id": node.device, "name": node.name, "role": node.role.role.name(), "role_why": node.role.why,
        "verdict": outcome.band.name(), "reason": outcome.reason.to_string(),
        "hops": outcome.hops.len(), "repeaters": outcome.repeaters(),
        "route": outcome.hops.iter().map(hop).collect::<Vec<_>>(),
        "weakest_margin_db": weakest, "success": outcome.success, "delay_ms": outcome.delay_ms,
        "parents_at_target": outcome.parents, "hangs_on": outcome.hangs_on,
    })
}

fn hop(hop: &Hop) -> Value {
    json!({
        "from": hop.from, "to": hop.to,
        "margin_out_db": hop.margin_out, "margin_back_db": hop.margin_back,
    })
}

fn direction(stairs: &Staircase) -> Value {
    json!({
        "tx_dbm": stairs.tx, "received_dbm": stairs.received, "sensitivity_dbm": stairs.needs,
        "margin_db": stairs.margin(), "terms": terms(stairs),
    })
}

fn terms(stairs: &Staircase) -> Vec<Value> {
    stairs
        .steps
        .iter()
        .map(|step| {
            let (cause, id) = cause(&step.of);
            json!({ "cause": cause, "id": id, "name": step.name, "loss_db": step.loss, "at_m": step.at })
        })
        .collect()
}

/// A step's cause in a word, and the id of what it is of.
fn cause(of: &StepOf) -> (&'static str, Option<String>) {
    match of {
        StepOf::SendingAntenna => ("sending-antenna", None),
        StepOf::AroundSender => ("around-sender", None),
        StepOf::Distance => ("distance", None),
        StepOf::Wall(id) => ("wall", Some(id.to_string())),
        StepOf::Opening(id) => ("opening", Some(id.to_string())),
        StepOf::Floor(id) => ("floor", Some(id.to_string())),
        StepOf::Clutter => ("clutter", None),
        StepOf::Bounce => ("bounce", None),
        StepOf::Bend(id) => ("bend", Some(id.to_string())),
        StepOf::OtherWays => ("other-ways", None),
        StepOf::FloorFactor => ("floor-factor", None),
        StepOf::Leak => ("leak", None),
        StepOf::Calibration => ("calibration", None),
        StepOf::AroundHearer => ("around-hearer", None),
        StepOf::HearingAntenna => ("hearing-antenna", None),
    }
}
