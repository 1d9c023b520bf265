//! Choices side by side and what they cost: schools of a group, ways for a load, the bill, what a device
//! does to the mesh.

use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::bill::{BillLine, LineKind, bill, connector, energy, joints, parts};
use dot_reach_core::catalogue::kind;
use dot_reach_core::effects::effect;
use dot_reach_core::fit::companions::pair;
use dot_reach_core::fit::lamp_ways::{LampWay, lamp_ways};
use dot_reach_core::fit::schools::{GroupSchool, chosen, schools};
use dot_reach_core::fit::{Fits, findings, verdict};
use dot_reach_core::install::schedule::schedule;
use dot_reach_core::record::Record;
use dot_reach_core::site::{Conductor, Edit, Kind, Site, apply};
use dot_reach_standin::houses::larkfield_mill;
use serde_json::json;

#[test]
fn each_school_is_one_of_its_kind_and_what_it_gives_fits_as_it_says() {
    let mill = larkfield_mill();
    let group = mill.groups.named("stairs").unwrap();
    let all = schools(&mill, group);
    assert_eq!(all.len(), 4);
    assert!(all.windows(2).all(|w| w[0].fits <= w[1].fits));
    for school in &all {
        let Some((master, place)) = &school.master else { continue };
        assert!(master.fit.switches() && group.places.contains(place));
        assert_eq!(school.far.len(), group.places.len() - 1);
        for (far, _) in &school.far {
            assert_eq!(pair(master, far), Ok(()), "{} with {}", master.id, far.id);
        }
        let has_battery = school.far.iter().any(|(k, _)| !k.is_on_mains());
        assert_eq!(has_battery, school.school == GroupSchool::Remotes);
        assert_eq!(school.batteries > 0, school.school == GroupSchool::Remotes);
        assert!(!(school.school == GroupSchool::PlainSwitches && school.dims.1));
    }
    // The wired companions, chosen: what was tried is what then stands there.
    let companions = all.iter().find(|s| s.school == GroupSchool::Companions).unwrap();
    let mut after = mill.clone();
    apply(&mut after, &chosen(&mill, group, companions).unwrap()).unwrap();
    let there: Vec<_> = after.devices.iter().filter(|d| group.places.contains(&d.point)).collect();
    assert_eq!(there.len(), 3);
    if companions.fits == Fits::Yes {
        for device in there {
            let point = after.point_of(device).unwrap();
            let found = findings(&after, after.kind(&device.kind).unwrap(), point, Some(device));
            assert!(verdict(&found) < Fits::No, "{found:?}");
        }
    }
    // Fed at the fitting, no unit in a box is powered: what needs one there is impossible.
    let mut fed = mill.clone();
    apply(&mut fed, &Edit::set(Kind::Group, &"stairs", "wiring", json!({"layout": "at-fitting"})))
        .unwrap();
    let group = fed.groups.named("stairs").unwrap();
    assert!(schools(&fed, group).iter().all(|s| s.fits == Fits::No));
}

#[test]
fn a_load_has_its_ways_and_those_that_cannot_be_say_why() {
    let mill = larkfield_mill();
    let of = |load: &str, way: LampWay| {
        let load = mill.loads.named(load).unwrap();
        let found = lamp_ways(&mill, load).into_iter().find(|w| w.row.way == way).unwrap();
        (found.fits, found.ruled_out)
    };
    assert_eq!(of("kit-main-lamps", LampWay::Switch).0, Fits::Yes);
    assert!(of("kit-main-lamps", LampWay::PlugIn).1.contains("not on a plug"));
    assert!(of("reading", LampWay::Switch).1.contains("on a cord"));
    assert!(of("reading", LampWay::PlugIn).1.is_empty());
    assert!(of("util-pump-lamps", LampWay::SmartLamp).1.contains("no lamp"));
}

/// How many visits the plan of the days has.
fn planned(site: &Site) -> usize {
    let analysis = analyse(&Arc::new(site.clone()), &Options::default());
    schedule(&analysis, &Record::default()).visits.len()
}

fn sum(site: &Site, part: LineKind) -> f64 {
    bill(site, planned(site))
        .lines
        .iter()
        .filter(|l| l.part == part)
        .filter_map(BillLine::cost)
        .sum()
}

#[test]
fn the_bill_adds_up_and_a_rate_of_the_job_takes_the_shipped_ones_place() {
    let mut mill = larkfield_mill();
    let found = bill(&mill, planned(&mill));
    let parts = [LineKind::Devices, LineKind::Plates, LineKind::Small, LineKind::Labour];
    let total: f64 = parts.map(|p| sum(&mill, p)).iter().sum();
    assert!((total - found.total).abs() < 1e-9);
    // Three networks in one hub: bought once.
    let hub = found.lines.iter().find(|l| l.what == "Hub").unwrap();
    assert!((hub.count - 1.0).abs() < 1e-9);
    let plates = |site: &Site| {
        bill(site, planned(site))
            .lines
            .iter()
            .filter(|l| l.part == LineKind::Plates)
            .map(|l| l.count)
            .sum::<f64>()
    };
    // A second gang makes one larger plate of a small one.
    let before = plates(&mill);
    apply(&mut mill, &Edit::set(Kind::Point, &"slu-light", "gangs", 2)).unwrap();
    assert!((plates(&mill) - before).abs() < 1e-9);
    let small = sum(&mill, LineKind::Plates);
    apply(
        &mut mill,
        &Edit::batch(vec![
            serde_json::from_value(
                json!({"do": "put", "kind": "rate", "value": {"id": "plate-2", "value": 107.0}}),
            )
            .unwrap(),
        ]),
    )
    .unwrap();
    assert!((sum(&mill, LineKind::Plates) - small - 2.0 * 100.0).abs() < 1e-9);
    assert!(found.visits.0 < found.visits.1);
    let saved = 60.0 * f64::from(u32::try_from(found.visits.1 - found.visits.0).unwrap());
    assert!((found.saved - saved).abs() < 1e-9);
}

