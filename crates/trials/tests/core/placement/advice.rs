//! The adviser on whole houses: what it says is enough is enough, what is ruled is kept to, and what it says
//! of each part is what trying without it shows.

#![expect(clippy::expect_used, reason = "a house that cannot be built has failed the test")]

use std::sync::Arc;

use dot_reach_core::analysis::{Analysis, Options, analyse};
use dot_reach_core::network::Band;
use dot_reach_core::placement::advice::{Advice, Apart, Ask, ForwardingWorth, Pays, advise};
use dot_reach_core::placement::offers::could_repeat;
use dot_reach_core::placement::problem::Status;
use dot_reach_core::pulse::to_the_end;
use dot_reach_core::radio::system::System;
use dot_reach_core::site::{DeviceId, Edit, Kind, Ruled, RuledOn, Ruling, RulingId, Site, apply};
use dot_reach_core::units::Db;
use dot_reach_standin::houses::{larkfield_mill, quay_court};

fn analysed(site: &Site) -> Analysis {
    analyse(&Arc::new(site.clone()), &Options::default())
}

fn advised(site: &Site, ask: &Ask) -> Advice {
    advise(&analysed(site), ask, &mut to_the_end, &|| true).expect("a hub that could be moved")
}

fn ask(network: &str) -> Ask {
    Ask::of(network.parse().expect("an id"))
}

fn stays(network: &str) -> Ask {
    Ask { hub_stays: true, ..ask(network) }
}

fn ruling(ruled: Ruled, on: RuledOn) -> Ruling {
    let id: RulingId = "r1".parse().expect("an id");
    Ruling::new(id, ruled, on)
}

#[test]
fn what_is_applied_puts_everyone_at_target() {
    for (site, network) in [
        (larkfield_mill(), "mesh"),
        (larkfield_mill(), "heat"),
        (larkfield_mill(), "star"),
        (quay_court(), "thread"),
    ] {
        for ask in [ask(network), stays(network), Ask { alone: true, ..ask(network) }] {
            let advice = advised(&site, &ask);
            let (_, then, of) = advice.at_target;
            assert!(advice.short.is_empty(), "{network}: {:?}", advice.short);
            assert_eq!(then, of - advice.left.len(), "{network}: {:?}", advice.left);
            // Not taken from the advice, but from the whole job with the edit made.
            let mut there = site.clone();
            apply(&mut there, &advice.edit).expect("an edit that can be made");
            let after = analysed(&there);
            let reached = advice.routes.iter().filter(|(_, ways)| !ways.is_empty());
            for (device, _) in reached {
                let (network, place) = after.find(device).expect("a device that is still there");
                assert!(network.outcomes[place].band >= Band::Sound, "{device}");
            }
        }
    }
}

#[test]
fn the_wing_that_is_out_is_cured_and_each_repeater_says_whom_it_saves() {
    let site = larkfield_mill();
    let advice = advised(&site, &stays("mesh"));
    assert_eq!((advice.status, advice.is_proven), (Status::Optimal, true));
    assert!(advice.at_target.0 < advice.at_target.2 && advice.at_target.1 == advice.at_target.2);
    assert!(!advice.picks.is_empty());
    for pick in &advice.picks {
        assert!(!pick.saves.is_empty(), "{} saves nobody", pick.offer.words());
        // Without it, all else bought, those that it saves are below target.
        let mut without = site.clone();
        for other in advice.picks.iter().filter(|p| p.offer != pick.offer) {
            apply(&mut without, &other.offer.edit).expect("an edit that can be made");
        }
        let there = analysed(&without);
        for saved in &pick.saves {
            let (network, place) = there.find(&saved.device).expect("a device");
            assert!(network.outcomes[place].band < Band::Sound, "{}", saved.name);
            assert!(saved.spare.is_some_and(|s| s >= Db::ZERO));
        }
        if let Some((_, dearer)) = &pick.next_best {
            assert!(*dearer >= 0.0);
        }
    }
    let sentences = advice.sentences(&|amount| format!("{amount:.2}"));
    assert!(sentences[0].contains("Less is not enough"), "{sentences:?}");
}

