//! What comes next on a job that has nothing to analyse yet.

use crate::catalogue::Duty;
use crate::site::{Network, Site};

/// A step, and the page on which it is taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct NextStep {
    /// What to do.
    pub words: &'static str,
    /// The page, under the address of the job.
    pub page: &'static str,
}

/// How many steps are named.
const MOST: usize = 3;

/// The next three steps of a job, in the order of the work; none once a network has a hub and devices.
pub fn next_steps(site: &Site, network: Option<&Network>) -> Vec<NextStep> {
    let of = |d: &&crate::site::Device| network.is_some_and(|n| n.id == d.network);
    let duty = |d: &crate::site::Device| site.kind(&d.kind).map(|k| k.duty);
    let mine: Vec<_> = site.devices.iter().filter(of).collect();
    let has_hub = mine.iter().any(|d| duty(d) == Some(Duty::Hub));
    let has_devices = mine.iter().any(|d| duty(d) != Some(Duty::Hub));
    if !site.walls.is_empty() && has_hub && has_devices {
        return Vec::new();
    }
    let next = |words, page| NextStep { words, page };
    let all = [
        (
            site.walls.is_empty(),
            next("Put the plan of a storey under the sheet, or draw its walls.", "survey"),
        ),
        (
            site.points.is_empty(),
            next("Survey the points: switches, sockets, fittings, each with its box.", "sheet"),
        ),
        (network.is_none(), next("Add a network of the system that you plan with.", "survey")),
        (!has_hub, next("Place a hub where it can really stand.", "survey")),
        (!has_devices, next("Place what it shall reach.", "survey")),
        (site.emitters.is_empty(), next("Put the router of the house on the plan.", "air")),
        (true, next("Ask which repeaters are needed.", "advice")),
    ];
    all.into_iter().filter(|(is_open, _)| *is_open).map(|(_, next)| next).take(MOST).collect()
}
