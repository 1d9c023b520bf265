//! What is asked for and not guessed: hard spots, natural controls, lifetimes, neighbours below 1 GHz; and the systems
//! side by side at one place.
#![expect(clippy::unwrap_used, reason = "a search that finds nothing has failed its test")]

use std::sync::Arc;

use crate::common::{bare, device, with};
use dot_reach_core::analysis::{Analysis, Options, analyse};
use dot_reach_core::assumptions::assumptions;
use dot_reach_core::fit::candidates::candidates;
use dot_reach_core::gate::isolate;
use dot_reach_core::lifetimes::lifetimes;
use dot_reach_core::network::{Band, Role};
use dot_reach_core::placement::{Radios, hub_positions};
use dot_reach_core::pulse::to_the_end;
use dot_reach_core::radio::mounting::Mounting;
use dot_reach_core::radio::region::Region;
use dot_reach_core::radio::system::System;
use dot_reach_core::record::Record;
use dot_reach_core::site::Site;
use dot_reach_core::survey::natural::{Natural, lights};
use dot_reach_core::survey::previsit::spots;
use dot_reach_core::systems::{HubAt, systems};
use proptest::prelude::*;
use serde_json::{Value, json};

fn analysed(site: Site) -> Analysis {
    analyse(&Arc::new(site), &Options::default())
}

fn point(id: &str, kind: &str, more: &Value) -> Value {
    let mut value = json!({"id": id, "name": id, "floor": "g", "at": [6.0, 0.0], "height_m": 1.0, "kind": kind});
    value.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
    json!({"do": "put", "kind": "point", "value": value})
}

fn standing(id: &str, kind: &str) -> Value {
    json!({"do": "put", "kind": "device", "value": {"id": id, "name": id, "point": id, "kind": kind, "network": "n"}})
}

fn rules(analysis: &Analysis) -> Vec<&'static str> {
    analysis.findings.iter().map(|f| f.found.rule()).collect()
}

#[test]
fn a_hard_spot_is_asked_for_until_somebody_says_what_stands_around() {
    let house = |more: &Value| {
        let edits = [
            device("h", "hub", [0.0, 0.0]),
            point("gate", "outdoor", more),
            standing("gate", "switch-neutral"),
        ];
        with(bare(System::Zigbee), &edits)
    };
    let (open, said) = (house(&json!({})), house(&json!({"mounting": "plastic-weather-box"})));
    assert_eq!(spots(&open).len(), 1);
    assert_eq!(spots(&said).len(), 0);
    let (open, said) = (analysed(open), analysed(said));
    assert!(rules(&open).contains(&"hard spot") && !rules(&said).contains(&"hard spot"));
    // Nothing is taken off for it, and the link is less sure: half of the range of 1 to 10 dB, beside the model's 6.
    let link = |a: &Analysis| a.networks[0].links.all[0];
    let widened = (link(&open).sigma.get().powi(2) - link(&said).sigma.get().powi(2)).sqrt();
    assert!((widened - 4.5).abs() < 1e-9, "{widened}");
    assert!((link(&open).margin() - link(&said).margin()).get() > 0.9);
    assert!(link(&open).target > link(&said).target);
    // It stands among what is assumed, with its range.
    let found = assumptions(&open);
    let row = found.iter().find(|a| a.what.contains("is outdoors")).unwrap();
    assert_eq!(row.range.unwrap().map(|db| db.to_string()), ["−10.0 dB", "0.0 dB"]);
    assert_eq!(row.places, ["gate"]);
    assert!(!assumptions(&said).iter().any(|a| a.what.contains("is outdoors")));
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, failure_persistence: None, ..ProptestConfig::default() })]

    /// Whatever a place is in by those that are usual there: not to know it never makes a link surer.
    #[test]
    fn what_nobody_said_is_never_surer(
        kind in prop::sample::select(vec!["outdoor", "ceiling", "switch"]),
        lid in any::<bool>(),
        mounting in prop::sample::select(vec!["open", "plastic-weather-box"]),
        away in 2.0..60.0f64,
    ) {
        let house = |mounting: Option<&str>| {
            let mut more = json!({"weather_cover": lid, "at": [away, 0.0]});
            if let Some(mounting) = mounting {
                more["mounting"] = json!(mounting);
            }
            let edits = [device("h", "hub", [0.0, 0.0]), point("p", kind, &more), standing("p", "switch-neutral")];
            analysed(with(bare(System::Zigbee), &edits)).networks[0].links.all[0]
        };
        let (unsaid, said) = (house(None), house(Some(mounting)));
        prop_assert!(unsaid.sigma >= said.sigma && unsaid.target >= said.target);
    }
}

