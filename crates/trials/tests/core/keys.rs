//! The grid of keys against a plain model, outages against the removal of what is out, what a new remote takes by itself, what
//! a lost message leaves behind, and rules that were run by hand.

#![expect(clippy::unwrap_used, reason = "what panics here is the finding of a test")]

use std::collections::BTreeMap;
use std::sync::Arc;

use dot_reach_core::analysis::{Analysis, Options, analyse};
use dot_reach_core::catalogue::DeviceKind;
use dot_reach_core::control::{Outage, check, ends_with_breaker, is_companion, works_in};
use dot_reach_core::draw::orders::Pressed;
use dot_reach_core::gate::checks::checks;
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::install::cards::ties;
use dot_reach_core::keys::{
    HandEvent, KeySends, ends_with, grid, lost_with, sequence, stands_apart, taken_by,
};
use dot_reach_core::prove::rules_tried::{RuleProof, rule_proof};
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{Folder, Step};
use dot_reach_core::site::{Control, DeviceId, RunsIn, Site, Target, apply};
use dot_reach_standin::houses::{larkfield_mill, quay_court};
use proptest::prelude::*;
use serde_json::{Value, json};

use crate::common::{bare, device, edit, wish, wished, with};

/// A remote with two keys in a room with two lamps and a fan; another lamp next door.
fn house() -> Site {
    let room = |id: &str, name: &str, left: f64| {
        json!({"do": "put", "kind": "room", "value": {"id": id, "name": name, "floor": "g",
            "outline": [[left, 0.0], [left + 5.0, 0.0], [left + 5.0, 5.0], [left, 5.0]]}})
    };
    with(
        bare(System::Zigbee),
        &[
            room("den", "Den", 0.0),
            room("hall", "Hall", 5.0),
            device("hub", "hub", [1.0, 1.0]),
            device("r", "remote-plate", [2.0, 1.0]),
            device("one", "lamp", [2.0, 2.0]),
            device("two", "lamp", [3.0, 2.0]),
            device("fan", "switch-neutral", [4.0, 2.0]),
            device("far", "lamp", [7.0, 2.0]),
            json!({"do": "put", "kind": "load", "value": {"id": "l", "name": "Fan", "switched_at": "fan", "kind": "fan"}}),
            json!({"do": "put", "kind": "rule", "value": {"id": "eve", "name": "Evening", "when": {"on": "called"},
                "does": [{"what": {"device": "one"}, "to": "on", "level": 20}, {"what": {"device": "far"}, "to": "off"}]}}),
        ],
    )
}

fn order(id: &str, key: u8, gesture: &str, what: &Value, text: &str) -> Value {
    json!({"do": "type-order", "id": id, "at": {"controller": "r", "key": key, "gesture": gesture}, "what": what, "text": text})
}

fn shown(site: &Site, key: u8, gesture: &str, what: &Value) -> Option<String> {
    let grid = grid(site, &"r".parse().unwrap()).unwrap();
    let press =
        Pressed { controller: "r".parse().unwrap(), key: Some(key), gesture: gesture.to_owned() };
    let column = grid.presses.iter().position(|p| *p == press).unwrap();
    let what: Target = serde_json::from_value(what.clone()).unwrap();
    let row = grid.rows.into_iter().find(|row| row.what == what).unwrap();
    row.cells[column].as_ref().map(dot_reach_core::keys::GridCell::text)
}

#[test]
fn a_key_tells_apart_what_its_row_says() {
    let grid = grid(&house(), &"r".parse().unwrap()).unwrap();
    let of = |p: &Pressed| (p.key, p.gesture.clone());
    let presses: Vec<_> = grid.presses.iter().map(of).collect();
    let each = ["", "two presses", "held", "let go"].map(str::to_owned);
    let all: Vec<_> =
        [1, 2].iter().flat_map(|key| each.iter().map(|g| (Some(*key), g.clone()))).collect();
    assert_eq!(presses, all);
    // Its own room comes first, then the others, then scenes.
    let names: Vec<&str> = grid.rows.iter().map(|row| row.under.as_str()).collect();
    assert_eq!(names, ["Den", "Den", "Den", "Hall", "Rooms", "House", "Scenes"]);
    assert!(dot_reach_core::keys::grid(&house(), &"hub".parse().unwrap()).is_none());
}

