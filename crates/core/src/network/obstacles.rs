//! What stands in the way of a link.

use super::Node;
use crate::building::Surface;
use crate::propagation::{LossCause, Medium};
use crate::units::Db;

/// What stands between two nodes and around them, costliest first, slab and clutter of one surface
/// together.
pub fn obstacles(medium: &Medium, from: &Node, to: &Node) -> Vec<(String, Db)> {
    let mut found: Vec<(Option<Surface>, String, Db)> = Vec::new();
    for term in medium.straight_way(from.place, to.place).terms {
        let (LossCause::Slab(surface) | LossCause::Clutter(surface)) = term.cause else { continue };
        let known = found.iter_mut().find(|(known, _, _)| *known == Some(surface));
        if let Some((_, _, loss)) = known {
            *loss += term.loss;
        } else {
            let name = medium.structure.made_of(surface).to_owned();
            found.push((Some(surface), name, term.loss));
        }
    }
    for node in [from, to] {
        let around = node.mounting.iter();
        found.extend(around.map(|(what, loss)| (None, format!("{what} at {}", node.name), *loss)));
    }
    found.sort_by(|a, b| b.2.total_cmp(&a.2));
    found.into_iter().map(|(_, name, loss)| (name, loss)).collect()
}
