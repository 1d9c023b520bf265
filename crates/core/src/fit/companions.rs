//! Several places that work one load: what may be at the far ones, and in which box the powered unit
//! has to be.

use super::FitFinding;
use super::place::FitPlace;
use crate::catalogue::{DeviceKind, Far, Powered};
use crate::site::{Layout, PointKind, StaysKind};

/// Why two devices do not work one load together, and what they would do.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[expect(missing_docs, reason = "each says in its words what would happen")]
pub enum CompanionClash {
    #[error(
        "it speaks to its own family only: the signal on the wire is another one, so the lamp flickers or one of them is damaged"
    )]
    OtherFamily,
    #[error(
        "a plain switch puts line straight on the wire that the other listens to: it is damaged, or the lamp stays on"
    )]
    PlainOnElectronic,
    #[error(
        "it sends a weak signal where the other waits for line: nothing happens when it is pressed"
    )]
    ElectronicOnPlain,
    #[error(
        "two units would feed one lamp: whichever opens cuts the other's supply, and both can be damaged"
    )]
    TwoMasters,
    #[error("the other takes no command by wire: pressing it does nothing")]
    NoWire,
    #[error("the other does not listen to it by radio")]
    NoRadio,
    #[error("a plain switch left between the two cuts off what feeds the lamp")]
    PlainBetween,
}

/// Whether `far` may stand at a far place of a load that `master` switches.
///
/// # Errors
/// Why not.
pub fn pair(master: &DeviceKind, far: &DeviceKind) -> Result<(), CompanionClash> {
    let accepts = |what: Far| master.fit.accepts.contains(&what);
    let wants_plain = accepts(Far::Plain);
    let wants_signal = accepts(Far::Electronic) || accepts(Far::Follower);
    match far.fit.far {
        Far::No => Err(CompanionClash::TwoMasters),
        Far::Plain if wants_plain => Ok(()),
        Far::Plain if wants_signal => Err(CompanionClash::PlainOnElectronic),
        Far::Electronic | Far::Follower if accepts(far.fit.far) => {
            if far.fit.family == master.fit.family {
                Ok(())
            } else {
                Err(CompanionClash::OtherFamily)
            }
        }
        Far::Electronic | Far::Follower if wants_plain => Err(CompanionClash::ElectronicOnPlain),
        Far::Electronic | Far::Follower if wants_signal => Err(CompanionClash::OtherFamily),
        Far::Plain | Far::Electronic | Far::Follower => Err(CompanionClash::NoWire),
        Far::Remote | Far::Paired => {
            let shares = far.systems.iter().any(|s| master.systems.contains(s));
            // One that follows a family follows no other.
            let of_family = far.fit.far != Far::Paired
                || far.fit.family.is_empty()
                || far.fit.family == master.fit.family;
            if accepts(far.fit.far) && shares && of_family {
                Ok(())
            } else {
                Err(CompanionClash::NoRadio)
            }
        }
    }
}

pub(super) fn group(kind: &DeviceKind, place: &FitPlace<'_>, found: &mut Vec<FitFinding>) {
    let Some(wiring) = place.wiring() else {
        if kind.fit.far.needs_master() {
            found.push(FitFinding::FarAlone { what: kind.fit.far.name() });
        }
        return;
    };
    for (other, other_kind) in &place.elsewhere {
        let (master, far) = match (kind.may_switch(), other_kind.may_switch()) {
            (true, _) => (kind, *other_kind),
            (false, true) => (*other_kind, kind),
            // Two far ones say nothing to each other.
            (false, false) => continue,
        };
        // A sensor works no load by wire, whatever stands at the other places.
        if far.fit.far == Far::No && !far.may_switch() {
            continue;
        }
        if let Err(clash) = pair(master, far) {
            let other = other.name.clone();
            found.push(FitFinding::WrongMix { other, clash });
        }
    }
    let has_master = kind.may_switch() || place.elsewhere.iter().any(|(_, k)| k.fit.switches());
    if kind.fit.far.needs_master() && !has_master {
        found.push(FitFinding::FarAlone { what: kind.fit.far.name() });
    }
    left_as_they_are(kind, place, found);
    powered(kind, place, wiring, found);
}

/// Places of the group at which nothing is planned: an ordinary switch that stays there works against the unit, unless
/// the unit takes one.
fn left_as_they_are(kind: &DeviceKind, place: &FitPlace<'_>, found: &mut Vec<FitFinding>) {
    let takes_plain = kind.fit.accepts.contains(&Far::Plain);
    if takes_plain || !kind.may_switch() || !kind.is_wired_in() {
        return;
    }
    let signals = [Far::Electronic, Far::Follower].iter().any(|f| kind.fit.accepts.contains(f));
    let clash =
        if signals { CompanionClash::PlainOnElectronic } else { CompanionClash::PlainBetween };
    let places = place.group.into_iter().flat_map(|g| &g.places);
    let mut open = Vec::new();
    for id in places.filter(|id| **id != place.point.id) {
        let Some(point) = place.site.points.get(id) else { continue };
        if place.elsewhere.iter().any(|(d, _)| d.point == *id) || point.kind != PointKind::Switch {
            continue;
        }
        let stays = &place.site.box_of(point).stays;
        let is_here = |gang: u8| gang == point.gang || gang == 0 || point.gang == 0;
        if stays.iter().any(|s| s.what == StaysKind::Switch && is_here(s.gang)) {
            let other = format!("the switch that stays at {}", point.label());
            found.push(FitFinding::WrongMix { other, clash });
        } else {
            open.push(point.label().to_owned());
        }
    }
    if !open.is_empty() {
        found.push(FitFinding::FarUnplanned { at: open, clash });
    }
}

/// Whether every other place of the group has something that speaks by radio alone.
fn is_told_by_radio(place: &FitPlace<'_>) -> bool {
    let Some(group) = place.group else { return false };
    let by_radio = |k: &DeviceKind| matches!(k.fit.far, Far::Remote | Far::Paired);
    group.places.iter().filter(|id| **id != place.point.id).all(|id| {
        let mut there = place.elsewhere.iter().filter(|(d, _)| d.point == *id).peekable();
        there.peek().is_some() && there.all(|(_, k)| by_radio(k))
    })
}

fn powered(kind: &DeviceKind, place: &FitPlace<'_>, wiring: &Layout, found: &mut Vec<FitFinding>) {
    if !kind.may_switch() || !kind.is_wired_in() {
        return;
    }
    let here = &place.point.id;
    let wrong = |box_of: &crate::site::PointId, what| {
        let at = place.name_of(box_of);
        (box_of != here).then_some(FitFinding::WrongBox { what, at })
    };
    match wiring {
        Layout::Unknown => found.push(FitFinding::WiringUnknown),
        Layout::AtFitting => found.push(FitFinding::FedAtFitting),
        // Where it stands matters to what talks to it by wire; by radio the others are joined through.
        Layout::Boxes { .. } if is_told_by_radio(place) => {}
        Layout::Boxes { line, load } => found.extend(match kind.fit.powered {
            None if kind.fit.is_shipped => None,
            None => Some(FitFinding::PoweredUnknown),
            Some(Powered::Either) => None,
            Some(Powered::Line) => wrong(line, "where line comes in"),
            Some(Powered::Load) => wrong(load, "where the load leaves"),
        }),
    }
}
