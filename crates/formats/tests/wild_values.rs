//! A job file with one wild value at a time, at every kind of place that holds one: it is refused in
//! words, or everything that is computed from it stays finite.
#![expect(clippy::unwrap_used, reason = "a search that finds nothing has failed its test")]

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use dot_reach_core::analysis::{Analysis, Options, analyse};
use dot_reach_core::coverage::{Handset, Quantity, Request, coverage};
use dot_reach_core::install::run_sheet;
use dot_reach_core::record::Record;
use dot_reach_core::units::Metres;
use dot_reach_formats::{analysis_json, job_file};
use dot_reach_standin::houses::quay_court;
use serde_json::{Value, json};

/// The flat with something of every kind in it.
fn flat() -> Value {
    let bytes = job_file::write(None, &quay_court(), &Record::default(), &BTreeMap::new()).unwrap();
    let mut value: Value = serde_json::from_slice(&bytes).unwrap();
    let site = &mut value["site"];
    let first = |list: &str| site[list][0]["id"].clone();
    let (floor, from, to) =
        (first("floors"), site["devices"][0]["id"].clone(), site["devices"][1]["id"].clone());
    site["slabs"] = json!([{"id": "s", "floor": floor, "place": "above", "construction": "concrete-150",
        "outline": [[0.0, 0.0], [4.0, 0.0], [4.0, 4.0], [0.0, 4.0]], "voids": [[[1.0, 1.0], [2.0, 1.0], [2.0, 2.0]]]}]);
    site["readings"] = json!([{"id": "r", "from": from, "to": to, "rssi_dbm": -60.0, "at": "2026-03-14T10:05:00Z"}]);
    site["calibration"] = json!({"exponent": 2.1, "offset_db": 1.0, "sigma_db": 5.0, "rmse_before_db": 6.0, "rmse_after_db": 5.0, "readings": 9});
    site["constructions"] = json!([{"id": "own", "name": "Own", "use": "wall", "layers": "brick:100", "clutter_db": 2.0,
        "measured": {"mhz_2400": 9.0}, "source": "test"}]);
    site["devices"][1]["sheet"] =
        json!({"tx_dbm": 5.0, "sensitivity_dbm": -95.0, "antenna_db": 0.0, "extra_loss_db": 1.0});
    site["floors"][0]["underlay"] = json!({"image": "00".repeat(32), "width_px": 900, "height_px": 700,
        "origin": [0.0, 0.0], "metres_per_px": 0.02, "scaled": true});
    site["walls"][0]["height_m"] = json!(1.5);
    site["networks"][0]["limits"] =
        json!({"most_hops": 4, "most_devices": 30, "children_of_hub": 20});
    value
}

/// Where each number stands, one place a kind: list positions do not make a kind.
fn places(
    value: &Value,
    path: &str,
    kind: &str,
    seen: &mut BTreeSet<String>,
    found: &mut Vec<String>,
) {
    match value {
        Value::Number(_) if seen.insert(kind.to_owned()) => found.push(path.to_owned()),
        Value::Array(list) => {
            for (n, item) in list.iter().enumerate() {
                places(item, &format!("{path}/{n}"), &format!("{kind}/#"), seen, found);
            }
        }
        Value::Object(fields) => {
            for (name, item) in fields {
                places(item, &format!("{path}/{name}"), &format!("{kind}/{name}"), seen, found);
            }
        }
        _ => {}
    }
}

/// Everything that is computed is a number that can be printed.
fn is_finite(analysis: &Analysis) -> Result<(), String> {
    let mut text = Vec::new();
    analysis_json::write(analysis, &mut text).map_err(|e| e.to_string())?;
    let text = String::from_utf8_lossy(&text);
    // JSON has no word for what is not finite: it would stand as null where a number belongs.
    for key in ["path_loss_db", "margin_db", "packet_success", "sigma_db", "loss_db", "length_m"] {
        if text.contains(&format!("\"{key}\":null")) || text.contains(&format!("\"{key}\": null")) {
            return Err(format!("{key} is no number"));
        }
    }
    let request = |floor: &str| Request {
        floor: floor.parse().unwrap(),
        handset: Handset::Sensor,
        height: Metres::new(1.1),
        cell: Metres::new(2.0),
    };
    for network in &analysis.networks {
        for outcome in &network.outcomes {
            let numbers = [outcome.success, outcome.tries, outcome.delay_ms];
            if !numbers.iter().all(|n| n.is_finite() && *n >= 0.0) {
                return Err(format!("{}: {numbers:?}", outcome.device));
            }
        }
        for floor in &analysis.site.floors {
            let Some(surface) = coverage(analysis, network, &request(floor.id.as_str()), None)
            else {
                continue;
            };
            let values = surface.values(Quantity::Success);
            if !values.iter().all(|v| (0.0..=1.0).contains(v))
                || surface.margin.iter().any(|m| m.is_nan())
            {
                return Err("a cell is no number".to_owned());
            }
        }
    }
    Ok(())
}

