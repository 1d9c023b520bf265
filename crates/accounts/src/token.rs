//! Words that nobody can guess, of which only a hash is kept.

use base64::Engine;
use base64::engine::general_purpose::URL_SAFE_NO_PAD;
use sha2::{Digest, Sha256};

use crate::AccountError;

/// A word of 256 bits drawn by the system. Whoever holds it may; it is shown once, and kept nowhere.
#[derive(Clone, PartialEq, Eq)]
pub struct Token(String);

impl std::fmt::Debug for Token {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        // Never in a log.
        f.write_str("Token(…)")
    }
}

impl Token {
    pub(crate) fn drawn() -> Result<Self, AccountError> {
        let mut bytes = [0; 32];
        getrandom::fill(&mut bytes).map_err(|e| AccountError::Chance(e.to_string()))?;
        Ok(Self(URL_SAFE_NO_PAD.encode(bytes)))
    }

    /// The word, for an address or a cookie.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

/// What is kept of a word: all of its 256 bits are chance, so that one round is enough.
pub(crate) fn hash(token: &str) -> Vec<u8> {
    Sha256::digest(token.as_bytes()).to_vec()
}
