//! What is read is named where it cannot be right, and what was accepted is what was proposed.

use dot_reach_core::analysis::PLANNING_SIGMA;
use dot_reach_core::moment::Moment;
use dot_reach_core::prove::Verdict;
use dot_reach_core::prove::acts::Proving;
use dot_reach_core::prove::firm::{offered, with_offer};
use dot_reach_core::prove::stages::{difference, now};
use dot_reach_core::record::Stage;
use dot_reach_core::simulate::normal;
use dot_reach_core::site::apply;
use dot_reach_core::units::Megahertz;
use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::SeedableRng;
use serde_json::{Value, json};

use crate::calibration::{AT, SPOTS, analysed, field, kept, proved, reading, readings, taught};
use crate::common::after;

#[test]
fn an_accepted_calibration_predicts_what_was_proposed_and_comes_back_with_undo() {
    let site = field();
    let mut random = ChaCha8Rng::seed_from_u64(11);
    let errors: Vec<f64> = (0..SPOTS).map(|_| -5.0 + 3.0 * normal(&mut random)).collect();
    let read = after(site.clone(), &readings(&site, &errors));
    let (before, proof) = proved(&read);
    let id = "m1".parse().unwrap();
    let at = Moment::read("2026-03-15T08:00:00Z").unwrap();
    let act = Proving::AcceptCalibration { id, by: "Kit".into(), at };
    let (mut accepted, change) = kept(&read, act);
    let after = analysed(accepted.site.clone());
    let network = &after.networks[0];
    for link in &network.links.all {
        let (a, b) = (&network.nodes[link.a].device, &network.nodes[link.b].device);
        let (level, sigma) = proof.proven.expected(a, b).unwrap();
        let level = (level - network.nodes[link.b].needs).get();
        assert!((link.margin_ab.get() - level).abs() < 0.05, "{a} {b}: {} {level}", link.margin_ab);
        assert!((link.sigma - sigma).get().abs() < 0.02, "{a} {b}: {} {sigma}", link.sigma);
        // What was read is known better than anything was planned.
        if a.as_str() == "h" || b.as_str() == "h" {
            assert!(link.target < before.target && link.sigma < PLANNING_SIGMA);
        }
    }
    // How the plan stood before is kept, and is not what it now is.
    let kept = accepted.record.milestones.iter().next().unwrap();
    assert_eq!((kept.stage, &*kept.at), (Stage::Designed, "2026-03-15T08:00:00Z"));
    assert_eq!(kept.devices, now(&before));
    assert!(
        difference(&kept.devices, &now(&after))
            .iter()
            .any(dot_reach_core::prove::stages::Differs::is_any)
    );
    // The plan goes back; the record does not.
    apply(&mut accepted.site, &change.unwrap().inverse).unwrap();
    assert_eq!(accepted.site, site);
    assert_eq!(accepted.record.len(), read.record.len() + 1);
}

#[test]
fn a_gross_reading_is_named_and_moves_nothing() {
    let site = field();
    let mut errors = vec![0.5; SPOTS];
    errors[7] = -26.0;
    errors[15] = 24.0;
    let proof = taught(&site, &readings(&site, &errors));
    let aside: Vec<&str> = proof
        .comparisons
        .iter()
        .filter(|c| c.verdict == Verdict::Aside)
        .map(|c| c.reading.as_str())
        .collect();
    assert_eq!(aside, ["r07", "r15"]);
    let without: Vec<Value> = readings(&site, &errors)
        .into_iter()
        .filter(|e| e["value"]["id"] != "r07" && e["value"]["id"] != "r15")
        .collect();
    let clean = taught(&site, &without);
    for (a, b) in proof.corrections.iter().zip(&clean.corrections) {
        assert_eq!((a.kind, &a.id), (b.kind, &b.id));
        assert!((a.db - b.db).abs() < 0.5, "{a:?} {b:?}");
    }
}

