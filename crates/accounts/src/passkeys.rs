//! Passkeys: a key that stays on somebody's machine, unlocked there, stands for password and code (Web Authentication,
//! level 3). It is bound to the name of this server: a page under another name gets no signature that is good here.

use std::net::IpAddr;
use std::sync::{Mutex, MutexGuard, PoisonError};

use base64::Engine;
use base64::engine::general_purpose::URL_SAFE_NO_PAD;
use jiff::Timestamp;
use rusqlite::{Connection, OptionalExtension, params};
use webauthn_rp::bin::{Decode, Encode};
use webauthn_rp::request::auth::AuthenticationVerificationOptions;
use webauthn_rp::request::register::{
    CredProtect, PublicKeyCredentialUserEntity, RegistrationVerificationOptions,
    USER_HANDLE_MAX_LEN, UserHandle64, Username,
};
use webauthn_rp::request::{
    AsciiDomain, FixedCapHashSet, InsertResult, PublicKeyCredentialDescriptor, RpId,
};
use webauthn_rp::response::register::{CompressedPubKey, DynamicState, StaticState};
use webauthn_rp::response::{AuthTransports, CredentialId};
use webauthn_rp::{
    AuthenticatedCredential, DiscoverableAuthentication64, DiscoverableAuthenticationServerState,
    DiscoverableCredentialRequestOptions, PublicKeyCredentialCreationOptions, Registration,
    RegistrationServerState,
};

use crate::people::read_word;
use crate::{Account, AccountError, AccountId, Accounts, Token, sessions};

/// Under what name this server was asked: a passkey is good under that alone.
#[derive(Clone, Debug)]
pub struct ServerName {
    /// The name, without port.
    pub host: String,
    /// With scheme and port, as a browser tells where a page is from.
    pub origin: String,
}

impl ServerName {
    fn id(&self) -> Result<RpId, AccountError> {
        let is_number = self.host.parse::<IpAddr>().is_ok();
        let name = AsciiDomain::try_from(self.host.clone()).ok().filter(|_| !is_number);
        name.map(RpId::Domain)
            .ok_or_else(|| AccountError::field("passkey", "a passkey needs a server with a name"))
    }
}

/// One of somebody's.
#[derive(Clone, Debug, PartialEq, Eq, serde::Serialize)]
pub struct Passkey {
    /// Its id.
    pub id: String,
    /// What its person calls it.
    pub name: String,
    /// Since when.
    pub since: Timestamp,
    /// When somebody last came in by it.
    pub used: Option<Timestamp>,
}

/// Questions that were put to machines and not answered yet. They end after five minutes; a server that starts anew has none.
pub(crate) struct OpenQuestions {
    new: Mutex<FixedCapHashSet<RegistrationServerState<USER_HANDLE_MAX_LEN>>>,
    to_come_in: Mutex<FixedCapHashSet<DiscoverableAuthenticationServerState>>,
}

/// A public key as it is kept.
type Key = CompressedPubKey<[u8; 32], [u8; 32], [u8; 48], Vec<u8>>;

/// So many at a time.
const MOST: usize = 4096;

impl Default for OpenQuestions {
    fn default() -> Self {
        Self {
            new: Mutex::new(FixedCapHashSet::new(MOST)),
            to_come_in: Mutex::new(FixedCapHashSet::new(MOST)),
        }
    }
}

impl std::fmt::Debug for OpenQuestions {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("OpenQuestions(…)")
    }
}

fn held<T>(of: &Mutex<T>) -> MutexGuard<'_, T> {
    of.lock().unwrap_or_else(PoisonError::into_inner)
}

/// An answer that is none of a question of this server; what exactly is wrong with it helps nobody who sees it.
fn refused(_: impl std::fmt::Display) -> AccountError {
    AccountError::field("passkey", "this passkey is not good here; sign in by your password")
}

fn too_late() -> AccountError {
    AccountError::field("passkey", "this was asked for too long ago; begin anew")
}

