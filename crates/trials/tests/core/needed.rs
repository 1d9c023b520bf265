//! What a job needs now, from an empty plan to the handover; and what is advised for boxes where nothing is planned.

use dot_reach_core::confidence::Confidence;
use dot_reach_core::draw::choose::{AdvisedAt, advised, advised_everywhere, planned};
use dot_reach_core::fit::candidates::candidates;
use dot_reach_core::fit::{Fits, findings, verdict};
use dot_reach_core::needed::{NeededAt, needed_now};
use dot_reach_core::radio::region::Region;
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{Folder, Record, Stage};
use dot_reach_core::site::{Job, PointKind, Site, apply};
use proptest::prelude::*;
use serde_json::{Value, json};

use crate::common::{bare, device, drawn, spot, wish, with};
use crate::day::machine::{AT, circuit, isolated, kit, lamp, planned as more, set, sound};

fn needs(folder: &Folder) -> (NeededAt, String, bool) {
    let needed = needed_now(&folder.site, &folder.record);
    (needed.at, needed.says, needed.is_open)
}

fn at(folder: &Folder) -> NeededAt {
    needs(folder).0
}

fn point(id: &str, at: [f64; 2]) -> Value {
    json!({"do": "put", "kind": "point", "value": {"id": id, "name": format!("Place {id}"), "floor": "g", "at": at,
        "height_m": 1.2, "kind": "switch", "circuit": "7"}})
}

/// A box of which everything is known, with nothing planned.
fn known(id: &str, at: [f64; 2]) -> Vec<Value> {
    let sound = sound(id, "switch-neutral", at, "7");
    vec![sound["edits"][0].clone(), lamp(&format!("l-{id}"), id)]
}

#[test]
fn a_job_needs_one_thing_at_a_time_in_the_order_of_the_work() {
    let job = Job::new("New", Region::Eu, Confidence::new(0.95).unwrap());
    let empty = Folder::planned(Site::new(job));
    assert_eq!(at(&empty), NeededAt::Plan, "no storey");
    let storey = Folder::planned(bare(System::Zigbee));
    assert_eq!(at(&storey), NeededAt::Plan, "no walls");
    let walls = more(&storey, &[drawn()]);
    assert_eq!(at(&walls), NeededAt::PointSheet);
    let boxes = more(&walls, &[point("b", [4.0, 1.0])]);
    assert_eq!(at(&boxes), NeededAt::Devices);
    let chosen = more(&boxes, &[device("b", "switch-neutral", [4.0, 1.0])]);
    assert_eq!(at(&chosen), NeededAt::Brief, "no country");
    let there = more(&chosen, &[set("job", "job", "wiring_country", &json!("gb"))]);
    let (place, says, _) = needs(&there);
    assert_eq!((place, says.contains("no hub")), (NeededAt::Plan, true), "{says}");
    let hub = more(&there, &[device("hub", "hub", [1.0, 1.0])]);
    assert_eq!(at(&hub), NeededAt::BoxesToOpen);
    let known = more(
        &hub,
        &[
            circuit("7", &json!({})),
            sound("b", "switch-neutral", [4.0, 1.0], "7"),
            lamp("l", "b"),
            kit(),
        ],
    );
    let (place, says, _) = needs(&known);
    assert_eq!(place, NeededAt::Offer, "{says}");
    let unsigned = json!({"do": "sign-offer", "id": "o", "name": " ", "at": AT});
    assert!(wish(&known, &unsigned).is_err(), "nobody signs without a name");
    let signed =
        wish(&known, &json!({"do": "sign-offer", "id": "o", "name": "Ada", "at": AT})).unwrap();
    let (place, says, is_open) = needs(&signed);
    assert_eq!((place, is_open), (NeededAt::Visits, false));
    assert!(says.starts_with("Agree a visit"), "{says}");
    let visit = json!({"do": "put", "kind": "visit", "value": {"id": "v", "of": "day-1", "from": "2026-03-14T08:30"}});
    let agreed = more(&signed, &[visit]);
    assert!(needs(&agreed).1.starts_with("Visit of 2026-03-14 08:30"), "{}", needs(&agreed).1);
    let off = isolated(&agreed, "x", "breaker", &["7"]);
    let (place, says, is_open) = needs(&off);
    assert_eq!((place, is_open), (NeededAt::Visits, true));
    assert!(says.starts_with("Breaker 7 is off"), "{says}");
}

#[test]
fn a_house_that_has_all_it_needs_is_tested_signed_and_handed_over() {
    let lived = [
        drawn(),
        circuit("7", &json!({})),
        sound("b", "switch-neutral", [4.0, 1.0], "7"),
        lamp("l", "b"),
        device("hub", "hub", [1.0, 1.0]),
        set("device", "b", "already_there", &json!("yes")),
        set("device", "hub", "already_there", &json!("yes")),
        set("job", "job", "wiring_country", &json!("gb")),
    ];
    let house = Folder::planned(with(bare(System::Zigbee), &lived));
    assert_eq!(at(&house), NeededAt::Acceptance);
    let signed = wish(&house, &json!({"do": "sign", "id": "s", "name": "Ada", "at": AT})).unwrap();
    let (place, says, _) = needs(&signed);
    assert_eq!(place, NeededAt::Handover);
    assert!(says.starts_with("Nothing is needed"), "{says}");
}

