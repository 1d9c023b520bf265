//! How a region says it: metres or feet and inches, and the trade's words of one side of the ocean or the other. What is kept
//! is metric and in the words of this program; what is said and typed is the region's.
//!
//! A page, an answer or a sheet is worded on one thread from its first sentence to its last. So that the region need not be
//! handed through every sentence, [`speaking`] says which one holds meanwhile; outside of it lengths are metric.

use std::borrow::Cow;
use std::cell::Cell;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// How lengths are written, and what a bare number means where one is typed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Lengths {
    /// Metres, and millimetres in a box.
    #[default]
    Metric,
    /// Feet and inches, and inches in a box.
    FeetInches,
}

impl Lengths {
    /// Each with its name.
    pub const ALL: [(Self, &'static str); 2] =
        [(Self::Metric, "metres"), (Self::FeetInches, "feet and inches")];
}

/// Whose words of the trade are said.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum TradeWords {
    /// Earth, socket, two-way switching.
    #[default]
    British,
    /// Ground, receptacle, three-way switching.
    American,
}

/// How a region says it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Speech {
    /// Its lengths.
    pub lengths: Lengths,
    /// Its words.
    pub words: TradeWords,
}

thread_local! {
    static SPOKEN: Cell<Speech> = const {
        Cell::new(Speech { lengths: Lengths::Metric, words: TradeWords::British })
    };
}

/// How it is said now.
pub fn spoken() -> Speech {
    SPOKEN.get()
}

/// Says something as a region does.
pub fn speaking<T>(speech: Speech, say: impl FnOnce() -> T) -> T {
    struct Back(Speech);
    impl Drop for Back {
        fn drop(&mut self) {
            SPOKEN.set(self.0);
        }
    }
    let _back = Back(SPOKEN.replace(speech));
    say()
}

/// A number with a true minus sign and no "-0.0".
pub fn typographic(value: f64, decimals: usize) -> String {
    let text = format!("{value:.decimals$}");
    match text.strip_prefix('-') {
        Some(rest) if rest.bytes().all(|b| b == b'0' || b == b'.') => rest.to_owned(),
        Some(rest) => format!("−{rest}"),
        None => text,
    }
}

/// A word of the trade here, and in America. Longer ones come first: the first that matches is taken.
const AMERICAN: [(&str, &str); 15] = [
    ("an earthed", "a grounded"),
    ("an earth", "a ground"),
    ("unearthed", "ungrounded"),
    ("earthed", "grounded"),
    ("earthing", "grounding"),
    ("earths", "grounds"),
    ("earth", "ground"),
    ("a socket", "a receptacle"),
    ("sockets", "receptacles"),
    ("socket", "receptacle"),
    ("two-way switching", "three-way switching"),
    ("two-way switch", "three-way switch"),
    ("intermediate switch", "four-way switch"),
    ("consumer unit", "service panel"),
    ("residual-current", "ground-fault"),
];

/// A text of the program, which holds nothing that anybody typed, in the words of the region.
///
/// ```
/// use dot_reach_core::speech::{Speech, TradeWords, local, speaking};
/// let american = Speech { words: TradeWords::American, ..Speech::default() };
/// let said = || local("An earth at each socket of the ground floor").into_owned();
/// assert_eq!(said(), "An earth at each socket of the ground floor");
/// assert_eq!(speaking(american, said), "A ground at each receptacle of the ground floor");
/// ```
pub fn local(text: &str) -> Cow<'_, str> {
    if spoken().words == TradeWords::British {
        return Cow::Borrowed(text);
    }
    let mut said = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(first) = rest.chars().next() {
        let starts = |word: &str| {
            let found = rest.get(..word.len()).is_some_and(|r| r.eq_ignore_ascii_case(word));
            let goes_on = rest.get(word.len()..).and_then(|r| r.chars().next());
            found && !goes_on.is_some_and(char::is_alphanumeric)
        };
        let is_inside = said.chars().next_back().is_some_and(char::is_alphanumeric);
        match AMERICAN.iter().find(|(word, _)| !is_inside && starts(word)) {
            Some((word, theirs)) if first.is_uppercase() => {
                said.extend(theirs.chars().take(1).flat_map(char::to_uppercase));
                said.push_str(&theirs[1..]);
                rest = &rest[word.len()..];
            }
            Some((word, theirs)) => {
                said.push_str(theirs);
                rest = &rest[word.len()..];
            }
            None => {
                said.push(first);
                rest = &rest[first.len_utf8()..];
            }
        }
    }
    Cow::Owned(said)
}

