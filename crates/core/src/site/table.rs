//! A table of things with ids, always in the order of the ids.

use std::collections::BTreeMap;

use schemars::{JsonSchema, Schema, SchemaGenerator};
use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// A thing with an id of its own.
pub trait Keyed {
    /// The type of its id.
    type Id: Ord + Clone + std::fmt::Display + std::borrow::Borrow<str>;
    /// Its id.
    fn id(&self) -> &Self::Id;
}

/// Things by id. Written as a list; an id that stands twice is refused when read.
#[derive(Clone, Debug, PartialEq)]
pub struct Table<T: Keyed>(BTreeMap<T::Id, T>);

impl<T: Keyed> Default for Table<T> {
    fn default() -> Self {
        Self(BTreeMap::new())
    }
}

impl<T: Keyed> Table<T> {
    /// The thing with this id.
    pub fn get(&self, id: &T::Id) -> Option<&T> {
        self.0.get::<T::Id>(id)
    }
    /// The thing whose id reads so.
    pub fn named(&self, id: &str) -> Option<&T> {
        self.0.get::<str>(id)
    }
    /// Puts a thing in; what stood under its id is given back.
    pub fn put(&mut self, thing: T) -> Option<T> {
        self.0.insert(thing.id().clone(), thing)
    }
    /// Takes a thing out.
    pub fn remove(&mut self, id: &T::Id) -> Option<T> {
        self.0.remove::<T::Id>(id)
    }
    /// All things in the order of their ids.
    pub fn iter(&self) -> std::collections::btree_map::Values<'_, T::Id, T> {
        self.0.values()
    }
    /// How many there are.
    pub fn len(&self) -> usize {
        self.0.len()
    }
    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }
}

impl<'a, T: Keyed> IntoIterator for &'a Table<T> {
    type Item = &'a T;
    type IntoIter = std::collections::btree_map::Values<'a, T::Id, T>;
    fn into_iter(self) -> Self::IntoIter {
        self.iter()
    }
}

impl<T: Keyed> FromIterator<T> for Table<T> {
    fn from_iter<I: IntoIterator<Item = T>>(things: I) -> Self {
        Self(things.into_iter().map(|t| (t.id().clone(), t)).collect())
    }
}

impl<T: Keyed + Serialize> Serialize for Table<T> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_seq(self.0.values())
    }
}

impl<'de, T: Keyed + Deserialize<'de>> Deserialize<'de> for Table<T> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let mut table = Self::default();
        for thing in Vec::<T>::deserialize(deserializer)? {
            if let Some(twice) = table.put(thing) {
                let id = twice.id();
                return Err(serde::de::Error::custom(format!("the id {id} stands twice")));
            }
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
