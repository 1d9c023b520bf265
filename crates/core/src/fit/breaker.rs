//! What hangs on a breaker, and what it protects.

use super::FitFinding;
use super::place::FitPlace;
use crate::catalogue::DeviceKind;
use crate::radio::region::Region;
use crate::site::{Function, Gauge};

/// The voltage of the mains from line to neutral, in volts: IEC 60038; ANSI C84.1; JIS C 0704.
pub(super) fn mains_v(region: Region) -> f64 {
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

/// The design current is no more than the rating of the breaker, and that no more than what the conductors carry: IEC
/// 60364-4-43, 433.1.
pub(super) fn breaker(kind: &DeviceKind, place: &FitPlace<'_>, found: &mut Vec<FitFinding>) {
    let Some(rated) = place.circuit.and_then(|c| c.rated_a) else { return };
    if !kind.is_wired_in() {
        return;
    }
    if kind.fit.switches() {
        let is: f64 = place.loads.iter().filter_map(|l| l.total()).sum();
        let volts = mains_v(place.region());
        let amperes = is / volts;
        if amperes > rated {
            found.push(FitFinding::OverBreaker { is, volts, amperes, rated });
        }
    }
    let live = place.conductors().iter().filter(|c| c.enters && c.found != Function::Earth);
    let thin = live.map(|c| c.size).min_by(|a, b| carries_a(*a).total_cmp(&carries_a(*b)));
    if let Some(size) = thin.filter(|size| carries_a(*size) < rated) {
        let name = Gauge::ALL.iter().find(|(of, _)| *of == size).map_or("", |(_, name)| name);
        found.push(FitFinding::ThinConductor { size: name, carries: carries_a(size), rated });
    }
}
