//! What every act of the day needs, and what follows from it, as data. The server asks them before it puts
//! anything on record; a phone without a line asks the same.

mod power;

pub(super) use self::power::reached;
pub use self::power::{energise, find, find_over, hand_over, isolate, show_tester};
use super::facts::{Deed, FactQuery, Need, all, none};
use super::rules::{GateRule, Lacks, RULES, Rests};
use super::work::{WorkedDevice, opener};
use super::{Gate, checks, unsettled};
use crate::radio::system::RouteChoice;
use crate::record::Step;
use crate::site::{DeviceId, NetworkId, Site};

fn need(what: Lacks, any: Vec<Vec<FactQuery>>, yields: bool) -> Need {
    let says = what.to_string();
    Need { what, says, any, yields }
}

fn hard(what: Lacks, query: FactQuery) -> Need {
    need(what, vec![vec![query]], false)
}

fn done(device: &DeviceId, step: Step) -> String {
    format!("done:{device}:{}", step.word())
}

/// Who works on the mains is a person of the job; one who is not on record as allowed to says why they do.
fn may_mains() -> [Need; 2] {
    let known = "known:$me".to_owned();
    let entitled = vec![
        vec![all(["may:$me".to_owned()])],
        // Who is nobody is told of as that.
        vec![none([known.clone()])],
    ];
    [hard(Lacks::NotKnown, all([known])), need(Lacks::NotEntitled, entitled, true)]
}

/// The key of a step.
pub fn step_key(device: &DeviceId, step: Step) -> String {
    format!("step:{device}:{}", step.word())
}

/// That a device has power where it stays: its circuit is on again after it was fitted, and nothing that it
/// hangs on is off or open; or it is in its place.
pub(super) fn live(spot: &WorkedDevice<'_>) -> Vec<FactQuery> {
    let device = &spot.device.id;
    if !spot.opens_box() {
        // Planned as something else by now, its box may still stand open.
        let shut = none([format!("open:*:{device}")]);
        let placed = all([done(device, Step::Placed)]);
        return if spot.device.is_there() { vec![shut] } else { vec![placed, shut] };
    }
    vec![
        all([format!("fitted:{device}:$live"), "on:$live".to_owned()]),
        none([format!("open:*:{device}")]),
        none([format!("dark:*:{device}")]),
    ]
}

/// Taking a step.
pub fn step(gate: &Gate<'_>, spot: &WorkedDevice<'_>, step: Step, elsewhere: bool) -> Deed {
    let device = &spot.device.id;
    let is_taken = spot.takes(step) || step == Step::PutBack && spot.opens_box();
    if !is_taken {
        let needs = vec![need(Lacks::NotTaken, Vec::new(), false)];
        return Deed { key: step_key(device, step), needs, ..Deed::default() };
    }
    let rows = RULES.iter().filter(|(of, ..)| *of == step);
    let mut needs: Vec<Need> = rows
        .flat_map(|(_, rests, rule)| rests_on(gate, spot, step, *rests, *rule, elsewhere))
        .collect();
    needs.extend(checks::checks(spot, step).into_iter().map(|check| {
        let tick = format!("tick:{device}:{}:{}", step.word(), check.word);
        hard(Lacks::NotTicked { text: check.text }, all([tick]))
    }));
    let mut deed = bare_step(device, step);
    deed.needs = needs;
    if step == Step::Dead && spot.is_of_kit() {
        deed.gives.push(format!("begun:{}:$iso", spot.device.network));
    }
    if elsewhere {
        deed.key.push_str(":elsewhere");
    }
    deed
}

/// Saying that a box is live which should be dead: nothing that is off makes it dead, and what goes off next is proved
/// anew.
pub fn found_live(device: &DeviceId) -> Deed {
    let of = |word: &str| all(["off:*".to_owned(), format!("{word}:*:{device}")]);
    // As the plan has it, as it was opened whatever the plan has since, or said once more with another next cut.
    let live = all([format!("live:{device}")]);
    let any = vec![vec![of("covers")], vec![of("open")], vec![live]];
    Deed {
        key: format!("live:{device}"),
        needs: vec![need(Lacks::Isolation, any, false)],
        ends: vec![
            format!("covers:*:{device}"),
            "whole:*".to_owned(),
            format!("under:{device}:*"),
            done(device, Step::Dead),
            format!("tick:{device}:{}:*", Step::Dead.word()),
        ],
        gives: vec![format!("live:{device}")],
        ..Deed::default()
    }
}

