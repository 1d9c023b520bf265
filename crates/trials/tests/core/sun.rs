//! What the sun does, held against an almanac and a formula of another school.

#![expect(
    clippy::unwrap_used,
    clippy::cast_possible_truncation,
    reason = "what panics here is the finding of a test"
)]

use dot_reach_core::moment::HouseClock;
use dot_reach_core::rules::{Whereabouts, sun_event};
use dot_reach_core::site::SunEvent;
use jiff::SignedDuration;
use jiff::civil::{Date, date};
use proptest::prelude::*;

/// Minutes since midnight of a time that is written `05:25`.
fn minutes(text: &str) -> i64 {
    let (hour, minute) = text.split_once(':').unwrap();
    hour.parse::<i64>().unwrap() * 60 + minute.parse::<i64>().unwrap()
}

#[test]
fn the_sun_rises_and_sets_as_the_almanac_says() {
    // Rise and set of the sun for one year, as the astronomical applications departments print them: to the minute, by the
    // clock of the place.
    let rows = [
        (51.5, -0.12, "Europe/London", date(2026, 6, 21), "04:43", "21:21"),
        (51.5, -0.12, "Europe/London", date(2026, 12, 21), "08:03", "15:53"),
        (40.71, -74.01, "America/New_York", date(2026, 6, 21), "05:25", "20:31"),
        (40.71, -74.01, "America/New_York", date(2026, 12, 21), "07:16", "16:31"),
        (-33.87, 151.21, "Australia/Sydney", date(2026, 6, 21), "07:00", "16:54"),
        (-33.87, 151.21, "Australia/Sydney", date(2026, 12, 21), "05:41", "20:05"),
        (1.29, 103.85, "Asia/Singapore", date(2026, 3, 20), "07:09", "19:16"),
        (64.15, -21.94, "Atlantic/Reykjavik", date(2026, 12, 21), "11:22", "15:30"),
    ];
    for (latitude, longitude, zone, day, rises, sets) in rows {
        let clock = HouseClock::of(zone).unwrap();
        let place = Whereabouts { latitude, longitude };
        for (event, told) in [(SunEvent::Sunrise, rises), (SunEvent::Sunset, sets)] {
            let at = sun_event(place, &clock, day, event).unwrap();
            let half = at.checked_add(SignedDuration::from_secs(30)).unwrap();
            let off = i64::from(clock.shows(half).1) - minutes(told);
            assert!(off.abs() <= 1, "{zone} {day} {event:?}: {} for {told}", clock.written(at));
        }
    }
}

#[test]
fn beyond_the_polar_circle_the_sun_stays_up_or_down() {
    let clock = HouseClock::of("Europe/Oslo").unwrap();
    let north = Whereabouts { latitude: 69.65, longitude: 18.96 };
    let of = |day, event| sun_event(north, &clock, day, event);
    for event in [SunEvent::Sunrise, SunEvent::Sunset, SunEvent::Dawn, SunEvent::Dusk] {
        assert_eq!(of(date(2026, 6, 21), event), None, "{event:?}");
    }
    assert_eq!(of(date(2026, 12, 21), SunEvent::Sunrise), None);
    assert_eq!(of(date(2026, 12, 21), SunEvent::Sunset), None);
    // It is light for a while all the same.
    assert!(of(date(2026, 12, 21), SunEvent::Dawn) < of(date(2026, 12, 21), SunEvent::Dusk));
    assert!(of(date(2026, 3, 20), SunEvent::Sunrise).is_some());
}

/// Sunrise or sunset in minutes of Greenwich, by the general solar position equations of the NOAA; nothing where there is
/// none.
fn by_noaa(place: Whereabouts, day: Date, rises: bool) -> Option<f64> {
    let (lat, lon) = (place.latitude.to_radians(), place.longitude);
    let mut at = 720.0 - 4.0 * lon;
    for _ in 0..3 {
        let days = f64::from(day.day_of_year()) - 1.0 + (at / 60.0 - 12.0) / 24.0;
        let year = if day.in_leap_year() { 366.0 } else { 365.0 };
        let g = std::f64::consts::TAU / year * days;
        let equation = 229.18
            * (0.000_075 + 0.001_868 * g.cos()
                - 0.032_077 * g.sin()
                - 0.014_615 * (2.0 * g).cos()
                - 0.040_849 * (2.0 * g).sin());
        let decline = 0.006_918 - 0.399_912 * g.cos() + 0.070_257 * g.sin()
            - 0.006_758 * (2.0 * g).cos()
            + 0.000_907 * (2.0 * g).sin()
            - 0.002_697 * (3.0 * g).cos()
            + 0.001_48 * (3.0 * g).sin();
        let cos = (90.833_f64.to_radians().cos() - lat.sin() * decline.sin())
            / (lat.cos() * decline.cos());
        if !(-1.0..=1.0).contains(&cos) {
            return None;
        }
        let angle = cos.acos().to_degrees();
        at = 720.0 - 4.0 * (lon + if rises { angle } else { -angle }) - equation;
    }
    Some(at)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    /// Two schools of the sun agree within four minutes: the short formula is that far off by itself.
    #[test]
    fn another_formula_finds_the_same_sun(
        latitude in -50.0..50.0f64,
        longitude in -170.0..170.0f64,
        day in 0..3650i64,
        rises in any::<bool>(),
    ) {
        let place = Whereabouts { latitude, longitude };
        let day = date(2024, 1, 1).checked_add(jiff::Span::new().days(day)).unwrap();
        let told = by_noaa(place, day, rises).unwrap();
        // By a clock of the place itself, so that the event falls on the day.
        let from = day.at(0, 0, 0, 0).to_zoned_datetime(jiff::tz::TimeZone::UTC).unwrap().timestamp();
        let seconds = (told * 60.0).round() as i64;
        let expected = from.checked_add(SignedDuration::from_secs(seconds)).unwrap();
        let event = if rises { SunEvent::Sunrise } else { SunEvent::Sunset };
        let clock = HouseClock::of("UTC").unwrap();
        let near: Vec<i64> = [day.yesterday().unwrap(), day, day.tomorrow().unwrap()]
            .into_iter()
            .filter_map(|d| sun_event(place, &clock, d, event))
            .map(|at| (at.as_second() - expected.as_second()).abs())
            .collect();
        prop_assert!(near.iter().any(|off| *off <= 240), "{near:?} at {place:?} on {day}");
    }
}
