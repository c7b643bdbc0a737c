//! Tables of a recipe: keys are taken out one by one or a group at a time, and whatever is left in the end is a mistake
//! that is pointed at. Nothing here knows what a key means.

use std::fmt::Write as _;

use serde::de::DeserializeOwned;
use toml::Spanned;
use toml::de::{DeString, DeTable, DeValue, ValueDeserializer};

use crate::options::{DEFAULT, current_name};
use shibori_core::closest_name;

use crate::options::OptionConflict;
use crate::recipe::error::{RecipeError, RecipeErrorKind};
use crate::recipe::fields::fields;
use crate::recipe::text::{RecipeText, Span};

/// The table of clips by name, and the key of a clip's table for what it is where it needs no table.
const CLIPS: &str = "clips";
const STEPS: &str = "steps";

/// A value with its place.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Located<T> {
    /// The value.
    pub value: T,
    /// Its place.
    pub span: Span,
}

/// A table that is being read.
#[derive(Clone)]
pub(super) struct Table<'t> {
    text: &'t RecipeText,
    span: Span,
    entries: Vec<Entry<'t>>,
    /// What was asked for so far, and so is known here.
    known: Vec<&'static str>,
    /// Tables inside this one, and what is known in them.
    homes: Vec<(&'static str, &'static [&'static str])>,
}

#[derive(Clone)]
pub(super) struct Entry<'t> {
    pub(super) key: Located<String>,
    pub(super) value: Spanned<DeValue<'t>>,
}

impl<'t> Table<'t> {
    /// The whole recipe: its own tables over those of the files that it includes, the last one first.
    pub(super) fn root(text: &'t RecipeText) -> Result<Self, RecipeError> {
        Self::of_file(text, 0)
    }

    fn of_file(text: &'t RecipeText, file: usize) -> Result<Self, RecipeError> {
        let mut table = Self::alone(text, file)?;
        for &included in text.padded(file).1.iter().rev() {
            table = table.over_deep(&Self::of_file(text, included)?)?;
        }
        Ok(table)
    }

    /// What one file says, without those that it includes.
    pub(super) fn alone(text: &'t RecipeText, file: usize) -> Result<Self, RecipeError> {
        match DeTable::parse(text.padded(file).0) {
            Ok(table) => Ok(Self::of(text, table.span(), table.into_inner())),
            Err(error) => {
                let span = error.span().unwrap_or(0..0);
                Err(RecipeError::at(text, &span, RecipeErrorKind::Syntax(error.message().to_owned())))
            }
        }
    }

    fn of(text: &'t RecipeText, span: Span, table: DeTable<'t>) -> Self {
        let entry = |(key, value): (Spanned<DeString<'t>>, Spanned<DeValue<'t>>)| Entry {
            key: Located { span: key.span(), value: key.into_inner().into_owned() },
            value,
        };
        let entries = table.into_iter().map(entry).collect();
        Self { text, span, entries, known: Vec::new(), homes: Vec::new() }
    }

    /// A table without keys, in the place of one that was not written.
    pub(super) fn empty(text: &'t RecipeText, span: Span) -> Self {
        Self { text, span, entries: Vec::new(), known: Vec::new(), homes: Vec::new() }
    }

