//! Visits and what rules do as a calendar, and days off out of one: iCalendar, RFC 5545. Times are of the house, without a
//! zone ("floating"): whoever reads them stands in it.

use std::fmt::Write;

use dot_reach_core::install::clock::minute;
use dot_reach_core::rules::{DaySpan, Hours, happenings, in_a_sentence};
use dot_reach_core::site::{Site, TurnsTo};

use jiff::civil::Date;

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
        let level = happened.level.filter(|level| happened.to == TurnsTo::On && *level < 100);
        let level = level.map(|level| format!(" at {level} %")).unwrap_or_default();
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

/// The days off that a calendar holds: whole days alone, those of every year as `12-25`.
pub fn days_off(text: &str) -> Imported<Vec<String>> {
    // A folded line goes on with a blank.
    let whole = text.replace("\r\n", "\n").replace("\n ", "").replace("\n\t", "");
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
        let uids: std::collections::BTreeSet<&str> = all.iter().map(|e| e.uid.as_str()).collect();
        assert_eq!(uids.len(), all.len());
        assert!(write(&all, "2026-03-14T10:05:00Z").contains("SUMMARY:Yard lantern off"));
    }
}