#[test]
fn what_is_no_order_is_refused_beside_its_cell() {
    let site = house();
    let refused = |what: Value, text: &str| {
        let wish = order("k", 1, "", &what, text);
        let wish: dot_reach_core::wish::PageRequest = serde_json::from_value(wish).unwrap();
        crate::common::edited(wish, &site).unwrap_err().to_string()
    };
    for text in ["maybe", "on off", "120", "toggle 40", "0"] {
        assert!(refused(json!({"device": "one"}), text).contains("is no order"), "{text}");
    }
    assert!(refused(json!({"scene": "eve"}), "off").contains("a scene is called"));
    assert!(refused(json!({"device": "gone"}), "on").contains("gone"));
    // Of one thing that it does to itself there is no cell, and no edit either.
    assert!(
        apply(&mut site.clone(), &wished(&site, order("k", 1, "", &json!({"device": "r"}), "on")))
            .is_err()
    );
    let mut site = house();
    let led = json!({"do": "put", "kind": "load", "value": {"id": "m", "name": "Spots", "switched_at": "fan", "kind": "led"}});
    apply(&mut site, &edit(led)).unwrap();
    let wish = serde_json::from_value(order("k", 1, "", &json!({"device": "fan"}), "40")).unwrap();
    let words = crate::common::edited(wish, &site).unwrap_err().to_string();
    assert!(words.contains("no level between"), "{words}");
    // A favourite level is that of all lights of a room, or of none.
    let wish =
        serde_json::from_value(order("k", 1, "held", &json!({"room": "den"}), "40")).unwrap();
    let words = crate::common::edited(wish, &site).unwrap_err().to_string();
    assert!(words.contains("fan has no level"), "{words}");
    let all_off = wished(&site, order("k", 1, "held", &json!({"all-but": []}), "off"));
    apply(&mut site, &all_off).unwrap();
    assert_eq!(shown(&site, 1, "held", &json!({"all-but": []})).as_deref(), Some("off"));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Whatever is typed in whatever order: each cell holds what was typed there last, and no other cell changes.
    #[test]
    fn a_cell_holds_what_was_typed_there_last(
        typed in prop::collection::vec((1..3u8, 0..4usize, 0..4usize, 0..8usize), 1..24),
    ) {
        let gestures = ["", "two presses", "held", "let go"];
        let whats = [json!({"device": "one"}), json!({"device": "two"}), json!({"scene": "eve"}), json!({"room": "den"})];
        let texts = [("t", "toggle"), ("on", "on"), ("f", "off"), ("35 %", "on 35 %"), ("on 35", "on 35 %"), ("", ""),
            ("on direct", "on direct"), ("d", "dim")];
        let mut site = house();
        let mut model: BTreeMap<(u8, usize, usize), &str> = BTreeMap::new();
        for (n, (key, gesture, what, text)) in typed.into_iter().enumerate() {
            let (text, shows) = if what == 2 { [("on", "on"), ("", "")][text % 2] } else { texts[text] };
            // Which way stays as it was, unless it is typed.
            let was_direct = model.get(&(key, gesture, what)).is_some_and(|is| is.ends_with("direct"));
            let text = if was_direct && !text.is_empty() && !shows.ends_with("direct") { format!("{text} hub") } else { text.to_owned() };
            let wish = order(&format!("k{n}"), key, gestures[gesture], &whats[what], &text);
            let edit = wished(&site, wish);
            let change = apply(&mut site, &edit).unwrap();
            if shows.is_empty() { model.remove(&(key, gesture, what)); } else { model.insert((key, gesture, what), shows); }
            let mut before = site.clone();
            apply(&mut before, &change.inverse).unwrap();
        }
        for key in 1..3u8 {
            for (g, gesture) in gestures.iter().enumerate() {
                for (w, what) in whats.iter().enumerate() {
                    let is = shown(&site, key, gesture, what);
                    prop_assert_eq!(is.as_deref(), model.get(&(key, g, w)).copied());
                }
            }
        }
        prop_assert_eq!(site.rules.len(), model.len() + 1);
    }
}

