//! Plan, section and staircase as ready-to-print shapes: templates do no arithmetic.

pub(crate) mod path;
pub(crate) mod plan;
pub(crate) mod section;
pub(crate) mod stairs;
pub(crate) mod wires;

use dot_reach_core::network::{Band, Node, Role, RoleFinding};

/// The glyph of a radio by its role; a broken ring for what may go dark.
pub(crate) fn glyph(node: &Node) -> &'static str {
    role_glyph(&node.role)
}

/// The glyph of a role.
pub(crate) fn role_glyph(found: &RoleFinding) -> &'static str {
    match (found.role, found.may_go_dark) {
        (_, true) => "dark",
        (Role::Hub, _) => "hub",
        (Role::Forwards, _) => "forwards",
        (Role::Leaf, _) => "leaf",
        (Role::Sleeps, _) => "sleeps",
        (Role::Carried, _) => "carried",
    }
}

/// The word of a verdict as a class.
pub(crate) fn band_class(band: Band) -> &'static str {
    band.name()
}
