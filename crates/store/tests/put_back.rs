//! Any change that stands is taken back by itself, by anybody, as long as nothing since changed the same.

use dot_reach_core::site::{Edit, Kind, Site, apply};
use dot_reach_standin::houses::larkfield_mill;
use dot_reach_store::{Command, JobId, Store, StoreError};
use proptest::prelude::*;
use serde_json::json;

fn by(who: &str, edit_id: &str) -> Command {
    Command {
        edit_id: edit_id.to_owned(),
        client: format!("window of {who}"),
        who: who.to_owned(),
        author: format!("name:{who}"),
        at: "2026-03-14T10:00:00Z".to_owned(),
        base: None,
        force: false,
    }
}

#[expect(clippy::unwrap_used, reason = "a store that cannot hold the demo job has failed the test")]
fn mill() -> (Store, JobId) {
    let store = Store::fleeting().unwrap();
    let id = store.create(&larkfield_mill(), "2026-03-14T09:00:00Z").unwrap();
    (store, id)
}

fn moved(point: &str, x: f64) -> Edit {
    Edit::set(Kind::Point, &point, "at", json!([x, 2.0]))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]
    /// Of changes to different things any one is taken back, and the rest is as if it had never been.
    #[test]
    fn one_of_many_is_put_back_alone(
        places in prop::collection::btree_map(0..20usize, 1.0..17.0f64, 2..8),
        pick in any::<prop::sample::Index>(),
    ) {
        let (store, id) = mill();
        let points: Vec<_> = larkfield_mill().points.iter().map(|p| p.id.to_string()).collect();
        let edits: Vec<Edit> = places.iter().map(|(n, x)| moved(&points[*n], *x)).collect();
        for (n, edit) in edits.iter().enumerate() {
            let who = if n % 2 == 0 { "Ann" } else { "Ben" };
            store.edit(&id, &by(who, &format!("e{n}")), edit).unwrap();
        }
        let one = pick.index(edits.len());
        store.put_back(&id, &by("Cy", "back"), one as u64 + 1).unwrap();
        let mut without: Site = larkfield_mill();
        for (n, edit) in edits.iter().enumerate() {
            if n != one {
                prop_assert!(apply(&mut without, edit).is_ok());
            }
        }
        prop_assert_eq!(&*store.site(&id).unwrap().0, &without);
        // It stands no longer, and is not put back twice.
        let again = store.put_back(&id, &by("Cy", "again"), one as u64 + 1);
        prop_assert!(matches!(again, Err(StoreError::Nothing(_))));
    }
}

#[test]
fn what_was_changed_again_since_is_asked_about_first_even_by_whom_it_was_changed() {
    let (store, id) = mill();
    store.edit(&id, &by("Ann", "e1"), &moved("kit-isle", 2.0)).unwrap();
    store.edit(&id, &by("Ann", "e2"), &moved("kit-isle", 3.0)).unwrap();
    let refused = store.put_back(&id, &by("Ann", "b1"), 1);
    assert!(matches!(refused, Err(StoreError::Conflict(_))), "{refused:?}");
    let forced = Command { force: true, ..by("Ann", "b2") };
    store.put_back(&id, &forced, 1).unwrap();
    let point = store.site(&id).unwrap().0.points.named("kit-isle").cloned();
    let before = larkfield_mill().points.named("kit-isle").cloned();
    assert_eq!(point, before);
    // A repeated request answers what the first did.
    assert!(store.put_back(&id, &forced, 1).unwrap().again);
}

#[test]
fn the_journal_says_what_stands() {
    let (store, id) = mill();
    store.edit(&id, &by("Ann", "e1"), &moved("kit-isle", 2.0)).unwrap();
    store.put_back(&id, &by("Ben", "b1"), 1).unwrap();
    let rows = store.journal(&id, u64::MAX, 10).unwrap();
    let told: Vec<_> = rows.iter().map(|r| (r.revision, r.of_revision, r.stands)).collect();
    assert_eq!(told, [(2, Some(1), true), (1, None, false)]);
}
