//! When the sun rises and sets where a house stands: the sun's upper edge at the horizon with the usual refraction (its
//! centre 50 minutes of arc below it), and civil twilight (six degrees).
//!
//! Positions are those of the Solar Position Algorithm (Reda and Andreas, NREL/TP-560-34302), crossings are searched for.

use jiff::civil::Date;
use jiff::{SignedDuration, Timestamp};
use solar_positioning::{Horizon, Location, SolarEvents, delta_t};

use crate::moment::HouseClock;
use crate::site::SunEvent;

/// Where a house stands, in degrees: north of the equator, east of Greenwich.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Whereabouts {
    /// North of the equator; negative south of it.
    pub latitude: f64,
    /// East of Greenwich; negative west of it.
    pub longitude: f64,
}

/// The Julian date of the first second of 1970.
const JULIAN_1970: f64 = 2_440_587.5;

/// When the sun does something on a day by the clock of a house, to the second; nothing where it does not on that day, near
/// the poles.
pub fn sun_event(
    place: Whereabouts,
    clock: &HouseClock,
    day: Date,
    event: SunEvent,
) -> Option<Timestamp> {
    let (from, to) = (clock.midnight(day)?, clock.midnight(day.tomorrow().ok()?)?);
    let julian = |at: Timestamp| {
        #[expect(clippy::cast_precision_loss, reason = "seconds of a few centuries")]
        let seconds = at.as_second() as f64;
        JULIAN_1970 + seconds / 86_400.0
    };
    let (first, last) = (julian(from), julian(to));
    let there = Location { latitude: place.latitude, longitude: place.longitude };
    let off = delta_t::estimate_from_date(day.year().into(), day.month().unsigned_abs().into());
    let (off, all) = (off.ok()?, SolarEvents::new());
    let found = match event {
        SunEvent::Dawn => {
            all.next_rise_from_julian(first, last, there, off, Horizon::CivilTwilight)
        }
        SunEvent::Sunrise => {
            all.next_rise_from_julian(first, last, there, off, Horizon::SunriseSunset)
        }
        SunEvent::Sunset => {
            all.next_set_from_julian(first, last, there, off, Horizon::SunriseSunset)
        }
        SunEvent::Dusk => all.next_set_from_julian(first, last, there, off, Horizon::CivilTwilight),
    };
    let days = found.ok()?? - first;
    #[expect(clippy::cast_possible_truncation, reason = "within a day or two")]
    let seconds = (days * 86_400.0).round() as i64;
    from.checked_add(SignedDuration::from_secs(seconds)).ok()
}
