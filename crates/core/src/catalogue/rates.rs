//! What time and small parts cost: shipped rows, each of which a firm and a job may overrule.

use std::sync::LazyLock;

use serde::{Deserialize, Serialize};

/// What something costs or takes.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct RateRow {
    /// Its id.
    pub id: String,
    /// What it is of.
    pub name: String,
    /// What it is counted in.
    pub unit: String,
    /// A *planning value*.
    pub value: f64,
}

#[derive(Deserialize)]
struct Rows {
    rate: Vec<RateRow>,
}

/// The rows. A broken file is a defect that the tests catch.
pub static RATES: LazyLock<Vec<RateRow>> = LazyLock::new(|| {
    toml::from_str::<Rows>(include_str!("../../data/rates.toml"))
        .map(|rows| rows.rate)
        .unwrap_or_default()
});

/// The row of this id.
pub fn row(id: &str) -> Option<&'static RateRow> {
    RATES.iter().find(|r| r.id == id)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_rate_is_read_and_stands_once() {
        assert!(RATES.len() > 20);
        for rate in RATES.iter() {
            assert!(rate.value > 0.0 && !rate.name.is_empty(), "{}", rate.id);
            assert_eq!(RATES.iter().filter(|r| r.id == rate.id).count(), 1, "{}", rate.id);
        }
    }
}
