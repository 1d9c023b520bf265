//! The bill as a table, a line a thing, for whoever buys it.

use dot_reach_core::bill::Bill;

/// `part,what,count,each,cost,at`; a price that is not known stays empty.
///
/// # Errors
/// Never.
pub fn write(bill: &Bill) -> Result<String, csv::Error> {
    let mut out = csv::Writer::from_writer(Vec::new());
    out.write_record(["part", "what", "count", "each", "cost", "at"])?;
    let money = |v: Option<f64>| v.map(|v| format!("{v:.2}")).unwrap_or_default();
    for line in &bill.lines {
        out.write_record([
            line.part.name().to_owned(),
            line.what.clone(),
            line.count.to_string(),
            money(line.each),
            money(line.cost()),
            line.at.join(" "),
        ])?;
    }
    out.write_record(["", "Total", "", "", &money(Some(bill.total)), ""])?;
    let bytes = out.into_inner().map_err(csv::IntoInnerError::into_error)?;
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}
