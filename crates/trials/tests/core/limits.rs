//! The limits of the systems: each at its number, one below and one above.

use std::sync::Arc;

use crate::common::{
    STAR_STEP, ZIGBEE_STEP, ZWAVE_STEP, bare, chain, cluster, device, outcome, steep, with,
};
use dot_reach_core::analysis::{Analysis, Options, analyse};
use dot_reach_core::network::link::received;
use dot_reach_core::network::route::thread_link_cost;
use dot_reach_core::network::{Band, Link, Outcome, Reason};
use dot_reach_core::radio::system::{RouteChoice, System};
use dot_reach_core::units::{Db, Dbm};
use serde_json::{Value, json};

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
fn a_star_reaches_no_farther_than_one_repeater() {
    let star = |kinds: &[&str]| chain(System::Star, STAR_STEP, kinds);
    let with_one = star(&["plug-dimmer-star", "sensor-battery"]);
    assert_eq!(outcome(&with_one, 2).hops.len(), 2, "{}", outcome(&with_one, 2).reason);
    let through_switch = star(&["switch-star", "sensor-battery"]);
    assert_eq!(outcome(&through_switch, 2).band, Band::Out);
    let with_two = star(&["plug-dimmer-star", "plug-dimmer-star", "sensor-battery"]);
    assert_eq!(
        outcome(&with_two, 3).reason.to_string(),
        "Only a2 would carry it, and the limit of 1 repeaters is used up by others nearer to the hub."
    );
    // A larger hub takes four repeaters; a chain of two is still one tier too many.
    let large = json!({"do": "put", "kind": "network", "value": {"id": "n", "name": "Net", "system": "star", "limits": {"most_repeaters": 4}}});
    let large = analyse(&Arc::new(with((*with_two.site).clone(), &[large])), &Options::default());
    assert_eq!(
        outcome(&large, 3).reason.to_string(),
        "It would need 3 hops (2 repeaters); Sub-GHz star allows 2 (1 repeater)."
    );
}

fn reached(analysis: &Analysis) -> usize {
    analysis.networks[0].outcomes.iter().filter(|o| !o.hops.is_empty()).count()
}

fn rules(analysis: &Analysis) -> Vec<&str> {
    analysis.findings.iter().map(|f| f.found.rule()).filter(|r| r.contains("limit")).collect()
}

#[test]
fn limits_bind_at_the_limit_and_not_below() {
    // A hub of Zigbee takes 32 end devices; with no router beside it, the 33rd finds no parent.
    for (count, taken) in [(31, 31), (32, 32), (33, 32)] {
        let analysis = cluster(System::Zigbee, "sensor-battery", count);
        assert_eq!(reached(&analysis), taken);
        let full = analysis.networks[0]
            .outcomes
            .iter()
            .find(|o| matches!(o.reason, Reason::Capacity { .. }));
        assert_eq!(full.is_some(), count > 32);
        if let Some(full) = full {
            assert_eq!(
                full.reason.to_string(),
                "a0 is full: it takes 32 children. Use a second hub or another router near here."
            );
        }
    }
    // A star serves 75 devices.
    for (count, taken, found) in
        [(67, 67, vec![]), (75, 75, vec!["near a limit"]), (76, 75, vec!["over a limit"])]
    {
        let analysis = cluster(System::Star, "sensor-battery", count);
        assert_eq!((reached(&analysis), rules(&analysis)), (taken, found), "{count}");
    }
}

#[test]
fn thread_takes_32_routers_and_the_next_does_not_promote() {
    for (count, forward) in [(30, 30), (31, 31), (32, 31)] {
        let analysis = cluster(System::Thread, "switch-neutral", count);
        let nodes = &analysis.networks[0].nodes;
        let forwards = nodes.iter().filter(|n| n.role.role.name() == "forwards").count();
        assert_eq!(forwards, forward, "{count} beside the border router");
        assert_eq!(rules(&analysis).contains(&"over a limit"), count > 31);
    }
}

