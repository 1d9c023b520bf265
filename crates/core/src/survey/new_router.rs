//! A new router, or a new name or key of the Wi-Fi: what drops off, and in what order it comes back.

use crate::catalogue::{BackhaulBy, DeviceKind, Duty, FittingWay};
use crate::radio::system::System;
use crate::record::Record;
use crate::site::{Device, Site};

/// A step of the way back.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ComesBack {
    /// What is done.
    pub what: &'static str,
    /// Why then.
    pub why: &'static str,
    /// What it is done at.
    pub at: Vec<BackAt>,
}

/// Something that comes back.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct BackAt {
    /// What it is called.
    pub name: String,
    /// Where it is; empty for what has no place.
    pub place: String,
    /// What is pressed or looked at there, where that is known.
    pub how: String,
    /// Its kind and id, in a word.
    pub key: String,
}

impl BackAt {
    /// The id under which it is on record that it came back after a change of the router.
    pub fn entry(&self, round: u32) -> String {
        format!("r{round}-{}", self.key)
    }
}

/// The change of the router that the record knows last, counted from one on.
pub fn last_round(record: &Record) -> u32 {
    record.came_back.iter().map(|back| back.round).max().unwrap_or(1)
}

/// The way back, in order: what carries others before what hangs on it. Steps of which nothing is in the house are left out.
pub fn comes_back(site: &Site) -> Vec<ComesBack> {
    let rows = || site.devices.iter().filter_map(|d| Some((d, site.kind(&d.kind)?)));
    let system = |d: &Device| site.networks.get(&d.network).map(|n| n.system);
    let is_wifi = |d: &Device| system(d) == Some(System::Wifi);
    let told = |device: &Device, kind: &DeviceKind| {
        let place = site.point_of(device).map_or_else(String::new, crate::site::Point::title);
        let key = format!("device-{}", device.id);
        BackAt { name: device.name.clone(), place, how: kind.join.gesture.clone(), key }
    };
    let of = |is: &dyn Fn(&Device, &DeviceKind) -> bool| -> Vec<BackAt> {
        let mut all: Vec<BackAt> =
            rows().filter(|(d, k)| is(d, k)).map(|(d, k)| told(d, k)).collect();
        all.sort();
        all
    };
    let is_hub = |d: &Device, k: &DeviceKind| k.duty == Duty::Hub && !is_wifi(d);
    let routers = site.emitters.iter().filter(|e| e.of_the_house);
    let bare = |name: &str, how: &str, key: String| {
        let (name, place, how) = (name.to_owned(), String::new(), how.to_owned());
        BackAt { name, place, how, key }
    };
    let routers = routers.map(|e| bare(&e.name, "", format!("emitter-{}", e.id))).collect();
    let phones = site.platforms.iter().map(|p| {
        let way = match p.way {
            FittingWay::Cloud => "its servers find the house again by themselves: look",
            FittingWay::Voice => "say a phrase to each thing that listens",
            FittingWay::Hub | FittingWay::Matter => "open it once on each phone",
        };
        bare(&p.name, way, format!("platform-{}", p.id))
    });
    let all = [
        ComesBack {
            what: "Give the new router the old name and the old key",
            why: "whatever is joined to the Wi-Fi comes back by itself then; only where that cannot be, the steps below",
            at: routers,
        },
        ComesBack {
            what: "Access points and nodes of the Wi-Fi",
            why: "they carry all that follows; the 2.4 GHz network stays on, and phones and devices in one network",
            at: of(&|d, k| is_wifi(d) && k.duty == Duty::Hub),
        },
        ComesBack {
            what: "Hubs on a cable: plug them into the new router, and off and on",
            why: "their own networks never stopped; they ask the router for an address anew",
            at: of(&|d, k| is_hub(d, k) && k.backhaul == Some(BackhaulBy::Cable)),
        },
        ComesBack {
            what: "Hubs that are joined by Wi-Fi: each gets name and key anew",
            why: "their devices are not joined again: that would take them out of their network",
            at: of(&|d, k| is_hub(d, k) && k.backhaul == Some(BackhaulBy::Wifi)),
        },
        ComesBack {
            what: "Hubs of which it is not said how they reach the router: look for a cable first",
            why: "one on a cable is plugged in, off and on; any other gets name and key of the Wi-Fi anew",
            at: of(&|d, k| is_hub(d, k) && matches!(k.backhaul, None | Some(BackhaulBy::Either))),
        },
        ComesBack {
            what: "Devices on the Wi-Fi: each gets name and key anew",
            why: "one after the other, from the router outward, with the phone on the 2.4 GHz network",
            at: of(&|d, k| is_wifi(d) && k.duty != Duty::Hub),
        },
        ComesBack {
            what: "Platforms and phones",
            why: "last, since they show what is in by then",
            at: phones.collect(),
        },
    ];
    // The first is worth doing wherever anything follows, be the router on the plan or not.
    let hangs_on_it = all.iter().skip(1).any(|step| !step.at.is_empty());
    let is_asked = |n: usize, step: &ComesBack| !step.at.is_empty() || n == 0 && hangs_on_it;
    all.into_iter().enumerate().filter(|(n, step)| is_asked(*n, step)).map(|(_, s)| s).collect()
}

/// What goes on as it was: devices whose network is not the Wi-Fi, how many, by the name of the network.
pub fn stays(site: &Site) -> Vec<(String, usize)> {
    let others = site.networks.iter().filter(|n| n.system != System::Wifi);
    let count = |id| {
        let mine = site.devices.iter().filter(|d| d.network == id);
        mine.filter_map(|d| site.kind(&d.kind))
            .filter(|k| k.duty != Duty::Hub && k.has_radio)
            .count()
    };
    others.map(|n| (n.name.clone(), count(n.id.clone()))).filter(|(_, n)| *n > 0).collect()
}