    pub(super) fn text(&self) -> &'t RecipeText {
        self.text
    }

    pub(super) fn span(&self) -> &Span {
        &self.span
    }

    pub(super) fn is_empty(&self) -> bool {
        self.entries.is_empty()
    }

    /// This table over another: what both say is said by this one.
    pub(super) fn layer_over(mut self, lower: &Table<'t>) -> Self {
        let is_said = |key: &str, entries: &[Entry<'_>]| entries.iter().any(|entry| entry.key.value == key);
        let below = lower.entries.iter().filter(|entry| !is_said(&entry.key.value, &self.entries));
        let below: Vec<Entry<'t>> = below.cloned().collect();
        self.entries.extend(below);
        self
    }

    /// This table over another, tables inside them too: what both say is said by this one, key by key.
    ///
    /// # Errors
    /// If one says a table where the other says something else.
    pub(super) fn over_deep(mut self, lower: &Table<'t>) -> Result<Self, RecipeError> {
        for entry in &mut self.entries {
            if let Some(below) = lower.entries.iter().find(|other| other.key.value == entry.key.value) {
                fill_value(self.text, ["", &entry.key.value], &mut entry.value, &below.value)?;
            }
        }
        Ok(self.layer_over(lower))
    }

    /// All that the table says. Of keys that are left out nothing is said.
    pub(super) fn settings(&self, without: &[&str]) -> Settings {
        let mut settings = Settings::default();
        for entry in self.entries.iter().filter(|entry| !without.contains(&entry.key.value.as_str())) {
            settings.add(&entry.key.value, &entry.key.value, &entry.value);
            settings.values.insert(entry.key.value.clone(), json_of(entry.value.get_ref()));
        }
        settings
    }

    /// The same of keys that were asked for in another table.
    pub(super) fn settings_read_by(&self, asked: &Table<'t>) -> Settings {
        let keys = self.entries.iter().map(|entry| entry.key.value.as_str());
        let others: Vec<&str> = keys.filter(|key| !asked.known.contains(key)).collect();
        self.settings(&others)
    }

    /// All entries that are left, in their order, for tables whose keys are names.
    pub(super) fn entries(self) -> Vec<Entry<'t>> {
        self.entries
    }

    /// Whether a key is there.
    pub(super) fn has(&self, key: &str) -> bool {
        self.entries.iter().any(|entry| entry.key.value == key)
    }

    /// The place of a key, or of the table where it is not there.
    pub(super) fn place_of(&self, key: &str) -> Span {
        let found = self.entries.iter().find(|entry| entry.key.value == key);
        found.map_or_else(|| self.span.clone(), |entry| entry.key.span.clone())
    }

    fn take(&mut self, key: &'static str) -> Option<Entry<'t>> {
        self.known.push(key);
        let at = self.entries.iter().position(|entry| entry.key.value == key)?;
        Some(self.entries.remove(at))
    }

    /// A key that leads to a table.
    pub(super) fn table(&mut self, key: &'static str) -> Result<Option<Table<'t>>, RecipeError> {
        self.take(key).map(|entry| entry.table(self.text)).transpose()
    }

    /// A key that leads to a table of options that belong to it, so that one of them outside is led home.
    pub(super) fn group_table(
        &mut self,
        key: &'static str,
        keys: &'static [&'static str],
    ) -> Result<Table<'t>, RecipeError> {
        self.homes.push((key, keys));
        let span = self.span.clone();
        Ok(self.table(key)?.unwrap_or_else(|| Table::empty(self.text, span)))
    }

    /// A key that leads to a list of tables; one alone needs no brackets.
    pub(super) fn tables(&mut self, key: &'static str) -> Result<Vec<Table<'t>>, RecipeError> {
        let Some(entry) = self.take(key) else { return Ok(Vec::new()) };
        let text = self.text;
        if let DeValue::Array(_) = entry.value.get_ref() {
            let key = entry.key;
            let of_item = |value: Spanned<DeValue<'t>>| Entry { key: key.clone(), value }.table(text);
            let DeValue::Array(items) = entry.value.into_inner() else { return Ok(Vec::new()) };
            return items.into_iter().map(of_item).collect();
        }
        Ok(vec![entry.table(text)?])
    }

    /// A single value.
    pub(super) fn value<T: DeserializeOwned>(
        &mut self,
        key: &'static str,
    ) -> Result<Option<Located<T>>, RecipeError> {
        self.take(key).map(|entry| entry.read(self.text)).transpose()
    }

    /// Texts, each with its place; one alone needs no brackets.
    pub(super) fn list(&mut self, key: &'static str) -> Result<Vec<Located<String>>, RecipeError> {
        let Some(entry) = self.take(key) else { return Ok(Vec::new()) };
        let text = self.text;
        match entry.value.get_ref() {
            DeValue::Array(_) => {
                let Entry { key, value } = entry;
                let DeValue::Array(items) = value.into_inner() else { return Ok(Vec::new()) };
                items.into_iter().map(|value| Entry { key: key.clone(), value }.read(text)).collect()
            }
            _ => Ok(vec![entry.read(text)?]),
        }
    }

    /// All keys of a group of options, and the options they make.
    pub(super) fn group<T: DeserializeOwned>(&mut self) -> Result<T, RecipeError> {
        let keys = fields::<T>();
        self.known.extend(keys);
        let (own, rest): (Vec<_>, Vec<_>) = std::mem::take(&mut self.entries)
            .into_iter()
            .partition(|entry| keys.contains(&entry.key.value.as_str()));
        self.entries = rest;
        let mut table = DeTable::new();
        let spans: Vec<Located<String>> = own.iter().map(|entry| entry.key.clone()).collect();
        for Entry { key, value } in own {
            table.insert(Spanned::new(key.span, DeString::from(key.value)), value);
        }
        let whole = Spanned::new(self.span.clone(), DeValue::Table(table));
        T::deserialize(ValueDeserializer::from(whole)).map_err(|error| {
            let span = error.span().unwrap_or_else(|| self.span.clone());
            // The key before the value that is wrong.
            let before = spans.iter().filter(|key| key.span.start <= span.start);
            let key = before.max_by_key(|key| key.span.start).or(spans.first());
            let key = key.map_or_else(String::new, |key| key.value.clone());
            RecipeError::at(self.text, &span, RecipeErrorKind::Value { key, why: error.message().to_owned() })
        })
    }

    /// The same, with those keys of another table below them that belong to the group.
    pub(super) fn merge_group<T: DeserializeOwned>(&mut self, lower: &Table<'t>) -> Result<T, RecipeError> {
        let keys = fields::<T>();
        let mut below = lower.clone();
        below.entries.retain(|entry| keys.contains(&entry.key.value.as_str()));
        let table = std::mem::replace(self, Table::empty(self.text, self.span.clone()));
        *self = table.layer_over(&below);
        self.group()
    }

    /// Whether a key is there and says true or false.
    pub(super) fn is_switch(&self, key: &str) -> bool {
        let found = self.entries.iter().find(|entry| entry.key.value == key);
        found.is_some_and(|entry| matches!(entry.value.get_ref(), DeValue::Boolean(_)))
    }

    /// A key that has to be there and is not; a key that may be meant for it is pointed at.
    pub(super) fn needs(&self, of: String, key: &'static str, span: &Span) -> RecipeError {
        let is_meant = |entry: &&Entry<'t>| {
            !self.known.contains(&entry.key.value.as_str()) && closest_name(&entry.key.value, [key]).is_some()
        };
        match self.entries.iter().find(is_meant) {
            Some(entry) => {
                let (name, span) = (entry.key.value.clone(), &entry.key.span);
                let fault = RecipeErrorKind::UnknownKey {
                    key: name,
                    nearest: Some(key),
                    home: None,
                    known: vec![key],
                };
                RecipeError::at(self.text, span, fault)
            }
            None => RecipeError::at(self.text, span, RecipeErrorKind::Needs { of, key }),
        }
    }

    /// That nothing is left.
    pub(super) fn finish(self) -> Result<(), RecipeError> {
        let Some(entry) = self.entries.first() else { return Ok(()) };
        let key = entry.key.value.clone();
        let home = self.homes.iter().find(|(_, keys)| keys.contains(&key.as_str())).map(|(home, _)| *home);
        let nearest = current_name(&key)
            .filter(|name| self.known.contains(name))
            .or_else(|| closest_name(&key, self.known.iter().copied()));
        let (known, span) = (self.known, entry.key.span.clone());
        Err(RecipeError::at(self.text, &span, RecipeErrorKind::UnknownKey { key, nearest, home, known }))
    }
}

