//! Commands that say what to buy, and where the hub stands.

use std::ops::ControlFlow;
use std::path::Path;
use std::sync::Arc;
use std::time::Instant;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::placement::advice::{Apart, Ask, advise};
use dot_reach_core::placement::search::solve;
use dot_reach_core::pulse::to_the_end;
use dot_reach_core::site::Site;
use dot_reach_formats::{advise_json, place_json};

use crate::Failure;

/// The least that is enough, of a problem in a file.
pub(crate) fn place(file: &Path, seconds: f64, json: bool) -> Result<(), Failure> {
    let bytes = std::fs::read(file).map_err(|e| format!("{}: {e}", file.display()))?;
    let named = place_json::read(&bytes)?;
    let begun = Instant::now();
    let answer = solve(&named.problem, &mut |_| {
        if begun.elapsed().as_secs_f64() > seconds {
            return ControlFlow::Break(());
        }
        ControlFlow::Continue(())
    });
    let Some(answer) = answer else { return Err("there is no place for the hub".into()) };
    let value = place_json::value(&named, &answer);
    if json {
        println!("{}", serde_json::to_string_pretty(&value)?);
        return Ok(());
    }
    let list = |nodes: &mut dyn Iterator<Item = usize>| {
        let names: Vec<_> = nodes.map(|n| named.names[n].as_str()).collect();
        if names.is_empty() { "none".to_owned() } else { names.join(", ") }
    };
    println!("hub        {}", named.names[answer.hub]);
    println!("repeaters  {}", list(&mut answer.repeaters.iter().copied()));
    println!("cost       {} (not less than {:.2})", answer.cost, answer.bound);
    let device = |d: &usize| named.problem.demands[*d].node;
    println!("unserved   {}", list(&mut answer.unserved.iter().map(device)));
    println!("{}", place_json::word(answer.status));
    Ok(())
}

/// Where the hub of a network stands and what repeats, of a job.
pub(crate) fn network(site: Site, wished: &str, disjoint: bool, json: bool) -> Result<(), Failure> {
    let named = |n: &&dot_reach_core::site::Network| n.id.as_str() == wished || n.name == wished;
    let Some(network) = site.networks.iter().find(named).map(|n| n.id.clone()) else {
        let all: Vec<_> = site.networks.iter().map(|n| n.id.as_str()).collect();
        return Err(format!("there is no network {wished}; this job has {}", all.join(", ")).into());
    };
    let apart = if disjoint { Apart::Devices } else { Apart::Nothing };
    let ask = Ask { apart, ..Ask::of(network) };
    let analysis = analyse(&Arc::new(site), &Options::default());
    let advice = advise(&analysis, &ask, &mut to_the_end, &|| true);
    let Some(advice) = advice else {
        return Err("this network has no hub that could be moved".into());
    };
    if json {
        println!("{}", serde_json::to_string_pretty(&advise_json::value(&advice))?);
        return Ok(());
    }
    for sentence in advice.sentences(&|amount| format!("{amount:.2}")) {
        println!("{sentence}");
    }
    Ok(())
}
