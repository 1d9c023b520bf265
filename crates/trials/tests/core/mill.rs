//! The Mill: incremental equals full, the run sheet's order, calibration on a house with a truth.

use std::sync::Arc;

use dot_reach_core::analysis::{Analysis, Options, analyse, analyse_after};
use dot_reach_core::coverage::{Handset, Quantity, Request, contours, coverage};
use dot_reach_core::install::{JoinStage, run_sheet};
use dot_reach_core::network::{Band, Role};
use dot_reach_core::placement::{Radios, hub_positions};
use dot_reach_core::prove::diagnose::{Mechanism, diagnose};
use dot_reach_core::prove::prove;
use dot_reach_core::pulse::to_the_end;
use dot_reach_core::site::{Edit, Kind, Site, apply};
use dot_reach_core::units::{Db, Metres};
use dot_reach_standin::houses::{larkfield_mill, larkfield_mill_read};
use proptest::prelude::*;
use serde_json::json;

fn mill() -> Arc<Site> {
    Arc::new(larkfield_mill())
}

fn same(a: &Analysis, b: &Analysis) {
    assert_eq!(a.findings, b.findings);
    assert_eq!((a.networks.len(), a.target), (b.networks.len(), b.target));
    for (x, y) in a.networks.iter().zip(&b.networks) {
        assert_eq!((&x.air, &x.nodes), (&y.air, &y.nodes));
        assert_eq!(x.links.all, y.links.all);
        assert_eq!(x.outcomes, y.outcomes);
    }
}

#[expect(clippy::unwrap_used, reason = "the floors of the Mill have proper ids")]
fn request(floor: &str) -> Request {
    let (handset, height, cell) = (Handset::Sensor, Metres::new(1.1), Metres::new(0.5));
    Request { floor: floor.parse().unwrap(), handset, height, cell }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]
    #[test]
    fn an_analysis_that_starts_from_the_last_equals_one_from_nothing(
        point in 0..54usize, x in 0.5..17.5f64, y in 0.5..8.5f64, height in 0.2..2.2f64,
    ) {
        let site = mill();
        let before = analyse(&site, &Options::default());
        let id = site.points.iter().nth(point).unwrap().id.clone();
        let mut moved = (*site).clone();
        let set = |field: &str, value: serde_json::Value| Edit::set(Kind::Point, &id, field, value);
        let edit = Edit::batch(vec![set("at", json!([x, y])), set("height_m", json!(height))]);
        apply(&mut moved, &edit).unwrap();
        let moved = Arc::new(moved);
        let full = analyse(&moved, &Options::default());
        let quick = analyse_after(Some(&before), &moved, &Options::default());
        same(&full, &quick);
        let network = &full.networks[1];
        let earlier = coverage(&before, &before.networks[1], &request("first"), None);
        let fresh = coverage(&full, network, &request("first"), None).unwrap();
        let kept = coverage(&quick, &quick.networks[1], &request("first"), earlier.as_ref()).unwrap();
        prop_assert_eq!(fresh.margin, kept.margin);
    }
}

#[test]
fn a_surface_of_one_region_is_not_taken_for_that_of_another() {
    let uk = mill();
    let before = analyse(&uk, &Options::default());
    let zwave =
        |a: &Analysis| a.networks.iter().position(|n| n.network.as_str() == "heat").unwrap();
    let earlier =
        coverage(&before, &before.networks[zwave(&before)], &request("ground"), None).unwrap();
    let mut us = (*uk).clone();
    apply(&mut us, &Edit::set(Kind::Job, &"job", "region", "us")).unwrap();
    let after = analyse_after(Some(&before), &Arc::new(us), &Options::default());
    let network = &after.networks[zwave(&after)];
    let kept = coverage(&after, network, &request("ground"), Some(&earlier)).unwrap();
    let fresh = coverage(&after, network, &request("ground"), None).unwrap();
    assert_eq!(kept.margin, fresh.margin);
    let apart =
        |a: &[f32], b: &[f32]| a.iter().zip(b).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
    assert!(apart(&earlier.margin, &fresh.margin) > 0.5, "the regions differ here");
}

#[test]
fn a_network_without_devices_has_no_surface_and_stops_nothing() {
    let mut site = larkfield_mill();
    let id = "empty".parse().unwrap();
    let network = dot_reach_core::site::Network::new(
        id,
        "Empty",
        dot_reach_core::radio::system::System::Bluetooth,
    );
    apply(&mut site, &Edit::put(network)).unwrap();
    let analysis = analyse(&Arc::new(site), &Options::default());
    let network = analysis.networks.iter().find(|n| n.network.as_str() == "empty").unwrap();
    assert!(coverage(&analysis, network, &request("ground"), None).is_none());
    assert!(
        hub_positions(&analysis, network, &Radios::Together.into(), &mut to_the_end)
            .positions
            .is_empty()
    );
    let budget = dot_reach_core::simulate::Budget { draws: 10, seed: 1 };
    let found = dot_reach_core::simulate::chances(&analysis, budget, &mut to_the_end);
    assert_eq!(found.of_network(&network.network).unwrap().reached, Vec::new());
}

#[test]
fn the_same_site_gives_the_same_bits() {
    let site = mill();
    same(&analyse(&site, &Options::default()), &analyse(&site, &Options::default()));
}

