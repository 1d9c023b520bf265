//! How cables usually run: rows, and what one comes to for so many places.

use std::sync::LazyLock;

use serde::Deserialize;

use crate::site::Function;

/// Where a cable ends.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum CableEnd {
    /// The breaker, or the box before which nothing of this control is.
    Panel,
    /// The box of a place, by its number along the cable.
    Place(usize),
    /// The fitting.
    Fitting,
    /// What is fed on from the box of a place.
    Onward(usize),
}

/// A cable with its conductors, earth left out.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Cable {
    /// The end nearer to the feed.
    pub from: CableEnd,
    /// The other end.
    pub to: CableEnd,
    /// What each conductor is as the house was wired.
    pub cores: Vec<Function>,
}

/// Where line and neutral come in.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum FeedAt {
    /// In the first box.
    First,
    /// At the fitting.
    Fitting,
}

/// From which box the load leaves.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum LoadFrom {
    /// From the first box.
    #[default]
    First,
    /// From the last.
    Last,
}

/// A usual layout.
#[derive(Debug, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct LayoutRow {
    /// Its id; stable.
    pub id: String,
    /// Its name, to stand in a sentence.
    pub name: String,
    /// For how many places at the least and at the most.
    pub places: [usize; 2],
    /// Where line and neutral come in.
    pub feed: FeedAt,
    /// From which box the load leaves.
    #[serde(default)]
    pub load: LoadFrom,
    /// The conductors that come in at the feed.
    #[serde(default = "line_and_neutral")]
    supply: Vec<Function>,
    #[serde(default)]
    between: Vec<Function>,
    #[serde(default, rename = "loop")]
    to_first: Vec<Function>,
    #[serde(default)]
    back: Vec<Function>,
    #[serde(default)]
    lead: Vec<Function>,
    /// Why nothing is planned in it; empty where it may be.
    #[serde(default)]
    pub danger: String,
}

fn line_and_neutral() -> Vec<Function> {
    vec![Function::Line, Function::Neutral]
}

#[derive(Deserialize)]
struct File {
    layout: Vec<LayoutRow>,
}

/// Every usual layout.
pub static LAYOUTS: LazyLock<Vec<LayoutRow>> = LazyLock::new(|| {
    let file: Result<File, _> = toml::from_str(include_str!("../../data/layouts.toml"));
    file.map(|f| f.layout).unwrap_or_default()
});

impl LayoutRow {
    /// Whether it is one of a control of so many places.
    pub fn is_of(&self, places: usize) -> bool {
        (self.places[0]..=self.places[1]).contains(&places)
    }

    /// Its cables for so many places.
    pub fn cables(&self, places: usize) -> Vec<Cable> {
        let cable = |from, to, cores: &Vec<Function>| Cable { from, to, cores: cores.clone() };
        let last = CableEnd::Place(places.saturating_sub(1));
        let mut all = Vec::new();
        match self.feed {
            FeedAt::First => all.push(cable(CableEnd::Panel, CableEnd::Place(0), &self.supply)),
            FeedAt::Fitting => {
                all.push(cable(CableEnd::Panel, CableEnd::Fitting, &self.supply));
                all.push(cable(CableEnd::Fitting, CableEnd::Place(0), &self.to_first));
            }
        }
        all.extend(
            (1..places).map(|n| cable(CableEnd::Place(n - 1), CableEnd::Place(n), &self.between)),
        );
        match self.feed {
            FeedAt::First => {
                let from = if self.load == LoadFrom::First { CableEnd::Place(0) } else { last };
                all.push(cable(from, CableEnd::Fitting, &self.lead));
            }
            FeedAt::Fitting if !self.back.is_empty() => {
                all.push(cable(last, CableEnd::Fitting, &self.back));
            }
            FeedAt::Fitting => {}
        }
        all
    }
}
