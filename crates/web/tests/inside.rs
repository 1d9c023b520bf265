//! What no page shows by itself: small parts, each compiled alone, so that the pages are not compiled twice for them.

#![expect(dead_code, reason = "each part holds more than its test asks")]

#[path = "../src/collector/address.rs"]
mod address;
#[path = "../src/pages/people/due.rs"]
mod due;
#[path = "../src/drawing/path.rs"]
mod path;
#[path = "../src/pages/places.rs"]
mod places;
#[path = "../src/presence.rs"]
mod presence;

use std::sync::Arc;

use address::{is_plain, is_this_machine};
use dot_reach_store::{JobId, JobSummary};
use due::due;
use jiff::Timestamp;
use path::path;
use places::{OPENED_FROM, all, of_word};
use presence::{Attending, Presence};

#[test]
fn only_this_machine_is_asked_unless_the_operator_says_so() {
    for good in ["127.0.0.1:8931", "localhost:80", "[::1]:65535"] {
        assert!(is_this_machine(good), "{good}");
    }
    for bad in [
        "127.0.0.1",
        "127.0.0.1:0",
        "example:80",
        "127.0.0.1:80/x",
        "127.0.0.1:80@evil:81",
        "evil@127.0.0.1:80",
        "http://127.0.0.1:80",
        "127.0.0.1:99999",
        " 127.0.0.2:80",
        "",
    ] {
        assert!(!is_this_machine(bad), "{bad}");
    }
    assert!(is_plain("mesh") && !is_plain("../x") && !is_plain("a/b"));
}

#[test]
fn a_job_is_due_when_nobody_changed_it_for_longer_than_it_is_kept() {
    let job = |id: &str, changed: &str| JobSummary {
        id: id.parse().unwrap(),
        name: id.to_owned(),
        revision: 1,
        changed_at: changed.to_owned(),
    };
    let jobs = || {
        vec![
            job("new", "2026-01-01T00:00:00Z"),
            job("old", "2016-02-28T09:00:00Z"),
            job("older", "2015-01-01T00:00:00Z"),
        ]
    };
    let at = |now: &str, years| {
        due(jobs(), years, now.parse::<Timestamp>().unwrap())
            .into_iter()
            .map(|d| d.id.to_string())
            .collect::<Vec<_>>()
    };
    // Ten years to the day are not longer than ten years.
    assert_eq!(at("2026-02-28T09:00:00Z", 10), ["older"]);
    assert_eq!(at("2026-02-28T09:00:01Z", 10), ["older", "old"]);
    assert!(at("2026-02-28T09:00:01Z", 0).is_empty(), "0 keeps them for good");
}

#[test]
fn a_triangle_is_one_move_and_two_steps() {
    let d = path(&[vec![[0.0, 0.0], [1.0, 0.0], [1.0, 0.5]]], true);
    assert_eq!(d, "M0 0l100 0l0 50z");
}

#[test]
fn each_address_and_each_name_stands_once_and_whatever_is_opened_is_opened_from_a_page() {
    let mut words: Vec<_> = all().map(|p| p.word).chain(OPENED_FROM.map(|(w, _)| w)).collect();
    let mut names: Vec<_> = all().map(|p| p.name).collect();
    let count = (words.len(), names.len());
    words.sort_unstable();
    words.dedup();
    names.sort_unstable();
    names.dedup();
    assert_eq!((words.len(), names.len()), count);
    for (word, from) in OPENED_FROM {
        assert_eq!(of_word(word).map(|(_, page)| page.word), Some(from));
    }
}

fn names(presence: &Presence, stay: &Attending) -> Vec<(String, String)> {
    presence.others(stay).into_iter().map(|h| (h.who, h.at)).collect()
}

#[test]
fn others_are_there_as_long_as_their_page_is_and_nobody_is_their_own_other() {
    let presence = Arc::new(Presence::default());
    let (job, other): (JobId, JobId) = ("mill".parse().unwrap(), "quay".parse().unwrap());
    let mut news = presence.listen();
    let ines = presence.enter(&job, "Ines", "Install", "w1");
    let _second = presence.enter(&job, "Ines", "Reach", "w2");
    let _elsewhere = presence.enter(&other, "Adam", "Brief", "w3");
    assert_eq!(names(&presence, &ines), []);
    let otto = presence.enter(&job, "Otto", "Install", "w4");
    let nameless = presence.enter(&job, "", "Survey", "w5");
    let also = presence.enter(&job, "", "Survey", "w6");
    let of = |who: &str, at: &str| (who.to_owned(), at.to_owned());
    assert_eq!(
        names(&presence, &ines),
        [of("Otto", "Install"), of("", "Survey"), of("", "Survey")],
        "two without a name are two"
    );
    assert_eq!(names(&presence, &otto)[..2], [of("Ines", "Install"), of("Ines", "Reach")]);
    drop((nameless, also));
    drop(otto);
    assert_eq!(names(&presence, &ines), []);
    let told = std::iter::from_fn(|| news.try_recv().ok());
    assert_eq!(told.filter(|of| *of == job).count(), 8, "each coming and each going");
}
