//! The hub that is not there behaves as hubs do: it lets in what is heard while it is open, takes its time to
//! ask what came, and has the troubles that are asked for.
#![expect(clippy::unwrap_used, reason = "a house that lacks what it was given has failed its test")]

use dot_reach_core::site::{DeviceId, NetworkId};
use dot_reach_standin::houses;
use dot_reach_standin::hub::{Hubs, Trouble};

fn mill() -> (Hubs, NetworkId, Vec<DeviceId>) {
    let site = houses::larkfield_mill();
    let network: NetworkId = "mesh".parse().unwrap();
    let of = site.devices.iter().filter(|d| d.network == network);
    let mains = of.filter(|d| site.kind(&d.kind).is_some_and(|k| k.is_on_mains() && k.has_radio));
    let hubs = |d: &&dot_reach_core::site::Device| {
        site.kind(&d.kind).is_some_and(|k| k.duty == dot_reach_core::catalogue::Duty::Hub)
    };
    let devices = mains.filter(|d| !hubs(d)).map(|d| d.id.clone()).collect();
    (Hubs::new(&site, &houses::larkfield_mill::truth(), 1.0), network, devices)
}

/// The first device that the hub hears by itself.
fn near(house: &mut Hubs, network: &NetworkId, devices: &[DeviceId], now: f64) -> DeviceId {
    house.open(network, 900.0, now).unwrap();
    let joined = devices.iter().find(|d| house.gesture(d, now) == Some("joined"));
    joined.unwrap().clone()
}

#[test]
fn nothing_joins_while_the_network_is_closed_and_what_is_in_stays_in() {
    let (mut house, network, devices) = mill();
    assert_eq!(house.gesture(&devices[0], 0.0), Some("the network is not open"));
    let first = near(&mut house, &network, &devices, 1.0);
    assert_eq!(house.gesture(&first, 2.0), Some("is in already"));
    house.close(&network, 3.0).unwrap();
    let other = devices.iter().find(|d| **d != first).unwrap();
    assert_eq!(house.gesture(other, 4.0), Some("the network is not open"));
    // Excluded, it leaves by the same gesture.
    house.exclude(&network, 60.0, 5.0).unwrap();
    assert_eq!(house.gesture(&first, 6.0), Some("left"));
    assert!(house.nodes(&network).unwrap().is_empty());
}

#[test]
fn an_interview_takes_its_time_and_five_times_that_where_it_is_slow() {
    let ready_at = |trouble: Option<Trouble>| {
        let (mut house, network, devices) = mill();
        for device in &devices {
            house.trouble(device, trouble, 0.0).unwrap();
        }
        near(&mut house, &network, &devices, 0.0);
        let is_ready = |house: &mut Hubs, now: f64| {
            house.events(&network, 0, now).unwrap().iter().any(|e| e.kind == "ready")
        };
        (0..600).map(f64::from).find(|now| is_ready(&mut house, *now)).unwrap()
    };
    let (plain, slow) = (ready_at(None), ready_at(Some(Trouble::SlowInterview)));
    assert!((plain - 45.0).abs() < 1.5 && (slow - 225.0).abs() < 1.5, "{plain} {slow}");
}

#[test]
fn levels_routes_and_pings_follow_the_hidden_truth() {
    let (mut house, network, devices) = mill();
    near(&mut house, &network, &devices, 0.0);
    // In three rounds those that others carry are in as well.
    for round in 1..=3 {
        for device in &devices {
            house.gesture(device, f64::from(round));
        }
    }
    let nodes = house.nodes(&network).unwrap();
    assert!(nodes.len() > 10, "{}", nodes.len());
    let routes = house.routes(&network).unwrap();
    assert!(routes.iter().any(|(_, via)| !via.is_empty()), "some are carried by others");
    let table = house.neighbours(&network).unwrap();
    for (node, parent, _) in &nodes {
        let own = table.iter().find(|n| n.node == *node && n.is_parent).unwrap();
        assert_eq!(own.neighbour, *parent);
        assert!((-100.0..0.0).contains(&own.rssi_dbm));
    }
    // Within the scatter of a reading a stronger link has the better quality.
    let mut by_level: Vec<_> = table.iter().map(|n| (n.rssi_dbm, n.lqi)).collect();
    by_level.sort_by(|a, b| a.0.total_cmp(&b.0));
    assert!(by_level.first().unwrap().1 < by_level.last().unwrap().1);
    let strong =
        table.iter().filter(|n| n.is_parent && n.neighbour == 0).max_by_key(|n| n.lqi).unwrap();
    let pinged = house.ping(&network, strong.node, 50).unwrap();
    assert!(pinged.answered >= 48 && pinged.delays_ms.len() == pinged.answered as usize);
}

#[test]
fn every_trouble_shows_as_it_would() {
    let (mut house, network, devices) = mill();
    let first = near(&mut house, &network, &devices, 0.0);
    let number = house.nodes(&network).unwrap()[0].0;
    assert_eq!(house.press(&first, 1.0), Some(true));
    house.trouble(&first, Some(Trouble::Painted), 2.0).unwrap();
    assert_eq!(house.press(&first, 3.0), Some(false));
    assert_eq!(house.presses(&network, number), Some(1));
    assert_eq!(house.identify(&network, number, 3.0), Some(true));
    house.trouble(&first, Some(Trouble::Dead), 4.0).unwrap();
    assert_eq!(house.identify(&network, number, 5.0), Some(false));
    assert_eq!(house.ping(&network, number, 10).unwrap().answered, 0);
    // A ghost stands in the list until it is removed as failed.
    house.trouble(&first, Some(Trouble::Ghost), 6.0).unwrap();
    let ghost = house.nodes(&network).unwrap().last().unwrap().0;
    assert_eq!(house.ping(&network, ghost, 5).unwrap().answered, 0);
    house.remove(&network, ghost, 7.0).unwrap();
    assert_eq!(house.nodes(&network).unwrap().len(), 1);
}

#[test]
fn a_wrong_parent_is_mended_by_rebuilding_the_routes() {
    let (mut house, network, devices) = mill();
    let first = near(&mut house, &network, &devices, 0.0);
    for device in devices.iter().filter(|d| **d != first) {
        house.trouble(device, Some(Trouble::WrongParent), 0.0).unwrap();
        house.gesture(device, 1.0);
    }
    let weak = |house: &mut Hubs| {
        let table = house.neighbours(&network).unwrap();
        table.iter().filter(|n| n.is_parent).map(|n| f64::from(n.lqi)).sum::<f64>()
    };
    let before = weak(&mut house);
    house.rebuild(&network).unwrap();
    assert!(weak(&mut house) > before, "{before}");
}
