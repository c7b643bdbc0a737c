//! Keys of a manifest that this version doesn't use (including the user's `extras`), carried along unchanged from reading to
//! writing.

/// Keys that are carried along, in order, each with its value as JSON text. Nothing here looks into a value.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct ExtraFields(Vec<(String, String)>);

impl ExtraFields {
    /// Nothing.
    pub fn new() -> Self {
        Self(Vec::new())
    }

    /// Whether nothing is carried.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// Each key with its value.
    pub fn iter(&self) -> impl Iterator<Item = (&str, &str)> {
        self.0.iter().map(|(key, value)| (key.as_str(), value.as_str()))
    }

    /// The value of a key.
    pub fn get(&self, key: &str) -> Option<&str> {
        self.iter().find(|(known, _)| *known == key).map(|(_, value)| value)
    }

    /// Sets the value of a key, a JSON text.
    pub fn insert(&mut self, key: impl Into<String>, json: impl Into<String>) {
        let (key, json) = (key.into(), json.into());
        match self.0.iter_mut().find(|(known, _)| *known == key) {
            Some((_, value)) => *value = json,
            None => self.0.push((key, json)),
        }
    }

    /// Adds what `other` has and this has not.
    pub fn insert_missing(&mut self, other: ExtraFields) {
        for (key, value) in other.0 {
            if self.get(&key).is_none() {
                self.insert(key, value);
            }
        }
    }
}

impl FromIterator<(String, String)> for ExtraFields {
    fn from_iter<I: IntoIterator<Item = (String, String)>>(all: I) -> Self {
        let mut fields = Self::new();
        all.into_iter().for_each(|(key, json)| fields.insert(key, json));
        fields
    }
}
