//! Whether a device can switch what hangs on it: watts by kind of load, the least of them, the moment
//! of switching on, dimming.

use std::collections::BTreeMap;

use super::breaker::volts;
use super::place::FitPlace;
use super::{FitFinding, Watts};
use crate::catalogue::{DeviceKind, Far, LoadKind, Supply};
use crate::site::neutrals::really;
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
        let is_fixed = kind.is_wired_in()
            && (place.point.kind != PointKind::Socket || place.point.has_on_cord(kind));
        found.extend(is_fixed.then_some(FitFinding::LoadUnknown));
        return;
    }
    found.extend(loads.iter().filter_map(|load| one(kind, load)));
    sum(kind, place, found);
    found.extend(least(kind, place));
    inrush(kind, place, found);
    let is_fan_control = !kind.fit.limits.keys().any(|k| k.is_lamp());
    let fan = loads.iter().any(|l| l.kind == LoadKind::Fan);
    if is_fan_control && fan && loads.iter().any(|l| l.kind.is_lamp()) {
        found.push(FitFinding::FanWithLamp);
    }
    found.extend(fan_alone(place));
    let channels = usize::from(kind.fit.channels.max(1));
    // One load at a unit of one channel hangs on that one, whatever the channel was of the unit before.
    let is_plain = channels == 1 && loads.len() == 1;
    let over = loads.iter().find(|l| usize::from(l.channel) > channels && !is_plain);
    if let Some(load) = over {
        let name = load.name.clone();
        found.push(FitFinding::NoSuchChannel { name, channel: load.channel, channels });
    }
    let unsaid = loads.iter().filter(|l| l.channel == 0).map(|l| l.name.clone());
    let names: Vec<_> = unsaid.collect();
    let is_too_much = |f: &FitFinding| matches!(f, FitFinding::ChannelUnsaid { .. });
    if channels > 1 && loads.len() > 1 && !names.is_empty() && !found.iter().any(is_too_much) {
        found.push(FitFinding::ChannelOpen { names });
    }
    if loads.len() > channels {
        let names = loads.iter().map(|l| l.name.clone()).collect();
        found.push(FitFinding::SwitchedTogether { names, channels });
    }
}

