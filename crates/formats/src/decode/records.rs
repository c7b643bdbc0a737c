//! Lists as CSV, with or without a line of headings, with commas or semicolons. What a line means is for others to say.

use csv::{ReaderBuilder, StringRecord, Trim};

use crate::ReadProblem;

/// All lines, each with its number from 1.
pub(super) fn records(bytes: &[u8]) -> Result<Vec<(u64, StringRecord)>, ReadProblem> {
    // What some editors put before a text.
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
    let first = bytes.split(|&byte| byte == b'\n').next().unwrap_or_default();
    let count = |sign: u8| first.iter().filter(|&&byte| byte == sign).count();
    let delimiter = if count(b';') > count(b',') { b';' } else { b',' };
    let mut builder = ReaderBuilder::new();
    builder.has_headers(false).flexible(true).trim(Trim::All).delimiter(delimiter);
    let mut found = Vec::new();
    for (number, record) in builder.from_reader(bytes).into_records().enumerate() {
        let record = record.map_err(|error| {
            let line = error.position().map_or(number as u64 + 1, csv::Position::line);
            ReadProblem::List { line, why: "is not UTF-8 text".to_owned() }
        })?;
        let line = record.position().map_or(number as u64 + 1, csv::Position::line);
        found.push((line, record));
    }
    Ok(found)
}

/// The lines of a list but its headings, each with its number from 1.
pub(super) fn lines(bytes: &[u8], headings: &str) -> Result<Vec<(u64, StringRecord)>, ReadProblem> {
    let mut found = records(bytes)?;
    let is_heading = |record: &StringRecord| {
        record.iter().map(str::to_lowercase).collect::<Vec<_>>().join(",").starts_with(headings)
    };
    if found.first().is_some_and(|(_, record)| is_heading(record)) {
        found.remove(0);
    }
    match found.is_empty() {
        true => Err(ReadProblem::List { line: 1, why: format!("there are no places; a line is {headings}") }),
        false => Ok(found),
    }
}
