//! What else is on the air: the adviser against setting each channel in turn, and laws of sources.
#![expect(clippy::unwrap_used, reason = "a search that finds nothing has failed its test")]

use std::sync::Arc;

use crate::common::{bare, device, with};
use dot_reach_core::analysis::{Analysis, Options, analyse};
use dot_reach_core::network::air::{ChannelScore, advise};
use dot_reach_core::radio::channels::IEEE_802_15_4;
use dot_reach_core::radio::system::System;
use dot_reach_core::site::Site;
use dot_reach_core::units::Db;
use dot_reach_standin::houses::quay_court;
use proptest::prelude::*;
use serde_json::{Value, json};

fn analysed(site: Site) -> Analysis {
    analyse(&Arc::new(site), &Options::default())
}

fn source(id: &str, at: [f64; 2], channel: u8, tx: f64, busy: f64) -> Value {
    json!({"do": "put", "kind": "emitter", "value": {"id": id, "name": id, "floor": "g", "at": at, "height_m": 1.2,
        "carrier": {"kind": "wifi", "channel": channel, "width_mhz": 20}, "tx_dbm": tx, "busy": busy}})
}

fn on_channel(channel: Option<u8>) -> Value {
    json!({"do": "put", "kind": "network", "value": {"id": "n", "name": "Net", "system": "zigbee", "channel": channel}})
}

/// A hub and three devices.
fn small() -> Site {
    with(
        bare(System::Zigbee),
        &[
            device("h", "hub", [0.0, 0.0]),
            device("a", "switch-neutral", [6.0, 0.0]),
            device("b", "sensor-battery", [9.0, 3.0]),
            device("c", "switch-neutral", [3.0, 7.0]),
        ],
    )
}

fn margins(analysis: &Analysis) -> Vec<Db> {
    let network = analysis.networks.iter().find(|n| n.network.as_str() == "n").unwrap();
    network.links.all.iter().map(dot_reach_core::network::Link::margin).collect()
}

/// The adviser's answer by the long way: every channel set, the house analysed, and the best quiet
/// link of each device looked up.
fn by_setting_each(
    site: &Site,
    network: usize,
    set: impl Fn(Option<u8>) -> Value,
) -> Vec<(u8, Db, Db, usize)> {
    let quiet = analysed(with(site.clone(), &[set(None)]));
    let quiet = &quiet.networks[network];
    let devices = 0..quiet.nodes.len();
    let best: Vec<(usize, usize)> = devices
        .filter(|n| !quiet.hubs.contains(n))
        .filter_map(|n| {
            let carriers =
                (0..quiet.nodes.len()).filter(|c| *c != n && quiet.nodes[*c].carries_others());
            let by_margin = |a: &usize, b: &usize| {
                quiet.link(n, *a).margin().total_cmp(&quiet.link(n, *b).margin())
            };
            Some((n, carriers.max_by(by_margin)?))
        })
        .collect();
    IEEE_802_15_4
        .numbers()
        .map(|channel| {
            let there = analysed(with(site.clone(), &[set(Some(channel))]));
            let there = &there.networks[network];
            let spare = |(n, carrier): &(usize, usize)| {
                let link = there.link(*n, *carrier);
                link.margin() - link.target
            };
            let spares: Vec<Db> = best.iter().map(spare).collect();
            let worst = spares.iter().copied().min_by(Db::total_cmp).unwrap();
            #[expect(clippy::cast_precision_loss, reason = "a count of links")]
            let mean = spares.iter().copied().sum::<Db>() * (1.0 / spares.len() as f64);
            (channel, worst, mean, spares.iter().filter(|s| **s < Db::ZERO).count())
        })
        .collect()
}

fn agree(advised: &Analysis, network: usize, long: &[(u8, Db, Db, usize)]) {
    let scores = advise(&advised.networks[network]);
    assert_eq!(scores.len(), 16);
    for (channel, worst, mean, below) in long {
        let score = scores.iter().find(|s| s.channel == *channel).unwrap();
        assert!((score.worst - *worst).get().abs() < 1e-6, "{channel}: {} {worst}", score.worst);
        assert!((score.mean - *mean).get().abs() < 1e-6, "{channel}: {} {mean}", score.mean);
        assert_eq!(score.below, *below, "{channel}");
    }
    // The best first: fewest below target, then fewest repeats.
    let sends = |s: &ChannelScore| (s.tries.1 * 100.0).round();
    assert!(scores.is_sorted_by(|a, b| (a.below, sends(a)) <= (b.below, sends(b))));
}

