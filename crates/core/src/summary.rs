//! How a job stands, counted once: the list of jobs, the ledger, the run sheet and the handover say the
//! same.

use crate::analysis::Analysis;
use crate::fit::{self, FitFinding, Fits};
use crate::network::{Band, NetworkAnalysis, Outcome};
use crate::site::{DeviceId, Site};

/// How a job stands.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Summary {
    /// Hubs, routers and access points: they are where the others are reached from.
    pub hubs: usize,
    /// Devices on a wire alone: no radio reaches them and none needs to.
    pub companions: usize,
    /// Radios that are no hub.
    pub radios: usize,
    /// Those at target that fit where they are.
    pub sound: usize,
    /// Those below target that fit.
    pub thin: usize,
    /// Those not reached that fit.
    pub out: usize,
    /// Those that do not fit their box, however well they are reached.
    pub unfit: usize,
}

impl Summary {
    /// Counts a job.
    pub fn of(analysis: &Analysis) -> Self {
        let site = &analysis.site;
        let mut summary = Self::default();
        for network in &analysis.networks {
            for (place, outcome) in network.outcomes.iter().enumerate() {
                if network.is_hub(place) {
                    summary.hubs += 1;
                    continue;
                }
                summary.radios += 1;
                let counted = if fits(site, &outcome.device) == Fits::No {
                    &mut summary.unfit
                } else {
                    match outcome.band {
                        Band::Sound | Band::Solid => &mut summary.sound,
                        Band::Thin => &mut summary.thin,
                        Band::Out => &mut summary.out,
                    }
                };
                *counted += 1;
            }
        }
        summary.companions = site.devices.len() - summary.hubs - summary.radios;
        summary
    }
}

/// How well a device fits where it is.
pub fn fits(site: &Site, device: &DeviceId) -> Fits {
    fit::verdict(&fit_findings(site, device))
}

/// All that speaks for or against a device where it is.
pub fn fit_findings(site: &Site, device: &DeviceId) -> Vec<FitFinding> {
    let device = site.devices.get(device);
    let kind = device.and_then(|d| site.kind(&d.kind));
    let point = device.and_then(|d| site.point_of(d));
    kind.zip(point)
        .map(|(kind, point)| fit::findings(site, kind, point, device))
        .unwrap_or_default()
}

/// A device that has to be settled before the job is: not reached, below target, or without a place that
/// it fits.
#[derive(Clone, Debug)]
pub struct Unsettled<'a> {
    /// Its network.
    pub network: &'a NetworkAnalysis,
    /// Its verdict.
    pub outcome: &'a Outcome,
    /// Why it does not fit, where it does not.
    pub unfit: Vec<FitFinding>,
}

/// All that is to be settled, the worst first.
pub fn unsettled(analysis: &Analysis) -> Vec<Unsettled<'_>> {
    let rows = analysis.worst_first().into_iter().filter(|(n, place, _)| !n.is_hub(*place));
    rows.filter_map(|(network, _, outcome)| {
        let all = fit_findings(&analysis.site, &outcome.device);
        let unfit: Vec<_> = all.into_iter().filter(|f| f.fits() == Fits::No).collect();
        let is_open = outcome.band < Band::Sound || !unfit.is_empty();
        is_open.then_some(Unsettled { network, outcome, unfit })
    })
    .collect()
}
