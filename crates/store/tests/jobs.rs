//! What the store keeps is what was acknowledged, in its order, and it can all be taken back.

use dot_reach_core::site::{Edit, Site, apply};
use dot_reach_core::units::Metres;
use dot_reach_standin::houses::larkfield_mill;
use dot_reach_store::{Command, JobId, Store, StoreError};
use proptest::prelude::*;

fn command(edit: Edit, edit_id: &str) -> Command {
    Command {
        edit,
        edit_id: edit_id.to_owned(),
        client: "window-1".to_owned(),
        who: "Tester".to_owned(),
        at: "2026-03-14T10:00:00Z".to_owned(),
        base: None,
    }
}

#[expect(clippy::unwrap_used, reason = "the demo job is in every store of these tests")]
fn mill(store: &Store) -> JobId {
    store.create(&larkfield_mill(), "2026-03-14T09:00:00Z").unwrap()
}

/// Moves, removals and storeys of the Mill; some are refused.
fn any_edit() -> impl Strategy<Value = Edit> {
    let site = larkfield_mill();
    let points: Vec<_> = site.points.iter().map(|p| (p.id.clone(), p.floor.clone())).collect();
    let walls: Vec<_> = site.walls.iter().map(|w| w.id.clone()).collect();
    let moved = (prop::sample::select(points.clone()), 0.5..17.5f64, 0.5..8.5f64).prop_map(
        |((id, floor), x, y)| Edit::MovePoint { id, floor, at: [x, y], height_m: Metres::new(1.0) },
    );
    let removed = prop::sample::select(points).prop_map(|(id, _)| Edit::RemovePoint { id });
    let wall = prop::sample::select(walls).prop_map(|id| Edit::RemoveWall { id });
    prop_oneof![4 => moved, 1 => removed, 2 => wall]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(16))]
    #[test]
    fn a_reopened_file_holds_every_acknowledged_edit_and_undoes_them_all(
        edits in prop::collection::vec(any_edit(), 1..12),
    ) {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("jobs.db");
        let store = Store::open(&file).unwrap();
        let id = mill(&store);
        let mut site: Site = larkfield_mill();
        let mut taken = 0;
        for (n, edit) in edits.iter().enumerate() {
            let kept = store.edit(&id, &command(edit.clone(), &format!("e{n}")));
            prop_assert_eq!(kept.is_ok(), apply(&mut site, edit).is_ok());
            taken += u64::from(kept.is_ok());
        }
        drop(store);
        let store = Store::open(&file).unwrap();
        let (kept, revision) = store.site(&id).unwrap();
        prop_assert_eq!(&*kept, &site);
        prop_assert_eq!(revision, taken);
        for n in 0..taken {
            store.undo(&id, &command(Edit::Batch { edits: vec![] }, &format!("u{n}"))).unwrap();
        }
        prop_assert_eq!(&*store.site(&id).unwrap().0, &larkfield_mill());
        for n in 0..taken {
            store.redo(&id, &command(Edit::Batch { edits: vec![] }, &format!("r{n}"))).unwrap();
        }
        prop_assert_eq!(&*store.site(&id).unwrap().0, &site);
    }
}

fn moved(x: f64) -> Edit {
    let mut point = larkfield_mill().points.named("kit-isle").cloned().into_iter();
    let point = point.next().map(|p| (p.id, p.floor));
    let Some((id, floor)) = point else { unreachable!("the Mill has a kitchen island") };
    Edit::MovePoint { id, floor, at: [x, 2.0], height_m: Metres::new(1.2) }
}

#[test]
fn the_same_edit_twice_is_taken_once() {
    let store = Store::in_memory().unwrap();
    let id = mill(&store);
    let first = store.edit(&id, &command(moved(2.0), "same")).unwrap();
    let again = store.edit(&id, &command(moved(2.0), "same")).unwrap();
    assert_eq!((first.revision, again.revision), (1, 1));
    assert_eq!(store.journal(&id, 10).unwrap().len(), 1);
}

#[test]
fn what_someone_else_changed_meanwhile_is_not_overwritten() {
    let store = Store::in_memory().unwrap();
    let id = mill(&store);
    store.edit(&id, &command(moved(2.0), "mine")).unwrap();
    let theirs =
        Command { base: Some(0), client: "window-2".into(), ..command(moved(3.0), "theirs") };
    let Err(StoreError::Conflict(conflict)) = store.edit(&id, &theirs) else {
        panic!("the second window did not see the first one's change")
    };
    assert_eq!(
        conflict.to_string(),
        "Tester changed point kit-isle after you opened it (revision 1); keep yours or take theirs"
    );
    // Having seen it, it may.
    store.edit(&id, &Command { base: Some(1), ..theirs }).unwrap();
    let at = store.site(&id).unwrap().0.points.named("kit-isle").unwrap().at;
    assert!((at[0] - 3.0).abs() < 1e-12);
}

#[test]
fn a_new_edit_after_an_undo_leaves_nothing_to_redo() {
    let store = Store::in_memory().unwrap();
    let id = mill(&store);
    let step = |edit_id: &str| command(Edit::Batch { edits: vec![] }, edit_id);
    store.edit(&id, &command(moved(2.0), "a")).unwrap();
    store.undo(&id, &step("b")).unwrap();
    assert_eq!(store.can_undo_redo(&id).unwrap(), (false, true));
    store.edit(&id, &command(moved(3.0), "c")).unwrap();
    assert_eq!(store.can_undo_redo(&id).unwrap(), (true, false));
    assert!(matches!(store.redo(&id, &step("d")), Err(StoreError::Nothing("redo"))));
}

#[test]
fn a_backup_taken_while_the_file_is_open_is_whole() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("jobs.db")).unwrap();
    let id = mill(&store);
    store.edit(&id, &command(moved(2.0), "a")).unwrap();
    let copy = folder.path().join("copy.db");
    store.backup(&copy).unwrap();
    let copy = Store::open(&copy).unwrap();
    assert_eq!(copy.site(&id).unwrap(), store.site(&id).unwrap());
}

#[test]
fn two_jobs_of_one_name_have_two_addresses() {
    let store = Store::in_memory().unwrap();
    assert_eq!(mill(&store).as_str(), "larkfield-mill");
    assert_eq!(mill(&store).as_str(), "larkfield-mill-2");
}
