//! What has to be switched off for a box, and why: the breaker where that is enough, the main switch where
//! neutrals are shared, where all must start together, or where nobody knows the breaker.

use std::collections::BTreeSet;
use std::fmt;

use super::work::WorkedDevice;
use crate::record::{Breaker, Cut, Isolated, Isolation};
use crate::site::Site;

/// Why something is switched off as it is.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[expect(missing_docs, reason = "each says in its words what it holds")]
pub enum OffReason {
    SharedNeutral { circuit: String },
    Kit { network: String },
    NoBreaker,
    Several { circuits: Vec<String> },
    Mislabelled { label: String, really: String },
    NotProven { label: String },
    One { label: String },
}

impl OffReason {
    /// Whether the breaker alone is not enough.
    pub fn asks_for_main(&self) -> bool {
        matches!(self, Self::SharedNeutral { .. } | Self::Kit { .. } | Self::NoBreaker)
    }
}

impl fmt::Display for OffReason {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::SharedNeutral { circuit } => write!(
                f,
                "circuit {circuit} shares its neutral with another, which can be live with breaker \
                 {circuit} off"
            ),
            Self::Kit { network } => write!(
                f,
                "the wired products of {network} are all energised together, after the last is wired"
            ),
            Self::NoBreaker => f.write_str("nobody knows its breaker"),
            Self::Several { circuits } => {
                write!(f, "what is in the box comes from breakers {}", circuits.join(" and "))
            }
            Self::Mislabelled { label, really } => {
                write!(f, "labelled {label}, but breaker {really} was found to make it dead")
            }
            Self::NotProven { label } => {
                write!(
                    f,
                    "nobody has proven that breaker {label} makes it dead: labels can be wrong"
                )
            }
            Self::One { label } => write!(f, "all of it is on breaker {label}"),
        }
    }
}

/// What is switched off.
#[derive(Clone, Debug, PartialEq)]
pub struct OffChoice {
    /// By which means.
    pub means: Cut,
    /// The circuits, as labelled.
    pub circuits: Vec<String>,
    /// Why, what weighs most first.
    pub whys: Vec<OffReason>,
}

/// What has to be switched off for circuits; `kit` names the network whose wired products are energised
/// together.
pub fn choice(site: &Site, circuits: &[String], kit: Option<&str>) -> OffChoice {
    let known: Vec<String> = circuits.iter().filter(|c| !c.is_empty()).cloned().collect();
    let mut whys: Vec<OffReason> = Vec::new();
    whys.extend(shared(site, circuits).map(|circuit| OffReason::SharedNeutral { circuit }));
    whys.extend(kit.map(|network| OffReason::Kit { network: network.to_owned() }));
    if known.len() < circuits.len() || circuits.is_empty() {
        whys.push(OffReason::NoBreaker);
    }
    let means = if whys.iter().any(OffReason::asks_for_main) { Cut::Main } else { Cut::Breaker };
    match known.as_slice() {
        [label] if means == Cut::Breaker => whys.push(OffReason::One { label: label.clone() }),
        [_, _, ..] => whys.push(OffReason::Several { circuits: known.clone() }),
        _ => {}
    }
    for label in &known {
        let circuit = site.circuits.iter().find(|c| c.label.trim() == label);
        match circuit.map(|c| (c.proven.is_some(), c.mislabelled())) {
            Some((_, Some(really))) => {
                whys.push(OffReason::Mislabelled {
                    label: label.clone(),
                    really: really.to_owned(),
                });
            }
            Some((true, None)) => {}
            _ => whys.push(OffReason::NotProven { label: label.clone() }),
        }
    }
    OffChoice { means, circuits: known, whys }
}

/// What has to be switched off for one box.
pub fn for_spot(spot: &WorkedDevice<'_>) -> OffChoice {
    let kit = spot.network.filter(|_| spot.is_of_kit()).map(|n| n.name.as_str());
    choice(spot.site, &spot.circuits(), kit)
}

