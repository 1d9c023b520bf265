//! Routes: the search against every way there is, and the limits of the systems.

mod common;

use std::sync::Arc;

use common::{bare, device, with};
use dot_reach_core::analysis::{Analysis, Options, analyse};
use dot_reach_core::network::route::{Cost, Graph, zigbee_link_cost};
use dot_reach_core::network::{Band, Reason};
use dot_reach_core::radio::system::System;
use dot_reach_core::site::Site;
use dot_reach_core::units::Db;
use proptest::prelude::*;
use serde_json::json;

/// The best cost over every simple way from 0 to `to` of at most `most` hops.
fn by_trying_all(
    carries: &[bool],
    costs: &[(usize, usize, Cost)],
    to: usize,
    most: usize,
) -> Option<(u32, f64)> {
    fn walk(
        carries: &[bool],
        costs: &[(usize, usize, Cost)],
        way: &mut Vec<usize>,
        so_far: (u32, f64),
        to: usize,
        most: usize,
        best: &mut Option<(u32, f64)>,
    ) {
        let here = way[way.len() - 1];
        if here == to {
            let better = best.is_none_or(|b| (so_far.0, -so_far.1) < (b.0, -b.1));
            if better {
                *best = Some(so_far);
            }
            return;
        }
        if way.len() > most || !carries[here] {
            return;
        }
        for &(a, b, cost) in costs {
            let next = if a == here {
                b
            } else if b == here {
                a
            } else {
                continue;
            };
            if way.contains(&next) {
                continue;
            }
            way.push(next);
            let sum = (so_far.0 + cost.sum, so_far.1.min(cost.weakest.get()));
            walk(carries, costs, way, sum, to, most, best);
            way.pop();
        }
    }
    let mut best = None;
    walk(carries, costs, &mut vec![0], (0, f64::INFINITY), to, most, &mut best);
    best
}

proptest! {
    #[test]
    fn the_search_finds_what_trying_every_way_finds(
        carries in prop::collection::vec(any::<bool>(), 6),
        links in prop::collection::vec((0..6usize, 0..6usize, 1..8u32, 0..30i32), 0..15),
        most in 1..6usize,
    ) {
        let mut carries = carries;
        carries[0] = true;
        let mut costs: Vec<(usize, usize, Cost)> = Vec::new();
        for (a, b, sum, weakest) in links {
            let (a, b) = (a.min(b), a.max(b));
            if a != b && !costs.iter().any(|(c, d, _)| (*c, *d) == (a, b)) {
                costs.push((a, b, Cost { sum, weakest: Db::new(f64::from(weakest)) }));
            }
        }
        let routes = Graph::from_costs(carries.clone(), &costs).routes(0, most, &[]);
        for (to, route) in routes.iter().enumerate().skip(1) {
            let found = route.as_ref().map(|way| {
                prop_assert!(way.len() - 1 <= most && way[0] == 0 && way[way.len() - 1] == to);
                let mut total = (0, f64::INFINITY);
                for pair in way.windows(2) {
                    let (a, b) = (pair[0].min(pair[1]), pair[0].max(pair[1]));
                    let link = costs.iter().find(|(c, d, _)| (*c, *d) == (a, b)).unwrap().2;
                    total = (total.0 + link.sum, f64::min(total.1, link.weakest.get()));
                }
                prop_assert!(way[1..way.len() - 1].iter().all(|n| carries[*n]));
                Ok(total)
            }).transpose()?;
            let wanted = by_trying_all(&carries, &costs, to, most);
            prop_assert_eq!(found.map(|f| f.0), wanted.map(|w| w.0));
        }
    }
}

#[test]
fn zigbee_link_costs_follow_the_specification() {
    // min(7, max(1, round(1/p⁴)))
    for (p, cost) in [(1.0, 1), (0.95, 1), (0.9, 2), (0.8, 2), (0.7, 4), (0.6, 7), (0.1, 7)] {
        assert_eq!(zigbee_link_cost(p), cost, "{p}");
    }
}

/// Devices in a row `step` metres apart: the hub `a0` and then each of `kinds`. Level falls with
/// the fifth power of distance, so that a step has margin and two steps at once have none.
#[expect(clippy::cast_precision_loss, reason = "a handful of devices")]
fn chain(system: System, step: f64, kinds: &[&str]) -> Analysis {
    let steep = json!({"do": "set-calibration", "calibration": {"exponent": 5.0, "offset_db": 0.0,
        "sigma_db": 2.5, "rmse_before_db": 0.0, "rmse_after_db": 0.0, "readings": 0}});
    let mut edits = vec![steep, device("a0", "hub", [0.0, 0.0])];
    for (i, kind) in kinds.iter().enumerate() {
        let n = i + 1;
        edits.push(device(&format!("a{n}"), kind, [step * n as f64, 0.0]));
    }
    let site: Site = with(bare(system), &edits);
    analyse(&Arc::new(site), &Options::default())
}

