//! Visits and what rules do as a calendar, rules and days off out of one: iCalendar, RFC 5545. Times are of the house, without
//! a zone ("floating"): whoever reads them stands in it.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write;

use dot_reach_core::install::clock::minute;
use dot_reach_core::rules::{
    CalendarDeed, CalendarTimes, DayMinute, DaySpan, Hours, deed_of, happenings, in_a_sentence,
    rules_from_times,
};
use dot_reach_core::site::{Edit, Site, TurnsTo};

use jiff::civil::{Date, DateTime};

use crate::{ImportFinding, Imported};

/// Something in a calendar.
#[derive(Clone, Debug, PartialEq)]
pub struct CalendarEvent {
    /// Which it is, for ever.
    pub uid: String,
    /// When it begins, in the time of the house: `2026-03-14T08:30`.
    pub from: String,
    /// How long it takes at most of nine in ten, in minutes.
    pub minutes: f64,
    /// What it is called.
    pub title: String,
    /// Where.
    pub place: String,
    /// What is done.
    pub text: String,
}

/// The longest line, in bytes: RFC 5545, 3.1.
const LONGEST: usize = 75;

/// A calendar; `now` is the present moment, such as `2026-03-14T10:05:00Z`.
pub fn write(events: &[CalendarEvent], now: &str) -> String {
    let mut out = String::new();
    let mut line = |text: String| fold(&mut out, &text);
    line("BEGIN:VCALENDAR".to_owned());
    line("VERSION:2.0".to_owned());
    line("PRODID:-//Dot Reach//EN".to_owned());
    for event in events {
        let Some(begins) = minute(&event.from) else { continue };
        line("BEGIN:VEVENT".to_owned());
        line(format!("UID:{}@dot-reach", escaped(&event.uid)));
        line(format!("DTSTAMP:{}", stamp(now)));
        line(format!("DTSTART:{}", moment(begins)));
        line(format!("DTEND:{}", moment(begins + event.minutes.ceil())));
        line(format!("SUMMARY:{}", escaped(&event.title)));
        if !event.place.is_empty() {
            line(format!("LOCATION:{}", escaped(&event.place)));
        }
        if !event.text.is_empty() {
            line(format!("DESCRIPTION:{}", escaped(&event.text)));
        }
        line("END:VEVENT".to_owned());
    }
    line("END:VCALENDAR".to_owned());
    out
}

/// What the rules of a job do over a stretch of days, each a minute long.
pub fn of_rules(site: &Site, job: &str, span: DaySpan) -> Vec<CalendarEvent> {
    let hours = Hours::of(site);
    let event = |(n, happened): (usize, dot_reach_core::rules::Happening)| {
        let (day, minutes) = hours.clock.shows(happened.at);
        let name = site.devices.get(&happened.device).map_or("", |d| d.name.as_str());
        let deed = deed_of(site, &happened.device, happened.to, happened.level);
        let level = deed.level.map(|level| format!(" at {level} %")).unwrap_or_default();
        let rule = site.rules.get(&happened.rule);
        CalendarEvent {
            uid: format!("{job}-{}-{day}-{n}", happened.rule),
            from: format!("{day}T{:02}:{:02}", minutes / 60, minutes % 60),
            minutes: 1.0,
            title: format!("{name} {}{level}", happened.to.word()),
            place: site.job.address.clone(),
            text: rule.map_or_else(String::new, |rule| in_a_sentence(site, rule)),
        }
    };
    happenings(site, &hours, span).into_iter().enumerate().map(event).collect()
}

/// The most days of one entry: the longest holidays of a school.
const MOST_DAYS: usize = 92;

/// An entry of a calendar, as far as days off go.
#[derive(Default)]
struct DaysEntry {
    title: String,
    from: Option<Date>,
    until: Option<Date>,
    rule: String,
}

impl DaysEntry {
    /// Each of its days; those of every year without the year.
    fn days(&self) -> Vec<String> {
        let Some(from) = self.from else { return Vec::new() };
        // It ends before the day that its end names.
        let days = from.series(jiff::Span::new().days(1)).take(MOST_DAYS);
        let days = days.take_while(|day| *day == from || self.until.is_some_and(|end| *day < end));
        let is_yearly = self.is_yearly();
        days.map(|day| day.to_string())
            .map(|day| if is_yearly { day[5..].to_owned() } else { day })
            .collect()
    }

