//! Controls, outages, groups, hub positions.

mod common;

use std::sync::Arc;

use common::{bare, device, edit, with};
use dot_reach_core::analysis::{Analysis, Options, analyse};
use dot_reach_core::catalogue::Button;
use dot_reach_core::control::{By, Group, Outage, check, means, works_in};
use dot_reach_core::network::Band;
use dot_reach_core::placement::{hub_heat, hub_positions, reason};
use dot_reach_core::radio::system::System;
use dot_reach_core::site::{Site, apply};
use dot_reach_core::units::Metres;
use dot_reach_standin::houses::larkfield_mill;
use serde_json::{Value, json};

fn control(id: &str, controller: &str, load: &str, path: &str) -> Value {
    json!({"do": "put-control", "control": {"id": id, "controller": controller, "load": load, "path": path}})
}

/// A hub, a switch beside it, and a remote so far from both that only the switch hears it well.
fn house(system: System) -> Site {
    with(
        bare(system),
        &[
            device("h", "hub", [0.0, 0.0]),
            device("s", "switch-neutral", [4.0, 0.0]),
            device("r", "remote-battery", [6.0, 0.0]),
        ],
    )
}

fn analysed(site: Site) -> Analysis {
    analyse(&Arc::new(site), &Options::default())
}

#[test]
fn a_direct_control_is_quicker_and_outlives_the_hub() {
    let site = with(
        house(System::Zigbee),
        &[control("d", "r", "s", "direct"), control("h", "r", "s", "hub")],
    );
    let analysis = analysed(site);
    let of = |id: &str| analysis.site.controls.named(id).unwrap().clone();
    let (direct, hub) = (check(&analysis, &of("d")), check(&analysis, &of("h")));
    assert_eq!(direct.direct.map(|(band, _)| band), Some(Band::Solid));
    assert!(direct.delay_ms.unwrap() * 3.0 < hub.delay_ms.unwrap());
    let works = |id: &str| Outage::ALL.map(|(o, _)| works_in(&analysis, &of(id), o));
    // No internet, no router, no hub, no phone.
    assert_eq!(works("d"), [true, true, true, true]);
    assert_eq!(works("h"), [true, true, false, true]);
}

#[test]
fn what_cannot_be_bound_says_so() {
    let other =
        json!({"do": "put-network", "network": {"id": "m", "name": "Other", "system": "zwave"}});
    let lamp = json!({"do": "put-device", "device": {"id": "z", "name": "z", "point": "s", "kind": "switch-neutral", "network": "m"}});
    let site = with(house(System::Zigbee), &[other, lamp, control("x", "r", "z", "direct")]);
    let analysis = analysed(site);
    let crossed = check(&analysis, analysis.site.controls.named("x").unwrap());
    assert!(crossed.wrong.unwrap().starts_with("They are in different networks"));
    let site = with(house(System::ZWaveLr), &[control("x", "r", "s", "direct")]);
    let analysis = analysed(site);
    let lone = check(&analysis, analysis.site.controls.named("x").unwrap());
    assert!(lone.wrong.unwrap().contains("binds nothing directly"));
    let mut site = house(System::Zigbee);
    let words = |value| apply(&mut site.clone(), &edit(value)).unwrap_err().to_string();
    assert_eq!(words(control("k", "h", "s", "hub")), "controller: h controls nothing by its make");
    assert_eq!(words(control("k", "s", "r", "hub")), "load: r is no load by its make");
    assert_eq!(words(control("k", "s", "s", "hub")), "load: a device does not control itself");
    // A device goes with its controls, and comes back with them.
    apply(&mut site, &edit(control("k", "r", "s", "hub"))).unwrap();
    let before = site.clone();
    let gone = apply(&mut site, &edit(json!({"do": "remove-device", "id": "s"}))).unwrap();
    assert!(site.controls.is_empty());
    apply(&mut site, &gone.inverse).unwrap();
    assert_eq!(site, before);
}

#[test]
fn a_group_told_one_by_one_is_seen_to_follow() {
    let few = Group::of(&[40.0, 45.0]);
    assert!(!few.needs_multicast());
    let many = Group::of(&[100.0; 8]);
    assert!(many.needs_multicast());
    assert!((many.one_by_one_ms - 800.0).abs() < 1e-9 && (many.at_once_ms - 100.0).abs() < 1e-9);
}

