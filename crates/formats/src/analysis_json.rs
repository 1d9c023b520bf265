//! The whole analysis as JSON, for scripts: the same numbers as on the screen.
//!
//! Key names stay stable. Levels are dBm, losses and margins dB, lengths metres.

use dot_reach_core::Analysis;
use dot_reach_core::analysis::NetworkAnalysis;
use dot_reach_core::network::{Hop, Outcome};
use dot_reach_core::radio::air::{ChannelScore, advise};
use dot_reach_core::radio::modulation::Delivery;
use dot_reach_core::simulate::{Budget, Chances, chances};
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
    let delivery = Delivery::new(network.rule.modulation, analysis.sigma);
    let links: Vec<_> = network
        .links
        .all
        .iter()
        .map(|link| {
            let (a, b) = (&network.nodes[link.a], &network.nodes[link.b]);
            let out = staircase(medium, a, b, link.target);
            let back = staircase(medium, b, a, link.target);
            json!({
                "a": a.device, "b": b.device,
                "distance_m": a.place.distance(b.place), "path_loss_db": link.path_loss,
                "sigma_db": link.sigma, "target_margin_db": link.target, "way": out.way,
                "other_ways": out.others.iter().map(|(way, weaker)| json!({ "way": way, "weaker_db": weaker })).collect::<Vec<_>>(),
                "a_to_b": direction(&out, &delivery), "b_to_a": direction(&back, &delivery),
            })
        })
        .collect();
    let chances = chances(network, Budget::default(), &mut |_| true);
    let devices: Vec<_> = network
        .outcomes
        .iter()
        .enumerate()
        .map(|(place, outcome)| device(network, place, outcome, &chances))
        .collect();
    let channels: Vec<_> = if network.rule.has_channels {
        let score = |s: ChannelScore| {
            json!({
                "channel": s.channel, "worst_spare_db": s.worst, "mean_spare_db": s.mean,
                "links_below_target": s.below, "reason": s.reason,
            })
        };
        advise(network).into_iter().map(score).collect()
    } else {
        Vec::new()
    };
    json!({
        "id": network.network, "name": network.name, "system": network.system,
        "frequency_mhz": network.medium.frequency(), "channel": network.channel,
        "probability_all_reached": chances.all, "draws": chances.draws,
        "limits": limits(network), "channels": channels, "devices": devices, "links": links,
    })
}

fn limits(network: &NetworkAnalysis) -> Value {
    let rule = &network.rule;
    json!({
        "most_hops": rule.most_hops, "most_devices": rule.most_devices,
        "most_repeaters": rule.most_repeaters, "most_routers": rule.most_routers,
        "children_of_hub": rule.children_of_hub, "children_of_router": rule.children_of_router,
    })
}

fn device(network: &NetworkAnalysis, place: usize, outcome: &Outcome, chances: &Chances) -> Value {
    let ids =
        |way: &Vec<usize>| way.iter().map(|p| network.nodes[*p].device.clone()).collect::<Vec<_>>();
    let takes_down: Vec<_> = network
        .outcomes
        .iter()
        .filter(|o| o.hangs_on.contains(&outcome.device))
        .map(|o| o.device.clone())
        .collect();
    let node = &network.nodes[place];
    let weakest = outcome.weakest().map(Hop::margin);
    json!({
        "id": node.device, "name": node.name, "role": node.role.role.name(), "role_why": node.role.why,
        "verdict": outcome.band.name(), "reason": outcome.reason.to_string(),
        "hops": outcome.hops.len(), "repeaters": outcome.repeaters(),
        "route": outcome.hops.iter().map(hop).collect::<Vec<_>>(),
        "weakest_margin_db": weakest, "success": outcome.success, "delay_ms": outcome.delay_ms,
        "expected_transmissions": outcome.tries, "hub": outcome.hub,
        "probability_reached": chances.of(&outcome.device),
        "parents_at_target": outcome.parents, "hangs_on": outcome.hangs_on,
        "hangs_on_breakers": outcome.hangs_on_breakers, "takes_down": takes_down,
        "second_route": network.second_route(place).as_ref().map(ids),
        "disjoint_routes": network.disjoint_routes(place).len(),
        "disjoint_by_breakers": network.has_two_by_breakers(place),
    })
}

fn hop(hop: &Hop) -> Value {
    json!({
        "from": hop.from, "to": hop.to,
        "margin_out_db": hop.margin_out, "margin_back_db": hop.margin_back,
        "target_margin_db": hop.target,
    })
}

fn direction(stairs: &Staircase, delivery: &Delivery) -> Value {
    json!({
        "tx_dbm": stairs.tx, "received_dbm": stairs.received,
        "needs_dbm": stairs.needs, "packet_success": delivery.success(stairs.margin(), 1),
        "margin_db": stairs.margin(), "length_m": stairs.length, "terms": terms(stairs),
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
pub(crate) fn cause(of: &StepOf) -> (&'static str, Option<String>) {
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
