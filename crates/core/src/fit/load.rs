//! Whether a device can switch what hangs on it: watts by kind of load, the least of them, the moment
//! of switching on, dimming.

use std::collections::BTreeMap;

use super::breaker::volts;
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

/// What is left at the worst of the limits of a device with its side tabs off; *planning value*.
const HALVED: f64 = 0.5;

/// The least load that units through the lamp, and those with a neutral, ask for at the most, in watts; *planning values*.
const LEAST_TWO_WIRE_W: f64 = 25.0;
const LEAST_W: f64 = 10.0;

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
    let over = loads.iter().find(|l| usize::from(l.channel) > channels);
    if let Some(load) = over {
        let name = load.name.clone();
        found.push(FitFinding::NoSuchChannel { name, channel: load.channel, channels });
    }
    if loads.len() > channels {
        let names = loads.iter().map(|l| l.name.clone()).collect();
        found.push(FitFinding::SwitchedTogether { names, channels });
    }
}

fn one(kind: &DeviceKind, load: &Load) -> Option<FitFinding> {
    let name = load.name.clone();
    if !kind.fit.limits.contains_key(&load.kind) {
        let what = load.kind.name();
        return Some(FitFinding::LoadNotAllowed { name, what, dims: kind.fit.is_dimmer() });
    }
    let open = kind.fit.is_blank(kind.fit.dims.as_ref());
    if !(open || kind.fit.is_dimmer()) || !load.kind.is_lamp() {
        return None;
    }
    let is_settled = load.dimmable == Some(true) && load.tried != Tried::Unknown;
    if open {
        return (!is_settled).then_some(FitFinding::DimsUnknown { name });
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
    // Whether it loses anything with its tabs is not written down: at the worst, half.
    let is_open = kind.fit.is_blank(kind.fit.derated.as_ref());
    let [one, both] = kind.fit.derated.unwrap_or(if is_open { [HALVED; 2] } else { [1.0; 2] });
    // In a gang that nobody said at least one tab comes off, and at the most both.
    let (left, least) = match place.tabs_off() {
        Some(0) => (1.0, 1.0),
        Some(1) => (one, one),
        Some(_) => (both, both),
        // How many gangs the box has is not said: at the best, one.
        None if !place.gangs_said => (1.0, both),
        None => (one, both),
    };
    let (left, least) = if is_open { (1.0, least) } else { (left, least) };
    let shares: Vec<_> = by_kind
        .iter()
        .filter_map(|(k, watts)| Some((*k, *watts, *kind.fit.limits.get(k)?)))
        .collect();
    let whole: f64 = shares.iter().map(|(_, watts, most)| watts / most).sum();
    if kind.fit.channels > 1 && whole > least {
        by_channel(kind, place, left, found);
        return;
    }
    if whole > left
        && let Some((what, watts, most)) =
            shares.iter().max_by(|a, b| (a.1 / a.2).total_cmp(&(b.1 / b.2)))
    {
        let (is, most) = (*watts, *most * left);
        let what = what.name();
        found.push(FitFinding::TooMuch(Watts { what, is, most, left, is_mixed: shares.len() > 1 }));
    } else if whole > least && is_open {
        found.push(FitFinding::TabsUnknown);
    } else if whole > least {
        found.push(FitFinding::GangUnknown);
    }
}

/// Where a unit has several channels each bears its own limits: which load hangs on which decides.
fn by_channel(kind: &DeviceKind, place: &FitPlace<'_>, left: f64, found: &mut Vec<FitFinding>) {
    let mut by_channel: BTreeMap<u8, f64> = BTreeMap::new();
    let mut open = Vec::new();
    for load in &place.loads {
        let (Some(watts), Some(most)) = (load.total(), kind.fit.limits.get(&load.kind)) else {
            continue;
        };
        if watts > most * left {
            let (what, is, most) = (load.kind.name(), watts, most * left);
            found.push(FitFinding::TooMuch(Watts { what, is, most, left, is_mixed: false }));
            return;
        }
        match load.channel {
            0 => open.push(load.name.clone()),
            channel => *by_channel.entry(channel).or_default() += watts / most,
        }
    }
    let fullest = by_channel.iter().max_by(|a, b| a.1.total_cmp(b.1));
    if let Some((channel, share)) = fullest.filter(|(_, share)| **share > left) {
        let percent = share / left * 100.0;
        found.push(FitFinding::ChannelFull { channel: *channel, percent });
    } else if !open.is_empty() {
        found.push(FitFinding::ChannelUnsaid { names: open });
    } else if place.tabs_off().is_none() {
        found.push(FitFinding::GangUnknown);
    }
}

/// Whether a bypass capacitor is taken along for a unit: what it works is less than it needs, or may be.
pub fn may_need_bypass(kind: &DeviceKind, place: &FitPlace<'_>) -> bool {
    if !kind.may_switch() || place.has_bypass() || !place.loads.iter().any(|l| l.kind.is_lamp()) {
        return false;
    }
    let least =
        kind.fit.least_w.unwrap_or(if kind.fit.is_shipped { 0.0 } else { usual_least(kind) });
    let total: Option<f64> = place.loads.iter().map(|l| l.total()).sum();
    least > 0.0 && total.is_none_or(|total| total < least)
}

/// The least load that units of a supply ask for at the most, in watts.
fn usual_least(kind: &DeviceKind) -> f64 {
    if kind.supply == Supply::MainsTwoWire { LEAST_TWO_WIRE_W } else { LEAST_W }
}

fn least(kind: &DeviceKind, place: &FitPlace<'_>, found: &mut Vec<FitFinding>) {
    if place.has_bypass() {
        return;
    }
    let Some(least) = kind.fit.least_w else {
        let is: f64 = place.loads.iter().filter_map(|l| l.total()).sum();
        if !kind.fit.is_shipped
            && is < usual_least(kind)
            && place.loads.iter().any(|l| l.kind.is_lamp())
        {
            found.push(FitFinding::LeastUnknown { is });
        }
        return;
    };
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
    let volts = volts(place);
    let can_be = |load: &Load| -> Option<f64> {
        let watts = load.total()?;
        Some(most_inrush(load.kind).map_or(watts * DRIVER_A_PER_W, |times| watts / volts * times))
    };
    let known = |load: &Load| Some(load.inrush_a? * f64::from(load.count?));
    let is: f64 = place.loads.iter().filter_map(|l| known(l)).sum();
    let Some(most) = kind.fit.inrush_a else {
        // What it bears for good it bears for a moment.
        let rated = kind.fit.limits.values().copied().fold(0.0, f64::max) / volts;
        let open = place.loads.iter().filter(|l| known(l).is_none());
        let is = is + open.filter_map(|l| can_be(l)).sum::<f64>();
        if !kind.fit.is_shipped && is > rated {
            found.push(FitFinding::InrushBorneUnknown { is });
        }
        return;
    };
    if is > most {
        found.push(FitFinding::Inrush { is, most });
        return;
    }
    let unknown: Vec<&&Load> = place.loads.iter().filter(|l| known(l).is_none()).collect();
    // Where the watts are not known either, that is asked for.
    let rest: f64 = unknown.iter().filter_map(|l| can_be(l)).sum();
    if is + rest > most {
        let names = unknown.iter().map(|l| l.name.clone()).collect();
        found.push(FitFinding::InrushUnknown { names, most });
    }
}
