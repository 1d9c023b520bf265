//! Whether a device fits a place: its box, its supply, its load, the other places of its group. Blank
//! never passes: what nobody knows is named, with what to find out.

mod breaker;
pub mod candidates;
pub mod companions;
pub mod finding;
pub mod lamp_ways;
pub mod load;
mod order;
pub mod place;
pub mod schools;
pub mod settings;
pub mod space;
pub mod supply;
pub mod ways_out;

use crate::catalogue::DeviceKind;
use crate::radio::mounting::Mounting;
use crate::site::{Device, Point, Site};

pub(crate) use breaker::mains_v;
pub use companions::CompanionClash;
pub use finding::{Depths, FitFinding, Volumes, Watts};
pub use order::is_reached;
pub use place::FitPlace;

/// How well a device fits.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Fits {
    /// It fits.
    Yes,
    /// It fits on a condition.
    IfSo,
    /// Something has to be found out first.
    NotKnown,
    /// A licensed electrician decides.
    ElectricianDecides,
    /// It does not fit.
    No,
}

impl Fits {
    /// The verdict in a word or two.
    pub fn name(self) -> &'static str {
        match self {
            Self::Yes => "fits",
            Self::IfSo => "fits if",
            Self::NotKnown => "not known yet",
            Self::ElectricianDecides => "electrician decides",
            Self::No => "does not fit",
        }
    }
}

/// Room that conductors need behind a device when they bend, in millimetres; *planning value*.
pub const BEND_ALLOWANCE_MM: f64 = 5.0;

/// With less than this to spare a device is tight, in millimetres; *planning value*.
const TIGHT_MM: f64 = 3.0;

/// Everything that speaks for or against a device of this kind at this place, the worst first; empty
/// when it simply fits. `device` is the one that is there, where it is; one that was in the house before the job is not
/// judged: it works.
pub fn findings(
    site: &Site,
    kind: &DeviceKind,
    point: &Point,
    device: Option<&Device>,
) -> Vec<FitFinding> {
    if device.is_some_and(Device::is_there) {
        return Vec::new();
    }
    let place = FitPlace::of(site, point, device);
    if kind.is_cover() {
        return order::finish(kind, &place).into_iter().collect();
    }
    let mut found: Vec<_> = [
        supply::neutral(kind, &place),
        supply::earth(kind, &place),
        space::to_make(kind, &place),
        space::depth(kind, &place),
        space::width(kind, &place),
        space::volume(kind, &place),
        supply::weather(kind, &place),
        supply::residual(kind, &place),
        supply::feed(kind, &place),
        order::refused(kind, &place),
        order::tried(kind, &place),
        order::finish(kind, &place),
        order::life(kind, &place),
        order::region(kind, &place),
        order::count(kind, &place),
        hidden(kind, &place),
    ]
    .into_iter()
    .flatten()
    .collect();
    order::platforms(kind, &place, &mut found);
    load::loads(kind, &place, &mut found);
    breaker::breaker(kind, &place, &mut found);
    breaker::kept(kind, &place, &mut found);
    companions::group(kind, &place, &mut found);
    found.sort_by_key(|f| std::cmp::Reverse(f.fits()));
    found
}

/// What hides a radio: metal around it, the body of a lamp.
fn hidden(kind: &DeviceKind, place: &FitPlace<'_>) -> Option<FitFinding> {
    let in_metal = matches!(place.point.mounting, Mounting::MetalLampBase | Mounting::MetalCabinet);
    if kind.has_radio && in_metal {
        return Some(FitFinding::InMetal);
    }
    kind.fit.in_lamp.then_some(FitFinding::InsideLamp)
}

/// The verdict of all findings together.
pub fn verdict(findings: &[FitFinding]) -> Fits {
    findings.iter().map(FitFinding::fits).max().unwrap_or(Fits::Yes)
}

/// Houses of this year and later are likely to have a neutral at the switch; *planning value*.
pub const NEUTRAL_SINCE: u16 = 1985;

/// Whether a neutral at the switch is likely by the age of a house; nothing where that is not known. A
/// guess, until the box has been opened.
pub fn neutral_is_likely(built: Option<u16>) -> Option<bool> {
    built.map(|year| year >= NEUTRAL_SINCE)
}
