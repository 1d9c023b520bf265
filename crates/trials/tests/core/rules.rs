//! Rules by the clock and the sun, held against a house that is looked at minute by minute; what does not make sense; and what was written before rules had other triggers.

#![expect(
    clippy::unwrap_used,
    clippy::cast_possible_truncation,
    reason = "what panics here is the finding of a test"
)]

use std::collections::BTreeMap;

use dot_reach_core::gate::work::WorkedDevice;
use dot_reach_core::moment::time_of_day;
use dot_reach_core::radio::system::System;
use dot_reach_core::record::Step;
use dot_reach_core::rules::{
    DaySpan, Hours, SenseOf, Whereabouts, happenings, in_a_sentence, senses,
};
use dot_reach_core::site::{
    Condition, DayTime, Rule, Site, SunEvent, Trigger, TurnsTo, Weekday, apply,
};
use dot_reach_core::speech::{Lengths, Speech, TradeWords, speaking};
use dot_reach_core::survey::natural::lights;
use jiff::civil::{Date, date};
use jiff::{SignedDuration, Timestamp};
use proptest::prelude::*;
use serde_json::{Value, json};

use crate::common::{bare, device, edit, with};

const BERLIN: Whereabouts = Whereabouts { latitude: 52.52, longitude: 13.405 };

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn a_time_of_day_is_read_back_as_it_is_written(minutes in 0..1440u16, offset in -360..=360i16, which in 0..4usize) {
        let sun = DayTime::Sun(SunEvent::ALL[which].0, offset);
        for time in [DayTime::Clock(minutes), sun] {
            prop_assert_eq!(time.to_string().parse(), Ok(time));
        }
    }
}

#[test]
fn what_is_no_time_of_day_is_refused() {
    for text in
        ["", "25:00", "12:60", "noon", "sunset+", "sunset 400", "sunset-361", "7", "7:5", "+7:05"]
    {
        assert!(text.parse::<DayTime>().is_err(), "{text}");
    }
    for (text, written) in [("7:05", "07:05"), (" Sunset − 15 ", "sunset-15"), ("dusk+0", "dusk")]
    {
        assert_eq!(text.parse::<DayTime>().unwrap().to_string(), written);
    }
}

/// A house in Berlin with a lamp, a fan, a freezer that stays on, and these rules.
pub(super) fn house(rules: &[Value]) -> Site {
    let mut edits = vec![
        device("hub", "hub", [0.0, 0.0]),
        device("lamp", "lamp", [2.0, 0.0]),
        device("fan", "switch-neutral", [4.0, 0.0]),
        device("cold", "plug-socket", [5.0, 0.0]),
        json!({"do": "set", "kind": "device", "id": "cold", "field": "stays_on", "value": true}),
        json!({"do": "set", "kind": "job", "id": "job", "field": "time_zone", "value": "Europe/Berlin"}),
        json!({"do": "set", "kind": "job", "id": "job", "field": "latitude", "value": BERLIN.latitude}),
        json!({"do": "set", "kind": "job", "id": "job", "field": "longitude", "value": BERLIN.longitude}),
        json!({"do": "set", "kind": "job", "id": "job", "field": "holidays", "value": ["12-25", "2026-05-01"]}),
    ];
    edits.extend(rules.iter().map(|rule| json!({"do": "put", "kind": "rule", "value": rule})));
    with(bare(System::Zigbee), &edits)
}

pub(super) fn rule(id: &str, at: &str, device: &str, to: &str) -> Value {
    json!({"id": id, "when": {"on": "time", "at": at}, "does": [{"what": {"device": device}, "to": to}]})
}

pub(super) fn on_days(mut rule: Value, days: &[&str], holidays: &str) -> Value {
    rule["only"] = json!([{"only": "days", "of": days, "holidays": holidays}]);
    rule
}

pub(super) fn found(site: &Site, span: DaySpan) -> Vec<(String, SenseOf, Option<Date>)> {
    let hours = Hours::of(site);
    let happened = happenings(site, &hours, span);
    let all = senses(site, &hours, span, &happened);
    all.into_iter().map(|s| (s.rule.to_string(), s.of, s.first)).collect()
}

pub(super) const YEAR: DaySpan = DaySpan { from: date(2026, 1, 1), days: 365 };

