//! Moments: instants of time, in UTC and to the second. A text that is no time cannot become one.

use std::fmt;
use std::ops::Deref;

use jiff::Timestamp;
use jiff::civil::{Date, DateTime};
use jiff::tz::TimeZone;
use schemars::{JsonSchema, Schema, SchemaGenerator};
use serde::{Deserialize, Serialize};

use crate::speech::{TradeWords, spoken};

/// An instant, in UTC and to the second. It is written `2026-03-14T10:05:00Z`, always in as many signs, so
/// that moments in the order of their texts are in the order of time.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Moment(String);

/// A time as it is written in America: `Jul 14, 2026, 6:05 AM`.
const AMERICAN: &str = "%b %-d, %Y, %-I:%M %p";

/// A text that is no time.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("“{0}” is no time; write it as 2026-03-14T10:05:00Z")]
pub struct NoMoment(String);

impl Moment {
    /// Reads a time by ISO 8601. One that names no zone is taken as UTC, a bare date as its midnight.
    ///
    /// ```
    /// use dot_reach_core::moment::Moment;
    /// let told = Moment::read("2026-03-14T12:05:00.25+02:00").unwrap();
    /// assert_eq!(&*told, "2026-03-14T10:05:00Z");
    /// assert!(Moment::read("yesterday, about noon").is_err());
    /// ```
    ///
    /// # Errors
    /// The text is no time between the years 0 and 9999.
    pub fn read(text: &str) -> Result<Self, NoMoment> {
        let none = || NoMoment(text.chars().take(60).collect());
        let text = text.trim();
        let zoned = || text.parse::<Timestamp>().ok();
        let civil = || text.parse::<DateTime>().ok();
        let bare = || text.parse::<Date>().ok().map(|day| day.at(0, 0, 0, 0));
        let utc = || TimeZone::UTC.to_timestamp(civil().or_else(bare)?).ok();
        let instant = zoned().or_else(utc).ok_or_else(none)?;
        let told = instant.strftime("%Y-%m-%dT%H:%M:%SZ").to_string();
        let is_of_a_year = !told.starts_with('-') && told.len() == "0000-00-00T00:00:00Z".len();
        if is_of_a_year { Ok(Self(told)) } else { Err(none()) }
    }

    /// The same, where one that names no zone is meant by the clock of a house.
    ///
    /// # Errors
    /// Those of [`Self::read`].
    pub fn read_by(clock: &HouseClock, text: &str) -> Result<Self, NoMoment> {
        let text = text.trim();
        let american = || DateTime::strptime(AMERICAN, text).ok();
        let civil = || text.parse::<DateTime>().ok().or_else(american);
        let bare = || text.parse::<Date>().ok().map(|day| day.at(0, 0, 0, 0));
        let is_civil = text.parse::<Timestamp>().is_err();
        match (&clock.0, civil().or_else(bare).filter(|_| is_civil)) {
            (Some(zone), Some(civil)) => {
                let instant = zone.to_timestamp(civil).map_err(|_| NoMoment(text.to_owned()))?;
                Self::read(&instant.to_string())
            }
            _ => Self::read(text),
        }
    }

    /// Before anything that a job tells of: where nobody said when.
    pub fn first() -> Self {
        Self("0000-01-01T00:00:00Z".to_owned())
    }

    /// So many years on, of 365.25 days each; the last moment that can be written, where that lies beyond.
    ///
    /// ```
    /// use dot_reach_core::moment::Moment;
    /// let put_in = Moment::read("2026-03-14").unwrap();
    /// assert_eq!(&*put_in.years_on(8.0), "2034-03-14T00:00:00Z");
    /// ```
    #[must_use]
    pub fn years_on(&self, years: f64) -> Self {
        let last = || Self("9999-12-31T23:59:59Z".to_owned());
        let seconds = (years * 365.25 * 86_400.0).clamp(0.0, 3e11);
        #[expect(clippy::cast_possible_truncation, reason = "bounded above")]
        let span = jiff::SignedDuration::from_secs(seconds as i64);
        let then = self.0.parse::<Timestamp>().ok().and_then(|at| at.checked_add(span).ok());
        then.and_then(|at| Self::read(&at.to_string()).ok()).unwrap_or_else(last)
    }