const INCH: f64 = 0.0254;
/// Inches are written to an eighth: a tape measure's mark, and less than anything here is known by.
const EIGHTHS: [&str; 8] = ["", "⅛", "¼", "⅜", "½", "⅝", "¾", "⅞"];

/// A length in metres as the region writes it, with its unit: `3.80 m`, or `12′ 5⅝″`; to the metre or the foot where no
/// decimals are asked for.
pub fn length(metres: f64, decimals: usize) -> String {
    if spoken().lengths == Lengths::Metric || !metres.is_finite() {
        return format!("{} m", typographic(metres, decimals));
    }
    if decimals == 0 {
        return format!("{} ft", typographic(metres / (12.0 * INCH), 0));
    }
    feet_and_inches(metres)
}

fn feet_and_inches(metres: f64) -> String {
    #[expect(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "a length, and not below nought"
    )]
    let eighths = (metres.abs() / INCH * 8.0).round().min(1e12) as u64;
    let sign = if metres < 0.0 && eighths > 0 { "−" } else { "" };
    let (feet, inches, eighth) = (eighths / 96, eighths % 96 / 8, EIGHTHS[(eighths % 8) as usize]);
    let part = match (inches, eighth) {
        (0, "") => String::new(),
        (0, eighth) => format!("{eighth}″"),
        (inches, eighth) => format!("{inches}{eighth}″"),
    };
    match (feet, part.is_empty()) {
        (0, true) => "0″".to_owned(),
        (0, false) => format!("{sign}{part}"),
        (feet, true) => format!("{sign}{feet}′"),
        (feet, false) => format!("{sign}{feet}′ {part}"),
    }
}

/// A length as it stands in a field whose label says the unit: `3.80`, or `12′ 5⅝″`.
pub fn length_in_field(metres: f64) -> String {
    match spoken().lengths {
        Lengths::Metric => typographic(metres, 2),
        Lengths::FeetInches => feet_and_inches(metres),
    }
}

/// A small length as it stands in a field: millimetres, or inches.
pub fn small_in_field(millimetres: f64) -> String {
    match spoken().lengths {
        Lengths::Metric => typographic(millimetres, usize::from(millimetres.fract().abs() > 0.0)),
        Lengths::FeetInches => feet_and_inches(millimetres / 1000.0),
    }
}

/// A small length with its unit: `47 mm`, or `1⅞″`.
pub fn small(millimetres: f64) -> String {
    match spoken().lengths {
        Lengths::Metric => format!("{} mm", typographic(millimetres, 0)),
        Lengths::FeetInches => feet_and_inches(millimetres / 1000.0),
    }
}

/// A volume as it stands in a field: cubic centimetres, or cubic inches.
pub fn volume_in_field(cm3: f64) -> String {
    match spoken().lengths {
        Lengths::Metric => typographic(cm3, 0),
        Lengths::FeetInches => typographic(cm3 / CM3_IN_IN3, 1),
    }
}

/// An area with its unit.
pub fn area(square_metres: f64) -> String {
    match spoken().lengths {
        Lengths::Metric => format!("{} m²", typographic(square_metres, 1)),
        Lengths::FeetInches => {
            format!("{} ft²", typographic(square_metres / (12.0 * INCH).powi(2), 0))
        }
    }
}

const CM3_IN_IN3: f64 = 16.387_064;

/// What a field holds, which says what a bare number in it means.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LengthField {
    /// A length of a building, kept in metres.
    Metres,
    /// A small length of a box, kept in millimetres.
    Millimetres,
    /// The room in a box, kept in cubic centimetres.
    CubicCentimetres,
}