#[test]
fn what_is_ruled_out_is_not_advised_and_what_is_locked_is() {
    let site = larkfield_mill();
    let first = advised(&site, &stays("mesh"));
    let refused = first.picks[0].offer.clone();
    let mut without = site.clone();
    let never =
        Ruling { point: Some(refused.point.clone()), ..ruling(Ruled::Never, RuledOn::Repeater) };
    apply(&mut without, &Edit::put(never)).expect("a ruling");
    let second = advised(&without, &stays("mesh"));
    assert!(second.picks.iter().all(|p| p.offer.point != refused.point));
    assert!(second.cost >= first.cost - 1e-9, "less to choose from costs no less");
    let free =
        second.picks.iter().map(|p| &p.offer).find(|o| !first.picks.iter().any(|p| p.offer == **o));
    if let Some(free) = free {
        let mut with = site.clone();
        let always = Ruling {
            point: Some(free.point.clone()),
            device_kind: free.kind.clone(),
            ..ruling(Ruled::Always, RuledOn::Repeater)
        };
        apply(&mut with, &Edit::put(always)).expect("a ruling");
        let third = advised(&with, &stays("mesh"));
        let locked = third.picks.iter().find(|p| p.offer.point == free.point);
        assert!(locked.is_some_and(|p| p.offer.is_locked));
        assert!(third.cost >= first.cost - 1e-9);
    }
    // A ruling of nothing in particular is refused.
    let refusal = apply(&mut without, &Edit::put(ruling(Ruled::Never, RuledOn::Repeater)));
    assert!(refusal.is_err());
}

#[test]
fn a_hub_that_is_ruled_out_of_a_place_goes_elsewhere() {
    let site = larkfield_mill();
    let first = advised(&site, &ask("mesh"));
    let best = first.hub().expect("a place").site.name.clone();
    let point = site
        .points
        .iter()
        .find(|p| dot_reach_core::placement::place_name(&site, p) == best)
        .expect("a surveyed place");
    let mut without = site.clone();
    let never = Ruling { point: Some(point.id.clone()), ..ruling(Ruled::Never, RuledOn::Hub) };
    apply(&mut without, &Edit::put(never)).expect("a ruling");
    let second = advised(&without, &ask("mesh"));
    assert_ne!(second.hub().expect("a place").site.name, best);
    assert!(second.cost >= first.cost - 1e-9);
}

#[test]
fn a_critical_device_gets_two_routes_that_share_nothing() {
    let mut site = larkfield_mill();
    let before = advised(&site, &stays("mesh"));
    let device: DeviceId = before.picks[0].saves[0].device.clone();
    apply(&mut site, &Edit::set(Kind::Device, &device, "critical", true)).expect("a flag");
    let one = advised(&site, &stays("mesh"));
    assert!(one.critical.is_empty() && (one.cost - before.cost).abs() < 1e-9);
    for apart in [Apart::Devices, Apart::Breakers] {
        let two = advised(&site, &Ask { apart, ..stays("mesh") });
        assert!(two.cost >= one.cost - 1e-9);
        let (_, _, met) = two.critical.first().expect("a critical device");
        let ways = two.routes.iter().find(|(d, _)| *d == device).map(|(_, ways)| ways);
        let ways = ways.expect("the device");
        assert_eq!(ways.len(), if *met { 2 } else { 0 });
        if let [a, b] = &ways[..] {
            let between = |w: &[String]| w[1..w.len() - 1].to_vec();
            assert!(!between(a).iter().any(|n| between(b).contains(n)));
        }
    }
}

#[test]
fn what_a_forwarding_box_is_worth_is_what_its_lack_costs() {
    let site = larkfield_mill();
    let advice = advised(&site, &stays("mesh"));
    for worth in &advice.worth {
        assert!(worth.extra >= 0.0 && worth.elsewhere.is_none_or(|e| e >= 0.0));
    }
    for school in &advice.schools {
        let sides: Vec<_> = school.sides.iter().filter_map(|(_, n)| *n).collect();
        let all = sides.iter().filter(|n| n.left == 0).map(|n| n.cost);
        assert!(
            all.clone().count() == 0 || all.fold(f64::INFINITY, f64::min) >= advice.cost - 1e-6
        );
    }
}

#[test]
fn more_certainty_costs_no_less() {
    let site = larkfield_mill();
    let plain = advised(&site, &stays("mesh"));
    let sure = advised(&site, &Ask { chance: Some(0.999), ..stays("mesh") });
    assert!(sure.cost >= plain.cost - 1e-9);
    assert!(sure.chance.1 >= plain.chance.1 - 1e-9);
}