    /// Seconds from this to a later one; below nought to an earlier one.
    pub fn seconds_until(&self, other: &Self) -> i64 {
        let second = |moment: &Self| moment.0.parse::<Timestamp>().map_or(0, Timestamp::as_second);
        second(other) - second(self)
    }
}

impl TryFrom<String> for Moment {
    type Error = NoMoment;
    fn try_from(text: String) -> Result<Self, NoMoment> {
        Self::read(&text)
    }
}

impl std::str::FromStr for Moment {
    type Err = NoMoment;
    fn from_str(text: &str) -> Result<Self, NoMoment> {
        Self::read(text)
    }
}

impl From<Moment> for String {
    fn from(moment: Moment) -> Self {
        moment.0
    }
}

/// As it is written.
impl Deref for Moment {
    type Target = str;
    fn deref(&self) -> &str {
        &self.0
    }
}

/// The clock of a house: a job's times are shown by it, and times that name no zone are meant by it. Nothing while nobody
/// said where the house stands: times are those of Greenwich then, and say so.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct HouseClock(Option<TimeZone>);

impl HouseClock {
    /// The clock of a time zone by its name, such as `Europe/Lisbon`; nothing where there is none of that name.
    pub fn of(zone: &str) -> Option<Self> {
        TimeZone::get(zone).ok().map(|zone| Self(Some(zone)))
    }

    /// Its zone; that of Greenwich while nobody said where the house stands.
    fn zone(&self) -> TimeZone {
        self.0.clone().unwrap_or(TimeZone::UTC)
    }

    /// The name of its zone, where somebody said it.
    pub fn name(&self) -> Option<&str> {
        self.0.as_ref()?.iana_name()
    }

    /// The first instant of a day by it.
    pub fn midnight(&self, day: Date) -> Option<Timestamp> {
        self.instant(day, 0)
    }

    /// The instant at which it shows so many minutes since midnight. An hour that it leaves out in spring comes as much
    /// later; of one that it shows twice in autumn it is the first.
    pub fn instant(&self, day: Date, minutes: u16) -> Option<Timestamp> {
        let (hour, minute) = (i8::try_from(minutes / 60).ok()?, i8::try_from(minutes % 60).ok()?);
        self.zone().to_timestamp(day.at(hour, minute, 0, 0)).ok()
    }

    /// The day that it shows at an instant, and how many minutes since midnight.
    pub fn shows(&self, at: Timestamp) -> (Date, u16) {
        let civil = self.zone().to_datetime(at);
        let of = |part: i8| u16::from(part.unsigned_abs());
        (civil.date(), of(civil.hour()) * 60 + of(civil.minute()))
    }

    /// An instant as it shows it, with how far that is from Greenwich: `2026-06-21T22:05:00+02:00`.
    pub fn written(&self, at: Timestamp) -> String {
        at.to_zoned_datetime(self.zone()).strftime("%Y-%m-%dT%H:%M:%S%:z").to_string()
    }

    /// A time as the people of the house write it: day, hour and minute; “not said” for one that nobody said.
    ///
    /// ```
    /// use dot_reach_core::moment::HouseClock;
    /// let paris = HouseClock::of("Europe/Paris").unwrap();
    /// assert_eq!(paris.says("2026-07-14T10:05:00Z"), "2026-07-14 12:05");
    /// assert_eq!(paris.says("2026-03-14T10:05:00Z"), "2026-03-14 11:05");
    /// assert_eq!(HouseClock::default().says("2026-03-14T10:05:00Z"), "2026-03-14 10:05 GMT");
    /// ```
    pub fn says(&self, at: &str) -> String {
        let instant = at.parse::<Timestamp>().ok().filter(|_| at != &*Moment::first());
        let american = spoken().words == TradeWords::American;
        match (&self.0, instant) {
            (Some(zone), Some(instant)) => {
                let written = if american { AMERICAN } else { "%Y-%m-%d %H:%M" };
                zone.to_datetime(instant).strftime(written).to_string()
            }
            (None, Some(_)) => format!("{} GMT", in_words(at)),
            (_, None) => in_words(at),
        }
    }
}

