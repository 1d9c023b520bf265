//! Rounds through a house: with two test radios before anything is bought, and again so many months after it was proven.

use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::prove::drift::next_check;
use dot_reach_core::prove::prove;
use dot_reach_core::prove::round::{RoundStand, round};
use dot_reach_core::radio::system::System;
use dot_reach_core::record::Folder;
use serde_json::json;

use crate::common::wish;
use crate::day::machine::{AT, house, planned, set};

fn stands(folder: &Folder) -> Vec<RoundStand> {
    let analysis = analyse(&Arc::new(folder.site.clone()), &Options::default());
    round(&analysis, &folder.record)
}

#[test]
fn one_radio_stays_at_the_hub_and_the_other_visits_every_place_once_the_near_ones_first() {
    let folder = house(System::Zigbee, &["a", "b"]);
    let all = stands(&folder);
    let [stand] = all.as_slice() else { panic!("one stand") };
    assert_eq!(stand.stays.as_str(), "hub");
    let mut at: Vec<&str> = stand.stops.iter().map(|s| s.at.as_str()).collect();
    let far = |id: &str| {
        let at = |id: &str| folder.site.points.named(id).map(|p| p.at).unwrap();
        let hub = folder.site.point_of(folder.site.devices.named("hub").unwrap()).unwrap().at;
        (at(id)[0] - hub[0]).hypot(at(id)[1] - hub[1])
    };
    assert!(far(at[0]) <= far(at[1]));
    at.sort_unstable();
    assert_eq!(at, ["a", "b"]);
    assert!(
        stand.stops.iter().all(|s| s.read.is_none() && s.loss.get() > 30.0 && s.sigma.get() > 0.0)
    );
}

#[test]
fn what_test_radios_read_is_ticked_off_and_teaches_as_any_reading_does() {
    let folder = house(System::Zigbee, &["a", "b"]);
    let loss = stands(&folder)[0].stops.iter().find(|s| s.at.as_str() == "a").unwrap().loss;
    let read = |radios: serde_json::Value| {
        let reading = json!({"id": "r1", "from": "a", "to": "hub", "rssi_dbm": 8.0 - loss.get() - 9.0,
            "test_radios_dbm": radios, "at": AT, "source": "test radios"});
        wish(&folder, &json!({"do": "put", "kind": "reading", "value": reading})).unwrap()
    };
    let round = read(json!(8.0));
    let stop = stands(&round)[0].stops.iter().find(|s| s.at.as_str() == "a").unwrap().clone();
    assert_eq!(stop.read.map(|level| level.get().round()), Some((8.0 - loss.get() - 9.0).round()));
    // What the devices themselves said is none of the round's.
    assert!(stands(&read(json!(null)))[0].stops.iter().all(|s| s.read.is_none()));
    let analysis = analyse(&Arc::new(round.site.clone()), &Options::default());
    let told = prove(&analysis, &round.record);
    let off = told.comparisons[0].measured - told.comparisons[0].predicted;
    assert!((off.get() + 9.0).abs() < 0.01, "9 dB weaker than planned: {off}");
}

#[test]
fn a_proven_house_is_read_again_so_many_months_after_it_was_read_last() {
    let folder =
        planned(&house(System::Zigbee, &["a"]), &[set("job", "job", "check_months", &json!(6))]);
    assert_eq!(next_check(&folder.site, &folder.record), None, "nothing is proven yet");
    let keep = json!({"do": "keep-stage", "id": "m1", "stage": "proven", "by": "Ada", "at": "2026-03-01T00:00:00Z"});
    let proven = wish(&folder, &keep).unwrap();
    let due = |folder: &Folder| next_check(&folder.site, &folder.record).unwrap().to_string();
    assert!(due(&proven).starts_with("2026-08-30"), "{}", due(&proven));
    let read = json!({"do": "put", "kind": "reading", "value": {"id": "r", "from": "a", "to": "hub",
        "rssi_dbm": -60.0, "at": "2026-08-01T00:00:00Z"}});
    assert!(due(&wish(&proven, &read).unwrap()).starts_with("2027-01-30"));
    let free = planned(&proven, &[set("job", "job", "check_months", &json!(null))]);
    assert_eq!(next_check(&free.site, &free.record), None, "nobody agreed on it");
}
