//! What the box must bring: a neutral, an earth, shelter from the weather.

use super::FitFinding;
use super::place::FitPlace;
use crate::catalogue::{DeviceKind, Supply};
use crate::radio::mounting::BoxKind;
use crate::site::{Earth, Feed, Neutral, PointKind, Residual};

/// Whether a device forwards in a box of which this is known of the neutral: one that does so only with a neutral is a
/// leaf until one was seen.
pub fn forwards_in(kind: &DeviceKind, neutral: Neutral) -> bool {
    let is_seen = matches!(neutral, Neutral::Tested | Neutral::Seen);
    kind.forwards && (!kind.only_with_neutral || is_seen)
}

pub(super) fn neutral(kind: &DeviceKind, place: &FitPlace<'_>) -> Option<FitFinding> {
    match place.neutral() {
        // Both conductors of a cord come to the lamp.
        _ if kind.supply != Supply::MainsNeutral || place.point.has_on_cord(kind) => None,
        Neutral::Tested | Neutral::Seen => None,
        // An outlet that is there has both conductors: nobody opens it to find that out.
        Neutral::Unknown if is_outlet(place) => None,
        Neutral::Absent => Some(FitFinding::NeutralAbsent),
        Neutral::NotSeen => Some(FitFinding::NeutralNotSeen),
        Neutral::Unknown => {
            let likely = crate::fit::neutral_is_likely(place.site.job.built);
            Some(FitFinding::NeutralUnknown { likely })
        }
    }
}

fn is_outlet(place: &FitPlace<'_>) -> bool {
    place.lead.kind == PointKind::Socket && place.lead.to_make.is_none()
}

pub(super) fn earth(kind: &DeviceKind, place: &FitPlace<'_>) -> Option<FitFinding> {
    // A metal box is an exposed conductive part, whatever is in it: IEC 60364-4-41, 411.3.1.1; NFPA 70, 314.4.
    let is_metal = place.material() == BoxKind::Metal;
    match place.earth() {
        _ if !kind.is_wired_in() => None,
        Earth::None if is_metal => Some(FitFinding::MetalNotEarthed),
        Earth::None if kind.fit.wants_earth() => Some(FitFinding::EarthAbsent),
        Earth::Unknown if is_metal || kind.fit.wants_earth() => {
            Some(FitFinding::EarthUnknown { is_metal })
        }
        Earth::None | Earth::Unknown if kind.fit.is_blank(kind.fit.earth.as_ref()) => {
            Some(FitFinding::WantsEarthUnknown)
        }
        Earth::Conductor | Earth::EarthedBox | Earth::None | Earth::Unknown => None,
    }
}

pub(super) fn weather(kind: &DeviceKind, place: &FitPlace<'_>) -> Option<FitFinding> {
    let is_out = place.point.kind == PointKind::Outdoor;
    if !is_out || kind.fit.damp {
        return None;
    }
    Some(if place.lead.weather_cover { FitFinding::UnderACover } else { FitFinding::NotForDamp })
}

/// What is worked in the open air is protected against a residual current.
pub(super) fn residual(kind: &DeviceKind, place: &FitPlace<'_>) -> Option<FitFinding> {
    if place.point.kind != PointKind::Outdoor || !kind.is_on_mains() {
        return None;
    }
    match place.breaker().map_or(Residual::Unknown, |c| c.residual) {
        Residual::Protected => None,
        Residual::None => Some(FitFinding::NoResidual),
        Residual::Unknown => Some(FitFinding::ResidualUnknown),
    }
}

fn is_fitting(kind: PointKind) -> bool {
    matches!(kind, PointKind::Ceiling | PointKind::WallFitting | PointKind::Outdoor)
}

/// A radio on the mains that something else can take off the air.
pub(super) fn feed(kind: &DeviceKind, place: &FitPlace<'_>) -> Option<FitFinding> {
    if !kind.has_radio || !kind.is_on_mains() || place.stays_on {
        return None;
    }
    match place.point.feed {
        Feed::BehindSwitch => Some(FitFinding::BehindSwitch),
        Feed::Cord if kind.forwards => Some(FitFinding::OnCord),
        // A fitting usually hangs behind a switch; a box of a wall switch and a socket seldom do.
        Feed::Unsaid if is_fitting(place.point.kind) => Some(FitFinding::FeedUnsaid),
        Feed::Unsaid | Feed::Always | Feed::Cord => None,
    }
}
