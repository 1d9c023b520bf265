//! Signing in: a password, then a code where there is a second step. Guessing is slowed by account and by address.

use std::net::IpAddr;
use std::num::NonZeroU32;
use std::sync::OnceLock;
use std::time::Duration;

use governor::clock::{Clock, DefaultClock};
use governor::{DefaultKeyedRateLimiter, Quota, RateLimiter};
use jiff::{SignedDuration, Timestamp};
use rusqlite::OptionalExtension;

use crate::token::hash;
use crate::{Account, AccountError, AccountId, Accounts, Token, password, second_step, sessions};

/// What became of a password that was right.
#[derive(Debug)]
pub enum Entered {
    /// They are in, by this word.
    In(Token),
    /// They owe a code; this word stands for the password meanwhile.
    OwesCode(Token),
}

/// How long somebody who gave the password may look for the code.
const CODE_WITHIN: SignedDuration = SignedDuration::from_mins(5);
/// Tries at once, and how long until there is one more: of one account, and of one address (behind which a firm may sit).
const OF_ACCOUNT: (NonZeroU32, Duration) = (NonZeroU32::new(8).unwrap(), Duration::from_secs(30));
const OF_ADDRESS: (NonZeroU32, Duration) = (NonZeroU32::new(40).unwrap(), Duration::from_secs(3));

/// Tries that failed.
#[derive(Debug)]
pub(crate) struct Tries {
    of_account: DefaultKeyedRateLimiter<String>,
    of_address: DefaultKeyedRateLimiter<IpAddr>,
}

impl Default for Tries {
    fn default() -> Self {
        let quota = |(at_once, every): (NonZeroU32, Duration)| {
            Quota::with_period(every).unwrap_or(Quota::per_minute(at_once)).allow_burst(at_once)
        };
        Self {
            of_account: RateLimiter::keyed(quota(OF_ACCOUNT)),
            of_address: RateLimiter::keyed(quota(OF_ADDRESS)),
        }
    }
}

impl Tries {
    fn one_more(&self, account: &str, address: IpAddr) -> Result<(), AccountError> {
        const MANY: usize = 10_000;
        if self.of_account.len() > MANY || self.of_address.len() > MANY {
            self.of_account.retain_recent();
            self.of_address.retain_recent();
        }
        self.one_more_from(address)?;
        self.one_more_of(account)
    }

    /// A try of whoever did not say who they are.
    pub(crate) fn one_more_from(&self, address: IpAddr) -> Result<(), AccountError> {
        // A whole network of addresses is one who tries.
        let address = match address {
            IpAddr::V6(v6) => IpAddr::V6((v6.to_bits() & !u128::from(u64::MAX)).into()),
            v4 @ IpAddr::V4(_) => v4,
        };
        let clock = DefaultClock::default();
        self.of_address.check_key(&address).map_err(|not_yet| {
            AccountError::Slowed(not_yet.wait_time_from(clock.now()).as_secs() + 1)
        })
    }

    fn one_more_of(&self, account: &str) -> Result<(), AccountError> {
        let clock = DefaultClock::default();
        self.of_account.check_key(&account.to_owned()).map_err(|not_yet| {
            AccountError::Slowed(not_yet.wait_time_from(clock.now()).as_secs() + 1)
        })
    }
}

/// What is compared with where nobody signs in by a name: it takes as long.
fn nobodys() -> &'static str {
    static KEPT: OnceLock<String> = OnceLock::new();
    KEPT.get_or_init(|| password::kept("nobody signs in by this name").unwrap_or_default())
}

impl Accounts {
    /// Slows down who tries the password of somebody who is signed in.
    pub(crate) fn slow_down(&self, of: &AccountId) -> Result<(), AccountError> {
        self.tries.one_more_of(&format!("again {of}"))
    }

    /// Signs somebody in by a password.
    ///
    /// # Errors
    /// Name or password is wrong (which of them is not told), or there were too many tries.
    pub fn sign_in(
        &self,
        login: &str,
        given: &str,
        (address, agent): (IpAddr, &str),
        now: Timestamp,
    ) -> Result<Entered, AccountError> {
        let login = login.trim().to_lowercase();
        self.tries.one_more(&login, address)?;
        let (found, kept) = {
            let db = self.held();
            let found = if login.is_empty() { None } else { Account::by(&db, "login", &login)? };
            let kept = "SELECT password FROM account WHERE login = ?1";
            (found, db.query_row(kept, [&login], |row| row.get::<_, String>(0)).optional()?)
        };
        // Slow on purpose: the file is not held meanwhile.
        let is_right = password::is_right(given, kept.as_deref().unwrap_or_else(|| nobodys()));
        let account = found.filter(|a| is_right && !a.is_shut).ok_or(AccountError::Wrong)?;
        let db = self.held();
        db.execute("DELETE FROM half_way WHERE until <= ?1", [now.as_second()])?;
        if !account.has_second_step {
            return Ok(Entered::In(sessions::begin(&db, &account.id, agent, now)?));
        }
        let token = Token::drawn()?;
        db.execute(
            "INSERT INTO half_way (hash, account_id, until) VALUES (?1, ?2, ?3)",
            rusqlite::params![
                hash(token.as_str()),
                account.id.as_str(),
                now.as_second() + CODE_WITHIN.as_secs()
            ],
        )?;
        Ok(Entered::OwesCode(token))
    }

    /// Goes on with the code.
    ///
    /// # Errors
    /// The code is wrong or was taken before, the password was given too long ago, or there were too many tries.
    pub fn give_code(
        &self,
        half_way: &str,
        code: &str,
        (address, agent): (IpAddr, &str),
        now: Timestamp,
    ) -> Result<Token, AccountError> {
        let mut db = self.held();
        let write = db.transaction()?;
        let sql = "SELECT account_id FROM half_way WHERE hash = ?1 AND until > ?2";
        let found: Option<String> = write
            .query_row(sql, rusqlite::params![hash(half_way), now.as_second()], |row| row.get(0))
            .optional()?;
        let account = match found {
            Some(id) => Account::by(&write, "id", &id)?.filter(|a| !a.is_shut),
            None => None,
        };
        let account = account.ok_or(AccountError::Link)?;
        self.tries.one_more(&format!("code {}", account.id), address)?;
        if !second_step::take(&write, &account.id, code, now)? {
            return Err(AccountError::field(
                "code",
                "this code is not right, or was used before; take the next one",
            ));
        }
        write.execute("DELETE FROM half_way WHERE hash = ?1", [hash(half_way)])?;
        let token = sessions::begin(&write, &account.id, agent, now)?;
        write.commit()?;
        Ok(token)
    }
}
