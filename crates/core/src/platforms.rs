//! Platforms as they are: which may be in charge and what that costs in an outage, what each has of a device, what stands in
//! which, and what was added to them.

use std::collections::BTreeSet;

use crate::catalogue::{Ability, DeviceKind, FittingWay};
use crate::fit;
use crate::gate::work::WorkedDevice;
use crate::moment::Moment;
use crate::record::{Record, Step};
use crate::site::{
    ComesIn, Device, DeviceId, DeviceShare, Edit, Platform, PlatformId, RunsIn, Site,
};
use crate::survey::classes;

/// Whether a platform is fit to be in charge of this house.
#[derive(Clone, Debug, PartialEq)]
pub struct InCharge {
    /// The platform.
    pub platform: PlatformId,
    /// What the household calls it.
    pub name: String,
    /// Whether it is in charge by the brief.
    pub is: bool,
    /// Whether it may be; nothing while that is not known.
    pub may: Option<bool>,
    /// How many things it reaches, of how many.
    pub reaches: (usize, usize),
    /// Things that it does not reach.
    pub not_reached: Vec<String>,
    /// Things of which nobody has looked whether it reaches them.
    pub not_known: Vec<String>,
    /// What this house asks of a device and this platform does not have of it, or nobody has looked up, a sentence each.
    pub lacks: Vec<String>,
    /// What it costs in an outage.
    pub outage: &'static str,
}

/// What goes on, and what does not, while something is out.
fn outage(way: FittingWay) -> &'static str {
    match way {
        FittingWay::Hub => {
            "goes on without the internet; without its hub, keys with a wire and direct ties are left"
        }
        FittingWay::Matter => {
            "goes on without the internet as long as what carries it in the house has power; without that, keys with a wire \
             and direct ties are left"
        }
        FittingWay::Voice => {
            "without the internet no phrase is answered, and no rule and no time of its own runs; keys with a wire and \
             direct ties are left"
        }
        FittingWay::Cloud => {
            "without the internet, or once its maker ends the service, no rule and no time runs and no phone shows \
             anything; keys with a wire and direct ties are left"
        }
    }
}

/// Things that platforms see, with what each is: hubs and what only forwards are not.
fn things(site: &Site) -> impl Iterator<Item = (&Device, &DeviceKind)> {
    let rows = site.devices.iter().filter_map(|d| Some((d, site.kind(&d.kind)?)));
    rows.filter(|(d, k)| classes::class(site, d, k).is_some())
}

/// What this house asks of a device beside switching and dimming it.
pub fn asked(site: &Site, device: &Device) -> BTreeSet<Ability> {
    let controls = || site.controls_by(&device.id);
    let gives_up = WorkedDevice::of(site, &device.id).is_some_and(|s| s.takes(Step::Decoupled));
    let told_apart = controls().any(|c| !c.gesture.trim().is_empty());
    let tied = controls().any(|c| c.runs == RunsIn::Direct);
    let rows = [
        (Ability::FreedKey, gives_up),
        (Ability::PressCounts, told_apart),
        (Ability::DirectLinks, tied),
    ];
    rows.into_iter().filter(|(_, is)| *is).map(|(ability, _)| ability).collect()
}

/// Each platform of the job, held against what it would mean to put it in charge.
pub fn in_charge(site: &Site) -> Vec<InCharge> {
    site.platforms.iter().map(|platform| candidate(site, platform)).collect()
}

fn candidate(site: &Site, platform: &Platform) -> InCharge {
    let (mut not_reached, mut not_known, mut lacks) = (Vec::new(), Vec::new(), Vec::new());
    let mut all = 0;
    for (device, kind) in things(site) {
        all += 1;
        match fit::is_reached(site, kind, Some(&device.network), platform.way) {
            Some(true) => {}
            Some(false) => not_reached.push(device.name.clone()),
            None => not_known.push(device.name.clone()),
        }
        for ability in asked(site, device) {
            let what = format!("{} {}", device.name, ability.name());
            match kind.fit.is_able(ability, platform.way) {
                Some(true) => {}
                Some(false) => lacks.push(format!("{what}: not by {}.", platform.name)),
                None => {
                    lacks.push(format!("{what}: nobody has looked whether by {}.", platform.name));
                }
            }
        }
    }
    let may = match () {
        () if platform.way.needs_servers() || !not_reached.is_empty() => Some(false),
        () => not_known.is_empty().then_some(true),
    };
    InCharge {
        platform: platform.id.clone(),
        name: platform.name.clone(),
        is: platform.in_charge,
        may,
        reaches: (all - not_reached.len() - not_known.len(), all),
        not_reached,
        not_known,
        lacks,
        outage: outage(platform.way),
    }
}

