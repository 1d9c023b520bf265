//! Routes: the search against every way there is, two ways round, what hangs on what.

use std::collections::BTreeSet;
use std::sync::Arc;

use crate::common::{ZIGBEE_STEP, bare, chain, device, outcome, placed, steep, with};
use dot_reach_core::analysis::{Analysis, Options, analyse};
use dot_reach_core::network::resilience::{Within, disjoint_routes, routes_apart};
use dot_reach_core::network::route::{Cost, Graph, thread_link_cost, zigbee_link_cost};
use dot_reach_core::network::{Band, Reason};
use dot_reach_core::radio::system::System;
use dot_reach_core::units::Db;
use dot_reach_standin::houses::larkfield_mill;
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
        // 0: the weakest margin alone decides; 1: hops; otherwise the sum of link costs.
        choice in 0..3u32,
    ) {
        let mut carries = carries;
        carries[0] = true;
        let mut costs: Vec<(usize, usize, Cost)> = Vec::new();
        for (a, b, sum, weakest) in links {
            let (a, b) = (a.min(b), a.max(b));
            if a != b && !costs.iter().any(|(c, d, _)| (*c, *d) == (a, b)) {
                let sum = if choice < 2 { choice } else { sum };
                costs.push((a, b, Cost { sum, weakest: Db::new(f64::from(weakest)) }));
            }
        }
        let routes = Graph::from_costs(carries.clone(), &costs).routes(&[0], most, &[]);
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
            if choice == 0 {
                prop_assert_eq!(found.map(|f| f.1), wanted.map(|w| w.1));
            }
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
            json!({"do": "put", "kind": "point", "value": {"id": "s", "name": "s", "floor": "g", "at": [3.0, 0.0], "height_m": 1.2, "kind": "switch", "neutral": "absent"}}),
        ],
    );
    let analysis = analyse(&Arc::new(site), &Options::default());
    assert_eq!(analysis.networks[0].nodes[1].role.role.name(), "does not forward");
    let fit = &analysis.findings[0];
    let finding = format!("{} {}", fit.found, fit.found.cure());
    assert!(
        finding.contains("needs a neutral, and the box has been tested: it has none"),
        "{finding}"
    );
    assert!(finding.contains("relay module up at the fitting"), "{finding}");
}

