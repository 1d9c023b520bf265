//! Wiring countries, apart from the radio's region: colours of conductors, who may work on fixed wiring, when notice or a
//! certificate is due, what the room in a box goes by. For planning: local law and the licensed person overrule them.

use std::sync::LazyLock;

use serde::Deserialize;

use crate::speech::{Lengths, TradeWords};

/// A country, as it is on record. What is blank is not.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct WiringCountry {
    /// Its code by ISO 3166-1.
    pub code: String,
    /// Its name.
    pub name: String,
    /// The time zone of most of it, by its name.
    pub zone: String,
    /// Colours of a line now.
    pub line: Vec<String>,
    /// Colours of a neutral now.
    pub neutral: Vec<String>,
    /// Colours of an earth now.
    #[serde(default = "green_and_yellow")]
    pub earth: String,
    /// What older houses have.
    pub old: String,
    /// Who may do the work.
    pub who: String,
    /// When notice or a certificate is due.
    pub notice: String,
    /// What the room in a box goes by.
    #[serde(default)]
    pub fill: BoxFill,
    /// How lengths are written there.
    #[serde(default)]
    pub lengths: Lengths,
    /// Whose words of the trade are said there.
    #[serde(default)]
    pub words: TradeWords,
    /// Where that stands.
    pub source: String,
    /// When it was noted. Nobody has held it against the text since.
    pub noted: String,
}

/// IEC 60445, 6.3.2.
fn green_and_yellow() -> String {
    "green and yellow".to_owned()
}

/// What the room in a box goes by.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum BoxFill {
    /// The depth, and what the maker of the device asks for.
    #[default]
    Depth,
    /// The volume of conductors, clamps and devices.
    Volume,
}

impl WiringCountry {
    /// What the colours of conductors usually say there: a hint, never a proof.
    pub fn colours(&self) -> String {
        let (line, neutral) = (self.line.join(" or "), self.neutral.join(" or "));
        let now = format!("line {line}; neutral {neutral}; earth {}", self.earth);
        if self.old.is_empty() { now } else { format!("{now}. {}", self.old) }
    }
}

#[derive(Deserialize)]
struct Rows {
    country: Vec<WiringCountry>,
}

/// The rows. A broken file is a defect that the tests catch.
pub static COUNTRIES: LazyLock<Vec<WiringCountry>> = LazyLock::new(|| {
    let rows = toml::from_str::<Rows>(include_str!("../../data/countries.toml"));
    rows.map(|rows| rows.country).unwrap_or_default()
});

/// The row of a code; nothing for one that is not on record.
pub fn country(code: &str) -> Option<&'static WiringCountry> {
    COUNTRIES.iter().find(|row| row.code == code)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_country_stands_once_with_its_source_and_the_day_it_was_noted() {
        // The 27 of the European Union, and seven more.
        assert_eq!(COUNTRIES.len(), 34);
        for row in COUNTRIES.iter() {
            assert!(!row.source.is_empty() && row.noted.len() == 10, "{}", row.code);
            assert!(!row.line.is_empty() && !row.neutral.is_empty(), "{}", row.code);
            assert_eq!(COUNTRIES.iter().filter(|r| r.code == row.code).count(), 1, "{}", row.code);
        }
    }
}
