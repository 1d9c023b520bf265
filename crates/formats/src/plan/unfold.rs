//! How many elements an SVG stands for once everything that it repeats is there: a small file that repeats groups
//! of groups can stand for more than any machine holds.

use std::collections::HashMap;

use usvg::roxmltree::{Document, Node};

/// The most elements that a file may stand for.
pub(super) const MOST_UNFOLDED: u64 = 1_000_000;
/// So often what is repeated is looked into: a file that nests deeper grows at each level or goes round in circles.
const DEEPEST: usize = 40;

/// How many elements the document stands for, or [`MOST_UNFOLDED`] and more where it is more than that. O(n) a
/// level of repeating, n elements in the file.
pub(super) fn unfolded(document: &Document<'_>) -> u64 {
    let nodes: Vec<Node<'_, '_>> = document.descendants().filter(Node::is_element).collect();
    let place: HashMap<_, usize> = nodes.iter().enumerate().map(|(n, at)| (at.id(), n)).collect();
    let named: HashMap<&str, usize> =
        nodes.iter().enumerate().filter_map(|(n, at)| Some((at.attribute("id")?, n))).collect();
    let parents: Vec<Option<usize>> = nodes
        .iter()
        .map(|at| at.parent_element().and_then(|up| place.get(&up.id())).copied())
        .collect();
    let repeats: Vec<Vec<(usize, u64)>> = nodes.iter().map(|at| named_by(*at, &named)).collect();
    let mut of = vec![1_u64; nodes.len()];
    for _ in 0..DEEPEST {
        let mut next = vec![1_u64; nodes.len()];
        // Children stand behind their parents.
        for n in (0..nodes.len()).rev() {
            for (target, times) in &repeats[n] {
                next[n] = next[n].saturating_add(of[*target].saturating_mul(*times));
            }
            if let Some(parent) = parents[n] {
                next[parent] = next[parent].saturating_add(next[n]);
            }
        }
        if next == of || next.first().is_some_and(|all| *all > MOST_UNFOLDED) {
            return next.first().copied().unwrap_or(0);
        }
        of = next;
    }
    MOST_UNFOLDED + 1
}

/// What an element repeats, and how often: what it uses or is filled with once, a marker at each corner of its
/// line. A style sheet may say it of every element.
fn named_by(at: Node<'_, '_>, named: &HashMap<&str, usize>) -> Vec<(usize, u64)> {
    let mut found = Vec::new();
    for attribute in at.attributes() {
        let text = attribute.value();
        let target = match attribute.name() {
            "href" => text.strip_prefix('#').and_then(|id| named.get(id)),
            _ => text.split_once("url(#").and_then(|(_, id)| named.get(id.split(')').next()?)),
        };
        let corners = ["d", "points"].iter().filter_map(|word| at.attribute(*word));
        // A corner takes four letters at least, as `1,2 `.
        let corners = corners.map(|text| text.len() as u64 / 4).sum::<u64>().max(1);
        let is_marker = attribute.name().starts_with("marker") || text.contains("marker");
        found.extend(target.map(|to| (*to, if is_marker { corners } else { 1 })));
    }
    if at.tag_name().name() == "style" {
        let text = at.text().unwrap_or_default();
        let targets = text.split("url(#").skip(1).filter_map(|id| named.get(id.split(')').next()?));
        let all = at.document().input_text().len() as u64 / 4;
        found.extend(targets.map(|to| (*to, all)));
    }
    found
}
