//! Bytes in, `Imported { value, findings }` out; one format a file, each with its limits.

pub mod advise_json;
pub mod analysis_json;
pub mod bill_csv;
mod budget;
pub mod calendar_ics;
pub mod catalogue_json;
pub mod controls_json;
pub mod fit_json;
pub mod gains_csv;
pub mod hub_list;
pub mod job_file;
pub mod ledger_csv;
pub mod library;
pub mod name_list;
pub mod path_json;
pub mod place_json;
pub mod plan;
pub mod plan_image;
pub mod points_csv;
pub mod prove_json;
pub mod readings_csv;
pub mod rules_json;
pub mod scan_csv;
pub mod schedule_json;
pub mod surface;
mod table;
pub mod tables;
pub mod told;
pub mod visits_json;
pub mod wiring_json;

/// What an import gave: the value, and what could not be taken.
#[derive(Clone, Debug, PartialEq)]
pub struct Imported<T> {
    /// What was read.
    pub value: T,
    /// What was left out or doubtful, in the order of the file.
    pub findings: Vec<ImportFinding>,
}

impl<T> Imported<T> {
    /// The same, its value made into another.
    pub fn map<U>(self, into: impl FnOnce(T) -> U) -> Imported<U> {
        Imported { value: into(self.value), findings: self.findings }
    }
}

/// Something in a file that was left out, and why.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ImportFinding {
    /// Where: `line 4`, `wall w3`.
    pub place: String,
    /// What is wrong and what to do.
    pub reason: String,
}
