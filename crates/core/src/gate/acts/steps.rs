//! What taking a step needs, and what is put on record with it: its code, its joining, its master.

use std::collections::BTreeSet;

use super::Join;
use crate::codes;
use crate::gate::range_test::{self, Counted};
use crate::gate::work::WorkedDevice;
use crate::gate::{Deed, Facts, Gate, Need, checks, deeds, isolate};
use crate::moment::Moment;
use crate::radio::system::System;
use crate::record::{
    JoinCode, JoinedAt, Joining, JoiningId, Method, OpenedBox, Record, Step, Stepped, Telling, What,
};
use crate::site::{Device, DeviceId, Kind, Ref, Refusal, Security, Site, Wrong};

fn spot<'a>(site: &'a Site, device: &DeviceId) -> Result<WorkedDevice<'a>, Refusal> {
    let missing = || Refusal::Missing(Ref::new(Kind::Device, device.as_str()));
    WorkedDevice::of(site, device).ok_or_else(missing)
}

/// What taking a step needs. A box that stands open can be made safe, whatever is planned there by now.
pub(super) fn step_of(gate: &Gate<'_>, device: &DeviceId, step: Step) -> Result<Deed, Refusal> {
    if step == Step::PutBack && gate.is_open(device) {
        let opens = WorkedDevice::of(gate.site(), device).is_some_and(|s| s.opens_box());
        if !opens {
            return Ok(deeds::put_back_unplanned(device));
        }
    }
    Ok(deeds::step(gate, &spot(gate.site(), device)?, step, false))
}

/// Refuses an act that lacks something; gives the reason that overrules what yields, where something does.
pub(super) fn reasoned(facts: &Facts, deed: &Deed, by: &str, why: &str) -> Result<String, Refusal> {
    if by.trim().is_empty() {
        return Err(Refusal::wrong("by", Wrong::NotSaid));
    }
    let lacks = deed.lacks(facts, by);
    if lacks.is_empty() {
        return Ok(String::new());
    }
    let missing = told(&lacks);
    if lacks.iter().any(|need| !need.yields) {
        return Err(Refusal::wrong("step", Wrong::NotYet { missing }));
    }
    if why.trim().is_empty() {
        return Err(Refusal::wrong("why", Wrong::NotYetUnless { missing }));
    }
    Ok(why.trim().to_owned())
}

pub(super) fn lacks_nothing(
    gate: &Gate<'_>,
    deed: &Deed,
    field: &str,
    me: &str,
) -> Result<(), Refusal> {
    refuse(&deed.lacks(gate.facts(), me), field)
}

/// Refuses an act that lacks something, beside the field that it is told of.
pub(super) fn refuse(lacks: &[&Need], field: &str) -> Result<(), Refusal> {
    if lacks.is_empty() {
        return Ok(());
    }
    Err(Refusal::wrong(field, Wrong::NotYet { missing: told(lacks) }))
}

/// All that is lacking, each once.
fn told(lacks: &[&Need]) -> String {
    let mut told: Vec<&str> = lacks.iter().map(|need| need.says.as_str()).collect();
    told.dedup();
    told.join("; ")
}

pub(super) fn ticked(
    site: &Site,
    device: &DeviceId,
    step: Step,
    check: &str,
    on: bool,
) -> Result<What, Refusal> {
    let known = checks::checks(&spot(site, device)?, step);
    if !known.iter().any(|c| c.word == check) {
        let known = known.iter().map(|c| c.word.as_str()).collect::<Vec<_>>().join(", ");
        return Err(Refusal::wrong("check", Wrong::NoneOf { text: check.to_owned(), known }));
    }
    Ok(What::Ticked { device: device.clone(), step, check: check.to_owned(), on })
}

/// A step that may be taken.
pub(super) fn taken(
    gate: &Gate<'_>,
    device: &DeviceId,
    step: Step,
    deed: &Deed,
    by: &str,
    why: &str,
    more: &BTreeSet<String>,
) -> Result<Stepped, Refusal> {
    let mut facts = gate.facts().clone();
    for check in more {
        facts.add(format!("tick:{device}:{}:{check}", step.word()));
    }
    let why = reasoned(&facts, deed, by, why)?;
    let mut checks = gate.mark(device, step).map(|m| m.checks.clone()).unwrap_or_default();
    checks.extend(more.iter().cloned());
    let isolation = if step.is_in_box() {
        let named = deed.named(&facts, by);
        let under = named.iter().find(|(name, _)| name == "iso");
        under.and_then(|(_, id)| id.parse().ok())
    } else {
        None
    };
    let opened = (step == Step::Dead).then(|| opened_box(gate.site(), device)).flatten();
    let (device, note) = (device.clone(), String::new());
    Ok(Stepped { device, step, isolation, opened, checks, why, note })
}