#[test]
fn one_wild_number_is_refused_or_harmless() {
    let whole = flat();
    let read = job_file::read(whole.to_string().as_bytes()).unwrap();
    assert_eq!(read.findings, [], "the flat itself is taken whole");
    let mut kinds = Vec::new();
    places(&whole["site"], "/site", "", &mut BTreeSet::new(), &mut kinds);
    assert!(kinds.len() > 40, "{kinds:?}");
    let (mut refused, mut taken) = (0, 0);
    for place in &kinds {
        for wild in [
            json!(1e308),
            json!(-1e308),
            json!(1e-308),
            json!(0),
            json!(-1),
            json!(4_000_000_000_u64),
        ] {
            let mut value = whole.clone();
            *value.pointer_mut(place).unwrap() = wild.clone();
            match job_file::read(value.to_string().as_bytes()) {
                Err(error) => {
                    assert!(!error.to_string().is_empty());
                    refused += 1;
                }
                Ok(read) => {
                    if read.findings.is_empty() {
                        taken += 1;
                    } else {
                        assert!(read.findings.iter().all(|f| f.reason.len() > 8), "{place}");
                        refused += 1;
                    }
                    let analysis = analyse(&Arc::new(read.value.site), &Options::default());
                    assert_eq!(is_finite(&analysis), Ok(()), "{place} = {wild}");
                    let plan =
                        dot_reach_core::install::schedule::schedule(&analysis, &Record::default());
                    assert!(plan.walk.is_finite() && plan.outages().all(|o| o.walk.is_finite()));
                    let joined: BTreeSet<_> =
                        run_sheet(&analysis).into_iter().map(|t| t.device).collect();
                    let nodes = analysis.networks.iter().flat_map(|n| &n.nodes);
                    assert_eq!(joined, nodes.map(|n| n.device.clone()).collect(), "{place}");
                    for finding in &analysis.findings {
                        let words = format!("{} {}", finding.found, finding.found.cure());
                        let odd = ["NaN", "inf ", "-0 ", "  "].iter().any(|w| words.contains(w));
                        assert!(words.ends_with('.') && !odd, "{place} = {wild}: {words}");
                    }
                }
            }
        }
    }
    assert!(refused > 100 && taken > 40, "{refused} refused, {taken} taken");
}

#[test]
fn what_is_no_number_in_json_is_refused() {
    let text = flat().to_string();
    for wild in ["NaN", "Infinity", "-Infinity", "1e999", "\"3\"", "null", "[]"] {
        let hurt = text.replacen("\"height_m\":", &format!("\"height_m\":{wild},\"was\":"), 1);
        assert_ne!(hurt, text);
        match job_file::read(hurt.as_bytes()) {
            Err(error) => assert!(!error.to_string().is_empty()),
            Ok(read) => assert!(!read.findings.is_empty(), "{wild}"),
        }
    }
}

#[test]
fn walls_may_lie_on_each_other_and_devices_in_walls() {
    let mut value = flat();
    let walls = value["site"]["walls"].as_array().unwrap().clone();
    let device_at = |value: &mut Value, at: &Value| value["site"]["points"][0]["at"] = at.clone();
    // Every wall twice, and a device on the end, in the middle and just beside one.
    for (n, wall) in walls.iter().enumerate() {
        let mut twin = wall.clone();
        twin["id"] = json!(format!("twin{n}"));
        let openings = twin.get_mut("openings").and_then(Value::as_array_mut);
        for opening in openings.into_iter().flatten() {
            opening["id"] = json!(format!("twin{n}-{}", opening["id"].as_str().unwrap_or("o")));
        }
        value["site"]["walls"].as_array_mut().unwrap().push(twin);
    }
    let (a, b) = (walls[0]["a"].clone(), walls[0]["b"].clone());
    let part = |share: f64| {
        let of = |axis: usize| {
            let (p, q) = (a[axis].as_f64().unwrap(), b[axis].as_f64().unwrap());
            p + (q - p) * share
        };
        json!([of(0), of(1)])
    };
    for at in [part(0.0), part(0.5), part(1.0), part(0.37)] {
        device_at(&mut value, &at);
        let read = job_file::read(value.to_string().as_bytes()).unwrap();
        assert_eq!(read.findings, []);
        let analysis = analyse(&Arc::new(read.value.site), &Options::default());
        assert_eq!(is_finite(&analysis), Ok(()), "{at}");
    }
}
