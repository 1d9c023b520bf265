//! Things in the order in which they were first told of. Copies share what they hold.

use std::borrow::Borrow;
use std::sync::Arc;

use rpds::{RedBlackTreeMapSync, VectorSync};

use crate::site::Keyed;

/// Things by id, in the order of the record; the time of a phone decides nothing.
#[derive(Debug)]
pub struct Log<T: Keyed> {
    rows: VectorSync<Option<Row<T>>>,
    places: RedBlackTreeMapSync<T::Id, usize>,
}

#[derive(Debug)]
struct Row<T> {
    /// The entry that told of it last.
    entry: usize,
    thing: Arc<T>,
}

impl<T> Clone for Row<T> {
    fn clone(&self) -> Self {
        Self { entry: self.entry, thing: Arc::clone(&self.thing) }
    }
}

impl<T: Keyed> Clone for Log<T> {
    fn clone(&self) -> Self {
        Self { rows: self.rows.clone(), places: self.places.clone() }
    }
}

impl<T: Keyed> Default for Log<T> {
    fn default() -> Self {
        Self { rows: VectorSync::new_sync(), places: RedBlackTreeMapSync::new_sync() }
    }
}

impl<T: Keyed> Log<T> {
    fn row(&self, id: &str) -> Option<&Row<T>> {
        self.rows.get(*self.places.get::<str>(id)?)?.as_ref()
    }
    /// The thing with this id.
    pub fn get(&self, id: &T::Id) -> Option<&T> {
        self.named(id.borrow())
    }
    /// The thing whose id reads so.
    pub fn named(&self, id: &str) -> Option<&T> {
        self.row(id).map(|row| &*row.thing)
    }
    /// The entry that told of a thing last, from nought on.
    pub fn entry_of(&self, id: &str) -> Option<usize> {
        self.row(id).map(|row| row.entry)
    }
    /// All things, those told of first before the others.
    pub fn iter(&self) -> impl DoubleEndedIterator<Item = &T> {
        self.numbered().map(|(_, thing)| thing)
    }
    /// The same, each with the entry that told of it last.
    pub fn numbered(&self) -> impl DoubleEndedIterator<Item = (usize, &T)> {
        (0..self.rows.len()).filter_map(|place| {
            let row = self.rows.get(place)?.as_ref()?;
            Some((row.entry, &*row.thing))
        })
    }
    /// How many there are.
    pub fn len(&self) -> usize {
        self.places.size()
    }
    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.places.is_empty()
    }
    /// Puts a thing in; one of its id is told of anew, in its place.
    pub(super) fn put(&mut self, entry: usize, thing: T) {
        let id = thing.id().clone();
        let row = Some(Row { entry, thing: Arc::new(thing) });
        if let Some(place) = self.places.get::<T::Id>(&id) {
            self.rows.set_mut(*place, row);
        } else {
            self.places.insert_mut(id, self.rows.len());
            self.rows.push_back_mut(row);
        }
    }
    /// Takes a thing out of what counts.
    pub(super) fn strike(&mut self, id: &str) {
        if let Some(place) = self.places.get::<str>(id).copied() {
            self.places.remove_mut::<str>(id);
            self.rows.set_mut(place, None);
        }
    }
}
