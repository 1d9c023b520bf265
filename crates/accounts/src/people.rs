//! Firms and their people: who they are, what they may do, and what is held on them.

use std::fmt;
use std::str::FromStr;

use jiff::Timestamp;
use rusqlite::{Connection, OptionalExtension, Row, named_params};
use serde::{Deserialize, Serialize};

use crate::{AccountError, Accounts, GuestLink, Session};

/// A firm, by the word that names its file: small letters, digits and dashes.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
pub struct FirmId(String);

/// The longest: a name of a host has 63.
const LONGEST_FIRM: usize = 40;

impl FirmId {
    /// The word.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for FirmId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl FromStr for FirmId {
    type Err = AccountError;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        let is_plain = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-';
        let is_word = !text.is_empty() && text.len() <= LONGEST_FIRM && text.chars().all(is_plain);
        if is_word && !text.starts_with('-') && !text.ends_with('-') {
            Ok(Self(text.to_owned()))
        } else {
            Err(AccountError::field("firm", "a firm is named by small letters, digits and dashes"))
        }
    }
}

/// A firm.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Firm {
    /// Its word.
    pub id: FirmId,
    /// What it is called.
    pub name: String,
}

/// Somebody who signs in.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
pub struct AccountId(pub(crate) String);

impl AccountId {
    pub(crate) fn drawn() -> Self {
        Self(uuid::Uuid::new_v4().to_string())
    }

    /// The id as it is written.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl From<&str> for AccountId {
    fn from(text: &str) -> Self {
        Self(text.to_owned())
    }
}

impl fmt::Display for AccountId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

/// What a person is in their firm.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum FirmRole {
    /// Plans, and says who else may.
    Owner,
    /// Plans.
    Planner,
    /// Puts in, joins and proves.
    Installer,
    /// Does the mains work of the visits on which they are named.
    Electrician,
    /// Looks on.
    Viewer,
}

impl FirmRole {
    /// Each with its words.
    pub const ALL: [(Self, &'static str, &'static str); 5] = [
        (Self::Owner, "owner", "plans, and says who else may come in"),
        (Self::Planner, "planner", "plans, prices and proves"),
        (Self::Installer, "installer", "surveys, works the day and proves; makes no jobs"),
        (Self::Electrician, "electrician", "the visits on which they are named, nothing else"),
        (Self::Viewer, "viewer", "looks on"),
    ];

    /// Its word.
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(role, ..)| *role == self).map_or("", |(_, word, _)| word)
    }
}

impl FromStr for FirmRole {
    type Err = AccountError;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        let found = Self::ALL.iter().find(|(_, word, _)| *word == text);
        found.map(|(role, ..)| *role).ok_or_else(|| AccountError::field("role", "choose a role"))
    }
}

/// What entitles somebody to work on the mains.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct MainsLicence {
    /// As it stands on the licence or in the register.
    pub number: String,
    /// The country that gave it, by its two letters, small.
    pub country: String,
}

/// Somebody who signs in.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Account {
    /// Their id: what they did is theirs by it.
    pub id: AccountId,
    /// Their firm.
    pub firm: FirmId,
    /// What they are called; empty once that was deleted.
    pub name: String,
    /// By what they sign in.
    pub login: String,
    /// What they are in their firm.
    pub role: FirmRole,
    /// Their licence, if one is on record.
    pub licence: Option<MainsLicence>,
    /// Whether they give a code after their password.
    pub has_second_step: bool,
    /// Whether they were shut out.
    pub is_shut: bool,
}

const COLUMNS: &str = "id, firm_id, name, login, role, licence_number, licence_country, \
    second_step IS NOT NULL AS second, shut_at IS NOT NULL AS shut";

impl Account {
    pub(crate) fn of(row: &Row<'_>) -> rusqlite::Result<Self> {
        let text = |column: &str| row.get::<_, String>(column);
        let (number, country) = (text("licence_number")?, text("licence_country")?);
        let role = text("role")?;
        let role = role.parse().map_err(|_| rusqlite::Error::InvalidQuery)?;
        Ok(Self {
            id: AccountId(text("id")?),
            firm: FirmId(text("firm_id")?),
            name: text("name")?,
            login: text("login")?,
            role,
            licence: (!number.is_empty()).then_some(MainsLicence { number, country }),
            has_second_step: row.get("second")?,
            is_shut: row.get("shut")?,
        })
    }

