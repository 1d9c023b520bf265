//! What stands beside the plan: what wants somebody, and what the numbers rest on.

use dot_reach_core::analysis::Analysis;
use dot_reach_core::findings::Mends;
use dot_reach_core::network::outcome::Reason;
use dot_reach_core::network::{Band, NetworkAnalysis, Outcome};
use dot_reach_core::placement::{against, place_name};
use dot_reach_core::simulate::Chances;

use super::ledger::percent;

/// Something that the numbers rest on.
pub(crate) struct Fact {
    pub(crate) name: &'static str,
    pub(crate) says: String,
    pub(crate) means: String,
    /// The page where it is changed, under the address of the job.
    pub(crate) href: Option<String>,
    /// Whether it wants somebody.
    pub(crate) warns: bool,
}

/// What this network wants of somebody: each with the page where it is done.
fn wanted(analysis: &Analysis, network: &NetworkAnalysis) -> Vec<Fact> {
    let site = &analysis.site;
    let of = |page: &str| format!("{page}?network={}", network.network);
    let hub = network.hubs.first().filter(|hub| network.is_hub(**hub));
    let hub = hub.and_then(|hub| site.point_of(site.devices.get(&network.nodes[*hub].device)?));
    let boxed = hub.map(against).unwrap_or_default();
    let is_below = |o: &&Outcome| o.band < Band::Sound && !matches!(o.reason, Reason::Down);
    let below = network.outcomes.iter().filter(is_below).count();
    let sources = site.emitters.len();
    let controls = analysis.findings.iter().filter(|f| f.found.mends() == Mends::Control).count();
    let mut all = Vec::new();
    let mut says = |name, says: String, warns, means: &str, page: String| {
        let (means, href) = (means.to_owned(), Some(page));
        all.push(Fact { name, says, means, href, warns });
    };
    if !network.hubs.is_empty() && network.nodes.len() > network.hubs.len() {
        let means = "So many devices of this network are not reached, or weaker than their target. Hub and repeaters \
                     says what would reach them.";
        let words = if below == 0 { "none".to_owned() } else { below.to_string() };
        says("Below target", words, below > 0, means, of("advice"));
    }
    if !network.is_hubless {
        let stands = match (hub, boxed.is_empty()) {
            (None, _) => "none yet".to_owned(),
            (Some(point), true) => place_name(site, point),
            (Some(_), false) => boxed.join(", "),
        };
        let means = "Where the hub of this network stands, and what stands around it.";
        says("Hub", stands, hub.is_none() || !boxed.is_empty(), means, of("hub"));
    }
    if let Some(channel) = network.channel {
        let words =
            if sources == 0 { format!("{channel}, nothing heard") } else { channel.to_string() };
        let means =
            "The channel of this network. What else sends in the house decides which one suits it.";
        says("Channel", words, sources == 0, means, of("air"));
    }
    if controls > 0 {
        let means = "So many switches, remotes and loads are not settled: which works which.";
        says("Controls", format!("{controls} open"), true, means, "controls".to_owned());
    }
    all
}

pub(super) fn facts(
    analysis: &Analysis,
    network: Option<&NetworkAnalysis>,
    chances: Option<&Chances>,
) -> Vec<Fact> {
    let fact =
        |name, says: String, means: String| Fact { name, says, means, href: None, warns: false };
    let mut facts = network.map(|n| wanted(analysis, n)).unwrap_or_default();
    facts.extend([
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
    ]);
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
