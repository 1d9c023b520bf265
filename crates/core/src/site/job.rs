//! What the whole job rests on.

use std::collections::{BTreeMap, BTreeSet};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::kept::{name, note};
use super::{Refusal, Wrong};
use crate::catalogue::countries::{COUNTRIES, WiringCountry, country};
use crate::catalogue::{DeviceKind, Duty, FittingWay, Supply};
use crate::confidence::Confidence;
use crate::moment::HouseClock;
use crate::radio::region::Region;
use crate::speech::{Lengths, Speech};

/// What kind of work a job is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum JobKind {
    /// Nobody said.
    #[default]
    Unsaid,
    /// A house that is being built.
    New,
    /// Walls are open.
    Renovation,
    /// Walls stay as they are.
    Retrofit,
}

impl JobKind {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 4] = [
        (Self::Unsaid, "not said"),
        (Self::New, "new build"),
        (Self::Renovation, "renovation"),
        (Self::Retrofit, "retrofit"),
    ];
}

/// What a client does not accept, whoever proposes it.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum Refused {
    /// Rings that make a box stand out from the wall.
    Extenders,
    /// Plugs that stand in sight only to repeat.
    VisibleBoxes,
    /// Walls opened for a box or a cable.
    OpenedWalls,
    /// Batteries that somebody has to change.
    Batteries,
    /// What works only by its maker's servers.
    MakersServers,
}

impl Refused {
    /// Each with its words.
    pub const ALL: [(Self, &'static str); 5] = [
        (Self::Extenders, "extender rings"),
        (Self::VisibleBoxes, "plugs that are only there to repeat"),
        (Self::OpenedWalls, "opened walls"),
        (Self::Batteries, "batteries"),
        (Self::MakersServers, "what works only by its maker’s servers"),
    ];

    /// Its words.
    pub fn name(self) -> &'static str {
        Self::ALL.iter().find(|(refused, _)| *refused == self).map_or("", |(_, name)| name)
    }
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
fn is_unsaid(work: &JobKind) -> bool {
    *work == JobKind::Unsaid
}

/// What the whole job rests on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Job {
    /// The name of the job.
    pub name: String,
    /// For whom.
    #[serde(default)]
    pub client: String,
    /// Where.
    #[serde(default)]
    pub address: String,
    /// Sets frequencies and transmit limits.
    pub region: Region,
    /// The country whose rules of wiring hold, by its code; empty while nobody said. Another thing than the region.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub wiring_country: String,
    /// The time zone of the house by its name, where it is not the usual one of its country.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub time_zone: String,
    /// How far north of the equator the house stands, in degrees; nothing while nobody said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub latitude: Option<f64>,
    /// How far east of Greenwich it stands, in degrees; nothing while nobody said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub longitude: Option<f64>,
    /// The holidays of the house, as `2026-12-25`, or `12-25` for every year.
    #[serde(default, skip_serializing_if = "BTreeSet::is_empty")]
    pub holidays: BTreeSet<String>,
    /// How lengths are written, where it is not as the country does.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub lengths: Option<Lengths>,
    /// How sure a single link must be.
    pub confidence: Confidence,
    /// When the house was built; it says what boxes are likely to hold, and proves nothing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub built: Option<u16>,
    /// What kind of work it is.
    #[serde(default, skip_serializing_if = "is_unsaid")]
    pub work: JobKind,
    /// What is there to spend; nothing while nobody said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub budget: Option<f64>,
    /// The currency of all prices, such as EUR.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub currency: String,
    /// How long devices should last at least, in years; nothing where nobody minds.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub keep_years: Option<f64>,
    /// Every how many months the house is read again once it is proven; nothing where nobody agreed on it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub check_months: Option<f64>,
    /// What the client does not accept.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub refuses: String,
    /// What of the usual remedies the client does not accept: it binds every proposal.
    #[serde(default, skip_serializing_if = "BTreeSet::is_empty")]
    pub refused: BTreeSet<Refused>,
    /// How devices are set in this house, by the name of the setting: once for all of them.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub settings: BTreeMap<String, String>,
    /// Who agreed to the sheet for the first fix, and when; empty while nobody has.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub first_fix: String,
    /// Where a collector of the house's hubs can be asked, such as `127.0.0.1:8931`; empty where there
    /// is none.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub collector: String,
    /// What to keep in mind, in free words.
    #[serde(default)]
    pub note: String,
}

