//! What people of the trade hold a plan to: meshes without hubs, systems without frequencies, lamps that
//! stay on, boxes nobody opened, companions on a wire, sources that send now and then.
#![expect(clippy::unwrap_used, reason = "a house that lacks what it was given has failed its test")]

use std::sync::Arc;

use crate::common::{bare, device, drawn, edit, placed, wall, with};
use dot_reach_core::analysis::{Analysis, Options, analyse};
use dot_reach_core::control::{Outage, check, means, works_in};
use dot_reach_core::network::{Band, NetworkAnalysis, Outcome, Reason, Role, RoleReason};
use dot_reach_core::radio::region::Region;
use dot_reach_core::radio::system::System;
use dot_reach_core::site::{Site, apply};
use dot_reach_core::units::Db;
use serde_json::{Value, json};

fn analysed(site: Site) -> Analysis {
    analyse(&Arc::new(site), &Options::default())
}

fn rules(analysis: &Analysis) -> Vec<&'static str> {
    analysis.findings.iter().map(|f| f.found.rule()).collect()
}

fn of<'a>(network: &'a NetworkAnalysis, id: &str) -> &'a Outcome {
    &network.outcomes[network.place_of(&id.parse().unwrap()).unwrap()]
}

fn set(kind: &str, id: &str, field: &str, value: impl Into<Value>) -> Value {
    let value: Value = value.into();
    json!({"do": "set", "kind": kind, "id": id, "field": field, "value": value})
}

#[test]
fn a_bluetooth_mesh_works_without_a_hub_and_others_do_not() {
    let chain = |system| {
        let at = |n: f64| [n * 9.0, 0.0];
        let devices = [
            device("a", "switch-neutral", at(0.0)),
            device("b", "plug-socket", at(1.0)),
            device("c", "switch-neutral", at(2.0)),
            device("r", "remote-battery", at(2.3)),
        ];
        analysed(with(bare(system), &devices))
    };
    let mesh = chain(System::Bluetooth);
    assert!(!rules(&mesh).contains(&"no hub"));
    let network = &mesh.networks[0];
    assert!(network.is_hubless && network.hubs.len() == 1);
    assert!(network.outcomes.iter().all(|o| o.band > Band::Out && o.hub.is_none()));
    assert_eq!(network.outcomes.iter().filter(|o| o.reason == Reason::SeenFrom).count(), 1);
    assert!(network.outcomes.iter().any(|o| !o.hops.is_empty()));
    let zigbee = chain(System::Zigbee);
    assert!(rules(&zigbee).contains(&"no hub"));
    assert!(zigbee.networks[0].outcomes.iter().all(|o| o.reason == Reason::NoHub));
}

#[test]
fn long_range_is_refused_where_it_has_no_frequencies() {
    let of = |region: Region| {
        let mut site = with(
            bare(System::ZWaveLr),
            &[device("h", "hub", [0.0, 0.0]), device("a", "plug-socket", [4.0, 0.0]), drawn()],
        );
        site.job.region = region;
        let analysis = analysed(site);
        (rules(&analysis).contains(&"no allotment"), of(&analysis.networks[0], "a").band)
    };
    for region in [Region::Eu, Region::Uk, Region::Us] {
        assert_eq!(of(region), (false, Band::Solid), "{region:?}");
    }
    for region in [Region::Anz, Region::In, Region::Jp, Region::Kr, Region::Il, Region::Hk] {
        assert_eq!(of(region), (true, Band::Out), "{region:?}");
    }
}

#[test]
fn a_full_star_is_not_told_to_add_a_router() {
    let mut devices = vec![device("h", "hub", [0.0, 0.0])];
    devices
        .extend((0..4).map(|n| device(&format!("d{n}"), "dimmer-two-wire", [2.0, f64::from(n)])));
    let limits = set("network", "n", "limits", json!({"most_devices": 3}));
    let analysis = analysed(with(bare(System::Star), &[devices, vec![limits]].concat()));
    let refused: Vec<_> =
        analysis.networks[0].outcomes.iter().filter(|o| o.band == Band::Out).collect();
    assert_eq!(refused.len(), 1);
    let words = refused[0].reason.to_string();
    assert!(words.contains("Use a second hub.") && !words.contains("router"), "{words}");
}

#[test]
fn a_lamp_that_is_agreed_to_stay_on_is_credit() {
    let site = with(
        bare(System::Zigbee),
        &[device("h", "hub", [0.0, 0.0]), device("l", "lamp", [5.0, 0.0])],
    );
    let role = |site: &Site| {
        let analysis = analysed(site.clone());
        let network = &analysis.networks[0];
        network.nodes[network.place_of(&"l".parse().unwrap()).unwrap()].role
    };
    assert_eq!((role(&site).role, role(&site).may_go_dark), (Role::Leaf, true));
    let agreed = with(site, &[set("device", "l", "stays_on", json!(true))]);
    let role = role(&agreed);
    assert_eq!(
        (role.role, role.why, role.may_go_dark),
        (Role::Forwards, RoleReason::AgreedToStayOn, false)
    );
}

