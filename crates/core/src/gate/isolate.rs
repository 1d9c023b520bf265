//! What has to be switched off for a box, and why: the breaker where that is enough, the main switch where
//! neutrals are shared, where all must start together, or where nobody knows the breaker.

use std::collections::BTreeSet;
use std::fmt;

use super::work::{WorkedDevice, circuits_at};
use crate::fit::mains_v;
use crate::record::{Breaker, Cut, Isolated, Isolation, Record};
use crate::site::neutrals::{open_neutrals, partners, proven, really, with_partners};
use crate::site::{Point, Site, breaker_order};

/// Why something is switched off as it is.
#[derive(Clone, Debug, PartialEq)]
#[expect(missing_docs, reason = "each says in its words what it holds")]
pub enum OffReason {
    SharedNeutral { circuit: String },
    NeutralNotLooked { circuit: String },
    SharesWith { circuit: String, partner: String },
    HalfOpened { circuit: String, volts: f64, is_looked: bool },
    Kit { network: String },
    NoBreaker,
    Several { circuits: Vec<String> },
    Together { circuits: Vec<String> },
    Mislabelled { label: String, really: String },
    NotProven { label: String },
    InPanel { label: String, panel: String },
    One { label: String },
}

impl OffReason {
    /// Whether the breaker alone is not enough.
    pub fn asks_for_main(&self) -> bool {
        match self {
            Self::SharedNeutral { .. }
            | Self::NeutralNotLooked { .. }
            | Self::HalfOpened { .. }
            | Self::Kit { .. }
            | Self::NoBreaker => true,
            Self::SharesWith { .. }
            | Self::Several { .. }
            | Self::Together { .. }
            | Self::Mislabelled { .. }
            | Self::NotProven { .. }
            | Self::InPanel { .. }
            | Self::One { .. } => false,
        }
    }
}