/// A time of the day, of so many minutes since midnight, as the people of the house write it: `22:30`, or `10:30 PM`.
pub fn time_of_day(minutes: u16) -> String {
    let (hour, minute) = (minutes / 60, minutes % 60);
    if spoken().words != TradeWords::American {
        return format!("{hour:02}:{minute:02}");
    }
    let half = if hour < 12 { "AM" } else { "PM" };
    format!("{}:{minute:02} {half}", (hour + 11) % 12 + 1)
}

/// A time that is written by the clock of the house already, as a person reads it: day, hour and minute; “not said” for one
/// that nobody said.
pub fn in_words(at: &str) -> String {
    if at == &*Moment::first() {
        return "not said".to_owned();
    }
    at.chars().take(16).map(|c| if c == 'T' { ' ' } else { c }).collect()
}

impl fmt::Display for Moment {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl JsonSchema for Moment {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Moment".into()
    }
    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        schemars::json_schema!({ "type": "string", "format": "date-time" })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::speech::{Speech, speaking};

    #[test]
    fn what_names_no_zone_is_meant_by_the_clock_of_the_house_and_comes_back_as_it_was_typed() {
        let clock = HouseClock::of("America/New_York").unwrap();
        for typed in
            ["2026-01-31 23:30", "2026-07-14 10:05", "2026-03-08 01:59", "2026-11-01 03:00"]
        {
            let read = Moment::read_by(&clock, typed).unwrap();
            assert_eq!(clock.says(&read), typed);
        }
        let american = Speech { words: TradeWords::American, ..Speech::default() };
        for at in ["2026-07-14T10:05:00Z", "2026-12-31T04:30:00Z", "2026-02-01T17:00:00Z"] {
            let written = speaking(american, || clock.says(at));
            assert!(written.contains(", 2026, "), "{written}");
            assert_eq!(&*Moment::read_by(&clock, &written).unwrap(), at, "{written}");
        }
        let told = Moment::read_by(&clock, "2026-07-14T10:05:00Z").unwrap();
        assert_eq!(
            (&*told, clock.says(&told).as_str()),
            ("2026-07-14T10:05:00Z", "2026-07-14 06:05")
        );
        assert_eq!(
            Moment::read_by(&HouseClock::default(), "2026-07-14 10:05"),
            Moment::read("2026-07-14 10:05")
        );
        assert_eq!(HouseClock::of("Nowhere/At_All"), None);
    }

    #[test]
    fn a_moment_is_read_in_every_zone_and_told_in_one() {
        for text in [
            "2026-03-14T10:05:00Z",
            "2026-03-14T10:05:00.9Z",
            "2026-03-14 10:05Z",
            "2026-03-14T10:05",
            "2026-03-14T05:05:00-05:00",
        ] {
            assert_eq!(&*Moment::read(text).unwrap(), "2026-03-14T10:05:00Z", "{text}");
        }
        assert_eq!(&*Moment::read("2026-03-14").unwrap(), "2026-03-14T00:00:00Z");
    }

    #[test]
    fn what_is_no_time_is_refused() {
        for text in
            ["", "soon", "2026-13-01", "2026-02-30T10:00:00Z", "-000001-01-01T00:00:00Z", "\0"]
        {
            assert!(Moment::read(text).is_err(), "{text}");
        }
    }

    #[test]
    fn the_order_of_texts_is_the_order_of_time() {
        let times = [
            "0000-01-01T00:00:00Z",
            "1999-12-31T23:59:59Z",
            "2026-03-14T10:05:00+01:00",
            "2026-03-14T10:05:00Z",
        ];
        let read: Vec<Moment> = times.iter().map(|t| Moment::read(t).unwrap()).collect();
        assert!(read.is_sorted());
        assert_eq!(read[2].seconds_until(&read[3]), 3600);
    }
}