#[test]
fn one_thing_of_several_goes_another_way_by_a_rule_of_its_own() {
    let both = json!({"do": "put", "kind": "rule", "value": {"id": "both", "when": {"on": "press", "controller": "r", "key": 1},
        "does": [{"what": {"device": "one"}, "to": "on"}, {"what": {"device": "two"}, "to": "on"}], "runs": "hub"}});
    let mut site = with(house(), &[both]);
    let change = wished(&site, order("own", 1, "", &json!({"device": "two"}), "direct"));
    apply(&mut site, &change).unwrap();
    let runs: Vec<(String, RunsIn, usize)> = site
        .rules
        .iter()
        .filter(|r| r.controller().is_some())
        .map(|r| (r.id.to_string(), r.runs, r.does.len()))
        .collect();
    assert_eq!(runs, [("both".to_owned(), RunsIn::Hub, 1), ("own".to_owned(), RunsIn::Direct, 1)]);
    assert_eq!(shown(&site, 1, "", &json!({"device": "two"})).as_deref(), Some("on direct"));
    let change = wished(&site, order("x", 1, "", &json!({"device": "one"}), ""));
    apply(&mut site, &change).unwrap();
    assert!(site.rules.named("both").is_none());
}

/// Some controls of a house: those that it has, and every seventh of all that it could have, each by every way.
fn with_many_controls(site: &Site) -> Site {
    let sides = |id: &str| {
        site.devices.named(id).and_then(|d| site.kind(&d.kind)).map(DeviceKind::sides).unwrap()
    };
    let ids: Vec<String> = site.devices.iter().map(|d| d.id.to_string()).collect();
    let mut edits = Vec::new();
    let pairs = ids.iter().flat_map(|a| ids.iter().map(move |b| (a, b)));
    let pairs = pairs.filter(|(a, b)| a != b && sides(a).0 && sides(b).1);
    for (n, (a, b)) in pairs.enumerate().filter(|(n, _)| n % 7 == 0) {
        let runs = RunsIn::ALL[n / 7 % RunsIn::ALL.len()].0;
        edits.push(json!({"do": "put", "kind": "rule", "value": {"id": format!("many{n}"),
            "when": {"on": "press", "controller": a}, "does": [{"what": {"device": b}}], "runs": runs}}));
    }
    with(site.clone(), &edits)
}

fn without(site: &Arc<Site>, down: impl IntoIterator<Item = DeviceId>) -> Analysis {
    analyse(site, &Options { down: down.into_iter().collect(), ..Options::default() })
}

/// Whether a control still works when things are taken out of the house one by one, and of the lines that lead out of it.
fn by_removal(
    site: &Arc<Site>,
    whole: &Analysis,
    control: &Control<'_>,
    outage: Outage,
    cut: &[(DeviceId, Analysis)],
) -> bool {
    let arrives = |analysis: &Analysis| check(analysis, control).success > 0.0;
    if !arrives(whole) {
        return false;
    }
    if site.devices.get(control.controller).is_some_and(|d| is_companion(site, d)) {
        return true;
    }
    // What an order passes between the two, beside the meshes.
    let network = |id: &DeviceId| &site.devices.get(id).unwrap().network;
    let (a, b) = (network(control.controller), network(control.load));
    let is_wifi = site.networks.get(a).unwrap().system == System::Wifi;
    let passes: &[Outage] = match control.runs {
        RunsIn::Direct | RunsIn::Device => &[],
        RunsIn::Hub if a != b || is_wifi => &[Outage::Hub, Outage::Router],
        RunsIn::Hub => &[Outage::Hub],
        RunsIn::Phone => &[Outage::Hub, Outage::Router, Outage::Phone],
        RunsIn::Server | RunsIn::Voice => &[Outage::Hub, Outage::Router, Outage::Internet],
    };
    if passes.contains(&outage) {
        return false;
    }
    match outage {
        Outage::Repeater => {
            let others =
                cut.iter().filter(|(id, _)| id != control.controller && id != control.load);
            others.into_iter().all(|(_, without)| arrives(without))
        }
        _ => true,
    }
}

