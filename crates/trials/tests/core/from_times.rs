//! Rules out of what a calendar shows, held against the rules that wrote it.
#![expect(clippy::unwrap_used, reason = "what panics here is the finding of a test")]

use std::collections::{BTreeMap, BTreeSet};

use dot_reach_core::rules::{
    CalendarDeed, CalendarTimes, DayMinute, DaySpan, Hours, deed_of, happenings, rules_from_times,
};
use dot_reach_core::site::{Edit, Site, apply};
use jiff::civil::date;
use proptest::prelude::*;

use super::rules::{YEAR, any_rule, house, numbered, on_days, rule};

fn shown(site: &Site, span: DaySpan) -> BTreeSet<(CalendarDeed, DayMinute)> {
    let hours = Hours::of(site);
    let all = happenings(site, &hours, span).into_iter();
    all.map(|h| (deed_of(site, &h.device, h.to, h.level), hours.clock.shows(h.at))).collect()
}

/// A calendar of a stretch of days, read into a house without rules: what that house then does, and how many entries were
/// left.
fn read_back(site: &Site, span: DaySpan) -> (BTreeSet<(CalendarDeed, DayMinute)>, usize, usize) {
    let mut by_deed: BTreeMap<CalendarDeed, BTreeSet<DayMinute>> = BTreeMap::new();
    for (deed, at) in shown(site, span) {
        by_deed.entry(deed).or_default().insert(at);
    }
    let all: Vec<CalendarTimes> =
        by_deed.into_iter().map(|(deed, at)| CalendarTimes { deed, span, at }).collect();
    assert_eq!(rules_from_times(site, &all).rules, [], "what is done already is not done twice");
    let mut bare = house(&[]);
    let read = rules_from_times(&bare, &all);
    assert_eq!(read.there, 0);
    let left = read.left.iter().map(|(_, n)| n).sum();
    let rules = read.rules.len();
    for rule in read.rules {
        apply(&mut bare, &Edit::put(rule)).unwrap();
    }
    (shown(&bare, span), left, rules)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Rules that a calendar is read into do nothing that it does not show, and what they leave out is told, entry by entry.
    #[test]
    fn a_calendar_is_read_as_rules_that_do_what_it_shows(
        rules in prop::collection::vec(any_rule(), 1..5),
        from in 0..300i64,
    ) {
        let site = house(&numbered(rules));
        let from = date(2026, 1, 1).checked_add(jiff::Span::new().days(from)).unwrap();
        let span = DaySpan { from, days: 60 };
        let before = shown(&site, span);
        let (after, left, _) = read_back(&site, span);
        prop_assert!(after.is_subset(&before), "{:?}", after.difference(&before).next());
        prop_assert_eq!(before.len() - after.len(), left);
    }
}

#[test]
fn a_rule_of_each_shape_comes_back_as_one_that_does_the_same() {
    let work = ["mon", "tue", "wed", "thu", "fri"];
    for (of, at) in [
        (rule("r", "22:45", "lamp", "off"), "22:45"),
        (rule("r", "sunset-15", "lamp", "on"), "sunset-15"),
        (rule("r", "dawn+7", "fan", "off"), "dawn+7"),
        (on_days(rule("r", "06:40", "lamp", "on"), &work, "never"), "06:40"),
        (on_days(rule("r", "06:40", "lamp", "on"), &["sat", "sun"], "as-sunday"), "06:40"),
        // The clock leaves that hour out once, and shows it twice once.
        (rule("r", "02:30", "lamp", "on"), "02:30"),
    ] {
        let site = house(&[of]);
        let (after, left, rules) = read_back(&site, YEAR);
        assert_eq!((after, left, rules), (shown(&site, YEAR), 0, 1), "{at}");
    }
}

#[test]
fn once_is_no_rule() {
    let site = house(&[]);
    let deed = deed_of(&site, &"lamp".parse().unwrap(), dot_reach_core::site::TurnsTo::On, None);
    let at = [(date(2026, 3, 2), 600), (date(2026, 3, 5), 700)].into();
    let span = DaySpan { from: date(2026, 3, 1), days: 14 };
    let read = rules_from_times(&site, &[CalendarTimes { deed, span, at }]);
    assert_eq!((read.rules.len(), read.left.len(), read.left[0].1), (0, 1, 2));
}
