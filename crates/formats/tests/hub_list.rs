//! A hub's list, however people get it: each entry once, what is on the plan already told.
#![expect(clippy::unwrap_used, reason = "a list that is not read has failed its test")]

use std::collections::BTreeMap;

use dot_reach_core::confidence::Confidence;
use dot_reach_core::radio::region::Region;
use dot_reach_core::radio::system::System;
use dot_reach_core::site::{Edit, HubEntry, Job, Network, Site, Thing, apply};
use dot_reach_core::survey::hub_list::taken_for;
use dot_reach_formats::hub_list::read;

fn house() -> Site {
    let mut site = Site::new(Job::new("Test", Region::Eu, Confidence::new(0.9).unwrap()));
    let network = Network::new("n".parse().unwrap(), "Mesh", System::Zigbee);
    assert!(apply(&mut site, &Edit::put(network)).is_ok());
    site
}

fn entries(site: &Site, text: &str) -> (Vec<HubEntry>, Vec<String>) {
    let numbers = BTreeMap::new();
    let read = read(site, &numbers, text, &"n".parse().unwrap(), "e");
    let entries = read.value.into_iter().filter_map(|edit| match edit {
        Edit::Put(Thing::HubEntry(entry)) => Some(entry),
        _ => None,
    });
    (entries.collect(), read.findings.into_iter().map(|f| f.reason).collect())
}

#[test]
fn the_same_list_is_read_alike_with_headings_without_and_as_json() {
    let site = house();
    let lists = [
        "Name;Number;Type;Room;Role\nHall lamp;7;bulb;Hall;router\nDoor;8;contact sensor;Hall;end device\n",
        "name,node_id,model,area,power\r\n\"Hall lamp\",0x07,bulb,Hall,mains\r\nDoor,8,contact sensor,Hall,battery\r\n",
        "Hall lamp\t7\tbulb\tHall\nDoor\t8\tcontact sensor\tHall\n",
        r#"{"devices": [{"name": "Hall lamp", "id": 7, "type": "bulb", "room": "Hall"},
            {"name": "Door", "id": "8", "type": "contact sensor", "room": "Hall"}]}"#,
    ];
    for text in lists {
        let (all, findings) = entries(&site, text);
        assert!(findings.is_empty(), "{text}: {findings:?}");
        let told: Vec<_> = all
            .iter()
            .map(|e| (e.name.as_str(), e.number, e.model.as_str(), e.room.as_str()))
            .collect();
        let wanted =
            [("Hall lamp", Some(7), "bulb", "Hall"), ("Door", Some(8), "contact sensor", "Hall")];
        assert_eq!(told, wanted, "{text}");
        let kinds: Vec<&str> =
            all.iter().map(|e| taken_for(&site, e).unwrap().id.as_str()).collect();
        assert_eq!(kinds, ["lamp", "sensor-battery"], "{text}");
    }
    let (roles, _) = entries(&site, lists[0]);
    assert_eq!(roles.iter().map(|e| e.forwards).collect::<Vec<_>>(), [Some(true), Some(false)]);
}

#[test]
fn names_alone_are_a_list_and_an_empty_one_says_what_it_should_be() {
    let site = house();
    let (all, _) = entries(&site, "Kitchen dimmer\nStudy plug\nWhatever\n");
    let taken: Vec<Option<&str>> =
        all.iter().map(|e| taken_for(&site, e).map(|k| k.id.as_str())).collect();
    assert_eq!(taken, [Some("dimmer-neutral"), Some("plug-socket"), None]);
    let (none, findings) = entries(&site, "\n");
    assert!(none.is_empty() && findings[0].contains("one line a device"), "{findings:?}");
}

#[test]
fn an_entry_that_comes_again_is_the_same_one_and_two_of_one_number_are_told() {
    let mut site = house();
    let (first, _) = entries(&site, "Hall lamp;7\nDoor;8\n");
    for entry in first {
        assert!(apply(&mut site, &Edit::put(entry)).is_ok());
    }
    let (again, findings) = entries(&site, "Hall lamp;7\nDoor to the yard;8\nAttic;8\n");
    // The first is as it was, the second has another name by now, the third has its number.
    assert_eq!(again.iter().map(|e| e.name.as_str()).collect::<Vec<_>>(), ["Door to the yard"]);
    assert_eq!(again[0].id, site.hub_entries.iter().find(|e| e.number == Some(8)).unwrap().id);
    assert!(findings.iter().any(|f| f.contains("twice")), "{findings:?}");
}

#[test]
fn what_the_list_does_not_know_of_a_role_is_not_known_here() {
    let site = house();
    let of = |role: &str| entries(&site, &format!("name;role\nX;{role}\n")).0[0].forwards;
    for (role, is) in [
        ("Router", Some(true)),
        ("range extender, repeats", Some(true)),
        ("end device", Some(false)),
        ("battery", Some(false)),
        // On the mains says nothing of forwarding; “unknown” and “none” are no “no”.
        ("mains", None),
        ("unknown", None),
        ("none given", None),
        ("extender", None),
        ("router, battery backed", None),
        ("", None),
    ] {
        assert_eq!(of(role), is, "{role}");
    }
}
