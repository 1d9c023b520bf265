//! Surfaces against what a single spot has, and what must hold in every cell.

use std::sync::Arc;

use crate::common::{bare, device, edit, wall, with};
use dot_reach_core::analysis::{Analysis, Options, analyse};
use dot_reach_core::coverage::{
    Coverage, Grid, Handset, LEAST_ISLAND_M2, Quantity, Request, at_spot, contours, coverage,
    drawn_contours, evened,
};
use dot_reach_core::network::{NetworkAnalysis, Node};
use dot_reach_core::propagation::Model;
use dot_reach_core::radio::system::System;
use dot_reach_core::site::{FloorId, Site, apply};
use dot_reach_core::staircase::staircase;
use dot_reach_core::units::{Db, Metres};
use dot_reach_standin::houses::larkfield_mill;
use proptest::prelude::*;
use proptest::strategy::ValueTree;
use proptest::test_runner::TestRunner;
use serde_json::json;

fn request(floor: &str, handset: Handset, height: f64, cell: f64) -> Request {
    let Ok(floor) = floor.parse::<FloorId>() else { unreachable!("{floor} is no id") };
    Request { floor, handset, height: Metres::new(height), cell: Metres::new(cell) }
}

fn surfaces(analysis: &Analysis, request: &Request) -> Vec<(usize, Coverage)> {
    let of = |(n, network): (usize, &NetworkAnalysis)| {
        Some((n, coverage(analysis, network, request, None)?))
    };
    analysis.networks.iter().enumerate().filter_map(of).collect()
}

#[test]
fn a_cell_has_what_a_press_on_its_middle_says() {
    let analysis = analyse(&Arc::new(larkfield_mill()), &Options::default());
    for floor in ["ground", "stone"] {
        let request = request(floor, Handset::Sensor, 1.1, 1.3);
        for (n, surface) in surfaces(&analysis, &request) {
            let network = &analysis.networks[n];
            let (mut squares, mut count, mut sum) = (0.0, 0.0, 0.0);
            for row in 0..surface.grid.down {
                for column in 0..surface.grid.across {
                    let middle = surface.grid.middle(column, row);
                    let (_, node) = at_spot(&analysis, network, &request, middle).unwrap();
                    let of = |other: &Node| {
                        let over = |from: &Node, to: &Node| {
                            staircase(&network.medium, from, to, analysis.target).margin().get()
                        };
                        over(&node, other).min(over(other, &node))
                    };
                    let takes = |n: &usize| {
                        let hops = network.outcomes[*n].hops.len();
                        network.is_on_air(*n) && hops < network.rule.most_hops
                    };
                    let carriers = (0..network.nodes.len()).filter(takes);
                    let heard = carriers.map(|n| of(&network.nodes[n]));
                    let exact = heard.fold(f64::NEG_INFINITY, f64::max);
                    let cell = f64::from(surface.last_hop[row * surface.grid.across + column]);
                    squares += (cell - exact).powi(2);
                    sum += cell - exact;
                    count += 1.0;
                }
            }
            // The surface fits its bounces to sampled links instead of tracing each.
            let (rmse, bias) = ((squares / count).sqrt(), sum / count);
            assert!(rmse < 2.5 && bias.abs() < 1.5, "{} on {floor}: {rmse} {bias}", network.name);
        }
    }
}

