//! Who controls what: the matrix of controllers and loads, directly or through the hub, what a press
//! takes, and what still works when something is out.

use std::collections::{BTreeMap, BTreeSet};

use crate::analysis::{Analysis, Options, analyse};
use crate::catalogue::Button;
use crate::network::Band;
use crate::network::NetworkAnalysis;
use crate::radio::system::System;
use crate::site::{Control, Device, DeviceId, NetworkId, Rule, RunsIn, Site};
use crate::survey::natural::has_switch;
use crate::units::Db;

/// A control, checked.
#[derive(Clone, Debug, PartialEq)]
pub struct Checked {
    /// Whether the controller is bound to the load itself or goes by the hub.
    pub runs: RunsIn,
    /// How good the direct hop is; nothing by the hub.
    pub direct: Option<(Band, Db)>,
    /// From press to load, in milliseconds; nothing when it cannot arrive.
    pub delay_ms: Option<f64>,
    /// The chance that one press arrives.
    pub success: f64,
    /// What is wrong, if anything, in a sentence.
    pub wrong: Option<String>,
    /// Whether it works without the hub.
    pub without_hub: bool,
}

/// Time that a hub takes to run a rule, in milliseconds; *planning value*.
const HUB_THINKS_MS: f64 = 80.0;

/// Whether a system binds a controller straight to a load.
pub fn binds_directly(system: System) -> bool {
    !matches!(system, System::Wifi | System::ZWaveLr)
}

/// Checks one control.
pub fn check(analysis: &Analysis, control: &Control<'_>) -> Checked {
    let ends = analysis.find(control.controller).zip(analysis.find(control.load));
    let nothing = |wrong: &str| Checked {
        runs: control.runs,
        direct: None,
        delay_ms: None,
        success: 0.0,
        wrong: Some(wrong.to_owned()),
        without_hub: false,
    };
    let wired = analysis
        .site
        .devices
        .get(control.controller)
        .is_some_and(|d| is_companion(&analysis.site, d));
    if let Some((load, at)) = analysis.find(control.load).filter(|_| wired) {
        return by_wire(control.runs, load, at);
    }
    let Some(((one, a), (other, b))) = ends else {
        return nothing("One end has no radio in this job.");
    };
    if let Some((network, off)) = [(one, a), (other, b)].into_iter().find(|(n, p)| n.down[*p]) {
        return nothing(&format!("{} has no power.", network.nodes[off].name));
    }
    match control.runs {
        RunsIn::Direct if one.network != other.network => {
            nothing("They are in different networks: only a hub that speaks both can pass it on.")
        }
        RunsIn::Direct if !binds_directly(one.system) => {
            nothing("This system binds nothing directly: let it go by the hub.")
        }
        RunsIn::Direct => direct(one, a, b),
        _ => by_hub(one, a, other, b),
    }
}

/// Whether a device is a wired companion: no radio, worked by its wire alone.
pub fn is_companion(site: &Site, device: &Device) -> bool {
    site.kind(&device.kind).is_some_and(|k| !k.has_radio)
}

/// A companion works its master by a wire: as long as that has power it does, whatever else is out.
fn by_wire(runs: RunsIn, network: &NetworkAnalysis, master: usize) -> Checked {
    let has_power = !network.down[master];
    Checked {
        runs,
        direct: None,
        delay_ms: has_power.then_some(0.0),
        success: if has_power { 1.0 } else { 0.0 },
        wrong: (!has_power).then(|| format!("{} has no power.", network.nodes[master].name)),
        without_hub: has_power,
    }
}

