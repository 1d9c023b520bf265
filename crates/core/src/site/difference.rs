//! What makes one site another.

use super::{Edit, Kind, Site, Thing};

/// The edit that makes `from` what `to` is: what differs is put in, what is gone is taken out. Empty
/// where nothing differs.
pub fn difference(from: &Site, to: &Site) -> Edit {
    let changed = to.things().filter(|thing| from.thing(&thing.of()).as_ref() != Some(thing));
    let mut edits: Vec<_> = changed.map(Edit::Put).collect();
    let gone =
        from.things().map(|t: Thing| t.of()).filter(|of| !to.has(of) && of.kind != Kind::Job);
    let mut gone: Vec<_> = gone.collect();
    // What names others goes before them: kinds stand in the order in which they name each other.
    gone.sort_by(|a, b| b.cmp(a));
    edits.extend(gone.into_iter().map(|of| Edit::remove(of.kind, &of.id)));
    Edit::Batch { edits }
}