#[test]
fn in_long_range_nobody_forwards() {
    // 400 m of steep fall: no device reaches beyond what the hub itself does.
    let analysis = chain(System::ZWaveLr, 30.0, &["switch-neutral"; 4]);
    let network = &analysis.networks[0];
    assert!(network.outcomes.iter().all(|o| o.hops.len() <= 1));
    let last = &network.nodes[4];
    assert_eq!(last.role.why.to_string(), "in Z-Wave Long Range nobody forwards");
    assert_eq!(network.outcomes[4].band, Band::Out, "{}", network.outcomes[4].reason);
}

#[test]
fn a_limit_of_the_users_own_binds() {
    let analysis = chain(System::ZWave, ZWAVE_STEP, &["switch-neutral"; 4]);
    assert_eq!(outcome(&analysis, 4).hops.len(), 4);
    let own = json!({"do": "put", "kind": "network", "value": {"id": "n", "name": "Net", "system": "zwave", "limits": {"most_hops": 3}}});
    let site = with((*analysis.site).clone(), &[own]);
    let bound = analyse(&Arc::new(site), &Options::default());
    assert_eq!(
        outcome(&bound, 4).reason.to_string(),
        "It would need 4 hops (3 repeaters); Z-Wave allows 3 (2 repeaters)."
    );
}

/// The word by which a job file knows a system.
fn word(system: System) -> Value {
    json!(system)
}

/// The same job with limits of the user's own.
fn limited(analysis: &Analysis, system: System, limits: &Value) -> Analysis {
    let own = json!({"do": "put", "kind": "network", "value": {"id": "n", "name": "Net", "system": word(system), "limits": limits}});
    analyse(&Arc::new(with((*analysis.site).clone(), &[own])), &Options::default())
}

fn kinds(system: System) -> (&'static str, &'static str) {
    match system {
        System::Wifi => ("access-point", "switch-neutral"),
        System::Star => ("hub", "switch-star"),
        _ => ("hub", "switch-neutral"),
    }
}

/// A hub with so many devices on the mains within two metres of it.
fn crowd(system: System, count: u32) -> Analysis {
    let (hub, kind) = kinds(system);
    let mut edits = vec![device("a0", hub, [0.0, 0.0])];
    for n in 1..=count {
        let turn = f64::from(n);
        edits.push(device(&format!("d{n:03}"), kind, [2.0 + turn.cos(), 2.0 + turn.sin()]));
    }
    analyse(&Arc::new(with(bare(system), &edits)), &Options::default())
}

#[test]
fn every_system_serves_as_many_devices_as_its_hub_takes() {
    for system in System::ALL {
        for (count, taken, found) in
            [(5, 5, vec![]), (6, 6, vec!["near a limit"]), (7, 6, vec!["over a limit"])]
        {
            let limits = json!({"most_devices": 6, "most_repeaters": 40, "most_routers": 40});
            let analysis = limited(&crowd(system, count), system, &limits);
            assert_eq!(
                (reached(&analysis), rules(&analysis)),
                (taken, found),
                "{count} in {}",
                system.name()
            );
            let refused = analysis.networks[0]
                .outcomes
                .iter()
                .filter(|o| matches!(&o.reason, Reason::Capacity { most: 6, what: "devices", .. }));
            assert_eq!(refused.count(), usize::try_from(count).unwrap() - taken);
        }
    }
}

