//! Tables as people paste them: comma or semicolon, with or without a heading, rows of any length.

/// The rows of a pasted table; the first line tells the separator.
pub(crate) fn rows(text: &str) -> csv::Reader<&[u8]> {
    let text = text.strip_prefix('\u{feff}').unwrap_or(text);
    let separator = if text.lines().next().is_some_and(|l| l.contains(';')) { b';' } else { b',' };
    csv::ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .delimiter(separator)
        .trim(csv::Trim::All)
        .from_reader(text.as_bytes())
}
