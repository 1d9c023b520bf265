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

/// How much of a job is done.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct HandedOver {
    /// All devices.
    pub devices: usize,
    /// Those that are in the house: every step is done, or they were there before.
    pub installed: usize,
    /// Those of them that sent and were heard in place.
    pub tested: usize,
    /// Those with a radio among the installed, hubs left out,
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
    /// Those of the planned that would meet their target, and are known to fit.
    pub would: usize,
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
        if device.is_there() || spot.as_ref().is_some_and(is_done) {
            all.installed += 1;
            all.tested += usize::from(!counting(site, record, device).is_empty());
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
        match fits(site, &device.id) {
            Fits::No => all.unfit += 1,
            Fits::NotKnown | Fits::ElectricianDecides => all.not_known += 1,
            Fits::Yes | Fits::IfSo => all.would += usize::from(band >= Some(Band::Sound)),
        }
    }
    all
}

impl HandedOver {
    /// In sentences, for who gets the house.
    pub fn sentences(&self) -> Vec<String> {
        let plural =
            |n: usize, one: &str, many: &str| format!("{n} {}", if n == 1 { one } else { many });
        let mut told = vec![match (self.installed, self.planned) {
            (0, _) => format!(
                "Nothing is installed yet: {} planned.",
                plural(self.devices, "device is", "devices are")
            ),
            (n, 0) if n == self.devices => {
                format!(
                    "All {} are installed, {} tested in place.",
                    plural(n, "device", "devices"),
                    self.tested
                )
            }
            (n, _) => format!(
                "{n} of {} installed, {} of them tested in place; {} only planned.",
                plural(self.devices, "device is", "devices are"),
                self.tested,
                plural(self.planned, "is", "are"),
            ),
        }];
        if self.reachable > 0 {
            told.push(format!(
                "Of {} installed with a radio {} their target, {} weak, {} not reached.",
                self.reachable,
                plural(self.good, "meets", "meet"),
                plural(self.weak, "is", "are"),
                plural(self.out, "is", "are"),
            ));
        }
        if self.planned > 0 {
            told.push(format!(
                "Of what is only planned {} not fit, of {} that is not known, and {} would meet their target by the plan.",
                plural(self.unfit, "does", "do"),
                self.not_known,
                self.would,
            ));
        }
        told
    }
}
