//! The ledger as CSV: one line a device, worst first.

use dot_reach_core::Analysis;

/// Writes the ledger.
///
/// # Errors
/// Never: a string takes every row.
pub fn write(analysis: &Analysis) -> Result<String, csv::Error> {
    let mut out = csv::Writer::from_writer(Vec::new());
    out.write_record([
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
    ])?;
    for (network, place, outcome) in analysis.worst_first() {
        let node = &network.nodes[place];
        let route: Vec<_> = outcome.hops.iter().map(|h| h.to.as_str()).collect();
        let weakest = outcome.weakest().map(|h| format!("{:.2}", h.margin().get()));
        let hangs: Vec<_> =
            outcome.hangs_on.iter().map(dot_reach_core::site::DeviceId::as_str).collect();
        out.write_record([
            node.device.as_str(),
            &plain(&node.name),
            &plain(&network.name),
            node.role.role.name(),
            outcome.band.name(),
            &outcome.hops.len().to_string(),
            &outcome.repeaters().to_string(),
            &route.join(" > "),
            &weakest.unwrap_or_default(),
            &format!("{:.2}", outcome.weakest().map_or(analysis.target, |h| h.target).get()),
            &format!("{:.4}", outcome.success),
            &format!("{:.0}", outcome.delay_ms),
            &hangs.join(" "),
            &plain(&outcome.reason.to_string()),
        ])?;
    }
    let bytes = out.into_inner().map_err(csv::IntoInnerError::into_error)?;
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}

/// A cell that a spreadsheet will not take for a formula.
fn plain(text: &str) -> String {
    if text.starts_with(['=', '+', '-', '@', '\t']) { format!("'{text}") } else { text.to_owned() }
}