#[test]
fn a_light_has_a_natural_control_only_where_one_was_seen() {
    let lamp = json!({"do": "put", "kind": "load", "value": {"id": "l", "name": "Lamp", "switched_at": "rose", "kind": "led", "watts": 9.0}});
    let house = |at_wall: &Value| {
        let group = json!({"do": "put", "kind": "group", "value": {"id": "k", "name": "k", "places": ["rose", "wall"]}});
        let edits = [
            device("h", "hub", [0.0, 0.0]),
            point("rose", "ceiling", &json!({"circuit": "5"})),
            point("wall", "switch", at_wall),
            standing("rose", "relay-module"),
            lamp.clone(),
            group,
            json!({"do": "put", "kind": "circuit", "value": {"id": "c", "label": "5",
                "proven": {"label": "7", "by": "Ines Calder", "with": "tester", "at": "2026-02-11T09:40:00Z"}}}),
        ];
        with(bare(System::Zigbee), &edits)
    };
    let taken_for_granted = house(&json!({}));
    let light = &lights(&taken_for_granted)[0];
    assert_eq!(
        (light.breaker.as_str(), light.by.len()),
        ("7", 0),
        "by the breaker that was proven"
    );
    assert!(rules(&analysed(taken_for_granted.clone())).contains(&"no natural control"));
    let seen = house(&json!({"signs": {"terminals": 2}}));
    assert_eq!(lights(&seen)[0].by, [Natural::WallSwitch("wall".to_owned())]);
    assert!(!rules(&analysed(seen)).contains(&"no natural control"));
    // A remote that is bound to it is one; a phone is none.
    let edits = [
        device("r", "remote-battery", [3.0, 1.0]),
        json!({"do": "put", "kind": "control", "value": {"id": "c", "controller": "r", "load": "rose", "path": "direct"}}),
    ];
    assert_eq!(lights(&with(taken_for_granted, &edits))[0].by, [Natural::Remote("r".to_owned())]);
}

#[test]
fn a_device_is_replaced_so_many_years_after_it_came() {
    let site = with(
        bare(System::Zigbee),
        &[
            device("h", "hub", [0.0, 0.0]),
            device("s", "switch-neutral", [4.0, 0.0]),
            json!({"do": "set", "kind": "device", "id": "s", "field": "since", "value": "2020-06-01"}),
        ],
    );
    let all = lifetimes(&site, &Record::default());
    // The shipped row gives twelve years; 12 × 365.25 days are 4383.
    let s = &all[0];
    assert_eq!((s.device.as_str(), s.years), ("s", Some(12.0)));
    assert_eq!(&**s.replace_before.as_ref().unwrap(), "2032-06-01T00:00:00Z");
    assert_eq!(all[1].replace_before, None, "of the hub nobody knows since when");
}

#[test]
fn a_later_generation_of_the_same_family_comes_first() {
    let row = |id: &str, generation: u8, price: f64| {
        json!({"do": "put", "kind": "device-kind", "value": {"id": id, "name": id, "duty": "actuator",
            "supply": "mains-neutral", "forwards": true, "systems": ["zigbee"], "depth_mm": 30.0, "button": "own",
            "generation": generation, "fit": {"family": "own", "earth": false, "dims": false, "limits": {"led": 200.0},
                "least_w": 0.0, "derated": [1.0, 1.0], "inrush_a": 50.0, "price": price}}})
    };
    let site = with(
        bare(System::Zigbee),
        &[point("p", "switch", &json!({})), row("old", 1, 20.0), row("new", 2, 30.0)],
    );
    let found = candidates(&site, site.points.named("p").unwrap(), None);
    let at = |id: &str| found.iter().position(|c| c.kind.id == id).unwrap();
    assert!(at("new") < at("old"), "though it is dearer");
    assert_eq!(found[at("old")].later.map(|k| k.id.as_str()), Some("new"));
    assert_eq!(found[at("new")].later, None);
}

