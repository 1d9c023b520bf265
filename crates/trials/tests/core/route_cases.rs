//! Small jobs on which routes once went wrong, one a test.
#![expect(clippy::unwrap_used, reason = "a kept job that cannot be read has failed its test")]

use std::sync::Arc;

use dot_reach_core::analysis::{Analysis, Options, analyse};
use dot_reach_core::confidence::Confidence;
use dot_reach_core::network::{Band, NetworkAnalysis, Outcome};
use dot_reach_core::site::{Edit, Kind, Site, apply};
use dot_reach_core::units::Db;

fn job(name: &str) -> Site {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/core/route-cases");
    let text = std::fs::read_to_string(format!("{folder}/{name}.json")).unwrap();
    let mut file: serde_json::Value = serde_json::from_str(&text).unwrap();
    // What was read of it is no part of the plan.
    file["site"].as_object_mut().unwrap().remove("readings");
    serde_json::from_value(file["site"].clone()).unwrap()
}

fn analysed(site: Site) -> Analysis {
    analyse(&Arc::new(site), &Options::default())
}

fn of<'a>(analysis: &'a Analysis, device: &str) -> (&'a NetworkAnalysis, usize, &'a Outcome) {
    let (network, place) = analysis.find(&device.parse().unwrap()).unwrap();
    (network, place, &network.outcomes[place])
}

fn ids(network: &NetworkAnalysis, way: &[usize]) -> Vec<String> {
    way.iter().map(|n| network.nodes[*n].device.to_string()).collect()
}

/// How many reached: the checks below are then of something.
fn reached(analysis: &Analysis) -> usize {
    analysis.networks.iter().flat_map(|n| &n.outcomes).filter(|o| !o.hops.is_empty()).count()
}

#[test]
fn a_direct_device_has_a_relayed_second_route() {
    let analysis = analysed(job("direct-second-route-null"));
    let (network, place, outcome) = of(&analysis, "n2-d03");
    assert_eq!(outcome.hops.len(), 1);
    let second = network.second_route(place).unwrap();
    assert_eq!(ids(network, &second), ["n2-h00", "n2-d02", "n2-d03"]);
}

#[test]
fn with_two_hubs_the_second_route_is_another() {
    let analysis = analysed(job("two-hubs-second-route-is-the-first"));
    let (network, place, outcome) = of(&analysis, "n0-d02");
    let second = network.second_route(place).unwrap();
    assert_ne!(network.nodes[second[0]].device, outcome.hops[0].from);
}

#[test]
fn a_link_that_carries_nothing_shields_from_nothing() {
    let mut site = job("thread-hangs-on-two-db");
    // Their antennas are such that the links to the hub are left with 3 and 1 dB.
    for (id, left) in [("n0-d02", 3.0), ("n0-d03", 1.0)] {
        let now = analysed(site.clone());
        let (network, place, _) = of(&now, id);
        let more = network.links.between(place, network.hubs[0]).unwrap().margin() - Db::new(left);
        let antenna = (network.nodes[place].radio.antenna - more).get();
        apply(&mut site, &Edit::set(Kind::Device, &id, "sheet.antenna_db", antenna)).unwrap();
    }
    let analysis = analysed(site);
    let (network, place, outcome) = of(&analysis, "n0-d03");
    let to_hub = network.links.between(place, network.hubs[0]).unwrap().margin();
    assert!(to_hub > Db::ZERO && to_hub <= Db::new(2.0), "{to_hub}");
    assert!(outcome.hangs_on.iter().any(|d| d.as_str() == "n0-d02"));
    let lost = network.lost_without(&"n0-d02".parse().unwrap());
    assert!(lost.iter().any(|o| o.device.as_str() == "n0-d03"));
}

#[test]
fn the_limit_on_a_routes_cost_binds_in_second_ways_and_losses() {
    for name in ["thread-disjoint-cost-16", "thread-breaker-cost-16"] {
        let analysis = analysed(job(name));
        let network = analysis.networks.iter().find(|n| n.rule.most_cost.is_some()).unwrap();
        assert!(reached(&analysis) > 3, "{name}");
        for place in 0..network.nodes.len() {
            for way in network.disjoint_routes(place).iter().chain(&network.second_route(place)) {
                assert!(network.routing.graphs.any.cost(way) <= 15, "{name}: {way:?}");
            }
        }
        for breaker in network.breakers() {
            let is_fed = |n: usize| network.nodes[n].circuit == breaker;
            let down: Vec<bool> = (0..network.nodes.len()).map(is_fed).collect();
            let ways =
                network.routing.graphs.any.routes(&network.hubs, network.rule.most_hops, &down);
            let lost = network.lost_with_breaker(breaker);
            for (place, way) in ways.iter().enumerate() {
                let was_up = !network.outcomes[place].hops.is_empty();
                let is_lost = lost.iter().any(|o| o.device == network.nodes[place].device);
                let expected = is_fed(place) || was_up && way.is_none();
                assert_eq!(is_lost, expected, "{name}: {breaker}, {}", network.nodes[place].device);
            }
        }
    }
}

