//! Monte Carlo over the whole house: against worked chances, seeded, stoppable.

use std::ops::ControlFlow;
use std::sync::Arc;

use crate::common::{bare, device, with};
use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::confidence::link_confidence;
use dot_reach_core::pulse::to_the_end;
use dot_reach_core::radio::system::System;
use dot_reach_core::simulate::{Budget, chances};
use dot_reach_standin::houses::larkfield_mill;
use serde_json::json;

#[test]
fn one_link_alone_is_reached_as_often_as_the_normal_curve_says() {
    // An exponent of 5 leaves the single link some 3 dB of margin at σ = 6 dB.
    let steep = json!({"do": "put", "kind": "calibration", "value": {"exponent": 5.0, "offset_db": 0.0,
        "sigma_db": 6.0, "rmse_before_db": 0.0, "rmse_after_db": 0.0, "readings": 0}});
    let site = with(
        bare(System::Zigbee),
        &[steep, device("a", "hub", [0.0, 0.0]), device("b", "sensor-battery", [15.0, 0.0])],
    );
    let analysis = analyse(&Arc::new(site), &Options::default());
    let network = &analysis.networks[0];
    let link = network.links.all[0];
    let want = link_confidence(link.margin(), link.sigma);
    assert!((0.55..0.95).contains(&want), "{want}");
    let found = chances(&analysis, Budget { draws: 20_000, seed: 7 }, &mut to_the_end);
    // Far apart, the two ends are all but independent; ±3 standard errors of 20,000 draws.
    let error = 3.0 * (want * (1.0 - want) / 20_000.0_f64).sqrt() + 0.005;
    assert!((found.all - want).abs() < error, "{} {want}", found.all);
}

#[test]
fn two_radios_side_by_side_scatter_by_the_deviation_that_their_link_states() {
    // Half a metre apart their shadowing is nearly the same, and the link keeps its own deviation.
    let lost = json!({"do": "set", "kind": "device", "id": "b", "field": "sheet.extra_loss_db", "value": 60.0});
    let near = [device("a", "hub", [0.0, 0.0]), device("b", "sensor-battery", [0.5, 0.0]), lost];
    let analysis = analyse(&Arc::new(with(bare(System::Zigbee), &near)), &Options::default());
    let link = analysis.networks[0].links.all[0];
    let want = link_confidence(link.margin(), link.sigma);
    assert!((0.55..0.95).contains(&want), "{want}");
    let found = chances(&analysis, Budget { draws: 20_000, seed: 7 }, &mut to_the_end);
    let error = 3.0 * (want * (1.0 - want) / 20_000.0_f64).sqrt();
    assert!((found.all - want).abs() < error, "{} {want}", found.all);
}

#[test]
fn the_same_seed_gives_the_same_answer_and_another_one_a_near_one() {
    let analysis = analyse(&Arc::new(larkfield_mill()), &Options::default());
    let draw = |seed| chances(&analysis, Budget { draws: 2000, seed }, &mut to_the_end);
    let (one, same, other) = (draw(1), draw(1), draw(2));
    assert_eq!(one, same);
    assert!((one.all - other.all).abs() < 0.06, "{} {}", one.all, other.all);
    // All are reached less often than the least sure of them.
    for network in &one.networks {
        let least = network.reached.iter().map(|(_, p)| *p).fold(1.0, f64::min);
        assert!(network.all <= least && one.all <= network.all, "{network:?}");
    }
}

#[test]
fn it_stops_when_told_and_says_how_far_it_came() {
    let analysis = analyse(&Arc::new(larkfield_mill()), &Options::default());
    let mut told = Vec::new();
    let found = chances(&analysis, Budget::default(), &mut |done, of| {
        told.push((done, of));
        if done < 300 { ControlFlow::Continue(()) } else { ControlFlow::Break(()) }
    });
    told.retain(|(done, _)| *done > 0);
    assert_eq!(told, [(100, 2000), (200, 2000), (300, 2000)]);
    assert_eq!(found.draws, 300);
}

/// A second network whose radios stand where those of the first do.
fn twice_in_the_same_places(steep: &serde_json::Value) -> dot_reach_core::Analysis {
    let mut second = device("c", "hub", [0.0, 0.0]);
    second["edits"][1]["value"]["network"] = json!("m");
    let mut far = device("d", "sensor-battery", [15.0, 0.0]);
    far["edits"][1]["value"]["network"] = json!("m");
    let site = with(
        bare(System::Zigbee),
        &[
            steep.clone(),
            json!({"do": "put", "kind": "network", "value": {"id": "m", "name": "Other", "system": "zigbee"}}),
            device("a", "hub", [0.0, 0.0]),
            device("b", "sensor-battery", [15.0, 0.0]),
            second,
            far,
        ],
    );
    analyse(&Arc::new(site), &Options::default())
}

#[test]
fn networks_in_the_same_places_are_reached_in_the_same_houses() {
    let steep = json!({"do": "put", "kind": "calibration", "value": {"exponent": 5.0, "offset_db": 0.0,
        "sigma_db": 6.0, "rmse_before_db": 0.0, "rmse_after_db": 0.0, "readings": 0}});
    let analysis = twice_in_the_same_places(&steep);
    let found = chances(&analysis, Budget::default(), &mut to_the_end);
    let [one, other] = &found.networks[..] else { panic!("two networks") };
    assert!((0.4..0.95).contains(&one.all), "{}", one.all);
    // Were they independent, the house would have all in only the product of both.
    assert!((found.all - one.all).abs() < 0.01 && (one.all - other.all).abs() < 0.01, "{found:?}");
}