#[test]
fn the_best_place_for_the_hub_of_the_mill_is_not_its_cabinet() {
    let analysis = analysed(larkfield_mill());
    let network = analysis.networks.iter().find(|n| n.network.as_str() == "star").unwrap();
    let positions = hub_positions(&analysis, network);
    assert!(positions.len() >= 3, "{}", positions.len());
    let now = positions.iter().find(|p| p.as_it_is).unwrap();
    assert!(now.against.as_deref().unwrap().contains("closed metal cabinet"));
    let best = &positions[0];
    assert!(best.sound > now.sound && best.against.is_none());
    assert!(reason(&positions).starts_with(&format!(
        "At {} {} more",
        best.name,
        best.sound - now.sound
    )));
    // Each score is that of a full analysis with the hub there.
    let mut site = larkfield_mill();
    let mut hub = site.devices.named("star-meter").unwrap().clone();
    hub.point = best.point.clone();
    site.devices.put(hub);
    let there = analysed(site);
    let moved = there.networks.iter().find(|n| n.network.as_str() == "star").unwrap();
    let sound =
        moved.outcomes.iter().filter(|o| o.band >= Band::Sound && !o.hops.is_empty()).count();
    assert_eq!(sound, best.sound);
}

#[test]
fn the_heat_counts_devices_and_no_more_than_there_are() {
    let analysis = analysed(larkfield_mill());
    let network = &analysis.networks[0];
    let floor = "ground".parse().unwrap();
    let (grid, heard) =
        hub_heat(&analysis, network, &floor, Metres::new(1.2), Metres::new(1.0)).unwrap();
    assert_eq!(heard.len(), grid.across * grid.down);
    let most = network.nodes.len() - network.hubs.len();
    assert!(heard.iter().all(|n| (0.0..=f64::from(u32::try_from(most).unwrap())).contains(n)));
    assert!(heard.iter().any(|n| *n > 3.0));
}

#[test]
fn a_breaker_switched_off_takes_down_all_that_it_feeds() {
    let site = Arc::new(larkfield_mill());
    let mut options = Options::default();
    options.breakers_off.insert("10".to_owned());
    let analysis = analyse(&site, &options);
    for network in &analysis.networks {
        for (node, outcome) in network.nodes.iter().zip(&network.outcomes) {
            if node.circuit == "10" {
                assert_eq!(outcome.reason.to_string(), "It is switched off in this what-if.");
            }
        }
    }
}

#[test]
fn what_still_works_a_load_in_each_outage() {
    // No internet, no router, no hub, no phone.
    let of = |site: Site, load: &str| {
        let means = means(&analysed(site), &load.parse().unwrap());
        means.into_iter().map(|m| (m.by, m.works)).collect::<Vec<_>>()
    };
    let site = with(
        house(System::Zigbee),
        &[
            device("l", "lamp", [3.0, 0.0]),
            control("d", "r", "s", "direct"),
            control("h", "r", "l", "hub"),
        ],
    );
    let remote = By::Controller("r".to_owned());
    let phone = (By::PhoneAtHome, [true, false, false, false]);
    let away = (By::PhoneAway, [false; 4]);
    assert_eq!(
        of(site.clone(), "s"),
        [
            (By::Button(Button::Own), [true; 4]),
            (remote.clone(), [true; 4]),
            phone.clone(),
            away.clone()
        ]
    );
    assert_eq!(
        of(site.clone(), "l"),
        [(remote, [true, true, false, true]), phone, away],
        "a lamp has no button: without the hub nothing works it"
    );
    // Out of reach the button is all that is left.
    let far = [
        json!({"do": "set-calibration", "calibration": {"exponent": 5.0, "offset_db": 0.0,
            "sigma_db": 2.5, "rmse_before_db": 0.0, "rmse_after_db": 0.0, "readings": 0}}),
        device("s", "switch-neutral", [900.0, 0.0]),
    ];
    let button_only = [(By::Button(Button::Own), [true; 4])];
    assert_eq!(of(with(site.clone(), &far), "s"), button_only);
    // In a Bluetooth mesh the phone speaks to the radios themselves.
    let mesh = of(house(System::Bluetooth), "s");
    assert!(mesh.contains(&(By::PhoneAtHome, [true, true, true, false])));
    // Without its breaker nothing is.
    let fed = json!({"do": "put-point", "point": {"id": "s", "name": "s", "floor": "g", "at": [4.0, 0.0], "height_m": 1.2, "kind": "switch", "neutral": "seen", "circuit": "7"}});
    let mut options = Options::default();
    options.breakers_off.insert("7".to_owned());
    let off = analyse(&Arc::new(with(site, &[fed])), &options);
    assert_eq!(means(&off, &"s".parse().unwrap()), []);
}
