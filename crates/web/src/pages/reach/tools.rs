//! What stands around the plan: the tools with what each has to say, and what the numbers rest on.

use dot_reach_core::analysis::Analysis;
use dot_reach_core::findings::Mends;
use dot_reach_core::network::outcome::Reason;
use dot_reach_core::network::{Band, NetworkAnalysis, Outcome};
use dot_reach_core::placement::{against, place_name};
use dot_reach_core::simulate::Chances;

use super::ledger::percent;

/// A page beside this one.
pub(crate) struct Tool {
    pub(crate) name: &'static str,
    /// A number or a name from there.
    pub(crate) says: String,
    /// Whether that wants somebody.
    pub(crate) warns: bool,
    pub(crate) means: &'static str,
    /// Under the address of the job.
    pub(crate) href: String,
}

/// Something that the numbers rest on.
pub(crate) struct Fact {
    pub(crate) name: &'static str,
    pub(crate) says: String,
    pub(crate) means: String,
}

pub(super) fn tools(analysis: &Analysis, network: Option<&NetworkAnalysis>) -> Vec<Tool> {
    let site = &analysis.site;
    let of = |page: &str| {
        network.map_or_else(|| page.to_owned(), |n| format!("{page}?network={}", n.network))
    };
    let channel = network.and_then(|n| n.channel);
    let sources = site.emitters.len();
    let hub = network.and_then(|n| {
        let hub = site.devices.get(&n.nodes[*n.hubs.first()?].device)?;
        site.point_of(hub)
    });
    let boxed = hub.map(against).unwrap_or_default();
    let controls = analysis.findings.iter().filter(|f| f.found.mends() == Mends::Control).count();
    vec![
        advice(analysis, network, of("advice")),
        Tool {
            name: "Channels and the air",
            says: match (channel, sources) {
                (Some(channel), 0) => format!("channel {channel}, no sources known"),
                (Some(channel), n) => format!("channel {channel}, {n} known"),
                (None, _) => String::new(),
            },
            warns: channel.is_some() && sources == 0,
            means: "What else sends in the house, and which channel suits this network best",
            href: of("air"),
        },
        Tool {
            name: "Where the hub could stand",
            says: match (hub, boxed.is_empty()) {
                (None, _) => "no hub yet".to_owned(),
                (Some(point), true) => place_name(site, point),
                (Some(_), false) => boxed.join(", "),
            },
            warns: hub.is_none() || !boxed.is_empty(),
            means: "Every place where the hub could stand, analysed in full",
            href: of("hub"),
        },
        Tool {
            name: "Who controls what",
            says: if controls == 0 { String::new() } else { format!("{controls} to settle") },
            warns: controls > 0,
            means: "Which remote or switch works which load, and what still works in an outage",
            href: "controls".to_owned(),
        },
        Tool {
            name: "Variants",
            says: String::new(),
            warns: false,
            means: "Branches of this job side by side: what each gives, costs and changes",
            href: "variants".to_owned(),
        },
        Tool {
            name: "Three schools",
            says: String::new(),
            warns: false,
            means: "The same links by the three ways in which planners reckon: wall by wall, by one \
                    exponent, and by a rule of thumb; where they differ, measure",
            href: of("schools"),
        },
    ]
}

/// The adviser, with who is still below target.
fn advice(analysis: &Analysis, network: Option<&NetworkAnalysis>, href: String) -> Tool {
    let below = network.map_or(0, |n| {
        let is_below = |o: &&Outcome| o.band < Band::Sound && !matches!(o.reason, Reason::Down);
        n.outcomes.iter().filter(is_below).count()
    });
    // Of a network with no hub or nothing to reach there is nothing to be said.
    let is_empty = network.is_none_or(|n| n.hubs.is_empty() || n.nodes.len() <= n.hubs.len());
    let overruled = analysis.site.rulings.len();
    Tool {
        name: "Advice",
        says: match (below, overruled) {
            _ if is_empty => String::new(),
            (0, 0) => "all at target".to_owned(),
            (0, n) => format!("all at target, {n} overruled"),
            (n, _) => format!("{n} below target"),
        },
        warns: below > 0 && !is_empty,
        means: "Hub and repeaters together: the least that is enough, with the proof that less is not",
        href,
    }
}

pub(super) fn facts(
    analysis: &Analysis,
    network: Option<&NetworkAnalysis>,
    chances: Option<&Chances>,
) -> Vec<Fact> {
    let fact = |name, says: String, means: String| Fact { name, says, means };
    let mut facts = vec![
        fact(
            "Wanted",
            percent(analysis.site.job.confidence.get()),
            "How sure each link has to be. It is set in the brief.".to_owned(),
        ),
        fact(
            "Model ±",
            analysis.sigma.to_string(),
            "Two in three real levels lie within this of what is planned; readings make it smaller."
                .to_owned(),
        ),
        fact(
            "Target",
            analysis.target.to_string(),
            "The margin that a link needs to be as sure as wanted, given the ±.".to_owned(),
        ),
    ];
    facts.extend(network.map(|n| {
        let means = "The middle of the band in which this network sends.".to_owned();
        fact("Band", format!("{:.2}", n.medium.frequency()), means)
    }));
    let Some(chances) = chances else { return facts };
    let draws = chances.draws;
    facts.extend(network.and_then(|n| chances.of_network(&n.network)).map(|c| {
        let means = format!(
            "In so many of {draws} houses drawn around the plan is every device of this network reached."
        );
        fact("All reached", percent(c.all), means)
    }));
    // With one network the house is that network.
    facts.extend((chances.networks.len() > 1).then(|| {
        let means = format!(
            "In so many of {draws} drawn houses is every device of every network reached at once."
        );
        fact("Whole house", percent(chances.all), means)
    }));
    facts
}