/// Worked by hand: three neutrals and a lead to the device are four in one joint; two earths and a lead
/// are three; a single line goes straight into the device.
#[test]
fn connectors_follow_from_the_conductors() {
    let wire = |id: &str, count: u8, found: &str| -> Conductor {
        serde_json::from_value(json!({"id": id, "count": count, "size": "1.5 mm²", "found": found}))
            .unwrap()
    };
    let conductors = [
        wire("a", 1, "line"),
        wire("b", 3, "neutral"),
        wire("c", 2, "earth"),
        wire("d", 1, "switched"),
    ];
    let switch = kind("switch-neutral").unwrap();
    assert_eq!(joints(&conductors, &[switch], 0), [4, 3]);
    // Two devices on one line: it has to be joined to both.
    assert_eq!(joints(&conductors, &[switch, switch], 0), [5, 4, 3]);
    // A battery remote in place of an intermediate switch: its four travellers are joined through in pairs.
    let travellers = [wire("t", 4, "traveller"), wire("e", 2, "earth")];
    assert_eq!(joints(&travellers, &[], 0), [2, 2, 2]);
    // In place of the switch itself, line and switched line meet, and the lamp stays on.
    let plain = [wire("l", 1, "line"), wire("s", 1, "switched"), wire("n", 2, "neutral")];
    assert_eq!(joints(&plain, &[], 0), [2, 2]);
    // A switch that stays beside a new one wants its line too; what nobody knows is joined for the worst.
    assert_eq!(joints(&[wire("l", 1, "line"), wire("s", 2, "switched")], &[switch], 1), [3, 3]);
    // Each channel takes a switched line of its own.
    let double = kind("switch-double-two-wire").unwrap();
    assert_eq!(joints(&[wire("l", 1, "line"), wire("s", 2, "switched")], &[double], 0), [0; 0]);
    assert_eq!(joints(&[wire("x", 4, "unknown")], &[switch], 0), [5, 5]);
    assert_eq!(
        [2, 3, 4, 5, 6].map(connector),
        ["connector-2", "connector-3", "connector-5", "connector-5", "connector-large"]
    );
}

/// 40 W for 5 hours a day are 73.05 kWh in a year of 365.25 days.
#[test]
fn energy_is_watts_times_hours_at_the_tariff_and_what_is_not_known_is_told() {
    let mut mill = larkfield_mill();
    for load in ["util-pump-lamps", "both-heat-lamps"] {
        apply(&mut mill, &Edit::set(Kind::Load, &load, "hours_a_day", json!(null))).unwrap();
    }
    let set = |load: &str, field: &str, value: f64| Edit::set(Kind::Load, &load, field, value);
    let edits =
        vec![set("kit-main-lamps", "watts", 10.0), set("kit-main-lamps", "hours_a_day", 5.0)];
    apply(&mut mill, &Edit::batch(edits)).unwrap();
    let told = energy(&mill);
    assert_eq!(told.len(), 1);
    assert!((told[0].kwh - 73.05).abs() < 1e-9 && (told[0].cost - 73.05 * 0.28).abs() < 1e-9);
    assert_eq!((told[0].circuit.as_str(), told[0].without, told[0].metered), ("3", 1, false));
}

#[test]
fn what_a_device_does_to_the_mesh_is_what_an_analysis_with_it_says() {
    let mill = Arc::new(larkfield_mill());
    let before = analyse(&mill, &Options::default());
    let edit = Edit::set(Kind::Device, &"mesh-kit-main", "kind", "switch-two-wire");
    let told = effect(&before, &edit, &|| true).unwrap();
    let mut site = (*mill).clone();
    apply(&mut site, &edit).unwrap();
    let after = analyse(&Arc::new(site), &Options::default());
    let sound = |a: &dot_reach_core::Analysis| {
        let all = a.networks.iter().flat_map(|n| &n.outcomes);
        all.filter(|o| o.band >= dot_reach_core::network::Band::Sound).count()
    };
    assert_eq!(told.at_target, (sound(&before), sound(&after)));
    assert!(effect(&before, &edit, &|| false).is_none());
}

/// A two-wire unit before smart lamps lives on what they draw asleep: a capacitor is taken along, though the watts of the
/// old lamps would do.
#[test]
fn smart_lamps_asleep_want_a_capacitor_too() {
    let mut mill = larkfield_mill();
    let count = |site: &Site| {
        let all = parts(site);
        all.iter().filter(|l| l.what.contains("apacitor")).map(|l| l.count).sum::<f64>()
    };
    let before = count(&mill);
    let point = mill.points.named("liv-wall").unwrap();
    let (room, circuit) = (point.room.clone(), point.circuit.clone());
    let at = json!({"id": "by-it", "name": "By it", "room": room, "floor": point.floor, "at": point.at, "height_m": 2.0,
        "kind": "ceiling", "box": "none", "circuit": circuit});
    let edits = [
        json!({"do": "set", "kind": "device", "id": "mesh-liv-wall", "field": "kind", "value": "dimmer-two-wire"}),
        json!({"do": "put", "kind": "point", "value": at}),
        json!({"do": "put", "kind": "device", "value": {"id": "by-it", "name": "Lamp", "point": "by-it",
            "kind": "lamp", "network": "mesh"}}),
    ];
    let edits = edits.map(|e| serde_json::from_value(e).unwrap());
    apply(&mut mill, &Edit::batch(edits.to_vec())).unwrap();
    assert!(count(&mill) > before, "{before}");
}
