//! Commands that compute and print.

use std::io::{BufWriter, Write};
use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse as compute};
use dot_reach_core::building::structure::{Doors, Structure};
use dot_reach_core::materials::slab::{bare, parse_layers};
use dot_reach_core::propagation::schools::PathLossSchool;
use dot_reach_core::propagation::{Medium, Model};
use dot_reach_core::radio::coexistence;
use dot_reach_core::radio::modulation::Modulation;
use dot_reach_core::site::Site;
use dot_reach_core::staircase::{describe, way_words};
use dot_reach_core::summary;
use dot_reach_core::units::{Db, Megahertz, typographic};
use dot_reach_formats::gains_csv::place;
use dot_reach_formats::{analysis_json, fit_json, path_json};
use serde_json::json;

use crate::Failure;

/// Routes, margins and verdicts.
pub(crate) fn analyse(site: &Site, json: bool) -> Result<(), Failure> {
    let analysis = compute(&Arc::new(site.clone()), &Options::default());
    if json {
        let mut out = BufWriter::new(std::io::stdout().lock());
        analysis_json::write(&analysis, &mut out)?;
        writeln!(out)?;
        return Ok(out.flush()?);
    }
    println!("{}: target margin {}, model ± {}", site.job.name, analysis.target, analysis.sigma);
    for (network, place, outcome) in analysis.worst_first() {
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

/// What fits where, the worst first.
pub(crate) fn fit(site: &Site, json: bool) -> Result<(), Failure> {
    if json {
        let mut out = BufWriter::new(std::io::stdout().lock());
        serde_json::to_writer_pretty(&mut out, &fit_json::value(site))?;
        writeln!(out)?;
        return Ok(out.flush()?);
    }
    let of = |device| (summary::fits(site, &device), device);
    let mut all: Vec<_> = site.devices.iter().map(|d| of(d.id.clone())).collect();
    all.sort_by(|a, b| b.cmp(a));
    for (fits, id) in all {
        let name = site.devices.get(&id).map_or("", |d| d.name.as_str());
        let reasons = summary::fit_findings(site, &id);
        let words: Vec<_> = reasons.iter().map(ToString::to_string).collect();
        println!("{:20}  {name:28}  {}", fits.name(), words.join(" "));
    }
    Ok(())
}

/// Path loss between two places by every school, with the terms of the strongest way.
pub(crate) fn path(
    site: &Site,
    ends: [&str; 2],
    mhz: f64,
    model: Model,
    json: bool,
) -> Result<(), Failure> {
    if !(400.0..=6000.0).contains(&mhz) {
        return Err("--mhz must lie between 400 and 6000".into());
    }
    let ((_, from), (_, to)) = (place(site, ends[0])?, place(site, ends[1])?);
    let model = model.calibrated(site.calibration.as_ref());
    let structure = Arc::new(Structure::new(site, Doors::AsDrawn));
    let medium = Medium::new(&structure, Megahertz::new(mhz), model);
    let told = path_json::value(&medium, from, to);
    if json {
        println!("{}", serde_json::to_string_pretty(&told)?);
        return Ok(());
    }
    for school in PathLossSchool::ALL {
        println!("{:14} {}", school.name(), school.loss(&medium, from, to));
    }
    let (main, others) = medium.explain(from, to);
    for term in &main.terms {
        let (_, name) = describe(&medium, term, main.length);
        println!("  {:>8}  {name}", typographic(term.loss.get(), 2));
    }
    for way in others {
        println!("  {:>8}  {}", typographic(way.loss.get(), 2), way_words(&medium, &way.kind));
    }
    Ok(())
}

/// Error rates of a modulation.
pub(crate) fn per(modulation: &str, sinr: f64, bytes: u32, json: bool) -> Result<(), Failure> {
    let modulation = named(modulation)?;
    let sinr = ratio("--sinr-db", sinr)?;
    check_length(bytes)?;
    let (ber, per) = (modulation.bit_error_rate(sinr), modulation.packet_error_rate(sinr, bytes));
    if json {
        println!("{}", json!({ "ber": ber, "per": per }));
    } else {
        println!("BER {ber:.3e}, PER {per:.3e}");
    }
    Ok(())
}

fn named(modulation: &str) -> Result<Modulation, Failure> {
    let known = Modulation::ALL.map(|(word, _)| word).join(", ");
    Modulation::named(modulation).ok_or_else(|| format!("“{modulation}” is none of {known}").into())
}

fn ratio(flag: &str, db: f64) -> Result<Db, Failure> {
    let is_ratio = (-60.0..=60.0).contains(&db);
    is_ratio
        .then(|| Db::new(db))
        .ok_or_else(|| format!("{flag} must lie between −60 and 60").into())
}

fn check_length(bytes: u32) -> Result<(), Failure> {
    let fits = (1..=2048).contains(&bytes);
    fits.then_some(()).ok_or_else(|| "--bytes must lie between 1 and 2048".into())
}

/// What becomes of a frame beside a source that sends some of the time.
pub(crate) fn deliver(
    modulation: &str,
    bytes: u32,
    (snr, sinr): (f64, f64),
    (busy, on_ms): (f64, f64),
    tries: i32,
    json: bool,
) -> Result<(), Failure> {
    let modulation = named(modulation)?;
    let ratios = (ratio("--snr-db", snr)?, ratio("--sinr-db", sinr)?);
    check_length(bytes)?;
    if !(0.0..=1.0).contains(&busy) {
        return Err("--busy must lie between 0 and 1".into());
    }
    if !(0.001..=10_000.0).contains(&on_ms) {
        return Err("--on-ms must lie between 0.001 and 10,000".into());
    }
    if !(1..=100).contains(&tries) {
        return Err("--tries must lie between 1 and 100".into());
    }
    let told = coexistence::deliver(modulation, bytes, ratios, (busy, on_ms), tries);
    if json {
        println!(
            "{}",
            json!({
                "hit_share": told.hit_share, "delivered": told.delivered,
                "expected_tries": told.expected_tries,
            })
        );
    } else {
        println!(
            "{:.1} % of the tries are hit, {:.2} % delivered, {:.2} tries a frame",
            told.hit_share * 100.0,
            told.delivered * 100.0,
            told.expected_tries
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
