//! What a file may cost before it is read: a small one can unfold to more than any machine holds.

/// The most values in a JSON file: a job at all its limits with its record has half as many, and each takes some
/// tens of bytes once it is read.
pub(crate) const MOST_VALUES: usize = 2_500_000;

/// Whether JSON text holds more than [`MOST_VALUES`], by what parts and opens them. O(n), nothing is kept.
pub(crate) fn is_over(json: &[u8]) -> bool {
    json.iter().filter(|b| matches!(b, b',' | b'[' | b'{')).count() > MOST_VALUES
}

/// The beginning of a text, for a sentence about it.
pub(crate) fn begin(text: &str) -> String {
    const LONGEST: usize = 60;
    match text.char_indices().nth(LONGEST) {
        Some((end, _)) => format!("{}…", &text[..end]),
        None => text.to_owned(),
    }
}
