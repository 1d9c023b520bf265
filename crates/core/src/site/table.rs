//! A table of things with ids, always in the order of the ids. Copies share what they hold, so that
//! a copy of a job costs nothing worth counting.

use std::borrow::Borrow;
use std::sync::Arc;

use rpds::RedBlackTreeMapSync;
use schemars::{JsonSchema, Schema, SchemaGenerator};
use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// A thing with an id of its own.
pub trait Keyed {
    /// The type of its id.
    type Id: Ord + Clone + std::fmt::Display + Borrow<str>;
    /// Its id.
    fn id(&self) -> &Self::Id;
}

/// Things by id. Written as a list; an id that stands twice is refused when read.
#[derive(Debug)]
pub struct Table<T: Keyed>(RedBlackTreeMapSync<T::Id, Arc<T>>);

impl<T: Keyed> Clone for Table<T> {
    fn clone(&self) -> Self {
        Self(self.0.clone())
    }
}

impl<T: Keyed + PartialEq> PartialEq for Table<T> {
    fn eq(&self, other: &Self) -> bool {
        self.len() == other.len()
            && self.0.values().zip(other.0.values()).all(|(a, b)| Arc::ptr_eq(a, b) || a == b)
    }
}

impl<T: Keyed> Default for Table<T> {
    fn default() -> Self {
        Self(RedBlackTreeMapSync::new_sync())
    }
}

impl<T: Keyed> Table<T> {
    /// The thing with this id.
    pub fn get(&self, id: &T::Id) -> Option<&T> {
        self.0.get::<T::Id>(id).map(|thing| &**thing)
    }
    /// The thing whose id reads so.
    pub fn named(&self, id: &str) -> Option<&T> {
        self.0.get::<str>(id).map(|thing| &**thing)
    }
    /// Puts a thing in, in place of what stood under its id.
    pub(super) fn put(&mut self, thing: T) {
        self.0.insert_mut(thing.id().clone(), Arc::new(thing));
    }
    /// Takes a thing out.
    pub(super) fn remove(&mut self, id: &str) {
        self.0.remove_mut::<str>(id);
    }
    /// All things in the order of their ids.
    pub fn iter(&self) -> impl Iterator<Item = &T> {
        self.0.values().map(|thing| &**thing)
    }
    /// How many there are.
    pub fn len(&self) -> usize {
        self.0.size()
    }
    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }
}

impl<'a, T: Keyed + 'a> IntoIterator for &'a Table<T> {
    type Item = &'a T;
    type IntoIter = Things<'a, T>;
    fn into_iter(self) -> Things<'a, T> {
        Box::new(self.iter())
    }
}

/// The things of a table, in the order of their ids.
pub type Things<'a, T> = Box<dyn Iterator<Item = &'a T> + 'a>;

impl<T: Keyed + Serialize> Serialize for Table<T> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_seq(self.iter())
    }
}

impl<'de, T: Keyed + Deserialize<'de>> Deserialize<'de> for Table<T> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let mut table = Self::default();
        for thing in Vec::<T>::deserialize(deserializer)? {
            if table.get(thing.id()).is_some() {
                let twice = format!("the id {} stands twice", thing.id());
                return Err(serde::de::Error::custom(twice));
            }
            table.put(thing);
        }
        Ok(table)
    }
}

impl<T: Keyed + JsonSchema> JsonSchema for Table<T> {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        format!("List_of_{}", T::schema_name()).into()
    }
    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        Vec::<T>::json_schema(generator)
    }
}
