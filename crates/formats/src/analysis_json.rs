//! The whole analysis as JSON, for scripts: the same numbers as on the screen.
//!
//! Key names stay stable. Levels are dBm, losses and margins dB, lengths metres.

use std::io::Write;

use dot_reach_core::Analysis;
use dot_reach_core::network::NetworkAnalysis;
use dot_reach_core::network::air::{ChannelScore, advise};
use dot_reach_core::network::{Hop, Link, Outcome};
use dot_reach_core::propagation::doorway::Station;
use dot_reach_core::pulse::to_the_end;
use dot_reach_core::simulate::{Budget, Chances, chances};
use dot_reach_core::staircase::{Staircase, StepOf, staircase_between};
use serde::ser::{Serialize, SerializeMap, Serializer};
use serde_json::{Value, json};

/// Writes the analysis link by link: a big job has more of them than fit in memory as values.
///
/// # Errors
/// When the output cannot be written.
pub fn write(analysis: &Analysis, to: impl Write) -> Result<(), serde_json::Error> {
    serde_json::to_writer_pretty(to, &Document::new(analysis))
}

/// The analysis as one value.
///
/// # Errors
/// None that numbers and words can cause.
pub fn value(analysis: &Analysis) -> Result<Value, serde_json::Error> {
    serde_json::to_value(Document::new(analysis))
}

struct Document<'a> {
    analysis: &'a Analysis,
    chances: Chances,
}

impl<'a> Document<'a> {
    fn new(analysis: &'a Analysis) -> Self {
        Self { analysis, chances: chances(analysis, Budget::default(), &mut to_the_end) }
    }
}

impl Serialize for Document<'_> {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        let (analysis, chances) = (self.analysis, &self.chances);
        let findings: Vec<_> = analysis
            .findings
            .iter()
            .map(|f| json!({ "weight": format!("{:?}", f.found.weight()).to_lowercase(), "rule": f.found.rule(), "text": f.found.to_string(), "cure": f.found.cure(), "network": f.network, "device": f.device, "point": f.point }))
            .collect();
        let mut map = to.serialize_map(None)?;
        map.serialize_entry("job", &analysis.site.job.name)?;
        map.serialize_entry("confidence", &analysis.site.job.confidence)?;
        map.serialize_entry("sigma_db", &analysis.sigma)?;
        map.serialize_entry("target_margin_db", &analysis.target)?;
        map.serialize_entry("probability_all_reached", &chances.all)?;
        map.serialize_entry("draws", &chances.draws)?;
        map.serialize_entry("findings", &findings)?;
        let takes = |b: &str| {
            analysis.lost_with_breaker(b).iter().map(|o| o.device.clone()).collect::<Vec<_>>()
        };
        let breakers = analysis.breakers().into_iter();
        let breakers = breakers.map(|b| json!({ "breaker": b, "takes_down": takes(b) }));
        map.serialize_entry("breakers", &breakers.collect::<Vec<_>>())?;
        let network = |network| NetworkDocument { network, chances };
        let networks = analysis.networks.iter().map(network);
        map.serialize_entry("networks", &OneByOne(|| networks.clone()))?;
        map.end()
    }
}

/// A list whose entries are made while they are written.
struct OneByOne<F>(F);

impl<F: Fn() -> I, I: Iterator<Item: Serialize>> Serialize for OneByOne<F> {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.collect_seq((self.0)())
    }
}

struct NetworkDocument<'a> {
    network: &'a NetworkAnalysis,
    chances: &'a Chances,
}

impl Serialize for NetworkDocument<'_> {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        let (network, chances) = (self.network, self.chances);
        let all = chances.of_network(&network.network).map(|c| c.all);
        let mut map = to.serialize_map(None)?;
        map.serialize_entry("id", &network.network)?;
        map.serialize_entry("name", &network.name)?;
        map.serialize_entry("system", &network.system)?;
        map.serialize_entry("frequency_mhz", &network.medium.frequency())?;
        map.serialize_entry("channel", &network.channel)?;
        map.serialize_entry("probability_all_reached", &all)?;
        map.serialize_entry("draws", &chances.draws)?;
        map.serialize_entry("limits", &limits(network))?;
        map.serialize_entry("channels", &channels(network))?;
        let outcomes = network.outcomes.iter().enumerate();
        let devices = outcomes.map(|(place, outcome)| device(network, place, outcome, chances));
        map.serialize_entry("devices", &OneByOne(|| devices.clone()))?;
        let stations: Vec<_> =
            network.nodes.iter().map(|n| network.medium.station(n.place)).collect();
        let links = network.links.all.iter().map(|l| link(network, &stations, l));
        map.serialize_entry("links", &OneByOne(|| links.clone()))?;
        map.end()
    }
}

fn link(network: &NetworkAnalysis, stations: &[Station], link: &Link) -> Value {
    let end = |n: usize| (&network.nodes[n], &stations[n]);
    let (a, b) = (end(link.a), end(link.b));
    let own = network.read_here(link.a, link.b);
    let out = staircase_between(&network.medium, a, b, link.target).with_read(own);
    let back = staircase_between(&network.medium, b, a, link.target).with_read(own);
    json!({
        "a": a.0.device, "b": b.0.device,
        "distance_m": a.0.place.distance(b.0.place), "path_loss_db": link.path_loss,
        "sigma_db": link.sigma, "target_margin_db": link.target, "way": out.way,
        "other_ways": out.others.iter().map(|(way, weaker)| json!({ "way": way, "weaker_db": weaker })).collect::<Vec<_>>(),
        "a_to_b": direction(network, &out, link.b), "b_to_a": direction(network, &back, link.a),
    })
}

