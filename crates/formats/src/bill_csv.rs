//! The bill as a table, a line a thing, for whoever buys it.

use dot_reach_core::bill::Bill;

use crate::table;

/// `part,what,count,each,cost,at`; a price that is not known stays empty.
///
/// # Errors
/// Never.
pub fn write(bill: &Bill) -> Result<String, csv::Error> {
    let heading = ["part", "what", "count", "each", "cost", "at"].map(str::to_owned);
    let money = |v: Option<f64>| v.map(|v| format!("{v:.2}")).unwrap_or_default();
    let lines = bill.lines.iter().map(|line| {
        [
            line.part.name().to_owned(),
            line.what.clone(),
            line.count.to_string(),
            money(line.each),
            money(line.cost()),
            line.at.join(" "),
        ]
    });
    let total = ["", "Total", "", "", &money(Some(bill.total)), ""].map(str::to_owned);
    table::write(std::iter::once(heading).chain(lines).chain([total]))
}
