//! Copies of a database: made while it is in use and opened at once, brought back, and made by the clock with so many kept.

use std::fs;
use std::path::{Path, PathBuf};

use rusqlite::Connection;

use crate::open::{as_it_is, copy, lock};
use crate::{StoreError, check};

/// Writes a copy of a database to another file, while it is in use, and reads all of the copy: what cannot be opened is no
/// backup.
///
/// # Errors
/// There is no such database, the copy cannot be written, or something is wrong with what was copied. Then there is no copy.
pub fn backup(from: &Path, to: &Path) -> Result<(), StoreError> {
    let db = as_it_is(from)?;
    if to.exists() {
        return Err(StoreError::Exists(to.display().to_string()));
    }
    // Under another name until it is whole: what is broken off in the middle is never taken for a backup.
    let begun = beside(to, "part");
    let made = copy_whole(&db, &begun).and_then(|()| sound(&begun)).and_then(|()| put(&begun, to));
    if made.is_err() {
        drop(fs::remove_file(&begun));
    }
    made
}

/// What a backup holds, once all of it was read: its jobs by name.
///
/// # Errors
/// It is no database of this program, is of a newer version, or something is wrong with it.
pub fn rehearse(from: &Path) -> Result<Vec<String>, StoreError> {
    sound(from)?;
    let store = crate::read_copy(from)?;
    Ok(store.jobs()?.into_iter().map(|job| job.name).collect())
}

/// Puts a backup in the place of a database that no server has open. What was there is kept beside it, and its name told.
///
/// # Errors
/// A server has the database open, the backup is not sound, or the disk does not take it. Then all is as it was.
pub fn restore(from: &Path, to: &Path) -> Result<Option<PathBuf>, StoreError> {
    let _held = lock(to)?;
    sound(from)?;
    let begun = beside(to, "part");
    drop(fs::remove_file(&begun));
    let copied = copy_whole(&as_it_is(from)?, &begun);
    if copied.is_err() {
        drop(fs::remove_file(&begun));
    }
    copied?;
    let kept = to.exists().then(|| set_aside(to)).transpose()?;
    put(&begun, to)?;
    Ok(kept)
}

/// How many of the copies in a folder stay, and what they are of.
#[derive(Clone, Debug)]
pub struct Backups {
    /// The database.
    pub of: PathBuf,
    /// Where its copies are.
    pub folder: PathBuf,
    /// How many stay; the oldest go.
    pub keep: usize,
}

impl Backups {
    /// Makes one more, named by a moment, and takes the oldest away that are too many.
    ///
    /// # Errors
    /// As [`backup`]; then none is taken away.
    pub fn one_more(&self, now: &str) -> Result<PathBuf, StoreError> {
        self.one_more_by(now, |to| backup(&self.of, to))
    }

    /// The same of a file that copies itself another way.
    ///
    /// # Errors
    /// Those of the copying; then none is taken away.
    pub fn one_more_by<E: From<StoreError>>(
        &self,
        now: &str,
        copy: impl FnOnce(&Path) -> Result<(), E>,
    ) -> Result<PathBuf, E> {
        let (to, too_old) = (self.next(now)?, || self.too_old());
        copy(&to)?;
        for old in too_old()? {
            fs::remove_file(old).map_err(StoreError::from)?;
        }
        Ok(to)
    }

    /// The name of the next, in a folder that is there.
    fn next(&self, now: &str) -> Result<PathBuf, StoreError> {
        fs::create_dir_all(&self.folder)?;
        let plain: String = now.chars().filter(char::is_ascii_alphanumeric).collect();
        Ok(self.folder.join(format!("{}-{plain}.db", self.stem())))
    }

    fn too_old(&self) -> Result<Vec<PathBuf>, StoreError> {
        let mut all = self.all()?;
        all.truncate(all.len().saturating_sub(self.keep.max(1)));
        Ok(all)
    }

    /// Those that are there, the oldest first: their names are moments.
    ///
    /// # Errors
    /// The folder cannot be read.
    pub fn all(&self) -> Result<Vec<PathBuf>, StoreError> {
        let begins = format!("{}-", self.stem());
        let mut all: Vec<PathBuf> = Vec::new();
        for entry in fs::read_dir(&self.folder)? {
            let path = entry?.path();
            let name = path.file_name().and_then(|n| n.to_str()).unwrap_or_default();
            if name.starts_with(&begins) && name.ends_with("Z.db") {
                all.push(path);
            }
        }
        all.sort();
        Ok(all)
    }

    fn stem(&self) -> String {
        self.of.file_stem().map_or_else(|| "jobs".to_owned(), |s| s.to_string_lossy().into_owned())
    }
}

/// Gives a file its name once all of it is on the disk.
fn put(begun: &Path, to: &Path) -> Result<(), StoreError> {
    fs::File::open(begun)?.sync_all()?;
    fs::rename(begun, to)?;
    if let Some(folder) = to.parent().filter(|folder| !folder.as_os_str().is_empty()) {
        fs::File::open(folder)?.sync_all()?;
    }
    Ok(())
}

fn copy_whole(db: &Connection, to: &Path) -> Result<(), StoreError> {
    copy(db, &mut Connection::open(to)?)
}

/// Refuses a file with which anything is wrong.
fn sound(file: &Path) -> Result<(), StoreError> {
    let found = check(file)?;
    match found.first() {
        None => Ok(()),
        Some(first) => Err(StoreError::Unsound {
            file: file.display().to_string(),
            count: found.len(),
            first: first.clone(),
        }),
    }
}

/// Moves a database and what `SQLite` keeps beside it to a name that is free.
fn set_aside(path: &Path) -> Result<PathBuf, StoreError> {
    let mut n = 1;
    while beside(path, &format!("before-{n}")).exists() {
        n += 1;
    }
    let to = beside(path, &format!("before-{n}"));
    for part in ["-wal", "-shm"] {
        let own = with_end(path, part);
        if own.exists() {
            fs::rename(own, with_end(&to, part))?;
        }
    }
    fs::rename(path, &to)?;
    Ok(to)
}

fn beside(path: &Path, word: &str) -> PathBuf {
    with_end(path, &format!(".{word}"))
}

fn with_end(path: &Path, end: &str) -> PathBuf {
    let mut name = path.as_os_str().to_owned();
    name.push(end);
    PathBuf::from(name)
}
