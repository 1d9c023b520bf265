//! Commands that say what to buy, and where the hub stands.

use std::ops::ControlFlow;
use std::path::Path;
use std::time::Instant;

use dot_reach_core::placement::search::solve;
use dot_reach_formats::place_json;

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
