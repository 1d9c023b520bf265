//! What every act of the day needs, and what follows from it, as data. The server asks them before it puts
//! anything on record; a phone without a line asks the same.

use super::facts::{Deed, FactQuery, Need, all, none};
use super::rules::{GateRule, Lacks, RULES, Rests};
use super::work::WorkedDevice;
use super::{Gate, checks, isolate, unsettled};
use crate::catalogue::Duty;
use crate::radio::system::RouteChoice;
use crate::record::{Isolated, Isolation, IsolationId, Step};
use crate::site::{Device, DeviceId, NetworkId, Site};

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

/// An isolation in a deed: one that is on record, or one that the facts name.
fn iso(of: Option<&IsolationId>) -> String {
    of.map_or_else(|| "$iso".to_owned(), ToString::to_string)
}

/// What an isolation reaches: `covers` for each device whose box it makes dead, `dark` for each that is
/// without power by it.
pub(super) fn reached(
    site: &Site,
    of: &Isolation,
    all: &[(WorkedDevice<'_>, Vec<String>)],
) -> Vec<String> {
    let id = &of.of.id;
    let mut facts = Vec::new();
    for (spot, circuits) in all {
        let device = &spot.device.id;
        let is_dead = isolate::makes_dead(site, of, circuits) && !of.live.contains_key(device);
        if is_dead && (!spot.is_of_kit() || of.means.is_main()) {
            facts.push(format!("covers:{id}:{device}"));
        }
        if isolate::touches(site, of, circuits) {
            facts.push(format!("dark:{id}:{device}"));
        }
    }
    facts
}

/// Switching off. What it reaches is that of one that is said so; whoever says something else asks the server
/// what that reaches.
pub fn isolate(key: &str, site: &Site, of: &Isolated, boxes: &[DeviceId]) -> Deed {
    let of = Isolation::begun(of.clone(), "", crate::moment::Moment::first());
    let reached = reached(site, &of, &super::work::circuits_of_all(site)).into_iter();
    let own = format!(":{}:", of.of.id);
    let mut gives = vec!["off:$iso".to_owned(), "holder:$iso:$me".to_owned()];
    gives.extend(of.means.is_main().then(|| "whole:$iso".to_owned()));
    gives.extend(reached.map(|fact| fact.replacen(&own, ":$iso:", 1)));
    let first = boxes.first().map(|d| vec!["off:$iso".to_owned(), format!("covers:$iso:{d}")]);
    Deed {
        key: format!("isolate:{key}"),
        needs: may_mains().into(),
        gives,
        done: first.unwrap_or_default(),
        ..Deed::default()
    }
}

/// Binds the isolation that some boxes are worked in under, where it is not named.
fn under(of: Option<&IsolationId>, boxes: &[DeviceId]) -> Vec<String> {
    match (of, boxes.first()) {
        (None, Some(device)) => vec!["off:$iso".to_owned(), format!("covers:$iso:{device}")],
        _ => Vec::new(),
    }
}

/// Showing that the tester works, before the tests.
pub fn show_tester(key: &str, of: Option<&IsolationId>, boxes: &[DeviceId]) -> Deed {
    let iso = iso(of);
    Deed {
        key: format!("tester:{key}"),
        binds: under(of, boxes),
        needs: vec![hard(Lacks::NotOff, all([format!("off:{iso}")]))],
        gives: vec![format!("tester:{iso}")],
        done: vec![format!("tester:{iso}")],
        ..Deed::default()
    }
}

/// Handing an isolation over, which stands for `$iso`, to somebody, who stands for `$to`.
pub fn hand_over() -> Deed {
    Deed {
        key: "hand-over".to_owned(),
        needs: vec![
            hard(Lacks::NotHeld, all(["holder:$iso:$me".to_owned()])),
            // Handed to nobody, nobody could switch it on.
            hard(Lacks::NotKnown, all(["known:$to".to_owned()])),
        ],
        ends: vec!["holder:$iso:*".to_owned()],
        gives: vec!["holder:$iso:$to".to_owned()],
        ..Deed::default()
    }
}

/// Switching on again: by who holds it, and only when no box under it stands open, nor one that shares a
/// circuit with it, nor a product of a kit that was begun is left.
pub fn energise(gate: &Gate<'_>, key: &str, of: Option<&IsolationId>, boxes: &[DeviceId]) -> Deed {
    let iso = iso(of);
    let mut needs = vec![
        hard(Lacks::NotOff, all([format!("off:{iso}")])),
        hard(Lacks::NotHeld, all([format!("holder:{iso}:$me")])),
    ];
    let site = gate.site;
    let spots = site
        .devices
        .iter()
        .filter_map(|d| WorkedDevice::of(site, &d.id))
        .filter(WorkedDevice::opens_box);
    for spot in spots {
        let (device, name) = (&spot.device.id, &spot.device.name);
        let open = Lacks::BoxOpen { name: name.clone() };
        let mut any = vec![none([format!("open:{iso}:{device}")])];
        any.push(none([format!("dark:{iso}:{device}"), format!("open:*:{device}")]));
        needs.push(need(open, vec![any], false));
        if spot.is_of_kit() {
            let begun = format!("begun:{}:{iso}", spot.device.network);
            let any = vec![
                vec![none([begun])],
                vec![all([done(device, Step::DryFitted)])],
                vec![all([done(device, Step::PutBack)])],
                // A box that stands open is told of as that.
                vec![all([format!("open:{iso}:{device}")])],
            ];
            needs.push(need(Lacks::NotWired { name: name.clone() }, any, true));
        }
    }
    // Boxes of devices that are planned no longer, or as something else.
    for (device, opened) in gate.record.in_force().flat_map(Isolation::open_boxes) {
        if !WorkedDevice::of(site, device).is_some_and(|s| s.opens_box()) {
            let open = Lacks::BoxOpen { name: opened.name.clone() };
            let shared = none([format!("dark:{iso}:{device}"), format!("open:*:{device}")]);
            let own = none([format!("open:{iso}:{device}")]);
            needs.push(need(open, vec![vec![own, shared]], false));
        }
    }
    let ends =
        ["off:{}", "whole:{}", "holder:{}:*", "tester:{}", "covers:{}:*", "dark:{}:*", "safe:{}:*"];
    let mut ends: Vec<String> = ends.map(|e| e.replace("{}", &iso)).into();
    ends.push(format!("begun:*:{iso}"));
    Deed {
        key: format!("energise:{key}"),
        binds: under(of, boxes),
        needs,
        ends,
        gives: vec![format!("on:{iso}")],
        done: of.map(|of| vec![format!("on:{of}")]).unwrap_or_default(),
    }
}

/// That a device has power where it stays: its circuit is on again after it was fitted, and nothing that it
/// hangs on is off or open; or it is in its place.
pub(super) fn live(spot: &WorkedDevice<'_>) -> Vec<FactQuery> {
    let device = &spot.device.id;
    if !spot.opens_box() {
        return vec![all([done(device, Step::Placed)])];
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
    let is_dead = need(Lacks::FoundLive, vec![vec![live], vec![whole]], false);
    deed.needs = vec![hard(Lacks::ProvedUnderThis, open), is_dead];
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
        deed.ends.extend([format!("under:{device}:*"), format!("live:{device}")]);
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
            one(Lacks::Isolation, dead)
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
    let is_hub = |d: &&Device| {
        d.network == network.id && site.kind(&d.kind).is_some_and(|k| k.duty == Duty::Hub)
    };
    let Some(hub) = site.devices.iter().find(is_hub) else {
        // A flood needs none.
        let needs_one = network.rule().choice != RouteChoice::Flood;
        return needs_one.then(|| need(Lacks::NoHub, Vec::new(), yields)).into_iter().collect();
    };
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
    masters.iter().map(of).collect()
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

/// Opening a network for some devices.
pub fn open(network: &NetworkId, expected: &[DeviceId]) -> Deed {
    let mut gives = vec![format!("net:{network}")];
    gives.extend(expected.iter().map(|d| format!("expects:{network}:{d}")));
    Deed {
        key: format!("open:{network}"),
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