/// A fan is best on a circuit of its own: what else hangs on its breaker, as far as is known.
fn fan_alone(place: &FitPlace<'_>) -> Option<FitFinding> {
    let fan = place.loads.iter().find(|l| l.kind == LoadKind::Fan)?;
    let (site, name) = (place.site, fan.name.clone());
    let breaker_of = |load: &Load| {
        let label = site.points.get(&load.switched_at).map_or("", |p| p.circuit.as_str());
        really(site, label)
    };
    let own = really(site, &place.point.circuit);
    let beside = || site.loads.iter().filter(|l| place.loads.iter().all(|own| own.id != l.id));
    let others = beside().filter(|l| !own.is_empty() && breaker_of(l) == own).count();
    let is_open = own.is_empty() || beside().any(|l| breaker_of(l).is_empty());
    match (others, is_open) {
        (0, false) => None,
        (0, true) => Some(FitFinding::FanCircuitUnknown { name }),
        (others, _) => Some(FitFinding::FanShares { name, others }),
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
    let (certain, possible) = fullest(kind, place);
    if certain > left {
        found.push(over(kind, place, &by_kind, left));
    } else if possible > least && certain <= least {
        let open = place.loads.iter().filter(|l| l.channel == 0);
        found.push(FitFinding::ChannelUnsaid { names: open.map(|l| l.name.clone()).collect() });
    } else if possible > least {
        found.push(if is_open { FitFinding::TabsUnknown } else { FitFinding::GangUnknown });
    }
}

/// The share of its limits that a load takes of a unit.
fn share(kind: &DeviceKind, load: &Load) -> Option<f64> {
    Some(load.total()? / kind.fit.limits.get(&load.kind)?)
}

/// What the fullest channel of a unit bears of its limits: at the least, and where all of which nobody said the channel
/// hang on that one.
fn fullest(kind: &DeviceKind, place: &FitPlace<'_>) -> (f64, f64) {
    let mut said: BTreeMap<u8, f64> = BTreeMap::new();
    let (mut open, mut largest) = (0.0, 0.0_f64);
    for load in &place.loads {
        let Some(share) = share(kind, load) else { continue };
        if load.channel == 0 {
            open += share;
            largest = largest.max(share);
        } else {
            *said.entry(load.channel).or_default() += share;
        }
    }
    if kind.fit.channels <= 1 {
        let whole = open + said.values().sum::<f64>();
        return (whole, whole);
    }
    let fullest = said.into_values().fold(0.0, f64::max);
    (fullest.max(largest), fullest + open)
}

/// What is too much for a unit, or for one of its channels.
fn over(
    kind: &DeviceKind,
    place: &FitPlace<'_>,
    by_kind: &BTreeMap<LoadKind, f64>,
    left: f64,
) -> FitFinding {
    let is_over = |l: &&&Load| share(kind, l).is_some_and(|share| share > left);
    let one = place.loads.iter().find(is_over).map(|l| (l.kind, l.total().unwrap_or_default()));
    let worst = |a: &(LoadKind, f64), b: &(LoadKind, f64)| {
        let share =
            |(k, watts): &(LoadKind, f64)| watts / kind.fit.limits.get(k).unwrap_or(&f64::MAX);
        share(a).total_cmp(&share(b))
    };
    let of_all = || by_kind.iter().map(|(k, watts)| (*k, *watts)).max_by(worst);
    let told = if kind.fit.channels > 1 { one } else { of_all() };
    if let Some((what, is)) = told {
        let most = kind.fit.limits.get(&what).copied().unwrap_or_default() * left;
        let is_mixed = kind.fit.channels <= 1 && by_kind.len() > 1;
        return FitFinding::TooMuch(Watts { what: what.name(), is, most, left, is_mixed });
    }
    let mut said: BTreeMap<u8, f64> = BTreeMap::new();
    for load in &place.loads {
        *said.entry(load.channel).or_default() += share(kind, load).unwrap_or_default();
    }
    let (channel, share) = said.into_iter().max_by(|a, b| a.1.total_cmp(&b.1)).unwrap_or_default();
    FitFinding::ChannelFull { channel, percent: share / left * 100.0 }
}

/// Whether a bypass capacitor is taken along for a unit: what it works is less than it needs, or may be.
pub fn may_need_bypass(kind: &DeviceKind, place: &FitPlace<'_>) -> bool {
    let may_lack = least_w(kind) > 0.0 && place.loads.iter().any(|l| l.total().is_none());
    kind.may_switch() && !place.has_bypass() && (may_lack || least(kind, place).is_some())
}

/// The least load that a unit asks for, in watts; where nobody wrote it down, the most that such a one usually does.
fn least_w(kind: &DeviceKind) -> f64 {
    kind.fit.least_w.unwrap_or(match kind.supply {
        _ if kind.fit.is_shipped => 0.0,
        Supply::MainsTwoWire => LEAST_TWO_WIRE_W,
        _ => LEAST_W,
    })
}

fn least(kind: &DeviceKind, place: &FitPlace<'_>) -> Option<FitFinding> {
    let (least, is_open) = (least_w(kind), kind.fit.is_blank(kind.fit.least_w.as_ref()));
    if place.has_bypass() || place.loads.is_empty() {
        return None;
    }
    let is: f64 = place.loads.iter().filter_map(|l| l.total()).sum();
    if is_open && is < least {
        return Some(FitFinding::LeastUnknown { is });
    }
    if is < least && place.loads.iter().all(|l| l.total().is_some()) {
        return Some(FitFinding::TooLittle { is, least });
    }
    // A unit without a neutral lives on what flows through the lamp, asleep or not.
    let lamps = place.smart_lamps();
    #[expect(clippy::cast_precision_loss, reason = "the lamps of a room")]
    let is = lamps as f64 * ASLEEP_W;
    if kind.supply != Supply::MainsTwoWire || lamps == 0 || is >= least {
        return None;
    }
    Some(if is_open {
        FitFinding::LeastUnknown { is }
    } else {
        FitFinding::AsleepTooLittle { lamps, is, least }
    })
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
