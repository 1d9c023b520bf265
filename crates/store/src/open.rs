//! Opening a file, bringing it up to date, and copying one that is in use.

use std::fs::{File, TryLockError};
use std::path::Path;
use std::sync::Arc;

use rusqlite::backup::Backup;
use rusqlite::{Connection, OpenFlags};
use rusqlite_migration::{M, Migrations};

use crate::connections::{Readers, Writer};
use crate::memory::Memory;
use crate::second_copy::SecondCopy;
use crate::turns::Turns;
use crate::{Store, StoreError};

/// Marks a file as one of this program: `dotR` in ASCII.
const APPLICATION_ID: i32 = 0x646f_7452;

/// Every migration in order. Append only from the first release on.
const MIGRATIONS: [&str; 3] = [
    include_str!("../migrations/0001_jobs.sql"),
    include_str!("../migrations/0002_authors.sql"),
    include_str!("../migrations/0003_rules.sql"),
];

fn migrations() -> Migrations<'static> {
    Migrations::new(MIGRATIONS.map(M::up).to_vec())
}

impl Store {
    /// Opens or makes the database file.
    ///
    /// # Errors
    /// The file cannot be opened or brought up to date, or is another program's.
    pub fn open(path: &Path) -> Result<Self, StoreError> {
        let lock = lock(path)?;
        // An acknowledged edit survives a power cut too.
        Self::over(path, "FULL", Some(lock), None, None)
    }

    /// As [`Store::open`], with a second copy in a folder: what is acknowledged is there too.
    ///
    /// # Errors
    /// As [`Store::open`], or the copy cannot be written.
    pub fn open_with_copy(path: &Path, copy: &Path) -> Result<Self, StoreError> {
        let lock = lock(path)?;
        Self::over(path, "FULL", Some(lock), None, Some(copy))
    }

    /// A database that lives as long as the value.
    ///
    /// # Errors
    /// There is no room for it.
    pub fn fleeting() -> Result<Self, StoreError> {
        let folder = tempfile::Builder::new().prefix("dot-reach-").tempdir()?;
        Self::over(&folder.path().join("jobs.db"), "OFF", None, Some(folder), None)
    }

    fn over(
        path: &Path,
        synchronous: &str,
        lock: Option<File>,
        folder: Option<tempfile::TempDir>,
        copy: Option<&Path>,
    ) -> Result<Self, StoreError> {
        let mut db = Connection::open(path)?;
        is_ours(&db, path)?;
        db.busy_timeout(std::time::Duration::from_secs(5))?;
        db.pragma_update(None, "journal_mode", "WAL")?;
        db.pragma_update(None, "synchronous", synchronous)?;
        db.pragma_update(None, "foreign_keys", true)?;
        migrations().to_latest(&mut db)?;
        db.pragma_update(None, "application_id", APPLICATION_ID)?;
        let memory = Arc::new(Memory::default());
        let second = copy.map(|folder| SecondCopy::of(&db, path, folder)).transpose()?;
        let (writer, readers) = (Writer::over(db, path, second)?, Readers::of(path));
        Ok(Self { readers, writer, memory, turns: Turns::default(), _lock: lock, folder })
    }
}

/// Holds a file for this program alone; the lock ends with the program, however that ends.
///
/// # Errors
/// Another server holds it, or there is no room beside it.
pub fn lock(path: &Path) -> Result<File, StoreError> {
    let mut beside = path.as_os_str().to_owned();
    beside.push(".lock");
    let lock = File::options().create(true).truncate(false).write(true).open(beside)?;
    match lock.try_lock() {
        Ok(()) => Ok(lock),
        Err(TryLockError::WouldBlock) => Err(StoreError::InUse(path.display().to_string())),
        Err(TryLockError::Error(e)) => Err(e.into()),
    }
}

/// Refuses another program's file and one of a newer version; a new file and one of before the mark are ours.
fn is_ours(db: &Connection, path: &Path) -> Result<(), StoreError> {
    let foreign = || StoreError::Foreign(path.display().to_string());
    let number = |pragma: &str| {
        db.pragma_query_value(None, pragma, |row| row.get::<_, i32>(0)).map_err(|_| foreign())
    };
    match number("application_id")? {
        APPLICATION_ID
            if usize::try_from(number("user_version")?).unwrap_or(0) > MIGRATIONS.len() =>
        {
            Err(StoreError::Newer(path.display().to_string()))
        }
        APPLICATION_ID => Ok(()),
        0 => {
            let count = |sql| db.query_row(sql, [], |row| row.get::<_, u32>(0));
            let tables = count("SELECT count(*) FROM sqlite_schema WHERE type = 'table'")?;
            let journals = count("SELECT count(*) FROM sqlite_schema WHERE name = 'journal'")?;
            if tables == 0 || journals == 1 { Ok(()) } else { Err(foreign()) }
        }
        _ => Err(foreign()),
    }
}

/// A file as it is, for reading only: never made, never brought up to date.
pub(crate) fn as_it_is(path: &Path) -> Result<Connection, StoreError> {
    if !path.is_file() {
        return Err(StoreError::NoFile(path.display().to_string()));
    }
    let db = Connection::open_with_flags(path, OpenFlags::SQLITE_OPEN_READ_ONLY)?;
    is_ours(&db, path)?;
    Ok(db)
}

/// The jobs of a database that is not to be changed: of a copy of it, brought up to date in memory.
///
/// # Errors
/// There is no such database, or it cannot be read.
pub fn read_copy(from: &Path) -> Result<Store, StoreError> {
    let db = as_it_is(from)?;
    let folder = tempfile::Builder::new().prefix("dot-reach-").tempdir()?;
    let to = folder.path().join("jobs.db");
    copy(&db, &mut Connection::open(&to)?)?;
    Store::over(&to, "OFF", None, Some(folder), None)
}

/// Copies all pages, and leaves one file: a copy keeps nothing beside it.
pub(crate) fn copy(from: &Connection, to: &mut Connection) -> Result<(), StoreError> {
    Backup::new(from, to)?.run_to_completion(256, std::time::Duration::ZERO, None)?;
    Ok(to.pragma_update(None, "journal_mode", "DELETE")?)
}
