//! Passwords: what may be one, what is kept of it, and whether one is right.

use std::sync::{Condvar, Mutex, PoisonError};

use argon2::password_hash::phc::PasswordHash;
use argon2::password_hash::{PasswordHasher, PasswordVerifier};
use argon2::{Algorithm, Argon2, Params, Version};

use crate::AccountError;

/// The shortest and the longest, in characters (ASVS 5.0, V6.2).
const LENGTH: std::ops::RangeInclusive<usize> = 12..=128;

/// Those that are tried first, as they come and with digits or signs behind; only what is long enough, or its stem, is of use
/// here.
const COMMONEST: &str = include_str!("commonest_passwords.txt");

/// Argon2id: 19 MiB, two passes, one lane.
fn hasher() -> Argon2<'static> {
    Argon2::new(Algorithm::Argon2id, Version::V0x13, Params::DEFAULT)
}

/// Refuses what is short, what everybody tries first, and what stands beside it on the form.
pub(crate) fn check(password: &str, beside: &[&str]) -> Result<(), AccountError> {
    let refuse = |why: &str| Err(AccountError::field("password", why));
    let count = password.chars().count();
    if count < *LENGTH.start() {
        return refuse(
            "take at least 12 characters; three or four words that nobody would put together are good",
        );
    }
    if count > *LENGTH.end() {
        return refuse("take at most 128 characters");
    }
    let plain = password.to_lowercase();
    let mut letters: Vec<char> = plain.chars().collect();
    letters.sort_unstable();
    letters.dedup();
    if letters.len() < 5 {
        return refuse("take more than a few signs again and again");
    }
    let stem = plain
        .trim_end_matches(|c: char| !c.is_alphabetic())
        .trim_start_matches(|c: char| !c.is_alphabetic());
    let is_common = COMMONEST.lines().any(|known| known == plain || known == stem);
    let is_run = [
        "0123456789012345678901234567890",
        "9876543210987654321098765432109",
        "abcdefghijklmnopqrstuvwxyz",
        "qwertyuiopasdfghjklzxcvbnm",
    ]
    .iter()
    .any(|run| run.contains(&plain));
    // A word said twice or thrice is one word.
    let is_again = (1..=count / 2).filter(|n| count.is_multiple_of(*n)).any(|n| {
        let all: Vec<char> = plain.chars().collect();
        let part: String = all[..n].iter().collect();
        plain == part.repeat(count / n) && (n < 6 || COMMONEST.lines().any(|known| known == part))
    });
    if is_common || is_run || is_again {
        return refuse("this is one that everybody tries first; take another");
    }
    let is_beside = |word: &&str| {
        let word = word.to_lowercase();
        let word = word.split('@').next().unwrap_or_default().trim().to_owned();
        word.chars().count() >= 4 && plain.contains(&word) && count - word.chars().count() < 8
    };
    if beside.iter().any(is_beside) {
        return refuse("leave your name and your firm's out of it");
    }
    Ok(())
}

/// How many passwords are worked on at a time: each takes 19 MiB and a core.
const AT_A_TIME: usize = 4;

/// Turns at the work, which many may want at once: at eight in the morning, or by whoever tries to bring the server down.
#[derive(Debug)]
struct HashTurns {
    free: Mutex<usize>,
    freed: Condvar,
}

static TURNS: HashTurns = HashTurns { free: Mutex::new(AT_A_TIME), freed: Condvar::new() };

impl HashTurns {
    fn at_work<T>(&self, work: impl FnOnce() -> T) -> T {
        let held = || self.free.lock().unwrap_or_else(PoisonError::into_inner);
        let mut free = held();
        while *free == 0 {
            free = self.freed.wait(free).unwrap_or_else(PoisonError::into_inner);
        }
        *free -= 1;
        drop(free);
        let done = work();
        *held() += 1;
        self.freed.notify_one();
        done
    }
}

/// What is kept of a password.
pub(crate) fn kept(password: &str) -> Result<String, AccountError> {
    let kept = TURNS.at_work(|| hasher().hash_password(password.as_bytes()));
    Ok(kept.map_err(|e| AccountError::Chance(e.to_string()))?.to_string())
}

/// Whether a password is the one of which this is kept.
pub(crate) fn is_right(password: &str, kept: &str) -> bool {
    let Ok(kept) = PasswordHash::new(kept) else { return false };
    TURNS.at_work(|| hasher().verify_password(password.as_bytes(), &kept).is_ok())
}