impl Accounts {
    /// What a machine is asked for to make somebody a passkey, as the browser takes it. The password is asked for: who only
    /// found the phone open, makes none.
    ///
    /// # Errors
    /// The password is not right, the server has no name, or too many are asked for at the moment.
    pub fn new_passkey(
        &self,
        of: &Account,
        given: &str,
        at: &ServerName,
    ) -> Result<String, AccountError> {
        let server = at.id()?;
        self.is_password_of(of, given)?;
        let (handle, known) = {
            let db = self.held();
            (own_handle(&db, &of.id)?, known(&db, &of.id)?)
        };
        // What a machine shows beside the key; a login that it could not show is left out.
        let name = Username::try_from(of.login.as_str())
            .or_else(|_| Username::try_from("Dot Reach"))
            .map_err(|e| AccountError::Chance(e.to_string()))?;
        let person = PublicKeyCredentialUserEntity { name, id: &handle, display_name: None };
        let mut options = PublicKeyCredentialCreationOptions::passkey(&server, person, known);
        // Unlocking is asked for at each sign-in; a machine that cannot promise more is good enough.
        options.extensions.cred_protect = CredProtect::None;
        let (kept, sent) =
            options.start_ceremony().map_err(|e| AccountError::Chance(e.to_string()))?;
        if !matches!(
            held(&self.asked.new).insert_or_replace_all_expired(kept),
            InsertResult::Success
        ) {
            return Err(AccountError::Slowed(60));
        }
        serde_json::to_string(&sent).map_err(|e| AccountError::Chance(e.to_string()))
    }

    /// Keeps the passkey that a machine made.
    ///
    /// # Errors
    /// The answer is none of a question that this server put to this person.
    pub fn keep_passkey(
        &self,
        of: &Account,
        at: &ServerName,
        (name, answer): (&str, &[u8]),
        now: Timestamp,
    ) -> Result<(), AccountError> {
        let name = if name.trim().is_empty() {
            "a passkey".to_owned()
        } else {
            read_word("name", name, 60)?
        };
        let answer = Registration::from_json_relaxed(answer).map_err(refused)?;
        let challenge = answer.challenge_relaxed().map_err(refused)?;
        let asked = held(&self.asked.new).take(&challenge).ok_or_else(too_late)?;
        let origins = [at.origin.as_str()];
        let options = RegistrationVerificationOptions::<&str, &str> {
            allowed_origins: &origins,
            error_on_unsolicited_extensions: false,
            ..RegistrationVerificationOptions::default()
        };
        let made = asked.verify(&at.id()?, &answer, &options).map_err(refused)?;
        let db = self.held();
        // The question was put to this very person.
        if own_handle(&db, &of.id)?.as_ref() != made.user_id().as_ref() {
            return Err(too_late());
        }
        let key = made.static_state().encode().map_err(refused)?;
        let Ok(state) = made.dynamic_state().encode();
        db.execute(
            "INSERT INTO passkey (id, account_id, name, key, state, made_at) VALUES (?1, ?2, ?3, ?4, ?5, ?6)",
            params![made.id().as_ref(), of.id.as_str(), name, key, state, now.as_second()],
        )?;
        Ok(())
    }

    /// What a machine is asked for to let somebody in, as the browser takes it.
    ///
    /// # Errors
    /// The server has no name, there were too many tries, or too many are asked for at the moment.
    pub fn ask_for_passkey(
        &self,
        at: &ServerName,
        address: IpAddr,
    ) -> Result<String, AccountError> {
        self.tries.one_more_from(address)?;
        let server = at.id()?;
        let (kept, sent) = DiscoverableCredentialRequestOptions::passkey(&server)
            .start_ceremony()
            .map_err(|e| AccountError::Chance(e.to_string()))?;
        if !matches!(
            held(&self.asked.to_come_in).insert_or_replace_all_expired(kept),
            InsertResult::Success
        ) {
            return Err(AccountError::Slowed(60));
        }
        serde_json::to_string(&sent).map_err(|e| AccountError::Chance(e.to_string()))
    }