/// Making a box safe whose device is planned no longer, or as something that opens none.
pub fn put_back_unplanned(device: &DeviceId) -> Deed {
    let mut deed = bare_step(device, Step::PutBack);
    let open = all([format!("open:$iso:{device}"), "off:$iso".to_owned()]);
    let live = none([format!("live:{device}")]);
    // Nobody can prove it dead by its step any longer: the whole house is off before hands go in.
    let whole = all(["whole:$all".to_owned(), "tester:$all".to_owned()]);
    let is_dead = need(Lacks::FoundLive, vec![vec![live], vec![whole.clone()]], false);
    let anew = none([format!("anew:{device}")]);
    let is_proved = need(Lacks::EnergisedSince, vec![vec![anew], vec![whole]], false);
    deed.needs = vec![hard(Lacks::ProvedUnderThis, open), is_dead, is_proved];
    deed.needs.extend(may_mains());
    deed
}

/// A step without what it needs.
fn bare_step(device: &DeviceId, step: Step) -> Deed {
    let mut deed = Deed { key: step_key(device, step), ..Deed::default() };
    deed.done = vec![done(device, step)];
    deed.gives.push(done(device, step));
    if !step.is_in_box() {
        return deed;
    }
    deed.binds = match step {
        Step::Dead => vec!["off:$iso".to_owned(), format!("covers:$iso:{device}")],
        Step::PutBack => vec!["off:$iso".to_owned(), format!("open:$iso:{device}")],
        _ => vec!["off:$iso".to_owned(), format!("under:{device}:$iso")],
    };
    if step.makes_safe() {
        deed.ends.extend([format!("open:*:{device}"), format!("safe:*:{device}")]);
        deed.gives.push(format!("safe:$iso:{device}"));
        if step == Step::DryFitted {
            deed.ends.push(format!("fitted:{device}:*"));
            deed.gives.push(format!("fitted:{device}:$iso"));
        }
        return deed;
    }
    deed.ends.push(format!("safe:$iso:{device}"));
    deed.ends.push(format!("fitted:{device}:*"));
    for anew in Step::ALL.into_iter().filter(|s| s.makes_safe() || s.is_done_anew()) {
        deed.ends.push(done(device, anew));
        deed.ends.push(format!("tick:{device}:{}:*", anew.word()));
    }
    deed.gives.push(format!("open:$iso:{device}"));
    if step == Step::Dead {
        deed.ends.push(format!("under:{device}:*"));
        deed.ends.extend(["live", "anew"].map(|word| format!("{word}:{device}")));
        deed.gives.push(format!("under:{device}:$iso"));
    }
    deed
}