impl LengthField {
    /// The unit by which a bare number is meant, as a label says it.
    pub fn unit(self) -> &'static str {
        match (self, spoken().lengths) {
            (Self::Metres, Lengths::Metric) => "m",
            (Self::Metres, Lengths::FeetInches) => "ft",
            (Self::Millimetres, Lengths::Metric) => "mm",
            (Self::Millimetres, Lengths::FeetInches) => "in",
            (Self::CubicCentimetres, Lengths::Metric) => "cm³",
            (Self::CubicCentimetres, Lengths::FeetInches) => "in³",
        }
    }

    /// Reads what was typed, in the unit that is kept. A unit may stand with it, whatever the region: `3.8 m`, `380 cm`,
    /// `12'6"`, `12 ft 6 1/2 in`, `150 in`; a bare number is meant as the region has it.
    ///
    /// ```
    /// use dot_reach_core::speech::LengthField::{CubicCentimetres, Metres, Millimetres};
    /// assert_eq!(Metres.read("12'6\""), Some(3.81));
    /// assert_eq!(Metres.read("150 in"), Some(3.81));
    /// assert_eq!(Metres.read("3,8"), Some(3.8));
    /// assert_eq!(Millimetres.read("4.7 cm"), Some(47.0));
    /// assert_eq!(CubicCentimetres.read("20 in³").map(f64::round), Some(328.0));
    /// assert_eq!(Metres.read("wide"), None);
    /// ```
    pub fn read(self, text: &str) -> Option<f64> {
        let plain = text.trim().replace('−', "-").to_lowercase();
        let (sign, plain) = match plain.strip_prefix('-') {
            Some(rest) => (-1.0, rest.trim()),
            None => (1.0, plain.strip_prefix('+').unwrap_or(&plain).trim()),
        };
        let kept = if self == Self::CubicCentimetres {
            volume(plain, self.unit())?
        } else {
            let metres = metres(plain, self.unit())?;
            if self == Self::Millimetres { metres * 1000.0 } else { metres }
        };
        // To the micrometre: 150 inches are 3.81 m and not a rounding more.
        let kept = (kept * 1e6).round() / 1e6;
        kept.is_finite().then_some(sign * kept)
    }
}

fn volume(text: &str, bare: &str) -> Option<f64> {
    let (number, unit) = number_and_unit(text)?;
    let unit = if unit.is_empty() { bare } else { unit };
    let each = match unit {
        "cm³" | "cm3" | "ml" | "cc" => 1.0,
        "in³" | "in3" | "cu in" | "cu. in" | "cu in." => CM3_IN_IN3,
        _ => return None,
    };
    Some(number * each)
}

fn metres(text: &str, bare: &str) -> Option<f64> {
    let (mut sum, mut rest, mut least) = (0.0, text, f64::INFINITY);
    while !rest.is_empty() {
        let (number, after) = leading_number(rest)?;
        let after = after.trim_start();
        let end = after
            .find(|c: char| c.is_ascii_digit() || EIGHTHS[1..].iter().any(|e| e.starts_with(c)));
        let (unit, next) = after.split_at(end.unwrap_or(after.len()));
        let each = match unit.trim().trim_end_matches('.') {
            "" if sum <= 0.0 && next.is_empty() => each_of(bare)?,
            // What follows feet without a unit is inches.
            "" if next.is_empty() && least > INCH => INCH,
            unit => each_of(unit)?,
        };
        // 6 ft after 3 in, or 3 m twice, is a slip and no length.
        if each >= least {
            return None;
        }
        (sum, rest, least) = (sum + number * each, next, each);
    }
    (least.is_finite()).then_some(sum)
}

fn each_of(unit: &str) -> Option<f64> {
    Some(match unit {
        "m" | "metre" | "metres" | "meter" | "meters" => 1.0,
        "cm" => 0.01,
        "mm" => 0.001,
        "'" | "′" | "’" | "ft" | "foot" | "feet" => 12.0 * INCH,
        "\"" | "″" | "”" | "''" | "in" | "inch" | "inches" => INCH,
        _ => return None,
    })
}

fn number_and_unit(text: &str) -> Option<(f64, &str)> {
    let (number, unit) = leading_number(text)?;
    Some((number, unit.trim()))
}