    /// Whether it comes on the same date every year.
    fn is_yearly(&self) -> bool {
        self.rule.contains("FREQ=YEARLY") && !self.rule.contains("BYDAY")
    }

    /// What of it is not read.
    fn finding(&self) -> Option<&'static str> {
        if self.from.is_none() {
            return Some("it is no whole day: it is left out");
        }
        (!self.rule.is_empty() && !self.is_yearly()).then_some(
            "it repeats otherwise than on one date of every year: its first time alone is taken",
        )
    }
}

/// The lines of a calendar: a folded one goes on with a blank (RFC 5545, 3.1).
fn unfolded(text: &str) -> String {
    text.replace("\r\n", "\n").replace("\n ", "").replace("\n\t", "")
}

/// The days off that a calendar holds: whole days alone, those of every year as `12-25`.
pub fn days_off(text: &str) -> Imported<Vec<String>> {
    let whole = unfolded(text);
    let (mut days, mut findings) = (Vec::new(), Vec::new());
    let (mut entry, mut n) = (DaysEntry::default(), 0);
    for line in whole.lines() {
        let (name, value) = line.split_once(':').unwrap_or((line, ""));
        match name.split(';').next().unwrap_or_default() {
            "BEGIN" if value == "VEVENT" => entry = DaysEntry::default(),
            "DTSTART" => entry.from = whole_day(value.trim()),
            "DTEND" => entry.until = whole_day(value.trim()),
            "RRULE" => value.clone_into(&mut entry.rule),
            "SUMMARY" => value.clone_into(&mut entry.title),
            "END" if value == "VEVENT" => {
                n += 1;
                days.extend(entry.days());
                findings.extend(entry.finding().map(|reason| {
                    ImportFinding {
                        place: Some(entry.title.clone())
                            .filter(|title| !title.is_empty())
                            .unwrap_or_else(|| format!("entry {n}")),
                        reason: reason.to_owned(),
                    }
                }));
            }
            _ => {}
        }
    }
    if n == 0 {
        let reason = "there is no entry in it: it is no calendar, or an empty one".to_owned();
        findings.push(ImportFinding { place: "the file".to_owned(), reason });
    }
    days.sort();
    days.dedup();
    Imported { value: days, findings }
}

/// An entry of a calendar, as far as what a rule does goes.
#[derive(Default)]
struct TimedEntry {
    title: String,
    /// What stands before the colon of its beginning, and behind it.
    begins: (String, String),
    rule: String,
}

/// A calendar is read so far: two years, and thirty entries a day.
const MOST_SPAN_DAYS: u16 = 800;
const MOST_ENTRIES: usize = 24_000;
/// A year of what comes again without an end is looked at.
const REPEATS_DAYS: u16 = 365;

impl TimedEntry {
    /// When it begins, by the clock of the house.
    fn begins(&self, hours: &Hours<'_>) -> Result<DayMinute, String> {
        let (name, value) = (&self.begins.0, self.begins.1.trim());
        let none = || "it begins at no time of a day: it is left out".to_owned();
        let read = |text: &str| DateTime::strptime("%Y%m%dT%H%M%S", text).map_err(|_| none());
        if let Some(utc) = value.strip_suffix('Z') {
            let at = jiff::tz::TimeZone::UTC.to_timestamp(read(utc)?).map_err(|_| none())?;
            return Ok(hours.clock.shows(at));
        }
        let own = hours.clock.name().unwrap_or("Greenwich");
        if let Some((_, zone)) = name.split_once("TZID=")
            && zone.split(';').next() != Some(own)
        {
            return Err(format!(
                "it is by the clock of {zone}, the house by that of {own}: it is left out"
            ));
        }
        let at = read(value)?;
        let minute = i32::from(at.hour()) * 60 + i32::from(at.minute());
        Ok((at.date(), u16::try_from(minute).map_err(|_| none())?))
    }

