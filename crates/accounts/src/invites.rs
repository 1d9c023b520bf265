//! Links that make an account, or that let one choose a new password. Each works once, and not for long.

use base64::Engine;
use base64::engine::general_purpose::URL_SAFE_NO_PAD;
use jiff::{SignedDuration, Timestamp};
use rusqlite::{Connection, OptionalExtension, named_params};

use crate::people::{end_all, make_firm, of_firm, read_word};
use crate::token::hash;
use crate::{Account, AccountError, AccountId, Accounts, Firm, FirmId, FirmRole, Token, password};

/// How long a link to an account is good.
const GOOD_FOR: SignedDuration = SignedDuration::from_hours(7 * 24);
/// How long one to a new password, or to a server that has no firm yet.
const SHORT: SignedDuration = SignedDuration::from_hours(24);

/// What a link is for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Invited {
    /// The firm; nothing where the link makes the first one.
    pub firm: Option<Firm>,
    /// What they will be there.
    pub role: FirmRole,
    /// What they are called, where whoever invited them said so.
    pub name: String,
    /// By what they sign in already, where they choose a new password.
    pub login: Option<String>,
}

/// A link to an account that nobody has followed yet.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OpenInvite {
    /// By what it is ended; it opens nothing.
    pub id: String,
    /// For whom, where that was said.
    pub name: String,
    /// What they will be.
    pub role: FirmRole,
    /// Until when it is good.
    pub until: Timestamp,
    /// Whether somebody chooses a new password by it.
    pub is_reset: bool,
}

/// What somebody fills in who follows a link.
#[derive(Clone, Debug, Default)]
pub struct NewPerson {
    /// The firm's name, where the link makes one.
    pub firm: String,
    /// Their name, for the journal.
    pub name: String,
    /// By what they will sign in.
    pub login: String,
    /// Their password.
    pub password: String,
}

impl Accounts {
    /// The link that makes the first firm and its owner; nothing where there is a firm already. The one given before opens
    /// nothing any longer.
    ///
    /// # Errors
    /// The file cannot be written.
    pub fn first_link(&self, now: Timestamp) -> Result<Option<Token>, AccountError> {
        if !self.firms()?.is_empty() {
            return Ok(None);
        }
        let mut db = self.held();
        let write = db.transaction()?;
        write.execute("DELETE FROM invite WHERE firm_id IS NULL", [])?;
        let token = invite(&write, &Row { role: FirmRole::Owner, ..Row::default() }, now, SHORT)?;
        write.commit()?;
        Ok(Some(token))
    }

    /// A link that makes somebody a person of a firm.
    ///
    /// # Errors
    /// There is no such firm.
    pub fn invite(
        &self,
        firm: &FirmId,
        role: FirmRole,
        name: &str,
        now: Timestamp,
    ) -> Result<Token, AccountError> {
        let name =
            if name.trim().is_empty() { String::new() } else { read_word("name", name, 60)? };
        let row = Row { firm: Some(firm.as_str()), role, name: &name, account: None };
        invite(&self.held(), &row, now, GOOD_FOR)
    }

    /// A link by which somebody chooses a new password. Their second step and their passkeys go with the old one.
    ///
    /// # Errors
    /// There is no such person in that firm, or they were shut out.
    pub fn reset(
        &self,
        firm: &FirmId,
        id: &AccountId,
        now: Timestamp,
    ) -> Result<Token, AccountError> {
        let mut db = self.held();
        let write = db.transaction()?;
        let person = of_firm(&write, firm, id)?;
        if person.is_shut || person.login.is_empty() {
            return Err(AccountError::Nobody);
        }
        write.execute("DELETE FROM invite WHERE account_id = ?1", [id.as_str()])?;
        let (role, name) = (person.role, person.name.as_str());
        let row = Row { firm: Some(firm.as_str()), role, name, account: Some(id.as_str()) };
        let token = invite(&write, &row, now, SHORT)?;
        write.commit()?;
        Ok(token)
    }

    /// Links of a firm that are good and that nobody has followed, the one that ends first foremost.
    ///
    /// # Errors
    /// The file cannot be read.
    pub fn open_invites(
        &self,
        firm: &FirmId,
        now: Timestamp,
    ) -> Result<Vec<OpenInvite>, AccountError> {
        let db = self.held();
        let mut read = db.prepare(
            "SELECT hash, name, role, until, account_id IS NOT NULL FROM invite
             WHERE firm_id = ?1 AND until > ?2 ORDER BY until, made_at",
        )?;
        let rows = read.query_map(rusqlite::params![firm.as_str(), now.as_second()], |row| {
            let role: String = row.get(2)?;
            Ok((row.get::<_, Vec<u8>>(0)?, row.get(1)?, role, row.get(3)?, row.get(4)?))
        })?;
        rows.map(|row| {
            let (hash, name, role, until, is_reset): (_, _, _, i64, _) = row?;
            let until = Timestamp::from_second(until).unwrap_or_default();
            let id = URL_SAFE_NO_PAD.encode(hash);
            Ok(OpenInvite { id, name, role: role.parse()?, until, is_reset })
        })
        .collect()
    }

    /// Takes a link of a firm back: it opens nothing any longer.
    ///
    /// # Errors
    /// There is no such link of that firm, or it was followed meanwhile.
    pub fn end_invite(&self, firm: &FirmId, id: &str) -> Result<(), AccountError> {
        let hash = URL_SAFE_NO_PAD.decode(id).map_err(|_| AccountError::Link)?;
        let gone = "DELETE FROM invite WHERE hash = ?1 AND firm_id = ?2";
        match self.held().execute(gone, rusqlite::params![hash, firm.as_str()])? {
            0 => Err(AccountError::Link),
            _ => Ok(()),
        }
    }

