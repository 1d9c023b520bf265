//! What the box must bring: a neutral, an earth, shelter from the weather.

use super::FitFinding;
use super::place::Place;
use crate::catalogue::{DeviceKind, Supply};
use crate::site::{Earth, Neutral, PointKind};

pub(super) fn neutral(kind: &DeviceKind, place: &Place<'_>) -> Option<FitFinding> {
    match place.neutral() {
        _ if kind.supply != Supply::MainsNeutral => None,
        Neutral::Seen => None,
        Neutral::Absent => Some(FitFinding::NeutralAbsent),
        Neutral::NotSeen => Some(FitFinding::NeutralNotSeen),
        Neutral::Unknown => Some(FitFinding::NeutralUnknown),
    }
}

pub(super) fn earth(kind: &DeviceKind, place: &Place<'_>) -> Option<FitFinding> {
    match place.earth() {
        _ if !kind.fit.earth || !kind.is_wired_in() => None,
        Earth::Conductor | Earth::EarthedBox => None,
        Earth::None => Some(FitFinding::EarthAbsent),
        Earth::Unknown => Some(FitFinding::EarthUnknown),
    }
}

pub(super) fn weather(kind: &DeviceKind, place: &Place<'_>) -> Option<FitFinding> {
    let is_out = place.point.kind == PointKind::Outdoor;
    if !is_out || kind.fit.damp {
        return None;
    }
    Some(if place.lead.weather_cover { FitFinding::UnderACover } else { FitFinding::NotForDamp })
}
