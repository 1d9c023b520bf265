//! Whether there is room in the box: by depth, and by volume where that is the local rule.

use super::place::FitPlace;
use super::{Depths, FitFinding, TIGHT_MM, Volumes};
use crate::catalogue::countries::BoxFill;
use crate::catalogue::{Button, DeviceKind};
use crate::radio::mounting::BoxKind;
use crate::radio::region::Region;
use crate::site::{Conductor, Earth, Function, Gauge, Job, Neutral, PointKind, StaysKind};

/// One cubic inch in cubic centimetres.
pub const IN3: f64 = 16.387_064;

/// The least and the most that the mechanism of a wall switch takes of the box in which a module sits behind it, in
/// millimetres; *planning values*.
const MECHANISM_MM: (f64, f64) = (15.0, 25.0);

/// The deepest box that makers commonly ask for, in millimetres; *planning value*.
const MOST_ASKED_MM: f64 = 35.0;

/// The least room that a gang has in a box, in cubic inches: that of a shallow device box; *planning value* after NFPA
/// 70, table 314.16(A).
const GANG_IN3: f64 = 7.5;

/// What the switch before a module takes of the box: as measured where it stays, else what such a one usually takes.
fn mechanism(place: &FitPlace<'_>) -> (f64, f64) {
    let mut known = place.stays_here().filter(|s| s.what == StaysKind::Switch);
    known.find_map(|s| s.depth_mm).map_or(MECHANISM_MM, |mm| (mm, mm))
}

/// A box that is not there yet.
pub(super) fn to_make(kind: &DeviceKind, place: &FitPlace<'_>) -> Option<FitFinding> {
    let new = place.lead.to_make.as_ref().filter(|_| place.point.has_wired_in(kind))?;
    let open = new.open();
    Some(if open.is_empty() { FitFinding::ToMake } else { FitFinding::ToMakeOpen { open } })
}

pub(super) fn depth(kind: &DeviceKind, place: &FitPlace<'_>) -> Option<FitFinding> {
    if !place.point.has_wired_in(kind) {
        return None;
    }
    match place.material() {
        // What is wired in needs an enclosure: IEC 60364-5-52, 526.5; NFPA 70, 314. A fitting can be one.
        BoxKind::Unknown => return Some(FitFinding::BoxUnknown),
        BoxKind::None => return None,
        BoxKind::Plastic | BoxKind::Metal => {}
    }
    let Some(device) = kind.depth_mm else { return Some(FitFinding::DeviceDepthUnknown) };
    let Some(inside) = place.depth_mm() else { return Some(FitFinding::DepthUnknown) };
    // The switch that works a module by wire sits in the same box, before it.
    let (least, most) = match kind.button {
        _ if place.point.kind != PointKind::Switch => (0.0, 0.0),
        Some(Button::Wired) => mechanism(place),
        // Whether a switch comes before it is not written down.
        None if !kind.fit.is_shipped => (0.0, MECHANISM_MM.1),
        Some(Button::Own) | None => (0.0, 0.0),
    };
    let mut foreign = 0.0;
    for stays in place.stays_here().filter(|s| s.what == StaysKind::Module) {
        let Some(depth) = stays.depth_mm else {
            return Some(FitFinding::StaysDepthUnknown { what: stays.what.name().to_owned() });
        };
        foreign += depth;
    }
    let (least, most) = (least + foreign, most + foreign);
    let depths = Depths { inside, device, mechanism: least };
    match (depths.spare(), kind.fit.box_mm) {
        (spare, _) if spare < 0.0 => Some(FitFinding::TooDeep(depths)),
        (_, Some(least)) if inside < least => Some(FitFinding::ShallowBox { inside, least }),
        (spare, _) if spare < TIGHT_MM + most - least => {
            let is_unsaid = kind.button.is_none() && spare >= TIGHT_MM;
            let unsaid = FitFinding::MechanismUnknown { spare, most: MECHANISM_MM.1 };
            Some(if is_unsaid { unsaid } else { FitFinding::Tight(depths) })
        }
        (_, None) if !kind.fit.is_shipped && inside < MOST_ASKED_MM => {
            Some(FitFinding::BoxAskedUnknown { inside })
        }
        _ => None,
    }
}

/// A device wider than a gang takes the room of its neighbour.
pub(super) fn width(kind: &DeviceKind, place: &FitPlace<'_>) -> Option<FitFinding> {
    let (needs, has) = place.too_wide(kind).filter(|_| kind.is_wired_in())?;
    Some(FitFinding::TooWide { needs, has })
}

/// Whether the volume of boxes is the rule here rather than their depth: by the wiring country, and where that is not
/// said, by the region. NFPA 70, 314.16 and CSA C22.1, 12-3034 in North America.
pub fn goes_by_volume(job: &Job) -> bool {
    job.country().map_or(job.region == Region::Us, |row| row.fill == BoxFill::Volume)
}

pub(super) fn volume(kind: &DeviceKind, place: &FitPlace<'_>) -> Option<FitFinding> {
    let asks = place.point.has_wired_in(kind) && place.material().is_there();
    if !asks || !goes_by_volume(&place.site.job) {
        return None;
    }
    let conductors = place.conductors();
    if conductors.is_empty() {
        return Some(FitFinding::ConductorsUnknown);
    }
    let Some(has) = place.lead.volume_cm3 else { return Some(FitFinding::VolumeUnknown) };
    // Every gang holds a yoke, with a planned device or without.
    let yokes = place.gangs;
    let clamps = place.lead.clamps;
    let needs = needed_in3(conductors, clamps == Some(true), yokes) * IN3;
    if needs > has {
        return Some(FitFinding::TooFull(Volumes { has, needs, yokes }));
    }
    let rest = unlisted_in3(conductors, place) * IN3;
    if needs + rest > has {
        return Some(FitFinding::ConductorsUnknown);
    }
    // With clamps, and with as many gangs as a box of that volume can have.
    #[expect(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "a handful of gangs"
    )]
    let gangs = if place.gangs_said { yokes } else { yokes.max((has / IN3 / GANG_IN3) as usize) };
    let most = needed_in3(conductors, clamps != Some(false), gangs) * IN3 + rest;
    if most <= has {
        return None;
    }
    let unsaid = if place.gangs_said {
        "whether clamps inside hold its cables"
    } else {
        "how many gangs it has"
    };
    Some(FitFinding::FillUnknown { unsaid })
}

/// The room, in cubic inches, of what must be in the box of a switch and is not on the list of its conductors: a
/// line and a switched line or two travellers, a neutral and an earth unless they are known not to be there. Each
/// comes and may go on, so that two are counted; what is listed without its function may be none of them.
/// *Planning value*.
fn unlisted_in3(conductors: &[Conductor], place: &FitPlace<'_>) -> f64 {
    let count = |what: &[Function]| -> u32 {
        let of = conductors.iter().filter(|c| what.contains(&c.found));
        of.map(|c| u32::from(c.count)).sum()
    };
    let lives = count(&[Function::Line, Function::Switched, Function::Traveller]);
    let has_neutral = place.neutral() != Neutral::Absent;
    let neutrals = if has_neutral && count(&[Function::Neutral]) == 0 { 2 } else { 0 };
    let has_earth = matches!(place.earth(), Earth::Conductor | Earth::Unknown);
    let earths = count(&[Function::Earth]) == 0 && has_earth;
    let lacking = 2_u32.saturating_sub(lives) + neutrals;
    let size = conductors.iter().map(|c| c.size).max().map_or(0.0, Gauge::room_in3);
    f64::from(lacking + u32::from(earths)) * size
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