#[test]
fn a_neighbour_below_1_ghz_takes_his_share_of_a_star_and_of_nothing_else() {
    let house = |system: System, khz: u32, busy: f64| {
        let neighbour = json!({"do": "put", "kind": "emitter", "value": {"id": "e", "name": "Bell", "floor": "g",
            "at": [6.0, 3.0], "height_m": 1.2, "carrier": {"kind": "narrow", "khz": khz}, "tx_dbm": 10.0, "busy": busy}});
        let edits =
            [device("h", "hub", [0.0, 0.0]), device("s", "sensor-battery", [12.0, 0.0]), neighbour];
        analysed(with(bare(system), &edits))
    };
    let alone = |a: &Analysis| {
        !(0..a.networks[0].nodes.len()).any(|n| a.networks[0].arrivals.hears_others(n))
    };
    let once = |a: &Analysis| {
        let n = &a.networks[0];
        n.arrivals.once(&n.nodes, &n.links.all[0])
    };
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "below 1 GHz")]
    let khz = (Region::Eu.frequency(System::Star, None).get() * 1000.0).round() as u32;
    assert!(!alone(&house(System::Star, khz, 0.1)));
    assert!(alone(&house(System::Zigbee, khz, 0.1)), "2.4 GHz hears nothing of it");
    assert!(alone(&house(System::Star, khz + 90_000, 0.1)), "nor does another band");
    // Busier is worse, and of what meets the neighbour's telegrams nothing is left: with frames much shorter than
    // they are about so much less arrives as he is on.
    let shares: Vec<f64> =
        [0.0, 0.05, 0.2].map(|busy| once(&house(System::Star, khz, busy))).to_vec();
    assert!(shares[0] > shares[1] && shares[1] > shares[2], "{shares:?}");
    let lost = 1.0 - shares[2] / shares[0];
    assert!((0.2..0.35).contains(&lost), "{lost}");
    // A carrier that is none is refused.
    let wrong = json!({"kind": "narrow", "khz": 5_000});
    let emission: dot_reach_core::radio::coexistence::Emission =
        serde_json::from_value(wrong).unwrap();
    assert!(emission.wrong().is_some());
}

#[test]
fn systems_stand_side_by_side_at_a_place() {
    let site = with(
        bare(System::Zigbee),
        &[
            device("h", "hub", [0.0, 0.0]),
            device("r", "repeater-plug", [9.0, 0.0]),
            point(
                "p",
                "switch",
                &json!({"at": [14.0, 0.0], "neutral": "tested", "box": "plastic", "depth_mm": 60.0,
                "earth": "conductor", "mounting": "open"}),
            ),
        ],
    );
    let analysis = analysed(site);
    let place = analysis.site.points.named("p").unwrap();
    let all = systems(&analysis, place, &|| true).unwrap();
    assert_eq!(all.len(), System::ALL.len());
    let of = |system: System| all.iter().find(|s| s.system == system).unwrap();
    let zigbee = of(System::Zigbee);
    assert!(zigbee.is_in_job && zigbee.hub == HubAt::Planned { name: "h".to_owned() });
    assert!(zigbee.band() >= Some(Band::Sound));
    // What is in the job comes first among what is sound; another needs a hub, and that is in its cost.
    assert_eq!(all[0].system, System::Zigbee);
    let zwave = of(System::ZWave);
    let HubAt::Bought { price, .. } = &zwave.hub else { panic!("{:?}", zwave.hub) };
    let (device, _) = zwave.device.unwrap();
    assert_eq!(zwave.cost, Some(device.fit.price.unwrap() + price.unwrap()));
    assert_eq!(zwave.frequency, analysis.site.job.region.frequency(System::ZWave, None));
    assert!(of(System::Star).direct.is_some());
    assert!(of(System::Wifi).reasons().iter().any(|r| r.contains("access points")));
    assert_eq!(of(System::Bluetooth).hub, HubAt::NotNeeded);
}

