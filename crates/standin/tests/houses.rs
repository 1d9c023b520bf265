//! The demo houses are whole and show what they are meant to show.

use std::collections::BTreeSet;
use std::sync::Arc;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::network::Band;
use dot_reach_core::network::air::advise;
use dot_reach_core::radio::system::System;
use dot_reach_core::site::Neutral;
use dot_reach_standin::houses::{larkfield_mill, quay_court, tern_row, tower};

#[test]
fn nothing_of_the_mill_is_refused() {
    let (site, refused) = larkfield_mill::planned();
    assert_eq!(refused, Vec::<String>::new());
    assert!(site.points.len() >= 50, "{} points", site.points.len());
}

#[test]
fn the_mill_has_its_troubles() {
    let site = Arc::new(larkfield_mill());
    let analysis = analyse(&site, &Options::default());
    let outcomes = || analysis.networks.iter().flat_map(|n| &n.outcomes);
    let band = |id: &str| outcomes().find(|o| o.device.as_str() == id).map(|o| o.band);
    // One wing is out of reach of the heating and the remotes, the hubs stand in metal, and two
    // boxes are still to be opened.
    assert_eq!(band("heat-wing-heat"), Some(Band::Out));
    assert_eq!(band("star-wing-rem"), Some(Band::Out));
    let found = |rule: &str| analysis.findings.iter().filter(|f| f.found.rule() == rule).count();
    assert_eq!(found("hub in metal"), 3);
    assert!(found("fit") >= 3);
    let without_neutral = site.points.iter().filter(|p| p.neutral == Neutral::Absent).count();
    assert_eq!(without_neutral, 3);
}

#[test]
fn the_flat_is_a_noisy_place_for_thread() {
    let (site, refused) = quay_court::planned();
    assert_eq!(refused, Vec::<String>::new());
    let analysis = analyse(&Arc::new(site), &Options::default());
    let thread = analysis.networks.iter().find(|n| n.system == System::Thread).unwrap();
    assert!(thread.nodes.iter().any(|n| n.needs > n.radio.sensitivity), "nobody is disturbed");
    let found = |rule: &str| analysis.findings.iter().any(|f| f.found.rule() == rule);
    assert!(found("hub beside a source") && found("one border router"));
    // The adviser finds a better channel than the one beside the neighbour's mesh.
    let best = &advise(thread)[0];
    assert_ne!(Some(best.channel), thread.channel);
}

#[test]
fn the_guesthouse_is_large_and_whole() {
    let (site, refused) = tern_row::planned();
    assert_eq!(refused, Vec::<String>::new());
    assert!((380..=430).contains(&site.devices.len()), "{} devices", site.devices.len());
    let rooms: BTreeSet<_> =
        site.points.iter().map(|p| &p.room).filter(|r| r.starts_with("Room")).collect();
    assert_eq!(rooms.len(), 38);
    let analysis = analyse(&Arc::new(site), &Options::default());
    let outcomes = analysis.networks.iter().flat_map(|n| &n.outcomes);
    let reached = outcomes.filter(|o| o.band >= Band::Thin).count();
    assert!(reached > 350, "{reached}");
}

#[test]
fn the_tower_is_ten_floors_with_a_network_each() {
    let site = tower();
    assert_eq!((site.floors.len(), site.networks.len(), site.devices.len()), (10, 10, 2000));
    assert!(
        site.walls.iter().all(|w| site.floors.get(&w.floor).is_some()),
        "every wall has its floor"
    );
}
