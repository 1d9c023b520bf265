//! Near-twins: two names that a voice service, or a tired person, takes for each other. Compared word by word, by letter
//! (Damerau and Levenshtein, in the restricted form) and by sound (Double Metaphone for English, the Cologne phonetics for
//! German).

use rphonetic::{Cologne, DoubleMetaphone, Encoder};
use strsim::osa_distance;

use crate::site::{DeviceId, Site};

/// A language that the household speaks to its house.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[expect(missing_docs, reason = "each is what it is called")]
pub enum Language {
    English,
    German,
}

/// How two names are alike.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Alike {
    /// They are the same, but for capitals, marks and blanks.
    Same,
    /// They sound the same.
    Sound,
    /// One letter is another, is missing, is added, or two have changed places.
    Letter,
    /// One sound is another, or two have changed places.
    NearlySound,
}

impl Alike {
    /// In words.
    pub const fn says(self) -> &'static str {
        match self {
            Self::Same => "the same name",
            Self::Sound => "sound the same",
            Self::Letter => "one letter apart",
            Self::NearlySound => "sound nearly the same",
        }
    }
}

/// Codes of fewer sounds than this are no ground to call two words nearly the same; *planning value*.
const LEAST_SOUNDS: usize = 3;
/// Words of fewer letters than this are told apart by one letter; *planning value*.
const LEAST_LETTERS: usize = 3;

/// The languages of a household, by the country of the house; English where nobody said.
pub fn languages(site: &Site) -> Vec<Language> {
    match site.job.wiring_country.as_str() {
        "de" | "at" | "ch" => vec![Language::German, Language::English],
        _ => vec![Language::English],
    }
}

/// A word as it is compared: small letters, without marks.
fn plain(word: &str) -> String {
    let letters = word.chars().flat_map(char::to_lowercase);
    letters.fold(String::new(), |mut text, letter| {
        match letter {
            'ä' => text.push_str("ae"),
            'ö' => text.push_str("oe"),
            'ü' => text.push_str("ue"),
            'ß' => text.push_str("ss"),
            'á' | 'à' | 'â' | 'ã' => text.push('a'),
            'é' | 'è' | 'ê' | 'ë' => text.push('e'),
            'í' | 'ì' | 'î' | 'ï' => text.push('i'),
            'ó' | 'ò' | 'ô' | 'õ' => text.push('o'),
            'ú' | 'ù' | 'û' => text.push('u'),
            'ç' => text.push('c'),
            'ñ' => text.push('n'),
            letter if letter.is_alphanumeric() => text.push(letter),
            _ => {}
        }
        text
    })
}

/// The words of a name as they are compared.
pub(super) fn words(name: &str) -> Vec<String> {
    let parts = name.split(|c: char| c.is_whitespace() || matches!(c, '-' | '_' | ',' | '/' | '.'));
    parts.map(plain).filter(|word| !word.is_empty()).collect()
}

/// How a word sounds.
fn sound(word: &str, language: Language) -> String {
    match language {
        Language::English => DoubleMetaphone::new(Some(12)).encode(word),
        Language::German => Cologne.encode(word),
    }
}

/// How two names are alike to who speaks these languages; nothing where nobody takes one for the other. Numbers are told
/// apart by whoever hears them.
pub fn alike(one: &str, other: &str, languages: &[Language]) -> Option<Alike> {
    alike_words(&words(one), &words(other), languages)
}

fn alike_words(one: &[String], other: &[String], languages: &[Language]) -> Option<Alike> {
    if one == other || one.concat() == other.concat() {
        return Some(Alike::Same);
    }
    if one.len() != other.len() {
        return None;
    }
    let mut differ = one.iter().zip(other).filter(|(a, b)| a != b);
    let (a, b) = differ.next()?;
    if differ.next().is_some() {
        return None;
    }
    let is_number = |word: &str| word.chars().any(|c| c.is_ascii_digit());
    if is_number(a) || is_number(b) {
        return None;
    }
    let sounds = || languages.iter().map(|l| (sound(a, *l), sound(b, *l)));
    let short = a.chars().count().min(b.chars().count()) < LEAST_LETTERS;
    // The English code makes one sound of all first vowels, and of some first consonants none: east is not west.
    let (first, other_first) = (a.chars().next(), b.chars().next());
    let begins_alike = |code: &str| !code.starts_with('A') || first == other_first;
    match () {
        () if sounds().any(|(a, b)| a == b && a.len() >= 2 && begins_alike(&a)) => {
            Some(Alike::Sound)
        }
        () if !short && osa_distance(a, b) <= 1 => Some(Alike::Letter),
        () => {
            let sorted = |code: &str| {
                let mut sounds: Vec<char> = code.chars().collect();
                sounds.sort_unstable();
                sounds
            };
            let near = |(a, b): (String, String)| {
                let is_long = a.len().min(b.len()) >= LEAST_SOUNDS;
                let is_moved = || a != b && sorted(&a) == sorted(&b);
                is_long && (first == other_first || is_moved()) && osa_distance(&a, &b) <= 1
            };
            sounds().any(near).then_some(Alike::NearlySound)
        }
    }
}

/// Two devices whose names are taken for each other.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NearTwins {
    /// One,
    pub one: DeviceId,
    /// and the other.
    pub other: DeviceId,
    /// How they are alike.
    pub how: Alike,
    /// A better name for the other: its room and what it works, that nothing else is called.
    pub better: String,
}

/// All devices of a job whose names are taken for each other.
pub fn near_twins(site: &Site) -> Vec<NearTwins> {
    let spoken = languages(site);
    let all: Vec<_> = site.devices.iter().map(|d| (d, words(&d.name))).collect();
    let mut found = Vec::new();
    for (n, (one, own)) in all.iter().enumerate() {
        for (other, others) in &all[n + 1..] {
            if let Some(how) = alike_words(own, others, &spoken) {
                let better = better(site, &other.id, &spoken);
                found.push(NearTwins { one: one.id.clone(), other: other.id.clone(), how, better });
            }
        }
    }
    found
}

/// A name of room, load and number that nothing else is taken for; empty where the place has no room and nothing hangs on it.
fn better(site: &Site, id: &DeviceId, spoken: &[Language]) -> String {
    let Some(device) = site.devices.get(id) else { return String::new() };
    let Some(point) = site.point_of(device) else { return String::new() };
    // What a row of the library is, by the first part of its id: lamp, plug, shade, sensor, remote.
    let kind = device.kind.split('-').next().unwrap_or_default();
    let load = site.loads_of(&point.id).next();
    let load = load.map_or(kind, |l| if l.kind.is_lamp() { "light" } else { l.kind.name() });
    let room = site.room_name(point);
    if room.is_empty() {
        return String::new();
    }
    let is_taken = |name: &str| {
        let mut others = site.devices.iter().filter(|d| d.id != *id);
        others.any(|d| alike(&d.name, name, spoken).is_some())
    };
    let plain = format!("{room} {load}");
    let numbered = (2..1000).map(|n| format!("{plain} {n}"));
    std::iter::once(plain.clone()).chain(numbered).find(|name| !is_taken(name)).unwrap_or_default()
}
