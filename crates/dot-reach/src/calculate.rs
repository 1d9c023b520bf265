//! Commands that compute and print.

use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse as compute};
use dot_reach_core::materials::slab::{bare, parse_layers};
use dot_reach_core::site::Site;
use dot_reach_core::units::{Db, Megahertz, typographic};
use dot_reach_formats::{analysis_json, ledger_csv};
use serde_json::json;

use crate::Failure;

/// Routes, margins and verdicts.
pub(crate) fn analyse(site: &Site, json: bool) -> Result<(), Failure> {
    let analysis = compute(&Arc::new(site.clone()), &Options::default());
    if json {
        println!("{}", serde_json::to_string_pretty(&analysis_json::value(&analysis))?);
        return Ok(());
    }
    println!("{}: target margin {}, model ± {}", site.job.name, analysis.target, analysis.sigma);
    for (network, place, outcome) in ledger_csv::rows(&analysis) {
        let margin = outcome.weakest().map(|h| typographic(h.margin().get(), 1));
        println!(
            "{:5}  {:24}  {:16}  {} hops  {:>6} dB  {}",
            outcome.band.name(),
            network.nodes[place].name,
            network.name,
            outcome.hops.len(),
            margin.unwrap_or_else(|| "–".to_owned()),
            outcome.reason,
        );
    }
    Ok(())
}

/// Loss of a bare slab.
pub(crate) fn loss(layers: &str, mhz: f64, angle: f64, json: bool) -> Result<(), Failure> {
    if !(400.0..=6000.0).contains(&mhz) {
        return Err("--mhz must lie between 400 and 6000".into());
    }
    if !(0.0..90.0).contains(&angle) {
        return Err("--angle must lie between 0 and 90 degrees, 90 left out".into());
    }
    let slab = bare(&parse_layers(layers)?, Megahertz::new(mhz), angle.to_radians().cos());
    let [te, tm, mean] = [slab.te, slab.tm, slab.mean()].map(Db::loss_from_ratio);
    if json {
        println!("{}", json!({ "te_db": te.get(), "tm_db": tm.get(), "mean_db": mean.get() }));
    } else {
        println!("TE {te:.2}, TM {tm:.2}, mean {mean:.2}");
    }
    Ok(())
}