/// What tables say.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Settings {
    /// The same for recipes that differ only in spaces, comments and places.
    text: String,
    /// Values by the path of their key, such as `slice.grid`, with their texts; of a list, each item.
    places: Vec<(String, String, Span)>,
    /// The same as JSON, with nested tables.
    values: serde_json::Map<String, serde_json::Value>,
}

impl Settings {
    /// What is said, as a text.
    pub(crate) fn text(&self) -> &str {
        &self.text
    }

    /// The settings as JSON.
    pub(crate) fn values(&self) -> &serde_json::Map<String, serde_json::Value> {
        &self.values
    }

    /// The place of a key's value: of several the one that has a word in it, or the first.
    pub(crate) fn place(&self, key: &str, about: &str) -> Option<&Span> {
        let mut found = self.places.iter().filter(|(path, ..)| path == key);
        let first = found.clone().next();
        found.find(|(_, text, _)| text.contains(about)).or(first).map(|(.., span)| span)
    }

    /// This and what another table says, whose keys are below a key.
    pub(super) fn and(mut self, key: &str, other: Self) -> Self {
        self.text += &format!("{key}:{{{}}}", other.text);
        self.values.insert(key.to_owned(), other.values.into());
        self.places
            .extend(other.places.into_iter().map(|(path, text, span)| (format!("{key}.{path}"), text, span)));
        self
    }

