//! Who works what: of each rule that a hand or a sensor sets off, the devices that it comes to.

use std::collections::BTreeSet;

use super::{Action, Device, DeviceId, Rule, RunsIn, Site, Target, Trigger, TurnsTo};
use crate::catalogue::{DeviceKind, Duty};

/// A controller and a load that it works.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Control<'a> {
    /// The rule that says so.
    pub rule: &'a Rule,
    /// The switch, remote or sensor.
    pub controller: &'a DeviceId,
    /// What it works.
    pub load: &'a DeviceId,
    /// Which of its keys; nothing where it has one, or nobody said.
    pub key: Option<u8>,
    /// What a hand does there; empty for a press.
    pub gesture: &'a str,
    /// Where the rule runs.
    pub runs: RunsIn,
    /// What becomes of the load.
    pub to: TurnsTo,
    /// Whether the rule names the load itself, and not a room, a group or a scene that it is of.
    pub is_named: bool,
    /// Whether it is reached through a scene.
    pub through_scene: bool,
}

impl Control<'_> {
    /// Whether the key works this in place of what is wired to it. A scene that is called by a gesture of its own leaves the
    /// plain press to the relay; whatever else is worked from there is taken to need the relay closed.
    pub fn takes_the_key(&self) -> bool {
        !self.through_scene || self.gesture.trim().is_empty()
    }

    /// Whether it can make its load work that did not: an order to switch off alone cannot.
    pub fn can_switch_on(&self) -> bool {
        self.to != TurnsTo::Off
    }

    /// What tells it from all others: the id of its rule, with the load where that does more than one thing.
    pub fn mark(&self) -> String {
        let rule = &self.rule.id;
        let is_one = self.is_named && self.rule.does.len() == 1;
        if is_one { rule.to_string() } else { format!("{rule}-{}", self.load) }
    }

    /// What a hand does: “key 2, two presses”; empty for a press on what has one key.
    pub fn by_hand(&self) -> String {
        let key = self.key.map(|key| format!("key {key}")).unwrap_or_default();
        let parts = [key.as_str(), self.gesture.trim()];
        let said: Vec<&str> = parts.into_iter().filter(|p| !p.is_empty()).collect();
        said.join(", ")
    }
}

/// A device that a rule comes to, with what is done to it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ReachedByRule<'a> {
    /// The device.
    pub device: &'a DeviceId,
    /// The action that says so: of a scene, that of the scene.
    pub action: &'a Action,
    /// Whether it is reached through a scene.
    pub through_scene: bool,
}

/// So deep may scenes call scenes.
const DEEPEST: usize = 4;

impl Site {
    /// What works what, in the order of the rules.
    pub fn controls(&self) -> impl Iterator<Item = Control<'_>> {
        self.rules.iter().flat_map(|rule| self.controls_of(rule))
    }

    /// What one controller works.
    pub fn controls_by<'a>(
        &'a self,
        controller: &'a DeviceId,
    ) -> impl Iterator<Item = Control<'a>> {
        let own = self.rules.iter().filter(move |rule| rule.controller() == Some(controller));
        own.flat_map(|rule| self.controls_of(rule))
    }

    fn controls_of<'a>(&'a self, rule: &'a Rule) -> impl Iterator<Item = Control<'a>> {
        let (key, gesture) = match &rule.when {
            Trigger::Press { key, gesture, .. } => (*key, gesture.as_str()),
            _ => (None, ""),
        };
        rule.controller().into_iter().flat_map(move |controller| {
            let reached = self.reached_by(rule).into_iter().filter(move |r| r.device != controller);
            reached.map(move |r| Control {
                rule,
                controller,
                load: r.device,
                key,
                gesture,
                runs: rule.runs,
                to: r.action.to,
                is_named: !r.through_scene && matches!(r.action.what, Target::Device(_)),
                through_scene: r.through_scene,
            })
        })
    }

    /// The devices that a rule comes to, in the order in which it does them; those that are gone are left out.
    pub fn reached_by<'a>(&'a self, rule: &'a Rule) -> Vec<ReachedByRule<'a>> {
        let mut reached = Vec::new();
        self.follow(&rule.does, DEEPEST, &mut reached);
        reached
    }

    fn follow<'a>(&'a self, does: &'a [Action], deep: usize, into: &mut Vec<ReachedByRule<'a>>) {
        for action in does {
            if let Target::Scene(scene) = &action.what {
                if let Some(scene) = self.rules.get(scene).filter(|_| deep > 0) {
                    self.follow(&scene.does, deep - 1, into);
                }
                continue;
            }
            let through_scene = deep < DEEPEST;
            let devices = self.devices_of(&action.what).into_iter();
            into.extend(devices.map(|d| ReachedByRule { device: &d.id, action, through_scene }));
        }
    }

    /// The devices that something is, as it is acted on; of a scene none, which says itself what it does with each.
    pub fn devices_of(&self, what: &Target) -> Vec<&Device> {
        match what {
            Target::Device(id) => self.devices.get(id).into_iter().collect(),
            Target::Room(room) => self.loads_where(|d| {
                self.point_of(d).is_some_and(|p| self.room_of(p).is_some_and(|r| r.id == *room))
            }),
            Target::Group(group) => self.loads_where(|d| {
                self.groups.get(group).is_some_and(|g| g.places.contains(&d.point))
            }),
            Target::AllBut(but) => self.switched_but(but),
            Target::Scene(_) => Vec::new(),
        }
    }

    /// Everything in the house that can be switched, but for these.
    pub fn switched_but(&self, but: &BTreeSet<DeviceId>) -> Vec<&Device> {
        self.loads_where(|d| !but.contains(&d.id))
    }

    /// Whether a device gives light, or works lamps.
    pub fn is_light(&self, device: &Device) -> bool {
        let is_lamp = self.kind(&device.kind).is_some_and(|k| k.fit.gives_light);
        is_lamp || self.loads_of(&device.point).any(|load| load.kind.is_lamp())
    }

    /// Whether a device has levels between on and off: it dims, or is a lamp with a radio, which all do.
    pub fn can_dim(&self, device: &Device) -> bool {
        self.kind(&device.kind).is_some_and(|k| k.fit.is_dimmer() || k.fit.gives_light)
    }

    /// The devices that work something, of such as these.
    fn loads_where(&self, is_one: impl Fn(&Device) -> bool) -> Vec<&Device> {
        let works = |k: &DeviceKind| k.duty == Duty::Actuator && k.sides().1;
        let is_load = |d: &&Device| self.kind(&d.kind).is_some_and(works);
        self.devices.iter().filter(is_load).filter(|d| is_one(d)).collect()
    }
}
