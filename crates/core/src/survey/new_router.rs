//! A new router, or a new name or key of the Wi-Fi: what drops off, and in what order it comes back.

use crate::catalogue::{BackhaulBy, DeviceKind, Duty, FittingWay};
use crate::radio::system::System;
use crate::site::{Device, Site};

/// A step of the way back.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ComesBack {
    /// What is done.
    pub what: &'static str,
    /// Why then.
    pub why: &'static str,
    /// What it is done at: name, place, and what is pressed there where that is known.
    pub at: Vec<[String; 3]>,
}

/// The way back, in order: what carries others before what hangs on it. Steps of which nothing is in the house are left out.
pub fn comes_back(site: &Site) -> Vec<ComesBack> {
    let rows = || site.devices.iter().filter_map(|d| Some((d, site.kind(&d.kind)?)));
    let system = |d: &Device| site.networks.get(&d.network).map(|n| n.system);
    let is_wifi = |d: &Device| system(d) == Some(System::Wifi);
    let told = |device: &Device, kind: &DeviceKind| {
        let place = site.point_of(device).map_or_else(String::new, crate::site::Point::title);
        [device.name.clone(), place, kind.join.gesture.clone()]
    };
    let of = |is: &dyn Fn(&Device, &DeviceKind) -> bool| -> Vec<[String; 3]> {
        let mut all: Vec<[String; 3]> =
            rows().filter(|(d, k)| is(d, k)).map(|(d, k)| told(d, k)).collect();
        all.sort();
        all
    };
    let is_hub = |d: &Device, k: &DeviceKind| k.duty == Duty::Hub && !is_wifi(d);
    let routers = site.emitters.iter().filter(|e| e.of_the_house);
    let routers = routers.map(|e| [e.name.clone(), String::new(), String::new()]).collect();
    let phones = site.platforms.iter().map(|p| {
        let way = match p.way {
            FittingWay::Cloud => "its servers find the house again by themselves: look",
            FittingWay::Voice => "say a phrase to each thing that listens",
            FittingWay::Hub | FittingWay::Matter => "open it once on each phone",
        };
        [p.name.clone(), String::new(), way.to_owned()]
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