#[test]
fn what_a_cell_says_fits_together() {
    let analysis = analyse(&Arc::new(larkfield_mill()), &Options::default());
    for (n, surface) in surfaces(&analysis, &request("first", Handset::Sensor, 1.1, 0.5)) {
        let network = &analysis.networks[n];
        let most = network.rule.most_hops;
        let values = |q| surface.values(q);
        let (margins, hops) = (values(Quantity::Margin), values(Quantity::Hops));
        let (parents, success) = (values(Quantity::Parents), values(Quantity::Success));
        let last = values(Quantity::LastHop);
        let carriers = network.nodes.iter().filter(|n| n.carries_others()).count();
        for cell in 0..margins.len() {
            let is_reached = margins[cell] >= 0.0;
            assert_eq!(hops[cell].is_nan(), !is_reached);
            if is_reached {
                #[expect(clippy::cast_precision_loss, reason = "a handful of hops")]
                let allowed = 1.0..=most as f64;
                assert!(allowed.contains(&hops[cell]), "{} hops", hops[cell]);
            }
            // At target there is a parent at target, and the other way round.
            assert_eq!(parents[cell] > 0.5, last[cell] >= analysis.target.get() - 1e-4);
            assert!(margins[cell] <= last[cell] + 1e-4, "no way is better than the best last hop");
            #[expect(clippy::cast_precision_loss, reason = "a count of devices")]
            let all = carriers as f64;
            assert!(parents[cell] <= all);
            assert!((0.0..=1.0).contains(&success[cell]), "{:e}", success[cell] - 1.0);
            assert_eq!(success[cell] > 0.0, is_reached);
        }
    }
}

#[test]
fn a_remote_in_a_hand_has_less_by_the_hand_alone() {
    let analysis = analyse(&Arc::new(larkfield_mill()), &Options::default());
    let sensor = surfaces(&analysis, &request("ground", Handset::Sensor, 1.1, 1.0));
    let remote = surfaces(&analysis, &request("ground", Handset::Remote, 1.1, 1.0));
    assert_eq!(sensor.len(), 3);
    for ((n, sensor), (_, remote)) in sensor.iter().zip(&remote) {
        let apart: Vec<f32> =
            sensor.last_hop.iter().zip(&remote.last_hop).map(|(s, r)| s - r).collect();
        assert!(apart[0] > 1.0, "{}", analysis.networks[*n].name);
        assert!(apart.iter().all(|a| (a - apart[0]).abs() < 1e-3));
    }
}

#[test]
fn a_hub_that_is_off_covers_nothing() {
    let place = json!({"do": "put", "kind": "point", "value": {"id": "h", "name": "h", "floor": "g", "at": [1.0, 1.0], "height_m": 1.2, "kind": "switch", "neutral": "seen", "circuit": "4"}});
    let edits = [
        wall("w", [0.0, 0.0], [8.0, 0.0], "stud-wall"),
        wall("v", [0.0, 6.0], [8.0, 6.0], "stud-wall"),
        device("h", "hub", [1.0, 1.0]),
        place,
    ];
    let site = Arc::new(with(bare(System::ZWave), &edits));
    let request = request("g", Handset::Sensor, 1.1, 0.5);
    let covered = |options: &Options| {
        let analysis = analyse(&site, options);
        surfaces(&analysis, &request).len()
    };
    assert_eq!(covered(&Options::default()), 1);
    let mut down = Options::default();
    down.down.insert("h".parse().unwrap());
    assert_eq!(covered(&down), 0);
    let mut off = Options::default();
    off.breakers_off.insert("4".to_owned());
    assert_eq!(covered(&off), 0, "nor one whose breaker is off");
}

#[test]
fn a_surface_that_starts_from_the_last_equals_one_from_nothing() {
    let mut site: Site = larkfield_mill();
    let before = analyse(&Arc::new(site.clone()), &Options::default());
    let request = request("ground", Handset::Sensor, 1.1, 0.7);
    let mut point = serde_json::to_value(site.points.named("kit-isle").unwrap()).unwrap();
    point["at"] = json!([4.4, 3.1]);
    apply(&mut site, &edit(json!({"do": "put", "kind": "point", "value": point}))).unwrap();
    let after = analyse(&Arc::new(site), &Options::default());
    let mut compared = 0;
    for (network, earlier) in after.networks.iter().zip(&before.networks) {
        let earlier = coverage(&before, earlier, &request, None).unwrap();
        let quick = coverage(&after, network, &request, Some(&earlier)).unwrap();
        let plain = coverage(&after, network, &request, None).unwrap();
        assert_eq!(quick.margin, plain.margin, "{}", network.name);
        assert_eq!(quick.parents, plain.parents);
        compared += usize::from(earlier.margin != plain.margin);
    }
    assert_eq!(compared, 1, "the move changed one network");
}

