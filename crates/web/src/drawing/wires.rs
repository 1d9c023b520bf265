//! A box as its connection plan has it: its conductors on the left, what they come to on the right, one row each, those
//! of one connector beside each other.

use dot_reach_core::site::Function;
use dot_reach_core::wires::{BoxPlan, ConductorPlan};

/// The diagram of a box.
pub(crate) struct WireDiagram {
    pub(crate) height: u32,
    pub(crate) conductors: Vec<WireRow>,
    pub(crate) joints: Vec<WireJoint>,
    pub(crate) ends: Vec<WireEnd>,
}

/// A conductor: where its line runs, and what is written beside it.
pub(crate) struct WireRow {
    pub(crate) y: u32,
    pub(crate) words: String,
    pub(crate) towards: String,
    /// What it carries, as a class of its line.
    pub(crate) carries: String,
    /// Where its line ends: at its joint, or right at what it comes to.
    pub(crate) x: u32,
}

/// A connector: from the first of its rows to the last.
pub(crate) struct WireJoint {
    pub(crate) from: u32,
    pub(crate) to: u32,
}

/// What a conductor or a connector comes to.
pub(crate) struct WireEnd {
    pub(crate) y: u32,
    /// From where its line comes: row and column.
    pub(crate) from_y: u32,
    pub(crate) from_x: u32,
    pub(crate) words: String,
    pub(crate) carries: String,
    /// A cap, a terminal, or nothing.
    pub(crate) is_cap: bool,
    pub(crate) is_terminal: bool,
}

/// Between two rows.
const STEP: u32 = 26;
/// Where connectors stand, and where lines end.
pub(crate) const JOINT_X: u32 = 250;
pub(crate) const END_X: u32 = 340;

/// The diagram of a box.
pub(crate) fn diagram(plan: &BoxPlan) -> WireDiagram {
    let mut found =
        WireDiagram { height: STEP, conductors: Vec::new(), joints: Vec::new(), ends: Vec::new() };
    let mut left: Vec<&ConductorPlan> = plan.conductors.iter().collect();
    let mut y = STEP;
    while !left.is_empty() {
        let first = left.remove(0);
        let (mut joint, rest): (Vec<_>, Vec<_>) =
            left.into_iter().partition(|c| first.joins.contains(&c.id));
        joint.insert(0, first);
        left = rest;
        let is_joint = plan.is_joined(first);
        y = found.joint(&joint, is_joint, y);
    }
    found.height = y;
    found
}

impl WireDiagram {
    /// One connector, or one conductor alone; where the next begins.
    fn joint(&mut self, of: &[&ConductorPlan], is_joined: bool, top: u32) -> u32 {
        let carries = class(of[0]);
        let mut terminals: Vec<&str> = Vec::new();
        for (_, name) in of.iter().flat_map(|c| &c.terminals) {
            if !terminals.contains(&name.as_str()) {
                terminals.push(name);
            }
        }
        let is_joint = is_joined || of.len() > 1 || terminals.len() > 1;
        for (n, c) in (0..).zip(of) {
            let colour =
                if c.colour.is_empty() { String::new() } else { format!(", {}", c.colour) };
            let mark = if c.mark.is_empty() { "" } else { " ✎" };
            self.conductors.push(WireRow {
                y: top + n * STEP,
                words: format!("{}{colour}{mark}", if c.is_surveyed { &c.id } else { function(c) }),
                towards: c.towards.clone(),
                carries: carries.clone(),
                x: if is_joint { JOINT_X } else { END_X },
            });
        }
        let rows = u32::try_from(of.len().max(terminals.len()).max(1)).unwrap_or(1);
        let last = top + (u32::try_from(of.len()).unwrap_or(1) - 1) * STEP;
        let middle = u32::midpoint(top, last);
        if is_joint {
            self.joints.push(WireJoint { from: top, to: last });
        }
        let end = |y, words: String, is_terminal| WireEnd {
            y,
            from_y: if is_joint { middle } else { top },
            from_x: if is_joint { JOINT_X } else { END_X },
            words,
            carries: carries.clone(),
            is_cap: of[0].capped,
            is_terminal,
        };
        if terminals.is_empty() {
            self.ends.push(end(middle, of[0].becomes.clone(), false));
        }
        let all =
            (0..).zip(&terminals).map(|(n, name)| end(top + n * STEP, (*name).to_owned(), true));
        let all: Vec<_> = all.collect();
        self.ends.extend(all);
        top + rows * STEP
    }
}

/// What a conductor is, where nobody listed it.
fn function(c: &ConductorPlan) -> &'static str {
    Function::ALL.iter().find(|(of, _)| *of == c.was).map_or("", |(_, words)| words)
}

/// What a conductor carries, as a class of its line.
fn class(c: &ConductorPlan) -> String {
    c.becomes.split(' ').next().unwrap_or_default().to_owned()
}
