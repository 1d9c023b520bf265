//! `calibrate` and `prove`: what readings teach about a house.

use std::collections::BTreeSet;
use std::path::Path;
use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::prove::diagnose::diagnose;
use dot_reach_core::prove::gains::taught;
use dot_reach_core::prove::prove_without;
use dot_reach_core::record::Record;
use dot_reach_core::site::Site;
use dot_reach_core::units::typographic;
use dot_reach_formats::{gains_csv, prove_json};
use serde_json::json;

use crate::Failure;

fn text(file: &Path) -> Result<String, Failure> {
    let bytes = std::fs::read(file).map_err(|e| format!("{}: {e}", file.display()))?;
    if bytes.len() > gains_csv::MOST_BYTES {
        return Err(format!("{}: larger than 16 MB", file.display()).into());
    }
    Ok(String::from_utf8(bytes).map_err(|_| format!("{}: is not UTF-8", file.display()))?)
}

/// What the readings of a job say, and what to do about it.
pub(crate) fn prove(
    site: Site,
    record: &Record,
    left_out: &[String],
    json: bool,
) -> Result<(), Failure> {
    let mut without = BTreeSet::new();
    for id in left_out {
        let known = record.readings.named(id).ok_or_else(|| format!("there is no reading {id}"))?;
        without.insert(known.id.clone());
    }
    let site = Arc::new(Site { calibration: None, ..site });
    let analysis = analyse(&site, &Options::default());
    let proof = prove_without(&analysis, record, &without);
    let told = prove_json::value(&analysis, &proof);
    if json {
        println!("{}", serde_json::to_string_pretty(&told)?);
        return Ok(());
    }
    println!(
        "{} readings: {} off the plan, {} off what all others say",
        proof.comparisons.len(),
        proof.rmse_before,
        proof.rmse_after
    );
    for c in proof.corrections.iter().filter(|c| c.readings > 0 && c.db.abs() > c.sigma_db) {
        let (db, sigma) = (typographic(c.db, 1), typographic(c.sigma_db, 1));
        let mhz = c.mhz.map_or(String::new(), |m| format!(" at {} MHz", typographic(m, 0)));
        println!("{db:>7} ± {sigma:<4}  {} {}{mhz}", c.kind, c.id);
    }
    for c in &proof.comparisons {
        if let Some(slip) = &c.slip {
            println!("{} {} to {}: {slip}", c.reading, c.from, c.to);
        }
    }
    for d in diagnose(&analysis, &proof) {
        println!("{}", d.what);
        for cause in d.causes.iter().take(3) {
            println!("  {:>3.0} %  {}", cause.probability * 100.0, cause.why);
        }
        println!("  {}", d.test());
    }
    let words = |v: &serde_json::Value| v.as_str().map(str::to_owned).unwrap_or_default();
    for help in told["helps"].as_array().into_iter().flatten().take(6) {
        println!("helps: {} ({} min)", words(&help["what"]), help["minutes"]);
    }
    if let Some(next) = told["next_readings"].as_array().and_then(|n| n.first()) {
        println!("read next: {} to {}", words(&next["from"]), words(&next["to"]));
    }
    Ok(())
}

/// Calibrates a plan by path gains, with the radios left out, and predicts others.
pub(crate) fn calibrate(
    site: &Site,
    readings: &Path,
    predict: &Path,
    json: bool,
) -> Result<(), Failure> {
    let (readings, asked) = (text(readings)?, text(predict)?);
    let read = gains_csv::read(site, &readings, &asked)
        .map_err(|e| format!("{}: {e}", predict.display()))?;
    let answer = taught(site, &read.survey);
    let name = |end: usize| read.survey.ends[end].0.as_str();
    if json {
        let asked = read.survey.asked.iter().zip(&read.asked_as);
        let predictions = asked.zip(&answer.predictions);
        let predictions: Vec<_> = predictions
            .map(|((a, [from, to]), (gain, sigma))| {
                json!({ "from": from, "to": to, "mhz": a.mhz.get(),
                    "path_gain_db": gain, "sigma_db": sigma })
            })
            .collect();
        let corrections: Vec<_> = answer
            .corrections
            .iter()
            .map(|c| {
                json!({ "kind": c.kind, "id": c.id, "mhz": c.mhz, "db": c.db,
                    "sigma_db": c.sigma_db, "readings": c.readings })
            })
            .collect();
        let outliers: Vec<_> = answer
            .outliers
            .iter()
            .map(|(i, reason)| {
                let (a, gain) = &read.survey.read[*i];
                json!({ "line": read.lines[*i], "from": name(a.from), "to": name(a.to),
                    "mhz": a.mhz.get(), "path_gain_db": gain, "reason": reason })
            })
            .collect();
        let findings: Vec<_> = read
            .findings
            .iter()
            .map(|(line, reason)| json!({ "line": line, "reason": reason }))
            .collect();
        let told = json!({ "predictions": predictions, "corrections": corrections,
            "outliers": outliers, "findings": findings });
        println!("{}", serde_json::to_string_pretty(&told)?);
        return Ok(());
    }
    for c in answer.corrections.iter().filter(|c| c.readings > 0) {
        let mhz = c.mhz.map_or(String::new(), |m| format!(" at {m} MHz"));
        let (db, sigma) = (typographic(c.db, 1), typographic(c.sigma_db, 1));
        println!("{:>7} ± {sigma:<4}  {} {}{mhz}", db, c.kind, c.id);
    }
    for (i, reason) in &answer.outliers {
        println!("line {}: {reason}", read.lines[*i]);
    }
    for (line, reason) in &read.findings {
        println!("line {line}: {reason}");
    }
    for (a, (gain, sigma)) in read.survey.asked.iter().zip(&answer.predictions) {
        let (gain, sigma) = (typographic(*gain, 1), typographic(*sigma, 1));
        println!("{gain:>7} ± {sigma:<4}  {} to {} at {}", name(a.from), name(a.to), a.mhz);
    }
    Ok(())
}