    pub(crate) fn by(
        db: &Connection,
        column: &str,
        value: &str,
    ) -> Result<Option<Self>, AccountError> {
        let sql = format!("SELECT {COLUMNS} FROM account WHERE {column} = ?1");
        Ok(db.prepare_cached(&sql)?.query_row([value], Self::of).optional()?)
    }
}

/// What a name, a login or a licence is once it was read; `field` is where it was typed.
pub(crate) fn read_word(
    field: &'static str,
    text: &str,
    most: usize,
) -> Result<String, AccountError> {
    let text = text.trim();
    if text.is_empty() {
        return Err(AccountError::field(field, "fill this in"));
    }
    if text.chars().count() > most || text.chars().any(|c| c.is_control() || is_turned(c)) {
        return Err(AccountError::field(field, format!("one line of at most {most} characters")));
    }
    Ok(text.to_owned())
}

/// Signs that turn the direction of what follows: a name with them reads as another.
fn is_turned(c: char) -> bool {
    matches!(c, '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}' | '\u{200e}' | '\u{200f}')
}

/// All that is held on a person beside what they did in jobs.
#[derive(Debug, Serialize)]
pub struct HeldOnPerson {
    /// Their id: what they did in jobs is theirs by it.
    pub id: AccountId,
    /// Their firm.
    pub firm: FirmId,
    /// What they are called.
    pub name: String,
    /// By what they sign in.
    pub login: String,
    /// What they are in their firm.
    pub role: FirmRole,
    /// Their licence.
    pub licence: Option<MainsLicence>,
    /// Whether they give a code after their password.
    pub second_step: bool,
    /// Their passkeys.
    pub passkeys: Vec<crate::Passkey>,
    /// Where they are signed in.
    pub sessions: Vec<Session>,
    /// The links that they gave.
    pub links: Vec<GuestLink>,
}