/// A step that has no act of its own, with all that it puts on record.
pub(super) fn step_taken(
    gate: &Gate<'_>,
    (device, step): (&DeviceId, Step),
    (by, at): (&str, &Moment),
    (why, note, checks): (&str, &str, &BTreeSet<String>),
    counted: &Counted,
) -> Result<Vec<What>, Refusal> {
    if step == Step::Joined || step == Step::Code {
        return Err(Refusal::wrong("step", Wrong::OwnAct));
    }
    for check in checks {
        ticked(gate.site(), device, step, check, true)?;
    }
    let deed = step_of(gate, device, step)?;
    let mut stepped = taken(gate, device, step, &deed, by, why, checks)?;
    note.clone_into(&mut stepped.note);
    if step == Step::Tested {
        tested(gate, stepped, counted, why, (by, at))
    } else {
        Ok(vec![What::Stepped(stepped)])
    }
}

/// The range test with its step: what was pressed is put on record in any case, the step where as many answered as were
/// agreed, or somebody says why it stays so. What the step stands on then is one test, of the day and of the acceptance.
fn tested(
    gate: &Gate<'_>,
    mut stepped: Stepped,
    counted: &Counted,
    why: &str,
    (by, at): (&str, &Moment),
) -> Result<Vec<What>, Refusal> {
    let (site, record) = (gate.site(), gate.record());
    let device = stepped.device.clone();
    let tests = range_test::pressed((site, record), &device, &stepped.checks, counted, (by, at))?;
    let rule = site.devices.get(&device).map(|d| range_test::rule_for(site, record, d));
    let suffice = rule.is_some_and(|rule| tests.iter().all(|t| range_test::suffices(&rule, t)));
    let mut all: Vec<What> =
        moved_to(gate, &device, counted.parent.as_ref())?.into_iter().collect();
    all.extend(tests.into_iter().map(What::Pressed));
    if suffice || !why.trim().is_empty() {
        if !suffice {
            why.trim().clone_into(&mut stepped.why);
        }
        all.push(What::Stepped(stepped));
    }
    Ok(all)
}

/// Over whom a device goes since it stands where it stays: of one that was joined elsewhere.
fn moved_to(
    gate: &Gate<'_>,
    device: &DeviceId,
    parent: Option<&DeviceId>,
) -> Result<Option<What>, Refusal> {
    let Some(parent) = parent else { return Ok(None) };
    spot(gate.site(), parent)?;
    if parent == device {
        return Err(Refusal::wrong("parent", Wrong::OwnMaster));
    }
    let joined = gate.record().joined(device).cloned();
    Ok(joined.map(|of| What::Joined(Joining { parent: Some(parent.clone()), ..of })))
}

/// A box as it is known when it is opened.
fn opened_box(site: &Site, device: &DeviceId) -> Option<OpenedBox> {
    let spot = WorkedDevice::of(site, device)?;
    Some(OpenedBox {
        point: site.box_of(spot.point).id.clone(),
        name: spot.device.name.clone(),
        circuits: isolate::labels(site, &spot.circuits()),
    })
}

fn plain_step(
    gate: &Gate<'_>,
    device: &DeviceId,
    step: Step,
    elsewhere: bool,
    by: &str,
    why: &str,
) -> Result<What, Refusal> {
    let deed = deeds::step(gate, &spot(gate.site(), device)?, step, elsewhere);
    taken(gate, device, step, &deed, by, why, &BTreeSet::new()).map(What::Stepped)
}

/// Holds a code against what it carries to check itself, and against those of the other devices that are planned.
///
/// # Errors
/// It is none of its system, or that of another device.
pub(crate) fn code_held(site: &Site, record: &Record, code: &JoinCode) -> Result<(), Refusal> {
    if code.text.trim().is_empty() {
        return Ok(());
    }
    let system = spot(site, &code.device)?.network.map(|n| n.system);
    let read = codes::parse(&code.text, system);
    let read = read.map_err(|e| Refusal::wrong("text", Wrong::Code(e)))?;
    let is_same = |c: &JoinCode| codes::parse(&c.text, system).is_ok_and(|c| c.is_of(&read));
    let is_other = |c: &&JoinCode| c.id != code.id && c.device != code.device;
    let others = record.join_codes.iter().filter(is_other).filter(|c| is_same(c));
    let named = others.into_iter().find_map(|c| site.devices.get(&c.device));
    named.map_or(Ok(()), |other| {
        let name = other.name.clone();
        Err(Refusal::wrong("text", Wrong::CodeOfAnother { name }))
    })
}