fn direct(network: &NetworkAnalysis, a: usize, b: usize) -> Checked {
    let (from, to) = (&network.nodes[a], &network.nodes[b]);
    let link = network.link(a, b);
    let (margin, target) = (link.margin(), link.target);
    let band = Band::of(margin, target);
    let (success, tries) = network.arrivals.over(&network.nodes, &link);
    let wrong = match band {
        Band::Out => Some(format!(
            "{} does not hear {} itself: {} short.",
            to.name,
            from.name,
            Db::new(-margin.get())
        )),
        Band::Thin => Some(format!("Their own hop has {margin} of the {target} wanted.")),
        Band::Sound | Band::Solid => None,
    };
    Checked {
        runs: RunsIn::Direct,
        direct: Some((band, margin)),
        delay_ms: (band > Band::Out).then_some(network.rule.hop_ms * tries),
        success: if band > Band::Out { success } else { 0.0 },
        wrong,
        without_hub: band > Band::Out,
    }
}

fn by_hub(one: &NetworkAnalysis, a: usize, other: &NetworkAnalysis, b: usize) -> Checked {
    let (up, down) = (&one.outcomes[a], &other.outcomes[b]);
    let reached = |o: &crate::network::Outcome| o.band > Band::Out;
    let works = reached(up) && reached(down);
    let missing = if reached(up) { &other.nodes[b].name } else { &one.nodes[a].name };
    Checked {
        runs: RunsIn::Hub,
        direct: None,
        delay_ms: works.then_some(up.delay_ms + HUB_THINKS_MS + down.delay_ms),
        success: if works { up.success * down.success } else { 0.0 },
        wrong: (!works).then(|| format!("{missing} is not reached by its hub.")),
        without_hub: false,
    }
}

/// How a group is told: lamp by lamp, or all at once.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Addressing {
    /// How many members.
    pub members: usize,
    /// Time until the last has been told one by one, in milliseconds.
    pub one_by_one_ms: f64,
    /// Time with one multicast or scene.
    pub at_once_ms: f64,
}

impl Addressing {
    /// Later than this after the first, lamps are seen to follow each other.
    pub const SEEN_MS: f64 = 200.0;

    /// Of the loads of one controller.
    pub fn of(delays: &[f64]) -> Self {
        let most = delays.iter().copied().fold(0.0, f64::max);
        Self { members: delays.len(), one_by_one_ms: delays.iter().sum(), at_once_ms: most }
    }

    /// Whether a multicast or scene is needed.
    pub fn needs_multicast(&self) -> bool {
        self.members > 1 && self.one_by_one_ms - self.at_once_ms > Self::SEEN_MS
    }
}

/// What can be out.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Outage {
    /// No line to the outside.
    Internet,
    /// The router is off.
    Router,
    /// The hub is off.
    Hub,
    /// No phone at hand.
    Phone,
    /// Any one device that repeats.
    Repeater,
}

