//! Links for people without an account: a client, an electrician of one visit, another integrator. Each names a job, ends,
//! can be ended, and counts.

use std::fmt;
use std::str::FromStr;

use jiff::{SignedDuration, Timestamp};
use rusqlite::{OptionalExtension, Row, named_params};
use serde::Serialize;

use crate::people::read_word;
use crate::token::hash;
use crate::{AccountError, AccountId, Accounts, FirmId, Token};

/// How long one is good at the most.
const LONGEST: SignedDuration = SignedDuration::from_hours(180 * 24);

/// What a link is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum LinkScope {
    /// Handover, agreements and sign-off.
    Client,
    /// The wiring sheet of one visit.
    Electrician,
    /// The job as a file.
    Integrator,
}

impl LinkScope {
    /// Each with its word and what it shows.
    pub const ALL: [(Self, &'static str, &'static str); 3] = [
        (Self::Client, "client", "handover, agreements and sign-off"),
        (Self::Electrician, "electrician", "the wiring sheet of one visit"),
        (Self::Integrator, "integrator", "the job as a file"),
    ];

    /// Its word.
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(scope, ..)| *scope == self).map_or("", |(_, word, _)| word)
    }
}

impl FromStr for LinkScope {
    type Err = AccountError;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        let found = Self::ALL.iter().find(|(_, word, _)| *word == text);
        found
            .map(|(scope, ..)| *scope)
            .ok_or_else(|| AccountError::field("scope", "choose whom it is for"))
    }
}

/// A link, by what it is told apart; this opens nothing.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct LinkId(String);

impl fmt::Display for LinkId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl From<&str> for LinkId {
    fn from(text: &str) -> Self {
        Self(text.to_owned())
    }
}

/// A link that was given.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct GuestLink {
    /// Which.
    pub id: LinkId,
    /// The firm.
    pub firm: FirmId,
    /// Who gave it.
    pub made_by: AccountId,
    /// The job, by the id that it has everywhere.
    pub job: String,
    /// What it is for.
    pub scope: LinkScope,
    /// The visit, by its key; empty but for an electrician.
    pub visit: String,
    /// For whom.
    pub name: String,
    /// When it was given.
    pub made: Timestamp,
    /// Until when it is good.
    pub until: Timestamp,
    /// When it was ended before that.
    pub ended: Option<Timestamp>,
    /// How often it was followed.
    pub uses: u32,
    /// When last.
    pub used: Option<Timestamp>,
}

const COLUMNS: &str =
    "id, firm_id, made_by, job, scope, visit, name, made_at, until, ended_at, uses, used_at";

impl GuestLink {
    fn of(row: &Row<'_>) -> rusqlite::Result<Self> {
        let broken = |_| rusqlite::Error::InvalidQuery;
        let moment = |seconds: i64| Timestamp::from_second(seconds).unwrap_or_default();
        let at = |column: &str| row.get::<_, i64>(column).map(moment);
        let maybe = |column: &str| row.get::<_, Option<i64>>(column).map(|at| at.map(moment));
        Ok(Self {
            id: LinkId(row.get("id")?),
            firm: row.get::<_, String>("firm_id")?.parse().map_err(broken)?,
            made_by: AccountId(row.get("made_by")?),
            job: row.get("job")?,
            scope: row.get::<_, String>("scope")?.parse().map_err(broken)?,
            visit: row.get("visit")?,
            name: row.get("name")?,
            made: at("made_at")?,
            until: at("until")?,
            ended: maybe("ended_at")?,
            uses: row.get("uses")?,
            used: maybe("used_at")?,
        })
    }

    /// Whether it opens anything.
    pub fn is_good(&self, now: Timestamp) -> bool {
        self.ended.is_none() && self.until > now
    }
}