fn shared<'a>(site: &'a Site, circuits: &'a [String]) -> impl Iterator<Item = String> + 'a {
    let shares = |label: &&String| {
        site.circuits.iter().any(|c| c.shared_neutral && c.label.trim() == label.as_str())
    };
    circuits.iter().filter(shares).cloned()
}

/// The breaker that was proven to make a circuit dead, where one was.
fn proven<'a>(site: &'a Site, label: &str) -> Option<&'a str> {
    let of = site.circuits.iter().find(|c| c.label.trim() == label.trim())?;
    Some(of.proven.as_ref()?.label.trim())
}

/// Circuits as an isolation copies them: as printed, and as proven.
pub fn breakers(site: &Site, circuits: &[String]) -> Vec<Breaker> {
    let of = |label: &String| Breaker {
        printed: label.clone(),
        proven: proven(site, label).map(str::to_owned),
    };
    circuits.iter().map(of).collect()
}

/// The labels that a box is known by on the record: its circuits, and the breakers that were proven for them.
pub fn labels(site: &Site, circuits: &[String]) -> Vec<String> {
    let proven = circuits.iter().filter_map(|c| proven(site, c)).map(str::to_owned);
    let mut all: Vec<String> = circuits.iter().cloned().chain(proven).collect();
    all.sort();
    all.dedup();
    all
}

/// Whether free words name a label, as a whole.
fn names(text: &str, label: &str) -> bool {
    let words = |text: &str| -> Vec<String> {
        let parts = text.split(|c: char| !c.is_alphanumeric()).filter(|w| !w.is_empty());
        parts.map(str::to_lowercase).collect()
    };
    let (text, label) = (words(text), words(label));
    !label.is_empty() && text.windows(label.len()).any(|part| part == label)
}

/// Whether the breaker that really makes a circuit dead is off by an isolation: the proven one where there is
/// one, else the one of the label.
fn is_off(site: &Site, of: &Isolated, label: &str) -> bool {
    let listed = |breaker: &str| of.circuits.iter().any(|c| c.trim() == breaker);
    match proven(site, label) {
        Some(breaker) if of.verified.trim().is_empty() => listed(breaker) && !is_mistaken(site, of),
        Some(breaker) => names(&of.verified, breaker),
        None => listed(label),
    }
}

/// Whether an isolation names a circuit whose breaker was proven to be another, and not which one is off.
fn is_mistaken(site: &Site, of: &Isolated) -> bool {
    of.verified.trim().is_empty() && mistaken(site, &of.circuits).is_some()
}

/// What is really switched off for some circuits, in words, where their labels say otherwise; else nothing.
pub fn really_off(site: &Site, circuits: &[String]) -> String {
    if mistaken(site, circuits).is_none() {
        return String::new();
    }
    let real = circuits.iter().map(|label| proven(site, label).unwrap_or(label.trim()));
    let all: BTreeSet<&str> = real.filter(|label| !label.is_empty()).collect();
    let word = if all.len() == 1 { "breaker" } else { "breakers" };
    format!("{word} {}", all.into_iter().collect::<Vec<_>>().join(", "))
}

/// The first of some circuits of which another breaker than the printed one was proven, and that breaker.
pub fn mistaken(site: &Site, circuits: &[String]) -> Option<(String, String)> {
    circuits.iter().find_map(|label| {
        let really = proven(site, label).filter(|really| *really != label.trim())?;
        Some((label.trim().to_owned(), really.to_owned()))
    })
}

/// Whether an isolation makes circuits dead: it is of the main switch, or of all their breakers and none
/// of them shares its neutral. Circuits of which one is not known are dead by the main switch alone.
pub fn makes_dead(site: &Site, of: &Isolated, circuits: &[String]) -> bool {
    if of.means.is_main() {
        return true;
    }
    !circuits.is_empty()
        && circuits.iter().all(|c| !c.is_empty() && is_off(site, of, c))
        && shared(site, circuits).next().is_none()
}

/// Whether switching it on again could make something of these circuits live.
pub fn touches(site: &Site, of: &Isolation, circuits: &[String]) -> bool {
    let labels = labels(site, circuits);
    of.touches(&labels) || labels.iter().any(|label| names(&of.verified, label))
}
