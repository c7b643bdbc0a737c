//! Filters for names and numbers.

use crate::export::idents::is_mark;
use minijinja::{Environment, Error, ErrorKind};

use crate::export::idents::{css_name, identifier};

pub(super) fn add(environment: &mut Environment<'_>) {
    environment.add_filter("ident", |name: String| identifier(&name));
    environment.add_filter("css_name", |name: String| css_name(&name));
    environment.add_filter("snake", |name: String| joined(&words(&name), "_", lower));
    environment.add_filter("screaming", |name: String| joined(&words(&name), "_", upper));
    environment.add_filter("kebab", |name: String| joined(&words(&name), "-", lower));
    environment.add_filter("pascal", |name: String| started(joined(&words(&name), "", capital)));
    environment.add_filter("camel", |name: String| camel(&name));
    environment.add_filter("hex", hex);
    environment.add_filter("fixed", fixed);
    environment.add_filter("quoted", |text: String| quoted(&text));
    environment.add_filter("xml", |text: String| crate::xml::escaped(&text));
}

/// Letters and digits in groups: at signs between them, and where capitals or digits begin.
fn words(name: &str) -> Vec<String> {
    let mut words: Vec<String> = Vec::new();
    let mut before: Option<char> = None;
    for c in name.chars() {
        if !(c.is_alphabetic() || c.is_ascii_digit() || is_mark(c)) {
            before = None;
            continue;
        }
        let begins = match before {
            None => true,
            Some(b) => b.is_lowercase() && c.is_uppercase(),
        };
        if begins {
            words.push(String::new());
        }
        words.last_mut().expect("begun above").push(c);
        before = Some(c);
    }
    words
}

fn joined(words: &[String], joint: &str, case: fn(&str) -> String) -> String {
    started(words.iter().map(|word| case(word)).collect::<Vec<_>>().join(joint))
}

/// An identifier does not begin with a digit.
fn started(text: String) -> String {
    if text.is_empty() || text.starts_with(|c: char| c.is_ascii_digit()) { format!("_{text}") } else { text }
}

fn lower(word: &str) -> String {
    word.to_lowercase()
}

fn upper(word: &str) -> String {
    word.to_uppercase()
}

fn capital(word: &str) -> String {
    let (first, rest) = word.split_at(word.chars().next().map_or(0, char::len_utf8));
    first.to_uppercase() + &rest.to_lowercase()
}

fn camel(name: &str) -> String {
    let words = words(name);
    let Some((first, rest)) = words.split_first() else { return "_".to_owned() };
    started(lower(first) + &rest.iter().map(|word| capital(word)).collect::<String>())
}

/// A whole number in hexadecimal, with so many digits at least.
fn hex(number: i64, digits: Option<usize>) -> Result<String, Error> {
    if number < 0 {
        return Err(Error::new(ErrorKind::InvalidOperation, format!("hex of {number}, which is below 0")));
    }
    let width = digits.unwrap_or(0).min(64);
    Ok(format!("{number:0width$x}"))
}

/// A number with so many decimals exactly, six if not said.
fn fixed(number: f64, decimals: Option<usize>) -> String {
    let decimals = decimals.unwrap_or(6).min(17);
    let text = format!("{number:.decimals$}");
    // Rounded to nothing, it has no sign.
    if text.trim_start_matches('-').chars().all(|c| c == '0' || c == '.') {
        text.trim_start_matches('-').to_owned()
    } else {
        text
    }
}

/// A string in double quotes, with backslashes where needed: C, Lua, Python, Rust, JavaScript and JSON all read it.
fn quoted(text: &str) -> String {
    let text = text.replace('\\', "\\\\").replace('"', "\\\"");
    format!("\"{}\"", text.replace('\n', "\\n").replace('\r', "\\r").replace('\t', "\\t"))
}