#[test]
fn two_hubs_take_twice_as_many_before_it_is_a_finding() {
    let second = device("b0", "hub", [4.0, 4.0]);
    for (count, is_over) in [(11, false), (12, false), (13, true)] {
        let one = crowd(System::ZWave, count);
        let two = analyse(
            &Arc::new(with((*one.site).clone(), std::slice::from_ref(&second))),
            &Options::default(),
        );
        let two = limited(&two, System::ZWave, &json!({"most_devices": 6}));
        assert_eq!(rules(&two).contains(&"over a limit"), is_over, "{count}");
        let of = |hub: &str| {
            let outcomes = &two.networks[0].outcomes;
            let by = |o: &&Outcome| o.hub.as_ref().is_some_and(|h| h.as_str() == hub);
            outcomes.iter().filter(|o| !o.hops.is_empty()).filter(by).count()
        };
        assert!(of("a0") <= 6 && of("b0") <= 6, "{} and {}", of("a0"), of("b0"));
    }
}

#[test]
fn remotes_count_as_devices() {
    let mut edits = vec![device("a0", "hub", [0.0, 0.0])];
    for n in 1..=4 {
        edits.push(device(&format!("r{n}"), "remote-battery", [1.0 + f64::from(n), 1.0]));
    }
    let site = with(bare(System::ZWave), &edits);
    let analysis = analyse(&Arc::new(site), &Options::default());
    for (most, taken) in [(5, 4), (4, 4), (3, 3)] {
        let analysis = limited(&analysis, System::ZWave, &json!({"most_devices": most}));
        assert_eq!(reached(&analysis), taken, "of four remotes with room for {most}");
    }
}

#[test]
fn every_mesh_goes_as_many_hops_as_its_rule_says() {
    let steps = [
        (System::Zigbee, ZIGBEE_STEP),
        (System::Kit, ZIGBEE_STEP),
        (System::Bluetooth, ZIGBEE_STEP * 0.8),
        (System::ZWave, ZWAVE_STEP),
    ];
    for (system, step) in steps {
        let most = system.rule().most_hops;
        let chain = chain(system, step, &vec!["switch-neutral"; most + 1]);
        for hops in [most - 1, most] {
            let there = outcome(&chain, hops);
            assert_eq!(there.hops.len(), hops, "{}: {}", system.name(), there.reason);
        }
        let beyond = outcome(&chain, most + 1);
        assert_eq!(beyond.band, Band::Out, "{}", system.name());
        assert_eq!(
            beyond.reason.to_string(),
            format!(
                "It would need {} hops ({most} repeaters); {} allows {most} ({} repeaters).",
                most + 1,
                system.name(),
                most - 1
            )
        );
        // With the limit one lower or one higher the last device of the chain follows.
        for (own, last) in [(most - 1, most - 1), (most + 1, most + 1)] {
            let bound = limited(&chain, system, &json!({"most_hops": own}));
            let farthest = (1..=most + 1).filter(|n| outcome(&bound, *n).band > Band::Out).max();
            assert_eq!(farthest, Some(last), "{} with {own}", system.name());
        }
    }
}

#[test]
fn a_route_in_thread_costs_less_than_sixteen() {
    // The hub's own hop has over 10 dB and costs 2, each of the others has 8 dB and costs 4: four hops
    // cost 14, a fifth would make 18.
    let chain = chain(System::Thread, ZIGBEE_STEP, &["switch-neutral"; 5]);
    let costs = |n: usize| {
        let margins = outcome(&chain, n).hops.iter().map(|h| thread_link_cost(h.margin()));
        margins.collect::<Option<Vec<_>>>().unwrap()
    };
    assert_eq!(costs(4), [2, 4, 4, 4], "{}", outcome(&chain, 4).reason);
    let beyond = outcome(&chain, 5);
    assert_eq!(beyond.band, Band::Out);
    assert!(
        matches!(beyond.reason, Reason::RouteCost { cost: 18, allowed: 15, .. }),
        "{}",
        beyond.reason
    );
    assert!(
        beyond.reason.to_string().starts_with("Its best route would cost 18; Thread allows 15.")
    );
}

