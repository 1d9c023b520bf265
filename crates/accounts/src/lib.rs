//! Firms, the people who sign in, and links for those who do not.
//!
//! One file beside the files of the firms. Nothing in it opens anything: of passwords, tokens and links only hashes are
//! kept. Moments come from whoever asks, so that a test can let time pass.
//!
//! | file | what it holds |
//! |---|---|
//! | `people.rs` | firms, their people, roles and licences |
//! | `password.rs` | what may be a password, what is kept of it |
//! | `invites.rs` | links that make an account or choose a password anew, each once |
//! | `sign_in.rs` | password, second step, and how guessing is slowed |
//! | `sessions.rs` | who is signed in, for how long, and the end of it |
//! | `second_step.rs` | codes by the clock |
//! | `passkeys.rs` | keys that stay on a machine and stand for password and code |
//! | `links.rs` | links for people without an account |
//! | `token.rs` | words that nobody can guess |

mod invites;
mod links;
mod passkeys;
mod password;
mod people;
mod second_step;
mod sessions;
mod sign_in;
mod token;

use std::borrow::Cow;
use std::fs::File;
use std::path::Path;
use std::sync::{Mutex, MutexGuard, PoisonError};

use rusqlite::Connection;
use rusqlite_migration::{M, Migrations};

pub use invites::{Invited, NewPerson, OpenInvite};
pub use links::{GuestLink, LinkId, LinkScope};
pub use passkeys::{Passkey, ServerName};
pub use people::{Account, AccountId, Firm, FirmId, FirmRole, HeldOnPerson, MainsLicence};
pub use second_step::NewSecondStep;
pub use sessions::{IDLE, LONGEST, Session, SessionId, SignedIn};
pub use sign_in::Entered;
pub use token::Token;

/// What stopped it.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum AccountError {
    /// `SQLite` failed.
    #[error("the accounts failed: {0}")]
    Database(#[from] rusqlite::Error),
    /// The file could not be brought up to date.
    #[error("the accounts could not be brought up to date: {0}")]
    Migration(#[from] rusqlite_migration::Error),
    /// The file is in use, or cannot be had.
    #[error(transparent)]
    File(#[from] dot_reach_store::StoreError),
    /// The system draws no chance.
    #[error("nothing secret can be made here: {0}")]
    Chance(String),
    /// A value that a person typed; the field it belongs to.
    #[error("{reason}")]
    Field {
        /// Which.
        field: Cow<'static, str>,
        /// What is wrong and what to do.
        reason: String,
    },
    /// A link that opens nothing: it was used, is too old, was ended, or never was one.
    #[error(
        "this link opens nothing any longer: it was used, ended, or is too old; ask for a new one"
    )]
    Link,
    /// Nobody of that id in that firm.
    #[error("there is no such person in this firm")]
    Nobody,
    /// Sign-in failed; which of the two is wrong is not told.
    #[error("name or password is not right")]
    Wrong,
    /// Too many tries.
    #[error("too many tries: wait {0} s, then try again")]
    Slowed(u64),
}

impl AccountError {
    pub(crate) fn field(field: &'static str, reason: impl Into<String>) -> Self {
        Self::Field { field: field.into(), reason: reason.into() }
    }
}

/// All firms and people of a server.
#[derive(Debug)]
pub struct Accounts {
    db: Mutex<Connection>,
    tries: sign_in::Tries,
    asked: passkeys::OpenQuestions,
    /// Held as long as this program serves with the file.
    _lock: Option<File>,
}

const MIGRATIONS: [&str; 2] = [
    include_str!("../migrations/0001_accounts.sql"),
    include_str!("../migrations/0002_passkeys_and_keeping.sql"),
];

/// Marks a file as one of these: `dotA` in ASCII.
const APPLICATION_ID: i32 = 0x646f_7441;

impl Accounts {
    /// Opens or makes the file.
    ///
    /// # Errors
    /// Another server has it, it is another program's or of a newer version, or it cannot be written.
    pub fn open(path: &Path) -> Result<Self, AccountError> {
        let lock = dot_reach_store::lock(path)?;
        Self::over(path, Some(lock))
    }

    /// Opens it beside a server that has it: for whoever runs that.
    ///
    /// # Errors
    /// As [`Accounts::open`].
    pub fn open_beside(path: &Path) -> Result<Self, AccountError> {
        Self::over(path, None)
    }

    fn over(path: &Path, lock: Option<File>) -> Result<Self, AccountError> {
        use dot_reach_store::StoreError;
        let mut db = Connection::open(path)?;
        let named = || path.display().to_string();
        let number = |pragma: &str| {
            let found = db.pragma_query_value(None, pragma, |row| row.get::<_, i32>(0));
            found.map_err(|_| StoreError::Foreign(named()))
        };
        let (whose, version) = (number("application_id")?, number("user_version")?);
        if !matches!(whose, 0 | APPLICATION_ID) || (whose == 0 && version != 0) {
            return Err(StoreError::Foreign(named()).into());
        }
        if usize::try_from(version).unwrap_or(0) > MIGRATIONS.len() {
            return Err(StoreError::Newer(named()).into());
        }
        db.busy_timeout(std::time::Duration::from_secs(5))?;
        db.pragma_update(None, "journal_mode", "WAL")?;
        db.pragma_update(None, "synchronous", "FULL")?;
        db.pragma_update(None, "foreign_keys", true)?;
        Migrations::new(MIGRATIONS.map(M::up).to_vec()).to_latest(&mut db)?;
        db.pragma_update(None, "application_id", APPLICATION_ID)?;
        let (tries, asked) = (sign_in::Tries::default(), passkeys::OpenQuestions::default());
        Ok(Self { db: Mutex::new(db), tries, asked, _lock: lock })
    }

    /// Writes and reads, so that a disk that takes nothing any longer is found out.
    ///
    /// # Errors
    /// It takes or gives nothing.
    pub fn probe(&self) -> Result<(), AccountError> {
        let db = self.held();
        db.execute("DELETE FROM half_way WHERE until < 0", [])?;
        Ok(db.query_row("SELECT count(*) FROM firm", [], |_| Ok(()))?)
    }

    /// Writes a copy to a file that is not there yet, while it is in use, and reads all of the copy.
    ///
    /// # Errors
    /// It cannot be written, or is not sound; then there is none.
    pub fn copy_to(&self, path: &Path) -> Result<(), AccountError> {
        let begun = path.with_extension("part");
        drop(std::fs::remove_file(&begun));
        self.held().execute("VACUUM INTO ?1", [begun.to_string_lossy()])?;
        let copy = Connection::open(&begun)?;
        let told: String = copy.query_row("PRAGMA integrity_check", [], |row| row.get(0))?;
        drop(copy);
        if told != "ok" {
            return Err(dot_reach_store::StoreError::Unsound {
                file: path.display().to_string(),
                count: 1,
                first: told,
            }
            .into());
        }
        let named = |e: std::io::Error| dot_reach_store::StoreError::Folder(e);
        File::open(&begun).and_then(|file| file.sync_all()).map_err(named)?;
        std::fs::rename(&begun, path).map_err(named)?;
        Ok(())
    }

    fn held(&self) -> MutexGuard<'_, Connection> {
        // Every change is a transaction: nothing is left half way by a panic.
        self.db.lock().unwrap_or_else(PoisonError::into_inner)
    }
}
