//! A line of the ledger opened: why, by which way, what it hangs on and what to do.

use dot_reach_core::analysis::Analysis;
use dot_reach_core::elsewhere::elsewhere;
use dot_reach_core::network::NetworkAnalysis;
use dot_reach_core::network::{Band, Hop, Node, Outcome, Reason, Role};
use dot_reach_core::power::{events_of, life_of, messages_of};
use dot_reach_core::simulate::Chances;
use dot_reach_core::site::neutrals::really;
use dot_reach_core::site::{Device, Point, Site};
use dot_reach_core::units::{count_of, typographic};
use dot_reach_store::JobId;

use super::ledger::{name, percent};
use super::view::{FindingRow, finding_row};
use crate::drawing::band_class;

#[expect(clippy::struct_excessive_bools, reason = "each is one thing that a template asks")]
pub(crate) struct Details {
    pub(crate) reason: String,
    pub(crate) route: String,
    pub(crate) hops: Vec<HopRow>,
    pub(crate) hops_words: String,
    /// Where hops have a target of their own: which, and why.
    pub(crate) own_targets: Vec<String>,
    pub(crate) role: String,
    pub(crate) place: String,
    pub(crate) success: String,
    pub(crate) parents: String,
    /// Whether what would help is to be tried.
    pub(crate) wants_cures: bool,
    pub(crate) hangs_on: String,
    pub(crate) takes_down: Vec<String>,
    pub(crate) can_fail: bool,
    pub(crate) is_down: bool,
    pub(crate) point: String,
    pub(crate) findings: Vec<FindingRow>,
    pub(crate) hub: String,
    pub(crate) chance: String,
    pub(crate) second: String,
    pub(crate) breakers: String,
    pub(crate) battery: String,
    pub(crate) circuit: String,
    /// Whether that breaker was proven to be the one.
    pub(crate) circuit_proven: bool,
    /// What its breaker takes down with it.
    pub(crate) circuit_takes: String,
    pub(crate) circuit_off: bool,
    /// From where else it is used, and how it is reached from there.
    pub(crate) elsewhere: Vec<(String, &'static str, String)>,
}

pub(crate) struct HopRow {
    pub(crate) to: String,
    pub(crate) out: String,
    pub(crate) back: String,
    /// How far off both may be.
    pub(crate) off: String,
    pub(crate) class: &'static str,
}

/// The second way round, and whether two ways share no breaker either.
fn second_way(network: &NetworkAnalysis, place: usize) -> String {
    let words = |way: &[usize]| {
        let names: Vec<_> = way.iter().map(|p| network.nodes[*p].name.as_str()).collect();
        names.join(" › ")
    };
    let second = match network.second_route(place) {
        Some(way) if way.len() > 2 => format!("Second way, sharing no device: {}.", words(&way)),
        Some(_) => "Second way: straight from the hub.".to_owned(),
        None if network.outcomes[place].hops.len() > 1 => {
            return "There is no second way round.".to_owned();
        }
        None => return String::new(),
    };
    let apart = match network.routes_by_breakers(place) {
        // Nothing stands between on a straight way, so that no breaker can be shared.
        Some([a, _]) if a.len() == 2 => "No breaker takes down both ways.".to_owned(),
        Some([a, b]) => {
            format!("No breaker takes down both of these: {}; {}.", words(&a), words(&b))
        }
        None => "But no two ways were found without a breaker in common.".to_owned(),
    };
    format!("{second} {apart}")
}

/// What a device's breaker takes down with it, by name.
fn circuit_takes(analysis: &Analysis, node: &Node) -> String {
    const MOST: usize = 8;
    if node.circuit.is_empty() {
        return String::new();
    }
    let lost = analysis.lost_with_breaker(&node.circuit);
    let others = lost.iter().filter(|o| o.device != node.device);
    let devices = &analysis.site.devices;
    let names: Vec<_> =
        others.filter_map(|o| Some(devices.get(&o.device)?.name.as_str())).collect();
    match names.len().checked_sub(MOST) {
        None | Some(0) => names.join(", "),
        Some(more) => format!("{} and {more} more", names[..MOST].join(", ")),
    }
}

/// Where a point is, and the breaker that really feeds it.
fn place_words(site: &Site, point: &Point) -> String {
    let label = point.circuit.trim();
    let circuit = match really(site, label) {
        "" => String::new(),
        breaker if breaker == label => format!(", breaker {label}"),
        breaker => format!(", breaker {breaker} (labelled {label})"),
    };
    let room = if point.room.is_empty() { "no room" } else { &point.room };
    format!("{room}, {} up{circuit}", point.height_m)
}

/// How it is reached from every other place that it is carried to.
fn carried(analysis: &Analysis, node: &Node) -> Vec<(String, &'static str, String)> {
    let there = elsewhere(analysis, &node.device, &|| true).into_iter();
    let told = there.map(|(point, there)| {
        let at = analysis.site.points.get(&point);
        let at = at.map_or_else(|| point.to_string(), Point::title);
        (at, band_class(there.band), format!("{}: {}", there.band.grade(), there.reason))
    });
    told.collect()
}

/// What a hop needs, where that is not the target of the house.
fn own_target(analysis: &Analysis, network: &NetworkAnalysis, hop: &Hop) -> Option<String> {
    let differs = (hop.target - analysis.target).get().abs() > 0.05;
    differs.then(|| {
        format!(
            "To {} the target is {}, not {}: something on the way is guessed, and the link is known to ± {} only.",
            name(network, &hop.to),
            hop.target,
            analysis.target,
            hop.sigma
        )
    })
}

/// How long the battery of a device lasts, in a sentence; nothing where it has none, or is not reached.
fn battery(site: &Site, device: &Device, outcome: &Outcome) -> Option<String> {
    let draw = site.kind(&device.kind)?.draw?;
    let (life, events) = (life_of(site, device, &draw, outcome)?, events_of(device, &draw));
    let messages = messages_of(site, device);
    let told = if messages > 1.0 {
        format!(" of {messages:.0} messages each, as it tells its loads itself")
    } else {
        String::new()
    };
    Some(format!(
        "Its {} {} about {:.1} ± {:.1} years here, with {events:.0} events a day{told}; {:.1} with no message sent twice.",
        draw.cell.name(),
        if draw.cells == 1 { "lasts" } else { "last" },
        life.years,
        life.off_by,
        draw.life_telling(events, messages, 1.0).years
    ))
}

pub(crate) fn details(
    job: &JobId,
    analysis: &Analysis,
    network: &NetworkAnalysis,
    place: usize,
    chances: Option<&Chances>,
) -> Details {
    let site = &analysis.site;
    let (node, outcome) = (&network.nodes[place], &network.outcomes[place]);
    let route: Vec<_> = outcome
        .hops
        .first()
        .map(|h| name(network, &h.from))
        .into_iter()
        .chain(outcome.hops.iter().map(|h| name(network, &h.to)))
        .collect();
    let hops = outcome.hops.iter().map(|h| HopRow {
        to: name(network, &h.to),
        out: typographic(h.margin_out.get(), 1),
        back: typographic(h.margin_back.get(), 1),
        off: typographic(h.sigma.get(), 1),
        class: band_class(Band::of(h.margin(), h.target)),
    });
    let device = site.devices.get(&node.device);
    let point = device.and_then(|d| site.point_of(d));
    let is_reached = !outcome.hops.is_empty();
    let chance = chances.and_then(|c| Some((c.of(&node.device)?, c.draws)));
    let second = || second_way(network, place);
    let battery = device.and_then(|device| battery(&analysis.site, device, outcome));
    let hangs_on: Vec<_> = network.hangs_on_carriers(outcome).map(|d| name(network, d)).collect();
    Details {
        wants_cures: outcome.band < Band::Sound && outcome.reason != Reason::Down,
        battery: battery.unwrap_or_default(),
        elsewhere: carried(analysis, node),
        circuit: node.circuit.clone(),
        circuit_proven: point
            .and_then(|p| analysis.site.circuit_of(p))
            .is_some_and(|c| c.proven.is_some()),
        circuit_takes: circuit_takes(analysis, node),
        circuit_off: analysis.options.breakers_off.contains(&node.circuit),
        chance: chance
            .map(|(p, draws)| format!("Reached in {} of {draws} houses drawn.", percent(p)))
            .unwrap_or_default(),
        second: if is_reached { second() } else { String::new() },
        breakers: outcome.hangs_on_breakers.join(", "),
        reason: outcome.reason.to_string(),
        route: route.join(" › "),
        own_targets: outcome.hops.iter().filter_map(|h| own_target(analysis, network, h)).collect(),
        hops_words: if is_reached {
            format!(
                "{}, {}",
                count_of(outcome.hops.len(), "hop", "hops"),
                count_of(outcome.repeaters(), "repeater", "repeaters")
            )
        } else {
            String::new()
        },
        hops: hops.collect(),
        role: format!("{}: {}", node.role.role.name(), node.role.why),
        place: point.map_or_else(String::new, |p| place_words(site, p)),
        success: if is_reached {
            format!(
                "{:.0} % of messages, about {:.0} ms from the hub",
                outcome.success * 100.0,
                outcome.delay_ms
            )
        } else {
            String::new()
        },
        parents: count_of(outcome.parents, "parent at target", "parents at target"),
        hangs_on: hangs_on.join(", "),
        takes_down: analysis
            .lost_without(&node.device)
            .into_iter()
            .map(|o| name(network, &o.device))
            .collect(),
        can_fail: node.role.role == Role::Forwards,
        is_down: analysis.options.down.contains(&node.device),
        point: point.map(|p| p.id.to_string()).unwrap_or_default(),
        findings: analysis
            .findings
            .iter()
            .filter(|f| f.device.as_ref() == Some(&node.device))
            .map(|f| finding_row(job, f))
            .collect(),
        hub: if network.hubs.len() > 1 {
            outcome.hub.as_ref().map(|h| name(network, h)).unwrap_or_default()
        } else {
            String::new()
        },
    }
}
