//! Names and rooms as each platform has them: the list to copy from, ticks that hold for what was looked at, and what was
//! found there held against it.
#![expect(clippy::unwrap_used, reason = "a house that lacks what it was given has failed its test")]

use dot_reach_core::gate::gate;
use dot_reach_core::names::{NamesIn, RoomList, StandsAs, names, rooms};
use dot_reach_core::radio::system::System;
use dot_reach_core::record::Folder;
use dot_reach_core::site::apply;
use serde_json::{Value, json};

use crate::common::{bare, edit, wish, with};

fn put(kind: &str, value: &Value) -> Value {
    json!({"do": "put", "kind": kind, "value": value})
}

/// A sensor in a room, by the place it stands at.
fn sensor(id: &str, name: &str, room: &str) -> Vec<Value> {
    vec![
        put(
            "point",
            &json!({"id": format!("p{id}"), "name": name, "room": room, "floor": "g", "at": [2.0, 2.0], "height_m": 2.0, "kind": "bare-wall"}),
        ),
        put(
            "device",
            &json!({"id": id, "name": name, "point": format!("p{id}"), "kind": "sensor-door", "network": "n"}),
        ),
    ]
}

fn house(platforms: &[&str]) -> Folder {
    let mut edits = sensor("a", "Front door", "Hall");
    edits.extend(sensor("b", "Patio door", "Living room"));
    edits.extend(sensor("c", "Loft hatch", "Loft"));
    edits.extend(
        platforms.iter().map(|id| {
            put("platform", &json!({"id": id, "name": format!("{id} app"), "way": "hub"}))
        }),
    );
    Folder::planned(with(bare(System::Zigbee), &edits))
}

fn lists(folder: &Folder) -> Vec<NamesIn> {
    names(&gate(&folder.record, &folder.site), &folder.record)
}

fn found(folder: &Folder, of: &str, id: &str, rows: &[(&str, &str)]) -> Folder {
    let rows: Vec<Value> =
        rows.iter().map(|(name, room)| json!({"name": name, "room": room})).collect();
    wish(folder, &put("name-list", &json!({"id": id, "of": of, "rows": rows}))).unwrap()
}

fn stands(folder: &Folder, device: &str) -> StandsAs {
    let lists = lists(folder);
    lists[0].lines.iter().find(|l| l.device.as_str() == device).unwrap().stands.clone()
}

#[test]
fn each_platform_has_a_list_and_a_house_without_platforms_that_of_its_hub() {
    let two = house(&["t", "u"]);
    let titles: Vec<String> = lists(&two).into_iter().map(|l| l.title).collect();
    assert_eq!(titles, ["t app", "u app"]);
    let own = lists(&house(&[]));
    assert_eq!(own.len(), 1);
    assert_eq!(own[0].of, "n");
    assert!(own[0].lines.iter().all(|l| l.tick.is_none() && l.stands == StandsAs::NotLooked));
    // In the order in which one walks: room by room.
    let rooms: Vec<&str> = own[0].lines.iter().map(|l| l.room.as_str()).collect();
    assert_eq!(rooms, ["Hall", "Living room", "Loft"]);
    // What is kept out of a platform has no name to copy there.
    let kept_out = json!({"id": "s", "device": "a", "platform": "t", "comes": "kept-out"});
    let out = wish(&two, &put("share", &kept_out)).unwrap();
    let count = |n: usize| lists(&out)[n].lines.len();
    assert_eq!((count(0), count(1)), (2, 3));
}

#[test]
fn a_tick_holds_for_the_name_and_the_room_that_were_looked_at() {
    let before = house(&["t"]);
    let word = lists(&before)[0].lines[0].tick.clone().unwrap();
    let tick = json!({"do": "check", "device": "a", "step": "named", "check": word, "on": true});
    let ticked = wish(&before, &tick).unwrap();
    assert!(lists(&ticked)[0].lines[0].is_ticked);
    for (kind, id, field, value) in
        [("device", "a", "name", "Street door"), ("point", "pa", "room", "Porch")]
    {
        let set = json!({"do": "set", "kind": kind, "id": id, "field": field, "value": value});
        let renamed = wish(&ticked, &set).unwrap();
        let line =
            lists(&renamed)[0].lines.iter().find(|l| l.device.as_str() == "a").unwrap().clone();
        assert!(!line.is_ticked, "{field}");
    }
}