#[test]
fn contours_lie_where_the_surface_crosses_their_level() {
    let analysis = analyse(&Arc::new(larkfield_mill()), &Options::default());
    let (n, surface) =
        surfaces(&analysis, &request("ground", Handset::Sensor, 1.1, 0.25)).remove(1);
    let grid = surface.grid;
    let at = |[x, y]: [f64; 2]| -> Option<[f64; 2]> {
        // The least and the greatest of the cells around a place.
        let (column, row) = ((x - grid.left) / grid.cell, (y - grid.top) / grid.cell);
        let mut range: Option<[f64; 2]> = None;
        for (dc, dr) in
            [(-1.0, -1.0), (0.0, -1.0), (-1.0, 0.0), (0.0, 0.0), (1.0, 0.0), (0.0, 1.0), (1.0, 1.0)]
        {
            let (c, r): (f64, f64) = ((column + dc).floor(), (row + dr).floor());
            #[expect(
                clippy::cast_possible_truncation,
                clippy::cast_sign_loss,
                reason = "checked to be within the grid"
            )]
            let (c, r) = if c >= 0.0 && r >= 0.0 { (c as usize, r as usize) } else { continue };
            if c >= grid.across || r >= grid.down {
                continue;
            }
            let value = f64::from(surface.margin[r * grid.across + c]);
            let [low, high] = range.unwrap_or([value, value]);
            range = Some([low.min(value), high.max(value)]);
        }
        range
    };
    let levels = [10.0, 20.0, 30.0, 40.0].map(Db::new);
    let mut places = 0;
    for contour in contours(&surface, Quantity::Margin, &levels) {
        for place in contour.lines.iter().flatten() {
            let [low, high] = at(*place).unwrap();
            assert!(
                (low - 0.1..=high + 0.1).contains(&contour.level),
                "{} is not between {low} and {high} at {place:?}",
                contour.level
            );
            places += 1;
        }
    }
    assert!(places > 100, "{places} on {}", analysis.networks[n].name);
}

/// A random network, and where a sensor is put into it.
#[derive(Clone, Debug)]
struct Probe {
    places: Vec<[f64; 2]>,
    kinds: Vec<usize>,
    walls: Vec<crate::common::Wall>,
    system: usize,
    at: [f64; 2],
    hops: usize,
    /// How many children a hub takes; one more a router. Nothing where there are seats for all.
    seats: Option<usize>,
    /// Where something else sends.
    source: Option<[f64; 2]>,
}

fn probe(
    seats: impl Strategy<Value = Option<usize>>,
    source: impl Strategy<Value = Option<[f64; 2]>>,
) -> impl Strategy<Value = Probe> {
    let places = prop::collection::vec(crate::common::spot(), 3..9);
    let kinds = prop::collection::vec(0..3usize, 9);
    let rest = (0..6usize, crate::common::spot(), 1..5usize, seats, source);
    (places, kinds, crate::common::walls(8), rest).prop_map(
        |(places, kinds, walls, (system, at, hops, seats, source))| Probe {
            places,
            kinds,
            walls,
            system,
            at,
            hops,
            seats,
            source,
        },
    )
}