impl Outage {
    /// All of them with their names.
    pub const ALL: [(Self, &'static str); 5] = [
        (Self::Internet, "no internet"),
        (Self::Router, "no router"),
        (Self::Hub, "no hub"),
        (Self::Phone, "no phone"),
        (Self::Repeater, "any one repeater gone"),
    ];
}

/// Whether a control still works in an outage: a direct one needs neither hub nor router; one by
/// the hub needs the hub, and the router only where the two networks have different hubs or the
/// system is Wi-Fi. Without any one repeater it works where neither end hangs on one alone.
pub fn works_in(analysis: &Analysis, control: &Control<'_>, outage: Outage) -> bool {
    let checked = check(analysis, control);
    if checked.success <= 0.0 {
        return false;
    }
    if analysis
        .site
        .devices
        .get(control.controller)
        .is_some_and(|d| is_companion(&analysis.site, d))
    {
        return true;
    }
    let systems = [control.controller, control.load].map(|d| analysis.find(d));
    let needs_router = match systems {
        [Some((one, _)), Some((other, _))] => {
            one.network != other.network || one.system == System::Wifi
        }
        _ => true,
    };
    let ends = [control.controller, control.load];
    if outage == Outage::Repeater {
        let is_direct = matches!(control.runs, RunsIn::Direct);
        return is_direct || ends.iter().all(|id| hangs_on_none(analysis, id, &ends));
    }
    match control.runs {
        RunsIn::Direct | RunsIn::Device => true,
        RunsIn::Server | RunsIn::Voice => outage == Outage::Phone,
        RunsIn::Phone => outage == Outage::Internet,
        RunsIn::Hub => match outage {
            Outage::Internet | Outage::Phone => true,
            Outage::Router => !needs_router,
            Outage::Hub | Outage::Repeater => false,
        },
    }
}

/// Whether a device is reached by its hub whichever one repeater is gone, these left out.
fn hangs_on_none(analysis: &Analysis, id: &DeviceId, but: &[&DeviceId]) -> bool {
    analysis.find(id).is_none_or(|(network, place)| {
        network.hangs_on_carriers(&network.outcomes[place]).all(|carrier| but.contains(&carrier))
    })
}

/// What it takes to call a scene, or whatever else a rule does.
#[derive(Clone, Debug, PartialEq)]
pub struct Told {
    /// The members that are reached, one by one and at once, over all networks.
    pub addressing: Addressing,
    /// The same network by network.
    pub networks: Vec<ToldNetwork>,
    /// The members that are not reached, or have no radio.
    pub not_reached: Vec<DeviceId>,
    /// For each device that repeats for members: those that stay as they are without it.
    pub stay_without: BTreeMap<DeviceId, Vec<DeviceId>>,
}

/// What it takes to tell the members of one network.
#[derive(Clone, Debug, PartialEq)]
pub struct ToldNetwork {
    /// Which.
    pub network: NetworkId,
    /// Its members, one by one and at once.
    pub addressing: Addressing,
    /// Whether its groups are told by one message; nothing while nobody looked.
    pub at_once: Option<bool>,
}

impl ToldNetwork {
    /// How many messages it takes: one a member, as long as nobody said that a group is told at once.
    pub fn messages(&self) -> usize {
        if self.at_once == Some(true) {
            self.addressing.members.min(1)
        } else {
            self.addressing.members
        }
    }

    /// Until its last member has been told, in milliseconds.
    pub fn takes_ms(&self) -> f64 {
        if self.at_once == Some(true) {
            self.addressing.at_once_ms
        } else {
            self.addressing.one_by_one_ms
        }
    }
}

impl Told {
    /// How many messages it takes over all networks.
    pub fn messages(&self) -> usize {
        self.networks.iter().map(ToldNetwork::messages).sum()
    }