pub(super) fn code_kept(gate: &Gate<'_>, code: JoinCode) -> Result<Vec<Telling>, Refusal> {
    spot(gate.site(), &code.device)?;
    code_held(gate.site(), gate.record(), &code)?;
    let (by, at) = (code.by.clone(), code.at.clone());
    let stepped = plain_step(gate, &code.device, Step::Code, false, &by, "")?;
    let both = [What::CodeKept(code), stepped];
    Ok(both.map(|what| Telling::new(what, Some(&by), Some(&at))).into())
}

pub(super) fn tied(
    gate: &Gate<'_>,
    joining: &JoiningId,
    device: &DeviceId,
    master: &DeviceId,
    by: &str,
    at: &Moment,
) -> Result<Vec<Telling>, Refusal> {
    if !spot(gate.site(), device)?.masters().contains(master) {
        return Err(Refusal::wrong("master", Wrong::NoMasterOfIt));
    }
    let stepped = plain_step(gate, device, Step::Tied, false, by, "")?;
    let record = gate.record().joined(device).cloned().unwrap_or_else(|| Joining {
        id: joining.clone(),
        device: device.clone(),
        joined: JoinedAt::InPlace,
        method: Method::Unsaid,
        node: None,
        parent: None,
        rssi_dbm: None,
        master: None,
        tried: BTreeSet::new(),
        by: by.to_owned(),
        at: at.clone(),
    });
    let tied = What::Tied(Joining { master: Some(master.clone()), ..record });
    Ok([tied, stepped].map(|what| Telling::new(what, Some(by), Some(at))).into())
}

/// What a system cannot do without to find, replace or exclude a device later is said when it joins: of Z-Wave its
/// number, the class of its security and how it was included (SDS13783, inclusion and S2 bootstrapping).
fn said_enough(gate: &Gate<'_>, join: &Join) -> Result<(), Refusal> {
    let system = spot(gate.site(), &join.device)?.network.map(|n| n.system);
    if !system.is_some_and(System::is_zwave) {
        return Ok(());
    }
    let lacks = [
        ("method", join.method == Method::Unsaid),
        ("security", join.security.is_none_or(|s| s == Security::Unsaid)),
        ("node", join.node.is_none()),
    ];
    let unsaid = lacks.into_iter().find(|(_, lacks)| *lacks);
    unsaid.map_or(Ok(()), |(field, _)| Err(Refusal::wrong(field, Wrong::NotSaid)))
}

/// No two devices of a network have one number: a hub that names two alike is asked again.
fn number_is_its_own(gate: &Gate<'_>, join: &Join) -> Result<(), Refusal> {
    let (site, record) = (gate.site(), gate.record());
    let network = site.devices.get(&join.device).map(|d| &d.network);
    let is_alike = |d: &&Device| {
        d.id != join.device && Some(&d.network) == network && record.number(d) == join.node
    };
    match site.devices.iter().filter(|_| join.node.is_some()).find(is_alike) {
        Some(other) => {
            let name = other.name.clone();
            Err(Refusal::wrong("node", Wrong::NumberOfAnother { name }))
        }
        None => Ok(()),
    }
}

pub(super) fn joined(gate: &Gate<'_>, join: &Join) -> Result<Vec<Telling>, Refusal> {
    said_enough(gate, join)?;
    number_is_its_own(gate, join)?;
    let elsewhere = join.joined == JoinedAt::Elsewhere;
    let stepped = plain_step(gate, &join.device, Step::Joined, elsewhere, &join.by, &join.why)?;
    let record = Joining {
        id: join.id.clone(),
        device: join.device.clone(),
        joined: join.joined,
        method: join.method,
        node: join.node,
        parent: join.parent.clone(),
        rssi_dbm: join.rssi_dbm,
        master: None,
        tried: join.tried.clone(),
        by: join.by.clone(),
        at: join.at.clone(),
    };
    let both = [What::Joined(record), stepped];
    Ok(both.map(|what| Telling::new(what, Some(&join.by), Some(&join.at))).into())
}
