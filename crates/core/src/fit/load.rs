//! Whether a device can switch what hangs on it: watts by kind of load, the least of them, the moment
//! of switching on, dimming.

use std::collections::BTreeMap;

use super::breaker::mains_v;
use super::place::FitPlace;
use super::{FitFinding, Watts};
use crate::catalogue::{DeviceKind, Far, LoadKind, Supply};
use crate::site::{Load, PointKind, Tried};

/// What lamps and machines draw at the most at the moment of switching on, as a multiple of what they draw running, by
/// kind of load; nothing where the drivers differ too much for that. Motors start with five to eight times their running
/// current, cold filaments draw ten to fifteen times; *planning values*.
fn most_inrush(kind: LoadKind) -> Option<f64> {
    match kind {
        LoadKind::Heater => Some(1.5),
        LoadKind::Incandescent | LoadKind::Halogen | LoadKind::MagneticLowVoltage => Some(15.0),
        LoadKind::Fan | LoadKind::Motor | LoadKind::Outlet => Some(8.0),
        LoadKind::Led | LoadKind::Cfl | LoadKind::ElectronicLowVoltage => None,
    }
}

/// What drivers of lamps draw at the most at that moment, in amperes for each watt; *planning value*.
const DRIVER_A_PER_W: f64 = 1.5;

/// What a smart lamp draws asleep, in watts; *planning value*.
const ASLEEP_W: f64 = 0.5;

pub(super) fn loads(kind: &DeviceKind, place: &FitPlace<'_>, found: &mut Vec<FitFinding>) {
    if !kind.fit.switches() {
        let has_master = place.elsewhere.iter().any(|(_, k)| k.fit.switches());
        if kind.fit.far == Far::Remote && !place.loads.is_empty() && !has_master {
            let names = place.loads.iter().map(|l| l.name.clone()).collect();
            found.push(FitFinding::NothingSwitches { names });
        }
        // What has a button and stands in the mains switches something, whatever nobody entered.
        if kind.fit.far == Far::No && kind.button.is_some() && kind.is_wired_in() {
            found.push(FitFinding::LimitsUnknown);
        }
        return;
    }
    let loads = &place.loads;
    if loads.is_empty() {
        // What is plugged in is not surveyed.
        let is_fixed = kind.is_wired_in() && place.point.kind != PointKind::Socket;
        found.extend(is_fixed.then_some(FitFinding::LoadUnknown));
        return;
    }
    found.extend(loads.iter().filter_map(|load| one(kind, load)));
    sum(kind, place, found);
    least(kind, place, found);
    inrush(kind, place, found);
    let is_fan_control = !kind.fit.limits.keys().any(|k| k.is_lamp());
    let fan = loads.iter().any(|l| l.kind == LoadKind::Fan);
    if is_fan_control && fan && loads.iter().any(|l| l.kind.is_lamp()) {
        found.push(FitFinding::FanWithLamp);
    }
    let channels = usize::from(kind.fit.channels.max(1));
    if loads.len() > channels {
        let names = loads.iter().map(|l| l.name.clone()).collect();
        found.push(FitFinding::SwitchedTogether { names, channels });
    }
}

fn one(kind: &DeviceKind, load: &Load) -> Option<FitFinding> {
    let name = load.name.clone();
    if !kind.fit.limits.contains_key(&load.kind) {
        let what = load.kind.name();
        return Some(FitFinding::LoadNotAllowed { name, what, dims: kind.fit.dims });
    }
    if !kind.fit.dims || !load.kind.is_lamp() {
        return None;
    }
    match (load.dimmable, load.tried) {
        (Some(false), _) => Some(FitFinding::NotDimmable { name }),
        (None, _) => Some(FitFinding::DimmableUnknown { name }),
        (Some(true), Tried::Unknown) => Some(FitFinding::BenchTest { name }),
        (Some(true), _) => None,
    }
}

/// Shares of the limits add up: half of what is allowed in LED leaves half of what is allowed in
/// halogen.
fn sum(kind: &DeviceKind, place: &FitPlace<'_>, found: &mut Vec<FitFinding>) {
    let mut by_kind: BTreeMap<LoadKind, f64> = BTreeMap::new();
    for load in &place.loads {
        let Some(total) = load.total() else {
            found.push(FitFinding::WattsUnknown { name: load.name.clone() });
            continue;
        };
        *by_kind.entry(load.kind).or_default() += total;
    }
    let [one, both] = kind.fit.derated.unwrap_or([1.0, 1.0]);
    // In a gang that nobody said at least one tab comes off, and at the most both.
    let (left, least) = match place.tabs_off() {
        Some(0) => (1.0, 1.0),
        Some(1) => (one, one),
        Some(_) => (both, both),
        None => (one, both),
    };
    let shares: Vec<_> = by_kind
        .iter()
        .filter_map(|(k, watts)| Some((*k, *watts, *kind.fit.limits.get(k)?)))
        .collect();
    let whole: f64 = shares.iter().map(|(_, watts, most)| watts / most).sum();
    if whole > left
        && let Some((what, watts, most)) =
            shares.iter().max_by(|a, b| (a.1 / a.2).total_cmp(&(b.1 / b.2)))
    {
        let (is, most) = (*watts, *most * left);
        let what = what.name();
        found.push(FitFinding::TooMuch(Watts { what, is, most, left, is_mixed: shares.len() > 1 }));
    } else if whole > least {
        found.push(FitFinding::GangUnknown);
    }
}

fn least(kind: &DeviceKind, place: &FitPlace<'_>, found: &mut Vec<FitFinding>) {
    let Some(least) = kind.fit.least_w else { return };
    if place.has_bypass() {
        return;
    }
    let totals: Option<Vec<f64>> = place.loads.iter().map(|l| l.total()).collect();
    if let Some(is) = totals.map(|t| t.iter().sum()).filter(|is| *is < least) {
        found.push(FitFinding::TooLittle { is, least });
        return;
    }
    // A unit without a neutral lives on what flows through the lamp, asleep or not.
    let lamps = place.smart_lamps();
    #[expect(clippy::cast_precision_loss, reason = "the lamps of a room")]
    let asleep = lamps as f64 * ASLEEP_W;
    if kind.supply == Supply::MainsTwoWire && lamps > 0 && asleep < least {
        found.push(FitFinding::AsleepTooLittle { lamps, is: asleep, least });
    }
}

/// All switch on at once, so that it is the sum that counts: what is known of each lamp, and of the others what it can
/// be at the most.
fn inrush(kind: &DeviceKind, place: &FitPlace<'_>, found: &mut Vec<FitFinding>) {
    let Some(most) = kind.fit.inrush_a else { return };
    let volts = mains_v(place.region());
    let can_be = |load: &Load| -> Option<f64> {
        let watts = load.total()?;
        Some(most_inrush(load.kind).map_or(watts * DRIVER_A_PER_W, |times| watts / volts * times))
    };
    let known = |load: &Load| load.inrush_a.map(|each| each * f64::from(load.count));
    let is: f64 = place.loads.iter().filter_map(|l| known(l)).sum();
    if is > most {
        found.push(FitFinding::Inrush { is, most });
        return;
    }
    let unknown: Vec<&&Load> = place.loads.iter().filter(|l| l.inrush_a.is_none()).collect();
    // Where the watts are not known either, that is asked for.
    let rest: f64 = unknown.iter().filter_map(|l| can_be(l)).sum();
    if is + rest > most {
        let names = unknown.iter().map(|l| l.name.clone()).collect();
        found.push(FitFinding::InrushUnknown { names, most });
    }
}