#[test]
fn the_clock_leaves_an_hour_out_and_shows_one_twice() {
    let site = house(&[rule("on", "02:30", "lamp", "on"), rule("off", "04:00", "lamp", "off")]);
    let hours = Hours::of(&site);
    let of = |day: Date| {
        let all = happenings(&site, &hours, DaySpan { from: day, days: 1 });
        all.iter().map(|h| hours.clock.written(h.at)).collect::<Vec<_>>()
    };
    assert_eq!(of(date(2026, 3, 28)), ["2026-03-28T02:30:00+01:00", "2026-03-28T04:00:00+01:00"]);
    // In spring it comes an hour later, in autumn the first time alone.
    assert_eq!(of(date(2026, 3, 29)), ["2026-03-29T03:30:00+02:00", "2026-03-29T04:00:00+02:00"]);
    assert_eq!(of(date(2026, 10, 25)), ["2026-10-25T02:30:00+02:00", "2026-10-25T04:00:00+01:00"]);
    let all = found(&site, YEAR);
    let first = |of: SenseOf| all.iter().find(|(_, o, _)| *o == of).and_then(|(_, _, day)| *day);
    assert_eq!(first(SenseOf::LeftOut), Some(date(2026, 3, 29)));
    assert_eq!(first(SenseOf::ShownTwice), Some(date(2026, 10, 25)));
}

#[test]
fn what_does_not_make_sense_is_found_with_its_first_date() {
    let first = |rules: &[Value], of: &SenseOf| {
        let all = found(&house(rules), YEAR);
        let of = all.iter().find(|(_, o, _)| o == of);
        of.map_or_else(|| panic!("{all:?}"), |(rule, _, day)| (rule.clone(), *day))
    };
    let is_well = |rules: &[Value]| assert_eq!(found(&house(rules), YEAR), []);
    is_well(&[rule("on", "sunset-15", "lamp", "on"), rule("off", "22:45", "lamp", "off")]);
    // In winter it goes off at nine. Once the sun sets after that, nothing switches it off in the evening, and the order of
    // the next day is the first: it burns for a night and a day.
    let late = [rule("on", "sunset", "lamp", "on"), rule("off", "21:00", "lamp", "off")];
    let fight = SenseOf::Fight { with: "off".parse().unwrap(), minutes: 0 };
    let all = found(&house(&late), YEAR);
    assert!(all.iter().any(|(_, of, _)| matches!(of, SenseOf::Fight { .. })), "{all:?} {fight:?}");
    let never =
        first(&[rule("on", "sunset", "lamp", "on")], &SenseOf::StaysOn { sometimes: false });
    assert_eq!(never, ("on".to_owned(), Some(date(2026, 1, 1))));
    let weekdays = ["mon", "tue", "wed", "thu", "fri"];
    let week = [
        on_days(rule("on", "18:00", "lamp", "on"), &weekdays, "as-any-day"),
        on_days(rule("off", "22:00", "lamp", "off"), &weekdays, "as-any-day"),
    ];
    let gap = SenseOf::Gap { days: [Weekday::Sat, Weekday::Sun].into() };
    assert_eq!(first(&week, &gap).1, Some(date(2026, 1, 3)));
    let verb = [rule("on", "18:00", "lamp", "off"), rule("off", "22:00", "lamp", "off")];
    assert_eq!(first(&verb, &SenseOf::ChangesNothing).1, None);
    let night = [rule("on", "23:30", "lamp", "on"), rule("off", "23:50", "lamp", "off")];
    assert_eq!(first(&night, &SenseOf::BrightAtNight), ("on".to_owned(), Some(date(2026, 1, 1))));
    let cold = [rule("off", "23:00", "cold", "off")];
    assert_eq!(first(&cold, &SenseOf::NeverOff).0, "off");
    let toggles = [rule("t", "20:00", "lamp", "toggle")];
    assert_eq!(first(&toggles, &SenseOf::TogglesByClock).0, "t");
    let twice = [
        rule("a", "20:00", "fan", "on"),
        rule("b", "20:00", "fan", "on"),
        rule("off", "21:00", "fan", "off"),
    ];
    assert_eq!(first(&twice, &SenseOf::Double { with: "b".parse().unwrap() }).0, "a");
    let mut waits = rule("w", "20:00", "fan", "on");
    waits["off_after_min"] = json!(180);
    assert_eq!(first(&[waits], &SenseOf::LongWait).0, "w");
    let mut lone = rule("l", "20:00", "fan", "on");
    lone["runs"] = json!("direct");
    assert_eq!(first(&[lone, rule("off", "21:00", "fan", "off")], &SenseOf::NoClock).0, "l");
    // By the sun, where nobody said where the house stands: it does not run, and says so.
    let mut nowhere = house(&[rule("on", "sunset", "lamp", "on")]);
    let gone = json!({"do": "set", "kind": "job", "id": "job", "field": "latitude", "value": null});
    apply(&mut nowhere, &edit(gone)).unwrap();
    assert_eq!(found(&nowhere, YEAR), [("on".to_owned(), SenseOf::NoPlace, None)]);
    // By the clock, where nobody said by which.
    let mut timeless =
        house(&[rule("on", "20:00", "lamp", "on"), rule("off", "22:00", "lamp", "off")]);
    let gone = json!({"do": "set", "kind": "job", "id": "job", "field": "time_zone", "value": ""});
    apply(&mut timeless, &edit(gone)).unwrap();
    let no_zone = |id: &str| (id.to_owned(), SenseOf::NoZone, None);
    assert_eq!(found(&timeless, YEAR), [no_zone("off"), no_zone("on")]);
    // A level for what has none.
    let mut dimmed = rule("d", "20:00", "fan", "on");
    dimmed["does"][0]["level"] = json!(40);
    let mut site = house(&[dimmed, rule("off", "21:00", "fan", "off")]);
    let fan = json!({"do": "put", "kind": "load", "value": {"id": "l", "name": "Lamps", "switched_at": "fan", "kind": "led"}});
    apply(&mut site, &edit(fan)).unwrap();
    let all = found(&site, YEAR);
    assert!(all.iter().any(|(rule, of, _)| rule == "d" && *of == SenseOf::CannotDim), "{all:?}");
    let mut north =
        house(&[rule("on", "sunset", "lamp", "on"), rule("off", "23:00", "lamp", "off")]);
    for (field, value) in [("latitude", 69.65), ("longitude", 18.96)] {
        let set = json!({"do": "set", "kind": "job", "id": "job", "field": field, "value": value});
        apply(&mut north, &edit(set)).unwrap();
    }
    let all = found(&north, YEAR);
    let dark = all.iter().find(|(_, of, _)| *of == SenseOf::NoSun(SunEvent::Sunset));
    assert_eq!(dark.and_then(|(_, _, day)| *day), Some(date(2026, 1, 1)), "{all:?}");
}

