//! What would help: each cure gives, once done, the very margin that it tells.

use std::sync::Arc;

use dot_reach_core::analysis::{Analysis, Options, analyse};
use dot_reach_core::cures::{CureTried, cures};
use dot_reach_core::network::Band;
use dot_reach_core::site::{DeviceId, apply};
use dot_reach_standin::houses::larkfield_mill;

fn below_target(analysis: &Analysis) -> Vec<DeviceId> {
    let rows = analysis.worst_first().into_iter();
    let below = rows.filter(|(n, place, o)| !n.hubs.contains(place) && o.band < Band::Sound);
    below.map(|(_, _, o)| o.device.clone()).collect()
}

#[test]
fn every_cure_of_the_mill_gives_what_it_tells() {
    let analysis = analyse(&Arc::new(larkfield_mill()), &Options::default());
    let below = below_target(&analysis);
    assert!(below.len() >= 5, "{below:?}");
    for device in &below {
        let found = cures(&analysis, device, &|| true);
        assert!(found.len() <= 3, "{device}");
        for cure in &found {
            let mut site = larkfield_mill();
            apply(&mut site, &cure.edit).unwrap();
            let there = analyse(&Arc::new(site), &Options::default());
            let (network, place) = there.find(device).unwrap();
            let after = &network.outcomes[place];
            assert_eq!((after.band, after.weakest().unwrap().margin()), (cure.band, cure.margin));
            let (network, place) = analysis.find(device).unwrap();
            assert!(after.band >= network.outcomes[place].band, "{device}: {}", cure.what);
        }
        // What brings it to target comes before what does not.
        assert!(found.is_sorted_by_key(|c| c.band < Band::Sound), "{device}");
    }
    // The cabinet around the hub is named to all whom it keeps below target.
    let cabinet = |device: &DeviceId| {
        let is = |c: &dot_reach_core::cures::Cure| matches!(&c.what, CureTried::OutOf { around, .. } if *around == "closed metal cabinet");
        cures(&analysis, device, &|| true).iter().any(is)
    };
    assert!(below.iter().filter(|d| cabinet(d)).count() >= 3);
}

#[test]
fn what_is_at_target_needs_no_cure_and_trying_stops_when_nobody_waits() {
    let analysis = analyse(&Arc::new(larkfield_mill()), &Options::default());
    let rows = analysis.worst_first();
    let (_, _, sound) = rows.iter().find(|(_, _, o)| o.band == Band::Solid).unwrap();
    assert_eq!(cures(&analysis, &sound.device, &|| true), []);
    let worst = below_target(&analysis).remove(0);
    assert_eq!(cures(&analysis, &worst, &|| false), []);
}