#[test]
fn what_is_tried_is_what_the_job_would_become() {
    // A slow twin: the device put in by hand, and the whole analysed.
    let edits = [
        device("h", "hub", [0.0, 0.0]),
        device("r", "repeater-plug", [16.0, 0.0]),
        point("p", "switch", &json!({"at": [30.0, 2.0], "neutral": "tested"})),
    ];
    let analysis = analysed(with(bare(System::Zigbee), &edits));
    let place = analysis.site.points.named("p").unwrap();
    let all = systems(&analysis, place, &|| true).unwrap();
    let tried = all.iter().find(|s| s.system == System::Zigbee).unwrap();
    let kind = tried.device.unwrap().0.id.clone();
    let by_hand = analysed(with((*analysis.site).clone(), &[standing("p", &kind)]));
    let network = &by_hand.networks[0];
    let at = network.place_of(&"p".parse().unwrap()).unwrap();
    let (one, other) = (tried.outcome.as_ref().unwrap(), &network.outcomes[at]);
    assert_eq!((one.band, one.hops.len()), (other.band, other.hops.len()));
    let margins = |o: &dot_reach_core::network::Outcome| {
        o.hops.iter().map(|h| h.margin().get()).collect::<Vec<_>>()
    };
    assert_eq!(margins(one), margins(other));
}

#[test]
fn a_hub_by_cable_alone_wants_a_cable_and_one_by_wifi_alone_wifi() {
    let own = |by: &Value| {
        json!({"do": "put", "kind": "device-kind", "value": {"id": "own-hub", "name": "Own hub", "duty": "hub",
            "supply": "plug", "forwards": true, "systems": ["zigbee"], "backhaul": by}})
    };
    let house = |by: &Value, router_dbm: f64, router_at: f64| {
        let router = json!({"do": "put", "kind": "emitter", "value": {"id": "r", "name": "Router", "floor": "g",
            "at": [router_at, 0.0], "height_m": 1.5, "carrier": {"kind": "wifi", "channel": 6, "width_mhz": 20},
            "tx_dbm": router_dbm, "busy": 0.2, "of_the_house": true}});
        let edits = [
            own(by),
            device("h", "own-hub", [0.0, 0.0]),
            router,
            point("shelf", "shelf", &json!({"at": [10.0, 4.0], "circuit": "3"})),
        ];
        let analysis = analysed(with(bare(System::Zigbee), &edits));
        let all =
            hub_positions(&analysis, &analysis.networks[0], &Radios::Alone.into(), &mut to_the_end);
        let shelf = all.positions.into_iter().find(|p| p.point.as_str() == "shelf").unwrap();
        shelf.against.join("; ")
    };
    let null = json!(null);
    // Near and loud: either does.
    for by in ["cable", "wifi", "either"] {
        assert_eq!(house(&json!(by), 19.0, 20.0), "", "{by}");
    }
    assert_eq!(house(&null, 19.0, 20.0), "");
    // Near and faint: no Wi-Fi.
    assert_eq!(house(&json!("cable"), -20.0, 20.0), "");
    assert_eq!(house(&json!("wifi"), -20.0, 20.0), "too little Wi-Fi, and it takes no cable");
    assert_eq!(house(&json!("either"), -20.0, 20.0), "");
    assert!(house(&null, -20.0, 20.0).contains("a cable alone would reach it"));
    // Far and loud: no cable.
    assert!(house(&json!("cable"), 30.0, 130.0).contains("takes no Wi-Fi"));
    assert_eq!(house(&json!("wifi"), 30.0, 130.0), "");
    assert!(house(&null, 30.0, 130.0).contains("Wi-Fi alone would reach it"));
}

