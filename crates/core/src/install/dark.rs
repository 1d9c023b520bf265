//! What it is for a household that power is off: what goes dark, how long that bears it, and what a minute of it
//! weighs, in minutes of one circuit.

use std::collections::BTreeSet;

use super::pack::Dark;
use crate::gate::isolate::OffChoice;
use crate::site::neutrals::really;
use crate::site::{NeedsPower, PowerNeed, Site};

/// What needs its power and goes dark with a cut. What hangs on nobody knows which circuit goes dark with any.
pub fn goes_dark<'a>(site: &'a Site, cut: &OffChoice) -> Vec<&'a NeedsPower> {
    let is_dark = |of: &&NeedsPower| of.circuit.trim().is_empty() || is_off(site, cut, &of.circuit);
    site.needs_power.iter().filter(is_dark).collect()
}

/// Whether the breaker that really feeds a circuit goes off with a cut.
pub fn is_off(site: &Site, cut: &OffChoice, label: &str) -> bool {
    cut.means.is_main() || cut.circuits.iter().any(|of| really(site, of) == really(site, label))
}

/// How something that needs its power is called, with whose it is and what is done for it.
pub fn called(of: &NeedsPower) -> String {
    let word = PowerNeed::ALL.iter().find(|(is, _)| *is == of.what).map_or("", |(_, word)| word);
    let note = of.note.trim();
    if note.is_empty() { word.to_owned() } else { format!("{word} ({note})") }
}

/// What it is for things to be dark: what they weigh together, and what the least patient of them bears.
fn together<'a>(site: &Site, things: impl Iterator<Item = &'a NeedsPower>) -> Dark {
    things.fold(Dark { weight: 0.0, bears: f64::INFINITY }, |dark, of| Dark {
        weight: dark.weight + site.rate(of.what.rate()),
        bears: of.bears_min.map_or(dark.bears, |minutes| dark.bears.min(minutes)),
    })
}

/// What goes dark with anything, since nobody knows its circuit.
pub(super) fn with_any(site: &Site) -> Dark {
    together(site, site.needs_power.iter().filter(|of| of.circuit.trim().is_empty()))
}

/// What it is for one breaker to be off.
pub(super) fn of_breaker(site: &Site, breaker: &str) -> Dark {
    let is_on = |label: &str| !label.trim().is_empty() && really(site, label) == breaker;
    let own = together(site, site.needs_power.iter().filter(|of| is_on(&of.circuit)));
    let in_words =
        site.circuits.iter().filter(|c| is_on(&c.label) && !c.must_stay.trim().is_empty());
    #[expect(clippy::cast_precision_loss, reason = "a few circuits")]
    let in_words = in_words.count() as f64;
    Dark { weight: 1.0 + own.weight + in_words * site.rate(PowerNeed::Other.rate()), ..own }
}

/// What it is for the main to be off: every breaker that is known, and a house has some that nobody has noted.
pub(super) fn of_main(site: &Site) -> Dark {
    let labels = site.circuits.iter().map(|c| c.label.as_str());
    let labels = labels.chain(site.points.iter().map(|p| p.circuit.as_str()));
    let labels = labels.chain(site.needs_power.iter().map(|of| of.circuit.as_str()));
    let breakers: BTreeSet<&str> =
        labels.filter(|l| !l.trim().is_empty()).map(|l| really(site, l)).collect();
    #[expect(clippy::cast_precision_loss, reason = "a few hundred breakers")]
    let unknown = (site.rate("dark-house") - breakers.len() as f64).max(0.0);
    let known = breakers.iter().map(|breaker| of_breaker(site, breaker));
    known.fold(Dark { weight: unknown, bears: f64::INFINITY }, |all, one| Dark {
        weight: all.weight + one.weight,
        bears: all.bears.min(one.bears),
    })
}
