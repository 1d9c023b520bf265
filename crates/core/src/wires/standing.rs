//! What stands at the places of a control, how it works together, and what keeps a plan from being made whatever the
//! layout.

use super::plan::Beside;
use super::possible::SeenBox;
use super::{is_fitting, takes_over_switch};
use crate::catalogue::{Button, DeviceKind, Far, Powered, Supply};
use crate::fit::FitPlace;
use crate::site::neutrals::really;
use crate::site::{Control, Device, Function, Group, Point, PointId, PointKind, Site, StaysKind};
use crate::survey::natural::has_switch;

/// How the products of a control work together.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum WiringMethod {
    /// Line and load at one unit.
    OneUnit,
    /// A unit that senses by the travellers which way the far switch stands.
    Sensing,
    /// Wired companions or plain switches that tell the unit by a signal.
    Signal,
    /// A module that the old switches go on telling.
    Chained,
    /// A unit, and others that are told by radio.
    Radio,
    /// A unit, and remotes where the line is joined through.
    Remotes,
    /// No unit: lamps that are fed for good.
    Fed,
}

impl WiringMethod {
    /// Each with its word for files, and in words.
    pub const ALL: [(Self, &'static str, &'static str); 7] = [
        (Self::OneUnit, "one-unit", "line and load at one unit"),
        (Self::Sensing, "sensing", "a unit where line comes in, which senses by the travellers"),
        (Self::Signal, "signal", "a unit, and contacts that tell it by a signal wire"),
        (Self::Chained, "chained", "a module that the old switches go on telling"),
        (Self::Radio, "radio", "a unit, and others told by radio"),
        (Self::Remotes, "remotes", "a unit, and the line joined through where remotes stand"),
        (Self::Fed, "fed", "lamps fed for good, the line joined through"),
    ];

    /// Its word for files, and it in words.
    pub fn words(self) -> (&'static str, &'static str) {
        let row = Self::ALL.iter().find(|(of, ..)| *of == self);
        row.map_or(("", ""), |(_, word, name)| (word, name))
    }
}

/// Whether a device changes what the wires of a control do.
pub(super) fn is_of_wiring(kind: &DeviceKind) -> bool {
    is_unit(kind) || kind.fit.far != Far::No || kind.is_cover()
}

fn is_unit(kind: &DeviceKind) -> bool {
    kind.may_switch() && kind.is_wired_in() && kind.fit.far == Far::No
}

/// A device at a place of a control, as the plan meets it.
#[derive(Clone, Copy, Debug)]
pub(super) struct Wired<'a> {
    pub(super) device: &'a Device,
    pub(super) kind: &'a DeviceKind,
}

impl Wired<'_> {
    /// What it is to the wires of a place that does not switch the load.
    pub(super) fn beside(&self) -> Beside {
        let neutral = self.kind.supply == Supply::MainsNeutral;
        match self.kind.fit.far {
            Far::Electronic => Beside::Contact { momentary: true },
            Far::Plain => Beside::Contact { momentary: self.kind.wiring.momentary },
            Far::Follower => Beside::Follower { neutral },
            Far::Paired => Beside::Fed { neutral },
            Far::No | Far::Remote => Beside::Nothing,
        }
    }
}

/// What stands where, before it is known how the cable runs.
pub(super) struct Arrangement<'a> {
    /// The unit that switches the load, and its place.
    pub(super) unit: Option<(Wired<'a>, &'a Point)>,
    /// The other places in boxes, with what is planned there.
    pub(super) far: Vec<(&'a Point, Option<Wired<'a>>)>,
    /// Places in boxes, in the order in which the group has them.
    pub(super) boxes: Vec<PointId>,
    /// The fitting, where it is a place of the control.
    pub(super) fitting: Option<&'a Point>,
}

