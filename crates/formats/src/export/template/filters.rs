//! Filters for names and numbers.

use heck::{ToKebabCase, ToLowerCamelCase, ToShoutySnakeCase, ToSnakeCase, ToUpperCamelCase};
use minijinja::{Environment, Error, ErrorKind};
use unicode_normalization::UnicodeNormalization;

use crate::export::idents::{css_name, identifier};

/// What writes a name in another case.
type Case = fn(&str) -> String;

pub(super) fn add(environment: &mut Environment<'_>) {
    environment.add_filter("ident", |name: String| identifier(&name));
    environment.add_filter("css_name", |name: String| css_name(&name));
    let cases: [(&str, Case); 5] = [
        ("snake", ToSnakeCase::to_snake_case),
        ("screaming", ToShoutySnakeCase::to_shouty_snake_case),
        ("kebab", ToKebabCase::to_kebab_case),
        ("pascal", ToUpperCamelCase::to_upper_camel_case),
        ("camel", ToLowerCamelCase::to_lower_camel_case),
    ];
    for (filter, case) in cases {
        environment.add_filter(filter, move |name: String| cased(&name, case));
    }
    environment.add_filter("hex", hex);
    environment.add_filter("fixed", fixed);
    environment.add_filter("float", float);
    environment.add_filter("quoted", |text: String| quoted(&text));
    environment.add_filter("xml", |text: String| crate::escape::escape_xml(&text));
}

/// A name in another case, as an identifier: it does not begin with a digit. Accents that are characters of their own, as some
/// systems write file names, become one with their letters first: signs part words.
fn cased(name: &str, case: Case) -> String {
    let text = case(&name.nfc().collect::<String>());
    if text.is_empty() || text.starts_with(|c: char| c.is_ascii_digit()) { format!("_{text}") } else { text }
}

/// A whole number in hexadecimal, with this many digits at least.
fn hex(number: i64, digits: Option<usize>) -> Result<String, Error> {
    if number < 0 {
        return Err(Error::new(ErrorKind::InvalidOperation, format!("hex of {number}, which is below 0")));
    }
    let width = digits.unwrap_or(0).min(64);
    Ok(format!("{number:0width$x}"))
}

/// A number with this many decimals exactly, six if not said.
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

/// A number with all its digits and always a point, as a floating-point number is written in C and Rust.
fn float(number: f64) -> String {
    format!("{number:?}")
}

/// A string in double quotes, with backslashes where needed: C, Lua, Python, Rust, JavaScript and JSON all read it.
fn quoted(text: &str) -> String {
    let text = text.replace('\\', "\\\\").replace('"', "\\\"");
    format!("\"{}\"", text.replace('\n', "\\n").replace('\r', "\\r").replace('\t', "\\t"))
}
