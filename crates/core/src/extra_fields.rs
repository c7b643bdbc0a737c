//! Keys of a manifest that this version does not use itself (the user's `extras` among them), carried along untouched from
//! reading to writing. Nobody fills them on most frames and steps, so an empty one costs no more than a pointer.

use serde_json::{Map, Value};

/// Keys and values that are carried along.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct ExtraFields(Option<Box<Map<String, Value>>>);

impl ExtraFields {
    /// Nothing.
    pub fn new() -> Self {
        Self(None)
    }

    /// Whether nothing is carried.
    pub fn is_empty(&self) -> bool {
        self.0.is_none()
    }

    /// The value of a key.
    pub fn get(&self, key: &str) -> Option<&Value> {
        self.0.as_ref()?.get(key)
    }

    /// Sets the value of a key.
    pub fn insert(&mut self, key: String, value: Value) {
        self.0.get_or_insert_default().insert(key, value);
    }

    /// Adds what `other` has and this has not.
    pub fn insert_missing(&mut self, other: ExtraFields) {
        let Some(other) = other.0 else { return };
        let own = self.0.get_or_insert_default();
        for (key, value) in *other {
            own.entry(key).or_insert(value);
        }
    }

    /// As a map of its own.
    pub fn to_map(&self) -> Map<String, Value> {
        self.0.as_deref().cloned().unwrap_or_default()
    }
}

impl From<Map<String, Value>> for ExtraFields {
    fn from(map: Map<String, Value>) -> Self {
        Self((!map.is_empty()).then(|| Box::new(map)))
    }
}
