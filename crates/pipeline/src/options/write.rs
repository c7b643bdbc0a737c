//! Options written back: as words of a command line, or as keys of a recipe's tables. Both read the same fields that
//! clap and serde fill, so that an option can't be written other than it is read.

use std::fmt::Write;

use serde::Serialize;
use serde_json::{Map, Value};

/// The words that give these options on a command line, in the order of the struct's fields: `--grid`, `8x1`.
///
/// # Panics
/// If `options` isn't a struct of options.
pub fn command_words(options: &impl Serialize) -> Vec<String> {
    let mut words = Vec::new();
    for (key, value) in leaves(fields(options)) {
        match value {
            Value::Bool(true) => words.push(format!("--{key}")),
            Value::Bool(false) | Value::Null => {}
            Value::Array(values) => values.iter().for_each(|value| push(&mut words, &key, &plain(value))),
            value => push(&mut words, &key, &plain(&value)),
        }
    }
    words
}

/// The tables that give these options in a recipe: the group's name and its keys, such as `shape` and
/// `align = "match"`. Options outside of any group come under an empty name.
///
/// # Panics
/// If `options` isn't a struct of options.
pub fn recipe_tables(options: &impl Serialize) -> Vec<(String, Vec<String>)> {
    let mut tables: Vec<(String, Vec<String>)> = Vec::new();
    let mut add = |table: &str, line: String| match tables.iter_mut().find(|(name, _)| name == table) {
        Some((_, lines)) => lines.push(line),
        None => tables.push((table.to_owned(), vec![line])),
    };
    for (name, value) in fields(options) {
        match value {
            Value::Object(group) => {
                for (key, value) in leaves(group) {
                    if let Some(value) = toml_value(&value) {
                        add(&name, format!("{} = {value}", toml_key(&key)));
                    }
                }
            }
            value => {
                if let Some(value) = toml_value(&value) {
                    add("", format!("{} = {value}", toml_key(&name)));
                }
            }
        }
    }
    tables
}

fn fields(options: &impl Serialize) -> Map<String, Value> {
    match serde_json::to_value(options) {
        Ok(Value::Object(fields)) => fields,
        other => panic!("options are a struct: {other:?}"),
    }
}

/// All options, those of groups too.
fn leaves(fields: Map<String, Value>) -> Vec<(String, Value)> {
    let leaf = |(key, value)| match value {
        Value::Object(group) => leaves(group),
        value => vec![(key, value)],
    };
    fields.into_iter().flat_map(leaf).collect()
}

fn push(words: &mut Vec<String>, key: &str, value: &str) {
    // What begins like an option would be taken for one.
    match value.starts_with('-') {
        true => words.push(format!("--{key}={value}")),
        false => words.extend([format!("--{key}"), value.to_owned()]),
    }
}

fn plain(value: &Value) -> String {
    value.as_str().map_or_else(|| value.to_string(), str::to_owned)
}

/// `None` for what is unset.
fn toml_value(value: &Value) -> Option<String> {
    match value {
        Value::Null => None,
        Value::Bool(is_on) => Some(is_on.to_string()),
        Value::Array(values) if values.is_empty() => None,
        Value::Array(values) => Some(format!(
            "[{}]",
            values.iter().map(|value| toml_text(&plain(value))).collect::<Vec<_>>().join(", ")
        )),
        value => Some(toml_text(&plain(value))),
    }
}

/// A number as such, anything else as a string.
fn toml_text(text: &str) -> String {
    if text.parse::<u32>().is_ok_and(|number| number.to_string() == text) {
        text.to_owned()
    } else {
        toml_string(text)
    }
}

/// A key of TOML: bare where it may be.
pub fn toml_key(name: &str) -> String {
    let is_bare = |c: char| c.is_ascii_alphanumeric() || c == '-' || c == '_';
    if !name.is_empty() && name.chars().all(is_bare) { name.to_owned() } else { toml_string(name) }
}

/// A basic string of TOML.
pub fn toml_string(text: &str) -> String {
    let mut quoted = String::from("\"");
    for c in text.chars() {
        match c {
            '"' | '\\' => quoted.extend(['\\', c]),
            c if c.is_control() => drop(write!(quoted, "\\u{:04X}", u32::from(c))),
            c => quoted.push(c),
        }
    }
    quoted + "\""
}
