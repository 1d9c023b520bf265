//! Whether a device can switch what hangs on it: watts by kind of load, the least of them, the moment
//! of switching on, dimming.

use std::collections::BTreeMap;

use super::place::FitPlace;
use super::{FitFinding, Watts};
use crate::catalogue::{DeviceKind, Far, LoadKind};
use crate::site::{Load, PointKind, Tried};

/// From so many LED lamps on, what they draw at the moment of switching on decides; *planning value*.
const MANY_LEDS: u16 = 10;

pub(super) fn loads(kind: &DeviceKind, place: &FitPlace<'_>, found: &mut Vec<FitFinding>) {
    if !kind.fit.switches() {
        let has_master = place.elsewhere.iter().any(|(_, k)| k.fit.switches());
        if kind.fit.far == Far::Remote && !place.loads.is_empty() && !has_master {
            let names = place.loads.iter().map(|l| l.name.clone()).collect();
            found.push(FitFinding::NothingSwitches { names });
        }
        return;
    }
    let loads = &place.loads;
    if loads.is_empty() {
        // What is plugged in is not surveyed, and the loads of a group hang on one of its places.
        let elsewhere = place.loads_of_group().len() > loads.len();
        let is_fixed = kind.is_wired_in() && place.point.kind != PointKind::Socket;
        found.extend((is_fixed && !elsewhere).then_some(FitFinding::LoadUnknown));
        return;
    }
    found.extend(loads.iter().filter_map(|load| one(kind, load)));
    sum(kind, place, found);
    least(kind, place, found);
    inrush(kind, place, found);
    let fan = loads.iter().any(|l| l.kind == LoadKind::Fan);
    if fan && loads.iter().any(|l| l.kind.is_lamp()) {
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
    let left = match (kind.fit.derated, place.tabs_off()) {
        (None, _) | (_, Some(0)) => 1.0,
        (Some([one, _]), Some(1)) => one,
        (Some([_, both]), Some(_)) => both,
        (Some(_), None) => {
            found.push(FitFinding::GangUnknown);
            1.0
        }
    };
    let shares =
        by_kind.iter().filter_map(|(k, watts)| Some((*k, *watts, kind.fit.limits.get(k)? * left)));
    let shares: Vec<_> = shares.collect();
    let whole: f64 = shares.iter().map(|(_, watts, most)| watts / most).sum();
    if whole > 1.0
        && let Some((what, watts, most)) =
            shares.iter().max_by(|a, b| (a.1 / a.2).total_cmp(&(b.1 / b.2)))
    {
        let (is, most) = (*watts, *most);
        let what = what.name();
        found.push(FitFinding::TooMuch(Watts { what, is, most, left, is_mixed: shares.len() > 1 }));
    }
}

fn least(kind: &DeviceKind, place: &FitPlace<'_>, found: &mut Vec<FitFinding>) {
    let totals: Option<Vec<f64>> = place.loads.iter().map(|l| l.total()).collect();
    let (Some(least), Some(totals)) = (kind.fit.least_w, totals) else { return };
    let is: f64 = totals.iter().sum();
    if is < least && !place.has_bypass() {
        found.push(FitFinding::TooLittle { is, least });
    }
}

fn inrush(kind: &DeviceKind, place: &FitPlace<'_>, found: &mut Vec<FitFinding>) {
    let Some(most) = kind.fit.inrush_a else { return };
    let known: f64 = place.loads.iter().filter_map(|l| l.inrush_a).sum();
    let leds = place.loads.iter().filter(|l| l.kind == LoadKind::Led);
    let unknown: u16 = leds.filter(|l| l.inrush_a.is_none()).map(|l| l.count).sum();
    if known > most {
        found.push(FitFinding::Inrush { is: known, most });
    } else if unknown >= MANY_LEDS {
        found.push(FitFinding::InrushUnknown { lamps: unknown, most });
    }
}