/// The adviser's scores, the best channel first; nothing where the system has no channels.
fn channels(network: &NetworkAnalysis) -> Vec<Value> {
    if !network.rule.is_802_15_4() {
        return Vec::new();
    }
    let score = |s: ChannelScore| {
        json!({
            "channel": s.channel, "worst_spare_db": s.worst, "mean_spare_db": s.mean,
            "links_below_target": s.below, "reason": s.reason,
            "worst_delivered": s.delivered.0, "mean_delivered": s.delivered.1,
            "worst_tries": s.tries.0, "mean_tries": s.tries.1,
        })
    };
    advise(network).into_iter().map(score).collect()
}

fn limits(network: &NetworkAnalysis) -> Value {
    let rule = &network.rule;
    json!({
        "most_hops": rule.most_hops, "most_devices": rule.most_devices,
        "most_repeaters": rule.most_repeaters, "most_routers": rule.most_routers,
        "children_of_hub": rule.children_of_hub, "children_of_router": rule.children_of_router,
    })
}

fn device(network: &NetworkAnalysis, place: usize, outcome: &Outcome, chances: &Chances) -> Value {
    let ids =
        |way: &Vec<usize>| way.iter().map(|p| network.nodes[*p].device.clone()).collect::<Vec<_>>();
    let takes_down: Vec<_> = network
        .outcomes
        .iter()
        .filter(|o| o.hangs_on.contains(&outcome.device))
        .map(|o| o.device.clone())
        .collect();
    let node = &network.nodes[place];
    let weakest = outcome.weakest().map(Hop::margin);
    json!({
        "id": node.device, "name": node.name, "role": node.role.role.name(), "role_why": node.role.why.to_string(),
        "verdict": outcome.band.name(), "reason": outcome.reason.to_string(),
        "hops": outcome.hops.len(), "repeaters": outcome.repeaters(),
        "route": outcome.hops.iter().map(hop).collect::<Vec<_>>(),
        "first_route": network.first_route(place).iter().map(hop).collect::<Vec<_>>(),
        "weakest_margin_db": weakest, "success": outcome.success, "delay_ms": outcome.delay_ms,
        "expected_transmissions": outcome.tries, "hub": outcome.hub,
        "probability_reached": chances.of(&outcome.device),
        "parents_at_target": outcome.parents, "hangs_on": outcome.hangs_on,
        "hangs_on_breakers": outcome.hangs_on_breakers, "takes_down": takes_down,
        "second_route": network.second_route(place).as_ref().map(ids),
        "disjoint_routes": network.disjoint_routes(place).len(),
        "routes_by_breakers": network.routes_by_breakers(place).as_ref().map(|two| two.each_ref().map(ids)),
    })
}

fn hop(hop: &Hop) -> Value {
    json!({
        "from": hop.from, "to": hop.to,
        "margin_out_db": hop.margin_out, "margin_back_db": hop.margin_back,
        "target_margin_db": hop.target, "sigma_db": hop.sigma,
    })
}

fn direction(network: &NetworkAnalysis, stairs: &Staircase, to: usize) -> Value {
    let arrives = network.arrivals.at(to).success(stairs.received - stairs.quiet, 1);
    json!({
        "tx_dbm": stairs.tx, "received_dbm": stairs.received,
        "needs_dbm": stairs.needs, "quiet_needs_dbm": stairs.quiet, "packet_success": arrives,
        "margin_db": stairs.margin(), "length_m": stairs.length, "terms": terms(stairs),
    })
}

fn terms(stairs: &Staircase) -> Vec<Value> {
    stairs
        .steps
        .iter()
        .map(|step| {
            let (cause, id) = cause(&step.of);
            json!({ "cause": cause, "id": id, "name": step.name, "loss_db": step.loss, "at_m": step.at, "extrapolated": step.extrapolated })
        })
        .collect()
}

/// A step's cause in a word, and the id of what it is of.
pub(crate) fn cause(of: &StepOf) -> (&'static str, Option<String>) {
    match of {
        StepOf::SendingAntenna => ("sending-antenna", None),
        StepOf::AroundSender => ("around-sender", None),
        StepOf::Distance => ("distance", None),
        StepOf::Wall(id) => ("wall", Some(id.to_string())),
        StepOf::Opening(id) => ("opening", Some(id.to_string())),
        StepOf::Floor(id) => ("floor", Some(id.to_string())),
        StepOf::Clutter => ("clutter", None),
        StepOf::Bounce => ("bounce", None),
        StepOf::Bend(id) => ("bend", Some(id.to_string())),
        StepOf::OtherWays => ("other-ways", None),
        StepOf::FloorFactor => ("floor-factor", None),
        StepOf::Leak => ("leak", None),
        StepOf::Calibration => ("calibration", None),
        StepOf::AroundHearer => ("around-hearer", None),
        StepOf::HearingAntenna => ("hearing-antenna", None),
    }
}
