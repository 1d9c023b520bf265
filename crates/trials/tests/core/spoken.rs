//! Names that are taken for each other, and what answers to a phrase, held against a plain search over all names and rooms.

#![expect(clippy::unwrap_used, reason = "what panics here is the finding of a test")]

use std::collections::BTreeSet;

use dot_reach_core::radio::system::System;
use dot_reach_core::site::Site;
use dot_reach_core::spoken::{Alike, Language, Meant, NameBook, alike, near_twins};
use proptest::prelude::*;
use serde_json::json;

use crate::common::{bare, with};

#[test]
fn known_pairs_are_found_in_two_languages_and_others_are_not() {
    let english = [
        ("Hall light", "Hall Light"),
        ("Night light", "Nite light"),
        ("Stair lamp", "Stare lamp"),
        ("Kitchen left", "Kitchen lift"),
        ("Landing", "Lending"),
        ("Bath fan", "Path fan"),
        ("Den lamp", "Ten lamp"),
        ("Pantry", "Panty"),
        ("Office blind", "Office bland"),
        ("Kitchen", "Chicken"),
    ];
    let german = [
        ("Küche", "Kueche"),
        ("Flur Licht", "Fluhr Licht"),
        ("Keller", "Teller"),
        ("Bad", "Bat"),
        ("Diele", "Tiele"),
        ("Kammer", "Hammer"),
        ("Stube", "Stufe"),
    ];
    let both = english.map(|pair| (pair, Language::English)).into_iter();
    for ((a, b), language) in both.chain(german.map(|pair| (pair, Language::German))) {
        let how = alike(a, b, &[language]);
        assert!(how.is_some(), "{a}, {b}");
        assert_eq!(alike(b, a, &[language]), how, "{a}, {b}");
    }
    let how = |a, b| alike(a, b, &[Language::English]);
    assert_eq!(how("Hall light", "hall-light"), Some(Alike::Same));
    assert_eq!(how("Night light", "Nite light"), Some(Alike::Sound));
    assert_eq!(how("Pantry", "Panty"), Some(Alike::Letter));
    assert_eq!(how("Kitchen", "Chicken"), Some(Alike::NearlySound));
    let apart = [
        ("Kitchen lamp", "Living lamp"),
        ("Hall lamp 1", "Hall lamp 2"),
        ("Bath fan", "Bath lamp"),
        ("Hall", "Bath"),
        ("Küche", "Wohnzimmer"),
        ("Lamp", "Kitchen lamp"),
        ("Porch lamp", "Garden lamp"),
        ("Bett", "Flur"),
        ("Roof window east", "Roof window west"),
    ];
    for (a, b) in apart {
        assert_eq!(alike(a, b, &[Language::English, Language::German]), None, "{a}, {b}");
    }
}

/// Rooms of some names, each with lamps and a fan; scenes.
fn spoken_house(names: &[(String, bool, usize)], scenes: &[String], with_voice: bool) -> Site {
    const ROOMS: [&str; 3] = ["Hall", "Bed room", "Kitchen"];
    let mut edits: Vec<_> = ROOMS
        .iter()
        .zip([0.0, 10.0, 20.0])
        .map(|(name, x)| {
            let id = name.replace(' ', "-");
            json!({"do": "put", "kind": "room", "value": {"id": id, "name": name, "floor": "g",
                "outline": [[x, 0.0], [x + 9.0, 0.0], [x + 9.0, 9.0], [x, 9.0]]}})
        })
        .collect();
    for (n, (name, is_lamp, room)) in names.iter().enumerate() {
        let x = 10.0 * f64::from(u8::try_from(room % 3).unwrap()) + 4.0;
        let kind = if *is_lamp { "lamp" } else { "plug-socket" };
        edits.push(crate::common::device(&format!("d{n}"), kind, [x, 4.0]));
        edits.push(json!({"do": "set", "kind": "device", "id": format!("d{n}"), "field": "name", "value": name}));
    }
    for (n, name) in scenes.iter().enumerate() {
        edits.push(
            json!({"do": "put", "kind": "rule", "value": {"id": format!("s{n}"), "name": name,
            "when": {"on": "called"}, "does": [{"what": {"device": "d0"}, "to": "on"}]}}),
        );
    }
    if with_voice {
        edits.push(json!({"do": "put", "kind": "platform", "value": {"id": "v", "name": "Voice", "way": "voice"}}));
    }
    with(bare(System::Zigbee), &edits)
}

