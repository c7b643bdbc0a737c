//! The types of single values, and how serde fills them: from the same texts as a command line, with numbers and
//! booleans also as such. The word `default` stands for "not said", so that a narrower table of a recipe can put an option
//! back. What a value may be is decided by its type, never by the program that fills it.

use std::fmt;
use std::str::FromStr;

use serde::de::value::StringDeserializer;
use serde::de::{Error, IntoDeserializer};
use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// What puts an option back to its default.
pub const DEFAULT: &str = "default";

/// A whole number from `LOW` to `HIGH`.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct BoundedInt<const LOW: u32, const HIGH: u32>(u32);

/// A text that is no such number.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("'{text}' is not a whole number from {low} to {high}")]
pub struct WholeError {
    text: String,
    low: u32,
    high: u32,
}

impl<const LOW: u32, const HIGH: u32> BoundedInt<LOW, HIGH> {
    /// Checks that a number is in the range.
    ///
    /// # Errors
    /// If it isn't.
    pub fn new(number: u32) -> Result<Self, WholeError> {
        let is_in = (LOW..=HIGH).contains(&number);
        is_in.then_some(Self(number)).ok_or_else(|| Self::error(number.to_string()))
    }

    fn error(text: String) -> WholeError {
        WholeError { text, low: LOW, high: HIGH }
    }

    /// The number.
    pub fn get(self) -> u32 {
        self.0
    }

    /// The number of a range that lies below 256; a wider one is a mistake of the type.
    pub fn get_u8(self) -> u8 {
        const { assert!(HIGH <= 255) };
        self.0 as u8
    }
}

impl<const LOW: u32, const HIGH: u32> FromStr for BoundedInt<LOW, HIGH> {
    type Err = WholeError;

    fn from_str(text: &str) -> Result<Self, WholeError> {
        let number = text.trim().parse().map_err(|_| Self::error(text.to_owned()))?;
        Self::new(number).map_err(|_| Self::error(text.to_owned()))
    }
}

impl<const LOW: u32, const HIGH: u32> fmt::Display for BoundedInt<LOW, HIGH> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

/// A number of 0 or more, not infinite.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct NonNegative(f64);

/// A text that is no amount.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("'{0}' is not a number of 0 or more")]
pub struct AmountError(String);

impl NonNegative {
    /// Checks a number.
    ///
    /// # Errors
    /// If it is below 0, infinite or NaN.
    pub fn new(number: f64) -> Result<Self, AmountError> {
        let is_amount = number.is_finite() && number >= 0.0;
        is_amount.then_some(Self(number)).ok_or_else(|| AmountError(number.to_string()))
    }

    /// The number.
    pub fn get(self) -> f64 {
        self.0
    }
}

impl FromStr for NonNegative {
    type Err = AmountError;

    fn from_str(text: &str) -> Result<Self, AmountError> {
        let wrong = || AmountError(text.to_owned());
        Self::new(text.trim().parse().map_err(|_| wrong())?).map_err(|_| wrong())
    }
}

impl fmt::Display for NonNegative {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

/// Something that is on or off, or of which nothing was said.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Flag {
    /// Nothing was said: off.
    #[default]
    Unsaid,
    /// Said to be off.
    Off,
    /// Said to be on.
    On,
}

impl Flag {
    /// Whether it is on.
    pub fn is_on(self) -> bool {
        self == Self::On
    }

    /// As a bare option on a command line: there or not there.
    #[cfg(feature = "clap")]
    pub(super) fn parser() -> impl clap::builder::TypedValueParser<Value = Self> {
        use clap::builder::TypedValueParser;
        clap::builder::BoolValueParser::new().map(|is_there| if is_there { Self::On } else { Self::Unsaid })
    }
}

impl Serialize for Flag {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self {
            Self::Unsaid => serializer.serialize_none(),
            Self::Off => serializer.serialize_bool(false),
            Self::On => serializer.serialize_bool(true),
        }
    }
}

