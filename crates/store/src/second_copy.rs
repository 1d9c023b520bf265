//! A second copy of a file in another folder, such as one that another machine sees. It has everything that was acknowledged:
//! whoever changes something hears of it once it is there too.
//!
//! `SQLite` writes what is new to the end of its log, and brings it into the file at leisure. The copy is a file with its log
//! as well: of the log each new piece is copied and written through; where the log begins anew, the copy first brings its own
//! into its file. What another program writes into the file meanwhile is found out, and all is copied anew.

use std::fs::File;
use std::io::{Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

use rusqlite::Connection;

use crate::StoreError;

/// A file that is copied as it is written.
#[derive(Debug)]
pub(crate) struct SecondCopy {
    of: PathBuf,
    to: PathBuf,
    /// The header of the log that is being copied, and up to where that was done.
    header: [u8; HEADER],
    at: u64,
    log: Option<File>,
    /// By what `SQLite` tells that somebody else wrote.
    version: i64,
    is_whole: bool,
}

/// Octets of the header of a log, and of that of each page in it (the write-ahead log format of `SQLite`, versions 3007000 on).
const HEADER: usize = 32;
const FRAME: usize = 24;
/// How long a log becomes before it is brought into its file.
const MOST_LOG: u64 = 16 * 1024 * 1024;

fn log_of(file: &Path) -> PathBuf {
    let mut name = file.as_os_str().to_owned();
    name.push("-wal");
    name.into()
}

fn version(db: &Connection) -> Result<i64, StoreError> {
    Ok(db.pragma_query_value(None, "data_version", |row| row.get(0))?)
}

/// Brings the log into the file, and leaves it empty; whether all of it went.
fn take_in(db: &Connection) -> Result<bool, StoreError> {
    let told = db.query_row("PRAGMA wal_checkpoint(TRUNCATE)", [], |row| {
        Ok((row.get::<_, i64>(0)?, row.get::<_, i64>(1)?, row.get::<_, i64>(2)?))
    })?;
    Ok(told.0 == 0 && told.1 == told.2)
}

fn sequence(header: &[u8; HEADER]) -> u32 {
    u32::from_be_bytes([header[12], header[13], header[14], header[15]])
}

impl SecondCopy {
    /// A copy of the file of a connection in a folder, whole from the beginning. Nobody else writes with that connection.
    pub(crate) fn of(db: &Connection, file: &Path, folder: &Path) -> Result<Self, StoreError> {
        std::fs::create_dir_all(folder)?;
        // Over the file itself it would write the file that it reads.
        let beside = file.parent().and_then(|own| own.canonicalize().ok());
        if beside.is_some_and(|own| folder.canonicalize().is_ok_and(|copies| copies == own)) {
            return Err(StoreError::OnItself(folder.display().to_string()));
        }
        let name =
            file.file_name().ok_or_else(|| StoreError::NoFile(file.display().to_string()))?;
        // The log begins anew when the copy has followed, never in the middle of something.
        db.pragma_update(None, "wal_autocheckpoint", 0)?;
        let mut made = Self {
            of: file.to_owned(),
            to: folder.join(name),
            header: [0; HEADER],
            at: 0,
            log: None,
            version: 0,
            is_whole: false,
        };
        made.begin(db)?;
        Ok(made)
    }

    /// Copies what was written since; when it returns, that is on the disk of the copy.
    pub(crate) fn follow(&mut self, db: &Connection) -> Result<(), StoreError> {
        let was_whole = std::mem::take(&mut self.is_whole);
        if !was_whole || version(db)? != self.version || !self.copy_log()? {
            return self.begin(db);
        }
        self.is_whole = true;
        if self.at > MOST_LOG {
            // Who reads still holds some of it: then the next time.
            db.query_row("PRAGMA wal_checkpoint(PASSIVE)", [], |_| Ok(()))?;
        }
        Ok(())
    }

    /// Copies all of it.
    fn begin(&mut self, db: &Connection) -> Result<(), StoreError> {
        let part = self.to.with_extension("part");
        if !take_in(db)? {
            return Err(StoreError::NotCopied(self.of.display().to_string()));
        }
        db.execute_batch("BEGIN IMMEDIATE")?;
        let copied = std::fs::copy(&self.of, &part).and_then(|_| File::open(&part)?.sync_all());
        db.execute_batch("COMMIT")?;
        copied?;
        // What was acknowledged stands in the copy that is there until the new one takes its place; a log of the old one would
        // be taken for one of the new.
        self.take_own_log_in()?;
        std::fs::rename(&part, &self.to)?;
        if let Some(folder) = self.to.parent() {
            File::open(folder)?.sync_all()?;
        }
        (self.header, self.at, self.version) = ([0; HEADER], 0, version(db)?);
        self.is_whole = true;
        Ok(())
    }

    /// Brings the log of the copy into the copy.
    fn take_own_log_in(&mut self) -> Result<(), StoreError> {
        self.log = None;
        if log_of(&self.to).exists() && self.to.exists() {
            let copy = Connection::open(&self.to)?;
            copy.pragma_update(None, "synchronous", "FULL")?;
            if !take_in(&copy)? {
                return Err(StoreError::NotCopied(self.to.display().to_string()));
            }
        }
        Ok(())
    }

    /// Copies what is new in the log; whether that was all that happened.
    fn copy_log(&mut self) -> Result<bool, StoreError> {
        let Ok(mut log) = File::open(log_of(&self.of)) else { return Ok(false) };
        let mut header = [0; HEADER];
        if log.metadata()?.len() == 0 {
            return Ok(self.at == 0);
        }
        log.read_exact(&mut header)?;
        if header != self.header {
            // It began anew once: what it held before was copied, and is in the file.
            if self.at > 0 && sequence(&header) != sequence(&self.header).wrapping_add(1) {
                return Ok(false);
            }
            self.take_own_log_in()?;
            let mut fresh = File::options()
                .create(true)
                .truncate(true)
                .write(true)
                .read(true)
                .open(log_of(&self.to))?;
            fresh.write_all(&header)?;
            (self.header, self.at, self.log) = (header, HEADER as u64, Some(fresh));
        }
        let Some(copy) = &mut self.log else { return Ok(false) };
        let page = u32::from_be_bytes([header[8], header[9], header[10], header[11]]) as usize;
        let mut frame = vec![0; FRAME + page];
        log.seek(SeekFrom::Start(self.at))?;
        copy.seek(SeekFrom::Start(self.at))?;
        // A page belongs to this log by its salt; behind the last there may be some of the log before.
        while log.read_exact(&mut frame).is_ok() && frame[8..16] == header[16..24] {
            copy.write_all(&frame)?;
            self.at += frame.len() as u64;
        }
        copy.sync_data()?;
        Ok(true)
    }
}