#[test]
fn what_is_left_in_an_outage_is_what_is_left_when_it_is_taken_out() {
    for site in [quay_court(), larkfield_mill()] {
        let site = Arc::new(with_many_controls(&site));
        let whole = analyse(&site, &Options::default());
        let repeats = |id: &DeviceId| {
            whole.find(id).is_some_and(|(n, p)| n.nodes[p].carries_others() && !n.is_hub(p))
        };
        let ids = site.devices.iter().map(|d| d.id.clone()).filter(|id| repeats(id));
        let cut: Vec<(DeviceId, Analysis)> =
            ids.map(|id| (id.clone(), without(&site, [id]))).collect();
        let (mut left, mut dead) = (0, 0);
        for control in site.controls() {
            for (outage, name) in Outage::ALL {
                let told = works_in(&whole, &control, outage);
                let twin = by_removal(&site, &whole, &control, outage, &cut);
                assert_eq!(
                    told, twin,
                    "{name}: {} to {}, {:?}",
                    control.controller, control.load, control.runs
                );
                if told { left += 1 } else { dead += 1 }
            }
        }
        assert!(left > 30 && dead > 30, "{left} {dead}");
        // Without its hubs no order passes by one.
        let hubs =
            site.networks.iter().flat_map(|n| site.hubs_of(&n.id)).map(|(d, _)| d.id.clone());
        let hubless = without(&site, hubs.collect::<Vec<_>>());
        for control in site.controls().filter(|c| c.runs == RunsIn::Hub) {
            let is_wired =
                site.devices.get(control.controller).is_some_and(|d| is_companion(&site, d));
            assert!(is_wired || check(&hubless, &control).success <= 0.0, "{}", control.rule.id);
        }
    }
}

#[test]
fn what_ends_with_a_breaker_is_what_a_house_without_it_has_lost() {
    for site in [quay_court(), larkfield_mill()] {
        let site = Arc::new(with_many_controls(&site));
        let analysis = analyse(&site, &Options::default());
        let (told, lost) = (ends_with_breaker(&analysis), lost_with(&analysis));
        for label in lost.keys() {
            let of = site.controls().filter(|c| ends_with(&analysis, c, label, &lost));
            let of: Vec<String> = of.map(|c| c.mark()).collect();
            assert_eq!(of, told.get(label).cloned().unwrap_or_default(), "breaker {label}");
        }
        assert!(!told.is_empty());
    }
}

