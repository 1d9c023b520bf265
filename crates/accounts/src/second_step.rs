//! A second step: six digits that an authenticator tells, by the clock (RFC 6238).

use jiff::Timestamp;
use rusqlite::{Connection, OptionalExtension};
use totp_rs::{Algorithm, Builder, Secret, Totp};

use crate::{Account, AccountError, AccountId, Accounts, password};

/// Seconds that one code is good.
const STEP: u64 = 30;

/// A secret that an authenticator takes in; it counts once a code of it was given.
#[derive(Clone)]
pub struct NewSecondStep {
    /// To type: letters and digits.
    pub secret: String,
    /// To scan.
    pub address: String,
}

impl std::fmt::Debug for NewSecondStep {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        // Never in a log.
        f.write_str("NewSecondStep(…)")
    }
}

fn clock(secret: Secret, login: &str) -> Result<Totp, AccountError> {
    let plain: String = login.chars().filter(|c| *c != ':').collect();
    let clock = Builder::new()
        .with_algorithm(Algorithm::SHA1)
        .with_digits(6)
        .with_skew(1)
        .with_step_duration(STEP)
        .with_secret(secret)
        .with_account_name(plain)
        .with_issuer(Some("Dot Reach".to_owned()));
    clock.build().map_err(|e| AccountError::Chance(e.to_string()))
}

impl Accounts {
    /// A secret for somebody; nothing is kept yet.
    ///
    /// # Errors
    /// The system draws no chance.
    pub fn new_second_step(&self, of: &Account) -> Result<NewSecondStep, AccountError> {
        let secret = Secret::generate();
        let told = secret.to_base32();
        let address =
            clock(secret, &of.login)?.to_url().map_err(|e| AccountError::Chance(e.to_string()))?;
        Ok(NewSecondStep { secret: told, address })
    }

    /// Keeps a secret once a code of it was given. The password is asked for: who only found the phone open, sets nothing.
    ///
    /// # Errors
    /// Code or password is not right.
    pub fn keep_second_step(
        &self,
        of: &Account,
        (secret, code): (&str, &str),
        given: &str,
        now: Timestamp,
    ) -> Result<(), AccountError> {
        self.is_password_of(of, given)?;
        let read = || {
            Secret::try_from_base32(secret).map_err(|_| AccountError::field("code", "begin anew"))
        };
        let at = u64::try_from(now.as_second()).unwrap_or(0);
        let Some(step) = clock(read()?, &of.login)?.check(code.trim(), at) else {
            return Err(AccountError::field(
                "code",
                "this code is not right: the clock of the phone must be, and the code is good for half a minute",
            ));
        };
        let step = i64::try_from(step).unwrap_or(0);
        self.held().execute(
            "UPDATE account SET second_step = ?2, last_code_at = ?3 WHERE id = ?1",
            rusqlite::params![of.id.as_str(), read()?.as_ref(), step],
        )?;
        Ok(())
    }

    /// Gives the second step up.
    ///
    /// # Errors
    /// The password is not right.
    pub fn end_second_step(&self, of: &Account, given: &str) -> Result<(), AccountError> {
        self.is_password_of(of, given)?;
        self.held()
            .execute("UPDATE account SET second_step = NULL WHERE id = ?1", [of.id.as_str()])?;
        Ok(())
    }

    /// Sets a new password; every other session ends.
    ///
    /// # Errors
    /// The old one is not right, or the new one will not do.
    pub fn set_password(
        &self,
        of: &Account,
        given: &str,
        new: &str,
        but: &crate::SessionId,
    ) -> Result<(), AccountError> {
        self.is_password_of(of, given)?;
        let firm = self.firm(&of.firm)?.map(|f| f.name).unwrap_or_default();
        password::check(new, &[&of.name, &of.login, &firm])?;
        let kept = password::kept(new)?;
        self.held()
            .execute("UPDATE account SET password = ?2 WHERE id = ?1", [of.id.as_str(), &kept])?;
        self.end_sessions(&of.id, Some(but))
    }

    pub(crate) fn is_password_of(&self, of: &Account, given: &str) -> Result<(), AccountError> {
        self.slow_down(&of.id)?;
        let kept: String = self.held().query_row(
            "SELECT password FROM account WHERE id = ?1",
            [of.id.as_str()],
            |row| row.get(0),
        )?;
        if password::is_right(given, &kept) {
            Ok(())
        } else {
            Err(AccountError::field("given", "this is not your password"))
        }
    }
}

/// Takes a code, each of them once.
pub(crate) fn take(
    db: &Connection,
    id: &AccountId,
    code: &str,
    now: Timestamp,
) -> Result<bool, AccountError> {
    let sql = "SELECT second_step, last_code_at, login FROM account WHERE id = ?1 AND second_step IS NOT NULL";
    let found: Option<(Vec<u8>, i64, String)> = db
        .query_row(sql, [id.as_str()], |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)))
        .optional()?;
    let Some((secret, last, login)) = found else { return Ok(false) };
    let at = u64::try_from(now.as_second()).unwrap_or(0);
    let Some(step) = clock(Secret::from(secret), &login)?.check(code.trim(), at) else {
        return Ok(false);
    };
    let step = i64::try_from(step).unwrap_or(0);
    if step <= last {
        return Ok(false);
    }
    let set = "UPDATE account SET last_code_at = ?2 WHERE id = ?1";
    db.execute(set, rusqlite::params![id.as_str(), step])?;
    Ok(true)
}
