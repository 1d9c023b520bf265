//! How the server is started: limits and names that an operator may set.

use std::net::IpAddr;
use std::path::PathBuf;

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
    /// How many firms are open at a time.
    pub most_open: usize,
    /// Where a second copy of each firm is kept: nothing is acknowledged that is not there too.
    pub sync: Option<PathBuf>,
    /// Whether people come to it by TLS, here or at a proxy in front.
    pub is_secure: bool,
    /// Proxies that may say for whom they ask; where some are named and TLS is theirs, nobody else is answered.
    pub proxies: Vec<IpAddr>,
    /// Whether TLS ends at those proxies.
    pub is_behind: bool,
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
            most_open: 50,
            sync: None,
            is_secure: false,
            proxies: Vec::new(),
            is_behind: false,
        }
    }
}