#[test]
fn a_new_remote_takes_its_room_and_is_put_right() {
    let press = json!({"do": "put", "kind": "rule", "value": {"id": "p", "when": {"on": "press", "controller": "r"},
        "does": [{"what": {"device": "one"}}, {"what": {"device": "far"}}]}});
    let site = with(house(), &[press]);
    let taken = taken_by(&site, &"r".parse().unwrap()).unwrap();
    let names = |ids: &std::collections::BTreeSet<DeviceId>| {
        ids.iter().map(ToString::to_string).collect::<Vec<_>>()
    };
    // It takes the lamps of the den alone: no fan, and nothing of the hall.
    assert_eq!(
        (names(&taken.extra), names(&taken.missing)),
        (vec!["two".to_owned()], vec!["far".to_owned()])
    );
    assert!(!taken.is_as_meant());
    let steps = taken.steps(&site);
    assert!(steps[0].starts_with("Take ") && steps[1].starts_with("Add "), "{steps:?}");
    assert!(taken_by(&site, &"fan".parse().unwrap()).is_none());
    // What it works through a scene is no task of the remote.
    let scene = json!({"do": "put", "kind": "rule", "value": {"id": "s", "when": {"on": "press", "controller": "r", "key": 2},
        "does": [{"what": {"scene": "eve"}, "to": "on"}]}});
    let with_scene = with(site.clone(), &[scene]);
    assert_eq!(
        taken_by(&with_scene, &"r".parse().unwrap()),
        taken_by(&site, &"r".parse().unwrap())
    );
    // Where nobody said what it is to work, nothing is as meant.
    let unsaid = taken_by(&house(), &"r".parse().unwrap()).unwrap();
    assert!(!unsaid.is_said && !unsaid.is_as_meant() && unsaid.extra.is_empty());
    assert!(unsaid.steps(&house())[0].contains("nobody has"));
    // What nobody wrote down is asked, and never counts as meant.
    let blank = json!({"do": "set", "kind": "device", "id": "r", "field": "kind", "value": "paired-neutral"});
    let site = with(site, &[blank]);
    let taken = taken_by(&site, &"r".parse().unwrap()).unwrap();
    assert!(taken.takes.is_none() && !taken.is_as_meant() && !taken.steps(&site).is_empty());
}

#[test]
fn a_lost_message_stays_with_what_toggles_and_goes_with_what_says_on() {
    let press = |of, wants, lost| HandEvent::Press { of, wants, lost };
    let events = [
        press(0, true, false),
        press(0, false, true),
        press(0, true, false),
        press(1, false, false),
        HandEvent::PowerCut,
        press(1, false, false),
    ];
    let right = |sends| sequence(sends, &events).iter().map(|s| s.is_as_wanted).collect::<Vec<_>>();
    // The second lamp misses one message, and stands the other way ever after.
    assert_eq!(right(KeySends::Toggle), [true, false, false, false, false, true]);
    // By its own memory the second controller begins wrong: it has never switched them on.
    assert_eq!(right(KeySends::InTurn), [true, false, true, false, false, true]);
    assert_eq!(right(KeySends::Apart), [true, false, true, true, false, true]);
}

proptest! {
    /// The chance that lamps stand apart is that over all ways in which messages can be lost.
    #[test]
    fn lamps_stand_apart_as_often_as_every_way_of_losing_says(
        successes in prop::collection::vec(0.5..1.0f64, 1..4), presses in 1..5u16,
    ) {
        let told = stands_apart(&successes, presses);
        let messages = successes.len() * usize::from(presses);
        let (mut toggle, mut on_off) = (0.0, 0.0);
        for lost in 0..1_u32 << messages {
            let is_lost = |lamp: usize, press: usize| lost >> (lamp * usize::from(presses) + press) & 1 == 1;
            let (mut chance, mut odd, mut missed) = (1.0, false, false);
            for (lamp, success) in successes.iter().enumerate() {
                let all: Vec<bool> = (0..presses.into()).map(|press| is_lost(lamp, press)).collect();
                chance *= all.iter().map(|lost| if *lost { 1.0 - success } else { *success }).product::<f64>();
                odd |= all.iter().filter(|lost| **lost).count() % 2 == 1;
                missed |= all.last() == Some(&true);
            }
            if odd { toggle += chance }
            if missed { on_off += chance }
        }
        prop_assert!((told.toggle - toggle).abs() < 1e-9, "{} {}", told.toggle, toggle);
        prop_assert!((told.on_off - on_off).abs() < 1e-9, "{} {}", told.on_off, on_off);
    }
}

/// How the press of the tests stands by the record.
fn proof(folder: &Folder) -> RuleProof<'_> {
    rule_proof(&folder.site, &folder.record, folder.site.rules.named("p").unwrap())
}

