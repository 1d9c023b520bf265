//! Readings that are set aside, each with what likely went wrong.

use std::fmt;

use crate::units::typographic;

/// What likely went wrong with a reading that fits nothing else.
#[derive(Clone, Debug, PartialEq)]
pub enum Slip {
    /// The sign is missing.
    Sign,
    /// Two digits changed places, or one is missing or too many: what was meant.
    Digits(f64),
    /// It reads like another link of one of its ends: both ends as they are called.
    OtherLink(String, String),
    /// Nothing else was read at this end: it may be in metal, or the reading is wrong.
    Alone(String),
    /// The level is far too good for anything that stands where these are drawn.
    TooGood,
    /// The level is far too weak.
    TooWeak,
}

impl fmt::Display for Slip {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Sign => write!(f, "typing error: the minus is missing"),
            Self::Digits(meant) => {
                write!(f, "typing error: {} would fit", typographic(*meant, 0))
            }
            Self::OtherLink(from, to) => {
                write!(f, "wrong device: it reads like {from} to {to}")
            }
            Self::Alone(end) => write!(
                f,
                "wrong, or {end} is in metal: nothing else was read there; read it to another device too"
            ),
            Self::TooGood => write!(
                f,
                "far better than all other readings allow: wrong device, or a typing error; read it again"
            ),
            Self::TooWeak => write!(
                f,
                "far weaker than all other readings allow: a typing error, or something stood in the way; \
                 read it again"
            ),
        }
    }
}

/// What is known of a reading that was set aside.
#[derive(Clone, Debug)]
pub struct Suspect<'a> {
    /// What was typed, in decibels.
    pub typed: f64,
    /// What all other readings say, and by how much that may be off.
    pub expected: (f64, f64),
    /// Other links of its ends: names and what is expected there.
    pub others: &'a [(String, String, f64)],
    /// An end at which nothing else was read.
    pub alone: Option<String>,
}

/// Beside a slip the level lies this near, in deviations.
const NEAR: f64 = 1.5;

impl Suspect<'_> {
    /// What likely went wrong.
    pub fn slip(&self) -> Slip {
        let (expected, sigma) = self.expected;
        let near = |value: f64| (value - expected).abs() <= NEAR * sigma.min(5.0);
        if self.typed > 0.0 && near(-self.typed) {
            return Slip::Sign;
        }
        if let Some(meant) = misspelt(self.typed).into_iter().find(|v| near(*v)) {
            return Slip::Digits(meant);
        }
        // With many other links some read alike by chance: only where few do does it tell anything.
        let alike = |o: &&(String, String, f64)| (o.2 - self.typed).abs() <= 2.0;
        let like: Vec<_> = self.others.iter().filter(alike).collect();
        if let [(from, to, _)] = like[..] {
            return Slip::OtherLink(from.clone(), to.clone());
        }
        match &self.alone {
            Some(end) if self.typed < expected => Slip::Alone(end.clone()),
            _ if self.typed > expected => Slip::TooGood,
            _ => Slip::TooWeak,
        }
    }
}

/// What may have been meant: neighbouring digits swapped, a digit typed twice or left out at the end.
fn misspelt(typed: f64) -> Vec<f64> {
    let whole = typed.round();
    if (typed - whole).abs() > 1e-9 || whole.abs() >= 10_000.0 {
        return Vec::new();
    }
    let digits: Vec<char> = format!("{}", whole.abs()).chars().collect();
    let value = |d: &[char]| d.iter().collect::<String>().parse::<f64>().ok();
    let swapped = (1..digits.len()).filter_map(|i| {
        let mut other = digits.clone();
        other.swap(i - 1, i);
        value(&other)
    });
    let shorter = (digits.len() > 2).then(|| {
        (0..digits.len()).filter_map(|i| {
            let mut other = digits.clone();
            other.remove(i);
            value(&other)
        })
    });
    swapped
        .chain(shorter.into_iter().flatten())
        .map(|v| v.copysign(typed))
        .filter(|v| (v - typed).abs() > 0.5)
        .collect()
}