#[test]
fn a_circuit_between_two_lines_wants_a_breaker_of_two_poles_or_the_main() {
    let off = |poles: &Value, volts: &Value| {
        let mut site = with(
            bare(System::Zigbee),
            &[
                json!({"do": "put", "kind": "circuit", "value": {"id": "c", "label": "9", "poles": poles, "volts": volts,
                "shared_neutral": false}}),
            ],
        );
        site.job.region = Region::Us;
        isolate::choice(&site, &["9".to_owned()], None).means.is_main()
    };
    assert!(off(&json!(1), &json!(240.0)), "one pole leaves the other line live");
    assert!(off(&json!(null), &json!(240.0)), "nobody has looked");
    assert!(!off(&json!(2), &json!(240.0)));
    assert!(!off(&json!(1), &json!(null)), "120 V has one line");
}

#[test]
fn a_fan_is_asked_for_a_circuit_of_its_own() {
    let house = |other: &str| {
        let load = |id: &str, at: &str, kind: &str| {
            json!({"do": "put", "kind": "load", "value": {"id": id, "name": id, "switched_at": at, "kind": kind,
                "watts": 40.0}})
        };
        let known =
            json!({"neutral": "tested", "box": "plastic", "depth_mm": 60.0, "circuit": "4"});
        let mut beside = known.clone();
        beside["circuit"] = json!(other);
        let edits = [
            point("fan", "switch", &known),
            point("lamp", "switch", &beside),
            load("Fan", "fan", "fan"),
            load("Lamp", "lamp", "led"),
        ];
        let site = with(bare(System::Zigbee), &edits);
        let found = candidates(&site, site.points.named("fan").unwrap(), None);
        let control = found
            .into_iter()
            .find(|c| c.kind.fit.limits.contains_key(&dot_reach_core::site::LoadKind::Fan));
        control
            .unwrap()
            .reasons
            .iter()
            .filter(|r| r.rule() == "fan")
            .map(ToString::to_string)
            .collect::<Vec<_>>()
    };
    assert_eq!(house("5"), [""; 0]);
    assert_eq!(
        house("4"),
        [
            "Fan is not alone on its circuit: a fan is best fed by one of its own, 1 other load hangs with it."
        ]
    );
    assert_eq!(house(""), ["Whether Fan has a circuit of its own is not known."]);
}

#[test]
fn every_mounting_that_stands_around_is_one_that_a_person_can_choose() {
    assert!(!Mounting::Unsaid.is_around() && !Mounting::Open.is_around());
    assert_eq!(Mounting::default(), Mounting::Unsaid);
}

/// A unit that repeats only with a neutral is a leaf until one was seen in its box.
#[test]
fn what_repeats_only_with_a_neutral_is_a_leaf_until_one_was_seen() {
    let row = json!({"do": "put", "kind": "device-kind", "value": {"id": "own", "name": "Own", "duty": "actuator",
        "supply": "mains-two-wire", "forwards": true, "only_with_neutral": true, "systems": ["zigbee"], "button": "own",
        "depth_mm": 20.0, "fit": {"earth": false, "dims": false, "limits": {"led": 200.0}, "least_w": 0.0,
            "derated": [1.0, 1.0], "inrush_a": 80.0}}});
    let role = |neutral: &str| {
        let known =
            json!({"neutral": neutral, "box": "plastic", "depth_mm": 60.0, "mounting": "open"});
        let edits = [
            row.clone(),
            device("h", "hub", [0.0, 0.0]),
            point("p", "switch", &known),
            standing("p", "own"),
        ];
        let site = with(bare(System::Zigbee), &edits);
        dot_reach_core::network::role::role(&site, site.devices.named("p").unwrap()).role
    };
    assert_eq!(["tested", "seen"].map(role), [Role::Forwards; 2]);
    assert_eq!(["unknown", "not-seen", "absent"].map(role), [Role::Leaf; 3]);
}