/// Steps in metres: mains to mains 8 dB of margin, and −7 dB over two of them
/// (`tx + antennas + sensitivity − L1 − 50·log10 d`).
const ZIGBEE_STEP: f64 = 13.7;
const ZWAVE_STEP: f64 = 11.9;
/// Hub to plug-in dimmer 12.7 dB, dimmer to battery 2.7 dB, hub over two steps −2.4 dB.
const STAR_STEP: f64 = 22.0;

fn outcome(analysis: &Analysis, place: usize) -> &dot_reach_core::network::Outcome {
    &analysis.networks[0].outcomes[place]
}

#[test]
fn classic_z_wave_takes_four_repeaters_and_refuses_a_fifth() {
    let chain = chain(System::ZWave, ZWAVE_STEP, &["switch-neutral"; 6]);
    for hops in 1..=5 {
        let reached = outcome(&chain, hops);
        assert_eq!(
            (reached.hops.len(), reached.repeaters()),
            (hops, hops - 1),
            "{}",
            reached.reason
        );
    }
    assert_eq!(outcome(&chain, 6).band, Band::Out);
    assert_eq!(
        outcome(&chain, 6).reason.to_string(),
        "It would need 6 hops (5 repeaters); Z-Wave allows 5 (4 repeaters)."
    );
}

#[test]
fn a_device_that_does_not_forward_cuts_off_what_is_behind_it() {
    let forwards = "switch-neutral";
    let open = chain(System::Zigbee, ZIGBEE_STEP, &[forwards; 5]);
    assert!((1..=5).all(|n| outcome(&open, n).hops.len() == n), "{}", outcome(&open, 5).reason);
    let cut = chain(
        System::Zigbee,
        ZIGBEE_STEP,
        &[forwards, "switch-two-wire", forwards, forwards, forwards],
    );
    assert!(outcome(&cut, 2).band > Band::Out);
    for n in 3..=5 {
        assert_eq!(outcome(&cut, n).band, Band::Out, "a{n}");
    }
    let words = outcome(&cut, 3).reason.to_string();
    assert!(words.contains("too far from a1"), "{words}");
}

#[test]
fn a_lamp_that_can_be_switched_off_gets_no_credit_and_is_named() {
    let analysis = chain(System::Zigbee, ZIGBEE_STEP, &["lamp", "switch-neutral"]);
    let words = outcome(&analysis, 2).reason.to_string();
    assert!(matches!(outcome(&analysis, 2).reason, Reason::OnlyThroughUnsure { .. }), "{words}");
    assert!(words.starts_with("Only a1 would carry it"), "{words}");
}

#[test]
fn a_star_reaches_no_farther_than_one_repeater() {
    let star = |kinds: &[&str]| chain(System::Star, STAR_STEP, kinds);
    let with_one = star(&["plug-dimmer-star", "sensor-battery"]);
    assert_eq!(outcome(&with_one, 2).hops.len(), 2, "{}", outcome(&with_one, 2).reason);
    let through_switch = star(&["switch-star", "sensor-battery"]);
    assert_eq!(outcome(&through_switch, 2).band, Band::Out);
    let with_two = star(&["plug-dimmer-star", "plug-dimmer-star", "sensor-battery"]);
    assert_eq!(
        outcome(&with_two, 3).reason.to_string(),
        "It would need 3 hops (2 repeaters); Sub-GHz star allows 2 (1 repeaters)."
    );
}

#[test]
fn what_hangs_on_a_repeater_is_lost_with_it() {
    let analysis = chain(System::Zigbee, ZIGBEE_STEP, &["switch-neutral", "switch-neutral"]);
    let repeater = analysis.networks[0].nodes[1].device.clone();
    let lost: Vec<_> =
        analysis.lost_without(&repeater).iter().map(|o| o.device.to_string()).collect();
    assert_eq!(lost, ["a2"]);
    let mut options = Options::default();
    options.down.insert(repeater);
    let without = analyse(&analysis.site, &options);
    assert_eq!(outcome(&without, 2).band, Band::Out);
    assert_eq!(outcome(&without, 1).reason, Reason::Down);
}

#[test]
fn a_device_without_the_neutral_it_needs_does_not_fit_and_does_not_forward() {
    let mut site = with(
        bare(System::Zigbee),
        &[device("h", "hub", [0.0, 0.0]), device("s", "switch-neutral", [3.0, 0.0])],
    );
    site = with(
        site,
        &[
            json!({"do": "put-point", "point": {"id": "s", "name": "s", "floor": "g", "at": [3.0, 0.0], "height_m": 1.2, "kind": "switch", "neutral": "absent"}}),
        ],
    );
    let analysis = analyse(&Arc::new(site), &Options::default());
    assert_eq!(analysis.networks[0].nodes[1].role.role.name(), "does not forward");
    let finding = &analysis.findings[0].text;
    assert!(
        finding.contains("needs a neutral, and the box has been tested: it has none"),
        "{finding}"
    );
    assert!(finding.contains("relay module up at the fitting"), "{finding}");
}
