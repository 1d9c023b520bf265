//! What makes one site another.

use std::collections::BTreeSet;

use super::{Edit, Kind, Ref, Site, Thing};

/// The edit that makes `from` what `to` is: what differs is put in, what is gone is taken out. Empty
/// where nothing differs. What `to` names without holding it, as a construction of a library that is no
/// longer there, stays where `from` holds it.
pub fn difference(from: &Site, to: &Site) -> Edit {
    let (changed, gone) = changes(from, to);
    let gone = gone.into_iter().map(|of| Edit::remove(of.kind, &of.id));
    Edit::Batch { edits: changed.into_iter().map(Edit::Put).chain(gone).collect() }
}

/// The things of `to` that `from` does not hold, or otherwise, and what is gone from it.
pub(super) fn changes(from: &Site, to: &Site) -> (Vec<Thing>, Vec<Ref>) {
    let changed = to.things().filter(|thing| from.thing(&thing.of()).as_ref() != Some(thing));
    let mut named = BTreeSet::new();
    for thing in to.things() {
        thing.ties(&mut |tie| {
            named.insert(tie.to);
        });
    }
    let goes = |of: &Ref| !to.has(of) && of.kind != Kind::Job && !named.contains(of);
    let mut gone: Vec<_> = from.things().map(|thing| thing.of()).filter(goes).collect();
    // What names others goes before them: kinds stand in the order in which they name each other.
    gone.sort_by(|a, b| b.cmp(a));
    (changed.collect(), gone)
}