impl Job {
    /// Fields that are sets of words.
    pub(super) const SETS: &'static [&'static str] = &["refused"];

    /// A job of which nothing more is known.
    pub fn new(name: &str, region: Region, confidence: Confidence) -> Self {
        let none = String::new;
        Self {
            name: name.to_owned(),
            client: none(),
            address: none(),
            region,
            wiring_country: none(),
            time_zone: none(),
            latitude: None,
            longitude: None,
            holidays: BTreeSet::new(),
            lengths: None,
            confidence,
            built: None,
            work: JobKind::Unsaid,
            budget: None,
            currency: none(),
            keep_years: None,
            check_months: None,
            refuses: none(),
            refused: BTreeSet::new(),
            settings: BTreeMap::new(),
            first_fix: none(),
            collector: none(),
            note: none(),
        }
    }

    /// The country whose rules of wiring hold, where it is said and on record.
    pub fn country(&self) -> Option<&'static WiringCountry> {
        country(&self.wiring_country)
    }

    /// The clock of the house: of its time zone, or else of its country.
    pub fn clock(&self) -> HouseClock {
        let usual = || self.country().and_then(|country| HouseClock::of(&country.zone));
        HouseClock::of(&self.time_zone).or_else(usual).unwrap_or_default()
    }

    /// How it is said in this house: as in its country, but for lengths where something else is said.
    pub fn speech(&self) -> Speech {
        let usual = self.country().map(|c| Speech { lengths: c.lengths, words: c.words });
        let usual = usual.unwrap_or_default();
        Speech { lengths: self.lengths.unwrap_or(usual.lengths), ..usual }
    }

    /// What of its refusals speaks against a device of such a row, wherever it stands.
    pub fn refuses_kind(&self, kind: &DeviceKind) -> Option<Refused> {
        self.refused.iter().copied().find(|refused| match refused {
            Refused::Extenders | Refused::OpenedWalls => false,
            Refused::VisibleBoxes => kind.duty == Duty::Repeater && kind.supply == Supply::Plug,
            Refused::Batteries => kind.supply == Supply::Battery,
            Refused::MakersServers => {
                kind.fit.platforms.iter().eq(std::iter::once(&FittingWay::Cloud))
            }
        })
    }

    pub(super) fn check(&self) -> Result<(), Refusal> {
        name(&self.name)?;
        note("note", &self.note)?;
        if !self.wiring_country.is_empty() && self.country().is_none() {
            let known =
                COUNTRIES.iter().map(|row| row.code.as_str()).collect::<Vec<_>>().join(", ");
            let text = self.wiring_country.clone();
            return Err(Refusal::wrong("wiring_country", Wrong::NoneOf { text, known }));
        }
        if !self.time_zone.is_empty() && HouseClock::of(&self.time_zone).is_none() {
            return Err(Refusal::wrong(
                "time_zone",
                Wrong::NoZone { text: self.time_zone.clone() },
            ));
        }
        let is_day = |text: &String| {
            let every_year = format!("2024-{text}").parse::<jiff::civil::Date>().is_ok();
            every_year || text.parse::<jiff::civil::Date>().is_ok()
        };
        if let Some(text) = self.holidays.iter().find(|text| !is_day(text)) {
            return Err(Refusal::wrong("holidays", Wrong::NoDay { text: text.clone() }));
        }
        note("client", &self.client)?;
        note("currency", &self.currency)?;
        note("refuses", &self.refuses)?;
        self.settings.values().try_for_each(|text| note("settings", text))?;
        note("first_fix", &self.first_fix)?;
        note("collector", &self.collector)?;
        let values = [
            ("latitude", self.latitude, -90.0, 90.0, "degrees"),
            ("longitude", self.longitude, -180.0, 180.0, "degrees"),
            ("built", self.built.map(f64::from), 1000.0, 2100.0, ""),
            ("budget", self.budget, 0.0, 1e9, ""),
            ("keep_years", self.keep_years, 0.0, 100.0, "years"),
            ("check_months", self.check_months, 0.5, 120.0, "months"),
        ];
        for (field, value, low, high, unit) in values {
            if let Some(is) = value.filter(|v| !(low..=high).contains(v)) {
                return Err(Refusal::wrong(field, Wrong::Sheet { is, low, high, unit }));
            }
        }
        note("address", &self.address)
    }
}
