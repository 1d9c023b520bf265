//! Who is signed in: by a word in a cookie, of which a hash is kept. A session ends when it lies idle, when it is old, when
//! its person says so, and when they are shut out, given another role or another password.

use std::fmt;

use jiff::{SignedDuration, Timestamp};
use rusqlite::{Connection, OptionalExtension, named_params};
use serde::Serialize;

use crate::token::hash;
use crate::{Account, AccountError, AccountId, Accounts, Token};

/// How long one may lie idle: a long weekend.
pub const IDLE: SignedDuration = SignedDuration::from_hours(4 * 24);
/// How long one lasts at the most.
pub const LONGEST: SignedDuration = SignedDuration::from_hours(30 * 24);
/// After how long it gets another word. The old one is good until the new one was seen: an answer can be lost in a cellar.
const RENEWED_AFTER: SignedDuration = SignedDuration::from_hours(1);
/// How long the old word is good beside the new one: requests that were under way.
const BOTH_FOR: SignedDuration = SignedDuration::from_secs(60);
/// How often it is written down that one is in use.
const NOTED_EVERY: SignedDuration = SignedDuration::from_secs(60);
/// How many one person has; the one that lay idle longest ends.
const MOST: u32 = 20;

/// A session; what is told of it opens nothing.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct SessionId(pub(crate) String);

impl fmt::Display for SessionId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl From<&str> for SessionId {
    fn from(text: &str) -> Self {
        Self(text.to_owned())
    }
}

/// Where somebody is signed in.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Session {
    /// Which.
    pub id: SessionId,
    /// Since when.
    pub since: Timestamp,
    /// When it was last used.
    pub used: Timestamp,
    /// What the browser calls itself.
    pub agent: String,
}

/// Somebody who is signed in.
#[derive(Clone, Debug)]
pub struct SignedIn {
    /// Who.
    pub account: Account,
    /// By which session.
    pub session: SessionId,
    /// The word that the session has from now on, where it got another.
    pub renewed: Option<Token>,
}

/// Id, person, whether by the newest word, whether the one before is good, begun, used, renewed.
type Found = (String, String, bool, bool, i64, i64, i64);

impl Accounts {
    /// Who holds this word, if anybody does and still may.
    ///
    /// # Errors
    /// The file cannot be read.
    pub fn signed_in(&self, token: &str, now: Timestamp) -> Result<Option<SignedIn>, AccountError> {
        let db = self.held();
        let mut query = db.prepare_cached(
            "SELECT id, account_id, hash = ?1 AS is_new, hash_before IS NOT NULL AS has_before, made_at, used_at, renewed_at
             FROM session WHERE hash = ?1 OR hash_before = ?1",
        )?;
        let found: Option<Found> = query
            .query_row([hash(token)], |r| {
                Ok((r.get(0)?, r.get(1)?, r.get(2)?, r.get(3)?, r.get(4)?, r.get(5)?, r.get(6)?))
            })
            .optional()?;
        let Some((id, account, is_new, has_before, made, used, renewed_at)) = found else {
            return Ok(None);
        };
        let now = now.as_second();
        if now - used > IDLE.as_secs() || now - made > LONGEST.as_secs() {
            db.execute("DELETE FROM session WHERE id = ?1", [&id])?;
            return Ok(None);
        }
        let account = Account::by(&db, "id", &account)?.filter(|a| !a.is_shut);
        let Some(account) = account else { return Ok(None) };
        if is_new && has_before && now - renewed_at > BOTH_FOR.as_secs() {
            db.execute("UPDATE session SET hash_before = NULL WHERE id = ?1", [&id])?;
        }
        let mut renewed = None;
        // With the old word in hand, the new one never arrived: it gets yet another.
        let is_lost = !is_new && now - renewed_at > BOTH_FOR.as_secs();
        if is_lost || (is_new && now - renewed_at > RENEWED_AFTER.as_secs()) {
            let next = Token::drawn()?;
            let set =
                "UPDATE session SET hash_before = ?2, hash = ?3, renewed_at = ?4 WHERE id = ?1";
            db.execute(set, rusqlite::params![id, hash(token), hash(next.as_str()), now])?;
            renewed = Some(next);
        }
        if now - used >= NOTED_EVERY.as_secs() {
            db.execute(
                "UPDATE session SET used_at = ?2 WHERE id = ?1",
                rusqlite::params![id, now],
            )?;
        }
        Ok(Some(SignedIn { account, session: SessionId(id), renewed }))
    }

    /// Where a person is signed in, what was used last first.
    ///
    /// # Errors
    /// The file cannot be read.
    pub fn sessions(&self, of: &AccountId) -> Result<Vec<Session>, AccountError> {
        let db = self.held();
        let mut query = db.prepare_cached(
            "SELECT id, made_at, used_at, agent FROM session WHERE account_id = ?1 ORDER BY used_at DESC, id",
        )?;
        let moment = |seconds: i64| Timestamp::from_second(seconds).unwrap_or_default();
        let rows = query.query_map([of.as_str()], |row| {
            Ok(Session {
                id: SessionId(row.get(0)?),
                since: moment(row.get(1)?),
                used: moment(row.get(2)?),
                agent: row.get(3)?,
            })
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Ends a session of a person.
    ///
    /// # Errors
    /// The file cannot be written.
    pub fn end_session(&self, of: &AccountId, session: &SessionId) -> Result<(), AccountError> {
        let end = "DELETE FROM session WHERE account_id = ?1 AND id = ?2";
        self.held().execute(end, [of.as_str(), &session.0])?;
        Ok(())
    }

    /// Ends all sessions of a person, but for one where it is named.
    ///
    /// # Errors
    /// The file cannot be written.
    pub fn end_sessions(
        &self,
        of: &AccountId,
        but: Option<&SessionId>,
    ) -> Result<(), AccountError> {
        let but = but.map_or("", |s| s.0.as_str());
        let end = "DELETE FROM session WHERE account_id = ?1 AND id <> ?2";
        self.held().execute(end, [of.as_str(), but])?;
        Ok(())
    }
}

/// Begins one: always with a new word, whatever the browser brought along.
pub(crate) fn begin(
    db: &Connection,
    account: &AccountId,
    agent: &str,
    now: Timestamp,
) -> Result<Token, AccountError> {
    let token = Token::drawn()?;
    let agent: String = agent.chars().filter(|c| !c.is_control()).take(200).collect();
    db.execute(
        "INSERT INTO session (id, account_id, hash, made_at, used_at, renewed_at, agent)
         VALUES (:id, :account, :hash, :now, :now, :now, :agent)",
        named_params! {
            ":id": uuid::Uuid::new_v4().to_string(), ":account": account.as_str(),
            ":hash": hash(token.as_str()), ":now": now.as_second(), ":agent": agent,
        },
    )?;
    db.execute(
        "DELETE FROM session WHERE account_id = ?1 AND id NOT IN
         (SELECT id FROM session WHERE account_id = ?1 ORDER BY used_at DESC, rowid DESC LIMIT ?2)",
        rusqlite::params![account.as_str(), MOST],
    )?;
    Ok(token)
}