impl Accounts {
    /// Gives a link to a job.
    ///
    /// # Errors
    /// It is for nobody, of no visit where it needs one, or longer than half a year.
    pub fn give_link(
        &self,
        (firm, by): (&FirmId, &AccountId),
        (job, scope, visit): (&str, LinkScope, &str),
        name: &str,
        until: Timestamp,
        now: Timestamp,
    ) -> Result<Token, AccountError> {
        let name = read_word("name", name, 60)?;
        let visit = if scope == LinkScope::Electrician {
            read_word("visit", visit, 60)?
        } else {
            String::new()
        };
        if until <= now || until.as_second() - now.as_second() > LONGEST.as_secs() {
            return Err(AccountError::field("days", "from 1 to 180 days"));
        }
        let token = Token::drawn()?;
        self.held().execute(
            "INSERT INTO link (id, hash, firm_id, made_by, job, scope, visit, name, made_at, until)
             VALUES (:id, :hash, :firm, :by, :job, :scope, :visit, :name, :now, :until)",
            named_params! {
                ":id": uuid::Uuid::new_v4().to_string(), ":hash": hash(token.as_str()),
                ":firm": firm.as_str(), ":by": by.as_str(), ":job": job, ":scope": scope.word(),
                ":visit": visit, ":name": name, ":now": now.as_second(), ":until": until.as_second(),
            },
        )?;
        Ok(token)
    }

    /// What a link opens, if it opens anything.
    ///
    /// # Errors
    /// The file cannot be read.
    pub fn link(&self, token: &str, now: Timestamp) -> Result<Option<GuestLink>, AccountError> {
        let sql = format!("SELECT {COLUMNS} FROM link WHERE hash = ?1");
        let found = self.held().query_row(&sql, [hash(token)], GuestLink::of).optional()?;
        Ok(found.filter(|link| link.is_good(now)))
    }

    /// Counts that a link was followed, and gives it as it stood before.
    ///
    /// # Errors
    /// It opens nothing any longer.
    pub fn follow_link(&self, token: &str, now: Timestamp) -> Result<GuestLink, AccountError> {
        let link = self.link(token, now)?.ok_or(AccountError::Link)?;
        let count = "UPDATE link SET uses = uses + 1, used_at = ?2 WHERE hash = ?1";
        self.held().execute(count, rusqlite::params![hash(token), now.as_second()])?;
        Ok(link)
    }

    /// The links to a job, the newest first.
    ///
    /// # Errors
    /// The file cannot be read.
    pub fn links_of(&self, firm: &FirmId, job: &str) -> Result<Vec<GuestLink>, AccountError> {
        self.links("firm_id = ?1 AND job = ?2", [firm.as_str(), job])
    }

    pub(crate) fn links_by(
        &self,
        firm: &FirmId,
        by: &AccountId,
    ) -> Result<Vec<GuestLink>, AccountError> {
        self.links("firm_id = ?1 AND made_by = ?2", [firm.as_str(), by.as_str()])
    }

    fn links(&self, which: &str, values: [&str; 2]) -> Result<Vec<GuestLink>, AccountError> {
        let db = self.held();
        let sql = format!("SELECT {COLUMNS} FROM link WHERE {which} ORDER BY made_at DESC, id");
        let mut query = db.prepare_cached(&sql)?;
        let rows = query.query_map(values, GuestLink::of)?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Ends a link of a job.
    ///
    /// # Errors
    /// The file cannot be written.
    pub fn end_link(
        &self,
        firm: &FirmId,
        job: &str,
        id: &LinkId,
        now: Timestamp,
    ) -> Result<(), AccountError> {
        self.held().execute(
            "UPDATE link SET ended_at = ?4 WHERE firm_id = ?1 AND job = ?2 AND id = ?3 AND ended_at IS NULL",
            rusqlite::params![firm.as_str(), job, id.0, now.as_second()],
        )?;
        Ok(())
    }

    /// Takes the links to a job out with it.
    ///
    /// # Errors
    /// The file cannot be written.
    pub fn delete_links(&self, firm: &FirmId, job: &str) -> Result<(), AccountError> {
        let gone = "DELETE FROM link WHERE firm_id = ?1 AND job = ?2";
        self.held().execute(gone, [firm.as_str(), job])?;
        Ok(())
    }
}
