//! Visits as a calendar: iCalendar, RFC 5545. Times are of the house, without a zone ("floating"), since a job
//! says where it is and not in which zone.

use std::fmt::Write;

use dot_reach_core::install::clock::minute;

/// A visit in a calendar.
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

/// A calendar of visits; `now` is the present moment, such as `2026-03-14T10:05:00Z`.
pub fn write(events: &[CalendarEvent], now: &str) -> String {
    let mut out = String::new();
    let mut line = |text: String| fold(&mut out, &text);
    line("BEGIN:VCALENDAR".to_owned());
    line("VERSION:2.0".to_owned());
    line("PRODID:-//Dot Reach//Visits//EN".to_owned());
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
}
