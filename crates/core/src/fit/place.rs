//! A place as a device meets it: its box with what else is in it, its loads, its group, its circuit.

use crate::catalogue::{Button, DeviceKind};
use crate::radio::mounting::BoxKind;
use crate::site::{
    Circuit, Conductor, Device, Earth, Group, Layout, Load, NetworkId, Neutral, Point, PointId,
    Site, Stays,
};

fn kind_at<'a>(site: &'a Site, device: Option<&Device>) -> Option<&'a DeviceKind> {
    site.kind(&device?.kind)
}

/// A place as a device meets it.
#[derive(Debug)]
pub struct FitPlace<'a> {
    /// The point itself.
    pub point: &'a Point,
    /// The point that says how the box is: another one where that box is shared.
    pub lead: &'a Point,
    /// Loads that a unit here switches: those of its group, at whichever place each was recorded.
    pub loads: Vec<&'a Load>,
    /// The group that the point is a place of.
    pub group: Option<&'a Group>,
    /// The circuit that feeds it, where the panel was surveyed.
    pub circuit: Option<&'a Circuit>,
    /// What else is in the box, the device asked about left out.
    pub beside: Vec<&'a DeviceKind>,
    /// How many gangs the box has: as was said, and no fewer than what is in it.
    pub gangs: usize,
    /// Whether that was said; else it may have more.
    pub gangs_said: bool,
    /// How many gangs are filled, a device of one gang at the place with them.
    filled: usize,
    /// What is at the other places of the group.
    pub elsewhere: Vec<(&'a Device, &'a DeviceKind)>,
    /// Whether the device that is asked about stands there already.
    pub(super) is_there: bool,
    /// The network of that device; nothing where none is asked about.
    pub(super) network: Option<NetworkId>,
    /// Whether it is agreed that its supply stays on.
    pub(super) stays_on: bool,
    pub(super) site: &'a Site,
}

impl<'a> FitPlace<'a> {
    /// The place of a point; `but` is the device that is asked about.
    pub fn of(site: &'a Site, point: &'a Point, but: Option<&Device>) -> Self {
        let lead = site.box_of(point);
        let group = site.group_of(&point.id);
        let hangs_here = |l: &Load| {
            l.switched_at == point.id || group.is_some_and(|g| g.places.contains(&l.switched_at))
        };
        let shares = |p: &Point| p.in_box_of.as_ref() == Some(&lead.id);
        let in_box: Vec<&PointId> = std::iter::once(&lead.id)
            .chain(site.points.iter().filter(|p| shares(p)).map(|p| &p.id))
            .collect();
        let is_other = |d: &&Device| but.is_none_or(|but| but.id != d.id);
        let kind_of = |d: &'a Device| Some((d, site.kind(&d.kind)?));
        // Which device it is costs most to find out: it is asked last.
        let at = |points: &dyn Fn(&PointId) -> bool| -> Vec<_> {
            let there = site.devices.iter().filter(|d| points(&d.point)).filter(is_other);
            there.filter_map(kind_of).collect()
        };
        let beside = at(&|p| in_box.contains(&p));
        let beside: Vec<&DeviceKind> =
            beside.into_iter().map(|(_, kind)| kind).filter(|k| k.is_wired_in()).collect();
        let elsewhere =
            group.map_or_else(Vec::new, |g| at(&|p| *p != point.id && g.places.contains(p)));
        let gang = usize::from(point.gang);
        let filled = lead.stays.iter().filter(|s| s.what.fills_a_gang()).count();
        let is_before = |k: &&&DeviceKind| k.button == Some(Button::Wired);
        // A module takes no gang of its own: the mechanism before it does.
        let behind = beside.iter().filter(is_before).count().min(filled);
        let wide = |k: &DeviceKind| usize::from(k.fit.gangs.saturating_sub(1));
        let wider: usize = beside.iter().map(|k| wide(k)).sum();
        let own = usize::from(
            kind_at(site, but).is_none_or(|k| k.button != Some(Button::Wired)) || filled == 0,
        );
        Self {
            point,
            lead,
            loads: site.loads.iter().filter(|l| hangs_here(l)).collect(),
            group,
            circuit: site.circuit_of(point),
            is_there: but.is_some(),
            network: but.map(|d| d.network.clone()),
            stays_on: but.is_some_and(|d| d.stays_on),
            gangs: usize::from(lead.gangs)
                .max(in_box.len())
                .max(own + beside.len() + wider - behind + filled)
                .max(gang),
            gangs_said: lead.gangs > 0,
            filled: own + beside.len() + wider - behind + filled,
            beside,
            elsewhere,
            site,
        }
    }

    /// What the box is made of.
    pub fn material(&self) -> BoxKind {
        self.lead.back_box
    }

