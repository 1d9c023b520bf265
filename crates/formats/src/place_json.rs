//! The problem of the least that is enough as JSON, and its answer: for scripts, and to check the search
//! against any other. Key names stay stable (`docs/ANALYSE.md`).

use std::collections::BTreeMap;

use dot_reach_core::placement::problem::{Demand, NodeUse, Problem, Quota, Solution, Status};
use serde::Deserialize;
use serde_json::{Map, Value, json};

/// The most nodes of a problem; beyond, the tables of the search would not fit.
pub const MOST_NODES: usize = 5_000;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Told {
    hub_sites: Vec<Priced>,
    #[serde(default)]
    candidates: Vec<Priced>,
    #[serde(default)]
    existing: Vec<Plain>,
    devices: Vec<Asked>,
    links: Vec<[String; 2]>,
    hop_limit: usize,
    #[serde(default)]
    max_repeaters: Option<usize>,
    #[serde(default)]
    disjoint: bool,
}

#[derive(Deserialize)]
struct Priced {
    id: String,
    cost: f64,
}

#[derive(Deserialize)]
struct Plain {
    id: String,
}

#[derive(Deserialize)]
struct Asked {
    id: String,
    #[serde(default)]
    critical: bool,
}

/// A problem, and what its nodes are called.
#[derive(Clone, Debug)]
pub struct Named {
    /// The problem.
    pub problem: Problem,
    /// The name of each node.
    pub names: Vec<String>,
}

/// Reads a problem.
///
/// # Errors
/// All that is wrong with it, a line each.
pub fn read(bytes: &[u8]) -> Result<Named, String> {
    let told: Told = serde_json::from_slice(bytes).map_err(|e| format!("not a problem: {e}"))?;
    let mut problem = Problem::default();
    let mut names: Vec<String> = Vec::new();
    let mut number: BTreeMap<String, usize> = BTreeMap::new();
    let mut wrong: Vec<String> = Vec::new();
    let priced = |of: Vec<Priced>| of.into_iter().map(|p| (p.id, p.cost));
    let sites = priced(told.hub_sites).map(|(id, cost)| (id, NodeUse::HubSite { cost }));
    let candidates = priced(told.candidates).map(|(id, cost)| (id, NodeUse::Candidate { cost }));
    let existing = told.existing.into_iter().map(|p| (p.id, NodeUse::Existing));
    let critical: Vec<bool> = told.devices.iter().map(|d| d.critical).collect();
    let devices = told.devices.into_iter().map(|p| (p.id, NodeUse::Device));
    for (id, part) in sites.chain(candidates).chain(existing).chain(devices) {
        if let NodeUse::HubSite { cost } | NodeUse::Candidate { cost } = part
            && !(0.0..=1e9).contains(&cost)
        {
            wrong.push(format!("{id} costs {cost}; a cost is from 0 to a thousand million"));
        }
        let node = problem.add(part);
        if number.insert(id.clone(), node).is_some() {
            wrong.push(format!("{id} stands in the lists twice; give each an id of its own"));
        }
        names.push(id);
    }
    if problem.hub_sites().is_empty() {
        wrong.push("hub_sites is empty; name at least one place for the hub".to_owned());
    }
    if names.len() > MOST_NODES {
        wrong.push(format!("{} ids; at most {MOST_NODES} are taken", names.len()));
    }
    for (at, ends) in told.links.iter().enumerate() {
        match ends.each_ref().map(|end| number.get(end)) {
            [Some(a), Some(b)] => problem.link(*a, *b),
            [None, _] => wrong.push(format!("link {}: {} is in no list", at + 1, ends[0])),
            [_, None] => wrong.push(format!("link {}: {} is in no list", at + 1, ends[1])),
        }
    }
    if !wrong.is_empty() {
        return Err(wrong.join("\n"));
    }
    let is_device = |n: &usize| problem.parts[*n] == NodeUse::Device;
    let demands = (0..names.len()).filter(is_device).zip(critical).map(|(node, critical)| Demand {
        node,
        most_hops: told.hop_limit.min(names.len()),
        two_routes: critical && told.disjoint,
        instead: None,
    });
    problem.demands = demands.collect();
    let of = problem.candidates();
    problem.limits.extend(told.max_repeaters.map(|most| Quota { of, most }));
    Ok(Named { problem, names })
}

/// The word of a status.
pub fn word(status: Status) -> &'static str {
    match status {
        Status::Optimal => "optimal",
        Status::Feasible => "feasible",
        Status::Infeasible => "infeasible",
    }
}

/// An answer by the names of the problem.
pub fn value(Named { problem, names }: &Named, answer: &Solution) -> Value {
    let name = |n: &usize| names[*n].as_str();
    let device = |d: usize| names[problem.demands[d].node].clone();
    let routes = answer.routes.iter().enumerate().filter(|(_, ways)| !ways.is_empty());
    let routes: Map<String, Value> = routes
        .map(|(d, ways)| {
            let ways: Vec<Vec<&str>> = ways.iter().map(|w| w.iter().map(name).collect()).collect();
            (device(d), json!(ways))
        })
        .collect();
    json!({
        "status": word(answer.status), "proven": answer.is_proven,
        "cost": answer.cost, "bound": answer.bound, "hub": name(&answer.hub),
        "repeaters": answer.repeaters.iter().map(name).collect::<Vec<_>>(),
        "routes": routes,
        "unserved": answer.unserved.iter().map(|d| device(*d)).collect::<Vec<_>>(),
    })
}