#[test]
fn on_a_holiday_a_rule_runs_as_it_says() {
    let of = |holidays: &str, day: Date| {
        let site = house(&[on_days(rule("on", "18:00", "lamp", "on"), &["fri"], holidays)]);
        happenings(&site, &Hours::of(&site), DaySpan { from: day, days: 1 }).len()
    };
    // The first of May and Christmas of 2026 are Fridays, the second of January is a plain one.
    for (holidays, on_holiday, on_friday) in
        [("as-any-day", 1, 1), ("never", 0, 1), ("only", 1, 0), ("as-sunday", 0, 1)]
    {
        assert_eq!(of(holidays, date(2026, 5, 1)), on_holiday, "{holidays}");
        assert_eq!(of(holidays, date(2026, 12, 25)), on_holiday, "{holidays}");
        assert_eq!(of(holidays, date(2026, 1, 2)), on_friday, "{holidays}");
    }
}

/// What each device is after each minute of a span in which that changes: every minute is looked at by itself.
fn minute_by_minute(site: &Site, span: DaySpan) -> Vec<(Timestamp, String, u8)> {
    let hours = Hours::of(site);
    let last = span.each().last().unwrap().tomorrow().unwrap();
    let (mut at, end) =
        (hours.clock.midnight(span.from).unwrap(), hours.clock.midnight(last).unwrap());
    let mut is: BTreeMap<String, u8> = BTreeMap::new();
    let mut timers: BTreeMap<(String, String), Timestamp> = BTreeMap::new();
    let mut changes = Vec::new();
    // What ran last of a time that the clock shows twice.
    let mut ran: BTreeMap<(String, Date), Timestamp> = BTreeMap::new();
    while at < end {
        let mut orders: Vec<(String, u8)> = Vec::new();
        let mut set_off = Vec::new();
        for rule in &site.rules {
            let Trigger::Time { at: time } = &rule.when else { continue };
            let (day, shown) = hours.clock.shows(at);
            let comes = match time {
                DayTime::Clock(minutes) => {
                    let left_out = |m: u16| {
                        let instant = hours.clock.instant(day, m).unwrap();
                        hours.clock.shows(instant).1 != m
                    };
                    shown == *minutes && !left_out(*minutes)
                        || left_out(*minutes) && shown == *minutes + 60
                }
                DayTime::Sun(event, offset) => {
                    [day.yesterday().unwrap(), day, day.tomorrow().unwrap()]
                        .into_iter()
                        .filter_map(|d| hours.sun(d, *event))
                        .any(|sun| {
                            let due = sun.as_second().div_euclid(60) + i64::from(*offset);
                            at.as_second().div_euclid(60) == due
                        })
                }
            };
            let is_second = ran.contains_key(&(rule.id.to_string(), day));
            let holds = rule.only.iter().all(|c| match c {
                Condition::Days { of, holidays } => hours.is_one_of(day, of, *holidays),
                _ => true,
            });
            if comes && holds && !is_second {
                ran.insert((rule.id.to_string(), day), at);
                for reached in site.reached_by(rule) {
                    let id = reached.device.to_string();
                    match reached.action.to {
                        // The fan has nothing between off and on.
                        TurnsTo::On if id == "fan" => orders.push((id.clone(), 100)),
                        TurnsTo::On => {
                            orders.push((id.clone(), reached.action.level.unwrap_or(100)));
                        }
                        TurnsTo::Off => orders.push((id.clone(), 0)),
                        TurnsTo::Toggle | TurnsTo::Dim => continue,
                    }
                    if let Some(after) = rule.off_after_min
                        && reached.action.to == TurnsTo::On
                    {
                        let wait = SignedDuration::from_mins(after.round() as i64);
                        set_off.push(((rule.id.to_string(), id), at.checked_add(wait).unwrap()));
                    }
                }
            }
        }
        // A timer that runs out at the minute in which its rule runs anew begins anew.
        for (key, until) in set_off {
            timers.insert(key, until);
        }
        for ((_, id), _) in timers.iter().filter(|(_, until)| **until == at) {
            orders.push((id.clone(), 0));
        }
        timers.retain(|_, until| *until > at);
        for (id, level) in orders {
            if is.insert(id.clone(), level) != Some(level) {
                changes.push((at, id, level));
            }
        }
        at = at.checked_add(SignedDuration::from_mins(1)).unwrap();
    }
    changes
}