    /// What a link is for.
    ///
    /// # Errors
    /// It opens nothing.
    pub fn invited(&self, token: &str, now: Timestamp) -> Result<Invited, AccountError> {
        let (firm, role, name, account) = row(&self.held(), token, now)?;
        let login = match account {
            Some(id) => Account::by(&self.held(), "id", &id)?.map(|a| a.login),
            None => None,
        };
        let firm = match firm {
            Some(id) => Some(self.firm(&id)?.ok_or(AccountError::Link)?),
            None => None,
        };
        Ok(Invited { firm, role, name, login })
    }

    /// Takes a link: makes the account, and the firm where it makes one; or sets the new password. It opens nothing any
    /// longer.
    ///
    /// # Errors
    /// The link opens nothing, or what was filled in will not do; then the link is good as before.
    pub fn take_invite(
        &self,
        token: &str,
        filled: &NewPerson,
        now: Timestamp,
    ) -> Result<Account, AccountError> {
        let Invited { firm, login, .. } = self.invited(token, now)?;
        let firm_name = firm.as_ref().map_or(filled.firm.as_str(), |f| f.name.as_str());
        let beside = [firm_name, filled.name.as_str(), login.as_deref().unwrap_or(&filled.login)];
        password::check(&filled.password, &beside)?;
        // Slow on purpose, and therefore before the file is held.
        let kept = password::kept(&filled.password)?;
        let mut db = self.held();
        let write = db.transaction()?;
        let (firm, role, _, account) = row(&write, token, now)?;
        let id = if let Some(id) = account {
            let id = AccountId(id);
            let set = "UPDATE account SET password = ?2, second_step = NULL WHERE id = ?1";
            write.execute(set, [id.as_str(), &kept])?;
            // Whoever had the account before comes in by no passkey of theirs either.
            write.execute("DELETE FROM passkey WHERE account_id = ?1", [id.as_str()])?;
            end_all(&write, &id)?;
            id
        } else {
            let firm = match firm {
                Some(firm) => firm,
                None => make_firm(&write, &filled.firm, now)?.id,
            };
            add(&write, &firm, role, filled, &kept, now)?
        };
        write.execute("DELETE FROM invite WHERE hash = ?1", [hash(token)])?;
        let made = Account::by(&write, "id", id.as_str())?.ok_or(AccountError::Nobody)?;
        write.commit()?;
        Ok(made)
    }
}

#[derive(Clone, Copy)]
struct Row<'a> {
    firm: Option<&'a str>,
    role: FirmRole,
    name: &'a str,
    account: Option<&'a str>,
}

impl Default for Row<'_> {
    fn default() -> Self {
        Self { firm: None, role: FirmRole::Owner, name: "", account: None }
    }
}

fn invite(
    db: &Connection,
    row: &Row<'_>,
    now: Timestamp,
    good: SignedDuration,
) -> Result<Token, AccountError> {
    let token = Token::drawn()?;
    db.execute("DELETE FROM invite WHERE until <= ?1", [now.as_second()])?;
    db.execute(
        "INSERT INTO invite (hash, firm_id, role, name, account_id, made_at, until)
         VALUES (:hash, :firm, :role, :name, :account, :now, :until)",
        named_params! {
            ":hash": hash(token.as_str()), ":firm": row.firm, ":role": row.role.word(), ":name": row.name,
            ":account": row.account, ":now": now.as_second(), ":until": now.as_second() + good.as_secs(),
        },
    )?;
    Ok(token)
}

type Found = (Option<FirmId>, FirmRole, String, Option<String>);

fn row(db: &Connection, token: &str, now: Timestamp) -> Result<Found, AccountError> {
    let sql = "SELECT firm_id, role, name, account_id FROM invite WHERE hash = ?1 AND until > ?2";
    let found = db
        .query_row(sql, rusqlite::params![hash(token), now.as_second()], |row| {
            let texts: (Option<String>, String) = (row.get(0)?, row.get(1)?);
            Ok((texts, row.get(2)?, row.get(3)?))
        })
        .optional()?;
    let ((firm, role), name, account) = found.ok_or(AccountError::Link)?;
    Ok((firm.map(|firm| firm.parse()).transpose()?, role.parse()?, name, account))
}

fn add(
    db: &Connection,
    firm: &FirmId,
    role: FirmRole,
    filled: &NewPerson,
    password: &str,
    now: Timestamp,
) -> Result<AccountId, AccountError> {
    let name = read_word("name", &filled.name, 60)?;
    let login = read_word("login", &filled.login, 120)?.to_lowercase();
    if login.chars().any(char::is_whitespace) {
        return Err(AccountError::field("login", "a mail address, or a word without spaces"));
    }
    if Account::by(db, "login", &login)?.is_some() {
        return Err(AccountError::field(
            "login",
            "somebody signs in by this already; take another",
        ));
    }
    let id = AccountId::drawn();
    db.execute(
        "INSERT INTO account (id, firm_id, name, login, role, password, made_at)
         VALUES (:id, :firm, :name, :login, :role, :password, :now)",
        named_params! {
            ":id": id.as_str(), ":firm": firm.as_str(), ":name": name, ":login": login, ":role": role.word(),
            ":password": password, ":now": now.as_second(),
        },
    )?;
    Ok(id)
}