#[test]
fn a_rule_is_proven_where_what_was_meant_moved_and_nothing_else() {
    let press = json!({"do": "put", "kind": "rule", "value": {"id": "p", "when": {"on": "press", "controller": "r", "key": 1},
        "does": [{"what": {"device": "one"}, "to": "on"}]}});
    let folder = Folder::planned(with(house(), &[press]));
    let run = |folder: &Folder, id: &str, moved: &[&str]| {
        wish(folder, &json!({"do": "try-rule", "id": id, "rule": "p", "moved": moved, "at": "2026-03-14T10:00:00Z"})).unwrap()
    };
    assert!(!proof(&folder).is_proven() && proof(&folder).run.is_none());
    let wrong = run(&folder, "t1", &["one", "two"]);
    assert!(!proof(&wrong).is_proven());
    assert_eq!(proof(&wrong).also.iter().map(ToString::to_string).collect::<Vec<_>>(), ["two"]);
    let none = run(&wrong, "t2", &[]);
    assert!(
        !proof(&none).is_proven() && proof(&none).stayed.len() == 1 && proof(&none).also.is_empty()
    );
    let right = run(&none, "t3", &["one"]);
    assert!(proof(&right).is_proven());
    // Called otherwise it is the same rule; what does something else is not.
    let named = wish(
        &right,
        &json!({"do": "set", "kind": "rule", "id": "p", "field": "note", "value": "by the door"}),
    )
    .unwrap();
    assert!(proof(&named).is_proven());
    let other = wish(
        &named,
        &json!({"do": "set", "kind": "rule", "id": "p", "field": "does.0.to", "value": "off"}),
    )
    .unwrap();
    assert!(!proof(&other).is_proven() && proof(&other).is_changed);
    // A second person reads it back, by name, and not whoever puts that on record.
    let read = |by: &str| {
        wish(
            &other,
            &json!({"do": "try-rule", "id": "t4", "rule": "p", "read_by": by, "at": "2026-03-14T10:00:00Z"}),
        )
    };
    assert!(read(" kit ").unwrap_err().contains("second person") && read("").is_err());
    let read = read("Alma").unwrap();
    assert_eq!(proof(&read).read.map(|r| r.read_by.clone()).as_deref(), Some("Alma"));
    assert!(!proof(&read).is_proven(), "reading is not running");
    assert!(wish(&read, &json!({"do": "try-rule", "id": "t5", "rule": "p", "moved": ["nobody"], "at": "2026-03-14T10:00:00Z"})).is_err());
    assert!(
        wish(
            &read,
            &json!({"do": "try-rule", "id": "t5", "rule": "gone", "at": "2026-03-14T10:00:00Z"})
        )
        .is_err()
    );
    // A rule that comes to nothing is proven by nothing that moved.
    let bare = json!({"do": "put", "kind": "rule", "value": {"id": "p", "when": {"on": "press", "controller": "r", "key": 1}, "does": []}});
    let empty = run(&wish(&right, &bare).unwrap(), "t6", &[]);
    assert!(proof(&empty).run.is_some() && !proof(&empty).is_proven());
    // A trial that is struck counts no longer.
    let entry = right.record.entries().last().unwrap().id.clone();
    let struck = wish(&right, &json!({"do": "strike", "of": entry, "why": "the wrong lamp", "at": "2026-03-14T10:00:00Z"})).unwrap();
    assert!(!proof(&struck).is_proven() && proof(&struck).run.is_some());
}