    fn add(&mut self, key: &str, path: &str, value: &Spanned<DeValue<'_>>) {
        let _ = write!(self.text, "{key:?}=");
        self.add_value(path, value);
        self.text.push(';');
    }

    fn add_value(&mut self, path: &str, value: &Spanned<DeValue<'_>>) {
        let start = self.text.len();
        match value.get_ref() {
            DeValue::String(text) => drop(write!(self.text, "{text:?}")),
            DeValue::Integer(number) => self.text.push_str(number.as_str()),
            DeValue::Float(number) => self.text.push_str(number.as_str()),
            DeValue::Boolean(is_so) => drop(write!(self.text, "{is_so}")),
            DeValue::Datetime(time) => drop(write!(self.text, "{time}")),
            DeValue::Array(items) => {
                self.text.push('[');
                for item in items {
                    self.add_value(path, item);
                    self.text.push(',');
                }
                self.text.push(']');
                return;
            }
            DeValue::Table(table) => {
                self.text.push('{');
                for (key, value) in table {
                    self.add(key.get_ref(), &format!("{path}.{}", key.get_ref()), value);
                }
                self.text.push('}');
            }
        }
        self.places.push((path.to_owned(), self.text[start..].to_owned(), value.span()));
    }
}

/// A value as JSON. Dates become text; no key takes one.
fn json_of(value: &DeValue<'_>) -> serde_json::Value {
    match value {
        DeValue::String(text) => text.as_ref().into(),
        DeValue::Integer(number) => {
            serde_json::from_str(number.as_str()).unwrap_or_else(|_| number.as_str().into())
        }
        DeValue::Float(number) => {
            serde_json::from_str(number.as_str()).unwrap_or_else(|_| number.as_str().into())
        }
        DeValue::Boolean(is_so) => (*is_so).into(),
        DeValue::Datetime(time) => time.to_string().into(),
        DeValue::Array(items) => items.iter().map(|item| json_of(item.get_ref())).collect(),
        DeValue::Table(table) => {
            let entry = |(key, value): (&Spanned<DeString<'_>>, &Spanned<DeValue<'_>>)| {
                (key.get_ref().to_string(), json_of(value.get_ref()))
            };
            serde_json::Value::Object(table.iter().map(entry).collect())
        }
    }
}