#[test]
fn a_signed_offer_says_what_it_came_to_and_keeps_the_plan_as_designed() {
    let all =
        [drawn(), device("hub", "hub", [1.0, 1.0]), device("b", "switch-neutral", [4.0, 1.0])];
    let house = Folder::planned(with(bare(System::Zigbee), &all));
    let sign =
        json!({"do": "sign-offer", "id": "o", "name": "Ada", "note": "but for the hall", "at": AT});
    let signed = wish(&house, &sign).unwrap();
    let offer = signed.record.offers_signed.iter().next().unwrap();
    let visits = {
        let analysis = dot_reach_core::analyse(
            &std::sync::Arc::new(house.site.clone()),
            &dot_reach_core::Options::default(),
        );
        dot_reach_core::install::schedule::schedule(&analysis, &Record::default()).visits.len()
    };
    let bill = dot_reach_core::bill::bill(&house.site, visits);
    assert!((offer.total - bill.total).abs() < 1e-9, "{} {}", offer.total, bill.total);
    assert_eq!((offer.devices, offer.note.as_str()), (2, "but for the hall"));
    assert!(signed.record.milestones.iter().any(|m| m.stage == Stage::Designed));
    // What is signed is not signed otherwise later.
    assert!(wish(&signed, &sign).is_err());
    let entry = signed.record.entries().last().unwrap().id.clone();
    assert!(signed.record.may_strike(&entry).is_err(), "a signature is not struck");
}

#[test]
fn what_is_advised_everywhere_is_chosen_at_once_and_fits() {
    let mut edits = vec![drawn(), circuit("7", &json!({})), device("hub", "hub", [1.0, 1.0])];
    edits.extend(known("a", [3.0, 1.0]));
    edits.extend(known("b", [5.0, 1.0]));
    edits.push(point("blank", [7.0, 1.0]));
    edits.push(lamp("l-blank", "blank"));
    let mut site = with(bare(System::Zigbee), &edits);
    let advised = advised_everywhere(&site);
    assert_eq!(advised.known.len(), 2);
    let unseen = |all: &[AdvisedAt]| all.iter().flat_map(|a| a.places.clone()).collect::<Vec<_>>();
    assert_eq!(unseen(&advised.likely), ["blank".parse().unwrap()], "nothing is known unseen");
    let all =
        dot_reach_core::site::Edit::batch(advised.known.into_iter().map(|a| a.edit).collect());
    apply(&mut site, &all).unwrap();
    for id in ["a", "b"] {
        let point = site.points.named(id).unwrap();
        let device = site.devices_at(&point.id)[0];
        let kind = site.kind(&device.kind).unwrap();
        assert!(kind.works_a_load());
        assert!(verdict(&findings(&site, kind, point, Some(device))) < Fits::NotKnown);
        assert_eq!(device.name, point.name);
    }
    assert_eq!(advised_everywhere(&site).known.len(), 0);
}

proptest! {
    /// The advised device is the first of all that work the load and are known to fit; choosing any candidate leaves one
    /// device there, of that kind.
    #[test]
    fn choosing_plans_what_was_chosen(
        places in prop::collection::vec((spot(), 0..3usize), 1..6),
        pick in any::<prop::sample::Index>(),
    ) {
        let mut edits = vec![drawn(), circuit("7", &json!({})), device("hub", "hub", [1.0, 1.0])];
        for (n, (at, what)) in places.iter().enumerate() {
            let id = format!("p{n}");
            match what {
                0 => edits.extend(known(&id, *at)),
                1 => edits.extend([point(&id, *at), lamp(&format!("l{n}"), &id)]),
                _ => edits.push(sound(&id, "switch-neutral", *at, "7")),
            }
        }
        let site = with(bare(System::Zigbee), &edits);
        let switches: Vec<_> = site.points.iter().filter(|p| p.kind == PointKind::Switch).collect();
        let point = switches[pick.index(switches.len())];
        let all = candidates(&site, point, None);
        let first = all.iter().find(|c| c.fits < Fits::NotKnown && c.kind.works_a_load());
        prop_assert_eq!(advised(&site, point).map(|c| &c.kind.id), first.map(|c| &c.kind.id));
        for candidate in &all {
            let edit = planned(&site, point, candidate.kind).unwrap();
            let mut after = site.clone();
            prop_assert!(apply(&mut after, &edit).is_ok());
            let there = after.devices_at(&point.id);
            prop_assert_eq!(there.len(), 1);
            prop_assert_eq!(&there[0].kind, &candidate.kind.id);
        }
    }
}
