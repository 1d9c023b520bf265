//! Controls and schedules on the command line.

use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::control::check;
use dot_reach_core::rules::{DaySpan, Hours, happenings, in_a_sentence, senses};
use dot_reach_core::site::Site;
use dot_reach_formats::{controls_json, schedule_json};

use crate::Failure;

/// The most days that are worked out: three years.
const MOST_DAYS: u16 = 1096;

/// Who works what.
pub(crate) fn controls(site: Site, json: bool) -> Result<(), Failure> {
    let analysis = analyse(&Arc::new(site), &Options::default());
    if json {
        println!("{}", serde_json::to_string_pretty(&controls_json::json(&analysis))?);
        return Ok(());
    }
    let site = &analysis.site;
    for rule in &site.rules {
        println!("{}", in_a_sentence(site, rule));
    }
    for control in site.controls() {
        if let Some(wrong) = check(&analysis, &control).wrong {
            println!("{}: {wrong}", control.mark());
        }
    }
    Ok(())
}

/// What is done by clock and sun.
pub(crate) fn schedule(site: &Site, from: &str, days: u16, json: bool) -> Result<(), Failure> {
    let from = from.parse().map_err(|_| format!("“{from}” is no day; write it as 2026-12-01"))?;
    if !(1..=MOST_DAYS).contains(&days) {
        return Err(format!("from 1 to {MOST_DAYS} days are worked out, not {days}").into());
    }
    let span = DaySpan { from, days };
    if json {
        println!("{}", serde_json::to_string_pretty(&schedule_json::json(site, span))?);
        return Ok(());
    }
    let hours = Hours::of(site);
    let happened = happenings(site, &hours, span);
    for h in &happened {
        let name = site.devices.get(&h.device).map_or(h.device.as_str(), |d| d.name.as_str());
        let level = h.level.map(|level| format!(" {level} %")).unwrap_or_default();
        println!("{} {name} {}{level}, {}", hours.clock.written(h.at), h.to.word(), h.why);
    }
    for sense in senses(site, &hours, span, &happened) {
        let first = sense.first.map(|day| format!("{day}: ")).unwrap_or_default();
        println!("{first}{}: {}", sense.rule, sense.of);
    }
    Ok(())
}
