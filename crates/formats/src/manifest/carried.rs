//! Keys that are carried along: values in a manifest, JSON text in frames and clips.

use serde_json::{Map, Value};
use shibori_core::ExtraFields;

/// Keys of an entry, its `extras` among them, as a frame or a clip carries them.
pub(crate) fn carry(extras: Option<Map<String, Value>>, mut other: Map<String, Value>) -> ExtraFields {
    if let Some(extras) = extras {
        other.insert("extras".to_owned(), Value::Object(extras));
    }
    other.into_iter().map(|(key, value)| (key, value.to_string())).collect()
}

/// The same as values. Text that isn't JSON becomes a string.
pub(crate) fn carried_keys(carried: &ExtraFields) -> Map<String, Value> {
    let value = |json: &str| serde_json::from_str(json).unwrap_or_else(|_| Value::String(json.to_owned()));
    carried.iter().map(|(key, json)| (key.to_owned(), value(json))).collect()
}

/// The user's `extras` and all other keys.
pub(super) fn split_extras(carried: &ExtraFields) -> (Option<Map<String, Value>>, Map<String, Value>) {
    let mut other = carried_keys(carried);
    match other.remove("extras") {
        Some(Value::Object(extras)) => (Some(extras), other),
        Some(strange) => {
            other.insert("extras".to_owned(), strange);
            (None, other)
        }
        None => (None, other),
    }
}
