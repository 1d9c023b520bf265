//! Surfaces against what a single spot has, and what must hold in every cell.

mod common;

use std::sync::Arc;

use common::{bare, device, edit, wall, with};
use dot_reach_core::analysis::{Analysis, Options, analyse};
use dot_reach_core::coverage::{Coverage, Handset, Quantity, Request, at_spot, contours, coverage};
use dot_reach_core::network::NetworkAnalysis;
use dot_reach_core::radio::system::System;
use dot_reach_core::site::{FloorId, Site, apply};
use dot_reach_core::staircase::staircase;
use dot_reach_core::units::{Db, Metres};
use dot_reach_standin::houses::larkfield_mill;
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
                    let (carrier, node) = at_spot(&analysis, network, &request, middle).unwrap();
                    let other = &network.nodes[carrier];
                    let of = |from, to| {
                        staircase(&network.medium, from, to, analysis.target).margin().get()
                    };
                    let exact = of(&node, other).min(of(other, &node));
                    let cell = f64::from(surface.margin[row * surface.grid.across + column]);
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
        let values = |q| surface.values(q, network);
        let (margins, hops) = (values(Quantity::Margin), values(Quantity::Hops));
        let (parents, success) = (values(Quantity::Parents), values(Quantity::Success));
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
            assert_eq!(parents[cell] > 0.5, margins[cell] >= analysis.target.get() - 1e-4);
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
            sensor.margin.iter().zip(&remote.margin).map(|(s, r)| s - r).collect();
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
    for contour in contours(&surface, &levels) {
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