/// What answers, by a plain search: everything in the house that has a name is written down with what it would move, and the
/// names that are those of the phrase are looked up, scenes before devices before rooms.
fn by_search(site: &Site, name: &str) -> (u8, BTreeSet<String>) {
    let plain = |text: &str| {
        let words: Vec<String> =
            text.to_lowercase().split_whitespace().map(str::to_owned).collect();
        words.join(" ")
    };
    let is_lamp = |id: &str| site.devices.named(id).unwrap().kind == "lamp";
    let mut book: Vec<(u8, String, String)> = Vec::new();
    for rule in &site.rules {
        book.push((0, plain(&rule.name), rule.id.to_string()));
    }
    for device in &site.devices {
        let room = site.room_name(site.point_of(device).unwrap());
        book.push((1, plain(&device.name), device.id.to_string()));
        if is_lamp(device.id.as_str()) {
            for word in ["light", "lights", "lamp", "lamps"] {
                book.push((2, format!("{} {word}", plain(room)), device.id.to_string()));
            }
        }
        book.push((3, plain(room), device.id.to_string()));
    }
    let wanted = plain(name);
    let rank = book.iter().filter(|(_, of, _)| *of == wanted).map(|(rank, ..)| *rank).min();
    let Some(rank) = rank else {
        let words: Vec<&str> = wanted.split(' ').collect();
        let has = |of: &str| words.iter().all(|word| of.split(' ').any(|w| w == *word));
        let part = book.iter().filter(|(rank, of, _)| *rank == 1 && has(of));
        return (4, part.map(|(.., id)| id.clone()).collect());
    };
    let all = book.iter().filter(|(r, of, _)| *r == rank && *of == wanted);
    (rank, all.map(|(.., id)| id.clone()).collect())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    #[test]
    fn what_answers_is_what_a_search_over_all_names_finds(
        names in prop::collection::vec(
            (prop::sample::select(vec!["Hall lamp", "Hall", "Bed lamp", "Reading", "Fan", "Kitchen fan", "Mood", "Bed room lights"])
                .prop_map(str::to_owned), any::<bool>(), 0..3usize), 1..7),
        scenes in prop::collection::vec(
            prop::sample::select(vec!["Mood", "Evening", "Reading"]).prop_map(str::to_owned), 0..3),
        asked in prop::sample::select(vec!["Hall lamp", "hall", "Bed  Lamp", "Reading", "Fan", "Kitchen", "Mood", "Evening",
            "Bed room lights", "Bed room", "Lamp", "Kitchen lights", "Attic"]),
    ) {
        let site = spoken_house(&names, &scenes, true);
        let told = NameBook::of(&site).answer(&format!("Turn on the {asked}"));
        let (rank, found) = by_search(&site, asked);
        let ids = |all: &BTreeSet<dot_reach_core::site::DeviceId>| -> BTreeSet<String> {
            all.iter().map(ToString::to_string).collect()
        };
        match &told.meant {
            Meant::Rule(rule) => prop_assert!(rank == 0 && found.contains(rule.as_str()), "{rule} {found:?}"),
            Meant::Devices(all) => {
                prop_assert!((rank == 1 || rank == 4) && all.len() == 1, "{rank}");
                prop_assert_eq!(ids(all), found);
            }
            Meant::Several(all) => {
                prop_assert!((rank == 1 || rank == 4) && all.len() > 1, "{rank}");
                prop_assert_eq!(ids(all), found);
            }
            Meant::Lights(all) => {
                prop_assert_eq!(rank, 2);
                prop_assert_eq!(ids(all), found);
            }
            Meant::Room(all) => {
                prop_assert_eq!(rank, 3);
                // A fan of the room moves too, and is named.
                let fans: BTreeSet<String> = found.iter().filter(|id| {
                    site.devices.named(id).unwrap().kind != "lamp"
                }).cloned().collect();
                prop_assert_eq!(ids(&told.also), fans);
                prop_assert_eq!(ids(all), found);
            }
            Meant::Nothing => prop_assert!(rank == 4 && found.is_empty(), "{rank} {found:?}"),
        }
    }
}

#[test]
fn the_guide_is_rehearsed_and_what_no_platform_reaches_is_said() {
    let names = [("Hall lamp".to_owned(), true, 0), ("Hall fan".to_owned(), false, 0)];
    let scenes = ["Evening".to_owned()];
    let deaf = spoken_house(&names, &scenes, false);
    let all = NameBook::of(&deaf).guide();
    assert!(
        all.contains(&"Turn on Evening".to_owned())
            && all.contains(&"Turn off the Hall lights".to_owned())
    );
    // No platform of this house is spoken to.
    assert!(all.iter().all(|phrase| {
        let told = NameBook::of(&deaf).answer(phrase);
        told.meant == Meant::Nothing || !told.not_reached.is_empty()
    }));
    let heard = spoken_house(&names, &scenes, true);
    let told = NameBook::of(&heard).answer("Turn on the hall");
    assert_eq!(told.also.iter().map(ToString::to_string).collect::<Vec<_>>(), ["d1"]);
    // A level and a number of a name are told apart.
    assert!(matches!(
        NameBook::of(&heard).answer("Dim the Hall lamp to 40").meant,
        Meant::Devices(_)
    ));
}

#[test]
fn for_each_pair_of_twins_there_is_a_better_name_that_nothing_is_taken_for() {
    let names: Vec<_> = [("Hall lamp", 0), ("Hall lamb", 0), ("Kitchen", 2), ("Chicken", 1)]
        .map(|(n, room)| (n.to_owned(), true, room))
        .into();
    let site = spoken_house(&names, &[], true);
    let found = near_twins(&site);
    assert_eq!(found.len(), 2, "{found:?}");
    for twins in &found {
        let others = site.devices.iter().filter(|d| d.id != twins.other);
        for other in others {
            assert_eq!(alike(&twins.better, &other.name, &[Language::English]), None, "{twins:?}");
        }
    }
}
