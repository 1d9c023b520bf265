//! What a new controller takes by itself against what was meant for it, with the steps that correct it.

use std::collections::BTreeSet;

use crate::catalogue::Duty;
use crate::catalogue::by_hand::JoinTakes;
use crate::site::{Device, DeviceId, Site};

/// What a new controller works by itself.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TakenByItself {
    /// What its row says of that; nothing while nobody wrote it down.
    pub takes: Option<JoinTakes>,
    /// Whether anybody said what it is to work, be it through a scene.
    pub is_said: bool,
    /// What it is meant to work, by the plan.
    pub meant: BTreeSet<DeviceId>,
    /// What it takes and is not meant to work.
    pub extra: BTreeSet<DeviceId>,
    /// What it is meant to work and does not take.
    pub missing: BTreeSet<DeviceId>,
}

impl TakenByItself {
    /// Whether it is known that it takes what was meant, neither more nor less.
    pub fn is_as_meant(&self) -> bool {
        self.is_said
            && self.takes.is_some_and(|t| t != JoinTakes::LastGroup)
            && self.extra.is_empty()
            && self.missing.is_empty()
    }

    /// What is done when it has joined, in order.
    pub fn steps(&self, site: &Site) -> Vec<String> {
        let name =
            |id: &DeviceId| site.devices.get(id).map_or_else(String::new, |d| d.name.clone());
        let mut steps = Vec::new();
        if !self.is_said {
            steps.push("Say first what it is to work: nobody has.".to_owned());
        }
        match self.takes {
            None => steps.push(
                "Nobody wrote down what a new one takes by itself: press each key and look through the house for what moves."
                    .to_owned(),
            ),
            Some(JoinTakes::LastGroup) => steps.push(
                "It takes the last group of its hub: press it and look which lamps move, whatever room they are in.".to_owned(),
            ),
            Some(JoinTakes::Nothing | JoinTakes::Room) => {}
        }
        steps.extend(
            self.extra
                .iter()
                .map(|id| format!("Take {} off it: it takes that by itself.", name(id))),
        );
        steps.extend(self.missing.iter().map(|id| format!("Add {} to it.", name(id))));
        if !self.is_as_meant() && !self.meant.is_empty() {
            let meant: Vec<String> = self.meant.iter().map(name).collect();
            steps.push(format!(
                "Press it again: {} answer{}, and nothing else moves.",
                meant.join(", "),
                if meant.len() == 1 { "s" } else { "" }
            ));
        }
        steps
    }
}

/// What a remote takes by itself when it joins; nothing for what is no remote, or is there already.
pub fn taken_by(site: &Site, controller: &DeviceId) -> Option<TakenByItself> {
    let device = site.devices.get(controller)?;
    let kind = site.kind(&device.kind).filter(|k| k.duty == Duty::Remote && k.has_radio)?;
    // What a scene works is the hub's to tell: the remote has nothing of that.
    let own = site.controls_by(controller).filter(|control| !control.through_scene);
    let meant: BTreeSet<DeviceId> = own.map(|control| control.load.clone()).collect();
    let takes = kind.hand.takes;
    let by_itself = match takes {
        Some(JoinTakes::Room) => of_its_room(site, device),
        Some(JoinTakes::Nothing | JoinTakes::LastGroup) | None => BTreeSet::new(),
    };
    let is_said = site.controls_by(controller).next().is_some();
    let is_known = takes.is_some_and(|takes| takes != JoinTakes::LastGroup);
    let missing =
        if is_known { meant.difference(&by_itself).cloned().collect() } else { BTreeSet::new() };
    Some(TakenByItself {
        takes,
        is_said,
        extra: by_itself.difference(&meant).filter(|_| is_said).cloned().collect(),
        missing,
        meant,
    })
}

/// The lights of its network in the room of a device.
fn of_its_room(site: &Site, device: &Device) -> BTreeSet<DeviceId> {
    let room = |d: &Device| site.point_of(d).and_then(|p| site.room_of(p)).map(|r| &r.id);
    let Some(own) = room(device) else { return BTreeSet::new() };
    let all = site.switched_but(&BTreeSet::new()).into_iter();
    let here = all.filter(|d| d.network == device.network && room(d) == Some(own));
    here.filter(|d| site.is_light(d)).map(|d| d.id.clone()).collect()
}
