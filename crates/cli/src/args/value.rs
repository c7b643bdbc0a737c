//! The glue between typed values and the two ways in: clap parses them with `FromStr`, and so does serde
//! here. In a recipe a number may also stand without quotes.

use std::fmt::Display;
use std::str::FromStr;

use serde::{Deserialize, Deserializer, de};

#[derive(Deserialize)]
#[serde(untagged)]
enum Scalar {
    Text(String),
    Whole(i64),
    Fraction(f64),
}

impl Scalar {
    fn parse<T: FromStr<Err: Display>, E: de::Error>(self) -> Result<T, E> {
        let text = match self {
            Scalar::Text(text) => text,
            Scalar::Whole(number) => number.to_string(),
            Scalar::Fraction(number) => number.to_string(),
        };
        text.parse().map_err(E::custom)
    }
}

/// An optional value from its text.
pub(super) fn text<'de, D, T>(deserializer: D) -> Result<Option<T>, D::Error>
where
    D: Deserializer<'de>,
    T: FromStr<Err: Display>,
{
    Scalar::deserialize(deserializer)?.parse().map(Some)
}

/// A list of values from their texts; one alone needs no brackets.
pub(super) fn texts<'de, D, T>(deserializer: D) -> Result<Vec<T>, D::Error>
where
    D: Deserializer<'de>,
    T: FromStr<Err: Display>,
{
    #[derive(Deserialize)]
    #[serde(untagged)]
    enum OneOrMany {
        Many(Vec<Scalar>),
        One(Scalar),
    }
    let items = match OneOrMany::deserialize(deserializer)? {
        OneOrMany::Many(items) => items,
        OneOrMany::One(item) => vec![item],
    };
    items.into_iter().map(Scalar::parse).collect()
}
