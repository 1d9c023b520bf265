//! How the server is started: limits and names that an operator may set.

/// How the server is started.
#[derive(Clone, Debug)]
pub struct Settings {
    /// Threads that answer requests.
    pub workers: usize,
    /// The largest edit, in bytes.
    pub most_body: usize,
    /// How much may be kept of what was computed, in bytes.
    pub cache_bytes: usize,
    /// Names beside this machine's own by which it may be asked for.
    pub hosts: Vec<String>,
    /// Hosts beside this machine that may be asked as collectors, each `host:port`.
    pub collectors: Vec<String>,
}

impl Default for Settings {
    fn default() -> Self {
        const MB: usize = 1024 * 1024;
        Self {
            workers: 2,
            most_body: 4 * MB,
            cache_bytes: 192 * MB,
            hosts: Vec::new(),
            collectors: Vec::new(),
        }
    }
}