pub(super) fn any_rule() -> impl Strategy<Value = Value> {
    let time = prop_oneof![
        (0..24u16, prop::sample::select(vec![0u16, 15, 30, 59]))
            .prop_map(|(h, m)| format!("{h:02}:{m:02}")),
        (prop::sample::select(vec!["dawn", "sunrise", "sunset", "dusk"]), -60..60i16)
            .prop_map(|(event, off)| format!("{event}{off:+}")),
    ];
    let days =
        prop::sample::subsequence(vec!["mon", "tue", "wed", "thu", "fri", "sat", "sun"], 0..7);
    let holidays = prop::sample::select(vec!["as-any-day", "as-sunday", "never", "only"]);
    let to = prop::sample::select(vec!["on", "off"]);
    let level = prop::option::of(1..100u8);
    let off = prop::option::weighted(0.2, 1..300u16);
    (time, days, holidays, prop::sample::select(vec!["lamp", "fan"]), to, level, off).prop_map(
        |(time, days, holidays, device, to, level, off)| {
            let mut made = on_days(rule("r", &time, device, to), &days, holidays);
            if let (Some(level), "on") = (level, to) {
                made["does"][0]["level"] = json!(level);
            }
            if let (Some(off), "on") = (off, to) {
                made["off_after_min"] = json!(off);
            }
            made
        },
    )
}

