//! The ledger as CSV: one line a device, worst first.

use dot_reach_core::Analysis;

use crate::table;
/// Writes the ledger.
///
/// # Errors
/// Never: a string takes every row.
pub fn write(analysis: &Analysis) -> Result<String, csv::Error> {
    let heading = [
        "device",
        "name",
        "network",
        "role",
        "verdict",
        "hops",
        "repeaters",
        "route",
        "weakest_margin_db",
        "target_margin_db",
        "success",
        "delay_ms",
        "hangs_on",
        "reason",
    ];
    let rows = analysis.worst_first().into_iter().map(|(network, place, outcome)| {
        let node = &network.nodes[place];
        let route: Vec<_> = outcome.hops.iter().map(|h| h.to.as_str()).collect();
        let weakest = outcome.weakest().map(|h| format!("{:.2}", h.margin().get()));
        let hangs: Vec<_> =
            outcome.hangs_on.iter().map(dot_reach_core::site::DeviceId::as_str).collect();
        [
            node.device.to_string(),
            node.name.clone(),
            network.name.clone(),
            node.role.role.name().to_owned(),
            outcome.band.name().to_owned(),
            outcome.hops.len().to_string(),
            outcome.repeaters().to_string(),
            route.join(" > "),
            weakest.unwrap_or_default(),
            format!("{:.2}", outcome.weakest().map_or(analysis.target, |h| h.target).get()),
            format!("{:.4}", outcome.success),
            format!("{:.0}", outcome.delay_ms),
            hangs.join(" "),
            outcome.reason.to_string(),
        ]
    });
    table::write(std::iter::once(heading.map(str::to_owned)).chain(rows))
}