impl<'a> Arrangement<'a> {
    /// What stands at some places.
    ///
    /// # Errors
    /// Two things stand where one can; a sentence.
    pub(super) fn of(site: &'a Site, points: &[&'a Point]) -> Result<Self, String> {
        let mut there: Vec<(Wired<'a>, &'a Point)> = Vec::new();
        for point in points {
            let there_with = |is: &dyn Fn(&DeviceKind) -> bool| -> Vec<(Wired<'a>, &'a Point)> {
                let here = site.devices_at(&point.id).into_iter().filter_map(|device| {
                    let kind = site.kind(&device.kind)?;
                    is(kind).then_some((Wired { device, kind }, *point))
                });
                here.collect()
            };
            let mut here = there_with(&is_of_wiring);
            // What takes the place of the old switch and is no part of the wires: nothing is left there.
            if here.is_empty() {
                here = there_with(&|kind| takes_over_switch(site, kind, point));
                here.truncate(1);
            }
            if let [(one, _), (other, _), ..] = here.as_slice() {
                let (one, other) = (&one.device.name, &other.device.name);
                return Err(format!(
                    "{one} and {other} are planned at one place: leave one of them there."
                ));
            }
            there.extend(here);
        }
        let mut units = there.iter().filter(|(w, _)| is_unit(w.kind)).copied();
        let unit = units.next();
        if let (Some((one, _)), Some((other, _))) = (unit, units.next()) {
            return Err(format!(
                "{} and {} would both switch the load: one of them, and the other as its companion.",
                one.device.name, other.device.name
            ));
        }
        // A fitting without a switch is a box like any other: there the unit is fed.
        let has_boxes = points.iter().any(|p| !is_fitting(p));
        let is_box = |p: &Point| !has_boxes || !is_fitting(p);
        let far = points.iter().filter(|p| is_box(p));
        let far = far.filter(|p| unit.is_none_or(|(_, at)| at.id != p.id));
        let at = |p: &Point| there.iter().find(|(_, at)| at.id == p.id).map(|(w, _)| *w);
        Ok(Self {
            unit,
            far: far.map(|p| (*p, at(p))).collect(),
            boxes: points.iter().filter(|p| is_box(p)).map(|p| p.id.clone()).collect(),
            fitting: points.iter().find(|p| !is_box(p)).copied(),
        })
    }

    fn far_kinds(&self) -> impl Iterator<Item = &'a DeviceKind> + '_ {
        self.far.iter().filter_map(|(_, w)| w.map(|w| w.kind))
    }

    /// How it works together.
    pub(super) fn method(&self) -> WiringMethod {
        let Some((unit, _)) = self.unit else { return WiringMethod::Fed };
        let is_told_by_wire = self.far_kinds().any(|k| k.fit.far.is_wired());
        let stays = self.far.iter().any(|(_, w)| w.is_none());
        let toggles = |k: &DeviceKind| k.fit.far == Far::Plain && !k.wiring.momentary;
        let mut wired = self.far_kinds().filter(|k| k.fit.far.is_wired());
        let fit = &unit.kind.fit;
        let senses = fit.powered == Some(Powered::Line) && fit.accepts.contains(&Far::Plain);
        if self.far.is_empty() {
            WiringMethod::OneUnit
        } else if unit.kind.button == Some(Button::Wired) && stays && !is_told_by_wire {
            WiringMethod::Chained
        } else if senses && (stays || is_told_by_wire) && wired.all(toggles) {
            WiringMethod::Sensing
        } else if is_told_by_wire {
            WiringMethod::Signal
        } else if self.far_kinds().any(|k| k.fit.far == Far::Paired) {
            WiringMethod::Radio
        } else {
            WiringMethod::Remotes
        }
    }

    /// Every device that stands there.
    pub(super) fn devices(&self) -> impl Iterator<Item = Wired<'a>> + '_ {
        let far = self.far.iter().filter_map(|(_, w)| *w);
        self.unit.iter().map(|(w, _)| *w).chain(far)
    }
}

/// More places than this are not tried: the states double with each.
pub(super) const MOST_PLACES: usize = 8;

/// What keeps a plan from being made, whatever the layout; a sentence each.
pub(super) fn held_back(
    site: &Site,
    group: Option<&Group>,
    points: &[&Point],
    standing: &Arrangement<'_>,
) -> Vec<String> {
    let mut open = Vec::new();
    if points.len() > MOST_PLACES {
        open.push(format!(
            "More than {MOST_PLACES} places work this control: an electrician decides how it is wired."
        ));
    }
    open.extend(signs(group, points));
    for point in points {
        open.extend(mixed_circuits(site, point));
        open.extend(mixed_controls(site, point));
    }
    match standing.unit {
        Some((w, at)) => open.extend(of_unit(site, w, at)),
        None => open.extend(without_unit(site, standing)),
    }
    open.extend(of_far(site, standing));
    open
}

/// Signs of the old switches that speak against what is planned.
fn signs(group: Option<&Group>, points: &[&Point]) -> Vec<String> {
    let places = group.map_or(1, |g| g.places.len());
    let switches = || points.iter().filter(|p| !is_fitting(p));
    let one_of_several = |p: &Point| p.signs.terminals > 2 || p.signs.another == Some(true);
    let mut open: Vec<String> = Vec::new();
    if places < 2 {
        open.extend(switches().filter(|p| one_of_several(p)).map(|point| {
            format!(
                "The switch at {} has the signs of one of several: find the other place that works the same lamp, and \
                 put both into one control.",
                point.title()
            )
        }));
    }
    if places == 2 && switches().any(|p| p.signs.terminals == 4) {
        open.push(
            "A switch of four terminals stands between two others: a third place works the same lamp. Find it."
                .to_owned(),
        );
    }
    open
}