    /// On which days of the week it comes again; all for every day.
    fn repeats(&self, from: Date) -> Result<Option<BTreeSet<i8>>, String> {
        let parts: BTreeMap<&str, &str> =
            self.rule.split(';').filter_map(|part| part.split_once('=')).collect();
        let other = || Err("it repeats otherwise than by day or week: it is left out".to_owned());
        if parts.keys().any(|k| !["FREQ", "BYDAY", "WKST"].contains(k)) {
            return other();
        }
        let own = from.weekday().to_monday_zero_offset();
        let words = ["MO", "TU", "WE", "TH", "FR", "SA", "SU"];
        let place =
            |word: &str| words.iter().position(|w| *w == word).and_then(|n| i8::try_from(n).ok());
        match (parts.get("FREQ"), parts.get("BYDAY")) {
            (None, None) => Ok(None),
            (Some(&"DAILY"), None) => Ok(Some((0..7).collect())),
            (Some(&"WEEKLY"), None) => Ok(Some([own].into())),
            (Some(&"WEEKLY" | &"DAILY"), Some(days)) => {
                let days: Option<BTreeSet<i8>> = days.split(',').map(place).collect();
                days.map_or_else(other, |days| Ok(Some(days)))
            }
            _ => other(),
        }
    }
}

/// What the title of an entry says: `Hall lamp on at 40 %`, `Yard lantern off`.
fn deed(site: &Site, title: &str) -> Result<CalendarDeed, String> {
    let none =
        || "it names nothing of this house with “on” or “off” behind it: it is left out".to_owned();
    let title = title.replace("\\,", ",").replace("\\;", ";").replace("\\\\", "\\");
    let (rest, level) = match title.trim().strip_suffix('%').and_then(|t| t.rsplit_once(" at ")) {
        Some((rest, level)) => {
            let level = level.trim().parse::<u8>().ok().filter(|l| *l <= 100).ok_or_else(none)?;
            (rest.to_owned(), Some(level))
        }
        None => (title.trim().to_owned(), None),
    };
    let (name, verb) = rest.trim().rsplit_once(' ').ok_or_else(none)?;
    let to = TurnsTo::ALL.iter().find(|(_, word)| *word == verb.to_lowercase());
    let (to, _) = to.ok_or_else(none)?;
    let plain = |name: &str| name.trim().to_lowercase();
    let mut such = site.devices.iter().filter(|d| plain(&d.name) == plain(name));
    match (such.next(), such.next()) {
        (Some(device), None) => Ok(deed_of(site, &device.id, *to, level)),
        (Some(_), Some(_)) => Err(format!("two devices are called {name}: it is left out")),
        _ => Err(none()),
    }
}

