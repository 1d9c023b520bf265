//! Circuits: what the panel says, and what was proven.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::moment::Moment;
use crate::site::kept::{Kept, Most, Tie, id, kept_by_id, note};
use crate::site::provenance::{Fact, facts};
use crate::site::wiring::Gauge;
use crate::site::{Refusal, Wrong};

id!(/** A circuit. */ CircuitId);

/// Residual current protection.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Residual {
    /// Nobody has looked.
    #[default]
    Unknown,
    /// There is none.
    None,
    /// It is protected.
    Protected,
}

impl Residual {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 3] =
        [(Self::Unknown, "not looked for"), (Self::None, "none"), (Self::Protected, "protected")];
}

/// That a breaker was proven to be the one.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Proven {
    /// The label of the breaker that really makes it dead.
    pub label: String,
    /// By whom.
    #[serde(default)]
    pub by: String,
    /// With what: a tester known to work.
    #[serde(default)]
    pub with: String,
    /// When.
    pub at: Moment,
}

/// The most circuits that one neutral serves: three phases of each of a few panels.
const MOST_PARTNERS: usize = 12;

/// A circuit. Points name it by its label.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Circuit {
    /// Its id.
    pub id: CircuitId,
    /// The breaker as printed on the panel.
    pub label: String,
    /// The panel that it is in, where there are several: a garage, a floor.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub panel: String,
    /// How many poles its breaker opens; nothing while nobody has looked.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub poles: Option<u8>,
    /// Its voltage, where it is not the usual one of the region.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub volts: Option<f64>,
    /// The thinnest of its conductors between the panel and the boxes; nothing while nobody knows.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub size: Option<Gauge>,
    /// What on it must not go dark without a word: a freezer, an alarm, a router, medicine; empty for nothing known.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub must_stay: String,
    /// The breaker as proven; nothing while nobody has.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub proven: Option<Proven>,
    /// Residual current protection.
    #[serde(default)]
    pub residual: Residual,
    /// What its breaker is rated at, in amperes.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rated_a: Option<f64>,
    /// Whether it shares its neutral with another, which can then be live with this breaker off; nothing while nobody
    /// has looked.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub shared_neutral: Option<bool>,
    /// The labels of the circuits that are known to share its neutral. It counts both ways.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub neutral_with: Vec<String>,
    /// How each thing that is said of it is known, and by whom, by the name of the field.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub facts: BTreeMap<String, Fact>,
    /// Free words.
    #[serde(default)]
    pub note: String,
}

impl Circuit {
    /// One as printed, of which nothing more is known.
    pub fn new(id: CircuitId, label: &str) -> Self {
        Self {
            id,
            label: label.to_owned(),
            panel: String::new(),
            poles: None,
            volts: None,
            size: None,
            must_stay: String::new(),
            proven: None,
            residual: Residual::Unknown,
            rated_a: None,
            shared_neutral: None,
            neutral_with: Vec::new(),
            facts: BTreeMap::new(),
            note: String::new(),
        }
    }

    /// The breaker that was proven, where it is another than the label says.
    pub fn mislabelled(&self) -> Option<&str> {
        let proven = self.proven.as_ref().map(|p| p.label.trim())?;
        (proven != self.label.trim()).then_some(proven)
    }
}

kept_by_id!(Circuit, CircuitId);
impl Kept for Circuit {
    const MOST: Most = Most { count: 500, why: "ten panels of 50 breakers" };

    fn ties(&self, _: &mut dyn FnMut(Tie)) {}

    fn check(&self) -> Result<(), Refusal> {
        if self.label.trim().is_empty() {
            return Err(Refusal::wrong("label", Wrong::NoName));
        }
        note("label", &self.label)?;
        note("panel", &self.panel)?;
        note("must_stay", &self.must_stay)?;
        if let Some(is) = self.poles.filter(|p| !(1..=4).contains(p)) {
            let is = is.into();
            return Err(Refusal::wrong("poles", Wrong::Count { is, least: 1, most: 4 }));
        }
        if let Some(is) = self.volts.filter(|v| !(12.0..=1000.0).contains(v)) {
            let (low, high, unit) = (12.0, 1000.0, "V");
            return Err(Refusal::wrong("volts", Wrong::Sheet { is, low, high, unit }));
        }
        note("note", &self.note)?;
        facts(&self.facts)?;
        self.neutral_with.iter().try_for_each(|label| note("neutral_with", label))?;
        let is = self.neutral_with.len();
        if is > MOST_PARTNERS {
            let most = MOST_PARTNERS;
            return Err(Refusal::wrong("neutral_with", Wrong::Count { is, least: 0, most }));
        }
        if let Some(is) = self.rated_a.filter(|a| !(0.5..=1000.0).contains(a)) {
            return Err(Refusal::wrong(
                "rated_a",
                Wrong::Sheet { is, low: 0.5, high: 1000.0, unit: "A" },
            ));
        }
        let Some(proven) = &self.proven else { return Ok(()) };
        if proven.label.trim().is_empty() {
            return Err(Refusal::wrong("proven", Wrong::NoName));
        }
        [("label", &proven.label), ("by", &proven.by), ("with", &proven.with)]
            .into_iter()
            .try_for_each(|(field, text)| note(field, text))
    }
}
