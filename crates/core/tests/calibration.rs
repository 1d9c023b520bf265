//! What readings teach: a known exponent and offset come back, and nothing more is claimed.

mod common;

use std::sync::Arc;

use common::{bare, device, with};
use dot_reach_core::analysis::{Analysis, Options, analyse};
use dot_reach_core::prove::prove;
use dot_reach_core::radio::system::System;
use dot_reach_core::site::Correction;
use dot_reach_core::site::{ReadingId, Site};
use proptest::prelude::*;
use serde_json::{Value, json};

const SPOTS: usize = 24;

fn analysed(site: Site) -> Analysis {
    analyse(&Arc::new(site), &Options::default())
}

/// A hub in the open with sensors from one to thirty metres away.
fn field() -> Site {
    let mut edits = vec![device("h", "hub", [0.0, 0.0])];
    for n in 0..SPOTS {
        #[expect(clippy::cast_precision_loss, reason = "a small count")]
        let metres = 30f64.powf(n as f64 / (SPOTS - 1) as f64);
        edits.push(device(&format!("s{n:02}"), "switch-neutral", [metres, 0.3]));
    }
    with(bare(System::Zigbee), &edits)
}

/// Readings at the hub of a house whose true loss has this exponent and offset more than planned, with
/// an error for each.
fn readings(site: &Site, exponent: f64, offset: f64, errors: &[f64]) -> Vec<Value> {
    let analysis = analysed(site.clone());
    let planned = prove(&analysed(with(site.clone(), &zero(site))));
    let planning = analysis.model().exponent;
    planned
        .comparisons
        .iter()
        .zip(errors)
        .enumerate()
        .map(|(n, (c, error))| {
            let more = (exponent - planning) * 10.0 * c.distance_m.log10() + offset;
            let rssi = c.predicted.get() - more + error;
            json!({"do": "put", "kind": "reading", "value": {"id": format!("r{n:02}"), "from": c.from, "to": c.to, "rssi_dbm": rssi, "at": "2026-03-14T10:05:00Z"}})
        })
        .collect()
}

/// A reading of −60 dBm for every sensor, to be told what was predicted.
fn zero(site: &Site) -> Vec<Value> {
    let sensors = site.devices.iter().filter(|d| d.id.as_str() != "h");
    sensors
        .enumerate()
        .map(|(n, d)| json!({"do": "put", "kind": "reading", "value": {"id": format!("r{n:02}"), "from": d.id, "to": "h", "rssi_dbm": -60.0, "at": "2026-03-14T10:05:00Z"}}))
        .collect()
}

fn taught(exponent: f64, offset: f64, errors: &[f64]) -> Option<Correction> {
    let site = field();
    let edits = readings(&site, exponent, offset, errors);
    prove(&analysed(with(site, &edits))).proposed
}

#[test]
fn fewer_than_three_readings_teach_nothing() {
    for count in 0..5 {
        let taught = taught(2.0, 4.0, &vec![0.0; count]);
        assert_eq!(taught.is_some(), count >= 3, "{count} readings");
        assert_eq!(taught.map_or(count, |t| t.readings), count);
    }
}

#[test]
fn readings_as_planned_change_nothing() {
    let site = field();
    let planning = analysed(site).model().exponent;
    let taught = taught(planning, 0.0, &[0.0; SPOTS]).unwrap();
    assert!((taught.exponent - planning).abs() < 1e-6, "{}", taught.exponent);
    assert!(taught.offset_db.get().abs() < 1e-6);
    assert!(taught.rmse_before_db.get() < 1e-6 && taught.rmse_after_db.get() < 1e-6);
    assert!(taught.sigma_db.get() >= 2.5, "no house is known better than to 2.5 dB");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn a_house_that_differs_is_learned_in_its_direction_and_residuals_fall(
        more in -0.4..0.8f64, offset in -6.0..6.0f64,
        errors in prop::collection::vec(-3.0..3.0f64, SPOTS),
    ) {
        let planning = analysed(field()).model().exponent;
        let taught = taught(planning + more, offset, &errors).unwrap();
        prop_assert!(taught.rmse_after_db <= taught.rmse_before_db);
        // At the middle of the readings, 5.5 m, what is taught is most of what is true.
        let decade = 10.0 * 5.5f64.log10();
        let truth = more * decade + offset;
        let learned = (taught.exponent - planning) * decade + taught.offset_db.get();
        prop_assert!((learned - truth).abs() < 2.0 + 0.25 * truth.abs(), "{} against {}", learned, truth);
    }

    #[test]
    fn an_accepted_calibration_predicts_what_was_proposed(
        more in -0.3..0.6f64, offset in -5.0..5.0f64,
        errors in prop::collection::vec(-4.0..4.0f64, SPOTS),
    ) {
        let site = field();
        let planning = analysed(site.clone()).model().exponent;
        let edits = readings(&site, planning + more, offset, &errors);
        let site = with(site, &edits);
        let before = prove(&analysed(site.clone()));
        let calibration = before.proposed.clone().unwrap();
        let set = json!({"do": "put", "kind": "calibration", "value": calibration});
        let after = prove(&analysed(with(site, &[set])));
        // Ways that bounce are longer than the straight one by which a proposal is reckoned.
        for (a, b) in after.comparisons.iter().zip(&before.comparisons) {
            prop_assert!((a.predicted - b.calibrated).get().abs() < 1.0, "{} {}", a.predicted, b.calibrated);
        }
        // Proposed again from the same readings, it is the same.
        let again = after.proposed.unwrap();
        prop_assert!((again.exponent - calibration.exponent).abs() < 1e-9);
        prop_assert!((again.offset_db - calibration.offset_db).get().abs() < 1e-9);
    }
}

#[test]
fn a_reading_far_from_its_plan_is_named_and_strangers_are_set_aside() {
    let site = field();
    let mut errors = vec![0.0; SPOTS];
    errors[7] = -14.0;
    let mut edits = readings(&site, analysed(site.clone()).model().exponent, 0.0, &errors);
    edits.push(
        json!({"do": "put", "kind": "network", "value": {"id": "z", "name": "Other", "system": "zwave"}}),
    );
    edits.push(json!({"do": "put", "kind": "device", "value": {"id": "zz", "name": "zz", "point": "h", "kind": "hub", "network": "z"}}));
    edits.push(json!({"do": "put", "kind": "reading", "value": {"id": "x", "from": "zz", "to": "h", "rssi_dbm": -60.0, "at": "2026-03-14T10:05:00Z"}}));
    let proof = prove(&analysed(with(site, &edits)));
    let differing: Vec<_> = proof.comparisons.iter().filter(|c| c.differs).collect();
    assert_eq!(differing.len(), 1);
    assert!((differing[0].residual().get() + 14.0).abs() < 1e-6);
    assert_eq!(proof.strangers.iter().map(ReadingId::as_str).collect::<Vec<_>>(), ["x"]);
}