    /// Inside depth with the surround, in millimetres; nothing while nobody measured.
    pub fn depth_mm(&self) -> Option<f64> {
        self.lead.depth_mm.map(|depth| depth + self.lead.surround_mm)
    }

    /// What is known of the neutral in the box.
    pub fn neutral(&self) -> Neutral {
        match (self.lead.neutral, self.brought_from()) {
            (Neutral::Unknown, Some(from)) => from.neutral,
            (known, _) => known,
        }
    }

    /// The box from which a cable is brought to this one, where it is still to be made: it brings what is there.
    fn brought_from(&self) -> Option<&'a Point> {
        let from = self.lead.to_make.as_ref()?.cable_from.as_ref()?;
        self.site.points.get(from).map(|p| self.site.box_of(p))
    }

    /// The protective earth in the box.
    pub fn earth(&self) -> Earth {
        match (self.lead.earth, self.brought_from()) {
            (Earth::Unknown, Some(from)) => from.earth,
            (known, _) => known,
        }
    }

    /// What the panel says of the breaker that really feeds it: of the one that was proven, where it has a row of its own.
    pub fn breaker(&self) -> Option<&'a Circuit> {
        let own = self.circuit?;
        let really = own.mislabelled();
        let row = really.and_then(|l| self.site.circuits.iter().find(|c| c.label.trim() == l));
        Some(row.unwrap_or(own))
    }

    /// What stays in its gang: all that nobody gave another.
    pub fn stays_here(&self) -> impl Iterator<Item = &'a Stays> {
        let gang = self.point.gang;
        self.lead.stays.iter().filter(move |s| s.gang == gang || s.gang == 0 || gang == 0)
    }

    /// The conductors of the whole box.
    pub fn conductors(&self) -> &'a [Conductor] {
        &self.lead.conductors
    }

    /// How many gangs there would be with a device of this kind, and how many there are; nothing where it fills one as
    /// any does, or where nobody counted.
    pub fn too_wide(&self, kind: &DeviceKind) -> Option<(usize, usize)> {
        let more = usize::from(kind.fit.gangs.saturating_sub(1));
        let (needs, has) = (self.filled + more, usize::from(self.lead.gangs));
        (more > 0 && has > 0 && needs > has).then_some((needs, has))
    }

    /// How many side tabs come off a device in its gang: none alone in a box, one at either end of
    /// several, both in the middle. Nothing while the gang is not said.
    pub fn tabs_off(&self) -> Option<usize> {
        match (self.gangs, usize::from(self.point.gang)) {
            _ if !self.gangs_said => None,
            (1, _) => Some(0),
            (_, 0) => None,
            (gangs, gang) if gang == 1 || gang == gangs => Some(1),
            _ => Some(2),
        }
    }

    /// Which side tabs come off a device in its gang, in words; nothing while the gang is not said, empty where none does.
    pub fn tabs_words(&self) -> Option<&'static str> {
        Some(match (self.tabs_off()?, usize::from(self.point.gang)) {
            (0, _) => "",
            (1, 1) => "the right one",
            (1, _) => "the left one",
            _ => "both",
        })
    }

    /// Whether a bypass capacitor is on record at a lamp that a unit here switches. It carries the idle current of
    /// the unit before it; at the lamp of another unit it does nothing for this one.
    pub fn has_bypass(&self) -> bool {
        self.loads.iter().any(|l| !l.bypass.trim().is_empty())
    }

    /// Smart lamps that may be what a unit here feeds: in its room, on its breaker.
    pub fn smart_lamps(&self) -> usize {
        let room = self.site.room_name(self.point);
        // What costs least to find out is asked first.
        let near = |d: &&Device| {
            let point = self.site.points.get(&d.point);
            // Where either breaker is not known, it may be the same.
            let own = self.point.circuit.trim();
            let point = point.filter(|p| {
                let other = p.circuit.trim();
                other == own || other.is_empty() || own.is_empty()
            });
            let is_smart =
                |kind: &DeviceKind| kind.has_radio && kind.fit.gives_light && !kind.is_wired_in();
            point.is_some_and(|p| {
                self.site.kind(&d.kind).is_some_and(is_smart) && self.site.room_name(p) == room
            })
        };
        self.site.devices.iter().filter(near).count()
    }

    /// Where line and load are in the group; nothing for a place that works its load alone.
    pub fn wiring(&self) -> Option<&'a Layout> {
        self.group.filter(|g| g.places.len() > 1).map(|g| &g.wiring)
    }

    /// The name of a point.
    pub fn name_of(&self, point: &PointId) -> String {
        self.site.points.get(point).map_or_else(|| point.to_string(), |p| p.name.clone())
    }

    /// The region whose rules bind.
    pub fn region(&self) -> crate::radio::region::Region {
        self.site.job.region
    }
}
