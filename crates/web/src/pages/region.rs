//! How pages say lengths, and who chose that: a job by its country or its brief, a person for every page they look at.

use actix_web::HttpRequest;
use dot_reach_core::speech::{LengthField, Lengths, local, spoken};

/// The cookie that holds what a person chose; the page of the brief sets it.
const NAME: &str = "lengths";

/// What who asks chose, for every job; nothing where they go by the job.
pub(crate) fn chosen(request: &HttpRequest) -> Option<Lengths> {
    let kept = request.cookie(NAME)?;
    serde_json::from_value(kept.value().into()).ok()
}

/// The unit of a length, as a label says it.
pub(crate) fn m() -> &'static str {
    LengthField::Metres.unit()
}

/// The unit of a small length.
pub(crate) fn mm() -> &'static str {
    LengthField::Millimetres.unit()
}

/// The unit of the room in a box.
pub(crate) fn cm3() -> &'static str {
    LengthField::CubicCentimetres.unit()
}

/// How lengths are written, in words.
pub(crate) fn length_words() -> &'static str {
    Lengths::ALL.iter().find(|(l, _)| *l == spoken().lengths).map_or("", |(_, name)| name)
}

/// How many metres a unit of length is.
pub(crate) fn each() -> f64 {
    LengthField::Metres.read("1").unwrap_or(1.0)
}

/// Which keys a phone shows for a length: feet and inches need more than figures.
pub(crate) fn keys() -> &'static str {
    if spoken().lengths == Lengths::Metric { "decimal" } else { "text" }
}

/// A text of the program in the words of the region.
pub(crate) fn say(text: &str) -> String {
    local(text).into_owned()
}
