//! “It is not dead”: what follows, through every door, and how power comes back.

use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::gate::{Stand, gate};
use dot_reach_core::install::schedule::schedule;
use dot_reach_core::radio::system::System;
use dot_reach_core::record::{Folder, Step};
use serde_json::{Value, json};

use crate::common::wish;
use crate::day::machine::{
    AT, energise, house, isolated, planned, refused, set, stand, stepped, take, ticked, wired,
};

fn live(device: &str, next: &str) -> Value {
    json!({"do": "found-live", "device": device, "found": "neutral against earth", "next": next, "decides": "Kit", "by": "Kit", "at": AT})
}

/// A neutral that is live with its breaker off: the main goes off too, and what is off stays off with it.
#[test]
fn what_is_not_dead_wants_more_off_and_the_first_isolation_goes_along() {
    let site = isolated(&house(System::Zigbee, &["a", "b"]), "x", "breaker", &["7"]);
    let site = stepped(&site, "b", "dead");
    assert!(
        refused(&site, &json!({"do": "found-live", "device": "a", "by": "Kit", "at": AT}))
            .contains("found")
    );
    let site = wish(&site, &live("a", "main")).unwrap();
    // By this isolation the box of a is dead for nobody and no step; that of b was proved dead by itself.
    let again = ticked(&site, "a", "dead");
    assert!(refused(&again, &take("a", "dead")).contains("no isolation"));
    assert!(wish(&ticked(&site, "b", "noted"), &take("b", "noted")).is_ok());
    let site = stepped(&isolated(&site, "y", "main", &[]), "a", "dead");
    assert!(refused(&site, &energise("x")).contains("a is open"), "it is dark by both");
    assert!(refused(&site, &energise("y")).contains("a is open"));
    let site = stepped(&stepped(&site, "a", "put-back"), "b", "put-back");
    let site = wish(&wish(&site, &energise("y")).unwrap(), &energise("x")).unwrap();
    assert!(site.record.in_force().next().is_none());
}

#[test]
fn a_box_that_is_found_live_with_hands_in_it_is_closed_under_the_next_cut_alone() {
    let site = isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]);
    let site = stepped(&stepped(&site, "a", "dead"), "a", "noted");
    let site = wish(&site, &live("a", "main")).unwrap();
    assert_eq!(stand(&site, "a", Step::Dead), Stand::Open, "it was proved dead, and is not");
    assert!(refused(&site, &energise("x")).contains("a is open"));
    assert!(
        refused(&ticked(&site, "a", "put-back"), &take("a", "put-back")).contains("found live")
    );
    let site = isolated(&site, "y", "main", &[]);
    let site = stepped(&stepped(&site, "a", "dead"), "a", "put-back");
    let site = wish(&wish(&site, &energise("y")).unwrap(), &energise("x")).unwrap();
    assert!(site.record.in_force().next().is_none());
}

/// Whoever stops there has opened nothing: power comes back.
#[test]
fn who_stops_at_a_live_box_brings_power_back() {
    let site = isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]);
    let site = wish(&site, &live("a", "stop")).unwrap();
    let main = |site: &Folder| {
        let analysis = analyse(&Arc::new(site.site.clone()), &Options::default());
        schedule(&analysis, &site.record).outages().next().unwrap().cut.means.is_main()
    };
    assert!(!main(&site), "what is off stays the stretch that it is");
    // The next time it is planned by the main, until a breaker was proved to make it dead.
    let site = wish(&site, &energise("x")).unwrap();
    assert!(main(&site));
    let again = stepped(&isolated(&site, "z", "breaker", &["7"]), "a", "dead");
    let again = wish(&stepped(&again, "a", "put-back"), &energise("z")).unwrap();
    assert!(!main(&again));
}

/// The day shows what goes off beside, and each comes on again.
#[test]
fn the_stretch_of_a_live_box_has_the_next_cut_and_both_ends() {
    use dot_reach_core::install::walk::{WalkAct, Walks};
    let kinds = |site: &Folder| -> Vec<String> {
        let analysis = analyse(&Arc::new(site.site.clone()), &Options::default());
        let plan = schedule(&analysis, &site.record);
        let told = gate(&site.record, &site.site);
        let key = plan.outages().next().unwrap().key.clone();
        let stretch = Walks::of(&analysis, &plan, &told).stretch(&key).unwrap();
        let of = |id: &Option<_>| id.as_ref().map_or_else(String::new, ToString::to_string);
        let word = |act: &WalkAct| match act {
            WalkAct::Isolate { of: id, .. } => Some(format!("off {}", of(id))),
            WalkAct::Energise { of: id, .. } => Some(format!("on {}", of(id))),
            _ => None,
        };
        stretch.moves.iter().filter_map(|m| word(&m.act)).collect()
    };
    let site = isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]);
    assert_eq!(kinds(&site), ["off x", "on x"]);
    let stopped = wish(&site, &live("a", "stop")).unwrap();
    assert_eq!(kinds(&stopped), ["off x", "on x"]);
    let site = wish(&site, &live("a", "main")).unwrap();
    assert_eq!(kinds(&site), ["off x", "off ", "on ", "on x"]);
    let site = isolated(&site, "y", "main", &[]);
    assert_eq!(kinds(&site), ["off x", "off y", "on y", "on x"]);
    let site = stepped(&stepped(&site, "a", "dead"), "a", "put-back");
    let site = wish(&site, &energise("y")).unwrap();
    assert_eq!(kinds(&site), ["off x", "off y", "on y", "on x"]);
}