/// The surface of a storey against a sensor that is really put there: the same verdict, the same
/// weakest margin, the same number of hops.
#[expect(clippy::unwrap_used, reason = "what was put there is there")]
fn compared(probe: &Probe) -> Result<(), String> {
    let systems = [
        System::Zigbee,
        System::ZWave,
        System::Thread,
        System::Star,
        System::Bluetooth,
        System::Kit,
    ];
    let system = systems[probe.system];
    let wide = |p: [f64; 2]| p.map(|v| v * 3.0);
    let mut net = json!({"do": "put", "kind": "network", "value": {"id": "n", "name": "Net", "system": system,
        "limits": {"most_hops": probe.hops, "most_repeaters": 40}}});
    let mut edits = Vec::new();
    if system.rule().is_802_15_4() {
        net["value"]["channel"] = json!(17);
        if let Some(seats) = probe.seats {
            net["value"]["limits"]["children_of_hub"] = json!(seats);
            net["value"]["limits"]["children_of_router"] = json!(seats + 1);
        }
        edits.extend(probe.source.map(|at| json!({"do": "put", "kind": "emitter", "value": {"id": "e", "name": "Source", "floor": "g",
            "at": wide(at), "height_m": 1.5, "carrier": {"kind": "wifi", "channel": 6, "width_mhz": 20}, "tx_dbm": 15.0, "busy": 0.4}})));
    }
    edits.extend([
        net,
        wall("edge", [-1.0, -1.0], [61.0, -1.0], "stud-wall"),
        wall("other", [-1.0, 37.0], [61.0, 37.0], "stud-wall"),
        device("h", "hub", [20.0, 15.0]),
    ]);
    for (n, (a, b, construction)) in probe.walls.iter().enumerate() {
        edits.push(wall(&format!("w{n}"), wide(*a), wide(*b), construction));
    }
    for edge in edits.iter_mut().filter(|e| e["kind"] == "wall") {
        edge["value"]["known"] = json!("seen");
    }
    let kinds =
        probe.kinds.iter().map(|k| ["repeater-plug", "sensor-battery", "repeater-plug"][*k]);
    for (n, (place, kind)) in probe.places.iter().zip(kinds).enumerate() {
        edits.push(device(&format!("d{n}"), kind, wide(*place)));
    }
    // Bounces over a surface are fitted, not traced: they are left out of both.
    let plain =
        Options { model: Model { reflections: false, ..Model::default() }, ..Options::default() };
    let site = with(bare(system), &edits);
    let analysis = analyse(&Arc::new(site.clone()), &plain);
    let network = &analysis.networks[0];
    let request = request("g", Handset::Sensor, 1.2, 0.7);
    let Some(surface) = coverage(&analysis, network, &request, None) else { return Ok(()) };
    let grid = surface.grid;
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "within the grid")]
    let cell = |v: f64, from: f64| ((v - from) / grid.cell) as usize;
    let (column, row) = (cell(wide(probe.at)[0], grid.left), cell(wide(probe.at)[1], grid.top));
    let there = with(site, &[device("put", "sensor-battery", grid.middle(column, row))]);
    let there = analyse(&Arc::new(there), &plain);
    let outcomes = &there.networks[0].outcomes;
    let put = outcomes.iter().find(|o| o.device.as_str() == "put").unwrap();
    let told = f64::from(surface.margin[row * grid.across + column]);
    let hops = surface.hops_at(row * grid.across + column);
    // The surface leaves out weak bends and hears others to half a decibel: a verdict so near to a
    // border may differ.
    let weakest = put.weakest().map(|h| h.margin().get());
    let is_near = |b: f64| (told - b).abs() < 0.8 || weakest.is_some_and(|w| (w - b).abs() < 0.8);
    let target = analysis.target.get();
    if [0.0, target, target + 10.0].into_iter().any(is_near) {
        return Ok(());
    }
    let same = match weakest {
        None => told < 0.0,
        // Heard to half a decibel, a route may be a hop longer or shorter at a place where two cost alike.
        Some(weakest) => {
            let apart = usize::from(hops).abs_diff(put.hops.len());
            let off = (told - weakest).abs();
            off < 0.8 && apart == 0 || off < 0.01 && apart == 1
        }
    };
    let words = || format!("{told} by {hops} hops against {weakest:?}: {}", put.reason);
    if same { Ok(()) } else { Err(words()) }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    #[test]
    fn a_place_is_told_what_a_device_put_there_is_told(probe in probe(Just(None), Just(None))) {
        prop_assert_eq!(compared(&probe), Ok(()));
    }
}