#[test]
fn who_cannot_be_reached_is_told_with_the_cheapest_thing_that_would_change_it() {
    let mut site = larkfield_mill();
    // Nothing may repeat anywhere, and the hub stays in its cupboard.
    for (n, room) in site.rooms.iter().map(|r| r.id.clone()).enumerate().collect::<Vec<_>>() {
        let id: RulingId = format!("r{n}").parse().expect("an id");
        let never = Ruling::new(id, Ruled::Never, RuledOn::Repeater);
        apply(&mut site, &Edit::put(Ruling { room: Some(room), ..never })).expect("a ruling");
    }
    let advice = advised(&site, &stays("mesh"));
    assert_eq!((advice.status, advice.is_proven), (Status::Infeasible, true));
    assert!(advice.picks.is_empty() && !advice.left.is_empty());
    let below = analysed(&site)
        .networks
        .iter()
        .flat_map(|n| n.outcomes.iter().enumerate().filter(|(p, _)| !n.hubs.contains(p)))
        .filter(|(_, o)| o.band < Band::Sound)
        .count();
    assert_eq!(advice.left.len(), below, "with nothing to buy, those below target stay there");
    let lacking: Vec<f64> = advice.left.iter().filter_map(|l| l.lacks).map(Db::get).collect();
    assert!(lacking.windows(2).all(|w| w[0] <= w[1]), "the least lacking first");
    for left in &advice.left {
        assert!(left.change.to_string().ends_with(['.', ')']), "{}", left.change);
    }
    let sentences = advice.sentences(&|amount| format!("{amount:.2}"));
    assert!(sentences[0].contains("No choice reaches more"), "{sentences:?}");
}

#[test]
fn a_worth_says_whether_it_pays() {
    let of = |elsewhere| ForwardingWorth {
        device: "d".parse().expect("an id"),
        name: "D".to_owned(),
        forwards: true,
        extra: 8.0,
        elsewhere,
    };
    assert_eq!(of(None).pays(), Pays::NothingElse);
    assert_eq!(of(Some(25.0)).pays(), Pays::Yes);
    assert_eq!(of(Some(3.0)).pays(), Pays::No);
    assert_eq!(of(Some(0.0)).pays(), Pays::NotNeeded);
}

#[test]
fn what_can_be_cut_is_never_offered_and_a_kind_can_be_ruled_out_of_the_house() {
    let site = larkfield_mill();
    let repeats = |id: &str, system| could_repeat(site.kind(id).expect("a row"), system);
    assert!(repeats("repeater-plug", System::Zigbee) && repeats("switch-neutral", System::ZWave));
    assert!(!repeats("lamp", System::Zigbee), "anyone can switch a lamp off");
    assert!(!repeats("switch-two-wire", System::Zigbee) && !repeats("hub", System::Zigbee));
    assert!(!repeats("repeater-plug", System::Wifi));
    let first = advised(&site, &stays("heat"));
    let kind = first.picks.iter().find(|p| p.offer.kind == "repeater-plug").expect("a plug");
    let mut without = site.clone();
    let never =
        Ruling { device_kind: kind.offer.kind.clone(), ..ruling(Ruled::Never, RuledOn::Repeater) };
    apply(&mut without, &Edit::put(never)).expect("a ruling");
    let second = advised(&without, &stays("heat"));
    assert!(second.picks.iter().all(|p| p.offer.kind != "repeater-plug"));
    assert!(second.left.len() >= first.left.len());
    assert!(second.left.len() > first.left.len() || second.cost >= first.cost - 1e-9);
}

#[test]
fn who_no_longer_waits_is_answered_nothing() {
    let analysis = analysed(&larkfield_mill());
    let mut calls = 0;
    let broken = advise(
        &analysis,
        &ask("mesh"),
        &mut |_, _| {
            calls += 1;
            if calls > 3 {
                std::ops::ControlFlow::Break(())
            } else {
                std::ops::ControlFlow::Continue(())
            }
        },
        &|| true,
    );
    assert!(broken.is_none());
    assert!(advise(&analysis, &ask("mesh"), &mut to_the_end, &|| false).is_none());
}