impl Accounts {
    /// All firms, by their words.
    ///
    /// # Errors
    /// The file cannot be read.
    pub fn firms(&self) -> Result<Vec<Firm>, AccountError> {
        let db = self.held();
        let mut query = db.prepare_cached("SELECT id, name FROM firm ORDER BY id")?;
        let rows =
            query.query_map([], |row| Ok(Firm { id: FirmId(row.get(0)?), name: row.get(1)? }))?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// A firm.
    ///
    /// # Errors
    /// The file cannot be read.
    pub fn firm(&self, id: &FirmId) -> Result<Option<Firm>, AccountError> {
        Ok(self.firms()?.into_iter().find(|firm| firm.id == *id))
    }

    /// Makes a firm; its word is made of its name.
    ///
    /// # Errors
    /// It has no name, or it cannot be written.
    pub fn make_firm(&self, name: &str, now: Timestamp) -> Result<Firm, AccountError> {
        let mut db = self.held();
        let write = db.transaction()?;
        let firm = make_firm(&write, name, now)?;
        write.commit()?;
        Ok(firm)
    }

    /// For how many years after its last change a firm keeps a job; 0 for good.
    ///
    /// # Errors
    /// There is no such firm.
    pub fn keep_years(&self, firm: &FirmId) -> Result<u32, AccountError> {
        let read = "SELECT keep_years FROM firm WHERE id = ?1";
        let found = self.held().query_row(read, [firm.as_str()], |row| row.get(0)).optional()?;
        found.ok_or(AccountError::Nobody)
    }

    /// Says how long a firm keeps a job. Nothing is deleted by it: who is an owner is shown what is due.
    ///
    /// # Errors
    /// It is longer than anybody answers for.
    pub fn set_keep_years(&self, firm: &FirmId, years: u32) -> Result<(), AccountError> {
        if years > 50 {
            return Err(AccountError::field(
                "years",
                "50 years are the most; 0 keeps them for good",
            ));
        }
        let set = "UPDATE firm SET keep_years = ?2 WHERE id = ?1";
        self.held().execute(set, rusqlite::params![firm.as_str(), years])?;
        Ok(())
    }

    /// Takes a firm out with its people, sessions and links. Its file is the caller's to delete.
    ///
    /// # Errors
    /// The file cannot be written.
    pub fn delete_firm(&self, firm: &FirmId) -> Result<(), AccountError> {
        self.held().execute("DELETE FROM firm WHERE id = ?1", [firm.as_str()])?;
        Ok(())
    }

    /// The people of a firm, those who may come in first.
    ///
    /// # Errors
    /// The file cannot be read.
    pub fn people(&self, firm: &FirmId) -> Result<Vec<Account>, AccountError> {
        let db = self.held();
        let sql = format!(
            "SELECT {COLUMNS} FROM account WHERE firm_id = ?1 ORDER BY shut_at IS NOT NULL, name, id"
        );
        let mut query = db.prepare_cached(&sql)?;
        let rows = query.query_map([firm.as_str()], Account::of)?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Somebody by what they sign in.
    ///
    /// # Errors
    /// Nobody in that firm does.
    pub fn by_login(&self, firm: &FirmId, login: &str) -> Result<Account, AccountError> {
        let found = Account::by(&self.held(), "login", &login.trim().to_lowercase())?;
        found.filter(|account| account.firm == *firm).ok_or(AccountError::Nobody)
    }

    /// Somebody of a firm; nobody of another.
    ///
    /// # Errors
    /// There is no such person in it.
    pub fn person(&self, firm: &FirmId, id: &AccountId) -> Result<Account, AccountError> {
        of_firm(&self.held(), firm, id)
    }

    /// Gives somebody another role. Their sessions end: what they may do is another from now on.
    ///
    /// # Errors
    /// There is no such person, or the firm would be left without an owner.
    pub fn set_role(
        &self,
        firm: &FirmId,
        id: &AccountId,
        role: FirmRole,
    ) -> Result<(), AccountError> {
        self.change(firm, id, |write, _| {
            write.execute(
                "UPDATE account SET role = ?2 WHERE id = ?1",
                [id.as_str(), role.word()],
            )?;
            write.execute("DELETE FROM session WHERE account_id = ?1", [id.as_str()])?;
            Ok(())
        })
    }

    /// Puts a licence on record, or takes it away where the number is blank.
    ///
    /// # Errors
    /// There is no such person, or a number without a country.
    pub fn set_licence(
        &self,
        firm: &FirmId,
        id: &AccountId,
        number: &str,
        country: &str,
    ) -> Result<(), AccountError> {
        let db = self.held();
        of_firm(&db, firm, id)?;
        let (number, country) = if number.trim().is_empty() {
            (String::new(), String::new())
        } else {
            let country = country.trim().to_lowercase();
            if country.len() != 2 || !country.bytes().all(|b| b.is_ascii_lowercase()) {
                return Err(AccountError::field(
                    "country",
                    "say which country gave it, by its two letters",
                ));
            }
            (read_word("number", number, 60)?, country)
        };
        db.execute(
            "UPDATE account SET licence_number = ?2, licence_country = ?3 WHERE id = ?1",
            [id.as_str(), &number, &country],
        )?;
        Ok(())
    }

    /// Shuts somebody out, at once and on every machine; or lets them in again.
    ///
    /// # Errors
    /// There is no such person, or the firm would be left without an owner.
    pub fn set_shut(
        &self,
        firm: &FirmId,
        id: &AccountId,
        is_shut: bool,
        now: Timestamp,
    ) -> Result<(), AccountError> {
        self.change(firm, id, |write, person| {
            if !is_shut && person.login.is_empty() {
                return Err(AccountError::Nobody);
            }
            let at = is_shut.then_some(now.as_second());
            let set = "UPDATE account SET shut_at = :at WHERE id = :id";
            write.execute(set, named_params! { ":at": at, ":id": id.as_str() })?;
            if is_shut { end_all(write, id) } else { Ok(()) }
        })
    }

    /// Deletes who somebody was: name, login, licence, password and sessions. What they did stays, by an id that leads to
    /// nobody.
    ///
    /// # Errors
    /// There is no such person, or the firm would be left without an owner.
    pub fn delete_name(
        &self,
        firm: &FirmId,
        id: &AccountId,
        now: Timestamp,
    ) -> Result<(), AccountError> {
        self.change(firm, id, |write, _| {
            write.execute(
                "UPDATE account SET name = '', login = '', licence_number = '', licence_country = '', password = '',
                 second_step = NULL, handle = NULL, shut_at = coalesce(shut_at, ?2) WHERE id = ?1",
                rusqlite::params![id.as_str(), now.as_second()],
            )?;
            write.execute("DELETE FROM passkey WHERE account_id = ?1", [id.as_str()])?;
            end_all(write, id)
        })
    }

    /// Changes somebody of a firm, which keeps an owner: all of it or nothing.
    fn change(
        &self,
        firm: &FirmId,
        id: &AccountId,
        alter: impl FnOnce(&Connection, &Account) -> Result<(), AccountError>,
    ) -> Result<(), AccountError> {
        let mut db = self.held();
        let write = db.transaction()?;
        alter(&write, &of_firm(&write, firm, id)?)?;
        has_owner(&write, firm)?;
        Ok(write.commit()?)
    }

    /// All that is held on a person here.
    ///
    /// # Errors
    /// There is no such person.
    pub fn held_on(&self, firm: &FirmId, id: &AccountId) -> Result<HeldOnPerson, AccountError> {
        let Account { id, firm, name, login, role, licence, has_second_step, .. } =
            self.person(firm, id)?;
        let (sessions, links) = (self.sessions(&id)?, self.links_by(&firm, &id)?);
        let (second_step, passkeys) = (has_second_step, self.passkeys(&id)?);
        Ok(HeldOnPerson {
            id,
            firm,
            name,
            login,
            role,
            licence,
            second_step,
            passkeys,
            sessions,
            links,
        })
    }
}

/// Ends every session and every link to a new password.
pub(crate) fn end_all(db: &Connection, id: &AccountId) -> Result<(), AccountError> {
    for table in ["session", "invite", "half_way"] {
        db.execute(&format!("DELETE FROM {table} WHERE account_id = ?1"), [id.as_str()])?;
    }
    Ok(())
}

pub(crate) fn of_firm(
    db: &Connection,
    firm: &FirmId,
    id: &AccountId,
) -> Result<Account, AccountError> {
    let found = Account::by(db, "id", id.as_str())?;
    found.filter(|account| account.firm == *firm).ok_or(AccountError::Nobody)
}

/// Refuses what would leave a firm that nobody can let anybody into.
fn has_owner(db: &Connection, firm: &FirmId) -> Result<(), AccountError> {
    let count =
        "SELECT count(*) FROM account WHERE firm_id = ?1 AND role = 'owner' AND shut_at IS NULL";
    if db.query_row(count, [firm.as_str()], |row| row.get::<_, u32>(0))? == 0 {
        return Err(AccountError::field(
            "role",
            "a firm keeps an owner: make somebody else one first",
        ));
    }
    Ok(())
}

pub(crate) fn make_firm(db: &Connection, name: &str, now: Timestamp) -> Result<Firm, AccountError> {
    let name = read_word("firm", name, 80)?;
    let mut stem: String = slug::slugify(&name).chars().take(LONGEST_FIRM - 4).collect();
    stem = stem.trim_matches('-').to_owned();
    if stem.is_empty() {
        "firm".clone_into(&mut stem);
    }
    let is_taken = |id: &str| {
        let count = "SELECT count(*) FROM firm WHERE id = ?1";
        db.query_row(count, [id], |row| row.get::<_, u32>(0)).map(|n| n > 0)
    };
    let (mut id, mut n) = (stem.clone(), 2);
    while is_taken(&id)? {
        id = format!("{stem}-{n}");
        n += 1;
    }
    let id: FirmId = id.parse()?;
    db.execute(
        "INSERT INTO firm (id, name, made_at) VALUES (?1, ?2, ?3)",
        rusqlite::params![id.as_str(), name, now.as_second()],
    )?;
    Ok(Firm { id, name })
}