/// What is open about the platforms of the house, a sentence each.
pub fn open(site: &Site) -> Vec<String> {
    let mut open = Vec::new();
    let all = in_charge(site);
    let better = all.iter().find(|p| p.may == Some(true));
    for is in all.iter().filter(|p| p.is && p.may == Some(false)) {
        let instead = better.map_or_else(String::new, |other| {
            format!(" {} may be: let that keep rules and times.", other.name)
        });
        let why = match is.not_reached.as_slice() {
            [] => is.outage.to_owned(),
            [one] => format!("it does not reach {one}"),
            [one, rest @ ..] => format!("it does not reach {one} and {} more", rest.len()),
        };
        open.push(format!("{} is in charge, and not fit for it: {why}.{instead}", is.name));
    }
    open.extend(site.add_ons.iter().flat_map(|of| {
        let platform = site.platforms.get(&of.platform);
        let (at, runs) = platform.map_or(("", ""), |p| (p.name.as_str(), p.version.trim()));
        let tried = of.tried_under.trim();
        let source = (of.source.trim().is_empty() || of.version.trim().is_empty()).then(|| {
            format!("{} in {at}: say where it comes from and which version it is.", of.name)
        });
        let again = match (tried, runs) {
            ("", _) => Some(format!("{} in {at} was not tried yet: try what it is for.", of.name)),
            (_, "") => Some(format!(
                "{} was tried under {tried}: look which version {at} runs now.",
                of.name
            )),
            (tried, runs) if tried != runs => Some(format!(
                "{at} runs {runs} now and {} was tried under {tried}: try it again.",
                of.name
            )),
            _ => None,
        };
        [source, again].into_iter().flatten()
    }));
    open.extend(site.shares.iter().filter_map(|share| cannot(site, share)));
    open
}

/// Why a device cannot stand in a platform as is said; nothing where nothing speaks against it.
fn cannot(site: &Site, share: &DeviceShare) -> Option<String> {
    let (device, platform) =
        (site.devices.get(&share.device)?, site.platforms.get(&share.platform)?);
    let same = |other: &&DeviceShare| {
        other.device == share.device && other.platform == share.platform && other.id < share.id
    };
    if site.shares.iter().any(|other| same(&other)) {
        return Some(format!("{} is said twice in {}.", device.name, platform.name));
    }
    let kind = site.kind(&device.kind)?;
    let reached = fit::is_reached(site, kind, Some(&device.network), platform.way);
    (share.comes == ComesIn::LetIn && reached == Some(false)).then(|| {
        format!("{} is to be let into {}, which does not reach it.", device.name, platform.name)
    })
}

/// The edit that lets every thing that a platform reaches, and of which nothing is said there, into it.
pub fn all_into(site: &Site, platform: &PlatformId) -> Option<Edit> {
    let way = site.platforms.get(platform)?.way;
    let is_said = |d: &DeviceId| {
        site.shares.iter().any(|share| share.device == *d && share.platform == *platform)
    };
    let reached = |d: &Device, k: &DeviceKind| fit::is_reached(site, k, Some(&d.network), way);
    let lacking = things(site).filter(|(d, k)| !is_said(&d.id) && reached(d, k) == Some(true));
    let edits: Vec<Edit> = lacking
        .filter_map(|(device, _)| {
            let id = format!("{}-{platform}", device.id);
            Some(Edit::put(DeviceShare {
                id: id.parse().ok().filter(|id| site.shares.get(id).is_none())?,
                device: device.id.clone(),
                platform: platform.clone(),
                comes: ComesIn::LetIn,
                window_minutes: None,
                code: String::new(),
                since: None,
            }))
        })
        .collect();
    (!edits.is_empty()).then(|| Edit::batch(edits))
}

/// A device in a further platform, as the record has it.
#[derive(Clone, Debug, PartialEq)]
pub struct StandsIn {
    /// The device.
    pub device: DeviceId,
    /// The platform.
    pub platform: PlatformId,
    /// How it comes to be there, or that it is kept out.
    pub comes: ComesIn,
    /// Since when that is so, by the record or as was written down; nothing while nobody said.
    pub since: Option<Moment>,
}

/// Every device in further platforms, by platform, as the record has it.
pub fn stand_in(site: &Site, record: &Record) -> Vec<StandsIn> {
    let mut all: Vec<StandsIn> = site
        .shares
        .iter()
        .map(|share| {
            let mark = record.mark(&share.device, Step::Named);
            let ticked = mark.filter(|m| m.checks.contains(&share.tick()));
            StandsIn {
                device: share.device.clone(),
                platform: share.platform.clone(),
                comes: share.comes,
                since: ticked
                    .and_then(|m| m.done.as_ref())
                    .map(|done| done.at.clone())
                    .or_else(|| share.since.clone()),
            }
        })
        .collect();
    all.sort_by(|a, b| (&a.platform, &a.device).cmp(&(&b.platform, &b.device)));
    all
}