fn rests_on(
    gate: &Gate<'_>,
    spot: &WorkedDevice<'_>,
    step: Step,
    rests: Rests,
    rule: GateRule,
    elsewhere: bool,
) -> Vec<Need> {
    let device = &spot.device.id;
    let yields = rule == GateRule::UnlessSaid;
    let one = |what, query| vec![need(what, vec![vec![query]], yields)];
    let never = |what| vec![need(what, Vec::new(), yields)];
    match rests {
        Rests::On(other) if spot.takes(other) => {
            one(Lacks::Step(other), all([done(device, other)]))
        }
        Rests::On(_) => Vec::new(),
        Rests::InForce => {
            let dead = all(["off:$iso".to_owned(), format!("covers:$iso:{device}")]);
            let mut needs = one(Lacks::Isolation, dead);
            needs.extend(one(Lacks::Finding, none(["finding:$iso".to_owned()])));
            needs
        }
        Rests::Tester => one(Lacks::TesterNotShown, all(["tester:$iso".to_owned()])),
        Rests::SameIsolation => {
            let word = if step == Step::PutBack {
                // What was once opened is made safe, also where "proved dead" was taken back.
                format!("open:$iso:{device}")
            } else {
                format!("under:{device}:$iso")
            };
            let off = || "off:$iso".to_owned();
            let mut needs = one(Lacks::ProvedUnderThis, all([off(), word]));
            needs.extend(one(Lacks::FoundLive, none([format!("live:{device}")])));
            needs.extend(one(Lacks::EnergisedSince, none([format!("anew:{device}")])));
            needs
        }
        Rests::MayMains => may_mains().into(),
        Rests::Settled => {
            unsettled(spot).map_or_else(Vec::new, |why| never(Lacks::NotSettled { why }))
        }
        Rests::LiveWhereJoined if elsewhere => Vec::new(),
        Rests::Live | Rests::LiveWhereJoined => {
            let what = if spot.opens_box() { Lacks::NoPower } else { Lacks::NotThere };
            vec![need(what, vec![live(spot)], yields)]
        }
        Rests::Hub => hub(gate, spot, yields),
        // Where a phone lets each in by itself, nothing stands open.
        Rests::Open if spot.network.is_some_and(|n| !n.rule().opens) => Vec::new(),
        Rests::Open => {
            let network = &spot.device.network;
            let mut needs = one(Lacks::NetworkShut, all([format!("net:{network}")]));
            let expected = vec![
                vec![all([format!("expects:{network}:{device}")])],
                // One that is shut is told of as that.
                vec![none([format!("net:{network}")])],
            ];
            needs.push(need(Lacks::NotExpected, expected, yields));
            needs
        }
        Rests::Masters => masters(spot, yields),
    }
}

fn hub(gate: &Gate<'_>, spot: &WorkedDevice<'_>, yields: bool) -> Vec<Need> {
    let site = gate.site;
    let Some(network) = site.networks.get(&spot.device.network) else { return Vec::new() };
    let Some((hub, _)) = site.hubs_of(&network.id).next() else {
        // A flood needs none.
        let needs_one = network.rule().choice != RouteChoice::Flood;
        return needs_one.then(|| need(Lacks::NoHub, Vec::new(), yields)).into_iter().collect();
    };
    // One that runs for years is ready.
    if hub.is_there() {
        return Vec::new();
    }
    let ready = [Step::Phone, Step::Firmware, Step::Clock].map(|s| done(&hub.id, s));
    let what = Lacks::HubNotReady { hub: hub.name.clone() };
    vec![need(what, vec![vec![all(ready)]], yields)]
}

fn masters(spot: &WorkedDevice<'_>, yields: bool) -> Vec<Need> {
    let masters = spot.masters();
    if masters.is_empty() {
        return vec![need(Lacks::NoMaster, Vec::new(), yields)];
    }
    let of = |id: &DeviceId| {
        let master = WorkedDevice::of(spot.site, id);
        let name = master.map_or_else(String::new, |m| m.device.name.clone());
        let mut ready = vec![all([done(id, Step::Powered)])];
        if master.is_some_and(|m| m.takes(Step::Joined)) {
            ready.push(all([done(id, Step::Joined)]));
        }
        need(Lacks::Master { name }, vec![ready], yields)
    };
    // One that is in the house already is in; where its box is opened, it has to have power again.
    let is_in = |id: &&DeviceId| {
        WorkedDevice::of(spot.site, id).is_some_and(|m| m.device.is_there() && !m.opens_box())
    };
    masters.iter().filter(|id| !is_in(id)).map(of).collect()
}