#[test]
fn a_remote_is_tied_load_by_load_from_the_side_that_its_row_says() {
    let own = |from: Value| {
        let mut row =
            serde_json::to_value(house().kind("remote-plate").unwrap().spelled_out()).unwrap();
        row["hand"]["tied_from"] = from;
        row["join"]["ties"] = json!("hold both keys for ten seconds");
        json!({"do": "put", "kind": "device-kind", "value": row})
    };
    let binds = [("a", "one", "direct"), ("b", "two", "direct"), ("c", "far", "hub")].map(|(id, load, runs)| {
        json!({"do": "put", "kind": "rule", "value": {"id": id, "when": {"on": "press", "controller": "r", "key": 1},
            "does": [{"what": {"device": load}, "to": "on"}], "runs": runs}})
    });
    let lines = |from: Value| {
        let site = with(with(house(), &[own(from)]), &binds);
        ties(&WorkedDevice::of(&site, &"r".parse().unwrap()).unwrap())
    };
    let from_it = lines(json!("controller"));
    assert_eq!(from_it.len(), 3);
    assert!(
        from_it[0].contains("hold both keys for ten seconds")
            && from_it[0].contains("without the hub")
    );
    assert!(from_it[2].contains("Without the hub it does not move"));
    assert!(lines(json!("load"))[1].contains("listen"));
    assert!(lines(json!("hub"))[1].contains("awake"));
    // What nobody wrote down is not made up.
    let unsaid = lines(Value::Null);
    assert!(unsaid[0].contains("nobody wrote down"), "{unsaid:?}");
    assert!(unsaid[0].contains("hold both keys for ten seconds"), "what is known is told");
    // Each load is looked at by itself.
    let site = with(house(), &binds);
    let spot = WorkedDevice::of(&site, &"r".parse().unwrap()).unwrap();
    let words: Vec<String> = checks(&spot, Step::Tied).into_iter().map(|c| c.text).collect();
    assert_eq!(words.iter().filter(|text| text.contains("it works")).count(), 3, "{words:?}");
}

#[test]
fn how_a_remote_is_fixed_is_looked_at_and_what_lies_behind_it_is_capped_unless_nothing_can() {
    let looked_at = |fixed: &str, kind: &str, back_box: &str, more: &[Value]| {
        let mut edits = vec![
            json!({"do": "set", "kind": "device", "id": "r", "field": "fixed", "value": fixed}),
            json!({"do": "set", "kind": "point", "id": "r", "field": "kind", "value": kind}),
            json!({"do": "set", "kind": "point", "id": "r", "field": "box", "value": back_box}),
        ];
        edits.extend_from_slice(more);
        let site = with(house(), &edits);
        let spot = WorkedDevice::of(&site, &"r".parse().unwrap()).unwrap();
        let step = if spot.takes(Step::Placed) { Step::Placed } else { Step::Closed };
        let all = checks(&spot, step).into_iter();
        let all = all.filter(|c| ["fixed", "capped"].contains(&c.word.as_str()));
        let all: Vec<(String, bool)> = all.map(|c| (c.word, c.alone)).collect();
        assert!(all.iter().all(|(word, alone)| *alone == (word == "capped")), "{all:?}");
        all.into_iter().map(|(word, _)| word).collect::<Vec<_>>()
    };
    for back_box in ["plastic", "metal", "unknown"] {
        // Whether anybody said how it is held says nothing of what lies behind it.
        assert_eq!(looked_at("unsaid", "bare-wall", back_box, &[]), ["capped"], "{back_box}");
        assert_eq!(looked_at("screws", "bare-wall", back_box, &[]), ["fixed", "capped"]);
        assert_eq!(looked_at("unsaid", "switch", back_box, &[]), ["capped"], "{back_box}");
        assert_eq!(looked_at("nothing", "bare-wall", back_box, &[]), ["fixed"]);
        // The box of the switch that came off stays where it was.
        assert_eq!(looked_at("nothing", "switch", back_box, &[]), ["fixed", "capped"]);
        let stays = json!({"do": "set", "kind": "point", "id": "r", "field": "stays",
            "value": [{"id": "s", "what": "switch", "gang": 1}]});
        let gang = json!({"do": "set", "kind": "point", "id": "r", "field": "gang", "value": 1});
        assert_eq!(looked_at("unsaid", "switch", back_box, &[gang, stays]), [""; 0]);
    }
    assert_eq!(looked_at("adhesive", "bare-wall", "none", &[]), ["fixed"]);
    assert_eq!(looked_at("unsaid", "bare-wall", "none", &[]), [""; 0]);
    assert_eq!(looked_at("unsaid", "shelf", "unknown", &[]), [""; 0]);
    assert_eq!(looked_at("unsaid", "shelf", "metal", &[]), ["capped"]);
}