/// The edits that bring in what a calendar shows, as the fewest rules that do the same; what rules of the job do already is
/// not done twice.
pub fn rules_in(site: &Site, text: &str) -> Imported<Vec<Edit>> {
    let hours = Hours::of(site);
    let mut single: BTreeMap<CalendarDeed, BTreeSet<DayMinute>> = BTreeMap::new();
    let mut again: BTreeMap<CalendarDeed, BTreeSet<(u16, i8)>> = BTreeMap::new();
    let mut first: Option<Date> = None;
    let mut wrong: BTreeMap<(String, String), usize> = BTreeMap::new();
    let mut entry = TimedEntry::default();
    let mut read = 0;
    for line in unfolded(text).lines() {
        let (name, value) = line.split_once(':').unwrap_or((line, ""));
        match name.split(';').next().unwrap_or_default() {
            "BEGIN" if value == "VEVENT" => entry = TimedEntry::default(),
            "DTSTART" => entry.begins = (name.to_owned(), value.to_owned()),
            "RRULE" => value.clone_into(&mut entry.rule),
            "SUMMARY" => value.clone_into(&mut entry.title),
            "END" if value == "VEVENT" => {
                read += 1;
                if read > MOST_ENTRIES {
                    break;
                }
                let taken = deed(site, &entry.title).and_then(|deed| {
                    let (day, minute) = entry.begins(&hours)?;
                    Ok((deed, day, minute, entry.repeats(day)?))
                });
                match taken {
                    Ok((deed, day, minute, None)) => {
                        single.entry(deed).or_default().insert((day, minute));
                    }
                    Ok((deed, from, minute, Some(days))) => {
                        first = Some(first.map_or(from, |first| first.min(from)));
                        let times = days.into_iter().map(|day| (minute, day));
                        again.entry(deed).or_default().extend(times);
                    }
                    Err(why) => *wrong.entry((entry.title.clone(), why)).or_default() += 1,
                }
            }
            _ => {}
        }
    }
    let mut all: Vec<CalendarTimes> = Vec::new();
    if let Some(from) = first {
        let span = DaySpan { from, days: REPEATS_DAYS };
        let on = |day: Date, times: &BTreeSet<(u16, i8)>| {
            let such = times.iter().filter(|(_, d)| *d == day.weekday().to_monday_zero_offset());
            such.map(|(minute, _)| (day, *minute)).collect::<Vec<_>>()
        };
        all.extend(again.into_iter().map(|(deed, times)| {
            let at = span.each().flat_map(|day| on(day, &times)).collect();
            CalendarTimes { deed, span, at }
        }));
    }
    let days: BTreeSet<Date> = single.values().flatten().map(|(day, _)| *day).collect();
    let mut is_too_long = read > MOST_ENTRIES;
    if let (Some(from), Some(last)) = (days.first(), days.last()) {
        let count = from.until(*last).map_or(0, |span| span.get_days());
        let days = u16::try_from(count + 1).ok().filter(|days| *days <= MOST_SPAN_DAYS);
        is_too_long |= days.is_none();
        let span = days.map(|days| DaySpan { from: *from, days });
        all.extend(span.into_iter().flat_map(|span| {
            let single = std::mem::take(&mut single).into_iter();
            single.map(move |(deed, at)| CalendarTimes { deed, span, at })
        }));
    }
    let found = rules_from_times(site, &all);
    let too_long = is_too_long.then(|| ImportFinding {
        place: "the file".to_owned(),
        reason: format!(
            "it holds more than {MOST_ENTRIES} entries, or reaches over more than {MOST_SPAN_DAYS} days: bring in a year of it"
        ),
    });
    let mut findings: Vec<ImportFinding> = wrong
        .into_iter()
        .map(|((title, why), n)| {
            let place =
                if title.is_empty() { "an entry without a title".to_owned() } else { title };
            let reason = if n > 1 { format!("{why} ({n} times)") } else { why };
            ImportFinding { place, reason }
        })
        .collect();
    findings.extend(too_long);
    findings.extend(found.left.into_iter().map(|(deed, n)| {
        let name = site.devices.get(&deed.device).map_or("", |d| d.name.as_str());
        let reason =
            format!("{n} of its times follow no rule of a day or the sun: they are left out");
        ImportFinding { place: format!("{name} {}", deed.to.word()), reason }
    }));
    if read == 0 {
        let reason = "there is no entry in it: it is no calendar, or an empty one".to_owned();
        findings.push(ImportFinding { place: "the file".to_owned(), reason });
    }
    Imported { value: found.rules.into_iter().map(Edit::put).collect(), findings }
}

/// The day that `20261225` is; nothing for what has a time.
fn whole_day(at: &str) -> Option<Date> {
    let is_day = at.len() == 8 && at.bytes().all(|b| b.is_ascii_digit());
    is_day.then(|| Date::strptime("%Y%m%d", at).ok()).flatten()
}

/// `2026-03-14T10:05:00Z` as `20260314T100500Z`.
fn stamp(at: &str) -> String {
    at.chars().filter(|c| !matches!(c, '-' | ':')).collect()
}

/// Minutes since 1970 as `20260314T083000`.
fn moment(minutes: f64) -> String {
    #[expect(clippy::cast_possible_truncation, reason = "a date of this age")]
    let minutes = minutes.round() as i64;
    let (days, rest) = (minutes.div_euclid(1440), minutes.rem_euclid(1440));
    // The civil calendar from days, by eras of 400 years counted from a March on.
    let z = days + 719_468;
    let (era, doe) = (z.div_euclid(146_097), z.rem_euclid(146_097));
    let yoe = (doe - doe / 1460 + doe / 36_524 - doe / 146_096) / 365;
    let doy = doe - (365 * yoe + yoe / 4 - yoe / 100);
    let mp = (5 * doy + 2) / 153;
    let (day, month) = (doy - (153 * mp + 2) / 5 + 1, if mp < 10 { mp + 3 } else { mp - 9 });
    let year = yoe + era * 400 + i64::from(month <= 2);
    format!("{year:04}{month:02}{day:02}T{:02}{:02}00", rest / 60, rest % 60)
}

