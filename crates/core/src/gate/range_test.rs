//! The range test of the day, which is the acceptance's own: what was agreed, and what its step puts on record.

use std::collections::BTreeSet;

use crate::catalogue::Duty;
use crate::moment::Moment;
use crate::record::{Acceptance, RangeTest, Record, Sent};
use crate::site::{Device, DeviceId, Refusal, Site, Wrong};
use crate::units::Db;

/// What is asked where nobody agreed on anything: ten of ten, with the margin that the plan wants.
/// *Planning value*.
pub fn proposed() -> Acceptance {
    let (agreed_by, agreed_at) = (String::new(), None);
    let id = "proposed".parse().unwrap_or_else(|_| unreachable!("a plain word is an id"));
    let (margin_db, delay_ms) = (Some(Db::new(6.0)), Some(800.0));
    Acceptance { id, duty: None, margin_db, count: 10, rate: 0.9, delay_ms, agreed_by, agreed_at }
}

/// The rule for a device: its duty's, else the one for all, else what is proposed.
pub fn rule_for(site: &Site, record: &Record, device: &Device) -> Acceptance {
    let duty = site.kind(&device.kind).map(|k| k.duty);
    let of = |duty: Option<Duty>| record.acceptances.iter().find(|a| a.duty == duty).cloned();
    let own = duty.and_then(|d| of(Some(d)));
    own.or_else(|| of(None)).unwrap_or_else(proposed)
}

/// Whether a rule was agreed by anyone.
pub fn is_agreed(rule: &Acceptance) -> bool {
    !rule.agreed_by.trim().is_empty()
}

/// What was counted and timed at a test in place.
#[derive(Clone, Debug, Default, PartialEq)]
pub(super) struct Counted {
    /// How many answered; nothing where all did.
    pub arrived: Option<u32>,
    /// How long the slowest took, in milliseconds; nothing where none was timed.
    pub delay_ms: Option<f64>,
    /// The quality of the link as the hub shows it; nothing where it shows none.
    pub lqi: Option<u8>,
    /// Over whom it goes where it stands, of what was joined elsewhere; nothing where nobody told.
    pub parent: Option<DeviceId>,
}

/// Ticks of the step, with the condition of [`crate::prove::press::CONDITIONS`] that each says held throughout.
const THROUGHOUT: [(&str, &str); 2] = [("door-shut", "doors-lived"), ("plate", "box-closed")];

/// Ticks that are as many presses of their own, under a condition of the same word.
const OF_THEIR_OWN: [&str; 3] = ["farthest", "turned", "body"];

/// The tests that the step comes to by its ticks, the one in place first; none where nobody says that it was pressed.
pub(super) fn pressed(
    (site, record): (&Site, &Record),
    device: &DeviceId,
    checks: &BTreeSet<String>,
    counted: &Counted,
    (by, at): (&str, &Moment),
) -> Result<Vec<RangeTest>, Refusal> {
    let Some(of) = site.devices.get(device) else { return Ok(Vec::new()) };
    let count = rule_for(site, record, of).count;
    let held = THROUGHOUT.iter().filter(|(tick, _)| checks.contains(*tick));
    let held: BTreeSet<String> = held.map(|(_, word)| (*word).to_owned()).collect();
    let test = |word: Option<&str>| {
        let tail = word.map_or_else(String::new, |word| format!("-{word}"));
        let id = format!("{device}-{}{tail}", record.len());
        let own = if word.is_none() { counted.clone() } else { Counted::default() };
        Ok(RangeTest {
            id: id.parse().map_err(|e| Refusal::wrong("device", Wrong::Id(e)))?,
            device: device.clone(),
            sent: Sent::Presses,
            count,
            arrived: own.arrived.unwrap_or(count),
            delay_ms: own.delay_ms,
            lqi: own.lqi,
            conditions: held.iter().cloned().chain(word.map(str::to_owned)).collect(),
            floor: None,
            spot: None,
            by: by.to_owned(),
            at: at.clone(),
            note: String::new(),
        })
    };
    let in_place = checks.contains("answers") || counted.arrived.is_some();
    let own = OF_THEIR_OWN.iter().filter(|word| checks.contains(**word));
    in_place.then_some(None).into_iter().chain(own.map(|word| Some(*word))).map(test).collect()
}

/// How many of as many as are asked for have to arrive.
pub fn least(rule: &Acceptance) -> u32 {
    (0..=rule.count).find(|arrived| is_enough(rule, *arrived, rule.count)).unwrap_or(rule.count)
}

fn is_enough(rule: &Acceptance, arrived: u32, count: u32) -> bool {
    f64::from(arrived) >= rule.rate * f64::from(count)
}

/// Whether as many arrived as were agreed.
pub(super) fn suffices(rule: &Acceptance, test: &RangeTest) -> bool {
    is_enough(rule, test.arrived, test.count)
}