impl fmt::Display for OffReason {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::SharedNeutral { circuit } => write!(
                f,
                "circuit {circuit} shares its neutral with another that nobody has named, so that the \
                 neutral of any can be live with its breaker off"
            ),
            Self::NeutralNotLooked { circuit } => write!(
                f,
                "nobody has looked whether circuit {circuit} shares its neutral: while that is open, the neutral of \
                 any can be live with its breaker off"
            ),
            Self::SharesWith { circuit, partner } => write!(
                f,
                "circuits {circuit} and {partner} share one neutral, which is live while either is on"
            ),
            Self::HalfOpened { circuit, volts, is_looked } => write!(
                f,
                "circuit {circuit} is of {volts:.0} V between two lines, and {}: the other line can stay live",
                if *is_looked {
                    "its breaker opens one pole"
                } else {
                    "nobody has looked how many poles its breaker opens"
                }
            ),
            Self::Kit { network } => write!(
                f,
                "the wired products of {network} are all energised together, after the last is wired"
            ),
            Self::NoBreaker => f.write_str("nobody knows its breaker"),
            Self::Several { circuits } => {
                write!(f, "what is in the box comes from breakers {}", circuits.join(" and "))
            }
            Self::Together { circuits } => write!(
                f,
                "boxes on breakers {} are done in one go: the household bears one longer time better than several",
                circuits.join(" and ")
            ),
            Self::Mislabelled { label, really } => {
                write!(f, "labelled {label}, but breaker {really} was found to make it dead")
            }
            Self::NotProven { label } => {
                write!(
                    f,
                    "nobody has proven that breaker {label} makes it dead: labels can be wrong"
                )
            }
            Self::InPanel { label, panel } => write!(f, "breaker {label} is in the panel {panel}"),
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

impl OffChoice {
    /// The breakers that really go off, each with the label that is printed for it where that is another.
    pub fn breakers(&self) -> Vec<String> {
        let really = |label: &String| {
            let proven = self.whys.iter().find_map(|why| match why {
                OffReason::Mislabelled { label: of, really } if of == label => Some(really),
                _ => None,
            });
            proven.unwrap_or(label).clone()
        };
        // One breaker can have several labels.
        let mut all: Vec<(String, Vec<&str>)> = Vec::new();
        for label in &self.circuits {
            let breaker = really(label);
            match all.iter_mut().find(|(of, _)| *of == breaker) {
                Some((_, labels)) => labels.push(label),
                None => all.push((breaker, vec![label])),
            }
        }
        let told = |(breaker, labels): (String, Vec<&str>)| match labels.as_slice() {
            [label] if *label == breaker => breaker,
            labels => format!("{breaker} (labelled {})", labels.join(" and ")),
        };
        all.into_iter().map(told).collect()
    }
}

/// What has to be switched off for circuits; `kit` names the network whose wired products are energised
/// together.
pub fn choice(site: &Site, circuits: &[String], kit: Option<&str>) -> OffChoice {
    let own: Vec<String> = circuits.iter().filter(|c| !c.is_empty()).cloned().collect();
    let mut known = with_partners(site, &own);
    known.sort_by(|a, b| breaker_order(a).cmp(&breaker_order(b)));
    let mut whys: Vec<OffReason> = Vec::new();
    whys.extend(open_neutrals(site).map(|row| {
        let circuit = row.label.trim().to_owned();
        match row.shared_neutral {
            None => OffReason::NeutralNotLooked { circuit },
            Some(_) => OffReason::SharedNeutral { circuit },
        }
    }));
    whys.extend(known.iter().filter_map(|label| half_opened(site, label)));
    whys.extend(kit.map(|network| OffReason::Kit { network: network.to_owned() }));
    if own.len() < circuits.len() || circuits.is_empty() {
        whys.push(OffReason::NoBreaker);
    }
    whys.extend(known.iter().filter(|label| !own.contains(label)).map(|partner| {
        let shares = |label: &&String| partners(site, label).any(|p| p == *partner);
        let circuit = known.iter().find(shares).unwrap_or(partner).clone();
        OffReason::SharesWith { circuit, partner: partner.clone() }
    }));
    let means = if whys.iter().any(OffReason::asks_for_main) { Cut::Main } else { Cut::Breaker };
    let breakers: BTreeSet<&str> = known.iter().map(|label| really(site, label)).collect();
    match known.as_slice() {
        [label] if means == Cut::Breaker => whys.push(OffReason::One { label: label.clone() }),
        [_, _, ..] if breakers.len() > 1 => {
            whys.push(OffReason::Several { circuits: known.clone() });
        }
        _ => {}
    }
    for label in &known {
        let circuit = site.circuits.iter().find(|c| c.label.trim() == label);
        let panel = circuit.map_or("", |c| c.panel.trim()).to_owned();
        if !panel.is_empty() {
            whys.push(OffReason::InPanel { label: label.clone(), panel });
        }
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

/// Where both conductors are lines, as on 240 V in a house of 120, a breaker of one pole leaves one of them live (NFPA 70,
/// 210.4(B), 240.15(B)).
fn half_opened(site: &Site, label: &str) -> Option<OffReason> {
    let row = site.circuits.iter().find(|c| c.label.trim() == label)?;
    let volts = row.volts.filter(|v| *v > 1.5 * mains_v(site.job.region))?;
    let circuit = label.to_owned();
    (row.poles.unwrap_or(1) < 2).then(|| OffReason::HalfOpened {
        circuit,
        volts,
        is_looked: row.poles.is_some(),
    })
}

/// What has to be switched off for one box.
pub fn for_spot(spot: &WorkedDevice<'_>) -> OffChoice {
    let kit = spot.network.filter(|_| spot.is_of_kit()).map(|n| n.name.as_str());
    choice(spot.site, &spot.circuits(), kit)
}

/// What has to be switched off to open the box of a point, whatever is planned there, in words.
pub fn in_words(site: &Site, point: &Point) -> String {
    let choice = choice(site, &circuits_at(site, point, true), None);
    match (choice.means.is_main(), choice.whys.first()) {
        (true, Some(why)) => format!("the main: {why}"),
        (true, None) => "the main".to_owned(),
        (false, _) => format!("breaker {}", choice.breakers().join(" and ")),
    }
}

/// Whether the box of a point was proved dead under an isolation that is in force.
pub fn is_dead_now(site: &Site, record: &Record, point: &Point) -> bool {
    let lead = &site.box_of(point).id;
    record.in_force().any(|i| i.boxes.values().any(|b| b.is_proved && b.of.point == *lead))
}

/// Circuits as an isolation copies them: as printed, and as proven.
pub fn breakers(site: &Site, circuits: &[String]) -> Vec<Breaker> {
    let of = |label: &String| Breaker {
        printed: label.clone(),
        proven: proven(site, label).map(str::to_owned),
    };
    circuits.iter().map(of).collect()
}

/// The labels that a box is known by on the record: its circuits with those that share a neutral with one of them, and
/// the breakers that were proven for them.
pub fn labels(site: &Site, circuits: &[String]) -> Vec<String> {
    let circuits = with_partners(site, circuits);
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

/// Whether an isolation makes circuits dead: it is of the main switch, or of all their breakers with those that share
/// a neutral with one of them. A circuit that nobody knows, or that shares its neutral with nobody knows whom, is dead
/// by the main switch alone; while such a one stays on, it can be the partner of any other.
pub fn makes_dead(site: &Site, of: &Isolated, circuits: &[String]) -> bool {
    if of.means.is_main() {
        return true;
    }
    !circuits.is_empty()
        && circuits.iter().all(|c| !c.is_empty())
        && with_partners(site, circuits).iter().all(|c| is_off(site, of, c))
        && open_neutrals(site).filter(|row| row.shared_neutral == Some(true)).all(|row| {
            let printed = row.label.trim();
            let is_own = |c: &String| c.trim() == printed || proven(site, c) == Some(printed);
            !circuits.iter().any(is_own) && is_off(site, of, &row.label)
        })
}

/// Whether switching it on again could make something of these circuits live.
pub fn touches(site: &Site, of: &Isolation, circuits: &[String]) -> bool {
    let labels = labels(site, circuits);
    of.touches(&labels) || labels.iter().any(|label| names(&of.verified, label))
}
