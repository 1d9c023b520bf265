//! What hangs on a breaker, and what it protects.

use super::FitFinding;
use super::place::FitPlace;
use crate::catalogue::DeviceKind;
use crate::radio::region::Region;
use crate::site::{Conductor, Function, Gauge, KeptAs, StaysKind};

/// The voltage of the mains from line to neutral, in volts: IEC 60038; ANSI C84.1; JIS C 0704.
pub(crate) fn mains_v(region: Region) -> f64 {
    match region {
        Region::Us => 120.0,
        Region::Jp => 100.0,
        Region::Kr | Region::Hk => 220.0,
        Region::Eu | Region::Uk | Region::Anz | Region::In | Region::Il => 230.0,
    }
}

/// What a conductor of copper usually carries in a wall, in amperes, for a doubt that an electrician settles: two loaded
/// conductors in conduit or trunking, insulated with PVC. Sources: IEC 60364-5-52, table B.52.2, method B2; 1 mm² by
/// BS 7671, table 4D2A, method B; AWG by NFPA 70, 240.4(D).
fn carries_a(size: Gauge) -> f64 {
    match size {
        Gauge::Awg18 => 7.0,
        Gauge::Awg16 => 10.0,
        Gauge::Mm1 => 13.0,
        Gauge::Awg14 => 15.0,
        Gauge::Mm1_5 => 16.5,
        Gauge::Awg12 => 20.0,
        Gauge::Mm2_5 => 23.0,
        Gauge::Awg10 | Gauge::Mm4 => 30.0,
    }
}

/// The smallest and the largest breaker that a final circuit of lamps and sockets usually has, in amperes; *planning
/// values*.
const LEAST_BREAKER_A: f64 = 6.0;
const MOST_BREAKER_A: f64 = 32.0;

/// What the conductors of such a circuit carry at the least, in amperes: those of 1 mm²; *planning value*.
const USUAL_CARRIES_A: f64 = 13.0;

/// The design current is no more than the rating of the breaker, and that no more than what the conductors carry: IEC
/// 60364-4-43, 433.1.
pub(super) fn breaker(kind: &DeviceKind, place: &FitPlace<'_>, found: &mut Vec<FitFinding>) {
    // What a panel that nobody has surveyed holds is asked for there, not at every box.
    let is_open = place.point.circuit.trim().is_empty();
    if !place.point.has_wired_in(kind) || place.circuit.is_none() && !is_open {
        return;
    }
    let volts = volts(place);
    let is: f64 = place.loads.iter().filter_map(|l| l.total()).sum();
    let is = if kind.fit.switches() { is } else { 0.0 };
    let amperes = is / volts;
    let live = place.conductors().iter().filter(|c| c.enters && c.found != Function::Earth);
    // What carries the current is known where a conductor is known to, or the circuit says it.
    let carries_current = |c: &Conductor| !matches!(c.found, Function::Earth | Function::Unknown);
    let is_listed = place.conductors().iter().any(carries_current)
        || place.circuit.is_some_and(|c| c.size.is_some());
    let sizes = live.map(|c| c.size).chain(place.circuit.and_then(|c| c.size));
    let thin = sizes.min_by(|a, b| carries_a(*a).total_cmp(&carries_a(*b)));
    let Some(rated) = place.breaker().and_then(|c| c.rated_a) else {
        let least = if amperes > LEAST_BREAKER_A { amperes } else { 0.0 };
        let carries = thin.map_or(USUAL_CARRIES_A, carries_a);
        let carries = if is_listed { carries } else { carries.min(USUAL_CARRIES_A) };
        let most = (carries < MOST_BREAKER_A).then_some(carries);
        if least > 0.0 || most.is_some() {
            found.push(FitFinding::BreakerUnrated { least, most });
        }
        return;
    };
    if amperes > rated {
        found.push(FitFinding::OverBreaker { is, volts, amperes, rated });
    }
    match thin {
        Some(size) if carries_a(size) < rated => {
            let name = Gauge::ALL.iter().find(|(of, _)| *of == size).map_or("", |(_, name)| name);
            found.push(FitFinding::ThinConductor { size: name, carries: carries_a(size), rated });
        }
        _ if !is_listed && rated > USUAL_CARRIES_A => {
            found.push(FitFinding::SizeUnknown { rated });
        }
        _ => {}
    }
}

/// A switch that is kept on purpose: what it does for the unit, what it carries, and whom it takes off the air.
pub(super) fn kept(kind: &DeviceKind, place: &FitPlace<'_>, found: &mut Vec<FitFinding>) {
    if !kind.is_wired_in() {
        return;
    }
    let watts: f64 = place.loads.iter().filter_map(|l| l.total()).sum();
    let amperes = watts / volts(place);
    for stays in place.stays_here().filter(|s| s.what == StaysKind::Switch) {
        let what = stays.what.name().to_owned();
        // One that was there may work something else; one that is added, or is of the lamp itself, is for this.
        let is_for_this = stays.is_added || place.point.has_on_cord(kind);
        match stays.kept_as {
            KeptAs::Unsaid if is_for_this => found.push(FitFinding::KeptUnsaid { what }),
            KeptAs::Unsaid | KeptAs::Beside | KeptAs::Signal => {}
            KeptAs::InLine => {
                found.extend(rated(place, &what, stays.rated_a, amperes));
                if kind.has_radio && !place.stays_on {
                    found.push(FitFinding::KeptCuts { what });
                }
            }
        }
    }
}

/// What speaks against a switch that carries the load, or is open about it.
fn rated(place: &FitPlace<'_>, what: &str, rated: Option<f64>, amperes: f64) -> Option<FitFinding> {
    let what = what.to_owned();
    match rated {
        None => Some(FitFinding::KeptUnrated { what }),
        Some(rated) if amperes > rated => Some(FitFinding::KeptOver { what, amperes, rated }),
        Some(_) => {
            let open = place.loads.iter().find(|l| l.total().is_none());
            open.map(|l| FitFinding::KeptLoadOpen { what, load: l.name.clone() })
        }
    }
}

/// The voltage at a place: that of its circuit, where it is not the region's.
pub(super) fn volts(place: &FitPlace<'_>) -> f64 {
    place.circuit.and_then(|c| c.volts).unwrap_or_else(|| mains_v(place.region()))
}