/// What was fitted under the next cut stays on its stretch when power is back: the rest of its cards is there.
#[test]
fn what_was_fitted_after_it_was_found_live_stays_on_its_stretch() {
    let key = |site: &Folder| {
        let analysis = analyse(&Arc::new(site.site.clone()), &Options::default());
        schedule(&analysis, &site.record).outages().next().unwrap().key.clone()
    };
    let site = isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]);
    let planned = key(&site);
    let site = wish(&site, &live("a", "main")).unwrap();
    let site = wired(&isolated(&site, "y", "main", &[]), "a");
    let site = wish(&wish(&site, &energise("y")).unwrap(), &energise("x")).unwrap();
    assert_eq!(key(&site), planned);
}

/// Whatever the plan says since, an open box that is found live is said to be so, and is closed under the next cut alone.
#[test]
fn an_open_box_is_found_live_through_every_door() {
    let off = isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]);
    let opened = stepped(&stepped(&off, "a", "dead"), "a", "noted");
    for edit in [
        set("point", "a", "circuit", &json!("9")),
        set("point", "a", "circuit", &json!("")),
        set("point", "a", "box", &json!("none")),
        set("device", "a", "kind", &json!("repeater-plug")),
        json!({"do": "remove", "kind": "device", "id": "a"}),
        json!({"do": "remove", "kind": "point", "id": "a"}),
        json!({"do": "remove", "kind": "circuit", "id": "c7"}),
    ] {
        let since = planned(&opened, std::slice::from_ref(&edit));
        let found = wish(&since, &live("a", "stop")).unwrap_or_else(|why| panic!("{edit}: {why}"));
        assert!(refused(&found, &energise("x")).contains("a is open"), "{edit}");
        assert!(
            refused(&ticked(&found, "a", "put-back"), &take("a", "put-back")).contains("live"),
            "{edit}"
        );
        // Who stopped can go on after all.
        let found = wish(&found, &live("a", "main")).unwrap();
        let main = isolated(&found, "y", "main", &[]);
        let opens =
            WorkedDevice::of(&main.site, &"a".parse().unwrap()).is_some_and(|s| s.opens_box());
        let dead = if opens { stepped(&main, "a", "dead") } else { main };
        let safe = stepped(&dead, "a", "put-back");
        let on = wish(&wish(&safe, &energise("y")).unwrap(), &energise("x")).unwrap();
        assert!(on.record.in_force().next().is_none(), "{edit}");
    }
}

/// A proof that is taken back leaves the box as live as it was found.
#[test]
fn a_proof_taken_back_leaves_the_box_as_live_as_it_was_found() {
    let site = isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]);
    let site = wish(&stepped(&site, "a", "dead"), &live("a", "main")).unwrap();
    let site = stepped(&isolated(&site, "y", "main", &[]), "a", "dead");
    assert!(wish(&ticked(&site, "a", "put-back"), &take("a", "put-back")).is_ok());
    let back = json!({"do": "take-back", "device": "a", "step": "dead"});
    let site = wish(&site, &back).unwrap();
    assert!(refused(&ticked(&site, "a", "put-back"), &take("a", "put-back")).contains("live"));
}

/// The report of the day says what was live, who decided, and why something was left out.
#[test]
fn the_report_says_what_was_live_and_what_went_off_for_it() {
    let site = isolated(&house(System::Zigbee, &["a"]), "x", "breaker", &["7"]);
    let site = wish(&site, &live("a", "stop")).unwrap();
    let told = |site: &Folder| {
        let of = site.record.isolations.iter().next().unwrap();
        dot_reach_core::install::record::isolation(
            of,
            &dot_reach_core::moment::HouseClock::default(),
        )
    };
    let said = told(&site);
    assert!(
        said.contains("a was live all the same: neutral against earth")
            && said.contains("Kit decided"),
        "{said}"
    );
    let mut on = energise("x");
    on["why"] = json!("nothing is left out");
    let said = told(&wish(&site, &on).unwrap());
    // A reason that nothing asked for is none.
    assert!(
        said.contains("on again by Kit, 2026-03-14 10:00") && !said.contains("nothing is left out"),
        "{said}"
    );
}

/// Where another breaker is to go off the proposal is a breaker; where anybody said the main, the main.
#[test]
fn the_next_cut_is_proposed_as_it_was_said() {
    use dot_reach_core::install::walk::Walks;
    use dot_reach_core::record::Cut;
    let means = |site: &Folder| {
        let analysis = analyse(&Arc::new(site.site.clone()), &Options::default());
        let plan = schedule(&analysis, &site.record);
        let told = gate(&site.record, &site.site);
        let stretch = Walks::of(&analysis, &plan, &told).stretch("7").unwrap();
        stretch.further.unwrap().means
    };
    let site = isolated(&house(System::Zigbee, &["a", "b"]), "x", "breaker", &["7"]);
    assert_eq!(means(&site), Cut::Main);
    let site = wish(&site, &live("a", "other-breaker")).unwrap();
    assert_eq!(means(&site), Cut::Breaker);
    let site = wish(&site, &live("b", "main")).unwrap();
    assert_eq!(means(&site), Cut::Main);
}
