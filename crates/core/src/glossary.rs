//! The words of the trade as this program says them, with what each means: rows in `data/glossary.toml`. A word that is new
//! to a fitter is explained by a tap on it, and no page calls the same thing otherwise.

use std::sync::LazyLock;

use serde::Deserialize;

/// A word of the trade.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct GlossaryTerm {
    /// The word, as it stands within a sentence.
    pub word: String,
    /// What it means, in one or two sentences.
    pub means: String,
    /// The pages on which it is explained, by their words.
    #[serde(default)]
    pub pages: Vec<String>,
    /// Words for the same thing that no page says.
    #[serde(default)]
    pub rather_than: Vec<String>,
}

#[derive(Deserialize)]
struct Rows {
    term: Vec<GlossaryTerm>,
}

/// The rows. A broken file is a defect that the tests catch.
pub static GLOSSARY: LazyLock<Vec<GlossaryTerm>> = LazyLock::new(|| {
    let rows = toml::from_str::<Rows>(include_str!("../data/glossary.toml"));
    rows.map(|rows| rows.term).unwrap_or_default()
});

/// The words that a page explains.
pub fn words_of(page: &str) -> impl Iterator<Item = &'static GlossaryTerm> {
    GLOSSARY.iter().filter(move |term| term.pages.iter().any(|p| p == page))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_word_stands_once_and_is_explained_in_sentences() {
        assert!(GLOSSARY.len() > 30, "the rows cannot be read");
        for (n, term) in GLOSSARY.iter().enumerate() {
            assert!(
                GLOSSARY[..n].iter().all(|t| t.word != term.word),
                "{} stands twice",
                term.word
            );
            assert!(term.means.ends_with('.') && term.means.len() > 20, "{}", term.word);
            let says = |word: &String| {
                GLOSSARY.iter().any(|t| t.word == *word || t.means.contains(word.as_str()))
            };
            assert!(!term.rather_than.iter().any(says), "{}", term.word);
        }
    }
}