/// How many ways of at most `most` hops and `dear` cost there are whose nodes between share no feed,
/// two at most, by trying every pair of ways.
fn most_apart(
    carries: &[bool],
    costs: &[(usize, usize, Cost)],
    to: usize,
    (most, dear): (usize, u32),
    feed: &[usize],
) -> usize {
    fn walk(
        carries: &[bool],
        edges: &[(usize, usize)],
        way: &mut Vec<usize>,
        to: usize,
        all: &mut Vec<Vec<usize>>,
    ) {
        let here = way[way.len() - 1];
        if here == to {
            all.push(way.clone());
            return;
        }
        if !carries[here] {
            return;
        }
        for &(a, b) in edges {
            let next = if a == here {
                b
            } else if b == here {
                a
            } else {
                continue;
            };
            if !way.contains(&next) {
                way.push(next);
                walk(carries, edges, way, to, all);
                way.pop();
            }
        }
    }
    let edges: Vec<(usize, usize)> = costs.iter().map(|(a, b, _)| (*a, *b)).collect();
    let cost = |pair: &[usize]| {
        let is = |c: &&(usize, usize, Cost)| [(c.0, c.1), (c.1, c.0)].contains(&(pair[0], pair[1]));
        costs.iter().find(is).map_or(0, |c| c.2.sum)
    };
    let mut all = Vec::new();
    walk(carries, &edges, &mut vec![0], to, &mut all);
    all.retain(|way| way.len() - 1 <= most && way.windows(2).map(cost).sum::<u32>() <= dear);
    let between = |way: &Vec<usize>| way[1..way.len() - 1].to_vec();
    let apart = |a: &Vec<usize>, b: &Vec<usize>| {
        !between(a).iter().any(|n| between(b).iter().any(|m| feed[*n] == feed[*m]))
    };
    if all.is_empty() {
        0
    } else if all.iter().any(|a| all.iter().any(|b| a != b && apart(a, b))) {
        2
    } else {
        1
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(600))]

    #[test]
    fn two_ways_round_are_found_whenever_there_are_two(
        carries in prop::collection::vec(prop::bool::weighted(0.8), 7),
        edges in prop::collection::btree_map((0..7usize, 0..7usize), 1..5u32, 0..20),
        breakers in prop::collection::vec(0..4usize, 7),
        most in 1..7usize, dear in prop_oneof![3..16u32, Just(u32::MAX)],
    ) {
        let mut carries = carries;
        carries[0] = true;
        let edges: Vec<_> = edges.into_iter().filter(|((a, b), _)| a < b).collect();
        let cost = |sum| Cost { sum, weakest: Db::new(10.0) };
        let costs: Vec<_> = edges.iter().map(|((a, b), c)| (*a, *b, cost(*c))).collect();
        let edges: Vec<_> = edges.iter().map(|(edge, _)| *edge).collect();
        let graph = Graph::from_costs(carries.clone(), &costs).costing_at_most(dear);
        let within = Within { hubs: &[0], down: &[], most_hops: most, seats: &[] };
        let each: Vec<usize> = (0..7).collect();
        for to in 1..7 {
            let ways = disjoint_routes(&graph, to, within);
            let two = routes_apart(&graph, to, within, &breakers);
            let most_ways = most_apart(&carries, &costs, to, (most, dear), &each);
            prop_assert_eq!(ways.len(), most_ways, "to {}", to);
            let expected = most_apart(&carries, &costs, to, (most, dear), &breakers) == 2;
            prop_assert_eq!(two.is_some(), expected, "to {} by breakers", to);
            for (ways, feed) in [(ways, &each), (two.map_or_else(Vec::new, Vec::from), &breakers)] {
                let mut between: Vec<Vec<usize>> = Vec::new();
                for way in &ways {
                    prop_assert!(way[0] == 0 && way[way.len() - 1] == to, "{:?}", way);
                    prop_assert!(way.len() - 1 <= most && graph.cost(way) <= dear, "{:?}", way);
                    for pair in way.windows(2) {
                        let edge = (pair[0].min(pair[1]), pair[0].max(pair[1]));
                        prop_assert!(edges.contains(&edge) && carries[pair[0]], "{:?}", way);
                    }
                    between.push(way[1..way.len() - 1].iter().map(|n| feed[*n]).collect());
                }
                if let [a, b] = &between[..] {
                    prop_assert!(!a.iter().any(|f| b.contains(f)), "{:?}", ways);
                }
            }
        }
    }

    #[test]
    fn a_hub_that_is_no_node_reaches_what_a_node_in_its_place_reaches(
        carries in prop::collection::vec(any::<bool>(), 7),
        edges in prop::collection::btree_set((0..7usize, 0..7usize), 0..14),
        heard in prop::collection::btree_set(1..7usize, 0..4),
        most in 1..5usize, dead in 0..7usize,
    ) {
        let mut carries = carries;
        carries[0] = true;
        let cost = Cost { sum: 1, weakest: Db::new(10.0) };
        let mut costs: Vec<_> = edges.iter().filter(|(a, b)| a < b).map(|(a, b)| (*a, *b, cost)).collect();
        let graph = Graph::from_costs(carries.clone(), &costs);
        let mut down = vec![false; 7];
        down[dead] = true;
        let heard: Vec<(usize, u32)> = heard.into_iter().map(|n| (n, 1)).collect();
        let also = graph.reached_also(&[0], &heard, most, &down);
        carries.push(true);
        down.push(false);
        costs.extend(heard.iter().map(|(n, _)| (*n, 7, cost)));
        let with_node = Graph::from_costs(carries, &costs).reached(&[0, 7], most, &down);
        prop_assert_eq!(&also[..], &with_node[..7]);
    }

    #[test]
    fn reach_is_that_of_the_routes(
        carries in prop::collection::vec(any::<bool>(), 7),
        edges in prop::collection::btree_map((0..7usize, 0..7usize), 1..6u32, 0..14),
        most in 1..6usize, dead in 1..7usize, dear in prop_oneof![2..16u32, Just(u32::MAX)],
    ) {
        let mut carries = carries;
        carries[0] = true;
        let cost = |sum| Cost { sum, weakest: Db::new(10.0) };
        let edges = edges.iter().filter(|((a, b), _)| a < b);
        let costs: Vec<_> = edges.map(|((a, b), c)| (*a, *b, cost(*c))).collect();
        let graph = Graph::from_costs(carries, &costs).costing_at_most(dear);
        let mut down = vec![false; 7];
        down[dead] = true;
        let routes = graph.routes(&[0], most, &down);
        let reached = graph.reached(&[0], most, &down);
        for (route, reached) in routes.iter().zip(reached) {
            prop_assert_eq!(route.is_some(), reached);
        }
    }
}

