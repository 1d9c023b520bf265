//! What follows from what an article is set to: its terminals, its supply, when it is tried.

use crate::catalogue::{DeviceKind, Far, Supply};
use crate::units::typographic;

/// What follows for a device of this kind, in short sentences; empty where there is nothing to set.
pub fn what_follows(kind: &DeviceKind) -> Vec<String> {
    if kind.set_to.is_empty() {
        return Vec::new();
    }
    let mut all = vec![format!("Terminals: {}.", kind.wiring.terminals.join(", "))];
    match (kind.supply, kind.fit.least_w) {
        (Supply::MainsTwoWire, Some(watts)) => {
            all.push(format!(
                "It is fed through its load, {} W at the least.",
                typographic(watts, 0)
            ));
        }
        (Supply::MainsTwoWire, None) => all.push("It is fed through its load.".to_owned()),
        _ => {}
    }
    if kind.fit.far != Far::No {
        all.push(
            "It switches nothing itself: it is tied after its master is in, and works nothing before."
                .to_owned(),
        );
    }
    all
}