/// Of random networks, the same every time, those in which a surface tells another thing.
#[expect(clippy::unwrap_used, reason = "a network can always be made")]
fn told_otherwise(probes: &impl Strategy<Value = Probe>) -> Vec<String> {
    let mut runner = TestRunner::deterministic();
    let told = (0..300).map(|_| compared(&probes.new_tree(&mut runner).unwrap().current()));
    told.filter_map(Result::err).collect()
}

#[test]
fn beside_a_source_a_place_is_told_what_a_device_put_there_is_told() {
    // A link costs a whole step more once 1/p⁴ is rounded up, and a surface knows p to half a decibel: where two
    // ways lie at such a step it may name the other.
    let probes = probe(Just(None), crate::common::spot().prop_map(Some));
    let wrong = told_otherwise(&probes);
    assert!(wrong.len() <= 3, "{} of 300: {wrong:#?}", wrong.len());
}

#[test]
fn where_seats_are_few_a_place_is_told_what_a_device_put_there_is_told() {
    // Who gives up a seat is decided by tenths of a decibel where two would lose alike: there a surface
    // may name the other. The same random networks every time.
    let sources = prop::option::of(crate::common::spot());
    let probes = probe((1..6usize).prop_map(Some), sources);
    let wrong = told_otherwise(&probes);
    assert!(wrong.len() <= 6, "{} of 300: {wrong:#?}", wrong.len());
}

proptest! {
    /// What is drawn is off by no more than was allowed; no ring of it is smaller than a hand, and the area of a higher level
    /// lies in that of a lower one.
    #[test]
    fn lines_are_evened_within_what_they_may_be_off_by(
        values in prop::collection::vec(-40.0..60.0f64, 24 * 18),
        gaps in prop::collection::vec(0..24 * 18usize, 0..30),
        within in 0.0..6.0f64,
    ) {
        let grid = Grid { left: 1.0, top: -2.0, cell: 0.25, across: 24, down: 18 };
        let mut values = values;
        for at in gaps {
            values[at] = -200.0;
        }
        for (even, value) in evened(&grid, &values, within).iter().zip(&values) {
            prop_assert!((even - value).abs() <= within + 1e-9);
            prop_assert!(*value > -200.0 || *even <= -200.0, "what is not reached stays so");
        }
        let area = |ring: &Vec<[f64; 2]>| {
            let next = ring.iter().cycle().skip(1);
            ring.iter().zip(next).map(|(a, b)| a[0] * b[1] - b[0] * a[1]).sum::<f64>().abs() / 2.0
        };
        for contour in drawn_contours(&grid, &values, &[0.0, 10.0], within) {
            prop_assert!(contour.rings.iter().all(|r| area(r) >= LEAST_ISLAND_M2));
        }
    }
}

#[test]
fn a_ramp_is_drawn_where_it_lies_and_a_speck_is_not() {
    let grid = Grid { left: 0.0, top: 0.0, cell: 0.25, across: 40, down: 20 };
    let mut ramp: Vec<f64> = (0..800).map(|n| f64::from(n % 40)).collect();
    let plain = drawn_contours(&grid, &ramp, &[20.0], 2.0);
    let x = |c: &[f64; 2]| c[0];
    let line = &plain[0].lines[0];
    assert!(line.iter().all(|c| (x(c) - 5.125).abs() < 0.05), "{line:?}");
    // One cell that shows more than all around it, and less than the error: nothing is drawn of it.
    ramp[5 * 40 + 10] = 22.0;
    assert_eq!(drawn_contours(&grid, &ramp, &[20.0], 2.0)[0].rings.len(), 1);
}
