//! What must not go dark without a word, and what it counts as.

use dot_reach_core::site::{NeedsPower, PowerNeed, Site};
use dot_reach_core::units::typographic;

use super::Choice;
use crate::pages::survey::choices::{Choice as Picked, choices as picked};

pub(super) struct NeedsPowerForm {
    pub(super) of: NeedsPower,
    pub(super) kinds: Vec<Picked>,
    pub(super) circuits: Vec<Choice>,
    pub(super) bears: String,
    /// As how many circuits it counts while it is dark.
    pub(super) counts: String,
}

pub(super) fn forms(site: &Site) -> Vec<NeedsPowerForm> {
    let form = |of: &NeedsPower| NeedsPowerForm {
        kinds: picked(&PowerNeed::ALL, of.what),
        circuits: circuits(site, &of.circuit),
        bears: of.bears_min.map(|minutes| typographic(minutes, 0)).unwrap_or_default(),
        counts: typographic(site.rate(of.what.rate()), 0),
        of: of.clone(),
    };
    site.needs_power.iter().map(form).collect()
}

/// The circuits of the job, one of them chosen; also one that is named and not noted.
fn circuits(site: &Site, is: &str) -> Vec<Choice> {
    let noted = site.circuits.iter().map(|c| c.label.trim());
    let mut labels: Vec<&str> = std::iter::once("").chain(noted).collect();
    if !labels.contains(&is.trim()) {
        labels.push(is.trim());
    }
    let choice = |label: &str| Choice {
        value: label.to_owned(),
        text: if label.is_empty() { "not known".to_owned() } else { label.to_owned() },
        chosen: label == is.trim(),
    };
    labels.into_iter().map(choice).collect()
}
