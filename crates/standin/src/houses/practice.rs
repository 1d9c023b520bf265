//! Houses to practise on: what is hidden in them is known, and told at the end of the job's note.

use std::collections::BTreeMap;

use dot_reach_core::analysis::{Options, analyse};
use dot_reach_core::record::{Folder, NodeReport, What};
use dot_reach_core::site::Site;
use dot_reach_core::units::typographic;
use std::sync::Arc;

use crate::drawn::{Deviations, Drawn, as_readings};
use crate::story::{moment, told};

/// How many readings were taken.
const READINGS: usize = 30;

/// A house around a plan, with heavier walls, a device in metal, two readings gone wrong, an entry without a
/// device, a device without an entry and one that took another parent.
///
/// # Panics
/// A house that the rules refuse: a defect here, which a test finds.
pub fn practice(plan: &Site, name: &str, heavier: &[(&str, f64)], seed: u64) -> Folder {
    let differs = Deviations {
        heavier: heavier.iter().map(|(id, db)| ((*id).to_owned(), *db)).collect::<BTreeMap<_, _>>(),
        constructions: 0.5,
        exponent: 0.0,
        devices: 2.0,
        fades: 3.0,
        in_metal: 1,
    };
    let mut house = Drawn::new(plan, &differs, seed);
    let metal = house.in_metal.first().copied().unwrap_or_default();
    let at =
        |l: &&(dot_reach_core::prove::gains::AskedLink, f64)| l.0.from == metal || l.0.to == metal;
    let own: Vec<_> = house.links.iter().filter(at).take(4).copied().collect();
    let (mut read, _) = house.some(READINGS - own.len());
    read.retain(|l| !at(&l));
    let spoiled = house.spoil(&mut read, 2);
    read.extend(own);
    let mut site = plan.clone();
    let readings = as_readings(plan, &house, &read);
    let (reports, rest) = tables(&site);
    let named = |id: &str| site.devices.named(id).map_or(id.to_owned(), |d| d.name.clone());
    let walls: Vec<String> = heavier
        .iter()
        .filter_map(|(id, db)| {
            let made = site.construction(id)?.name.clone();
            Some(format!("{made} {} dB heavier", typographic(*db, 0)))
        })
        .collect();
    let wrong: Vec<String> = spoiled
        .iter()
        .map(|i| {
            let (a, _) = read[*i];
            let end = |e: usize| named(&house.ends.ends[e].0);
            format!("{} to {}", end(a.from), end(a.to))
        })
        .collect();
    let truth = format!(
        "Practice: place readings, find what differs, then read on. What is hidden: {}; {} is in metal; the \
         readings {} are wrong; {}",
        walls.join(", "),
        named(&house.ends.ends[metal].0),
        wrong.join(" and "),
        rest
    );
    (site.job.name, site.job.note) = (name.to_owned(), truth);
    let all = readings.into_iter().map(What::Read).chain(reports.into_iter().map(What::Reported));
    told(site, "Practice", "2026-04-02T18:00:00Z", all.collect())
}

/// What the hub of the first network would tell, with three things wrong in it.
fn tables(site: &Site) -> (Vec<NodeReport>, String) {
    let analysis = analyse(&Arc::new(site.clone()), &Options::default());
    let Some(network) = analysis.networks.first() else { return (Vec::new(), String::new()) };
    let mut reports = Vec::new();
    let mut report = |n: usize, node: u32, device, via, answers| {
        let Ok(id) = format!("p{n:03}").parse() else { return };
        reports.push(NodeReport {
            id,
            network: network.network.clone(),
            node: Some(node),
            device,
            via,
            last_working: false,
            answers: Some(answers),
            firmware: String::new(),
            settings: BTreeMap::new(),
            at: moment("2026-04-02T12:00:00Z"),
            source: "hub".to_owned(),
        });
    };
    let (mut left_out, mut other) = (None, None);
    let mut node = 1;
    for (place, outcome) in network.outcomes.iter().enumerate() {
        if network.hubs.contains(&place) {
            continue;
        }
        node += 1;
        let name = network.nodes[place].name.clone();
        if left_out.is_none() && outcome.hops.len() == 1 && place > 3 {
            left_out = Some(name);
            continue;
        }
        let planned: Vec<_> = outcome.hops.iter().skip(1).map(|h| h.from.clone()).collect();
        // The first that could go straight goes over the weakest carrier that it hears.
        let worst = || {
            let carries = (0..network.nodes.len()).filter(|c| {
                *c != place && network.nodes[*c].carries_others() && !network.hubs.contains(c)
            });
            let heard = carries.map(|c| (c, network.link(place, c).margin()));
            let heard = heard.filter(|(_, m)| m.get() > 0.0);
            heard.min_by(|a, b| a.1.total_cmp(&b.1)).map(|(c, _)| c)
        };
        let via = match worst() {
            Some(c) if other.is_none() && planned.is_empty() && place > 2 => {
                other = Some(format!("{name} goes over {}", network.nodes[c].name));
                vec![network.nodes[c].device.clone()]
            }
            _ => planned,
        };
        report(place, node, Some(network.nodes[place].device.clone()), Some(via), true);
    }
    report(900, 41, None, None, false);
    let rest = format!(
        "node 41 is a ghost; {} is in no list; {}.",
        left_out.unwrap_or_else(|| "nothing".to_owned()),
        other.unwrap_or_else(|| "every device goes as planned".to_owned())
    );
    (reports, rest)
}
