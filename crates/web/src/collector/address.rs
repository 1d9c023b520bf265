//! Which addresses of a collector may be asked, and which words may stand in them.

/// `127.0.0.1:8931`, `localhost:8931` or `[::1]:8931`, and nothing behind it.
pub(crate) fn is_this_machine(address: &str) -> bool {
    let Some((host, port)) = address.rsplit_once(':') else { return false };
    matches!(host, "127.0.0.1" | "localhost" | "[::1]") && port.parse::<u16>().is_ok_and(|p| p > 0)
}

/// Whether a part of an address leads nowhere else.
pub(crate) fn is_plain(text: &str) -> bool {
    (1..=64).contains(&text.len())
        && text.chars().all(|c| c.is_ascii_alphanumeric() || matches!(c, '-' | '_'))
}
