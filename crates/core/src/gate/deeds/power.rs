//! Power off, shown to be off, handed over, on for finding lines and on again: what each needs, and what follows.

use std::collections::BTreeMap;

use super::{done, hard, may_mains, need};
use crate::gate::facts::{Deed, FactQuery, all, none};
use crate::gate::rules::Lacks;
use crate::gate::work::{WorkedDevice, circuits_of_all};
use crate::gate::{Gate, isolate as isolation, unsettled};
use crate::record::{Isolated, Isolation, IsolationId, Step};
use crate::site::{DeviceId, Site};
use crate::trial;

/// An isolation in a deed: one that is on record, or one that the facts name.
fn iso(of: Option<&IsolationId>) -> String {
    of.map_or_else(|| "$iso".to_owned(), ToString::to_string)
}

/// What an isolation reaches: `covers` for each device whose box it makes dead, `dark` for each that is
/// without power by it.
pub(in crate::gate) fn reached(
    site: &Site,
    of: &Isolation,
    all: &[(WorkedDevice<'_>, Vec<String>)],
) -> Vec<String> {
    let id = &of.of.id;
    let mut facts = Vec::new();
    for (spot, circuits) in all {
        let device = &spot.device.id;
        let is_dead = isolation::makes_dead(site, of, circuits) && !of.live.contains_key(device);
        if is_dead && (!spot.is_of_kit() || of.means.is_main()) {
            facts.push(format!("covers:{id}:{device}"));
        }
        if isolation::touches(site, of, circuits) {
            facts.push(format!("dark:{id}:{device}"));
        }
    }
    facts
}

/// Switching off. What it reaches is that of one that is said so; whoever says something else asks the server
/// what that reaches.
pub fn isolate(key: &str, site: &Site, of: &Isolated, boxes: &[DeviceId]) -> Deed {
    let of = Isolation::begun(of.clone(), "", crate::moment::Moment::first());
    let reached = reached(site, &of, &circuits_of_all(site)).into_iter();
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
        needs: vec![
            hard(Lacks::NotOff, all([format!("off:{iso}")])),
            hard(Lacks::Finding, none([format!("finding:{iso}")])),
        ],
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
        hard(Lacks::Finding, none([format!("finding:{iso}")])),
        hard(Lacks::NotHeld, all([format!("holder:{iso}:$me")])),
    ];
    for (device, name) in boxes_of_all(gate) {
        let open = Lacks::BoxOpen { name };
        let any = vec![none([format!("open:{iso}:{device}")]), elsewhere(&iso, &device)];
        needs.push(need(open, vec![any], false));
    }
    // A part of a kit that is on no day yet keeps nobody in the dark: the others start without it.
    let is_awaited = |spot: &WorkedDevice<'_>| {
        spot.is_of_kit()
            && (gate.record.is_in_hand(&spot.device.id)
                || unsettled(spot).is_none() && trial::waits(gate.site, spot.device).is_none())
    };
    for spot in planned(gate).filter(is_awaited) {
        let (device, name) = (&spot.device.id, spot.device.name.clone());
        let any = vec![
            vec![none([format!("begun:{}:{iso}", spot.device.network)])],
            vec![all([done(device, Step::DryFitted)])],
            vec![all([done(device, Step::PutBack)])],
            // A box that stands open is told of as that.
            vec![all([format!("open:{iso}:{device}")])],
        ];
        needs.push(need(Lacks::NotWired { name }, any, true));
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

/// Devices of the plan that open a box.
fn planned<'a>(gate: &Gate<'a>) -> impl Iterator<Item = WorkedDevice<'a>> + use<'a> {
    let site = gate.site;
    let spots = site.devices.iter().filter_map(|d| WorkedDevice::of(site, &d.id));
    spots.filter(WorkedDevice::opens_box)
}

/// Every box that could stand open, by its device and that one's name: as planned, and as it was opened where its device
/// is planned no longer, or as something else.
fn boxes_of_all(gate: &Gate<'_>) -> BTreeMap<DeviceId, String> {
    let opened = gate.record.in_force().flat_map(Isolation::open_boxes);
    let opened = opened.map(|(device, of)| (device.clone(), of.name.clone()));
    let planned = planned(gate).map(|s| (s.device.id.clone(), s.device.name.clone()));
    opened.chain(planned).collect()
}

/// A box does not stand open under another isolation whose circuits this one would make live.
fn elsewhere(iso: &str, device: &DeviceId) -> FactQuery {
    none([format!("dark:{iso}:{device}"), format!("open:*:{device}")])
}

/// Letting power in for finding lines: in every box that is open under it nothing is wired, its conductors parted and
/// capped, and no other stands open by it. No proof counts after it.
pub fn find(gate: &Gate<'_>, key: &str, of: Option<&IsolationId>, boxes: &[DeviceId]) -> Deed {
    let at = iso(of);
    let mut needs = vec![
        hard(Lacks::NotOff, all([format!("off:{at}")])),
        hard(Lacks::Finding, none([format!("finding:{at}")])),
        hard(Lacks::NotHeld, all([format!("holder:{at}:$me")])),
        hard(Lacks::NothingOpen, all([format!("open:{at}:*")])),
    ];
    needs.extend(may_mains());
    for (device, name) in boxes_of_all(gate) {
        let own = format!("open:{at}:{device}");
        let shut = vec![none([own.clone()]), elsewhere(&at, &device)];
        let apart = vec![all([own.clone()]), none([done(&device, Step::Wired)])];
        needs.push(need(Lacks::BoxOpen { name: name.clone() }, vec![shut, apart], false));
        // Nothing is parted before it can be put back as it was.
        let noted = vec![vec![none([own])], vec![all([done(&device, Step::Noted)])]];
        needs.push(need(Lacks::NotNoted { name }, noted, false));
    }
    let on_record = of.and_then(|of| gate.record.isolations.get(of));
    let open: Vec<DeviceId> = if let Some(of) = on_record {
        of.open_boxes().map(|(device, _)| device.clone()).collect()
    } else {
        let is_safe = |d: &DeviceId| gate.holds(d, Step::DryFitted) || gate.holds(d, Step::PutBack);
        boxes.iter().filter(|d| !is_safe(d)).cloned().collect()
    };
    let mut ends = vec![format!("tester:{at}"), format!("whole:{at}"), format!("under:*:{at}")];
    let mut gives = vec![format!("finding:{at}")];
    for device in open {
        ends.extend([
            format!("under:{device}:*"),
            done(&device, Step::Dead),
            format!("tick:{device}:{}:*", Step::Dead.word()),
        ]);
        gives.push(format!("anew:{device}"));
    }
    Deed {
        key: format!("find:{key}"),
        binds: under(of, boxes),
        needs,
        ends,
        gives,
        done: Vec::new(),
    }
}

/// Switching off again after lines were found: by anybody of the job.
pub fn find_over(gate: &Gate<'_>, key: &str, of: Option<&IsolationId>, boxes: &[DeviceId]) -> Deed {
    let at = iso(of);
    let on_record = of.and_then(|of| gate.record.isolations.get(of));
    let is_whole = on_record.is_some_and(|i| i.means.is_main() && i.live.is_empty());
    Deed {
        key: format!("find-over:{key}"),
        binds: under(of, boxes),
        needs: vec![
            hard(Lacks::NotFinding, all([format!("finding:{at}")])),
            hard(Lacks::NotKnown, all(["known:$me".to_owned()])),
        ],
        ends: vec![format!("finding:{at}")],
        gives: is_whole.then(|| format!("whole:{at}")).into_iter().collect(),
        ..Deed::default()
    }
}