impl<'de> Deserialize<'de> for Flag {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        Ok(match text::deserialize::<D, bool>(deserializer)? {
            None => Self::Unsaid,
            Some(false) => Self::Off,
            Some(true) => Self::On,
        })
    }
}

/// A value as a recipe may write it.
#[derive(Deserialize)]
#[serde(untagged, expecting = "expected text, a number, true or false")]
enum Scalar {
    Text(String),
    Truth(bool),
    Whole(i64),
    Fraction(f64),
}

impl Scalar {
    fn into_text(self) -> String {
        match self {
            Self::Text(text) => text,
            Self::Truth(truth) => truth.to_string(),
            Self::Whole(number) => number.to_string(),
            Self::Fraction(number) => number.to_string(),
        }
    }
}

/// An optional value as its text.
pub(crate) mod text {
    use super::{DEFAULT, Deserialize, Deserializer, FromStr, Scalar, Serializer, fmt, parsed};

    pub(crate) fn deserialize<'de, D, T>(deserializer: D) -> Result<Option<T>, D::Error>
    where
        D: Deserializer<'de>,
        T: FromStr<Err: fmt::Display>,
    {
        match Scalar::deserialize(deserializer)?.into_text() {
            text if text == DEFAULT => Ok(None),
            text => parsed(&text).map(Some),
        }
    }

    pub(crate) fn serialize<T: fmt::Display, S: Serializer>(
        value: &Option<T>,
        serializer: S,
    ) -> Result<S::Ok, S::Error> {
        match value {
            Some(value) => serializer.collect_str(value),
            None => serializer.serialize_none(),
        }
    }
}

/// An optional path.
pub(crate) mod path {
    use std::path::PathBuf;

    use shibori_formats::DisplaySlashed;

    use super::{Deserializer, Serializer, text};

    pub(crate) fn deserialize<'de, D: Deserializer<'de>>(
        deserializer: D,
    ) -> Result<Option<PathBuf>, D::Error> {
        text::deserialize(deserializer)
    }

    pub(crate) fn serialize<S: Serializer>(
        value: &Option<PathBuf>,
        serializer: S,
    ) -> Result<S::Ok, S::Error> {
        text::serialize(&value.as_ref().map(|path| path.display_slashed().to_string()), serializer)
    }
}

/// A value that has no default, as its text.
pub(crate) mod required {
    use super::{Deserializer, Error, FromStr, Serializer, fmt, text};

    pub(crate) fn deserialize<'de, D, T>(deserializer: D) -> Result<T, D::Error>
    where
        D: Deserializer<'de>,
        T: FromStr<Err: fmt::Display>,
    {
        text::deserialize(deserializer)?.ok_or_else(|| D::Error::custom("has no default"))
    }

    pub(crate) fn serialize<T: fmt::Display, S: Serializer>(
        value: &T,
        serializer: S,
    ) -> Result<S::Ok, S::Error> {
        serializer.collect_str(value)
    }
}

/// A value from its text, and the text in what is said of a wrong one.
fn parsed<T: FromStr<Err: fmt::Display>, E: Error>(text: &str) -> Result<T, E> {
    text.parse().map_err(|error: T::Err| {
        let mut why = error.to_string();
        // What the standard library says of small numbers.
        if why == "number too large to fit in target type" && size_of::<T>() == 1 {
            why = format!("must be 0 to {}", u8::MAX);
        }
        if why.contains(text) { E::custom(why) } else { E::custom(format!("'{text}': {why}")) }
    })
}

/// A word that is none of several.
#[derive(Debug, thiserror::Error)]
#[error("{0}")]
struct UnknownWord(String);

impl Error for UnknownWord {
    fn custom<T: fmt::Display>(why: T) -> Self {
        Self(why.to_string())
    }

    fn unknown_variant(word: &str, known: &'static [&'static str]) -> Self {
        Self(format!("unknown value '{word}'; available: {}", known.join(", ")))
    }
}