/// Taking a step back: where it was taken, and nothing rests on it.
pub fn take_back(gate: &Gate<'_>, device: &DeviceId, step: Step) -> Deed {
    let mut needs = vec![hard(Lacks::NotThereYet { step }, all([done(device, step)]))];
    let spot = WorkedDevice::of(gate.site, device);
    let rests =
        |on: Rests| on == Rests::On(step) || step == Step::Dead && on == Rests::SameIsolation;
    let mut above: Vec<Step> =
        RULES.iter().filter(|(_, on, _)| rests(*on)).map(|(of, ..)| *of).collect();
    above.sort_unstable();
    above.dedup();
    let taken = |other: &Step| *other == Step::PutBack || spot.is_none_or(|s| s.takes(*other));
    for other in above.into_iter().filter(taken) {
        let what = Lacks::RestsOnIt { step: other, name: String::new() };
        needs.push(hard(what, none([done(device, other)])));
    }
    let last =
        |s: WorkedDevice<'_>| if s.takes(Step::Joined) { Step::Joined } else { Step::Powered };
    if spot.is_some_and(|s| last(s) == step) {
        let all = gate.site.devices.iter().filter_map(|d| WorkedDevice::of(gate.site, &d.id));
        for tied in all.filter(|s| s.takes(Step::Tied) && s.masters().contains(device)) {
            let name = tied.device.name.clone();
            let what = Lacks::RestsOnIt { step: Step::Tied, name };
            needs.push(hard(what, none([done(&tied.device.id, Step::Tied)])));
        }
    }
    let mut deed = Deed { key: format!("back:{device}:{}", step.word()), ..Deed::default() };
    deed.ends = vec![done(device, step), format!("tick:{device}:{}:*", step.word())];
    if step.makes_safe() {
        deed.binds = vec!["off:$iso".to_owned(), format!("safe:$iso:{device}")];
        let off = all(["off:$iso".to_owned(), format!("safe:$iso:{device}")]);
        needs.push(hard(Lacks::PowerIsOn, off));
        deed.ends.extend([format!("safe:$iso:{device}"), format!("fitted:{device}:*")]);
        deed.gives.push(format!("open:$iso:{device}"));
    }
    if step == Step::Dead {
        deed.ends.push(format!("under:{device}:*"));
        // What was found live before it was proved dead is that again.
        let was_live = gate.record.in_force().any(|i| i.live.contains_key(device));
        deed.gives.extend(was_live.then(|| format!("live:{device}")));
    }
    Deed { needs, ..deed }
}

/// Opening a network for some devices: what opens it by hand is awake.
pub fn open(site: &Site, network: &NetworkId, expected: &[DeviceId]) -> Deed {
    let awake = opener(site, network).filter(|(device, _)| !device.is_there());
    let needs = awake.map(|(device, _)| {
        let what = Lacks::OpenerAsleep { name: device.name.clone() };
        need(what, vec![vec![all([done(&device.id, Step::Placed)])]], true)
    });
    let mut gives = vec![format!("net:{network}")];
    gives.extend(expected.iter().map(|d| format!("expects:{network}:{d}")));
    Deed {
        key: format!("open:{network}"),
        needs: needs.into_iter().collect(),
        ends: vec![format!("shut:{network}"), format!("rebuilt:{network}")],
        done: gives.clone(),
        gives,
        ..Deed::default()
    }
}

/// Closing it, and confirming that.
pub fn close(site: &Site, network: &NetworkId, expected: &[DeviceId]) -> Deed {
    let mut needs = vec![hard(Lacks::NetworkShut, all([format!("net:{network}")]))];
    needs.extend(expected.iter().filter_map(|device| {
        let name = site.devices.get(device)?.name.clone();
        let query = vec![vec![all([done(device, Step::Joined)])]];
        Some(need(Lacks::NotIn { name }, query, true))
    }));
    Deed {
        key: format!("close:{network}"),
        needs,
        ends: vec![format!("net:{network}"), format!("expects:{network}:*")],
        gives: vec![format!("shut:{network}")],
        done: vec![format!("shut:{network}")],
        ..Deed::default()
    }
}

/// Rebuilding its routes after the last that was added.
pub fn rebuild(network: &NetworkId) -> Deed {
    Deed {
        key: format!("rebuild:{network}"),
        needs: vec![hard(Lacks::StillOpen, all([format!("shut:{network}")]))],
        gives: vec![format!("rebuilt:{network}")],
        done: vec![format!("rebuilt:{network}")],
        ..Deed::default()
    }
}

/// Ticking something that a step asks to look at: `$device`, `$step` and `$check` say which.
pub fn tick() -> Deed {
    let fact = "tick:$device:$step:$check".to_owned();
    Deed { key: "tick".to_owned(), gives: vec![fact], ..Deed::default() }
}

/// Taking the tick away again.
pub fn untick() -> Deed {
    let Deed { gives, .. } = tick();
    Deed { key: "untick".to_owned(), ends: gives, ..Deed::default() }
}
