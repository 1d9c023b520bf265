//! What happened in a made-up house, told as it would be told of a real one: by entries of its record.

use dot_reach_core::moment::Moment;
use dot_reach_core::record::{Folder, Prepared, Sender, Telling, What};
use dot_reach_core::site::Site;

/// A moment that is written out.
///
/// # Panics
/// It is no time: a defect here, which a test finds.
#[expect(clippy::expect_used, reason = "a time of a story that is none is a defect")]
pub fn moment(text: &str) -> Moment {
    Moment::read(text).expect("a time")
}

/// A plan with what somebody told of its house.
///
/// # Panics
/// The record refuses it: a defect here, which a test finds.
#[expect(clippy::expect_used, reason = "a story that the rules refuse is a defect")]
pub fn told(site: Site, by: &str, at: &str, all: Vec<What>) -> Folder {
    let caller = Sender { name: by.to_owned(), taken: moment(at), stem: "story".to_owned() };
    let tellings = all.into_iter().map(|what| Telling::new(what, None, None));
    let entries = caller.entries(&site, tellings);
    let mut folder = Folder::planned(site);
    folder.keep(&Prepared { edit: None, entries }).expect("a story that can stand");
    folder
}