#[test]
fn thread_uses_no_link_of_two_decibels_or_less_and_says_how_much_is_missing() {
    let (mut used, mut refused) = (0, 0);
    for step in 0..40 {
        let x = ZIGBEE_STEP + 0.4 * f64::from(step);
        let edits =
            [steep(), device("a0", "hub", [0.0, 0.0]), device("d", "switch-neutral", [x, 0.0])];
        let analysis = analyse(&Arc::new(with(bare(System::Thread), &edits)), &Options::default());
        let margin = analysis.networks[0].links.between(0, 1).map(Link::margin);
        let there = outcome(&analysis, 1);
        if let Some(margin) = margin.filter(|m| *m > Db::new(2.0)) {
            assert_eq!(there.hops.len(), 1, "{margin}");
            used += 1;
        } else if let Reason::TooFar { margin: told, least, .. } = &there.reason {
            assert!(*told <= *least && *least == Db::new(2.0), "{told} of {least}");
            assert!(margin.is_none_or(|margin| margin == *told));
            refused += 1;
        }
    }
    assert!(used > 3 && refused > 3 && used + refused == 40, "{used} and {refused}");
}

#[test]
fn a_router_takes_as_many_children_as_its_rule_says() {
    // Behind the router, out of the hub's reach: only the router can take them.
    let behind = |count: usize| {
        let mut edits = vec![
            steep(),
            device("a0", "hub", [0.0, 0.0]),
            device("b0", "switch-neutral", [ZIGBEE_STEP, 0.0]),
        ];
        for n in 0..count {
            #[expect(clippy::cast_precision_loss, reason = "a small count")]
            let y = n as f64 * 0.05;
            edits.push(device(&format!("c{n:02}"), "sensor-battery", [ZIGBEE_STEP + 8.0, y]));
        }
        analyse(&Arc::new(with(bare(System::Zigbee), &edits)), &Options::default())
    };
    for (count, taken) in [(19, 19), (20, 20), (21, 20)] {
        let analysis = behind(count);
        assert_eq!(reached(&analysis) - 1, taken, "of {count}");
        let full = analysis.networks[0]
            .outcomes
            .iter()
            .find(|o| matches!(&o.reason, Reason::Capacity { what: "children", .. }));
        assert_eq!(full.is_some(), count > 20);
    }
}

#[test]
fn an_access_point_takes_32_clients_that_hear_it_at_75_below_a_milliwatt() {
    for (count, taken) in [(31, 31), (32, 32), (33, 32)] {
        assert_eq!(reached(&crowd(System::Wifi, count)), taken);
    }
    // Out to where the weaker direction falls through −75 dBm, long before the receiver's −88.
    let mut used = 0;
    for metres in 1..60 {
        let edits = [
            steep(),
            device("a0", "access-point", [0.0, 0.0]),
            device("d", "switch-neutral", [f64::from(metres), 0.0]),
        ];
        let analysis = analyse(&Arc::new(with(bare(System::Wifi), &edits)), &Options::default());
        let network = &analysis.networks[0];
        let (hub, there) = (&network.nodes[0], &network.nodes[1]);
        let loss = network.medium.loss(hub.place, there.place);
        let level = received(hub, there, loss).min(received(there, hub, loss));
        let is_used = outcome(&analysis, 1).band > Band::Out;
        assert_eq!(is_used, level >= Dbm::new(-75.0), "{level} at {metres} m");
        used += usize::from(is_used);
    }
    assert!((5..55).contains(&used), "{used}");
}

#[test]
fn where_nobody_forwards_there_is_one_hop() {
    for system in System::ALL {
        let rule = system.rule();
        let crowd = crowd(system, 3);
        let forwards = crowd.networks[0].nodes.iter().filter(|n| n.role.role.name() == "forwards");
        let is_star = rule.choice == RouteChoice::DirectOnly;
        assert_eq!(forwards.count() == 0, is_star || system == System::Star, "{}", rule.name);
        assert_eq!(rule.most_hops == 1, is_star, "{}", rule.name);
    }
}
