//! What has to be switched off for a box, and why: the breaker where that is enough, the main switch where
//! neutrals are shared, where all must start together, or where nobody knows the breaker.

use std::fmt;

use super::work::Spot;
use crate::site::{Cut, Isolation, Site};

/// Why something is switched off as it is.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[expect(missing_docs, reason = "each says in its words what it holds")]
pub enum Why {
    SharedNeutral { circuit: String },
    Kit { network: String },
    NoBreaker,
    Several { circuits: Vec<String> },
    Mislabelled { label: String, really: String },
    NotProven { label: String },
    One { label: String },
}

impl Why {
    /// Whether the breaker alone is not enough.
    pub fn asks_for_main(&self) -> bool {
        matches!(self, Self::SharedNeutral { .. } | Self::Kit { .. } | Self::NoBreaker)
    }
}

impl fmt::Display for Why {
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
pub struct Choice {
    /// By which means.
    pub means: Cut,
    /// The circuits, as labelled.
    pub circuits: Vec<String>,
    /// Why, what weighs most first.
    pub whys: Vec<Why>,
}

/// What has to be switched off for circuits; `kit` names the network whose wired products are energised
/// together.
pub fn choice(site: &Site, circuits: &[String], kit: Option<&str>) -> Choice {
    let known: Vec<String> = circuits.iter().filter(|c| !c.is_empty()).cloned().collect();
    let mut whys: Vec<Why> = Vec::new();
    whys.extend(shared(site, circuits).map(|circuit| Why::SharedNeutral { circuit }));
    whys.extend(kit.map(|network| Why::Kit { network: network.to_owned() }));
    if known.len() < circuits.len() || circuits.is_empty() {
        whys.push(Why::NoBreaker);
    }
    let means = if whys.iter().any(Why::asks_for_main) { Cut::Main } else { Cut::Breaker };
    match known.as_slice() {
        [label] if means == Cut::Breaker => whys.push(Why::One { label: label.clone() }),
        [_, _, ..] => whys.push(Why::Several { circuits: known.clone() }),
        _ => {}
    }
    for label in &known {
        let circuit = site.circuits.iter().find(|c| c.label.trim() == label);
        match circuit.map(|c| (c.proven.is_some(), c.mislabelled())) {
            Some((_, Some(really))) => {
                whys.push(Why::Mislabelled { label: label.clone(), really: really.to_owned() });
            }
            Some((true, None)) => {}
            _ => whys.push(Why::NotProven { label: label.clone() }),
        }
    }
    Choice { means, circuits: known, whys }
}

/// What has to be switched off for one box.
pub fn for_spot(spot: &Spot<'_>) -> Choice {
    let kit = spot.network.filter(|_| spot.is_of_kit()).map(|n| n.name.as_str());
    choice(spot.site, &spot.circuits(), kit)
}

fn shared<'a>(site: &'a Site, circuits: &'a [String]) -> impl Iterator<Item = String> + 'a {
    let shares = |label: &&String| {
        site.circuits.iter().any(|c| c.shared_neutral && c.label.trim() == label.as_str())
    };
    circuits.iter().filter(shares).cloned()
}

/// Whether an isolation makes circuits dead: it is of the main switch, or of all their breakers and none
/// of them shares its neutral.
pub fn makes_dead(site: &Site, isolation: &Isolation, circuits: &[String]) -> bool {
    if isolation.means.is_main() {
        return true;
    }
    let is_off = |label: &String| isolation.circuits.iter().any(|c| c.trim() == label.as_str());
    !circuits.is_empty()
        && circuits.iter().all(|c| !c.is_empty() && is_off(c))
        && shared(site, circuits).next().is_none()
}

/// Whether switching it on again could make something of these circuits live.
pub fn touches(isolation: &Isolation, circuits: &[String]) -> bool {
    let is_off = |label: &String| isolation.circuits.iter().any(|c| c.trim() == label.as_str());
    isolation.means.is_main()
        || circuits.is_empty()
        || circuits.iter().any(|c| c.is_empty() || is_off(c))
}