#[test]
fn no_child_is_refused_while_a_seat_within_the_hop_limit_is_free() {
    for (name, child, most_hops) in [
        ("children-refused-though-seats-are-free", "n0-d02", 2),
        ("children-refused-2", "n0-d24", 6),
    ] {
        let mut site = job(name);
        apply(&mut site, &Edit::set(Kind::Network, &"n0", "limits.most_hops", most_hops)).unwrap();
        let analysis = analysed(site);
        let (network, _, outcome) = of(&analysis, child);
        assert!(!outcome.hops.is_empty(), "{name}: {}", outcome.reason);
        assert!(outcome.hops.len() <= network.rule.most_hops);
        for parent in &network.nodes {
            let is_under = |o: &&Outcome| {
                let node = &network.nodes[network.place_of(&o.device).unwrap()];
                let last = o.hops.last().map(|h| &h.from);
                !node.carries_others() && last == Some(&parent.device)
            };
            let is_hub = network.hubs.contains(&network.place_of(&parent.device).unwrap());
            let rule = &network.rule;
            let most = if is_hub { rule.children_of_hub } else { rule.children_of_router };
            let under = network.outcomes.iter().filter(is_under).count();
            assert!(under <= most.unwrap(), "{name}: {} has {under}", parent.name);
        }
    }
}

#[test]
fn the_breaker_of_one_of_two_hubs_is_named_where_it_cuts_off() {
    let analysis = analysed(job("two-hubs-breaker-of-one-hub"));
    let network = &analysis.networks[0];
    let mut cut = 0;
    for breaker in network.breakers() {
        for lost in network.lost_with_breaker(breaker) {
            let node = &network.nodes[network.place_of(&lost.device).unwrap()];
            if node.circuit != breaker {
                assert!(lost.hangs_on_breakers.iter().any(|b| b == breaker), "{}", lost.device);
                cut += 1;
            }
        }
    }
    assert!(cut > 0, "some breaker cuts somebody off");
}

#[test]
fn without_its_hub_everything_is_lost_and_a_hub_has_no_route_to_itself() {
    let analysis = analysed(job("hub-takes-nothing-down"));
    let (network, place, _) = of(&analysis, "n2-h00");
    assert_eq!(network.lost_without(&"n2-h00".parse().unwrap()).len(), 1);
    assert_eq!(network.second_route(place), None);
    let analysis = analysed(job("hub-has-routes-to-itself"));
    for hub in ["n0-h00", "n0-h01"] {
        let (network, place, _) = of(&analysis, hub);
        assert_eq!(network.second_route(place), None);
        assert!(network.disjoint_routes(place).is_empty());
        assert_eq!(network.routes_by_breakers(place), None);
    }
}

#[test]
fn who_is_out_still_hears_parents() {
    let analysis = analysed(job("parents-zero-when-out"));
    let (network, place, outcome) = of(&analysis, "n0-d36");
    assert_eq!(outcome.band, Band::Out);
    let other = network.place_of(&"n0-d37".parse().unwrap()).unwrap();
    assert!(network.links.between(place, other).unwrap().is_sure());
    assert_eq!(outcome.parents, 1);
}

#[test]
fn more_confidence_never_betters_a_verdict_there() {
    let at = |p: f64| {
        let mut site = job("more-confidence-betters-band");
        site.job.confidence = Confidence::new(p).unwrap();
        let analysis = analysed(site);
        let bands: Vec<Band> = analysis.networks[0].outcomes.iter().map(|o| o.band).collect();
        bands
    };
    let steps: Vec<_> = [0.5, 0.8, 0.9, 0.95, 0.99, 0.995].map(at).into_iter().collect();
    for pair in steps.windows(2) {
        assert!(pair[0].iter().zip(&pair[1]).all(|(less, more)| more <= less), "{steps:?}");
    }
}

#[test]
fn a_star_goes_straight_where_straight_is_at_target() {
    let analysis = analysed(job("star-relayed-though-solid"));
    for outcome in analysis.networks[0].outcomes.iter().filter(|o| !o.hops.is_empty()) {
        assert_eq!(outcome.hops.len(), 1, "{}", outcome.device);
    }
}

#[test]
fn an_access_point_above_the_limit_still_disturbs() {
    let needs = |dbm: f64| {
        let mut site = job("loud-access-point-disappears");
        let louder = Edit::set(Kind::Device, &"wifi-ap", "sheet.tx_dbm", dbm);
        apply(&mut site, &louder).unwrap();
        let analysis = analysed(site);
        let (network, place, _) = of(&analysis, "thread-hall-light");
        let sources: Vec<_> = network.air.sources.iter().map(|s| s.name.clone()).collect();
        assert!(!sources.is_empty(), "{dbm} dBm: nothing is on the air");
        network.air.level(place, 0).unwrap()
    };
    assert!((needs(18.5) - needs(18.0) - Db::new(0.5)).get().abs() < 1e-9);
}

#[test]
fn a_ray_on_the_edge_of_a_slab_crosses_it_in_the_mirror_too() {
    let loss = |site: Site| {
        let mesh = &analysed(site).networks[0];
        mesh.link(0, 1).path_loss.get()
    };
    let mut mirrored = job("mirror-differs");
    for point in job("mirror-differs").points.iter() {
        let at = [30.0 - point.at[0], point.at[1]];
        apply(&mut mirrored, &Edit::set(Kind::Point, &point.id, "at", serde_json::json!(at)))
            .unwrap();
    }
    for slab in job("mirror-differs").slabs.iter() {
        let outline: Vec<_> = slab.outline.iter().map(|p| [30.0 - p[0], p[1]]).collect();
        let outline = serde_json::json!(outline);
        apply(&mut mirrored, &Edit::set(Kind::Slab, &slab.id, "outline", outline)).unwrap();
    }
    let (here, there) = (loss(job("mirror-differs")), loss(mirrored));
    assert!((here - there).abs() < 1e-9, "{here} became {there}");
}