/// A number at the beginning, with a fraction after it where one stands there: `6`, `6.5`, `6 1/2`, `6½`.
fn leading_number(text: &str) -> Option<(f64, &str)> {
    let end = text.find(|c: char| !(c.is_ascii_digit() || c == '.' || c == ','));
    let (digits, rest) = text.split_at(end.unwrap_or(text.len()));
    let eighth = |rest: &str| {
        let first = rest.chars().next()?;
        let n = EIGHTHS.iter().position(|e| e.starts_with(first))?;
        Some((n, first.len_utf8()))
    };
    if digits.is_empty() {
        let (n, long) = eighth(rest)?;
        #[expect(clippy::cast_precision_loss, reason = "one of eight")]
        return Some((n as f64 / 8.0, &rest[long..]));
    }
    let whole: f64 = digits.replace(',', ".").parse().ok()?;
    if let Some((n, long)) = eighth(rest) {
        #[expect(clippy::cast_precision_loss, reason = "one of eight")]
        return Some((whole + n as f64 / 8.0, &rest[long..]));
    }
    // `6 1/2`, and `1/2` by itself.
    let (before, of) = if let Some(of) = rest.strip_prefix('/') {
        (0.0, Some((whole, of)))
    } else {
        let spaced = rest.strip_prefix([' ', '-']).unwrap_or("");
        let end = spaced.find(|c: char| !c.is_ascii_digit()).unwrap_or(spaced.len());
        let (top, of) = spaced.split_at(end);
        (whole, top.parse::<f64>().ok().zip(of.strip_prefix('/')))
    };
    if let Some((top, of)) = of {
        let end = of.find(|c: char| !c.is_ascii_digit()).unwrap_or(of.len());
        let bottom: f64 = of[..end].parse().ok().filter(|b| *b > 0.0)?;
        return Some((before + top / bottom, &of[end..]));
    }
    Some((whole, rest))
}

/// What to type where a text is no length.
pub const LENGTH_HINT: &str = "write a length as 3.8 m, 380 cm, 12'6\" or 150 in";

#[cfg(test)]
mod tests {
    use super::*;

    const FEET: Speech = Speech { lengths: Lengths::FeetInches, words: TradeWords::American };

    #[test]
    fn lengths_are_read_with_any_unit_and_bare_ones_as_the_region_means_them() {
        let field = LengthField::Metres;
        for (text, metres) in [
            ("3.8 m", 3.8),
            ("3,8m", 3.8),
            ("380 cm", 3.8),
            ("3800 mm", 3.8),
            ("12'6\"", 3.81),
            ("12' 6\"", 3.81),
            ("12′ 6″", 3.81),
            ("12 ft 6 in", 3.81),
            ("12ft6", 3.81),
            ("12.5 ft", 3.81),
            ("150 in", 3.81),
            ("150\"", 3.81),
            ("6 1/2\"", 0.1651),
            ("6½″", 0.1651),
            ("1/2 in", 0.0127),
            ("-3 ft", -0.9144),
            ("12'", 3.6576),
        ] {
            assert_eq!(field.read(text), Some(metres), "{text}");
            assert_eq!(speaking(FEET, || field.read(text)), Some(metres), "{text}");
        }
        assert_eq!(
            (field.read("3.8"), speaking(FEET, || field.read("3"))),
            (Some(3.8), Some(0.9144))
        );
        let box_of = LengthField::Millimetres;
        assert_eq!(
            (box_of.read("47"), speaking(FEET, || box_of.read("2"))),
            (Some(47.0), Some(50.8))
        );
        for text in [
            "",
            "m",
            "wide",
            "3 m 3 m",
            "6 in 2 ft",
            "3 furlongs",
            "1/0 in",
            "12''6'",
            "nan",
            "1e5",
        ] {
            assert_eq!(field.read(text), None, "{text}");
        }
    }

    #[test]
    fn what_is_written_is_read_back_within_a_sixteenth_of_an_inch() {
        for n in 0..2000 {
            let metres = f64::from(n) * 0.0137;
            let back = speaking(FEET, || LengthField::Metres.read(&length_in_field(metres)));
            let off = (back.unwrap_or(f64::NAN) - metres).abs();
            assert!(off <= INCH / 16.0 + 1e-6, "{metres} came back as {back:?}");
        }
        assert_eq!(speaking(FEET, || length(3.81, 2)), "12′ 6″");
        assert_eq!(speaking(FEET, || length(14.02, 0)), "46 ft");
        assert_eq!(speaking(FEET, || small(47.6)), "1⅞″");
        assert_eq!(speaking(FEET, || length_in_field(0.0)), "0″");
        assert_eq!(length(3.81, 2), "3.81 m");
    }

    #[test]
    fn a_region_holds_until_it_is_done_even_when_that_fails() {
        let failed = std::panic::catch_unwind(|| speaking(FEET, || panic!("in the midst of it")));
        assert!(failed.is_err());
        assert_eq!(spoken(), Speech::default());
    }

    #[test]
    fn words_are_told_from_their_beginnings() {
        let said = |text: &str| speaking(FEET, || local(text).into_owned());
        assert_eq!(said("Unearthly socketed earthenware"), "Unearthly socketed earthenware");
        assert_eq!(
            said("Sockets: earthed, an earth each."),
            "Receptacles: grounded, a ground each."
        );
    }
}