/// A box with several circuits in which nobody has said of each line and neutral of which it is: none of them is joined
/// with another before that (BS 7671, 314.4; NFPA 70, 200.4).
pub(super) fn mixed_circuits(site: &Site, point: &Point) -> Option<String> {
    let lead = site.box_of(point);
    let in_box = site.points.iter().filter(|p| site.box_of(p).id == lead.id);
    let mut breakers: Vec<&str> = in_box.map(|p| really(site, &p.circuit)).collect();
    breakers.sort_unstable();
    breakers.dedup();
    let is_unsaid = lead.conductors.iter().any(|c| {
        matches!(c.found, Function::Line | Function::Neutral) && c.circuit.trim().is_empty()
    });
    let unknown = "one that nobody knows";
    let name = |b: &&'_ str| if b.is_empty() { unknown.to_owned() } else { (*b).to_owned() };
    (breakers.len() > 1 && is_unsaid).then(|| {
        format!(
            "In the box of {} are circuits {}: say of each line and neutral of which it is, before any are joined.",
            point.title(),
            breakers.iter().map(name).collect::<Vec<_>>().join(" and ")
        )
    })
}

/// A box of several controls in which nobody has said of each switched line and traveller of which it is.
fn mixed_controls(site: &Site, point: &Point) -> Option<String> {
    let lead = site.box_of(point);
    let is_unsaid = lead.conductors.iter().any(|c| {
        matches!(c.found, Function::Switched | Function::Traveller)
            && (c.gang == 0 || point.gang == 0)
    });
    (SeenBox::of(site, point).is_shared && is_unsaid).then(|| {
        format!(
            "In the box of {} are several controls: say into which gang it goes, and of each switched line and traveller \
             of which gang it is.",
            point.title()
        )
    })
}

fn of_unit(site: &Site, w: Wired<'_>, at: &Point) -> Option<String> {
    let name = &w.device.name;
    if w.kind.fit.channels > 1 {
        return Some(format!(
            "{name} switches several loads apart, and works with other places: which conductor comes to which channel, an \
             electrician decides by the maker’s diagram."
        ));
    }
    let is_module = w.kind.button == Some(Button::Wired) && at.kind == PointKind::Switch;
    (is_module && !has_switch(site, at)).then(|| {
        format!(
            "Nobody has seen what switch stands before {name} at {}: look at it, and say its signs.",
            at.title()
        )
    })
}

/// Without a unit the lamps are fed for good: that is right for lamps with a radio of their own, and for no others.
fn without_unit(site: &Site, standing: &Arrangement<'_>) -> Option<String> {
    if standing.far_kinds().any(|k| k.fit.far.needs_master()) {
        return Some(
            "What is planned tells a unit by wire or radio, and none is there that switches the load."
                .to_owned(),
        );
    }
    let gives_light = |id| {
        let kind = site.devices.get(id).and_then(|d: &Device| site.kind(&d.kind));
        kind.is_some_and(|k| k.fit.gives_light && k.has_radio)
    };
    let is_near = |p: &Point| FitPlace::of(site, p, None).smart_lamps() > 0;
    let works_smart_lamps = standing.far.iter().any(|(p, w)| {
        let own = w.iter().flat_map(|w| site.controls_by(&w.device.id));
        let mut of = own.filter(Control::takes_the_key);
        is_near(p) || of.any(|c| gives_light(c.load))
    });
    (!works_smart_lamps).then(|| {
        "Nothing would switch the load any longer: it is fed for good only where every lamp has a radio of its own."
            .to_owned()
    })
}

/// Places of which it is open what becomes of their switch.
fn of_far(site: &Site, standing: &Arrangement<'_>) -> Vec<String> {
    let method = standing.method();
    let keeps = matches!(method, WiringMethod::Sensing | WiringMethod::Chained);
    let unplanned = standing.far.iter().filter(|(point, wired)| {
        let stays = site.box_of(point).stays.iter().any(|s| s.what == StaysKind::Switch);
        wired.is_none() && !keeps && !stays
    });
    let mut open: Vec<String> = unplanned
        .map(|(point, _)| {
            format!("What becomes of the switch at {} is not planned.", point.title())
        })
        .collect();
    // Between two others stands a switch of four terminals, and none of three takes its place.
    let is_new = |(_, wired): &(&Point, Option<Wired<'_>>)| wired.is_some();
    if method == WiringMethod::Sensing
        && standing.boxes.len() > 2
        && standing.far.iter().any(is_new)
    {
        open.push(
            "Where three places and more work a unit by the travellers, the old switches stay at the others: plan no \
             new one there."
                .to_owned(),
        );
    }
    open
}