#[test]
fn a_missing_minus_and_swapped_digits_are_told_by_name() {
    let site = field();
    let planned = readings(&site, &[0.0; SPOTS]);
    let level = |n: usize| planned[n]["value"]["rssi_dbm"].as_f64().unwrap().round();
    let mut edits = planned.clone();
    for e in &mut edits {
        e["value"]["rssi_dbm"] = json!(e["value"]["rssi_dbm"].as_f64().unwrap().round());
    }
    // A level above 20 dBm is refused at the door; swapped digits are not: −38 for −83 and so on.
    let swapped = (0..SPOTS).find(|n| {
        let l = level(*n).abs();
        let turned = (l % 10.0) * 10.0 + (l / 10.0).floor();
        (turned - l).abs() > 22.0 && turned > 10.0
    });
    let n = swapped.expect("one whose digits differ much");
    let l = level(n).abs();
    edits[n]["value"]["rssi_dbm"] = json!(-((l % 10.0) * 10.0 + (l / 10.0).floor()));
    let proof = taught(&site, &edits);
    let slip = proof.comparisons[n].slip.as_ref().map(ToString::to_string).unwrap();
    assert!(slip.contains("typing error"), "{slip}");
}

#[test]
fn readings_between_networks_predict_nothing_and_an_lqi_alone_is_a_rank() {
    let mut edits = vec![
        json!({"do": "put", "kind": "network", "value": {"id": "z", "name": "Other", "system": "zwave"}}),
        json!({"do": "put", "kind": "device", "value": {"id": "zz", "name": "zz", "point": "h", "kind": "hub", "network": "z"}}),
        reading("x", "zz", "h", -60.0, AT),
    ];
    for (n, lqi) in [(2, 220), (12, 160), (23, 80)] {
        edits.push(json!({"do": "put", "kind": "reading", "value": {"id": format!("l{n}"),
            "from": format!("s{n:02}"), "to": "h", "lqi": lqi, "at": AT}}));
    }
    let proof = taught(&field(), &edits);
    assert_eq!(
        proof.strangers.iter().map(dot_reach_core::record::ReadingId::as_str).collect::<Vec<_>>(),
        ["x"]
    );
    assert!(proof.comparisons.is_empty());
    assert_eq!((proof.ranks[0].readings, proof.ranks[0].agreement), (3, 1.0));
}

#[test]
fn test_radios_teach_of_the_house_and_not_of_the_devices() {
    let site = field();
    let mut edits = readings(&site, &[-4.0; 12]);
    for e in &mut edits {
        // Test radios with 10 dBm in sum stood there; the plan's own radios sum otherwise.
        e["value"]["test_radios_dbm"] = json!(10.0);
    }
    let proof = taught(&site, &edits);
    let devices = proof.corrections.iter().filter(|c| c.kind == "device");
    assert!(devices.clone().count() > 0);
    assert!(devices.into_iter().all(|c| c.readings == 0 && c.db == 0.0));
}

#[test]
fn what_several_houses_say_is_offered_and_one_house_is_no_several() {
    let taught = |db: f64| {
        let of = json!({"of": "construction", "id": "stud-wall", "band": "2440", "db": db});
        let c = json!({"exponent": 2.0, "offset_db": 0.0, "sigma_db": 4.0, "rmse_before_db": 6.0,
            "rmse_after_db": 3.0, "readings": 20, "learned": [of], "spread": [1.0]});
        serde_json::from_value(c).unwrap()
    };
    let one = [("A".to_owned(), taught(4.0))];
    assert!(offered(&one).is_empty());
    let two = [one[0].clone(), ("B".to_owned(), taught(3.0))];
    let offers = offered(&two);
    // Each house says 4.5 and 3.4 by itself, with 1.06 dB and 2 dB from house to house; the prior holds back.
    assert_eq!(offers.len(), 1);
    assert!((offers[0].more.get() - 3.1).abs() < 0.15, "{offers:?}");
    let site = field();
    let row = with_offer(&site, &offers[0]).unwrap();
    let before = site.construction("stud-wall").unwrap();
    let f = Megahertz::new(2440.0);
    assert!(((row.straight_loss(f) - before.straight_loss(f)) - offers[0].more).get().abs() < 1e-9);
}

#[test]
fn what_was_cured_in_the_house_counts_no_longer() {
    let mut errors = vec![0.0; SPOTS];
    errors[5] = -14.0;
    let read = after(field(), &readings(&field(), &errors));
    let at = Moment::read("2026-04-01T00:00:00Z").unwrap();
    let act = Proving::Cured { device: "s05".parse().unwrap(), what: "out".into(), at };
    let (cured, _) = kept(&read, act);
    let (_, proof) = proved(&cured);
    assert_eq!(proof.comparisons.len(), SPOTS - 1);
    assert_eq!(cured.record.readings.len(), SPOTS, "nothing typed is lost");
}
