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

/// One of the changes that are made to a thing of its own: points, of which some go with what hangs on them, walls,
/// storeys, the brief, and batches of them.
fn change(site: &Site, what: u8, n: usize, x: f64) -> Option<Edit> {
    let set = |kind, id: &str, field: &str, value| Edit::set(kind, &id, field, value);
    let point = site.points.iter().nth(n)?.id.to_string();
    Some(match what {
        0 => moved(&point, x),
        1 => Edit::Remove { kind: Kind::Point, id: point },
        2 => Edit::Remove { kind: Kind::Wall, id: site.walls.iter().nth(n)?.id.to_string() },
        3 => set(Kind::Wall, site.walls.iter().nth(n)?.id.as_str(), "material", json!("brick")),
        4 => set(Kind::Floor, site.floors.iter().nth(n)?.id.as_str(), "height_m", json!(x)),
        5 => Edit::Remove { kind: Kind::Floor, id: site.floors.iter().nth(n)?.id.to_string() },
        6 => Edit::batch(vec![
            moved(&point, x),
            set(Kind::Point, &point, "name", json!(format!("Place {x:.3}"))),
        ]),
        _ => set(
            Kind::Device,
            site.devices.iter().nth(n)?.id.as_str(),
            "name",
            json!(format!("Device {x:.3}")),
        ),
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]
    /// Of changes that stand apart any one is taken back, and the rest is as if it had never been; where it cannot be,
    /// nothing is changed.
    #[test]
    fn one_of_many_is_put_back_alone(
        drawn in prop::collection::btree_map((0..8u8, 0..20usize), 2.0..5.0f64, 2..9),
        pick in any::<prop::sample::Index>(),
    ) {
        let (store, id) = mill();
        let mut now = larkfield_mill();
        let mut edits = Vec::new();
        for ((what, n), x) in &drawn {
            // What the plan refuses, such as a wall that is gone with its storey, is no change.
            let Some(edit) = change(&larkfield_mill(), *what, *n, *x) else { continue };
            if apply(&mut now, &edit).is_ok() {
                edits.push(edit);
            }
        }
        prop_assume!(!edits.is_empty());
        for (n, edit) in edits.iter().enumerate() {
            let who = if n % 2 == 0 { "Ann" } else { "Ben" };
            store.edit(&id, &by(who, &format!("e{n}")), edit).unwrap();
        }
        let one = pick.index(edits.len());
        let before = store.site(&id).unwrap().0;
        let mut without: Site = larkfield_mill();
        let stands = edits.iter().enumerate().all(|(n, edit)| n == one || apply(&mut without, edit).is_ok());
        let back = store.put_back(&id, &by("Cy", "back"), one as u64 + 1);
        if let Err(refused) = back {
            // Only where another change rests on it, or changed the same.
            prop_assert!(matches!(refused, StoreError::Conflict(_) | StoreError::Refused(_)), "{refused:?}");
            prop_assert_eq!(&store.site(&id).unwrap().0, &before);
            return Ok(());
        }
        prop_assert!(stands);
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
