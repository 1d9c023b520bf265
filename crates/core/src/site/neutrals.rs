//! Which circuits share a neutral, and which breaker was proven for one: a relation between circuits, whichever of them
//! says so.

use super::{Circuit, Site};

/// The circuits that are known to share the neutral of one, from whichever side that was said; a row is of it by the
/// label that is printed or by the breaker that was proven for it.
pub(crate) fn partners<'a>(site: &'a Site, label: &'a str) -> impl Iterator<Item = String> + 'a {
    let (label, really) = (label.trim(), proven(site, label));
    let is_it = move |name: &str| name.trim() == label || really == Some(name.trim());
    let said = site.circuits.iter().flat_map(move |row| {
        let (own, named) = (is_it(&row.label), row.neutral_with.iter());
        let others = named.clone().filter(move |_| own).map(|p| p.trim().to_owned());
        let naming = named.clone().any(|p| is_it(p)).then(|| row.label.trim().to_owned());
        others.chain(naming)
    });
    said.filter(move |p| !p.is_empty() && !label.is_empty())
}

/// Circuits with those that are known to share a neutral with one of them: all go off together (BS 7671, 314.4; NFPA
/// 70, 210.4(B)).
pub fn with_partners(site: &Site, circuits: &[String]) -> Vec<String> {
    let mut all = circuits.to_vec();
    let mut next = 0;
    while let Some(label) = all.get(next).cloned() {
        let more: Vec<String> = partners(site, &label).filter(|p| !all.contains(p)).collect();
        for partner in more {
            if !all.contains(&partner) {
                all.push(partner);
            }
        }
        next += 1;
    }
    all
}

/// Circuits that share their neutral, or of which nobody has looked, with whom nobody has said: it can be with any.
pub(crate) fn open_neutrals(site: &Site) -> impl Iterator<Item = &Circuit> {
    let names_nobody = |row: &&Circuit| partners(site, row.label.trim()).next().is_none();
    site.circuits.iter().filter(|row| row.shared_neutral != Some(false)).filter(names_nobody)
}

/// The breaker that was proven to make a circuit dead, where one was.
pub(crate) fn proven<'a>(site: &'a Site, label: &str) -> Option<&'a str> {
    let of = site.circuits.iter().find(|c| c.label.trim() == label.trim())?;
    Some(of.proven.as_ref()?.label.trim())
}

/// The breaker that really makes a circuit dead, as far as is known: the proven one, else that of its label.
pub fn really<'a>(site: &'a Site, label: &'a str) -> &'a str {
    proven(site, label).unwrap_or_else(|| label.trim())
}
