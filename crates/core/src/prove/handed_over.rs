//! What is handed over: how much of the plan is in the house, how much of that was tested in place, and how much is only
//! planned. What is not in the house counts nowhere as reached.

use super::accept::counting;
use crate::analysis::Analysis;
use crate::fit::Fits;
use crate::gate::gate;
use crate::gate::work::WorkedDevice;
use crate::network::Band;
use crate::record::Record;
use crate::summary::fits;
use crate::units::count_of;

/// How much of a job is done.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct HandedOver {
    /// All devices.
    pub devices: usize,
    /// Those that are in the house: every step is done, or they were there before.
    pub installed: usize,
    /// Those of them that sent and were heard in place.
    pub tested: usize,
    /// Those of the installed of which it is not known whether they fit their box,
    pub in_place_not_known: usize,
    /// and those that do not fit it. What was there before is judged by nobody: it works or it does not.
    pub in_place_unfit: usize,
    /// Those with a radio among the other installed, hubs left out,
    pub reachable: usize,
    /// of these such as meet their target,
    pub good: usize,
    /// are below it,
    pub weak: usize,
    /// and are not reached.
    pub out: usize,
    /// Those that are not in the house yet.
    pub planned: usize,
    /// Those of the planned of which it is not known whether they fit,
    pub not_known: usize,
    /// and those that do not fit.
    pub unfit: usize,
    /// Those of the planned that would meet their target, and are known to fit,
    pub would: usize,
    /// those that fit and would not,
    pub would_not: usize,
    /// and those that fit and have no link to judge: hubs, and what has no radio.
    pub without_link: usize,
}

/// Counts what is handed over of a job.
pub fn handed_over(analysis: &Analysis, record: &Record) -> HandedOver {
    let site = &analysis.site;
    let gate = gate(record, site);
    let mut all = HandedOver::default();
    for device in &site.devices {
        all.devices += 1;
        let spot = WorkedDevice::of(site, &device.id);
        let is_done = |spot: &WorkedDevice<'_>| {
            let asks = !spot.steps().is_empty();
            asks && gate.is_complete(spot)
        };
        let reached = analysis.find(&device.id).filter(|(network, place)| !network.is_hub(*place));
        let band = reached.map(|(network, place)| network.outcomes[place].band);
        let suits = || fits(site, &device.id);
        if device.is_there() || spot.as_ref().is_some_and(is_done) {
            all.installed += 1;
            all.tested += usize::from(!counting(site, record, device).is_empty());
            match if device.is_there() { Fits::Yes } else { suits() } {
                Fits::No => {
                    all.in_place_unfit += 1;
                    continue;
                }
                Fits::NotKnown | Fits::ElectricianDecides => {
                    all.in_place_not_known += 1;
                    continue;
                }
                Fits::Yes | Fits::IfSo => {}
            }
            all.reachable += usize::from(band.is_some());
            match band {
                Some(Band::Sound | Band::Solid) => all.good += 1,
                Some(Band::Thin) => all.weak += 1,
                Some(Band::Out) => all.out += 1,
                None => {}
            }
            continue;
        }
        all.planned += 1;
        match suits() {
            Fits::No => all.unfit += 1,
            Fits::NotKnown | Fits::ElectricianDecides => all.not_known += 1,
            Fits::Yes | Fits::IfSo => match band {
                None => all.without_link += 1,
                Some(Band::Sound | Band::Solid) => all.would += 1,
                Some(Band::Thin | Band::Out) => all.would_not += 1,
            },
        }
    }
    all
}

impl HandedOver {
    /// In sentences, for who gets the house.
    pub fn sentences(&self) -> Vec<String> {
        let mut told = vec![match (self.installed, self.planned) {
            (0, _) => format!(
                "Nothing is installed yet: {} planned.",
                count_of(self.devices, "device is", "devices are")
            ),
            (n, 0) if n == self.devices => {
                format!(
                    "All {} are installed, {} tested in place.",
                    count_of(n, "device", "devices"),
                    self.tested
                )
            }
            (n, _) => format!(
                "{n} of {} installed, {} of them tested in place; {} only planned.",
                count_of(self.devices, "device is", "devices are"),
                if self.tested == 0 { "none".to_owned() } else { self.tested.to_string() },
                count_of(self.planned, "is", "are"),
            ),
        }];
        if self.in_place_unfit > 0 {
            let devices =
                count_of(self.in_place_unfit, "installed device does", "installed devices do");
            told.push(format!(
                "{devices} not fit by what is noted of the box, and count as nothing below."
            ));
        }
        if self.in_place_not_known > 0 {
            let devices =
                count_of(self.in_place_not_known, "installed device", "installed devices");
            told.push(format!(
                "For {devices} the box is not noted well enough to say that they fit; they count as nothing below."
            ));
        }
        if self.reachable > 0 {
            let parts = counted(&[
                (self.good, "meets its target", "meet their target"),
                (self.weak, "is weak", "are weak"),
                (self.out, "is not reached", "are not reached"),
            ]);
            let of = count_of(
                self.reachable,
                "device with a radio that is",
                "devices with a radio that are",
            );
            let fits = if self.reachable == 1 { "fits" } else { "fit" };
            told.push(format!("Of {of} installed and {fits}, {parts}."));
        }
        if self.planned > 0 {
            let parts = counted(&[
                (self.would, "would meet its target", "would meet their target"),
                (self.unfit, "does not fit", "do not fit"),
                (self.not_known, "is not checked for fit yet", "are not checked for fit yet"),
                (self.would_not, "would be weak or not reached", "would be weak or not reached"),
                (self.without_link, "is a hub or has no radio", "are hubs or have no radio"),
            ]);
            told.push(format!("Of {} only planned, {parts}.", self.planned));
        }
        told
    }
}

/// Counts in a row, those that are nought left out.
fn counted(all: &[(usize, &str, &str)]) -> String {
    let some = all.iter().filter(|(n, ..)| *n > 0);
    some.map(|(n, one, many)| count_of(*n, one, many)).collect::<Vec<_>>().join(", ")
}