#[test]
fn a_box_nobody_opened_and_a_wall_nobody_vouched_for_widen_the_deviation() {
    let site = |neutral: &str, known: &str| {
        let mut site = with(
            bare(System::Zigbee),
            &[
                device("h", "hub", [0.0, 0.0]),
                placed(
                    "s",
                    "switch-neutral",
                    [6.0, 0.0],
                    &json!({"neutral": neutral, "box": "plastic"}),
                ),
                device("far", "sensor-battery", [9.0, 0.0]),
                wall("w", [3.0, -5.0], [3.0, 5.0], "brick-102"),
            ],
        );
        apply(&mut site, &edit(set("wall", "w", "known", json!(known)))).unwrap();
        analysed(site)
    };
    let sigma = |a: &Analysis| {
        let network = &a.networks[0];
        let at = |id: &str| network.place_of(&id.parse().unwrap()).unwrap();
        network.link(at("h"), at("s")).sigma
    };
    let known = site("seen", "seen");
    assert!((sigma(&known) - Db::new(6.0)).get().abs() < 1e-9);
    // √(36 + 4), once for the box and once for the wall.
    for doubtful in [site("unknown", "seen"), site("seen", "default")] {
        assert!((sigma(&doubtful) - Db::new(40.0f64.sqrt())).get().abs() < 1e-9);
    }
    assert!((sigma(&site("unknown", "default")) - Db::new(44.0f64.sqrt())).get().abs() < 1e-9);
    // A router in an unopened box is credit on condition, and says so.
    let why = |a: &Analysis| {
        let network = &a.networks[0];
        network.nodes[network.place_of(&"s".parse().unwrap()).unwrap()].role.why
    };
    assert_eq!(
        (why(&known), why(&site("unknown", "seen"))),
        (RoleReason::OnTheMains, RoleReason::IfItsBoxIs)
    );
}

#[test]
fn a_companion_is_no_load_no_radio_and_never_dead() {
    let site = with(
        bare(System::Zigbee),
        &[
            device("h", "hub", [0.0, 0.0]),
            device("s", "switch-neutral", [4.0, 0.0]),
            device("c", "companion-wired", [4.0, 3.0]),
            json!({"do": "put", "kind": "control", "value": {"id": "k", "controller": "c", "load": "s", "path": "direct"}}),
        ],
    );
    let analysis = analysed(site.clone());
    assert!(analysis.find(&"c".parse().unwrap()).is_none(), "it is no node");
    let control = analysis.site.controls().next().unwrap();
    let checked = check(&analysis, &control);
    assert_eq!((checked.wrong, checked.success, checked.without_hub), (None, 1.0, true));
    assert!(Outage::ALL.iter().all(|(outage, _)| works_in(&analysis, &control, *outage)));
    let by_wire = means(&analysis, &"s".parse().unwrap());
    assert!(by_wire.iter().any(|m| m.works == [true; 5]));
    // The other way round it is found: a companion switches nothing.
    let turned = json!({"do": "batch", "edits": [
        {"do": "remove", "kind": "control", "id": "k"},
        {"do": "put", "kind": "control", "value": {"id": "t", "controller": "s", "load": "c", "path": "direct"}},
    ]});
    let turned = with(site, &[turned]);
    assert!(rules(&analysed(turned)).contains(&"no load"));
}

#[test]
fn bluetooth_meets_wifi_on_its_advertising_channels() {
    let sends = |busy: f64| {
        let source = json!({"do": "put", "kind": "emitter", "value": {"id": "e", "name": "e", "floor": "g", "at": [5.0, 9.0], "height_m": 1.2,
            "carrier": {"kind": "wifi", "channel": 1, "width_mhz": 20}, "tx_dbm": 19.0, "busy": busy}});
        let site = with(
            bare(System::Bluetooth),
            &[device("h", "hub", [0.0, 0.0]), device("a", "switch-neutral", [12.0, 0.0]), source],
        );
        of(&analysed(site).networks[0], "a").tries
    };
    assert!((1.0..1.01).contains(&sends(0.0)), "{}", sends(0.0));
    // Wi-Fi 1 lies on one of the three: a third of the frames meet it as often as it sends.
    assert!(sends(0.6) > 1.1 && sends(0.6) < 1.5, "{}", sends(0.6));
    assert!(sends(0.3) < sends(0.6));
}

#[test]
fn wifi_is_not_called_good_below_its_step() {
    let site = |lost: f64| {
        let site = with(
            bare(System::Wifi),
            &[device("h", "access-point", [0.0, 0.0]), device("a", "plug-socket", [9.0, 0.0])],
        );
        let more = set("device", "a", "sheet.extra_loss_db", json!(lost));
        let analysis = analysed(with(site, &[set("job", "job", "confidence", json!(0.5)), more]));
        let network = &analysis.networks[0];
        let link = network.links.all[0];
        let level = network.nodes[0].needs + link.margin();
        (level.get(), of(network, "a").band)
    };
    let mut bands = [false; 3];
    for n in 0..120 {
        let (level, band) = site(f64::from(n) * 0.5);
        let expected = match level {
            ..-75.0 => Band::Out,
            ..-67.0 => Band::Thin,
            _ => band.max(Band::Sound),
        };
        assert_eq!(band, expected, "{level}");
        bands[(band as usize).min(2)] = true;
        if bands == [true; 3] {
            return;
        }
    }
    unreachable!("no place is out of reach");
}

#[test]
fn no_text_holds_a_sign_that_nobody_sees() {
    let site = with(bare(System::Zigbee), &[device("a", "switch-neutral", [1.0, 1.0])]);
    let told = |field: &str, text: &str| {
        let set = edit(set("point", "a", field, text));
        apply(&mut site.clone(), &set).map(|_| ()).map_err(|e| e.to_string())
    };
    for hidden in ["a\u{0}b", "a\u{202e}b", "a\u{2066}b", "a\u{7f}"] {
        for field in ["name", "note"] {
            assert!(told(field, hidden).unwrap_err().contains("nobody sees"), "{field} {hidden:?}");
        }
    }
    assert!(told("name", "two\nlines").is_err() && told("note", "two\nlines").is_ok());
    // Names of every script are names.
    for name in ["Küche", "مطبخ", "台所", "Lampe 💡"] {
        assert_eq!(told("name", name), Ok(()));
    }
}