/// Rules each with an id of its own.
pub(super) fn numbered(rules: Vec<Value>) -> Vec<Value> {
    let own = |(n, mut rule): (usize, Value)| {
        rule["id"] = json!(format!("r{n}"));
        rule
    };
    rules.into_iter().enumerate().map(own).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// A house that is looked at every minute changes when, and as, the rules say: over both nights on which the clock is
    /// set, over holidays and midsummer.
    #[test]
    fn a_year_of_rules_is_that_of_a_house_looked_at_minute_by_minute(
        rules in prop::collection::vec(any_rule(), 1..6),
        from in 0..330i64,
    ) {
        let site = house(&numbered(rules));
        let from = date(2026, 1, 1).checked_add(jiff::Span::new().days(from)).unwrap();
        let span = DaySpan { from, days: 40 };
        let hours = Hours::of(&site);
        let mut is: BTreeMap<String, u8> = BTreeMap::new();
        let mut changes = Vec::new();
        for h in happenings(&site, &hours, span) {
            let level = if h.is_on().unwrap() { h.level.unwrap_or(100) } else { 0 };
            if is.insert(h.device.to_string(), level) != Some(level) {
                changes.push((h.at, h.device.to_string(), level));
            }
        }
        let slow = minute_by_minute(&site, span);
        // At one minute the last order holds, whatever came before it.
        let settled = |all: &[(Timestamp, String, u8)]| -> BTreeMap<(Timestamp, String), u8> {
            all.iter().map(|(at, id, level)| ((*at, id.clone()), *level)).collect()
        };
        prop_assert_eq!(settled(&changes), settled(&slow));
    }
}

#[test]
fn what_a_key_does_is_read_as_it_was_written_before() {
    let old = json!({"id": "k", "controller": "r", "load": "lamp", "path": "direct", "key": 2, "gesture": "two presses"});
    let read: Rule = serde_json::from_value(old).unwrap();
    let now = json!({"id": "k", "when": {"on": "press", "controller": "r", "key": 2, "gesture": "two presses"},
        "does": [{"what": {"device": "lamp"}, "to": "toggle"}], "runs": "direct"});
    assert_eq!(serde_json::to_value(&read).unwrap(), now);
    assert_eq!(serde_json::from_value::<Rule>(now).unwrap(), read);
    // An edit that was kept before is undone and done again.
    let mut site = house(&[]);
    let put = json!({"do": "put", "kind": "control", "value": {"id": "k", "controller": "fan", "load": "lamp"}});
    let done = apply(&mut site, &edit(put)).unwrap();
    let set =
        json!({"do": "set", "kind": "control", "id": "k", "field": "path", "value": "direct"});
    apply(&mut site, &edit(set)).unwrap();
    let control = site.controls().next().unwrap();
    assert_eq!((control.controller.as_str(), control.load.as_str()), ("fan", "lamp"));
    assert_eq!(control.runs, dot_reach_core::site::RunsIn::Direct);
    apply(&mut site, &done.inverse).unwrap();
    assert!(site.rules.is_empty());
}

#[test]
fn a_rule_is_read_back_in_a_sentence() {
    let mut made = on_days(
        rule("on", "sunset-15", "lamp", "on"),
        &["mon", "tue", "wed", "thu", "fri"],
        "never",
    );
    made["does"][0]["level"] = json!(40);
    made["off_after_min"] = json!(30);
    let site = house(&[made]);
    assert_eq!(
        in_a_sentence(&site, site.rules.named("on").unwrap()),
        "At 15 minutes before sunset, Monday to Friday, not on holidays: lamp on at 40 %, off again after 30 minutes, by the hub."
    );
}

#[test]
fn a_level_that_is_left_as_it_was_is_not_told() {
    let site = house(&[
        rule("a", "20:00", "lamp", "on"),
        rule("b", "20:30", "cold", "on"),
        rule("c", "21:00", "lamp", "off"),
    ]);
    let day = DaySpan { from: date(2026, 1, 1), days: 1 };
    let all = happenings(&site, &Hours::of(&site), day);
    let told: Vec<_> = all.iter().map(|h| (h.is_on(), h.level)).collect();
    assert_eq!(told, [(Some(true), None), (Some(true), Some(100)), (Some(false), None)]);
}

