//! Names as they are spoken: which two sound or read alike, and what answers to a phrase.

mod near;
mod phrases;

pub use near::{Alike, Language, NearTwins, alike, languages, near_twins};
pub use phrases::{Meant, NameBook, PhraseAnswer};