    /// Until the last has been told, in milliseconds: the radios of several networks send beside each other.
    pub fn takes_ms(&self) -> f64 {
        self.networks.iter().map(ToldNetwork::takes_ms).fold(0.0, f64::max)
    }
}

/// What it takes to tell all that a rule comes to.
pub fn told(analysis: &Analysis, rule: &Rule) -> Told {
    let mut not_reached = Vec::new();
    let mut delays: BTreeMap<&NetworkId, Vec<f64>> = BTreeMap::new();
    let mut stay_without: BTreeMap<DeviceId, Vec<DeviceId>> = BTreeMap::new();
    for reached in analysis.site.reached_by(rule) {
        let found = analysis.find(reached.device).map(|(n, place)| (n, &n.outcomes[place]));
        let Some((network, outcome)) = found.filter(|(_, o)| o.band > Band::Out) else {
            not_reached.push(reached.device.clone());
            continue;
        };
        delays.entry(&network.network).or_default().push(outcome.delay_ms);
        for carrier in network.hangs_on_carriers(outcome) {
            stay_without.entry(carrier.clone()).or_default().push(reached.device.clone());
        }
    }
    let all: Vec<f64> = delays.values().flatten().copied().collect();
    let site = &analysis.site;
    let of = |(id, delays): (&NetworkId, Vec<f64>)| ToldNetwork {
        network: id.clone(),
        addressing: Addressing::of(&delays),
        at_once: site.networks.get(id).and_then(|n| n.groups_at_once),
    };
    let networks = delays.into_iter().map(of).collect();
    Told { addressing: Addressing::of(&all), networks, not_reached, stay_without }
}

/// For each breaker of a house, the controls that end with it: the whole house worked out anew without what it feeds.
pub fn ends_with_breaker(analysis: &Analysis) -> BTreeMap<String, Vec<String>> {
    let site = &analysis.site;
    let works = |analysis: &Analysis, control: &Control<'_>| check(analysis, control).success > 0.0;
    let labels: BTreeSet<&str> = site.points.iter().map(|p| p.circuit.as_str()).collect();
    let labels = labels.into_iter().filter(|label| !label.is_empty());
    let ends = labels.map(|label| {
        let breakers_off = [label.to_owned()].into();
        let without = analyse(site, &Options { breakers_off, ..analysis.options.clone() });
        let ended = site.controls().filter(|c| works(analysis, c) && !works(&without, c));
        (label.to_owned(), ended.map(|c| c.mark()).collect::<Vec<_>>())
    });
    ends.filter(|(_, ended)| !ended.is_empty()).collect()
}

/// What works a load.
#[derive(Clone, Debug, PartialEq)]
pub enum By {
    /// Its own button, or the switch wired to it.
    Button(Button),
    /// A controller that was entered, by its name.
    Controller(String),
    /// A phone in the house.
    PhoneAtHome,
    /// A phone somewhere else.
    PhoneAway,
}

/// Something that works a load, and in which of [`Outage::ALL`] it still does.
#[derive(Clone, Debug, PartialEq)]
pub struct LoadMeans {
    /// What works it.
    pub by: By,
    /// For each outage whether it still does.
    pub works: [bool; 5],
}

/// Whether a switch on the wall was seen that is wired to a unit: at its place, or at another of its group.
fn has_wall_switch(site: &Site, device: &Device) -> bool {
    let Some(point) = site.point_of(device) else { return false };
    let group = site.group_of(&point.id).into_iter().flat_map(|g| &g.places);
    let places = group.filter_map(|p| site.points.get(p));
    std::iter::once(point).chain(places).any(|p| has_switch(site, p))
}

/// Everything that works a load while all is well, each with the outages that it outlives.
///
/// A button needs nothing but mains. A phone at home goes by the router and the hub, which is taken
/// to answer without the internet; in a Bluetooth mesh it speaks to any radio of the mesh itself.
/// A phone away needs all of them.
pub fn means(analysis: &Analysis, load: &DeviceId) -> Vec<LoadMeans> {
    let site = &analysis.site;
    let Some(device) = site.devices.get(load) else { return Vec::new() };
    let found = analysis.find(load);
    let is_down = found.is_some_and(|(n, p)| n.down[p]);
    let mut means = Vec::new();
    let button = site.kind(&device.kind).and_then(|k| k.button);
    let is_seen = |b: &Button| *b == Button::Own || has_wall_switch(site, device);
    if let Some(button) = button.filter(|b| !is_down && is_seen(b)) {
        means.push(LoadMeans { by: By::Button(button), works: [true; 5] });
    }
    for control in site.controls().filter(|c| c.load == load && c.can_switch_on()) {
        if check(analysis, &control).success > 0.0 {
            let name = site.devices.get(control.controller).map_or("", |d| d.name.as_str());
            means.push(LoadMeans {
                by: By::Controller(name.to_owned()),
                works: Outage::ALL.map(|(outage, _)| works_in(analysis, &control, outage)),
            });
        }
    }
    let Some((network, place)) = found else { return means };
    if network.outcomes[place].band > Band::Out {
        let is_mesh_of_phones = network.system == System::Bluetooth;
        means.push(LoadMeans {
            by: By::PhoneAtHome,
            works: [
                true,
                is_mesh_of_phones,
                is_mesh_of_phones,
                false,
                hangs_on_none(analysis, load, &[load]),
            ],
        });
        let away = [false, false, false, false, hangs_on_none(analysis, load, &[load])];
        means.push(LoadMeans { by: By::PhoneAway, works: away });
    }
    means
}