#[test]
fn a_holiday_is_a_day() {
    let mut site = house(&[]);
    let set = |days: Value| json!({"do": "set", "kind": "job", "id": "job", "field": "holidays", "value": days});
    let refused = apply(&mut site, &edit(set(json!(["Christmas"])))).unwrap_err();
    assert!(refused.to_string().contains("12-25"), "{refused}");
    assert!(apply(&mut site, &edit(set(json!(["13-25"])))).is_err());
    apply(&mut site, &edit(set(json!(["02-29", "2027-03-29"])))).unwrap();
}

#[test]
fn a_key_keeps_its_relay_closed_for_every_smart_lamp_that_it_works() {
    let takes = |rules: &[Value]| {
        let mut all = vec![json!({"id": "scene", "name": "Evening", "when": {"on": "called"},
            "does": [{"what": {"device": "lamp"}, "to": "on"}, {"what": {"device": "cold"}, "to": "off"}]})];
        all.extend_from_slice(rules);
        let site = house(&all);
        WorkedDevice::of(&site, &"fan".parse().unwrap()).unwrap().takes(Step::Decoupled)
    };
    let press = |gesture: &str, does: Value| json!({"id": "p", "when": {"on": "press", "controller": "fan", "gesture": gesture}, "does": does});
    let scene = json!([{"what": {"scene": "scene"}, "to": "on"}]);
    let two = json!([{"what": {"device": "lamp"}, "to": "toggle"}, {"what": {"device": "cold"}, "to": "toggle"}]);
    let all = json!([{"what": {"all-but": []}, "to": "off"}]);
    assert!(!takes(&[]));
    for does in [json!([{"what": {"device": "lamp"}, "to": "toggle"}]), two, all] {
        assert!(takes(&[press("", does.clone())]), "{does}");
        assert!(takes(&[press("two presses", does.clone())]), "{does}");
    }
    assert!(
        takes(&[press("", scene.clone())]),
        "a press that calls a scene does not switch the relay as well"
    );
    assert!(!takes(&[press("two presses", scene)]), "the plain press is the relay’s own");
}

#[test]
fn an_order_to_go_off_makes_no_light_that_nobody_needs_a_phone_for() {
    let by = |to: &str| {
        let remote = device("r", "remote-battery", [3.0, 0.0]);
        let rule = json!({"do": "put", "kind": "rule", "value": {"id": "p", "when": {"on": "press", "controller": "r"},
            "does": [{"what": {"device": "lamp"}, "to": to}]}});
        let site = with(house(&[]), &[remote, rule]);
        let all = lights(&site);
        all.into_iter().map(|light| light.by.len()).sum::<usize>()
    };
    assert_eq!((by("off"), by("on"), by("toggle")), (0, 1, 1));
}

#[test]
fn two_rules_of_one_press_are_told_from_each_other_by_their_loads() {
    let site = house(&[
        json!({"id": "p", "when": {"on": "press", "controller": "fan"},
            "does": [{"what": {"device": "lamp"}}, {"what": {"device": "cold"}}]}),
        json!({"id": "q", "when": {"on": "press", "controller": "fan", "gesture": "held"}, "does": [{"what": {"device": "lamp"}}]}),
    ]);
    let marks: Vec<String> = site.controls().map(|c| c.mark()).collect();
    assert_eq!(marks, ["p-lamp", "p-cold", "q"]);
    let fan = "fan".parse().unwrap();
    assert_eq!(site.controls_by(&fan).count(), 3);
    assert_eq!(site.controls_by(&"lamp".parse().unwrap()).count(), 0);
}

#[test]
fn a_time_is_read_and_said_as_the_region_does() {
    let american = Speech { lengths: Lengths::FeetInches, words: TradeWords::American };
    for (typed, minutes, said) in [
        ("12:05 AM", 5, "12:05 AM"),
        ("7:30 am", 450, "7:30 AM"),
        ("12:00 PM", 720, "12:00 PM"),
        ("22:30", 1350, "10:30 PM"),
    ] {
        assert_eq!(typed.parse(), Ok(DayTime::Clock(minutes)), "{typed}");
        assert_eq!(speaking(american, || time_of_day(minutes)), said);
        assert_eq!(time_of_day(minutes), DayTime::Clock(minutes).to_string());
    }
    for wrong in ["13:00 PM", "0:10 AM", "7 PM", "7:5 PM"] {
        assert!(wrong.parse::<DayTime>().is_err(), "{wrong}");
    }
}
