//! Tables as people paste them: comma, semicolon or tab, with or without a heading, rows of any length.

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