#[test]
fn what_was_found_is_told_line_by_line() {
    let t = house(&["t"]);
    let rows = [
        ("front  DOOR", "hall"),
        ("Patio door", "Default room"),
        ("Hatch loft", "Loft"),
        ("Patio door 2", ""),
        ("Old plug", "Hall"),
    ];
    let told = found(&t, "t", "l1", &rows);
    assert_eq!(stands(&told, "a"), StandsAs::AsAgreed);
    assert_eq!(stands(&told, "b"), StandsAs::DefaultRoom("Default room".to_owned()));
    assert!(matches!(stands(&told, "c"), StandsAs::Called(row) if row.name == "Hatch loft"));
    let strays = lists(&told)[0].strays.clone();
    let of: Vec<(&str, Option<&str>)> =
        strays.iter().map(|s| (s.entry.name.as_str(), s.second_of.as_deref())).collect();
    assert_eq!(of, [("Patio door 2", Some("Patio door")), ("Old plug", None)]);
    assert_eq!(lists(&told)[0].wrong(), 2);
    // The list that was looked at last counts, and stays on record with the others.
    let again = found(
        &told,
        "t",
        "l2",
        &[("Front door", "Living room"), ("Patio door", ""), ("Patio door", "Living room")],
    );
    assert_eq!(stands(&again, "a"), StandsAs::OtherRoom("Living room".to_owned()));
    assert_eq!(stands(&again, "b"), StandsAs::Times(2));
    assert_eq!(stands(&again, "c"), StandsAs::Missing);
    assert_eq!(again.record.name_lists.len(), 2);
    // A list without any room says nothing of rooms.
    let bare = found(&again, "t", "l3", &[("Front door", ""), ("Patio door", "")]);
    assert_eq!(stands(&bare, "a"), StandsAs::NameOnly);
    // What the plan gives no room is settled by no list.
    let roomless = json!({"do": "set", "kind": "point", "id": "pa", "field": "room", "value": ""});
    assert_eq!(stands(&wish(&again, &roomless).unwrap(), "a"), StandsAs::NameOnly);
    // One that was pasted under the wrong platform is struck.
    let struck = wish(&bare, &json!({"do": "remove", "kind": "name-list", "id": "l3"})).unwrap();
    assert_eq!(stands(&struck, "b"), StandsAs::Times(2));
}

#[test]
fn two_that_the_plan_calls_the_same_are_told_before_anybody_copies_them() {
    let twice = house(&["t"]);
    let set =
        json!({"do": "set", "kind": "device", "id": "b", "field": "name", "value": " front door"});
    let same = wish(&twice, &set).unwrap();
    let twice: Vec<bool> = lists(&same)[0].lines.iter().map(|l| l.is_twice).collect();
    assert_eq!(twice.iter().filter(|t| **t).count(), 2);
}

fn room_list(folder: &Folder) -> RoomList<'_> {
    rooms(&folder.site, &folder.record)
}

#[test]
fn the_rooms_are_agreed_to_as_they_are_and_again_when_they_change() {
    let folder = house(&["t"]);
    let names = |folder: &Folder| {
        room_list(folder).rooms.iter().map(|r| (r.name.clone(), r.things)).collect::<Vec<_>>()
    };
    let is = |name: &str| (name.to_owned(), 1);
    assert_eq!(names(&folder), [is("Hall"), is("Living room"), is("Loft")]);
    assert!(!room_list(&folder).is_agreed());
    let agree = |folder: &Folder, id: &str, name: &str| {
        wish(
            folder,
            &json!({"do": "agree-rooms", "id": id, "name": name, "at": "2026-03-14T10:00:00Z"}),
        )
    };
    assert!(agree(&folder, "a", " ").is_err());
    let agreed = agree(&folder, "a", "Alma").unwrap();
    assert!(room_list(&agreed).is_agreed());
    // One is called otherwise: it is new, the old is gone, and that is agreed to anew.
    let renamed = wish(
        &agreed,
        &json!({"do": "set", "kind": "point", "id": "pc", "field": "room", "value": "Holl"}),
    )
    .unwrap();
    let list = room_list(&renamed);
    assert!(!list.is_agreed());
    assert_eq!(list.gone, ["Loft"]);
    let new: Vec<&str> = list.rooms.iter().filter(|r| r.is_new).map(|r| r.name.as_str()).collect();
    assert_eq!(new, ["Holl"]);
    // It is also taken for the hall.
    assert_eq!(list.rooms[1].like.as_deref(), Some("Hall"));
    let again = agree(&renamed, "b", "Alma").unwrap();
    assert!(room_list(&again).is_agreed());
    // What stands in no room is named.
    let none = json!({"do": "set", "kind": "point", "id": "pa", "field": "room", "value": ""});
    assert_eq!(room_list(&wish(&again, &none).unwrap()).without, ["Front door"]);
}

#[test]
fn a_unit_of_two_outputs_comes_as_three_controls_and_a_fourth_is_a_stray() {
    let mut site = house(&["t"]).site;
    let switch = put(
        "device",
        &json!({"id": "d", "name": "Stair lights", "point": "pa", "kind": "switch-double", "network": "n"}),
    );
    apply(&mut site, &edit(switch)).unwrap();
    let folder = Folder::planned(site);
    let of = |folder: &Folder| {
        lists(folder)[0].lines.iter().map(|l| (l.name.clone(), l.controls)).collect::<Vec<_>>()
    };
    assert!(of(&folder).contains(&("Stair lights".to_owned(), 3)), "{:?}", of(&folder));
    let rows = ["Stair lights", "Stair lights 2", "Stair lights 3", "Stair lights 4"]
        .map(|name| (name, "Hall"));
    let list = &lists(&found(&folder, "t", "x", &rows))[0];
    let strays: Vec<bool> = list.strays.iter().map(|s| s.is_control).collect();
    assert_eq!(strays, [true, true, false]);
}
