//! Who serves a folder where several machines could: whoever holds the lease, a small file in a folder that all of them see. It
//! is renewed every second and good for five. Whoever finds it in another's hand, or cannot renew it in time, ends at once: two
//! never write one file. The clocks of the machines must agree to a second.

use std::fs::File;
use std::io::{Read, Seek, SeekFrom, Write};
use std::path::Path;
use std::time::{Duration, SystemTime, UNIX_EPOCH};

use serde_json::{Value, json};

use crate::Failure;

/// How long it is good without being renewed.
const TERM: Duration = Duration::from_secs(5);
/// How often it is renewed.
const EVERY: Duration = Duration::from_secs(1);
/// For how long it may not be renewed before its holder ends: well before it is another's to take.
const LATEST: Duration = Duration::from_secs(3);

/// A lease that is held.
pub(crate) struct Lease {
    file: File,
    node: String,
}

fn now() -> Duration {
    SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or_default()
}

impl Lease {
    /// Takes it, and waits for whoever had it to lose it.
    ///
    /// # Errors
    /// The file cannot be written.
    pub(crate) fn take(path: &Path, node: &str) -> Result<Self, Failure> {
        if let Some(folder) = path.parent() {
            std::fs::create_dir_all(folder)?;
        }
        let file =
            File::options().create(true).truncate(false).read(true).write(true).open(path)?;
        let mut lease = Self { file, node: node.to_owned() };
        let mut told = false;
        while let Some(other) = lease.renew(true)? {
            if !told {
                tracing::warn!(%other, "waiting for the lease of another node to end");
                told = true;
            }
            std::thread::sleep(EVERY / 4);
        }
        Ok(lease)
    }

    /// Renews it; gives the name of whoever has it where that is another. `anew` takes one that ended.
    fn renew(&mut self, anew: bool) -> Result<Option<String>, Failure> {
        // Held for the moment of reading and writing alone.
        self.file.lock()?;
        let done = self.renew_held(anew);
        self.file.unlock()?;
        done
    }

    fn renew_held(&mut self, anew: bool) -> Result<Option<String>, Failure> {
        let mut text = String::new();
        self.file.seek(SeekFrom::Start(0))?;
        self.file.read_to_string(&mut text)?;
        let known: Value = serde_json::from_str(&text).unwrap_or_default();
        let holder = known["node"].as_str().unwrap_or_default().to_owned();
        let until = Duration::from_millis(known["until_ms"].as_u64().unwrap_or(0));
        let is_own = holder == self.node;
        if !is_own && (until > now() || !anew) {
            return Ok(Some(holder));
        }
        let until_ms = u64::try_from((now() + TERM).as_millis()).unwrap_or(u64::MAX);
        let text = json!({ "node": self.node, "until_ms": until_ms }).to_string();
        self.file.seek(SeekFrom::Start(0))?;
        self.file.write_all(text.as_bytes())?;
        self.file.set_len(text.len() as u64)?;
        self.file.sync_all()?;
        Ok(None)
    }

    /// Renews it for as long as the program runs, and ends that where it cannot.
    ///
    /// # Errors
    /// There is no thread left for it.
    pub(crate) fn keep(mut self) -> Result<(), Failure> {
        std::thread::Builder::new().name("lease".to_owned()).spawn(move || {
            let mut renewed = now();
            loop {
                std::thread::sleep(EVERY);
                match self.renew(false) {
                    Ok(None) => renewed = now(),
                    Ok(Some(other)) => end(&format!("{other} has the lease now")),
                    Err(error) => tracing::error!(%error, "the lease was not renewed"),
                }
                if now().saturating_sub(renewed) > LATEST {
                    end("the lease could not be renewed in time");
                }
            }
        })?;
        Ok(())
    }
}

/// At once, as by −9: what was acknowledged is on the disk, and nothing more may be written.
fn end(why: &str) -> ! {
    tracing::error!("{why}: this node ends");
    std::process::exit(3)
}