/// Adds what a table lacks from another one, tables inside them too. Other values are replaced as a whole. `key` comes
/// after that of the table it is in.
fn fill_value<'t>(
    text: &RecipeText,
    [parent, key]: [&str; 2],
    upper: &mut Spanned<DeValue<'t>>,
    lower: &Spanned<DeValue<'t>>,
) -> Result<(), RecipeError> {
    let wrong = |place: Span, wanted: &'static str, found: &DeValue<'_>| {
        let fault = RecipeErrorKind::Kind { key: key.to_owned(), wanted, found: kind(found) };
        Err(RecipeError::at(text, &place, fault))
    };
    let place = upper.span();
    match (upper.get_mut(), lower.get_ref()) {
        (DeValue::Table(upper), DeValue::Table(lower)) => {
            let name = key;
            for (key, below) in lower {
                let own = upper.get_mut(key.get_ref().as_ref());
                match own {
                    None => drop(upper.insert(key.clone(), below.clone())),
                    Some(own) => fill_value(text, [name, key.get_ref()], own, below)?,
                }
            }
            Ok(())
        }
        // A clip is a text, or a table with that text as its steps.
        (DeValue::Table(upper), DeValue::String(_)) if parent == CLIPS => {
            if !upper.contains_key(STEPS) {
                upper.insert(Spanned::new(lower.span(), DeString::from(STEPS)), lower.clone());
            }
            Ok(())
        }
        (DeValue::String(_), DeValue::Table(_)) if parent == CLIPS => Ok(()),
        (DeValue::Table(_), DeValue::Array(_)) | (DeValue::Array(_), DeValue::Table(_)) => Ok(()),
        (DeValue::Table(_), other) => wrong(lower.span(), "a table", other),
        (other, DeValue::Table(_)) => wrong(place, "a table", other),
        _ => Ok(()),
    }
}

impl<'t> Entry<'t> {
    pub(super) fn is_table(&self) -> bool {
        matches!(self.value.get_ref(), DeValue::Table(_))
    }

    /// The value as a table.
    pub(super) fn table(self, text: &'t RecipeText) -> Result<Table<'t>, RecipeError> {
        let span = self.value.span();
        match self.value.into_inner() {
            DeValue::Table(table) => {
                // A table with a header begins at its header's key.
                let span = if span.is_empty() { self.key.span } else { span };
                Ok(Table::of(text, span, table))
            }
            other => {
                let (key, found) = (self.key.value, kind(&other));
                Err(RecipeError::at(text, &span, RecipeErrorKind::Kind { key, wanted: "a table", found }))
            }
        }
    }

    /// The value as what is wanted.
    pub(super) fn read<T: DeserializeOwned>(self, text: &RecipeText) -> Result<Located<T>, RecipeError> {
        let span = self.value.span();
        let value = T::deserialize(ValueDeserializer::from(self.value)).map_err(|error| {
            let why = error.message().to_owned();
            RecipeError::at(text, &span, RecipeErrorKind::Value { key: self.key.value, why })
        })?;
        Ok(Located { value, span })
    }

    /// Whether the value is the word that takes back what was said.
    pub(super) fn is_default(&self) -> bool {
        matches!(self.value.get_ref(), DeValue::String(text) if text == DEFAULT)
    }
}

fn kind(value: &DeValue<'_>) -> &'static str {
    match value {
        DeValue::String(_) => "a text",
        DeValue::Integer(_) | DeValue::Float(_) => "a number",
        DeValue::Boolean(_) => "true or false",
        DeValue::Datetime(_) => "a date",
        DeValue::Array(_) => "a list",
        DeValue::Table(_) => "a table",
    }
}

/// The place of the option that contradicts another.
pub(super) fn place_of_conflict(wrong: &OptionConflict, tables: &[&Table<'_>]) -> Span {
    let option = wrong.option();
    let first = option.and_then(|option| tables.iter().find(|table| table.has(option)));
    match (first, option) {
        (Some(table), Some(option)) => table.place_of(option),
        _ => tables[0].span().clone(),
    }
}
