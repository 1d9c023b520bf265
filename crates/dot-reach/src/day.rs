//! The day on the command line: visits of a job, a code read and checked, a hub that is not there.

use std::net::TcpListener;
use std::path::Path;
use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::codes::parse;
use dot_reach_core::install::schedule::schedule;
use dot_reach_core::install::walk;
use dot_reach_core::radio::system::System;
use dot_reach_core::record::Record;
use dot_reach_core::site::Site;
use dot_reach_core::wires::wiring;
use dot_reach_formats::{visits_json, wiring_json};
use dot_reach_standin::houses;
use dot_reach_standin::hub::{Hubs, serve};
use dot_reach_standin::truth::Truth;

use crate::{Failure, read};

/// The visits of a job: what goes off when, and what is on none of them.
pub(crate) fn visits(site: Site, record: &Record, json: bool) -> Result<(), Failure> {
    let analysis = analyse(&Arc::new(site), &Options::default());
    let plan = schedule(&analysis, record);
    if json {
        println!("{}", serde_json::to_string_pretty(&visits_json::json(&analysis, &plan))?);
        return Ok(());
    }
    for visit in &plan.visits {
        let (low, high) = visit.minutes.range();
        println!("{}: {low:.0} to {high:.0} minutes", visit.key);
        if !visit.looks.is_empty() {
            println!("  {} boxes to look into", visit.looks.len());
        }
        for outage in &visit.outages {
            let (low, high) = outage.off.range();
            let boxes = outage.boxes.len();
            println!(
                "  {}: {boxes} boxes, off for {low:.0} to {high:.0} minutes, {:.0} m",
                walk::title(outage),
                outage.walk
            );
            for why in &outage.cut.whys {
                println!("    {why}");
            }
        }
        if !visit.after.is_empty() {
            println!("  {} plugs, batteries and remotes", visit.after.len());
        }
    }
    println!("power goes off {} times. {}", plan.outages().count(), plan.proof());
    for left in &plan.left_out {
        println!("not planned: {}: {}", left.device, left.why);
    }
    Ok(())
}

/// The connection plan of every box, and what is open.
pub(crate) fn wires(site: &Site, json: bool) -> Result<(), Failure> {
    if json {
        println!("{}", serde_json::to_string_pretty(&wiring_json::json(site))?);
        return Ok(());
    }
    for control in wiring(site) {
        let how = control.method.map_or("", |m| m.words().1);
        println!("{}: {how}", control.name);
        for of in &control.boxes {
            println!("  {}", site.points.get(&of.point).map_or("", |p| p.name.as_str()));
            for c in &of.conductors {
                let to = c.terminals.iter().map(|(_, name)| format!(" to {name}"));
                let to = to.collect::<String>();
                println!("    {} ({:?}): {}{to}", c.id, c.was, c.becomes);
            }
        }
        if !control.works.is_empty() {
            println!("  works in every one of {} states", control.works.len());
        }
        for open in &control.open {
            println!("  open: {open}");
        }
    }
    Ok(())
}

/// A code, read and held against its check digits.
pub(crate) fn code(text: &str, system: Option<&str>, json: bool) -> Result<(), Failure> {
    let word = |s: &System| serde_json::to_value(s).is_ok_and(|v| v.as_str() == system);
    let of = System::ALL.iter().find(|s| word(s)).copied();
    if system.is_some() && of.is_none() {
        let known = System::ALL.iter().filter_map(|s| serde_json::to_value(s).ok());
        let known: Vec<String> = known.filter_map(|v| v.as_str().map(str::to_owned)).collect();
        return Err(format!("there is no such system; there are: {}", known.join(", ")).into());
    }
    let code = parse(text, of)?;
    if json {
        println!("{}", serde_json::to_string_pretty(&visits_json::code(&code))?);
    } else {
        let checked = if code.checks_itself() {
            "its check digits agree"
        } else {
            "it has no check digit: read it twice"
        };
        println!("{}: {code}; {checked}", code.name());
    }
    Ok(())
}

/// A hub that is not there, until it is told to stop.
pub(crate) fn hub(house: &str, port: u16, speed: f64) -> Result<(), Failure> {
    let none = Truth { worse_walls: Vec::new(), in_metal: Vec::new(), scatter_db: 1.0, seed: 7 };
    let (site, truth) = match houses::named(house) {
        Some(mill) if house == "larkfield-mill" => (mill.site, houses::larkfield_mill::truth()),
        Some(folder) => (folder.site, none),
        None => (read(Path::new(house))?.site, none),
    };
    let listener = TcpListener::bind(("127.0.0.1", port))?;
    println!("A hub answers on http://{}", listener.local_addr()?);
    let server = serve(listener, Hubs::new(&site, &truth, speed))?;
    Ok(actix_web::rt::System::new().block_on(server)?)
}