#[test]
fn thread_link_costs_follow_the_specification() {
    for (margin, cost) in [(20.1, Some(1)), (20.0, Some(2)), (10.0, Some(4)), (2.0, None)] {
        assert_eq!(thread_link_cost(Db::new(margin)), cost, "{margin}");
    }
}

#[test]
fn a_breaker_takes_down_what_hangs_on_what_it_feeds() {
    let analysis = chain(System::Zigbee, ZIGBEE_STEP, &["switch-neutral", "sensor-battery"]);
    let point = json!({"do": "put", "kind": "point", "value": {"id": "a1", "name": "a1", "floor": "g", "at": [ZIGBEE_STEP, 0.0], "height_m": 1.2, "kind": "switch", "neutral": "seen", "circuit": "7"}});
    let site = with((*analysis.site).clone(), &[point]);
    let fed = analyse(&Arc::new(site), &Options::default());
    assert_eq!(outcome(&fed, 2).hangs_on_breakers, ["7"]);
    assert!(outcome(&fed, 1).hangs_on_breakers.is_empty(), "it has no power itself");
}

/// A hub, two routers side by side and behind them a switch that only they reach; each on a breaker.
fn two_ways(hub: &str, a: &str, b: &str, end: &str) -> Analysis {
    let place = |id: &str, kind: &str, at: [f64; 2], circuit: &str| {
        placed(id, kind, at, &json!({"circuit": circuit}))
    };
    let edits = [
        steep(),
        place("h", "hub", [0.0, 0.0], hub),
        place("a", "switch-neutral", [ZIGBEE_STEP, 0.4], a),
        place("b", "switch-neutral", [ZIGBEE_STEP, -0.4], b),
        place("s", "switch-neutral", [2.0 * ZIGBEE_STEP, 0.0], end),
    ];
    analyse(&Arc::new(with(bare(System::Zigbee), &edits)), &Options::default())
}

#[test]
fn two_ways_on_one_breaker_are_told_from_two_on_two() {
    let apart = |hub, a, b, end| {
        let analysis = two_ways(hub, a, b, end);
        let network = &analysis.networks[0];
        let place = network.nodes.iter().position(|n| n.device.as_str() == "s");
        let place = place.unwrap_or(usize::MAX);
        assert_eq!(network.outcomes[place].hops.len(), 2);
        assert_eq!(network.disjoint_routes(place).len(), 2, "no device is shared");
        network.routes_by_breakers(place).is_some()
    };
    assert!(!apart("1", "7", "7", "9"), "breaker 7 takes down both");
    assert!(apart("1", "7", "8", "9"));
    assert!(apart("1", "", "", "9"), "breakers that nobody surveyed are not taken for one");
    assert!(apart("1", "1", "1", "9"), "without its breaker the hub is off anyway");
    assert!(apart("1", "9", "9", "9"), "without its own it is off itself");
}

#[test]
fn a_breaker_takes_down_what_switching_it_off_takes_down() {
    let site = Arc::new(larkfield_mill());
    let analysis = analyse(&site, &Options::default());
    assert!(analysis.breakers().len() > 8);
    let works = |a: &Analysis| {
        let networks = a.networks.iter().flat_map(|n| n.nodes.iter().zip(&n.outcomes));
        let up = networks.filter(|(_, o)| !o.hops.is_empty() || o.reason == Reason::IsHub);
        up.map(|(n, _)| n.device.clone()).collect::<BTreeSet<_>>()
    };
    let all = works(&analysis);
    for breaker in analysis.breakers() {
        let mut options = Options::default();
        options.breakers_off.insert(breaker.to_owned());
        let without = analyse(&site, &options);
        let dark: BTreeSet<_> = {
            let nodes = without.networks.iter().flat_map(|n| n.nodes.iter().zip(&n.outcomes));
            let down = nodes.filter(|(n, o)| n.circuit == breaker || o.reason == Reason::Down);
            down.map(|(n, _)| n.device.clone()).collect()
        };
        let left = works(&without);
        let expected: BTreeSet<_> = all
            .iter()
            .filter(|d| !left.contains(*d) || dark.contains(*d))
            .chain(&dark)
            .cloned()
            .collect();
        let told: BTreeSet<_> =
            analysis.lost_with_breaker(breaker).iter().map(|o| o.device.clone()).collect();
        assert_eq!(told, expected, "breaker {breaker}");
    }
    // The hubs stand on breaker 1: it takes down all three networks.
    assert_eq!(analysis.lost_with_breaker("1").len(), all.len());
}
