//! The keys of an option struct, read off its own `Deserialize`: there is no second list of them.

use serde::de::value::Error;
use serde::de::{DeserializeOwned, Error as _, Visitor};
use serde::{Deserializer, forward_to_deserialize_any};

/// The keys that a struct takes.
pub(crate) fn fields<T: DeserializeOwned>() -> &'static [&'static str] {
    let mut found: &'static [&'static str] = &[];
    // It always fails: all that is wanted is what it asks for.
    let _ = T::deserialize(Probe(&mut found));
    found
}

struct Probe<'a>(&'a mut &'static [&'static str]);

impl<'de> Deserializer<'de> for Probe<'_> {
    type Error = Error;

    fn deserialize_any<V: Visitor<'de>>(self, _: V) -> Result<V::Value, Error> {
        Err(Error::custom("only the keys are wanted"))
    }

    fn deserialize_struct<V: Visitor<'de>>(
        self,
        _: &'static str,
        fields: &'static [&'static str],
        visitor: V,
    ) -> Result<V::Value, Error> {
        *self.0 = fields;
        self.deserialize_any(visitor)
    }

    forward_to_deserialize_any! {
        bool i8 i16 i32 i64 i128 u8 u16 u32 u64 u128 f32 f64 char str string bytes byte_buf option unit unit_struct
        newtype_struct seq tuple tuple_struct map enum identifier ignored_any
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::options::{ContactOptions, CutOptions, FilterOption};

    #[test]
    fn keys_are_those_of_the_struct() {
        assert!(fields::<CutOptions>().starts_with(&["grid", "cell", "within"]));
        assert_eq!(fields::<ContactOptions>(), ["only", "zoom", "width", "height", "show"]);
        assert!(fields::<FilterOption>().is_empty());
    }
}
