//! Tables as people paste them: comma, semicolon or tab, with or without a heading, rows of any length.

use std::borrow::Cow;

/// What a spreadsheet would run begins with one of these.
const FORMULA: [char; 6] = ['=', '+', '-', '@', '\t', '\r'];

/// A cell that a spreadsheet takes as text: what would be run is led by an apostrophe; a number is none.
fn harmless(cell: &str) -> Cow<'_, str> {
    if cell.starts_with(FORMULA) && cell.parse::<f64>().is_err() {
        return format!("'{cell}").into();
    }
    cell.into()
}

/// A cell as it was before it was made harmless.
pub(crate) fn as_meant(cell: &str) -> &str {
    cell.strip_prefix('\'').filter(|rest| rest.starts_with(FORMULA)).unwrap_or(cell)
}

/// Writes rows as CSV, no cell of which a spreadsheet runs.
///
/// # Errors
/// Never: a string takes every row.
pub(crate) fn write<R, C>(rows: impl IntoIterator<Item = R>) -> Result<String, csv::Error>
where
    R: IntoIterator<Item = C>,
    C: AsRef<str>,
{
    let mut out = csv::WriterBuilder::new().flexible(true).from_writer(Vec::new());
    for row in rows {
        for cell in row {
            out.write_field(&*harmless(cell.as_ref()))?;
        }
        out.write_record(None::<&[u8]>)?;
    }
    let bytes = out.into_inner().map_err(csv::IntoInnerError::into_error)?;
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}

/// What parts the cells of a pasted table: its first line tells.
pub(crate) fn separator(text: &str) -> u8 {
    let first = text.lines().find(|l| !l.trim().is_empty()).unwrap_or_default();
    [b'\t', b';'].into_iter().find(|s| first.as_bytes().contains(s)).unwrap_or(b',')
}

/// The rows of a pasted table.
pub(crate) fn rows(text: &str) -> csv::Reader<&[u8]> {
    let text = text.strip_prefix('\u{feff}').unwrap_or(text);
    csv::ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .delimiter(separator(text))
        .trim(csv::Trim::All)
        .from_reader(text.as_bytes())
}