/// One of several words.
pub(crate) mod keyword {
    use super::{
        DEFAULT, Deserialize, Deserializer, Error, IntoDeserializer, Serialize, Serializer,
        StringDeserializer, UnknownWord,
    };

    pub(crate) fn deserialize<'de, D, T>(deserializer: D) -> Result<Option<T>, D::Error>
    where
        D: Deserializer<'de>,
        T: Deserialize<'de>,
    {
        match String::deserialize(deserializer)? {
            word if word == DEFAULT => Ok(None),
            word => {
                let inner: StringDeserializer<UnknownWord> = word.into_deserializer();
                T::deserialize(inner).map(Some).map_err(Error::custom)
            }
        }
    }

    pub(crate) fn serialize<T: Serialize, S: Serializer>(
        value: &Option<T>,
        serializer: S,
    ) -> Result<S::Ok, S::Error> {
        value.serialize(serializer)
    }
}

/// A list of values as their texts; one alone needs no brackets.
pub(crate) mod texts {
    use super::{Deserializer, FromStr, Serializer, de_list, fmt, parsed};

    pub(crate) fn deserialize<'de, D, T>(deserializer: D) -> Result<Vec<T>, D::Error>
    where
        D: Deserializer<'de>,
        T: FromStr<Err: fmt::Display>,
    {
        de_list::<D>(deserializer)?.iter().map(|text| parsed(text)).collect()
    }

    pub(crate) fn serialize<T: fmt::Display, S: Serializer>(
        values: &[T],
        serializer: S,
    ) -> Result<S::Ok, S::Error> {
        serializer.collect_seq(values.iter().map(ToString::to_string))
    }
}

/// A list of values as their texts; when read, a text may hold several, with commas between them, as on a command line.
pub(crate) mod comma_texts {
    pub(crate) use super::texts::serialize;
    use super::{Deserializer, FromStr, de_comma_list, fmt, parsed};

    pub(crate) fn deserialize<'de, D, T>(deserializer: D) -> Result<Vec<T>, D::Error>
    where
        D: Deserializer<'de>,
        T: FromStr<Err: fmt::Display>,
    {
        de_comma_list::<D>(deserializer)?.iter().map(|text| parsed(text)).collect()
    }
}

/// A list of words; when read, a text may hold several, with commas between them, as on a command line.
pub(crate) mod comma_words {
    use super::{
        Deserialize, Deserializer, IntoDeserializer, Serialize, Serializer, StringDeserializer, de_comma_list,
    };

    pub(crate) fn deserialize<'de, D, T>(deserializer: D) -> Result<Vec<T>, D::Error>
    where
        D: Deserializer<'de>,
        T: Deserialize<'de>,
    {
        let parse = |word: String| {
            let inner: StringDeserializer<D::Error> = word.into_deserializer();
            T::deserialize(inner)
        };
        de_comma_list::<D>(deserializer)?.into_iter().map(parse).collect()
    }

    pub(crate) fn serialize<T: Serialize, S: Serializer>(
        values: &[T],
        serializer: S,
    ) -> Result<S::Ok, S::Error> {
        values.serialize(serializer)
    }
}

fn de_comma_list<'de, D: Deserializer<'de>>(deserializer: D) -> Result<Vec<String>, D::Error> {
    let all = de_list::<D>(deserializer)?;
    Ok(all.iter().flat_map(|text| text.split(',')).map(|text| text.trim().to_owned()).collect())
}

fn de_list<'de, D: Deserializer<'de>>(deserializer: D) -> Result<Vec<String>, D::Error> {
    #[derive(Deserialize)]
    #[serde(untagged, expecting = "expected text or a list of texts")]
    enum OneOrMany {
        Many(Vec<Scalar>),
        One(Scalar),
    }
    Ok(match OneOrMany::deserialize(deserializer)? {
        OneOrMany::Many(items) => items.into_iter().map(Scalar::into_text).collect(),
        OneOrMany::One(item) => match item.into_text() {
            text if text == DEFAULT => Vec::new(),
            text => vec![text],
        },
    })
}