#[test]
fn taking_the_hub_out_of_its_cabinet_helps_every_network() {
    let site = mill();
    let weak = |site: &Arc<Site>| {
        let analysis = analyse(site, &Options::default());
        analysis.networks.iter().flat_map(|n| &n.outcomes).filter(|o| o.band <= Band::Thin).count()
    };
    let mut open = (*site).clone();
    let mut point = open.points.named("meter").unwrap().clone();
    point.mounting = dot_reach_core::radio::mounting::Mounting::Open;
    apply(&mut open, &Edit::put(point)).unwrap();
    let (before, after) = (weak(&site), weak(&Arc::new(open)));
    assert!(before >= 5 && after + 3 <= before, "{before} became {after}");
}

#[test]
fn the_run_sheet_goes_hub_repeaters_outward_mains_battery_remotes() {
    let analysis = analyse(&mill(), &Options::default());
    let tasks = run_sheet(&analysis);
    let radios: usize = analysis.networks.iter().map(|n| n.nodes.len()).sum();
    assert_eq!(tasks.len(), radios);
    assert!(tasks.windows(2).all(|w| w[0].stage <= w[1].stage));
    let repeaters: Vec<_> = tasks.iter().filter(|t| t.stage == JoinStage::Repeaters).collect();
    assert!(repeaters.windows(2).all(|w| w[0].network != w[1].network || w[0].hops <= w[1].hops));
    for task in &tasks {
        let (network, place) = analysis.find(&task.device).unwrap();
        if task.stage == JoinStage::Repeaters {
            assert_eq!(network.nodes[place].role.role, Role::Forwards);
        }
        // Whatever a device is reached by is joined before it.
        if let Some(by) = &task.by_way_of {
            let of = |d: &dot_reach_core::site::DeviceId| tasks.iter().position(|t| t.device == *d);
            assert!(of(by) < of(&task.device), "{} before {by}", task.device);
        }
    }
}

#[test]
fn calibration_on_the_readings_lowers_the_residual_and_names_the_device_in_metal() {
    let read = larkfield_mill_read();
    let analysis = analyse(&Arc::new(read.site), &Options::default());
    let proof = prove(&analysis, &read.record);
    assert!(proof.comparisons.len() >= 20);
    assert!(proof.rmse_after < proof.rmse_before, "{} {}", proof.rmse_before, proof.rmse_after);
    let found = diagnose(&analysis, &proof);
    let metal = found.iter().find(|d| d.first().is_some_and(|c| c.why == Mechanism::Metal));
    let device = metal.and_then(|d| d.device.as_ref()).expect("a device in metal");
    assert_eq!(analysis.site.devices.get(device).map(|d| d.point.as_str()), Some("bath-light"));
}

#[test]
fn one_more_quiet_radio_never_uncovers_a_cell() {
    let analysis = analyse(&mill(), &Options::default());
    let network = analysis.networks.iter().find(|n| n.network.as_str() == "mesh").unwrap();
    let all = coverage(&analysis, network, &request("first"), None).unwrap();
    let mut options = Options::default();
    options.down.insert("mesh-bath-light".parse().unwrap());
    let fewer = analyse(&analysis.site, &options);
    let network = fewer.networks.iter().find(|n| n.network.as_str() == "mesh").unwrap();
    let less = coverage(&fewer, network, &request("first"), None).unwrap();
    let band = |margin: &f32| Band::of(Db::new(f64::from(*margin)), analysis.target);
    assert!(all.margin.iter().zip(&less.margin).all(|(a, b)| band(a) >= band(b)));
    assert!(all.last_hop.iter().zip(&less.last_hop).all(|(a, b)| a >= b));
    assert!(all.margin != less.margin);
}

#[test]
fn contours_of_a_higher_level_lie_within_those_of_a_lower() {
    let analysis = analyse(&mill(), &Options::default());
    let network = &analysis.networks[0];
    let surface = coverage(&analysis, network, &request("ground"), None).unwrap();
    let lines = contours(&surface, Quantity::Margin, &[Db::new(10.0), Db::new(20.0)]);
    let inside = |place: [f64; 2], rings: &[Vec<[f64; 2]>]| {
        rings.iter().filter(|r| dot_reach_core::geometry::contains(r, place)).count() % 2 == 1
    };
    let grid = &surface.grid;
    let (mut low, mut high) = (0, 0);
    for row in 0..grid.down {
        for column in 0..grid.across {
            let margin = surface.margin[row * grid.across + column];
            let at = grid.middle(column, row);
            let edge = row == 0 || column == 0 || row + 1 == grid.down || column + 1 == grid.across;
            // Away from the line itself, a cell is inside exactly when it is above the level.
            for (contour, count) in [(&lines[0], &mut low), (&lines[1], &mut high)] {
                let level = contour.level;
                if !edge && (f64::from(margin) - level).abs() > 0.5 {
                    assert_eq!(
                        f64::from(margin) > level,
                        inside(at, &contour.rings),
                        "{margin} {at:?}"
                    );
                    *count += usize::from(f64::from(margin) > level);
                }
            }
        }
    }
    assert!(high > 0 && low > high, "{low} {high}");
}