    /// Lets somebody in by a passkey. It was unlocked on its machine, and stands for password and code.
    ///
    /// # Errors
    /// It is nobody's, its person was shut out, or the answer is none of a question of this server.
    pub fn sign_in_by_passkey(
        &self,
        at: &ServerName,
        answer: &[u8],
        (address, agent): (IpAddr, &str),
        now: Timestamp,
    ) -> Result<Token, AccountError> {
        self.tries.one_more_from(address)?;
        let answer = DiscoverableAuthentication64::from_json_relaxed(answer).map_err(refused)?;
        let challenge = answer.challenge_relaxed().map_err(refused)?;
        let asked = held(&self.asked.to_come_in).take(&challenge);
        let asked = asked.ok_or_else(too_late)?;
        let (id, handle) = (answer.raw_id(), answer.response().user_handle());
        let mut db = self.held();
        let write = db.transaction()?;
        let found: Option<(String, Vec<u8>, [u8; 7])> = write
            .query_row(
                "SELECT a.id, p.key, p.state FROM passkey p JOIN account a ON a.id = p.account_id
                 WHERE p.id = ?1 AND a.handle = ?2 AND a.shut_at IS NULL",
                params![id.as_ref(), handle.as_ref()],
                |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)),
            )
            .optional()?;
        let (account, key, state) = found.ok_or_else(|| refused("nobody's"))?;
        let key = StaticState::<Key>::decode(key.as_slice()).map_err(refused)?;
        let state = DynamicState::decode(state).map_err(refused)?;
        let mut passkey = AuthenticatedCredential::new(id, handle, key, state).map_err(refused)?;
        let origins = [at.origin.as_str()];
        let options = AuthenticationVerificationOptions::<&str, &str> {
            allowed_origins: &origins,
            error_on_unsolicited_extensions: false,
            ..AuthenticationVerificationOptions::default()
        };
        asked.verify(&at.id()?, &answer, &mut passkey, &options).map_err(refused)?;
        let Ok(state) = passkey.dynamic_state().encode();
        let set = "UPDATE passkey SET state = ?2, used_at = ?3 WHERE id = ?1";
        write.execute(set, params![id.as_ref(), state, now.as_second()])?;
        let token = sessions::begin(&write, &AccountId(account), agent, now)?;
        write.commit()?;
        Ok(token)
    }

    /// Somebody's passkeys, the oldest first.
    ///
    /// # Errors
    /// The file cannot be read.
    pub fn passkeys(&self, of: &AccountId) -> Result<Vec<Passkey>, AccountError> {
        let db = self.held();
        let mut read = db.prepare(
            "SELECT id, name, made_at, used_at FROM passkey WHERE account_id = ?1 ORDER BY made_at, id",
        )?;
        let moment = |second: i64| Timestamp::from_second(second).unwrap_or_default();
        let rows = read.query_map([of.as_str()], |row| {
            Ok(Passkey {
                id: URL_SAFE_NO_PAD.encode(row.get::<_, Vec<u8>>(0)?),
                name: row.get(1)?,
                since: moment(row.get(2)?),
                used: row.get::<_, Option<i64>>(3)?.map(moment),
            })
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Gives one up.
    ///
    /// # Errors
    /// There is no such passkey of theirs.
    pub fn end_passkey(&self, of: &AccountId, id: &str) -> Result<(), AccountError> {
        let id = URL_SAFE_NO_PAD.decode(id).map_err(|_| AccountError::Nobody)?;
        let gone = "DELETE FROM passkey WHERE id = ?1 AND account_id = ?2";
        if self.held().execute(gone, params![id, of.as_str()])? == 0 {
            return Err(AccountError::field("passkey", "this passkey is given up already"));
        }
        Ok(())
    }
}

/// By what machines know somebody; drawn when it is first needed.
fn own_handle(db: &Connection, of: &AccountId) -> Result<UserHandle64, AccountError> {
    let read = "SELECT handle FROM account WHERE id = ?1";
    let kept: Option<[u8; USER_HANDLE_MAX_LEN]> =
        db.query_row(read, [of.as_str()], |row| row.get(0))?;
    if let Some(kept) = kept {
        let Ok(handle) = UserHandle64::decode(kept);
        return Ok(handle);
    }
    let handle = UserHandle64::new();
    let set = "UPDATE account SET handle = ?2 WHERE id = ?1";
    db.execute(set, params![of.as_str(), handle.as_ref()])?;
    Ok(handle)
}

/// Those that a machine need not make again.
fn known(
    db: &Connection,
    of: &AccountId,
) -> Result<Vec<PublicKeyCredentialDescriptor<Vec<u8>>>, AccountError> {
    let mut read = db.prepare("SELECT id FROM passkey WHERE account_id = ?1")?;
    let ids = read.query_map([of.as_str()], |row| row.get::<_, Vec<u8>>(0))?;
    ids.map(|id| {
        let id = CredentialId::<Vec<u8>>::decode(id?).map_err(refused)?;
        let transports = AuthTransports::decode(0).map_err(refused)?;
        Ok(PublicKeyCredentialDescriptor { id, transports })
    })
    .collect()
}
