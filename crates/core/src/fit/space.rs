//! Whether there is room in the box: by depth, and by volume where that is the local rule.

use super::place::FitPlace;
use super::{Depths, FitFinding, TIGHT_MM, Volumes};
use crate::catalogue::DeviceKind;
use crate::radio::mounting::BoxKind;
use crate::radio::region::Region;
use crate::site::{Conductor, Function, Gauge};

/// One cubic inch in cubic centimetres.
pub const IN3: f64 = 16.387_064;

pub(super) fn depth(kind: &DeviceKind, place: &FitPlace<'_>) -> Option<FitFinding> {
    if !kind.is_wired_in() || place.material() == BoxKind::None {
        return None;
    }
    let device = kind.depth_mm?;
    let Some(inside) = place.depth_mm() else { return Some(FitFinding::DepthUnknown) };
    let depths = Depths { inside, device };
    match (depths.spare(), kind.fit.box_mm) {
        (spare, _) if spare < 0.0 => Some(FitFinding::TooDeep(depths)),
        (_, Some(least)) if inside < least => Some(FitFinding::ShallowBox { inside, least }),
        (spare, _) if spare < TIGHT_MM => Some(FitFinding::Tight(depths)),
        _ => None,
    }
}

/// Whether the volume of boxes is the rule here rather than their depth: NFPA 70, 314.16 in North
/// America.
pub fn goes_by_volume(region: Region) -> bool {
    matches!(region, Region::Us)
}

pub(super) fn volume(kind: &DeviceKind, place: &FitPlace<'_>) -> Option<FitFinding> {
    let asks = kind.is_wired_in() && place.material() != BoxKind::None;
    if !asks || !goes_by_volume(place.region()) {
        return None;
    }
    if place.conductors().is_empty() {
        return Some(FitFinding::ConductorsUnknown);
    }
    let Some(has) = place.lead.volume_cm3 else { return Some(FitFinding::VolumeUnknown) };
    let yokes = 1 + place.beside.len();
    let needs = needed_in3(place.conductors(), place.lead.clamps, yokes) * IN3;
    (needs > has).then_some(FitFinding::TooFull(Volumes { has, needs, yokes }))
}

/// What conductors, clamps and devices take in a box, in cubic inches: each conductor that comes in its
/// own room; all clamps inside together one of the largest; each yoke two of the largest that is
/// connected to it; earths together one of the largest of them for up to four, and a quarter more for
/// each beyond. What stays inside takes none. Source: NFPA 70, 314.16(B)(1) to (5).
///
/// ```
/// # use dot_reach_core::{fit::space::needed_in3, site::Conductor};
/// // Two cables of 14 AWG with two conductors and an earth each, clamps inside, one switch:
/// // 4 × 2.00 + 2.00 + 2 × 2.00 + 2.00.
/// let wire = |id: &str, count, found: &str| serde_json::from_value::<Conductor>(serde_json::json!(
///     {"id": id, "count": count, "size": "14 AWG", "found": found})).unwrap();
/// let box_of = [wire("a", 4, "unknown"), wire("e", 2, "earth")];
/// assert_eq!(needed_in3(&box_of, true, 1), 16.0);
/// ```
pub fn needed_in3(conductors: &[Conductor], clamps: bool, yokes: usize) -> f64 {
    let is_earth = |c: &&Conductor| c.found == Function::Earth;
    let largest = |all: &mut dyn Iterator<Item = &Conductor>| {
        all.map(|c| c.size).max().map_or(0.0, Gauge::room_in3)
    };
    let entering = || conductors.iter().filter(|c| c.enters);
    let plain: f64 =
        entering().filter(|c| !is_earth(c)).map(|c| f64::from(c.count) * c.size.room_in3()).sum();
    let of_all = largest(&mut conductors.iter());
    let connected = largest(&mut conductors.iter().filter(|c| !is_earth(c)));
    let earths: u32 = entering().filter(is_earth).map(|c| u32::from(c.count)).sum();
    let of_earths = largest(&mut entering().filter(is_earth));
    let quarters = f64::from(earths.saturating_sub(4));
    let earth = if earths == 0 { 0.0 } else { of_earths * (1.0 + quarters / 4.0) };
    #[expect(clippy::cast_precision_loss, reason = "a handful of devices")]
    let devices = yokes as f64 * 2.0 * connected;
    plain + if clamps { of_all } else { 0.0 } + devices + earth
}