/// A text value: RFC 5545, 3.3.11.
fn escaped(text: &str) -> String {
    let mut out = String::new();
    for sign in text.chars() {
        match sign {
            '\\' | ';' | ',' => {
                out.push('\\');
                out.push(sign);
            }
            '\n' => out.push_str("\\n"),
            c if c.is_control() => {}
            c => out.push(c),
        }
    }
    out
}

/// A content line, folded where it is too long, never within a sign.
fn fold(out: &mut String, text: &str) {
    let mut length = 0;
    for sign in text.chars() {
        if length + sign.len_utf8() > LONGEST {
            out.push_str("\r\n ");
            length = 1;
        }
        out.push(sign);
        length += sign.len_utf8();
    }
    let _written = write!(out, "\r\n");
}

#[cfg(test)]
mod tests {
    use dot_reach_core::site::{Kind, apply};

    use super::*;

    fn event(from: &str, text: &str) -> CalendarEvent {
        let (title, place) = ("The mill, day 1".to_owned(), String::new());
        CalendarEvent {
            uid: "a-1".to_owned(),
            from: from.to_owned(),
            minutes: 90.0,
            title,
            place,
            text: text.to_owned(),
        }
    }

    #[test]
    fn a_visit_over_midnight_and_a_leap_day_ends_when_it_should() {
        let text = write(&[event("2028-02-28T23:30", "")], "2026-03-14T10:05:00Z");
        assert!(
            text.contains("DTSTART:20280228T233000\r\n")
                && text.contains("DTEND:20280229T010000\r\n")
        );
        assert!(
            text.contains("DTSTAMP:20260314T100500Z") && text.contains("SUMMARY:The mill\\, day 1")
        );
    }

    #[test]
    fn lines_are_folded_and_read_back_whole() {
        let long = "ä".repeat(120) + "; and\nmore";
        let text = write(&[event("2026-03-14T08:30", &long)], "2026-03-14T10:05:00Z");
        assert!(text.split("\r\n").all(|line| line.len() <= LONGEST));
        let whole = text.replace("\r\n ", "");
        assert!(whole.contains(&format!("DESCRIPTION:{}\\; and\\nmore", "ä".repeat(120))));
    }

    #[test]
    fn days_off_are_read_whole_and_those_of_every_year_without_it() {
        let text = "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nDTSTART;VALUE=DATE:20261225\r\nRRULE:FREQ=YEARLY\r\nSUMMARY:Chr\r\n istmas\r\n\
            END:VEVENT\r\nBEGIN:VEVENT\r\nDTSTART;VALUE=DATE:20270329\r\nEND:VEVENT\r\nBEGIN:VEVENT\r\nDTSTART:20270101T090000Z\r\n\
            SUMMARY:Di\r\n nner\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n";
        let read = days_off(text);
        assert_eq!(read.value, ["12-25", "2027-03-29"]);
        assert_eq!(read.findings.iter().map(|f| f.place.as_str()).collect::<Vec<_>>(), ["Dinner"]);
        assert_eq!(days_off("hello").findings.len(), 1);
        let entry = |lines: &str| days_off(&format!("BEGIN:VEVENT\n{lines}\nEND:VEVENT\n"));
        // Holidays of several days end before the day that their end names.
        let week = entry("DTSTART;VALUE=DATE:20261230\nDTEND;VALUE=DATE:20270102");
        assert_eq!(week.value, ["2026-12-30", "2026-12-31", "2027-01-01"]);
        assert_eq!(week.findings, []);
        // The first Monday of May is no date of every year.
        let monday = entry("DTSTART;VALUE=DATE:20270503\nRRULE:FREQ=YEARLY;BYMONTH=5;BYDAY=1MO");
        assert_eq!((monday.value, monday.findings.len()), (vec!["2027-05-03".to_owned()], 1));
        assert_eq!(entry("DTSTART;VALUE=DATE:20271399").value, [""; 0]);
    }

    fn shown(site: &Site, span: DaySpan) -> BTreeSet<(CalendarDeed, DayMinute)> {
        let hours = Hours::of(site);
        let all = happenings(site, &hours, span).into_iter();
        all.map(|h| (deed_of(site, &h.device, h.to, h.level), hours.clock.shows(h.at))).collect()
    }

