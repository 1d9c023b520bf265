//! Who must act on a finding, and where: a list of twenty equal lines is not read.

use super::{Finding, Found};
use crate::fit::Fits;
use crate::site::Site;

/// Who must act.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Acts {
    /// Whoever plans: chooses another device, place or way.
    Planner,
    /// Whoever may work on the mains.
    Electrician,
    /// Whoever is on site: looks, moves, joins.
    Installer,
    /// Who lives there: agrees.
    Client,
}

impl Acts {
    /// For whom a list of findings is.
    pub fn name(self) -> &'static str {
        match self {
            Self::Planner => "For the planner",
            Self::Electrician => "For the electrician",
            Self::Installer => "For the installer",
            Self::Client => "To agree with the client",
        }
    }
}

impl Found {
    /// Who must act on it.
    pub fn acts(&self) -> Acts {
        match self {
            Self::DoesNotFit { reason, .. } => match reason.fits() {
                Fits::ElectricianDecides => Acts::Electrician,
                Fits::NotKnown => Acts::Installer,
                _ => Acts::Planner,
            },
            Self::Mislabelled { .. }
            | Self::SharedNeutral { .. }
            | Self::NeutralNotLooked { .. }
            | Self::SeveralCircuits { .. } => Acts::Electrician,
            Self::CreditOnCondition { .. }
            | Self::HardSpot { .. }
            | Self::HubInMetal { .. }
            | Self::HubBesideSource { .. }
            | Self::UsbNoise { .. }
            | Self::MixedSecurity { .. } => Acts::Installer,
            Self::MayGoDark { .. } | Self::OnlyParentMayGoDark { .. } => Acts::Client,
            _ => Acts::Planner,
        }
    }
}

/// Findings that one must act on, by place.
#[derive(Clone, Debug, PartialEq)]
pub struct PlaceFindings<'a> {
    /// Who.
    pub acts: Acts,
    /// Each place by its name, with what is there; what is of no room stands under its network, and what
    /// is of none under the house.
    pub places: Vec<(String, Vec<&'a Finding>)>,
}

/// Findings by who must act and by place, in the order in which they weigh.
pub fn grouped<'a>(
    site: &Site,
    findings: impl IntoIterator<Item = &'a Finding>,
) -> Vec<PlaceFindings<'a>> {
    let mut groups: Vec<PlaceFindings<'a>> = Vec::new();
    for finding in findings {
        let acts = finding.found.acts();
        let at = groups.iter().position(|g| g.acts == acts).unwrap_or_else(|| {
            groups.push(PlaceFindings { acts, places: Vec::new() });
            groups.len() - 1
        });
        let place = place_of(site, finding);
        let places = &mut groups[at].places;
        match places.iter_mut().find(|(name, _)| *name == place) {
            Some((_, all)) => all.push(finding),
            None => places.push((place, vec![finding])),
        }
    }
    groups.sort_by_key(|g| g.acts);
    groups
}

fn place_of(site: &Site, finding: &Finding) -> String {
    let point = finding.point.as_ref().and_then(|p| site.points.get(p));
    let room = point.map(|p| site.room_name(p)).filter(|room| !room.is_empty());
    let network = finding.network.as_ref().and_then(|n| site.networks.get(n));
    let of_network = || network.map(|n| n.name.clone());
    room.map(str::to_owned).or_else(of_network).unwrap_or_else(|| "The house".to_owned())
}