#[test]
fn the_adviser_says_what_setting_each_channel_gives() {
    let site = with(
        small(),
        &[source("near", [5.0, 1.0], 1, 19.0, 0.5), source("far", [20.0, 9.0], 11, 19.0, 0.3)],
    );
    let long = by_setting_each(&site, 0, on_channel);
    // Whatever channel is in use, the advice is the same.
    for in_use in [None, Some(11), Some(25)] {
        agree(&analysed(with(site.clone(), &[on_channel(in_use)])), 0, &long);
    }
    let best = &advise(&analysed(site).networks[0])[0];
    assert!((15..=26).contains(&best.channel), "Wi-Fi 1 lies on 11 to 14, not on {}", best.channel);
}

#[test]
fn so_it_does_in_the_flat_with_neighbours_and_a_scan() {
    let site = quay_court();
    let analysis = analysed(site.clone());
    let place = analysis.networks.iter().position(|n| n.network.as_str() == "thread").unwrap();
    let network = site.networks.named("thread").unwrap();
    let set = |channel: Option<u8>| {
        let mut network = network.clone();
        network.channel = channel;
        json!({"do": "put", "kind": "network", "value": network})
    };
    agree(&analysis, place, &by_setting_each(&site, place, set));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    #[test]
    fn a_source_never_helps_and_less_of_it_never_hurts(
        x in 0.5..30.0f64, y in 0.5..20.0f64, wifi in 1..13u8, channel in 11..=26u8,
        tx in 0.0..20.0f64, less in 0.0..20.0f64, busy in 0.01..1.0f64, share in 0.0..1.0f64,
    ) {
        let quiet = with(small(), &[on_channel(Some(channel))]);
        let of = |tx: f64, busy: f64| margins(&analysed(with(quiet.clone(), &[source("s", [x, y], wifi, tx, busy)])));
        let (silent, loud) = (margins(&analysed(quiet.clone())), of(tx, busy));
        let softer = of(tx - less, busy);
        let rarer = of(tx, busy * share);
        for (((silent, loud), softer), rarer) in silent.iter().zip(&loud).zip(&softer).zip(&rarer) {
            prop_assert!(loud <= silent);
            prop_assert!(softer >= loud && softer <= silent);
            prop_assert!(rarer >= loud && rarer <= silent);
        }
        // Rarer sources cost no link more repeats.
        let sends = |busy: f64| -> Vec<f64> {
            let analysis = analysed(with(quiet.clone(), &[source("s", [x, y], wifi, tx, busy)]));
            let network = &analysis.networks[0];
            let over = |link| network.arrivals.over(&network.nodes, link).1;
            network.links.all.iter().map(over).collect()
        };
        let (often, seldom) = (sends(busy), sends(busy * share));
        prop_assert!(seldom.iter().zip(&often).all(|(s, o)| *s <= o + 1e-9));
    }
}

#[test]
fn a_source_that_is_silent_is_as_none() {
    let quiet = with(small(), &[on_channel(Some(17))]);
    let none = margins(&analysed(quiet.clone()));
    let silent = margins(&analysed(with(quiet, &[source("s", [6.0, 1.0], 6, 20.0, 0.0)])));
    assert_eq!(none, silent);
}

#[test]
fn below_a_gigahertz_wifi_is_not_heard() {
    let place = |s| {
        with(bare(s), &[device("h", "hub", [0.0, 0.0]), device("a", "switch-neutral", [6.0, 0.0])])
    };
    for system in [System::ZWave, System::ZWaveLr] {
        let quiet = margins(&analysed(place(system)));
        let noisy =
            margins(&analysed(with(place(system), &[source("s", [6.0, 1.0], 6, 20.0, 1.0)])));
        assert_eq!(quiet, noisy);
    }
}

#[test]
fn networks_of_one_job_hear_each_other() {
    let second = [
        json!({"do": "put", "kind": "network", "value": {"id": "m", "name": "Other", "system": "thread", "channel": 15}}),
        json!({"do": "put", "kind": "point", "value": {"id": "m", "name": "m", "floor": "g", "at": [3.0, 3.0], "height_m": 1.2, "kind": "shelf"}}),
        json!({"do": "put", "kind": "device", "value": {"id": "m", "name": "m", "point": "m", "kind": "hub", "network": "m"}}),
    ];
    let with_other = |channel| analysed(with(with(small(), &second), &[on_channel(Some(channel))]));
    // Another mesh takes so little of the time that it costs repeats before it costs reach.
    let repeats = |analysis: &Analysis| {
        let network = analysis.networks.iter().find(|n| n.network.as_str() == "n").unwrap();
        network.outcomes.iter().map(|o| o.tries).sum::<f64>()
    };
    let alone = repeats(&analysed(with(small(), &[on_channel(Some(15))])));
    let (shared, apart) = (repeats(&with_other(15)), repeats(&with_other(26)));
    assert!(shared > alone, "the other mesh is on its channel");
    assert!(apart < shared && apart >= alone, "eleven channels away");
}