    #[test]
    fn a_year_of_rules_comes_back_as_rules_that_do_the_same_and_never_twice() {
        let span = DaySpan { from: jiff::civil::date(2027, 1, 1), days: 365 };
        for house in
            [dot_reach_standin::houses::larkfield_mill(), dot_reach_standin::houses::quay_court()]
        {
            let text = write(&of_rules(&house, "job", span), "2026-12-01T08:00:00Z");
            assert_eq!(rules_in(&house, &text).value, []);
            let mut bare = house.clone();
            let ids: Vec<_> = house.rules.iter().map(|rule| rule.id.clone()).collect();
            for id in &ids {
                // A scene takes along what only calls it.
                if bare.rules.get(id).is_some() {
                    apply(&mut bare, &Edit::remove(Kind::Rule, id)).unwrap();
                }
            }
            let read = rules_in(&bare, &text);
            for edit in &read.value {
                apply(&mut bare, edit).unwrap();
            }
            let (before, after) = (shown(&house, span), shown(&bare, span));
            assert!(before.len() > 300);
            // What comes back does nothing that was not shown, and all that is no longer done is told.
            assert!(after.is_subset(&before));
            let lost = before.len() - after.len();
            assert_eq!(lost == 0, read.findings.is_empty(), "{:?}", read.findings);
            assert!(lost * 20 <= before.len(), "{lost} of {}: {:?}", before.len(), read.findings);
        }
    }

    #[test]
    fn what_repeats_by_the_week_is_a_rule_and_what_cannot_be_read_is_told() {
        let mill = dot_reach_standin::houses::larkfield_mill();
        let entry = |lines: &str| rules_in(&mill, &format!("BEGIN:VEVENT\n{lines}\nEND:VEVENT\n"));
        let weekly = entry(
            "SUMMARY:Yard lantern on\nDTSTART:20270301T053000\nRRULE:FREQ=WEEKLY;BYDAY=MO,TU,WE",
        );
        assert_eq!(weekly.findings, []);
        let rule = serde_json::to_value(&weekly.value).unwrap().to_string();
        assert!(
            rule.contains("\"at\":\"05:30\"") && rule.contains("[\"mon\",\"tue\",\"wed\"]"),
            "{rule}"
        );
        for wrong in [
            "SUMMARY:Nothing of this house on\nDTSTART:20270301T053000\nRRULE:FREQ=DAILY",
            "SUMMARY:Yard lantern on\nDTSTART:20270301T053000\nRRULE:FREQ=DAILY;INTERVAL=2",
            "SUMMARY:Yard lantern on\nDTSTART;VALUE=DATE:20270301\nRRULE:FREQ=DAILY",
            "SUMMARY:Yard lantern on\nDTSTART;TZID=Asia/Tokyo:20270301T053000\nRRULE:FREQ=DAILY",
            "SUMMARY:Yard lantern on\nDTSTART:20270301T053000",
        ] {
            let read = entry(wrong);
            assert_eq!(
                (read.value.len(), read.findings.len()),
                (0, 1),
                "{wrong}: {:?}",
                read.findings
            );
        }
        assert_eq!(rules_in(&mill, "hello").findings.len(), 1);
    }

    #[test]
    fn what_rules_do_stands_in_the_calendar_by_the_clock_of_the_house() {
        let mill = dot_reach_standin::houses::larkfield_mill();
        let from = jiff::civil::date(2027, 3, 27);
        let all = of_rules(&mill, "mill", DaySpan { from, days: 3 });
        let off = all.iter().filter(|e| e.title == "Yard lantern off").map(|e| e.from.as_str());
        // The clock is set on the second of these days.
        assert_eq!(
            off.collect::<Vec<_>>(),
            ["2027-03-27T22:45", "2027-03-28T22:45", "2027-03-29T22:45"]
        );
        let uids: BTreeSet<&str> = all.iter().map(|e| e.uid.as_str()).collect();
        assert_eq!(uids.len(), all.len());
        assert!(write(&all, "2026-03-14T10:05:00Z").contains("SUMMARY:Yard lantern off"));
    }
}
